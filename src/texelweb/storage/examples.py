"""Textures of an engine that were sent to learn its layout from: looked at under guard, and forgotten."""

from __future__ import annotations

import tempfile
from collections.abc import Iterable, Sequence
from pathlib import Path, PurePosixPath

from texelcore.codecs.examples import unpack_dds
from texelcore.pixels.errors import TexelError
from texelcore.targets.example import ExampleFile, Proposal, propose_target
from texelweb.storage.guard import Guard

# Pictures are not shown.
_EDGE = 8


def propose_from(files: Sequence[tuple[str, Iterable[bytes]]]) -> tuple[Proposal, list[str]]:
    """What layout files have, each by its path and its bytes, and a sentence for each that could not be read."""
    found: list[ExampleFile] = []
    refused: list[str] = []
    with tempfile.TemporaryDirectory(prefix="fairtexel-example-") as scratch, Guard() as guard:
        for place, (name, chunks) in enumerate(files):
            # Never a path of the name that came: its ending alone matters, to one reader.
            shown = name.replace("\\", "/")[-200:]
            suffix = PurePosixPath(shown).suffix.lower()[:8]
            folder = Path(scratch) / str(place)
            folder.mkdir()
            path = folder / ("upload" + "".join(sign for sign in suffix if sign.isalnum() or sign == "."))
            with path.open("wb") as part:
                for chunk in chunks:
                    part.write(chunk)
            try:
                found.append(_look(guard, path, shown, folder))
            except TexelError as error:
                refused.append(error.sentence)
            path.unlink()
    return propose_target(found), refused


def _look(guard: Guard, path: Path, shown: str, folder: Path) -> ExampleFile:
    if path.suffix != ".dds":
        return ExampleFile(guard.look(path, shown, _EDGE)[0])
    picture, storage = unpack_dds(path, shown.rsplit("/", 1)[-1], folder)
    facts, _ = guard.look(picture, str(PurePosixPath(shown).with_suffix(picture.suffix)), _EDGE)
    return ExampleFile(facts, storage)
