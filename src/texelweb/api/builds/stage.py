"""Sets on the stage: from their sources, now or as they were, or as they are built for a target; and lit in lists."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal
from urllib.parse import urlencode

from django.http import HttpRequest, HttpResponse
from ninja import Field, Router, Schema

from texelcore.building.plan import given
from texelcore.materials.dressing.binding import SetMaps, bind_alone, bound_property
from texelcore.materials.dressing.stage import LEVELLED, STAGE_TARGET, look_stamp
from texelcore.materials.shader import HeightUse, Shader, height_text, shader_text
from texelcore.materials.sheets.document import ONE_LAYER, Value
from texelcore.materials.sheets.masters import shipped_masters
from texelcore.materials.sheets.typing import check_master
from texelcore.surface.properties import PROPERTIES
from texelcore.targets.document import Target
from texelweb.api.documenting import serves
from texelweb.api.masters.variants import OpacityView, opacity_of
from texelweb.api.schemas import ErrorBody
from texelweb.api.sets.pictures import kept_picture
from texelweb.api.sets.sets import enter_set
from texelweb.builds import stage
from texelweb.builds.planning import maps_of, state_of
from texelweb.library.pins import pins_of
from texelweb.refusals import not_found
from texelweb.sets.changing.history import moments_of
from texelweb.sets.models import TextureSet

router = Router(tags=["stage"])
# What lights a set that nobody has dressed.
USUAL_MASTER = "solid-surface"


class StagePicture(Schema):
    """A texture that the stage loads, for the layer or free texture that holds it: blocks of an output, or a picture made of
    sources. `srgb` says how it is decoded."""

    holder: str = ONE_LAYER
    output: str
    kind: Literal["blocks", "picture"]
    url: str
    srgb: bool
    width: int
    height: int


class SurfaceView(Schema):
    """A set on the stage: the shader of the usual master with its textures, its opacity, and the properties that have no map.
    `height` reads its height, where it has one; `bent` says whether it has a normal of its own."""

    set: int
    name: str
    seen: Literal["sources", "built"]
    target: str
    shader: Shader
    height: HeightUse | None
    bent: bool
    values: dict[str, Value]
    pictures: list[StagePicture]
    # False of a set that is to be seen as built and is not proved as it is now: there are no pictures then.
    ready: bool
    opacity: OpacityView
    missing: list[str]


class MomentView(Schema):
    """A set became what it was from `at` on: what was done, and by whom."""

    at: datetime
    what: str
    by: str


@router.get("/sets/{set_id}/moments", response={200: list[MomentView], 404: ErrorBody}, operation_id="list_moments")
def list_moments(request: HttpRequest, set_id: int) -> list[MomentView]:
    """When a set's ledger or one of its files became another, newest first."""
    texture_set, _ = enter_set(request, set_id)
    return [MomentView(at=entry.at, what=entry.what, by=entry.by) for entry in moments_of(texture_set)]


@router.get("/sets/{set_id}/surface", response={200: SurfaceView, 404: ErrorBody}, operation_id="get_surface")
def get_surface(
    request: HttpRequest,
    set_id: int,
    seen: Literal["sources", "built"] = "sources",
    at: datetime | None = None,
    target: str = "",
) -> SurfaceView:
    """A set on the stage: as its sources say, or as its proved outputs for a target have it, the one that is looked at where
    none is named; with `at`, as its sources said then."""
    texture_set, access = enter_set(request, set_id)
    pinned = pins_of(access.project).seen(texture_set.target, target or access.looks_at)
    if seen == "built":
        state = state_of(texture_set, pinned)
        pictures = [
            StagePicture(
                output=key,
                kind="blocks",
                url=f"/api/sets/{set_id}/proofs/{key}/dds?v={proof.blob_id[:12]}&target={pinned.name}",
                srgb=proof.figures.storage.srgb,
                width=proof.figures.width,
                height=proof.figures.height,
            )
            for key, proof in (state.proofs.items() if state.proved else ())
        ]
        return _surface(texture_set, seen, pinned, pinned, maps_of(state), pictures)
    staged = _staged(texture_set, at)
    pictures = pictures_of(texture_set, staged, opacity_of(pinned, given(staged.planned)), at)
    view = _surface(texture_set, seen, STAGE_TARGET, pinned, staged.maps(), pictures)
    view.missing = [PROPERTIES[key].title for key in staged.missed]
    return view


