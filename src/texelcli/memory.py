"""What the last build into a folder saw and made, so that the next one touches only what changed.

It lies in the output folder. A source counts as unchanged when its size and time of change are the same, an output when the
content key that it was made for is the same and nobody has touched it since; anything that cannot be read is made anew.
"""

from __future__ import annotations

import os
from pathlib import Path

from pydantic import ValidationError

from texelcore.building.execute import Made
from texelcore.building.plan import PlannedOutput
from texelcore.pixels.write import write_whole
from texelcore.surface.documents import Document
from texelcore.surface.files import FileFacts

FILE_NAME = ".fairtexel-build.json"


class SeenSource(Document):
    """A source file as it was last seen."""

    changed: int
    facts: FileFacts


class SeenOutput(Document):
    """An output as it was last written."""

    changed: int
    bytes: int
    sha256: str
    content_key: str


class Seen(Document):
    """The document in the output folder."""

    folder: str
    sources: dict[str, SeenSource] = {}
    outputs: dict[str, SeenOutput] = {}


class Memory:
    """The last build of `folder` into `out`, and what this one adds."""

    def __init__(self, folder: Path, out: Path) -> None:
        self._out = out
        # From the one folder to the other: a document that travels names nobody's disk.
        self._folder = Path(os.path.relpath(folder.resolve(), out.resolve())).as_posix()
        self._before = self._load()
        self._sources: dict[str, SeenSource] = {}
        self._outputs: dict[str, SeenOutput] = {}

    def _load(self) -> Seen:
        try:
            seen = Seen.model_validate_json((self._out / FILE_NAME).read_text("utf-8"))
        except (OSError, ValidationError, UnicodeDecodeError):
            return Seen(folder=self._folder)
        return seen if seen.folder == self._folder else Seen(folder=self._folder)

    def facts(self, path: Path, shown: str) -> FileFacts | None:
        """The facts of an unchanged source; None for one that has to be looked at."""
        known = self._before.sources.get(shown)
        state = path.stat()
        if known is None or (known.changed, known.facts.bytes) != (state.st_mtime_ns, state.st_size):
            return None
        self._sources[shown] = known
        return known.facts

    def learn(self, path: Path, facts: FileFacts) -> None:
        """Keep the facts of a source that was looked at."""
        self._sources[facts.id] = SeenSource(changed=path.stat().st_mtime_ns, facts=facts)

    def made(self, planned: PlannedOutput, path: Path) -> Made | None:
        """An output that is there already, as this plan wants it; None for one that has to be made."""
        name = path.relative_to(self._out).as_posix()
        known = self._before.outputs.get(name)
        if known is None or not planned.content_key or known.content_key != planned.content_key or not path.is_file():
            return None
        state = path.stat()
        if (state.st_mtime_ns, state.st_size) != (known.changed, known.bytes):
            return None
        self._outputs[name] = known
        return Made(planned, path, known.bytes, known.sha256)

    def keep(self, made: Made) -> None:
        """Remember an output that was made."""
        name = made.path.relative_to(self._out).as_posix()
        self._outputs[name] = SeenOutput(
            changed=made.path.stat().st_mtime_ns, bytes=made.bytes, sha256=made.sha256, content_key=made.planned.content_key
        )

    def save(self) -> None:
        """Write the document, where there is an output folder. Raises TexelError when the disk refuses."""
        if not self._out.is_dir():
            return
        text = Seen(folder=self._folder, sources=self._sources, outputs=self._outputs).model_dump_json()
        write_whole(self._out / FILE_NAME, lambda part: _write(part, text))


def _write(path: Path, text: str) -> None:
    path.write_text(text, "utf-8")
