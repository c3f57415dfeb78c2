"""Masters that are being written: begun, drafted, tried on sets, published."""

from __future__ import annotations

import base64
from collections.abc import Mapping
from typing import Any

import numpy as np
from django.http import HttpRequest, HttpResponse
from ninja import Field, File, Form, Schema, UploadedFile
from numpy.typing import NDArray

from texelcore.colour.srgb import from_linear
from texelcore.materials.dressing.binding import SetMaps, as_taken, bind, bound_property, not_taken, one_set
from texelcore.materials.dressing.evaluate import run_all, texel_centres
from texelcore.materials.dressing.stage import STAGE_TARGET, stripes
from texelcore.materials.dressing.textures import samplers_of
from texelcore.materials.gltf.frommaterial import materials_of
from texelcore.materials.shader import HeightUse, Shader, height_text, shader_text
from texelcore.materials.sheets.cost import MasterCost, cost_of
from texelcore.materials.sheets.document import WIDTHS, Value, ValueKind, check_values
from texelcore.materials.sheets.findings import MadeFor, MasterFinding, findings_of
from texelcore.materials.sheets.strands import MasterProblem
from texelcore.materials.sheets.typing import CheckedMaster, check_master, read_master
from texelcore.pixels.png import png_bytes
from texelweb.accounts.access import enter
from texelweb.accounts.receiving import receives
from texelweb.api.builds.stage import StagePicture, pictures_of
from texelweb.api.documenting import serves
from texelweb.api.drafting import add_drafting, enter_library, find_document, version_of
from texelweb.api.masters import masters
from texelweb.api.masters.masters import MasterDraftView, MasterView, router
from texelweb.api.masters.variants import OpacityView, enter_variant, opacity_of, worn_by
from texelweb.api.parsing import number_in_address
from texelweb.api.schemas import ErrorBody
from texelweb.api.sets.pictures import kept_picture
from texelweb.builds import stage
from texelweb.library.pins import pins_of
from texelweb.masters.models import SetVariant
from texelweb.masters.publish import EMPTY, MASTERS
from texelweb.projects.models import Membership
from texelweb.refusals import Refused, not_found
from texelweb.sets.models import TextureSet

# The edge of the small pictures of rows.
TILE = 24
# As large as a model may be.
LARGEST_GLTF = 64 * 2**20
Rows = NDArray[np.uint8]


class NewMaster(Schema):
    """A master to be made: from nothing, as a copy of a version of another (“four-layers@1”), of a variant with its values as
    defaults, or from a document, such as one that a glTF material gave."""

    title: str = Field(max_length=200)
    copy_of: str = Field(default="", max_length=80)
    variant: int | None = None
    document: dict[str, Any] | None = None


class SheetTry(Schema):
    """A document to try, the sets that its layers and free textures take, by name, and values for its parameters."""

    document: dict[str, Any]
    sets: dict[str, int] = Field(default={}, max_length=32)
    values: dict[str, Value] = {}


class SheetSurface(Schema):
    """A master on the stage with sets in its layers, from their sources. The shader of a sheet can show each strand."""

    shader: Shader
    height: HeightUse | None
    bent: bool
    values: dict[str, Value]
    pictures: list[StagePicture]
    opacity: OpacityView


class SheetTried(Schema):
    """A document as far as it holds: what is wrong with it, of which kind each name is, what it costs, what is odd about it,
    and how it looks."""

    problems: list[MasterProblem]
    kinds: dict[str, str]
    cost: MasterCost | None
    # The title of the target that the cost is said for.
    target: str
    findings: list[MasterFinding]
    surface: SheetSurface | None


class RowFigures(Schema):
    """The smallest and largest number that a strand holds over the flat tile, and its mean."""

    strand: str
    low: float
    high: float
    mean: float


class RowsTried(Schema):
    """What each strand holds over the flat tile, and a picture of them one below the other, each a square of `edge` pixels, as
    PNG in base64. Numbers outside 0 to 1 are shown between their own smallest and largest."""

    edge: int
    rows: list[RowFigures]
    picture: str


class GltfMaterial(Schema):
    """A material of a glTF file as a master to begin with, and what was left out of it, in words."""

    name: str
    document: dict[str, Any]
    left: list[str]


ANSWERS = {200: MasterView, 403: ErrorBody, 404: ErrorBody, 409: ErrorBody}


