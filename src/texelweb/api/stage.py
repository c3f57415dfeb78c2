"""The stage: environments, and sets as it shows them, from their sources or as they are built for a target."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping
from functools import cache
from typing import Literal

from django.http import HttpRequest, HttpResponse
from ninja import Router, Schema

from texelcore.lighting.cubes import shipped_bytes
from texelcore.lighting.environments import ENVIRONMENTS
from texelcore.materials.binding import bind
from texelcore.materials.document import Value
from texelcore.materials.masters import shipped_masters
from texelcore.materials.shader import Shader, shader_text
from texelcore.materials.stage import STAGE_TARGET, look_stamp, missed
from texelcore.materials.typing import check_master
from texelcore.surface.properties import PROPERTIES
from texelcore.surface.storage import Storage
from texelcore.targets.document import Target
from texelweb.api.documenting import serves
from texelweb.api.pictures import kept_picture
from texelweb.api.schemas import ErrorBody
from texelweb.api.sets import enter_set
from texelweb.api.variants import OpacityView, opacity_of
from texelweb.builds import stage
from texelweb.builds.planning import state_of
from texelweb.library.pins import pins_of
from texelweb.refusals import not_found
from texelweb.sets.models import TextureSet

router = Router(tags=["stage"])
# What lights a set that nobody has dressed.
USUAL_MASTER = "solid-surface"
SECONDS_KEPT = 30 * 24 * 3600


class KeyLightView(Schema):
    """Where an environment's key light comes from, and what a white surface that faces it sends back."""

    towards: tuple[float, float, float]
    colour: tuple[float, float, float]


class EnvironmentView(Schema):
    """An environment of the stage: its words, where its prefiltered cube lies, and its key light."""

    name: str
    title: str
    summary: str
    url: str
    key: KeyLightView | None


class StagePicture(Schema):
    """A texture that the stage loads: blocks of an output, or a picture made of sources. `srgb` says how it is decoded."""

    output: str
    kind: Literal["blocks", "picture"]
    url: str
    srgb: bool
    width: int
    height: int


class SurfaceView(Schema):
    """A set on the stage: the shader of the usual master with its textures, its opacity, and the properties that have no map."""

    set: int
    name: str
    seen: Literal["sources", "built"]
    target: str
    shader: Shader
    values: dict[str, Value]
    pictures: list[StagePicture]
    # False of a set that is to be seen as built and is not proved as it is now: there are no pictures then.
    ready: bool
    opacity: OpacityView
    missing: list[str]


@router.get("/environments", response=list[EnvironmentView], operation_id="list_environments")
def list_environments(request: HttpRequest) -> list[EnvironmentView]:
    """The environments that light the stage."""
    return [
        EnvironmentView(
            name=entry.name,
            title=entry.title,
            summary=entry.summary,
            url=f"/api/environments/{entry.name}?v={_stamp(entry.name)}",
            key=KeyLightView(towards=entry.key.towards, colour=entry.key.colour) if entry.key else None,
        )
        for entry in ENVIRONMENTS
    ]


@router.get(
    "/environments/{name}",
    operation_id="get_environment",
    openapi_extra=serves("application/octet-stream"),
    response={404: ErrorBody},
)
def get_environment(request: HttpRequest, name: str) -> HttpResponse:
    """An environment's prefiltered cube: gzipped texels, as `texelcore.lighting.cubes` describes them."""
    if name not in {entry.name for entry in ENVIRONMENTS}:
        raise not_found("The environment")
    answer = HttpResponse(shipped_bytes(name), content_type="application/octet-stream")
    answer["Cache-Control"] = f"private, max-age={SECONDS_KEPT}, immutable"
    return answer


@router.get("/sets/{set_id}/surface", response={200: SurfaceView, 404: ErrorBody}, operation_id="get_surface")
def get_surface(request: HttpRequest, set_id: int, seen: Literal["sources", "built"] = "sources") -> SurfaceView:
    """A set on the stage: as its sources say, or as its proved outputs for the target that is looked at have it."""
    texture_set, access = enter_set(request, set_id)
    target = pins_of(access.project).seen(texture_set.target, access.looks_at)
    if seen == "built":
        state = state_of(texture_set, target)
        storages = {planned.key: planned.storage for planned in state.plan.outputs}
        pictures = [
            StagePicture(
                output=key,
                kind="blocks",
                url=f"/api/sets/{set_id}/proofs/{key}/dds?v={proof.blob_id[:12]}&target={target.name}",
                srgb=proof.figures.storage.srgb,
                width=proof.figures.width,
                height=proof.figures.height,
            )
            for key, proof in (state.proofs.items() if state.proved else ())
        ]
        return _surface(texture_set, seen, target, target, storages, state.provides(), pictures)
    staged = stage.staged(texture_set)
    stamp = look_stamp(staged.ledger, staged.files)
    pictures = [
        StagePicture(
            output=planned.key,
            kind="picture",
            url=f"/api/sets/{set_id}/surface/{planned.key}?v={stamp}",
            srgb=planned.storage.srgb,
            width=planned.width,
            height=planned.height,
        )
        for planned in staged.planned
    ]
    storages = {planned.key: planned.storage for planned in staged.planned}
    present = {entry.property for planned in staged.planned for entry in planned.channels if not entry.fills}
    view = _surface(texture_set, seen, STAGE_TARGET, target, storages, present, pictures)
    view.missing = [PROPERTIES[key].title for key in missed(staged.planned)]
    return view


@router.get(
    "/sets/{set_id}/surface/{part}", operation_id="stage_picture", openapi_extra=serves("image/png"), response={404: ErrorBody}
)
def stage_picture(request: HttpRequest, set_id: int, part: str) -> HttpResponse:
    """One picture of a set's surface, made of its sources: base colour, normal, …, at most 2048 texels wide."""
    texture_set, _ = enter_set(request, set_id)
    try:
        return kept_picture(request, stage.stage_picture(texture_set, part))
    except KeyError:
        raise not_found("The picture") from None


@router.get("/sets/{set_id}/lit", operation_id="lit_set", openapi_extra=serves("image/png"), response={404: ErrorBody})
def lit_set(request: HttpRequest, set_id: int, size: Literal["small", "large"] = "small") -> HttpResponse:
    """A set lit: on a sphere where it is solid, on a tile where it can be looked through; 128 pixels wide, or 256."""
    texture_set, _ = enter_set(request, set_id)
    try:
        return kept_picture(request, stage.lit_set(texture_set, stage.LIT_EDGE * (2 if size == "large" else 1)))
    except KeyError:
        raise not_found("The picture") from None


def _surface(
    texture_set: TextureSet,
    seen: Literal["sources", "built"],
    layout: Target,
    target: Target,
    storages: Mapping[str, Storage],
    present: set[str],
    pictures: list[StagePicture],
) -> SurfaceView:
    master = shipped_masters()[USUAL_MASTER]
    bindings = bind(master, layout, storages, present)
    used = {bound.output for bound in bindings.values() if bound}
    return SurfaceView(
        set=texture_set.pk,
        name=texture_set.name,
        seen=seen,
        target=target.title,
        shader=shader_text(check_master(master), bindings),
        values={entry.name: entry.default for entry in master.parameters},
        pictures=[entry for entry in pictures if entry.output in used],
        ready=seen == "sources" or bool(pictures),
        opacity=opacity_of(target, present),
        missing=[],
    )


@cache
def _stamp(name: str) -> str:
    return hashlib.sha256(shipped_bytes(name)).hexdigest()[:12]
