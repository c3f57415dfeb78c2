"""A target that is being written, tried on sets; and the targets that a project has taken."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse
from ninja import Field, Router, Schema

from texelcore.building.manifest import describe_steps
from texelcore.building.plan import PlannedOutput
from texelcore.surface.findings import Finding
from texelcore.targets.compare import TargetChange, compare_targets
from texelcore.targets.problems import TargetProblem
from texelweb.accounts.access import Access, enter
from texelweb.api.documenting import serves
from texelweb.api.schemas import ErrorBody
from texelweb.api.sets.sets import enter_set
from texelweb.builds.trying import OutputTried, Upgrade, lacks_of, picture_of, read_draft, try_on, upgrade_of
from texelweb.library import pins
from texelweb.library.models import ProjectTarget, StudioTarget, TargetVersion
from texelweb.projects.models import RANK, Project, Role
from texelweb.refusals import not_found
from texelweb.sets.models import TextureSet

router = Router(tags=["targets"])
MOST_SETS = 24


class Draft(Schema):
    """A target's document, which need not hold."""

    document: dict[str, Any]


class DraftOutput(Draft):
    """A target's document, and the place of one of its outputs."""

    place: int = Field(ge=0, le=63)


class DraftOnSets(Draft):
    """A target's document, and the sets to try it on."""

    sets: list[int] = Field(max_length=MOST_SETS)


class ChannelTried(Schema):
    """One channel as it would be filled: what is done, and whether a default stands in."""

    channel: str
    meaning: str
    done: list[str]
    fills: bool
    low: float
    high: float


class OutputTriedView(Schema):
    """One output of a draft for one set; `asked` says whether the set asks for it at all."""

    place: int
    key: str
    title: str
    asked: bool
    file_name: str
    width: int
    height: int
    memory: int
    format: str
    files: int
    problem: str | None
    way_out: str | None
    channels: list[ChannelTried]
    findings: list[Finding]
    # The same bytes are made of the same key.
    content_key: str


class DraftTried(Schema):
    """A draft tried on a set: what is wrong with it, its outputs as far as they hold, and what they weigh."""

    problems: list[TargetProblem]
    outputs: list[OutputTriedView]
    memory: int


class LacksAsked(Schema):
    """Sets that would be made for a target; null is all of the project. `document` is a draft of it, as far as it holds."""

    sets: list[int] | None = Field(default=None, max_length=5000)
    document: dict[str, Any] | None = None


class LackView(Schema):
    """Something that a target misses in `count` sets, of which the first are named; `stops` says that an output cannot be
    made."""

    says: str
    stops: bool
    count: int
    first: list[str]


class SetTried(Schema):
    """A set made for a target as the project has it, and for the draft, output by output."""

    set_id: int
    name: str
    before: list[OutputTriedView]
    after: list[OutputTriedView]
    memory_before: int
    memory_after: int


class UpgradeView(Schema):
    """What another version of a target would do to the sets that are made for it. Outputs are counted; memory is in bytes."""

    sets: int
    built_again: int
    encoded_again: int
    renamed: int
    added: int
    removed: int
    memory_before: int
    memory_after: int


class PinView(Schema):
    """A target of a project, at the version that it has taken. `for_all` says that every set is made for it that does not say
    otherwise; `own` counts the sets that say so themselves."""

    name: str
    title: str
    summary: str
    version: int
    newest: int
    usual: bool
    for_all: bool
    own: int
    deprecated: bool
    successor: str | None
    outputs: int


class PinsView(Schema):
    """The targets of a project, and those of the studio that it could take."""

    may_edit: bool
    targets: list[PinView]
    others: list[OtherTarget]


class OtherTarget(Schema):
    """A target that the project has not taken."""

    name: str
    title: str
    summary: str
    version: int


class PinChange(Schema):
    """A target to take, at a version, or at the one that is taken already; and whether every set is made for it."""

    version: int | None = None
    for_all: bool | None = None


class UpgradeAsked(Schema):
    """What differs between the version that a project has and another, and what that would do."""

    changes: list[TargetChange]
    effect: UpgradeView