@router.post("/masters", response=ANSWERS, operation_id="make_master")
def make_master(request: HttpRequest, body: NewMaster) -> MasterView:
    """Make a master: it begins as a draft."""
    enter_library(request, drafts=True)
    document: Mapping[str, Any] = EMPTY
    base = ""
    if body.variant is not None:
        variant = _variant(request, body.variant)
        source = variant.version.document
        kept = {parameter.name: variant.values.get(parameter.name, parameter.default) for parameter in source.parameters}
        parameters = tuple(parameter.model_copy(update={"default": kept[parameter.name]}) for parameter in source.parameters)
        textures = tuple(
            texture.model_copy(update={"constant": variant.values[texture.name]}) if texture.name in variant.values else texture
            for texture in source.textures
        )
        document = source.model_copy(update={"parameters": parameters, "textures": textures}).model_dump(mode="json")
        base = f"the variant {variant.name}"
    elif body.document is not None:
        document, base = body.document, "a document"
    elif body.copy_of:
        name, _, number = body.copy_of.partition("@")
        version = version_of(find_document(MASTERS, request, name), number_in_address(number) if number else None)
        document, base = version.document.model_dump(mode="json"), f"{version.document.title} v{version.number}"
    return masters.view(request, MASTERS.make(body.title, document, request.user, base))


@router.post(
    "/sheets/gltf", response={200: list[GltfMaterial], 404: ErrorBody, 409: ErrorBody}, operation_id="read_gltf_materials"
)
@receives(LARGEST_GLTF, lambda request: enter_library(request))
def read_gltf_materials(request: HttpRequest, file: File[UploadedFile], name: Form[str]) -> list[GltfMaterial]:
    """The materials of a glTF file as masters to begin with. Nothing is kept of the file."""
    enter_library(request)
    shown = name.replace("\\", "/").rpartition("/")[2][:80] or "The file"
    if (file.size or 0) > LARGEST_GLTF:
        raise Refused(409, shown, f"is larger than {LARGEST_GLTF // 2**20} MB.", "Export its materials without the heavy meshes.")
    return [
        GltfMaterial(name=found.name, document=found.master.model_dump(mode="json"), left=list(found.left))
        for found in materials_of(file.read(), shown)
    ]


@router.get(
    "/projects/{slug}/masters/{name}/lit",
    operation_id="lit_master",
    openapi_extra=serves("image/png"),
    response={404: ErrorBody},
)
def lit_master(request: HttpRequest, slug: str, name: str) -> HttpResponse:
    """A master lit, with sets of a project in its layers: those with the most maps, one after the other."""
    project = enter(request, slug).project
    document = version_of(find_document(MASTERS, request, name)).document
    held = sorted(project.sets.all(), key=lambda texture_set: (-len(texture_set.ledger.rows), texture_set.name))
    worn = {holder: (held[at % len(held)], "") for at, holder in enumerate(document.holders)} if held else {}
    try:
        return kept_picture(request, stage.lit_dressed(worn, document, {}))
    except KeyError:
        raise not_found("The picture") from None


@router.get("/variants/{variant_id}/surface", response={200: SheetSurface, 404: ErrorBody}, operation_id="get_variant_surface")
def get_variant_surface(request: HttpRequest, variant_id: int) -> SheetSurface:
    """A variant on the stage, from the sources of its sets as they are now: to be looked at before anything is proved."""
    variant, access = enter_variant(request, variant_id)
    target = pins_of(access.project).seen(variant.set.target, access.looks_at)
    worn = worn_by(variant)
    maps = {name: stage.staged(held).maps(key) for name, (held, key) in worn.items()}
    checked = check_master(as_taken(variant.version.document, target))
    return _surface(checked, {name: held for name, (held, _) in worn.items()}, maps, variant.values, target, rows=False)


@router.post("/projects/{slug}/masters/try", response={200: SheetTried, 404: ErrorBody, 409: ErrorBody}, operation_id="try_sheet")
def try_sheet(request: HttpRequest, slug: str, body: SheetTry) -> SheetTried:
    """Try a master's document on sets of a project, as far as it holds. Nothing is kept."""
    project = enter(request, slug).project
    found = read_master(body.document)
    sets = _sets(project.sets, body.sets)
    checked = found.checked
    maps = {name: stage.staged(held).maps() for name, held in sets.items()}
    pins = pins_of(project)
    target = pins.of(project.target)
    # What it costs is said for the usual target, with every map that it asks for.
    bindings = bind(checked.master, target, one_set(checked.master, target.storages)) if checked else {}
    left_out = [key for keys in not_taken(checked.master, target).values() for key in keys] if checked else []
    made_for = MadeFor(project.rules.masters, list(pins.targets.values()), target.storages, left_out)
    return SheetTried(
        problems=list(found.problems),
        kinds=dict(found.kinds),
        cost=cost_of(checked, bindings, left_out, target.storages) if checked else None,
        target=target.title,
        findings=list(findings_of(checked, bindings, made_for)) if checked else [],
        surface=_surface(checked, sets, maps, body.values, target) if checked else None,
    )


