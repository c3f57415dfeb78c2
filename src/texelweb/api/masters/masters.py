"""Masters of the studio: the list, and the sheet of a version."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import Any, Literal

from django.http import HttpRequest, HttpResponse
from ninja import Router, Schema

from texelcore.materials.dressing.binding import bind, one_set
from texelcore.materials.sheets.cost import MasterCost, dearest_cost
from texelcore.materials.sheets.document import MESH_INPUTS, Layer, Master, OpacityUse, Parameter
from texelcore.materials.sheets.strands import CheckedStrand, MasterProblem
from texelcore.materials.sheets.typing import CheckedMaster, check_master, read_master
from texelcore.surface.properties import PROPERTIES, property_of
from texelcore.targets.document import Target
from texelcore.targets.library import shipped
from texelweb.accounts import access
from texelweb.api import schemas
from texelweb.api.documenting import serves
from texelweb.api.drafting import enter_library, find_document, may_draft, version_of
from texelweb.api.schemas import VariantLine
from texelweb.api.sets import views
from texelweb.library.pins import offered
from texelweb.masters.models import MasterDraft, MasterVersion, SetVariant, StudioMaster
from texelweb.masters.publish import EMPTY, MASTERS
from texelweb.projects.models import Membership

router = Router(tags=["masters"])


class MasterLine(Schema):
    """A master in the studio's list. `latest` is 0 of one that was never published; `cost_for` is the title of the target that
    its cost is said for, and `shown` a variant of it that can be seen lit, where the asking user may see one."""

    name: str
    title: str
    summary: str
    latest: int
    variants: int
    behind: int
    layers: int
    strands: int
    cost: MasterCost | None
    cost_for: str
    drafted_by: str | None
    deprecated: bool
    shown: int | None


class MasterDraftView(Schema):
    """A draft as it is: its document, which need not hold, what is wrong with it, and the number of its newest edit."""

    document: dict[str, Any]
    problems: list[MasterProblem]
    base: int
    edit: int
    by: str


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
    """A master's sheet at one version; of one that was never published an empty one, beside its draft. `cost_for` is the title of
    the target that its cost is said for: of all that are offered the dearest."""

    name: str
    title: str
    summary: str
    version: int
    latest: int
    may_draft: bool
    may_publish: bool
    versions: list[MasterVersionLine]
    parameters: list[Parameter]
    textures: list[TextureLine]
    strands: list[StrandView]
    surface: list[SurfaceLine]
    variants: list[VariantLine]
    hidden_variants: int
    cost: MasterCost
    cost_for: str
    layers: list[Layer]
    opacity: OpacityUse
    document: dict[str, Any] | None
    kinds: dict[str, str]
    draft: MasterDraftView | None
    deprecated: bool
    successor: str | None


@router.get("/masters", response={200: list[MasterLine], 404: schemas.ErrorBody}, operation_id="list_masters")
def list_masters(request: HttpRequest) -> list[MasterLine]:
    """The studio's masters. Variants are counted where the asking user may see them."""
    enter_library(request)
    latest = {row.master_id: row for row in MasterVersion.objects.order_by("master", "-number").distinct("master")}
    used: dict[int, list[tuple[int, int]]] = {}
    for master_id, number, variant in _mine(request).values_list("version__master", "version__number", "pk").order_by("pk"):
        used.setdefault(master_id, []).append((number, variant))
    found = StudioMaster.objects.select_related("draft__changed_by").order_by("title")
    targets = _targets()
    return [_line(master, latest.get(master.pk), used.get(master.pk, []), targets) for master in found]


@router.get("/masters/{name}", response={200: MasterView, 404: schemas.ErrorBody}, operation_id="get_master")
def get_master(request: HttpRequest, name: str, version: int | None = None) -> MasterView:
    """A master's sheet, at its latest version or at another."""
    master = find_document(MASTERS, request, name)
    return view(request, master) if version is None else _view(request, master, version_of(master, version))


@router.get(
    "/masters/{name}/materialx",
    operation_id="download_master_materialx",
    openapi_extra=serves("application/xml"),
    response={404: schemas.ErrorBody},
)
def download_materialx(request: HttpRequest, name: str, version: int | None = None) -> HttpResponse:
    """A master as a MaterialX document, with its defaults and without pictures."""
    # The library behind it takes its time to be imported.
    from texelcore.materials.mtlx.writing import write_materialx

    document = version_of(find_document(MASTERS, request, name), version).document
    made = write_materialx(check_master(document), document.title, {}, {})
    file = f"{document.name}-v{document.version}.mtlx"
    headers = {"Content-Disposition": f'attachment; filename="{file}"'}
    return HttpResponse(made.text, content_type="application/xml", headers=headers)