PinsView.model_rebuild()
PIN_ANSWERS = {200: PinsView, 403: ErrorBody, 404: ErrorBody, 409: ErrorBody}


@router.post("/sets/{set_id}/draft", response={200: DraftTried, 404: ErrorBody, 409: ErrorBody}, operation_id="try_draft")
def try_draft(request: HttpRequest, set_id: int, body: Draft) -> DraftTried:
    """Try a target's document on a set, as far as it holds. Nothing is kept."""
    texture_set, _ = enter_set(request, set_id)
    tried = read_draft(body.document)
    outputs = [_output(entry) for entry in try_on(texture_set, tried)]
    memory = sum(output.memory for output in outputs)
    return DraftTried(problems=list(tried.problems), outputs=outputs, memory=memory)


@router.post(
    "/sets/{set_id}/draft/picture",
    response={404: ErrorBody, 409: ErrorBody},
    openapi_extra=serves("image/png"),
    operation_id="picture_draft",
)
def picture_draft(request: HttpRequest, set_id: int, body: DraftOutput) -> HttpResponse:
    """A small picture of one output of a target's document: all channels together, then each alone, side by side."""
    texture_set, _ = enter_set(request, set_id)
    return HttpResponse(picture_of(texture_set, read_draft(body.document), body.place), content_type="image/png")


@router.post(
    "/projects/{slug}/targets/{name}/try",
    response={200: list[SetTried], 404: ErrorBody, 409: ErrorBody},
    operation_id="try_draft_on_sets",
)
def try_on_sets(request: HttpRequest, slug: str, name: str, body: DraftOnSets) -> list[SetTried]:
    """Try a target's document on sets, beside what the project makes of them with that target now."""
    project = enter(request, slug).project
    now = StudioTarget.objects.filter(name=name).exclude(versions=None).exists()
    before = read_draft(pins.target_of(project, name).model_dump(mode="json")) if now else read_draft({})
    after = read_draft(body.document)
    found = []
    for texture_set in project.sets.filter(pk__in=body.sets).select_related("project").order_by("name"):
        sides = [[_output(entry) for entry in try_on(texture_set, side)] for side in (before, after)]
        memory = [sum(entry.memory for entry in side) for side in sides]
        found.append(
            SetTried(
                set_id=texture_set.pk,
                name=texture_set.name,
                before=sides[0],
                after=sides[1],
                memory_before=memory[0],
                memory_after=memory[1],
            )
        )
    return found


@router.post(
    "/projects/{slug}/targets/{name}/lacks",
    response={200: list[LackView], 404: ErrorBody, 409: ErrorBody},
    operation_id="list_lacks",
)
def list_lacks(request: HttpRequest, slug: str, name: str, body: LacksAsked) -> list[LackView]:
    """What sets of a project would lack if they were made for a target, or for a draft of it: counted over all that are asked
    about."""
    project = enter(request, slug).project
    sets = list(project.sets.select_related("project").order_by("name"))
    if body.sets is not None:
        wanted = set(body.sets)
        sets = [entry for entry in sets if entry.pk in wanted]
    drafted = read_draft(body.document).target if body.document is not None else None
    target = drafted or pins.target_of(project, name)
    lacks = lacks_of(project, sets, target)
    return [LackView(says=lack.says, stops=lack.stops, count=len(lack.sets), first=list(lack.sets[:3])) for lack in lacks]


@router.get("/projects/{slug}/targets", response={200: PinsView, 404: ErrorBody}, operation_id="list_project_targets")
def list_project_targets(request: HttpRequest, slug: str) -> PinsView:
    """The targets that a project has taken, each at its version."""
    return _pins(enter(request, slug))


@router.put("/projects/{slug}/targets/{name}", response=PIN_ANSWERS, operation_id="take_target")
def take_target(request: HttpRequest, slug: str, name: str, body: PinChange) -> PinsView:
    """Take a target into a project, take another version of it, or say whether every set is made for it."""
    access = enter(request, slug, Role.LEAD)
    if body.version is None:
        pins.ensure(access.project, name, access.user, for_all=body.for_all)
        return _pins(access)
    pins.take(access.project, _version(name, body.version), access.user, for_all=body.for_all)
    return _pins(access)


