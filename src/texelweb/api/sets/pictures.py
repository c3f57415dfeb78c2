"""Pictures for the well, of source files and of outputs."""

from __future__ import annotations

import hashlib
import math
from collections.abc import Callable
from pathlib import Path
from typing import Literal, NamedTuple

from django.http import HttpRequest, HttpResponse, HttpResponseNotModified
from ninja import Field, Query, Router, Schema

from texelcore.building.explain import rows_of_output, texel_words
from texelcore.evidence.pictures import PictureKind
from texelcore.pixels.image import SAMPLE_DTYPES, Sample
from texelcore.pixels.values import top_of
from texelcore.surface.files import ChannelName
from texelcore.surface.ledger import Row
from texelcore.targets.helpers import with_masks
from texelweb.api.builds.builds import enter_output
from texelweb.api.documenting import serves
from texelweb.api.schemas import ErrorBody
from texelweb.api.sets.files import enter_file
from texelweb.refusals import not_found
from texelweb.storage.pictures import evidence_picture, histogram, stored_texel, tile_picture, whole_picture

router = Router(tags=["pictures"])
View = Literal["RGB", "R", "G", "B", "A"]
Size = Literal["small", "whole"]


class Texel(Schema):
    """One texel: its stored values by channel (null for what is no number), the same as shares of the full range of its sample
    type (0–1; floats as they are), and what they mean in the canonical surface, where that is known."""

    x: int
    y: int
    stored: dict[str, float | None]
    shares: dict[str, float | None]
    means: str


class Tile(Schema):
    """Which tile: its place, view and level. `stops` exposes it, in halves."""

    column: int
    row: int
    view: View = "RGB"
    level: int = 0
    stops: float = Field(0.0, ge=-8, le=8, multiple_of=0.5)


SECONDS_KEPT = 3600
COUNTS = {200: dict[str, list[int]], 404: ErrorBody}


class Stored(NamedTuple):
    """Bytes that may be shown to the asking user. The suffix matters for TGA alone, which has no magic number."""

    sha256: str
    suffix: str


@router.get("/files/{file_id}/picture", operation_id="file_picture", openapi_extra=serves("image/png"), response={404: ErrorBody})
def file_picture(
    request: HttpRequest, file_id: int, view: View = "RGB", size: Size = "whole", revision: int | None = None
) -> HttpResponse:
    """A source file whole, as a PNG; with `revision`, as it was then."""
    stored = _source(request, file_id, revision)
    return _answer(request, stored, f"{view}-{size}", lambda: whole_picture(*stored, view, size))


@router.get("/files/{file_id}/tile", operation_id="file_tile", openapi_extra=serves("image/png"), response={404: ErrorBody})
def file_tile(request: HttpRequest, file_id: int, tile: Query[Tile]) -> HttpResponse:
    """One 512² tile of a source file as a PNG: at 100 %, or at a level of means of 2 × 2, 4 × 4, …"""
    return _tile(request, _source(request, file_id), tile)


@router.get("/files/{file_id}/texel", operation_id="file_texel", response={200: Texel, 404: ErrorBody})
def file_texel(request: HttpRequest, file_id: int, x: int, y: int) -> Texel:
    """One texel of a source file, as stored and as what it means."""
    file, _ = enter_file(request, file_id)
    rows = [row for row in file.set.ledger.parts() if row.file == str(file_id)] if file.set else []
    return _texel(_source(request, file_id), x, y, file.facts.sample, rows)


@router.get("/files/{file_id}/histogram", operation_id="file_histogram", response=COUNTS)
def file_histogram(request: HttpRequest, file_id: int) -> dict[str, list[int]]:
    """A source file's histogram in 256 steps by channel."""
    return histogram(*_source(request, file_id))


@router.get(
    "/files/{file_id}/evidence/{kind}", operation_id="file_evidence", openapi_extra=serves("image/png"), response={404: ErrorBody}
)
def file_evidence(request: HttpRequest, file_id: int, kind: PictureKind, channel: ChannelName | None = None) -> HttpResponse:
    """The picture behind a figure that was measured on a source file; of one channel where that matters."""
    stored = _source(request, file_id)
    return _answer(request, stored, f"evidence-{kind}-{channel or ''}", lambda: evidence_picture(*stored, kind, channel))


@router.get(
    "/outputs/{output_id}/picture", operation_id="output_picture", openapi_extra=serves("image/png"), response={404: ErrorBody}
)
def output_picture(request: HttpRequest, output_id: int, view: View = "RGB", size: Size = "whole") -> HttpResponse:
    """An output whole, as a PNG."""
    stored = _output(request, output_id)
    return _answer(request, stored, f"{view}-{size}", lambda: whole_picture(*stored, view, size))


