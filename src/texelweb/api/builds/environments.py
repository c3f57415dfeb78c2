"""What lights the stage: environments that ship, those of the studio, and how each person likes the stage."""

from __future__ import annotations

import hashlib
import tempfile
from functools import cache
from pathlib import Path
from typing import Annotated, Literal

from django.core.files.storage import default_storage
from django.http import FileResponse, HttpRequest, HttpResponse
from django.http.response import HttpResponseBase
from ninja import Field, File, Form, Router, Schema, Status, UploadedFile
from pydantic import ValidationError

from texelcore.lighting.cubes import shipped_bytes
from texelcore.lighting.environments import ENVIRONMENTS
from texelweb.accounts.receiving import receives
from texelweb.api.documenting import serves
from texelweb.api.schemas import ErrorBody
from texelweb.projects.models import Membership, Role
from texelweb.refusals import Refused, not_found
from texelweb.storage.blobs import keep, keeping
from texelweb.storage.guard import Guard
from texelweb.studio.models import StageLiking, StudioEnvironment

router = Router(tags=["stage"])
SECONDS_KEPT = 30 * 24 * 3600
# A Radiance picture of 16384 × 8192 texels that could not be packed at all.
LARGEST = 512 * 1024**2
MOST, LONGEST = 60, 80
OWN = "studio-"


class KeyLightView(Schema):
    """Where an environment's key light comes from, and what a white surface that faces it sends back."""

    towards: tuple[float, float, float]
    colour: tuple[float, float, float]


class EnvironmentView(Schema):
    """An environment of the stage: its words, where its light lies, and its key light. What ships is a prefiltered cube; what the
    studio brought is a `panorama` of so many texels, which browsers prefilter. `removable` says whether the asking person may
    remove it."""

    name: str
    title: str
    summary: str
    kind: Literal["cube", "panorama"]
    url: str
    width: int
    height: int
    key: KeyLightView | None
    removable: bool


def _finite(low: float, high: float) -> object:
    return Field(ge=low, le=high, allow_inf_nan=False)


class StageLikingBody(Schema):
    """How somebody likes the stage: turns in degrees, speed in degrees a second, exposure in stops, density in texels a metre,
    depth as a share of a picture's width and mid as the height that stays where it is."""

    shape: Literal["sphere", "plane", "cube", "cloth", "corner", "ground"]
    environment: Annotated[str, Field(max_length=LONGEST)]
    light: Annotated[float, _finite(-360, 360)]
    object: Annotated[float, _finite(-360, 360)]
    speed: Annotated[float, _finite(5, 180)]
    exposure: Annotated[float, _finite(-6, 6)]
    toned: bool
    behind: Literal["well", "squares", "environment", "blurred environment"]
    field: Annotated[float, _finite(10, 80)]
    density: Annotated[float, _finite(1, 65536)]
    relief: Literal["flat", "parallax", "displaced"]
    depth: Annotated[float, _finite(0, 0.5)]
    mid: Annotated[float, _finite(0, 1)]


@router.get("/environments", response=list[EnvironmentView], operation_id="list_environments")
def list_environments(request: HttpRequest) -> list[EnvironmentView]:
    """The environments that light the stage: those that ship, then the studio's own."""
    shipped = [
        EnvironmentView(
            name=environment.name,
            title=environment.title,
            summary=environment.summary,
            kind="cube",
            url=f"/api/environments/{environment.name}?v={_stamp(environment.name)}",
            width=0,
            height=0,
            key=KeyLightView(towards=environment.key.towards, colour=environment.key.colour) if environment.key else None,
            removable=False,
        )
        for environment in ENVIRONMENTS
    ]
    own = StudioEnvironment.objects.select_related("by").order_by("name", "pk")
    return shipped + [_view(entry, request) for entry in own]


def _enter_with_light(request: HttpRequest) -> None:
    """Refuse whoever is an artist nowhere."""
    works = Membership.objects.filter(user=request.user, role__in=(Role.ARTIST, Role.LEAD)).exists()
    if not (works or request.user.is_staff) or getattr(request, "access_token", None):
        way_out = "Ask an artist to bring it: it is there for all then."
        raise Refused(403, "You", "are a guest and bring no environments.", way_out)