def title_of(key: str) -> str:
    """What a property of a surface is called, those of glTF's extensions as well."""
    return PROPERTIES[key].title if key in PROPERTIES else key.replace("_", " ").capitalize()


def view(request: HttpRequest, master: StudioMaster) -> MasterView:
    """A master's sheet at its newest version; an empty one where there is none."""
    return _view(request, master, master.latest)


def _mine(request: HttpRequest) -> Any:
    """The variants that lie in projects of the asking user."""
    mine = Membership.objects.filter(user=request.user).values("project")
    return SetVariant.objects.filter(project__in=mine)


def _targets() -> list[Target]:
    """The targets that a master may be worn for: those that are offered, or where a studio offers none, those that ship."""
    return offered() or list(shipped().values())


def _line(
    master: StudioMaster, latest: MasterVersion | None, used: list[tuple[int, int]], targets: Sequence[Target]
) -> MasterLine:
    document = latest.document if latest else None
    dearest, cost = dearest_cost(check_master(document), targets) if document else (None, None)
    draft = getattr(master, "draft", None)
    by = draft.changed_by.get_username() if draft and draft.changed_by else ""
    return MasterLine(
        name=master.name,
        title=master.title,
        summary=document.summary if document else "",
        latest=latest.number if latest else 0,
        variants=len(used),
        behind=sum(number < latest.number for number, _ in used) if latest else 0,
        layers=len(document.layers) if document else 0,
        strands=len(document.strands) if document else 0,
        cost=cost,
        cost_for=dearest.title if dearest else "",
        drafted_by=by if draft else None,
        deprecated=master.deprecated is not None,
        shown=used[0][1] if used else None,
    )


def draft_view(draft: MasterDraft) -> MasterDraftView:
    """A draft for a page."""
    return MasterDraftView(
        document=draft.document_json,
        problems=list(read_master(draft.document_json).problems),
        base=draft.base,
        edit=draft.edit,
        by=draft.changed_by.get_username() if draft.changed_by else "",
    )


def _view(request: HttpRequest, master: StudioMaster, version: MasterVersion | None) -> MasterView:
    held = MASTERS.draft_of(master) if may_draft(request) else None
    if version:
        checked = check_master(version.document)
    else:
        blank = {**EMPTY, "name": master.name, "title": master.title, "version": 0}
        checked = check_master(Master.model_validate(blank))
    document = checked.master
    seen = _mine(request).filter(version__master=master).as_lines().order_by("set__project__title", "name")
    targets = _targets()
    dearest, cost = dearest_cost(checked, targets)
    bound = {target.name: bind(document, target, one_set(document, target.storages)) for target in targets}
    return MasterView(
        name=master.name,
        title=document.title,
        summary=document.summary,
        version=version.number if version else 0,
        latest=latest.number if (latest := master.latest) else 0,
        may_draft=may_draft(request),
        may_publish=access.leads_studio(request),
        versions=[
            MasterVersionLine(
                number=version.number, note=version.what, by=version.by.get_username() if version.by else "", published=version.at
            )
            for version in master.versions.select_related("by").order_by("-number")
        ],
        parameters=list(document.parameters),
        textures=[
            TextureLine(
                name=texture.name,
                property=property_of(texture.property).title,
                places={target.name: found.chip if (found := bound[target.name][texture.name]) else None for target in targets},
            )
            for texture in document.textures
        ],
        strands=[_strand(step, document) for step in _in_sheet_order(checked)],
        surface=[SurfaceLine(property=key, title=title_of(key), strand=name) for key, name in document.surface.items()],
        variants=[views.variant_line(variant) for variant in seen],
        hidden_variants=SetVariant.objects.filter(version__master=master).count() - len(seen),
        cost=cost,
        cost_for=dearest.title,
        layers=list(document.layers),
        opacity=document.opacity,
        document=version.document.model_dump(mode="json") if version else None,
        kinds=dict(checked.kinds),
        draft=draft_view(held) if held else None,
        deprecated=master.deprecated is not None,
        successor=master.successor.title if master.successor else None,
    )


def _in_sheet_order(checked: CheckedMaster) -> list[CheckedStrand]:
    steps = {step.strand.name: step for step in checked.steps}
    return [steps[strand.name] for strand in checked.master.strands]


def _strand(step: CheckedStrand, document: Master) -> StrandView:
    textures = {texture.name for texture in document.textures}
    inputs = []
    for slot in step.operation.slots:
        value = step.strand.inputs.get(slot.name, slot.default)
        if not isinstance(value, str):
            label, refers = ("on" if value else "off") if isinstance(value, bool) else f"{value:g}", "value"
        elif value in MESH_INPUTS:
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
