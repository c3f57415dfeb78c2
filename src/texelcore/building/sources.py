"""The one resolver of sources: what stands behind the id of a picture."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterator, Mapping
from concurrent.futures import ThreadPoolExecutor
from contextlib import AbstractContextManager, nullcontext
from pathlib import Path

from texelcore.pixels.image import Image
from texelcore.pixels.read import read
from texelcore.surface.files import FileFacts
from texelcore.surface.sources import Source


class Sources(Mapping[Source, FileFacts]):
    """Sources by id. As a mapping it gives the facts of each, whose hash is its content key: what is made of a source is known
    by that, and never by its id. `opened` gives the place of a source's bytes, for as long as they are read."""

    def __init__(self, facts: Mapping[Source, FileFacts], opened: Callable[[FileFacts], AbstractContextManager[Path]]) -> None:
        self._facts, self._opened = facts, opened

    def __getitem__(self, source: Source) -> FileFacts:
        return self._facts[source]

    def __iter__(self) -> Iterator[Source]:
        return iter(self._facts)

    def __len__(self) -> int:
        return len(self._facts)

    def pixels(self, wanted: Collection[Source], threads: int = 2) -> dict[Source, Image]:
        """The pictures of several sources, as stored, decoded at the same time. Raises KeyError for one that is not known,
        UnreadableImage for one that does not decode."""
        with ThreadPoolExecutor(max(1, threads)) as pool:
            return dict(zip(wanted, pool.map(self._picture, wanted), strict=True))

    def _picture(self, source: Source) -> Image:
        facts = self._facts[source]
        with self._opened(facts) as path:
            return read(path, facts.name)


def in_folder(facts: Mapping[Source, FileFacts], folder: Path) -> Sources:
    """The sources of a folder, whose files lie where their facts say."""
    return Sources(facts, lambda known: nullcontext(folder / known.path))