@router.delete("/projects/{slug}/targets/{name}", response=PIN_ANSWERS, operation_id="give_up_target")
def give_up_target(request: HttpRequest, slug: str, name: str) -> PinsView:
    """Take a target out of a project."""
    access = enter(request, slug, Role.LEAD)
    pins.give_up(access.project, name, access.user)
    return _pins(access)


@router.get(
    "/projects/{slug}/targets/{name}/upgrade",
    response={200: UpgradeAsked, 404: ErrorBody, 409: ErrorBody},
    operation_id="ask_upgrade",
)
def ask_upgrade(request: HttpRequest, slug: str, name: str, version: int) -> UpgradeAsked:
    """What differs between the version of a target that a project has and another, and what taking that would rebuild."""
    project = enter(request, slug).project
    old, new = pins.target_of(project, name), _version(name, version).document
    effect = upgrade_of(project, sets_made_for(project, name), old, new)
    return UpgradeAsked(changes=list(compare_targets(old, new)), effect=_effect(effect))


def sets_made_for(project: Project, name: str) -> list[TextureSet]:
    """The sets of a project that are made for a target."""
    held = pins.pins_of(project)
    return [
        texture_set
        for texture_set in project.sets.select_related("project").order_by("name")
        if any(target.name == name for target in held.of_set(texture_set.target))
    ]


def _effect(effect: Upgrade) -> UpgradeView:
    return UpgradeView(**effect.__dict__)


def _version(name: str, number: int) -> TargetVersion:
    found = TargetVersion.objects.filter(target__name=name, number=number).select_related("target").first()
    if found is None:
        raise not_found("The version")
    return found


def _pins(access: Access) -> PinsView:
    project = access.project
    held = ProjectTarget.objects.filter(project=project).select_related("version__target__successor")
    newest = {row.target_id: row.number for row in TargetVersion.objects.order_by("target", "-number").distinct("target")}
    own: dict[str, int] = {}
    for name in project.sets.exclude(target="").values_list("target", flat=True):
        own[name] = own.get(name, 0) + 1
    lines = [
        PinView(
            name=pin.name,
            title=pin.version.document.title,
            summary=pin.version.document.summary,
            version=pin.version.number,
            newest=newest[pin.version.target_id],
            usual=pin.name == project.target,
            for_all=pin.for_all,
            own=own.get(pin.name, 0),
            deprecated=pin.version.target.deprecated is not None,
            successor=pin.version.target.successor.name if pin.version.target.successor else None,
            outputs=len(pin.version.document.outputs),
        )
        for pin in held
    ]
    taken = {line.name for line in lines}
    others = [
        OtherTarget(name=target.name, title=target.title, summary=target.summary, version=target.version)
        for target in pins.offered()
        if target.name not in taken
    ]
    return PinsView(
        may_edit=RANK[access.role] >= RANK[Role.LEAD] and not project.archived,
        targets=sorted(lines, key=lambda line: (not line.usual, line.title.casefold())),
        others=others,
    )


def _output(tried: OutputTried) -> OutputTriedView:
    first: PlannedOutput | None = tried.planned[0] if tried.planned else None
    return OutputTriedView(
        place=tried.place,
        key=tried.output.key,
        title=tried.output.title,
        asked=first is not None,
        file_name=first.file_name if first else "",
        width=first.width if first else 0,
        height=first.height if first else 0,
        memory=tried.memory,
        format=first.storage.format if first else tried.output.storage.format,
        files=len(tried.planned),
        problem=first.problem if first else None,
        way_out=first.way_out if first else None,
        channels=[
            ChannelTried(
                channel=channel.channel,
                meaning=channel.meaning,
                done=list(describe_steps(channel)),
                fills=channel.fills,
                low=channel.low,
                high=channel.high,
            )
            for channel in (first.channels if first else ())
        ],
        findings=list(tried.findings),
        content_key=first.content_key if first else "",
    )
