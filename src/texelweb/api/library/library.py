"""The studio's targets: listed, looked at, drafted, published, compared, deprecated, brought in and out."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from django.http import HttpRequest, HttpResponse
from ninja import Field, File, Router, Schema, UploadedFile

from texelcore.pixels.errors import TexelError
from texelcore.pixels.resample import FILTER_WORDS
from texelcore.pixels.write import FORMAT_WORDS, SAMPLE_WORDS, SAMPLES
from texelcore.surface.extensions import EXTENSIONS
from texelcore.surface.properties import PROPERTIES, property_of
from texelcore.targets.compare import TargetChange, compare_targets
from texelcore.targets.document import MOST_OUTPUTS, Target, TargetChannel
from texelcore.targets.example import ProposedOutput
from texelcore.targets.layout import LETTERS, parse_meaning
from texelcore.targets.library import LARGEST_DOCUMENT, parse_target
from texelcore.targets.problems import TargetProblem, check_target
from texelweb.accounts.access import leads_studio
from texelweb.accounts.receiving import receives
from texelweb.api.drafting import add_drafting, enter_library, find_document, may_draft, version_of
from texelweb.api.parsing import is_number, number_in_address
from texelweb.api.schemas import ErrorBody
from texelweb.library.models import ProjectTarget, StudioTarget, TargetDraft, TargetVersion
from texelweb.library.targets import EMPTY, TARGETS, bring_in
from texelweb.projects.models import Membership
from texelweb.refusals import not_found
from texelweb.storage.examples import propose_from

router = Router(tags=["targets"])
# Said of what a draft is, where a version is asked for.
DRAFT = "draft"
LARGEST_EXAMPLE = 512 * 1024**2


class DraftLine(Schema):
    """That a target is being drafted: by whom last, and since when it is as it is."""

    by: str
    changed: datetime
    base: int


class TargetLine(Schema):
    """A target in the studio's list. `version` is 0 of one that was never published; `projects` counts those that have taken
    it."""

    name: str
    title: str
    summary: str
    version: int
    outputs: int
    normal_y: str
    projects: int
    behind: int
    deprecated: bool
    successor: str | None
    draft: DraftLine | None


class TargetList(Schema):
    """The studio's targets, and whether the asking user may change them."""

    may_edit: bool
    targets: list[TargetLine]


class TargetVersionLine(Schema):
    """A published version."""

    number: int
    what: str
    by: str
    at: datetime


class TargetUse(Schema):
    """A project that has taken a target, and at which version."""

    slug: str
    title: str
    version: int


class DraftView(Schema):
    """A draft as it is: its document, which need not hold, what is wrong with it, and the number of its newest edit."""

    document: dict[str, Any]
    problems: list[TargetProblem]
    base: int
    edit: int
    by: str


class StudioTargetView(Schema):
    """A target: one version of it, all that it has, who uses it, and its draft."""

    name: str
    title: str
    may_edit: bool
    may_publish: bool
    deprecated: bool
    successor: str | None
    version: int
    document: Target | None
    versions: list[TargetVersionLine]
    used: list[TargetUse]
    hidden: int
    draft: DraftView | None


class PropertyWord(Schema):
    """A property that a channel may hold, and the letter that stands for it."""

    key: str
    title: str
    letter: str
    components: list[str]
    colour: bool


class FileWord(Schema):
    """A file format, and the depths that it holds."""

    key: str
    title: str
    samples: list[str]


class Vocabulary(Schema):
    """What may stand in a target."""

    properties: list[PropertyWord]
    files: list[FileWord]
    samples: dict[str, str]
    filters: dict[str, str]
    most_outputs: int
    # What materials may take beyond the basics, by the name of the extension of glTF 2.0.
    extensions: dict[str, str]


class ExampleRead(Schema):
    """A target as textures of an engine suggest it: its document, why each output is thought, files that told nothing, and
    those that could not be read."""

    document: dict[str, Any]
    outputs: list[ProposedOutput]
    passed: list[str]
    refused: list[str]


class Said(Schema):
    """What a person typed into a channel's cell."""

    said: str = Field(max_length=80)


class NewTarget(Schema):
    """A target to be made: from nothing, or as a copy of a version of another (“orbit-desktop@2”), or of a document."""

    title: str = Field(max_length=200)
    copy_of: str = Field(default="", max_length=80)
    document: dict[str, Any] | None = None


ANSWERS = {200: StudioTargetView, 403: ErrorBody, 404: ErrorBody, 409: ErrorBody}


