"""Pictures for the well, of source files and of outputs."""

from __future__ import annotations

from pathlib import Path
from typing import Literal

from django.http import HttpRequest, HttpResponse, HttpResponseNotModified
from ninja import Router

from texelweb.accounts.access import enter
from texelweb.api.builds import enter_output
from texelweb.api.errors import not_found
from texelweb.api.schemas import ErrorBody
from texelweb.builds.pictures import tile_picture, whole_picture
from texelweb.sets.models import SourceFile

router = Router(tags=["pictures"])
View = Literal["RGB", "R", "G", "B", "A"]
Size = Literal["small", "whole"]
EDGES: dict[str, int] = {"small": 96, "whole": 1024}
_SUFFIX = {"tga": ".tga"}


@router.get("/files/{file_id}/picture", operation_id="file_picture", response={404: ErrorBody})
def file_picture(request: HttpRequest, file_id: int, view: View = "RGB", size: Size = "whole") -> HttpResponse:
    """A source file whole, as a PNG."""
    sha256, suffix, linear = _source(request, file_id)
    return _answer(request, sha256, view, size, lambda: whole_picture(sha256, suffix, view, EDGES[size], linear))


@router.get("/files/{file_id}/tile", operation_id="file_tile", response={404: ErrorBody})
def file_tile(request: HttpRequest, file_id: int, column: int, row: int, view: View = "RGB") -> HttpResponse:
    """One 512² tile of a source file at 100 %, as a PNG."""
    sha256, suffix, linear = _source(request, file_id)
    return _answer(request, sha256, view, f"{column}-{row}", lambda: tile_picture(sha256, suffix, view, column, row, linear))


@router.get("/outputs/{output_id}/picture", operation_id="output_picture", response={404: ErrorBody})
def output_picture(request: HttpRequest, output_id: int, view: View = "RGB", size: Size = "whole") -> HttpResponse:
    """An output whole, as a PNG."""
    sha256, suffix, linear = _output(request, output_id)
    return _answer(request, sha256, view, size, lambda: whole_picture(sha256, suffix, view, EDGES[size], linear))


@router.get("/outputs/{output_id}/tile", operation_id="output_tile", response={404: ErrorBody})
def output_tile(request: HttpRequest, output_id: int, column: int, row: int, view: View = "RGB") -> HttpResponse:
    """One 512² tile of an output at 100 %, as a PNG."""
    sha256, suffix, linear = _output(request, output_id)
    return _answer(request, sha256, view, f"{column}-{row}", lambda: tile_picture(sha256, suffix, view, column, row, linear))


def _source(request: HttpRequest, file_id: int) -> tuple[str, str, bool]:
    file = SourceFile.objects.filter(pk=file_id).select_related("project").first()
    if file is None:
        raise not_found("The file")
    enter(request, file.project)
    facts = file.facts
    # A float picture of three channels is shown as linear light; a single float channel is data.
    return file.blob_id, _SUFFIX.get(facts.format, ""), facts.is_float and len(facts.channels) >= 3


def _output(request: HttpRequest, output_id: int) -> tuple[str, str, bool]:
    output = enter_output(request, output_id)
    suffix = Path(output.file_name).suffix
    return output.blob_id, suffix if suffix == ".tga" else "", suffix == ".exr" and len(output.channels) >= 3


def _answer(request: HttpRequest, sha256: str, view: str, part: str, make: object) -> HttpResponse:
    """A PNG that browsers keep and ask about: what it shows is fixed by hash, view and part."""
    tag = f'"{sha256[:24]}-{view}-{part}"'
    if request.headers.get("If-None-Match") == tag:
        return HttpResponseNotModified()
    try:
        body = make()  # type: ignore[operator]
    except KeyError:
        raise not_found("The channel or tile") from None
    answer = HttpResponse(body, content_type="image/png")
    answer["ETag"] = tag
    answer["Cache-Control"] = "private, no-cache"
    return answer