@router.post(
    "/environments",
    response={200: EnvironmentView, 403: ErrorBody, 409: ErrorBody},
    operation_id="put_environment",
)
@receives(LARGEST, _enter_with_light)
def put_environment(request: HttpRequest, file: File[UploadedFile], name: Form[str]) -> EnvironmentView:
    """Bring an .hdr or .exr picture of everything around into the studio. It takes the role artist in some project."""
    _enter_with_light(request)
    shown = name.rpartition("/")[2][-LONGEST:] or "The environment"
    if (file.size or 0) > LARGEST:
        raise Refused(409, shown, "is larger than 512 MB.", "Scale it down: 1024 × 512 texels are what is kept.")
    with tempfile.NamedTemporaryFile(prefix="fairtexel-", suffix=Path(shown).suffix[:8]) as copy:
        for chunk in file.chunks():
            copy.write(chunk)
        copy.flush()
        with Guard() as guard:
            width, height, body = guard.panorama(Path(copy.name), shown)
    digest = hashlib.sha256(body).hexdigest()
    known = StudioEnvironment.objects.filter(blob=digest).first()
    if known is None:
        if StudioEnvironment.objects.count() >= MOST:
            raise Refused(409, shown, f"would be one environment too many: {MOST} are kept.", "Remove one first.")
        with tempfile.NamedTemporaryFile(prefix="fairtexel-") as light, keeping():
            light.write(body)
            light.flush()
            blob = keep(Path(light.name), digest)
            values = {"name": Path(shown).stem, "width": width, "height": height, "by": request.user}
            known, _ = StudioEnvironment.objects.get_or_create(blob=blob, defaults=values)
    return _view(known, request)


@router.get(
    "/environments/{name}",
    operation_id="get_environment",
    openapi_extra=serves("application/octet-stream"),
    response={404: ErrorBody},
)
def get_environment(request: HttpRequest, name: str) -> HttpResponseBase:
    """An environment's light: gzipped texels, as `texelcore.lighting.cubes` and `texelcore.lighting.panorama` describe them."""
    answer: HttpResponseBase
    if name in {environment.name for environment in ENVIRONMENTS}:
        answer = HttpResponse(shipped_bytes(name), content_type="application/octet-stream")
    else:
        answer = FileResponse(default_storage.open(_own(name).blob.place), content_type="application/octet-stream")
    answer["Cache-Control"] = f"private, max-age={SECONDS_KEPT}, immutable"
    return answer


@router.delete("/environments/{name}", response={204: None, 403: ErrorBody, 404: ErrorBody}, operation_id="remove_environment")
def remove_environment(request: HttpRequest, name: str) -> Status[None]:
    """Remove an environment of the studio: whoever brought it, or a studio lead."""
    found = _own(name)
    if not _removable(found, request):
        raise Refused(403, found.name, "was brought by somebody else.", "Ask them, or a studio lead.")
    found.delete()
    return Status(204, None)


@router.get("/account/stage", response={200: StageLikingBody | None}, operation_id="get_stage_liking")
def get_stage_liking(request: HttpRequest) -> StageLikingBody | None:
    """How the asking person likes the stage; null where they never said."""
    kept = StageLiking.objects.filter(user=request.user).first()
    if kept is None:
        return None
    try:
        return StageLikingBody.model_validate(kept.liking_json)
    except ValidationError:
        # It was kept by an older version, which liked otherwise: the browser's own is as good.
        return None


@router.put("/account/stage", response={204: None}, operation_id="keep_stage_liking")
def keep_stage_liking(request: HttpRequest, body: StageLikingBody) -> Status[None]:
    """Keep how the asking person likes the stage."""
    StageLiking.objects.update_or_create(user=request.user, defaults={"liking_json": body.model_dump()})
    return Status(204, None)


def _own(name: str) -> StudioEnvironment:
    number = name.removeprefix(OWN)
    if not (name.startswith(OWN) and number.isascii() and number.isdigit() and len(number) < 18):
        raise not_found("The environment")
    found = StudioEnvironment.objects.select_related("blob").filter(pk=int(number)).first()
    if found is None:
        raise not_found("The environment")
    return found


def _removable(environment: StudioEnvironment, request: HttpRequest) -> bool:
    if getattr(request, "access_token", None):
        return False
    return bool(request.user.is_staff or environment.by_id == request.user.pk)


def _view(environment: StudioEnvironment, request: HttpRequest) -> EnvironmentView:
    by = f"Brought by {environment.by.get_username()}" if environment.by else "Of the studio"
    return EnvironmentView(
        name=f"{OWN}{environment.pk}",
        title=environment.name,
        summary=f"{by}, {environment.width} × {environment.height} texels as it is kept.",
        kind="panorama",
        url=f"/api/environments/{OWN}{environment.pk}?v={environment.blob_id[:12]}",
        width=environment.width,
        height=environment.height,
        key=None,
        removable=_removable(environment, request),
    )


@cache
def _stamp(name: str) -> str:
    return hashlib.sha256(shipped_bytes(name)).hexdigest()[:12]
