"""Repacking: a packed file into any other layout, taken apart, or one channel saved, without making a set."""

from __future__ import annotations

import base64
import tempfile
import zipfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Literal

from django.http import FileResponse, HttpRequest, HttpResponse
from ninja import File, Form, Router, Schema, UploadedFile

from texelcore.building.repack import measured_rows, plan_repack, repack, save_channel
from texelcore.pixels.errors import TexelError
from texelcore.surface.files import FileFacts
from texelcore.surface.ledger import Row
from texelcore.surface.properties import NormalY, property_of
from texelcore.targets.document import Target
from texelcore.targets.layout import apart, layout_of, parse_layout, rows_of, target_of
from texelweb.accounts.access import Access, enter
from texelweb.accounts.receiving import receives
from texelweb.api.documenting import serves
from texelweb.api.schemas import ErrorBody
from texelweb.api.sets.files import enter_file
from texelweb.library import pins
from texelweb.storage.blobs import local_file
from texelweb.storage.guard import Guard
from texelweb.storage.models import place_of

router = Router(tags=["repack"])
MEASURED, APART = "measured", "apart"
EDGE = 160
LARGEST_UPLOAD = 512 * 1024**2
ZIP_DATE = (2000, 1, 1, 0, 0, 0)


class RepackAsked(Schema):
    """What a file holds and what it is to be brought to: “measured”, pairs (“R=occlusion,G=1-roughness”), “TARGET:OUTPUT”, and
    for the result also a whole target, or “apart”: one map for each property."""

    source: str = MEASURED
    result: str = APART
    source_y: NormalY = "+Y"
    result_y: NormalY = "+Y"


class HeldRow(Schema):
    """A property that the file holds, the channels that it lies in, and why that is thought."""

    property: str
    title: str
    channels: str
    inverted: bool
    normal_y: str | None
    why: str


class RepackedOutput(Schema):
    """A file that would be made, what its channels hold, and why it cannot be made, where it cannot."""

    file_name: str
    channels: dict[str, str]
    problem: str | None


class RepackLook(Schema):
    """A file looked at: what it is, what its channels hold, what it would become, and small pictures by view, PNG in base 64."""

    name: str
    width: int
    height: int
    sample: str
    channels: list[str]
    rows: list[HeldRow]
    pairs: str
    outputs: list[RepackedOutput]
    problem: str | None
    way_out: str | None
    pictures: dict[str, str]


@dataclass(frozen=True)
class Guarded:
    """An uploaded file that decodes: where it lies for now, its facts, and small pictures of it."""

    path: Path
    facts: FileFacts
    pictures: dict[str, bytes]


@router.post(
    "/projects/{slug}/repack/look", response={200: RepackLook, 404: ErrorBody, 409: ErrorBody}, operation_id="look_at_packed"
)
@receives(LARGEST_UPLOAD, lambda request, slug: enter(request, slug))
def look(request: HttpRequest, slug: str, file: File[UploadedFile], asked: Form[RepackAsked]) -> RepackLook:
    """Look at a packed file: what its channels hold, and what it would become. Nothing is kept."""
    access = enter(request, slug)
    with _guarded(file) as guarded:
        facts, rows, outputs = guarded.facts, [], []
        problem = way_out = None
        try:
            rows = list(_rows(access, facts, asked))
            plan = plan_repack(facts, rows, _target(access, facts, rows, asked))
            outputs = [
                RepackedOutput(
                    file_name=planned.file_name,
                    channels={channel.channel: channel.meaning for channel in planned.channels},
                    problem=planned.problem,
                )
                for planned in plan.outputs
            ]
        except TexelError as error:
            problem, way_out = error.sentence, error.way_out
        return RepackLook(
            name=facts.name,
            width=facts.width,
            height=facts.height,
            sample=facts.sample,
            channels=list(facts.channels),
            rows=[_held(row) for row in rows],
            pairs=",".join(_pair(row) for row in rows),
            outputs=outputs,
            problem=problem,
            way_out=way_out,
            pictures={view: base64.b64encode(picture).decode("ascii") for view, picture in guarded.pictures.items()},
        )


@router.post(
    "/projects/{slug}/repack",
    response={404: ErrorBody, 409: ErrorBody},
    openapi_extra=serves("application/octet-stream"),
    operation_id="repack_file",
)
@receives(LARGEST_UPLOAD, lambda request, slug: enter(request, slug))
def make(request: HttpRequest, slug: str, file: File[UploadedFile], asked: Form[RepackAsked]) -> HttpResponse:
    """Repack a file: the answer is what was made, as a zip where that is several files. Nothing is kept."""
    access = enter(request, slug)
    with _guarded(file) as guarded, tempfile.TemporaryDirectory(prefix="fairtexel-repack-") as folder:
        rows = _rows(access, guarded.facts, asked)
        target = _target(access, guarded.facts, rows, asked)
        plan, made = repack(guarded.path, guarded.facts, rows, target, Path(folder), lambda share, doing: None)
        if not made:
            problem = next((planned.problem for planned in plan.outputs if planned.problem), "nothing came out of it.")
            raise TexelError(guarded.facts.name, problem, "Choose another layout to pack it into.")
        stem = guarded.facts.name.rsplit(".", 1)[0]
        return _sent([item.path for item in made], f"{stem}-repacked.zip")