@router.get("/outputs/{output_id}/tile", operation_id="output_tile", openapi_extra=serves("image/png"), response={404: ErrorBody})
def output_tile(request: HttpRequest, output_id: int, tile: Query[Tile]) -> HttpResponse:
    """One 512² tile of an output as a PNG: at 100 %, or at a level of means of 2 × 2, 4 × 4, …"""
    return _tile(request, _output(request, output_id), tile)


@router.get("/outputs/{output_id}/texel", operation_id="output_texel", response={200: Texel, 404: ErrorBody})
def output_texel(request: HttpRequest, output_id: int, x: int, y: int) -> Texel:
    """One texel of an output, as stored and as what it means to its target."""
    output = enter_output(request, output_id)
    ledger = output.build.set.ledger
    target = with_masks(output.build.target, {row.property for row in ledger.rows})
    rows = rows_of_output(target, output.key, output.channels)
    return _texel(_output(request, output_id), x, y, output.sample, rows)


@router.get(
    "/outputs/{output_id}/histogram", operation_id="output_histogram", response={200: dict[str, list[int]], 404: ErrorBody}
)
def output_histogram(request: HttpRequest, output_id: int) -> dict[str, list[int]]:
    """An output's histogram in 256 steps by channel."""
    return histogram(*_output(request, output_id))


def _texel(stored: Stored, x: int, y: int, sample: Sample, rows: list[Row]) -> Texel:
    try:
        values = stored_texel(*stored, x, y)
    except KeyError:
        raise not_found("The texel") from None
    numbers = {name: value for name, value in values.items() if math.isfinite(value)}
    top = top_of(SAMPLE_DTYPES[sample])
    return Texel(
        x=x,
        y=y,
        stored={name: numbers.get(name) for name in values},
        shares={name: numbers[name] / top if name in numbers else None for name in values},
        means=texel_words(numbers, sample, rows),
    )


def _tile(request: HttpRequest, stored: Stored, tile: Tile) -> HttpResponse:
    part = f"{tile.view}-{tile.level}-{tile.column}-{tile.row}-{tile.stops:g}"
    return _answer(
        request,
        stored,
        part,
        lambda: tile_picture(*stored, tile.view, tile.column, tile.row, tile.level, tile.stops),
    )


def _source(request: HttpRequest, file_id: int, revision: int | None = None) -> Stored:
    file, _ = enter_file(request, file_id)
    if revision is not None:
        older = file.revisions.filter(number=revision).first()
        if older is None:
            raise not_found("The revision")
        return Stored(older.blob_id, ".tga" if older.facts_json["format"] == "tga" else "")
    return Stored(file.blob_id, ".tga" if file.facts.format == "tga" else "")


def _output(request: HttpRequest, output_id: int) -> Stored:
    output = enter_output(request, output_id)
    suffix = Path(output.file_name).suffix
    return Stored(output.blob_id, suffix if suffix == ".tga" else "")


def _answer(request: HttpRequest, stored: Stored, part: str, make: Callable[[], bytes]) -> HttpResponse:
    """A PNG that browsers keep: what it shows is fixed by hash, view and part.

    An address that names its stamp (`v`) shows the same for good; any other is asked about each time.
    """
    tag = f'"{stored.sha256[:24]}-{part}"'
    if request.headers.get("If-None-Match") == tag:
        return HttpResponseNotModified()
    try:
        body = make()
    except KeyError:
        raise not_found("The channel or tile") from None
    answer = HttpResponse(body, content_type="image/png")
    answer["ETag"] = tag
    answer["Cache-Control"] = f"private, max-age={SECONDS_KEPT}" if request.GET.get("v") else "private, no-cache"
    return answer


def kept_picture(request: HttpRequest, body: bytes, kind: str = "image/png") -> HttpResponse:
    """A picture that browsers keep for long where its address names its stamp (`v`), and ask about each time otherwise."""
    tag = f'"{hashlib.sha256(body).hexdigest()[:24]}"'
    if request.headers.get("If-None-Match") == tag:
        return HttpResponseNotModified()
    answer = HttpResponse(body, content_type=kind)
    answer["ETag"] = tag
    answer["Cache-Control"] = f"private, max-age={30 * 24 * SECONDS_KEPT}" if request.GET.get("v") else "private, no-cache"
    return answer