@router.get("/targets", response={200: TargetList, 404: ErrorBody}, operation_id="list_targets")
def list_targets(request: HttpRequest) -> TargetList:
    """The targets of the studio."""
    enter_library(request)
    found = StudioTarget.objects.select_related("successor", "draft__changed_by").order_by("title")
    latest = {row.target_id: row for row in TargetVersion.objects.order_by("target", "-number").distinct("target")}
    taken: dict[str, list[int]] = {}
    for name, number in ProjectTarget.objects.filter(project__deleted=None).values_list("name", "version__number"):
        taken.setdefault(name, []).append(number)
    lines = [_line(target, latest.get(target.pk), taken.get(target.name, [])) for target in found]
    return TargetList(may_edit=may_draft(request), targets=lines)


@router.post("/targets", response=ANSWERS, operation_id="make_target")
def make_target(request: HttpRequest, body: NewTarget) -> StudioTargetView:
    """Make a target: it begins as a draft."""
    enter_library(request, drafts=True)
    if body.copy_of:
        name, _, number = body.copy_of.partition("@")
        source = version_of(find_document(TARGETS, request, name), number_in_address(number) if number else None)
        document: dict[str, Any] = source.document.model_dump(mode="json")
        base = f"{source.document.title} v{source.number}"
    else:
        document, base = body.document or EMPTY, "an example" if body.document else ""
    return _view(request, TARGETS.make(body.title, document, request.user, base))


@router.get("/targets/vocabulary", response={200: Vocabulary, 404: ErrorBody}, operation_id="get_target_vocabulary")
def get_vocabulary(request: HttpRequest) -> Vocabulary:
    """What may stand in a target: properties with their letters, and file formats with their depths."""
    enter_library(request)
    letters = {key: letter for letter, key in LETTERS.items()}
    keys = [key for key in PROPERTIES if key != "specular"] + ["mask", "diffuse", "specular", "constant"]
    return Vocabulary(
        properties=[
            PropertyWord(
                key=key,
                title=property_of(key).title,
                letter=letters.get(key, ""),
                components=list(property_of(key).components),
                colour=property_of(key).colour,
            )
            for key in keys
        ],
        files=[FileWord(key=key, title=title, samples=list(SAMPLES[key])) for key, title in FORMAT_WORDS.items()],
        samples=SAMPLE_WORDS,
        filters=FILTER_WORDS,
        most_outputs=MOST_OUTPUTS,
        extensions={key: words.title for key, words in EXTENSIONS.items()},
    )


@router.post("/targets/meaning", response={200: TargetChannel, 404: ErrorBody, 409: ErrorBody}, operation_id="read_meaning")
def read_meaning(request: HttpRequest, body: Said) -> TargetChannel:
    """What one channel is to hold, from what a person typed: a property, its letter, “1-” before it, “.x” behind it, a
    number."""
    enter_library(request)
    return parse_meaning(body.said)


@router.post(
    "/targets/example", response={200: ExampleRead, 403: ErrorBody, 404: ErrorBody, 409: ErrorBody}, operation_id="read_example"
)
@receives(LARGEST_EXAMPLE, lambda request: enter_library(request, drafts=True))
def read_example(request: HttpRequest, files: File[list[UploadedFile]]) -> ExampleRead:
    """What layout some textures of an engine have, to be confirmed row by row. Nothing is kept."""
    enter_library(request, drafts=True)
    if sum(file.size or 0 for file in files) > LARGEST_EXAMPLE:
        way_out = "A few whole sets say enough."
        raise TexelError("The example", f"is larger than {LARGEST_EXAMPLE // 1024**2} MB.", way_out)
    uploads = [(file.name or "file", file) for file in files]
    proposal, refused = propose_from([(name, file.chunks()) for name, file in uploads])
    if not proposal.outputs:
        raise TexelError("The example", "holds no texture that tells what it is.", "Choose a few whole sets.")
    return ExampleRead(
        document=proposal.target("example", "Example").model_dump(mode="json"),
        outputs=list(proposal.outputs),
        passed=list(proposal.passed),
        refused=refused,
    )


