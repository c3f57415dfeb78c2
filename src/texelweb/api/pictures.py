"""Pictures for the well, of source files and of outputs."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Literal, NamedTuple

from django.http import HttpRequest, HttpResponse, HttpResponseNotModified
from ninja import Router

from texelweb.api.builds import enter_output
from texelweb.api.errors import not_found
from texelweb.api.files import enter_file
from texelweb.api.schemas import ErrorBody
from texelweb.storage.pictures import tile_picture, whole_picture

router = Router(tags=["pictures"])
View = Literal["RGB", "R", "G", "B", "A"]
Size = Literal["small", "whole"]


class Stored(NamedTuple):
    """Bytes that may be shown to the asking user. The suffix matters for TGA alone, which has no magic number."""

    sha256: str
    suffix: str


@router.get("/files/{file_id}/picture", operation_id="file_picture", response={404: ErrorBody})
def file_picture(
    request: HttpRequest, file_id: int, view: View = "RGB", size: Size = "whole", revision: int | None = None
) -> HttpResponse:
    """A source file whole, as a PNG; with `revision`, as it was then."""
    stored = _source(request, file_id, revision)
    return _answer(request, stored, f"{view}-{size}", lambda: whole_picture(*stored, view, size))


@router.get("/files/{file_id}/tile", operation_id="file_tile", response={404: ErrorBody})
def file_tile(request: HttpRequest, file_id: int, column: int, row: int, view: View = "RGB") -> HttpResponse:
    """One 512² tile of a source file at 100 %, as a PNG."""
    stored = _source(request, file_id)
    return _answer(request, stored, f"{view}-{column}-{row}", lambda: tile_picture(*stored, view, column, row))


@router.get("/outputs/{output_id}/picture", operation_id="output_picture", response={404: ErrorBody})
def output_picture(request: HttpRequest, output_id: int, view: View = "RGB", size: Size = "whole") -> HttpResponse:
    """An output whole, as a PNG."""
    stored = _output(request, output_id)
    return _answer(request, stored, f"{view}-{size}", lambda: whole_picture(*stored, view, size))


@router.get("/outputs/{output_id}/tile", operation_id="output_tile", response={404: ErrorBody})
def output_tile(request: HttpRequest, output_id: int, column: int, row: int, view: View = "RGB") -> HttpResponse:
    """One 512² tile of an output at 100 %, as a PNG."""
    stored = _output(request, output_id)
    return _answer(request, stored, f"{view}-{column}-{row}", lambda: tile_picture(*stored, view, column, row))


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
    """A PNG that browsers keep and ask about: what it shows is fixed by hash, view and part."""
    tag = f'"{stored.sha256[:24]}-{part}"'
    if request.headers.get("If-None-Match") == tag:
        return HttpResponseNotModified()
    try:
        body = make()
    except KeyError:
        raise not_found("The channel or tile") from None
    answer = HttpResponse(body, content_type="image/png")
    answer["ETag"] = tag
    answer["Cache-Control"] = "private, no-cache"
    return answer