@router.post(
    "/projects/{slug}/masters/rows", response={200: RowsTried, 404: ErrorBody, 409: ErrorBody}, operation_id="try_sheet_rows"
)
def try_rows(request: HttpRequest, slug: str, body: SheetTry) -> RowsTried:
    """What each strand of a document holds over a flat tile that is painted in stripes. Nothing is kept."""
    project = enter(request, slug).project
    found = read_master(body.document)
    if found.checked is None:
        raise found.problems[0].error
    check_values(found.checked.master, body.values)
    return _rows(found.checked, _sets(project.sets, body.sets), body.values)


def _variant(request: HttpRequest, number: int) -> SetVariant:
    mine = Membership.objects.filter(user=request.user).values("project")
    found = SetVariant.objects.filter(pk=number, project__in=mine).select_related("version__master", "set").first()
    if found is None:
        raise not_found("The variant")
    return found


def _sets(known: Any, asked: Mapping[str, int]) -> dict[str, TextureSet]:
    """The sets of a project that are asked for; those that were removed are left out."""
    found = {entry.pk: entry for entry in known.filter(pk__in=asked.values())}
    return {name: found[number] for name, number in asked.items() if number in found}


def _surface(
    checked: CheckedMaster,
    sets: Mapping[str, TextureSet],
    maps: Mapping[str, SetMaps],
    values: Mapping[str, Value],
    target: Any,
    *,
    rows: bool = True,
) -> SheetSurface:
    master = checked.master
    check_values(master, values)
    bindings = bind(master, STAGE_TARGET, maps)
    first = next(iter(maps), "")
    height = bound_property("height", STAGE_TARGET, maps[first]) if first else None
    height = height.model_copy(update={"holder": first}) if height else None
    used = {(bound.holder, bound.output) for bound in (*bindings.values(), height) if bound}
    opacity = opacity_of(target, {texture.property for texture in master.textures if bindings.get(texture.name)}, master)
    pictures = [
        picture.model_copy(update={"holder": name})
        for name, held in sets.items()
        for picture in pictures_of(held, stage.staged(held), opacity)
        if (name, picture.output) in used
    ]
    return SheetSurface(
        shader=shader_text(checked, bindings, values, rows=rows),
        height=height_text(height) if height else None,
        bent="normal" in master.surface,
        values={**{parameter.name: parameter.default for parameter in master.parameters}, **values},
        pictures=pictures,
        opacity=opacity,
    )


def _rows(checked: CheckedMaster, sets: Mapping[str, TextureSet], values: Mapping[str, Value]) -> RowsTried:
    taken = {name: stage.small_pictures(held) for name, held in sets.items()}
    master = checked.master
    maps = {name: entry.maps for name, entry in taken.items()}
    images = {name: entry.images for name, entry in taken.items()}
    uv = texel_centres(TILE, TILE)
    samplers = samplers_of(master, bind(master, STAGE_TARGET, maps), images, STAGE_TARGET)
    with np.errstate(all="ignore"):
        env = run_all(checked, values, samplers, uv, stripes(uv))
    rows, tiles = [], []
    for step in checked.steps:
        held = np.nan_to_num(np.asarray(env[step.strand.name], np.float32), posinf=1e6, neginf=-1e6)
        low, high, mean = float(held.min()), float(held.max()), float(held.mean())
        rows.append(RowFigures(strand=step.strand.name, low=low, high=high, mean=mean))
        tiles.append(_tile(held, step.gives, low, high))
    whole = np.concatenate(tiles) if tiles else np.zeros((1, TILE, 3), np.uint8)
    return RowsTried(edge=TILE, rows=rows, picture=base64.b64encode(png_bytes(whole)).decode())


def _tile(held: NDArray[np.float32], kind: ValueKind, low: float, high: float) -> Rows:
    """A strand's values as a small picture; numbers that leave 0 to 1 lie between their own smallest and largest."""
    width = WIDTHS.get(kind, 0)
    spread = np.broadcast_to(held, (TILE, TILE, width) if width else (TILE, TILE))
    parts = spread if width else spread[..., None]
    if kind == "direction":
        parts = parts * 0.5 + 0.5
    elif low < 0 or high > 1:
        parts = (parts - low) / max(high - low, 1e-6)
    if parts.shape[-1] == 2:
        parts = np.concatenate([parts, np.zeros_like(parts[..., :1])], -1)
    shown = np.repeat(parts, 3, -1) if parts.shape[-1] == 1 else parts[..., :3]
    if kind == "colour":
        shown = from_linear(np.clip(shown, 0, 1))
    return (np.clip(shown, 0, 1) * 255 + 0.5).astype(np.uint8)


add_drafting(router, MASTERS, (MasterView, masters.view), (MasterDraftView, masters.draft_view))
