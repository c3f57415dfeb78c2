"""Masters of the studio: the list, the sheet, publishing."""

from __future__ import annotations

from datetime import datetime
from typing import Any, Literal

from django.http import HttpRequest
from ninja import Router, Schema

from texelcore.materials.binding import bind
from texelcore.materials.cost import MasterCost, cost_of
from texelcore.materials.document import UV, Master, Parameter
from texelcore.materials.typing import CheckedMaster, CheckedStrand, check_master
from texelcore.surface.properties import PROPERTIES
from texelcore.targets.library import shipped
from texelweb.api import schemas, views
from texelweb.api.schemas import VariantLine
from texelweb.masters.models import MasterVersion, SetVariant, StudioMaster
from texelweb.masters.publish import publish
from texelweb.projects.models import Membership, Role
from texelweb.refusals import Refused, not_found

router = Router(tags=["masters"])


class MasterLine(Schema):
    """A master in the studio's list."""

    name: str
    title: str
    summary: str
    latest: int
    variants: int
    behind: int


class MasterVersionLine(Schema):
    """A published version."""

    number: int
    note: str
    by: str
    published: datetime


class StrandInput(Schema):
    """One chip of a strand: the slot, what it names or says, and what kind of thing that is."""

    slot: str
    label: str
    refers: Literal["strand", "texture", "parameter", "uv", "value"]


class StrandView(Schema):
    """A row of a master's sheet."""

    name: str
    group: str
    operation: str
    meaning: str
    gives: str
    inputs: list[StrandInput]


class SurfaceLine(Schema):
    """Which strand gives a surface property."""

    property: str
    title: str
    strand: str


class TextureLine(Schema):
    """A texture input, and where each target keeps it."""

    name: str
    property: str
    places: dict[str, str | None]


class MasterView(Schema):
    """A master's sheet at one version."""

    name: str
    title: str
    summary: str
    version: int
    latest: int
    may_publish: bool
    versions: list[MasterVersionLine]
    parameters: list[Parameter]
    textures: list[TextureLine]
    strands: list[StrandView]
    surface: list[SurfaceLine]
    variants: list[VariantLine]
    hidden_variants: int
    cost: MasterCost


class NewVersion(Schema):
    """A changed version of a master: parameters with other defaults or ranges, against version `base`."""

    base: int
    note: str = ""
    parameters: list[Parameter]


@router.get("/masters", response={200: list[MasterLine], 404: schemas.ErrorBody}, operation_id="list_masters")
def list_masters(request: HttpRequest) -> list[MasterLine]:
    """The studio's masters. Variants are counted where the asking user may see them."""
    _enter_studio(request)
    found = []
    for master in StudioMaster.objects.order_by("title"):
        latest = master.latest
        seen = _seen(request, master)
        found.append(
            MasterLine(
                name=master.name,
                title=master.title,
                summary=latest.document.summary,
                latest=latest.number,
                variants=seen.count(),
                behind=seen.filter(version__number__lt=latest.number).count(),
            )
        )
    return found


@router.get("/masters/{name}", response={200: MasterView, 404: schemas.ErrorBody}, operation_id="get_master")
def get_master(request: HttpRequest, name: str, version: int | None = None) -> MasterView:
    """A master's sheet, at its latest version or at another."""
    master = _find(request, name)
    found = master.latest if version is None else master.versions.filter(number=version).first()
    if found is None:
        raise not_found("The version")
    return _view(request, master, found)


@router.post(
    "/masters/{name}/versions",
    response={200: MasterView, 403: schemas.ErrorBody, 404: schemas.ErrorBody, 409: schemas.ErrorBody},
    operation_id="publish_version",
)
def publish_version(request: HttpRequest, name: str, body: NewVersion) -> MasterView:
    """Publish a changed version. That takes the role lead in some project of the studio."""
    master = _find(request, name)
    if not _may_publish(request):
        problem = "may look at masters and make variants as an artist, but not publish: that takes the role lead in a project."
        raise Refused(403, "You", problem, "Ask a lead.")
    made = publish(master, {entry.name: entry for entry in body.parameters}, body.base, body.note, request.user)
    return _view(request, master, made)


def find_version(request: HttpRequest, name: str) -> MasterVersion:
    """The latest version of a master of the studio. Raises Refused 404 when there is none."""
    return _find(request, name).latest


def _enter_studio(request: HttpRequest) -> None:
    if not Membership.objects.filter(user=request.user).exists():
        raise not_found("The studio")


def _find(request: HttpRequest, name: str) -> StudioMaster:
    _enter_studio(request)
    master = StudioMaster.objects.filter(name=name).first()
    if master is None:
        raise not_found("The master")
    return master


def _may_publish(request: HttpRequest) -> bool:
    return Membership.objects.filter(user=request.user, role=Role.LEAD).exists()


def _seen(request: HttpRequest, master: StudioMaster) -> Any:
    """The variants of a master that lie in projects of the asking user."""
    mine = Membership.objects.filter(user=request.user).values("project")
    return SetVariant.objects.filter(version__master=master, project__in=mine)


def _view(request: HttpRequest, master: StudioMaster, version: MasterVersion) -> MasterView:
    document = version.document
    checked = check_master(document)
    seen = _seen(request, master).as_lines().order_by("set__project__title", "name")
    targets = list(shipped().values())
    bound = {target.name: bind(document, target, {output.key: output.storage for output in target.outputs}) for target in targets}
    return MasterView(
        name=master.name,
        title=document.title,
        summary=document.summary,
        version=version.number,
        latest=master.latest.number,
        may_publish=_may_publish(request),
        versions=[
            MasterVersionLine(
                number=entry.number, note=entry.what, by=entry.by.get_username() if entry.by else "", published=entry.at
            )
            for entry in master.versions.select_related("by").order_by("-number")
        ],
        parameters=list(document.parameters),
        textures=[
            TextureLine(
                name=entry.name,
                property=PROPERTIES[entry.property].title,
                places={target.name: found.chip if (found := bound[target.name][entry.name]) else None for target in targets},
            )
            for entry in document.textures
        ],
        strands=[_strand(step, document) for step in _in_sheet_order(checked)],
        surface=[SurfaceLine(property=key, title=PROPERTIES[key].title, strand=name) for key, name in document.surface.items()],
        variants=[views.variant_line(variant) for variant in seen],
        hidden_variants=SetVariant.objects.filter(version__master=master).count() - len(seen),
        cost=cost_of(checked, bound[targets[-1].name]),
    )


def _in_sheet_order(checked: CheckedMaster) -> list[CheckedStrand]:
    steps = {step.strand.name: step for step in checked.steps}
    return [steps[strand.name] for strand in checked.master.strands]


def _strand(step: CheckedStrand, document: Master) -> StrandView:
    textures = {entry.name for entry in document.textures}
    inputs = []
    for slot in step.operation.slots:
        value = step.strand.inputs.get(slot.name, slot.default)
        if not isinstance(value, str):
            label, refers = ("on" if value else "off") if isinstance(value, bool) else f"{value:g}", "value"
        elif value == UV:
            label, refers = value, "uv"
        elif value in textures:
            label, refers = value, "texture"
        else:
            label, refers = value, "parameter" if document.parameter(value) else "strand"
        inputs.append(StrandInput(slot=slot.name, label=label, refers=refers))
    return StrandView(
        name=step.strand.name,
        group=step.strand.group,
        operation=step.operation.title,
        meaning=step.operation.meaning,
        gives=step.gives,
        inputs=inputs,
    )