@router.get(
    "/sets/{set_id}/surface/{part}", operation_id="stage_picture", openapi_extra=serves("image/png"), response={404: ErrorBody}
)
def stage_picture(
    request: HttpRequest,
    set_id: int,
    part: str,
    at: datetime | None = None,
    cut: Annotated[float | None, Field(ge=0, le=1, allow_inf_nan=False)] = None,
) -> HttpResponse:
    """One picture of a set's surface, made of its sources: base colour, normal, …, at most 2048 texels wide. Opacity and height
    come as DDS with their levels; `cut` says where opacity is cut."""
    texture_set, _ = enter_set(request, set_id)
    kind = "image/vnd-ms.dds" if part in LEVELLED else "image/png"
    try:
        return kept_picture(request, stage.stage_picture(_staged(texture_set, at), part, cut), kind)
    except KeyError:
        raise not_found("The picture") from None


def _staged(texture_set: TextureSet, at: datetime | None) -> stage.Staged:
    try:
        return stage.staged(texture_set, at=at)
    except KeyError:
        raise not_found("The moment") from None


def pictures_of(
    texture_set: TextureSet, staged: stage.Staged, opacity: OpacityView, at: datetime | None = None
) -> list[StagePicture]:
    """What the stage loads of a set's sources, of a moment with `at`."""
    stamp = look_stamp(staged.ledger, staged.files)
    return [
        StagePicture(
            output=planned.key,
            kind="blocks" if planned.key in LEVELLED else "picture",
            url=_address(texture_set.pk, planned.key, stamp, at, opacity),
            srgb=planned.storage.srgb,
            width=planned.width,
            height=planned.height,
        )
        for planned in staged.planned
    ]


def _address(set_id: int, key: str, stamp: str, at: datetime | None, opacity: OpacityView) -> str:
    words = {"v": stamp}
    if at is not None:
        words["at"] = at.isoformat()
    if key == "opacity" and opacity.mode == "cut-out":
        words["cut"] = f"{opacity.threshold:g}"
    return f"/api/sets/{set_id}/surface/{key}?{urlencode(words)}"


@router.get("/sets/{set_id}/lit", operation_id="lit_set", openapi_extra=serves("image/png"), response={404: ErrorBody})
def lit_set(request: HttpRequest, set_id: int, size: Literal["small", "large", "whole"] = "small") -> HttpResponse:
    """A set lit: on a sphere where it is solid, on a tile where it can be looked through; 128, 256 or 384 pixels wide."""
    texture_set, _ = enter_set(request, set_id)
    try:
        return kept_picture(request, stage.lit_set(texture_set, stage.LIT_EDGE * {"small": 1, "large": 2, "whole": 3}[size]))
    except KeyError:
        raise not_found("The picture") from None


def _surface(
    texture_set: TextureSet,
    seen: Literal["sources", "built"],
    layout: Target,
    target: Target,
    maps: SetMaps,
    pictures: list[StagePicture],
) -> SurfaceView:
    master = shipped_masters()[USUAL_MASTER]
    bindings = bind_alone(master, layout, maps, texture_set.ledger.surface)
    height = bound_property("height", layout, maps)
    if height:
        height = height.model_copy(update={"holder": ONE_LAYER})
    used = {bound.output for bound in (*bindings.values(), height) if bound}
    return SurfaceView(
        set=texture_set.pk,
        name=texture_set.name,
        seen=seen,
        target=target.title,
        shader=shader_text(check_master(master), bindings),
        height=height_text(height) if height else None,
        bent=bound_property("normal", layout, maps) is not None,
        values={parameter.name: parameter.default for parameter in master.parameters},
        pictures=[picture for picture in pictures if picture.output in used],
        ready=seen == "sources" or bool(pictures),
        opacity=opacity_of(target, maps.present or ()),
        missing=[],
    )