@router.post("/targets/import", response=ANSWERS, operation_id="import_target")
@receives(LARGEST_DOCUMENT, lambda request: enter_library(request, drafts=True))
def import_target(request: HttpRequest, file: File[UploadedFile]) -> StudioTargetView:
    """Bring a target in from its JSON: as a draft, which is published when it has been looked at."""
    enter_library(request, drafts=True)
    name = (file.name or "The file")[:120]
    if (file.size or 0) > LARGEST_DOCUMENT:
        raise TexelError(name, "is larger than 1 MB.", "Choose the JSON of a target.")
    return _view(request, bring_in(parse_target(file.read(), name), request.user))


@router.get("/targets/{name}", response={200: StudioTargetView, 404: ErrorBody}, operation_id="get_target")
def get_target(request: HttpRequest, name: str, version: int | None = None) -> StudioTargetView:
    """A target at its newest version, or at another."""
    enter_library(request)
    return _view(request, find_document(TARGETS, request, name), version)


@router.get("/targets/{name}/compare", response={200: list[TargetChange], 404: ErrorBody}, operation_id="compare_target_versions")
def compare_versions(request: HttpRequest, name: str, old: str, new: str) -> list[TargetChange]:
    """What differs between two versions of a target, row by row; “draft” is the draft, as far as it holds."""
    enter_library(request)
    target = find_document(TARGETS, request, name)
    return list(compare_targets(_document(target, old), _document(target, new)))


@router.get("/targets/{name}/document", response={200: Target, 404: ErrorBody}, operation_id="export_target")
def export_target(request: HttpRequest, name: str, version: int | None = None) -> HttpResponse:
    """A version as the JSON that the command line and other studios read."""
    enter_library(request)
    document = version_of(find_document(TARGETS, request, name), version).document
    answer = HttpResponse(document.to_json(), content_type="application/json")
    answer["Content-Disposition"] = f'attachment; filename="{document.name}-v{document.version}.target.json"'
    return answer


def _document(target: StudioTarget, said: str) -> Target:
    if said != DRAFT:
        return version_of(target, int(said) if is_number(said) else -1).document
    draft = TargetDraft.objects.filter(target=target).first()
    if draft is None:
        raise not_found("The draft")
    document, problems = check_target(draft.document_json)
    if document is None:
        raise TexelError(target.title, f"does not hold yet: {problems[0].said}", problems[0].way_out)
    return document


def _line(target: StudioTarget, latest: TargetVersion | None, taken: list[int]) -> TargetLine:
    draft = getattr(target, "draft", None)
    document = latest.document if latest else None
    return TargetLine(
        name=target.name,
        title=target.title,
        summary=document.summary if document else "Not published yet.",
        version=latest.number if latest else 0,
        outputs=len(document.outputs) if document else 0,
        normal_y=document.normal_y if document else "",
        projects=len(taken),
        behind=sum(number < latest.number for number in taken) if latest else 0,
        deprecated=target.deprecated is not None,
        successor=target.successor.title if target.successor else None,
        draft=DraftLine(by=_name(draft.changed_by), changed=draft.changed, base=draft.base) if draft else None,
    )


def _view(request: HttpRequest, target: StudioTarget, number: int | None = None) -> StudioTargetView:
    version = version_of(target, number) if number is not None or target.latest else None
    draft = TargetDraft.objects.filter(target=target).select_related("changed_by").first()
    taken = ProjectTarget.objects.filter(name=target.name, project__deleted=None).select_related("project", "version")
    mine = set(Membership.objects.filter(user=request.user).values_list("project", flat=True))
    seen = [pin for pin in taken.order_by("project__title") if pin.project_id in mine]
    return StudioTargetView(
        name=target.name,
        title=target.title,
        may_edit=may_draft(request),
        may_publish=leads_studio(request),
        deprecated=target.deprecated is not None,
        successor=target.successor.name if target.successor else None,
        version=version.number if version else 0,
        document=version.document if version else None,
        versions=[
            TargetVersionLine(number=version.number, what=version.what, by=_name(version.by), at=version.at)
            for version in target.versions.select_related("by").order_by("-number")
        ],
        used=[TargetUse(slug=pin.project.slug, title=pin.project.title, version=pin.version.number) for pin in seen],
        hidden=len(taken) - len(seen),
        draft=_draft(draft) if draft else None,
    )


def _draft(draft: TargetDraft) -> DraftView:
    _, problems = check_target(draft.document_json)
    return DraftView(
        document=draft.document_json, problems=problems, base=draft.base, edit=draft.edit, by=_name(draft.changed_by)
    )


def _name(user: Any) -> str:
    return user.get_username() if user else ""


add_drafting(router, TARGETS, (StudioTargetView, _view), (DraftView, _draft))