@router.get(
    "/files/{file_id}/channels/{channel}",
    response={404: ErrorBody, 409: ErrorBody},
    openapi_extra=serves("application/octet-stream"),
    operation_id="download_channel",
)
def download_channel(request: HttpRequest, file_id: int, channel: Literal["R", "G", "B", "A", "Y"]) -> HttpResponse:
    """One channel of a source file as a grey map of its own, as it is stored."""
    found, _ = enter_file(request, file_id)
    with local_file(place_of(found.blob_id)) as path, tempfile.TemporaryDirectory(prefix="fairtexel-repack-") as folder:
        named = Path(folder) / f"source{Path(found.path).suffix.lower()}"
        named.symlink_to(path)
        return _sent([save_channel(named, found.facts.name, channel, Path(folder))], "")


@contextmanager
def _guarded(file: UploadedFile) -> Iterator[Guarded]:
    """An upload as a file of its own for as long as it is worked on, decoded first by a helper that it may take down."""
    name = (file.name or "file").replace("\\", "/").rsplit("/", 1)[-1][:120] or "file"
    if (file.size or 0) > LARGEST_UPLOAD:
        raise TexelError(name, f"is larger than {LARGEST_UPLOAD // 1024**2} MB.", "Bring it in as a source file instead.")
    with tempfile.TemporaryDirectory(prefix="fairtexel-repack-") as folder:
        # Never a path of the name that came: its ending alone matters, to one reader.
        suffix = "".join(sign for sign in Path(name).suffix.lower() if sign.isalnum() or sign == ".")[:8]
        path = Path(folder) / f"upload{suffix}"
        with path.open("wb") as part:
            for chunk in file.chunks():
                part.write(chunk)
        with Guard() as guard:
            facts, pictures = guard.look(path, name, EDGE)
        yield Guarded(path, facts, pictures)


def _rows(access: Access, facts: FileFacts, asked: RepackAsked) -> tuple[Row, ...]:
    if asked.source == MEASURED:
        return measured_rows(facts)
    if "=" in asked.source:
        return rows_of(parse_layout(asked.source, asked.source_y), facts)
    target, key = _named(access, asked.source)
    output = next((output for output in target.outputs if output.key == key), None)
    if output is None:
        raise TexelError(asked.source[:80], f"names no output of {target.title}.", "Choose one of its outputs.")
    return rows_of(layout_of(target, output), facts)


def _target(access: Access, facts: FileFacts, rows: tuple[Row, ...] | list[Row], asked: RepackAsked) -> Target:
    if asked.result == APART:
        return target_of(apart(rows), facts, asked.result_y)
    if "=" in asked.result:
        return target_of({"repacked": parse_layout(asked.result)}, facts, asked.result_y)
    target, key = _named(access, asked.result)
    outputs = tuple(output for output in target.outputs if not key or output.key == key)
    if not outputs:
        raise TexelError(asked.result[:80], f"names no output of {target.title}.", "Choose one of its outputs.")
    return target.model_copy(update={"outputs": outputs})


def _named(access: Access, said: str) -> tuple[Target, str]:
    name, _, key = said.partition(":")
    return pins.target_of(access.project, name[:48]), key


def _held(row: Row) -> HeldRow:
    return HeldRow(
        property=row.property,
        title=property_of(row.property).title,
        channels="".join(row.channels),
        inverted=row.inverted,
        normal_y=row.normal_y,
        why=row.why,
    )


def _pair(row: Row) -> str:
    return f"{''.join(row.channels)}={'1-' if row.inverted else ''}{row.property}"


def _sent(paths: list[Path], bundle: str) -> HttpResponse:
    """Files as an answer: one as it is, several as a zip."""
    if len(paths) == 1:
        answer = HttpResponse(paths[0].read_bytes(), content_type="application/octet-stream")
        answer["Content-Disposition"] = f'attachment; filename="{paths[0].name}"'
        return answer
    whole = tempfile.TemporaryFile()  # noqa: SIM115 - the answer closes it when it has been sent
    with zipfile.ZipFile(whole, "w", zipfile.ZIP_STORED) as archive:
        for path in paths:
            archive.writestr(zipfile.ZipInfo(path.name, ZIP_DATE), path.read_bytes())
    whole.seek(0)
    return FileResponse(whole, as_attachment=True, filename=bundle)
