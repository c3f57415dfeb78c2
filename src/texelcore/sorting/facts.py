"""The facts of a source file: read once, kept with it. Run as a module, it answers requests from a guarded process."""

from __future__ import annotations

import base64
import hashlib
import json
import sys
from pathlib import Path

from texelcore.evidence.look import look
from texelcore.evidence.ranges import channel_ranges
from texelcore.pixels.declared import declared_colour
from texelcore.pixels.display import VIEWS, display, is_light, shrink
from texelcore.pixels.errors import TexelError, UnreadableImage
from texelcore.pixels.image import Image
from texelcore.pixels.inspect import inspect
from texelcore.pixels.png import png_bytes
from texelcore.pixels.read import read
from texelcore.surface.ledger import FileFacts


def facts_of(path: Path, shown_path: str, file_id: str | None = None) -> FileFacts:
    """Decode a file whole and say what it is. `shown_path` is its path as it arrived; the id defaults to that.

    Raises UnreadableImage when the file is no picture, is damaged, or is beyond the limits.
    """
    return _looked_at(path, shown_path, file_id)[0]


def _looked_at(path: Path, shown_path: str, file_id: str | None) -> tuple[FileFacts, Image]:
    try:
        return _measured(path, shown_path, file_id)
    except (TexelError, MemoryError, OSError):
        raise
    except Exception as error:
        # Whatever is wrong with one file stops one file.
        name, reason = shown_path.rsplit("/", 1)[-1], " ".join(f"{type(error).__name__} {error}".split())[:120]
        problem = f"could not be measured ({reason})."
        raise UnreadableImage(name, problem, "Open it in a painting program and export it again.") from error


def _measured(path: Path, shown_path: str, file_id: str | None) -> tuple[FileFacts, Image]:
    name = shown_path.rsplit("/", 1)[-1]
    header = inspect(path, name)
    image = read(path, name)
    with path.open("rb") as file:
        sha256 = hashlib.file_digest(file, "sha256").hexdigest()
    facts = FileFacts(
        id=file_id or shown_path,
        path=shown_path,
        sha256=sha256,
        bytes=path.stat().st_size,
        format=header.format,
        width=image.width,
        height=image.height,
        channels=image.channels,  # type: ignore[arg-type]
        sample=image.sample,
        ranges=channel_ranges(image),
        evidence=look(image, declared_colour(path)),
    )
    return facts, image


def _small(image: Image, edge: int) -> dict[str, str]:
    light = is_light(image)
    views = [view for view in VIEWS if view == "RGB" or view in image.channels]
    return {view: base64.b64encode(png_bytes(shrink(display(image, view, light), edge))).decode("ascii") for view in views}


def serve() -> None:
    """Answer one JSON line for each JSON line on standard input: {"path", "shown", "edge"} gives facts, and small pictures of
    at most `edge` texels by view as PNG in base 64, or an error.

    The caller runs this in a process with limits, so that a hostile file takes down nothing but this process.
    """
    for line in sys.stdin:
        request = json.loads(line)
        try:
            facts, image = _looked_at(Path(request["path"]), request["shown"], None)
            answer = {"facts": facts.model_dump(mode="json"), "small": _small(image, int(request["edge"]))}
        except TexelError as error:
            answer = {"error": {"problem": error.problem, "way_out": error.way_out}}
        except MemoryError:
            problem = "needs more memory to decode than one picture may have."
            answer = {"error": {"problem": problem, "way_out": "Export it smaller or with fewer bits."}}
        print(json.dumps(answer), flush=True)


if __name__ == "__main__":
    serve()
