"""Decoded pictures of one server process: one decode serves all who ask for it, and a budget bounds what is worked on at once."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Iterator
from concurrent.futures import Future
from contextlib import contextmanager
from pathlib import Path
from threading import Condition, Lock

from texelcore.pixels.image import SAMPLE_DTYPES, Image
from texelcore.pixels.inspect import inspect
from texelcore.pixels.read import read
from texelweb.storage.blobs import local_file
from texelweb.storage.models import place_of

# Decoded pictures that one process keeps at hand, for tiles: one 8192² picture, or a dozen of 2048².
MOST_BYTES_KEPT = 256 * 1024**2
# What may be worked on at once. Showing a picture takes a few times its own size for a moment.
BUDGET = 1536 * 1024**2
TIMES_ITSELF = 3


class Budget:
    """Bytes that several threads share. Whoever wants more than is left waits; one alone is never made to."""

    def __init__(self, most: int) -> None:
        self._most = most
        self._taken = 0
        self._changed = Condition()

    @contextmanager
    def take(self, wanted: int) -> Iterator[None]:
        """Hold some bytes."""
        with self._changed:
            self._changed.wait_for(lambda: self._taken == 0 or self._taken + wanted <= self._most)
            self._taken += wanted
        try:
            yield
        finally:
            with self._changed:
                self._taken -= wanted
                self._changed.notify_all()


class Shelf:
    """Pictures by key: the last few that were looked at, and those that are being decoded just now."""

    def __init__(self, most_bytes: int) -> None:
        self._most = most_bytes
        self._kept: OrderedDict[str, Image] = OrderedDict()
        self._coming: dict[str, Future[Image]] = {}
        self._lock = Lock()

    def get(self, key: str, decode: Callable[[], Image]) -> Image:
        """A picture, decoded once however many ask for it at the same time. Raises what `decode` raises, to all of them."""
        with self._lock:
            if key in self._kept:
                self._kept.move_to_end(key)
                return self._kept[key]
            mine = key not in self._coming
            coming = self._coming.setdefault(key, Future())
        if mine:
            self._decode(key, coming, decode)
        return coming.result()

    def bytes_of(self, key: str) -> int | None:
        """How large a picture is that is kept; None for one that is not."""
        with self._lock:
            return int(self._kept[key].data.nbytes) if key in self._kept else None

    def _decode(self, key: str, coming: Future[Image], decode: Callable[[], Image]) -> None:
        try:
            image = decode()
        except BaseException as error:
            with self._lock:
                del self._coming[key]
            coming.set_exception(error)
            return
        with self._lock:
            self._kept[key] = image
            while len(self._kept) > 1 and sum(kept.data.nbytes for kept in self._kept.values()) > self._most:
                self._kept.popitem(last=False)
            del self._coming[key]
        coming.set_result(image)


_shelf = Shelf(MOST_BYTES_KEPT)
_budget = Budget(BUDGET)


@contextmanager
def decoded(sha256: str, suffix: str) -> Iterator[Image]:
    """A stored picture, for as long as it is worked on. `suffix` matters for TGA alone, which has no magic number.

    Every stored file has been decoded under guard before, by the same reader.
    """
    name = f"picture{suffix}"
    with local_file(place_of(sha256)) as path:
        # A header is looked at whole where its format asks for that: not again for every tile.
        taken = _shelf.bytes_of(sha256) or _promised(path, name)
        with _budget.take(taken * TIMES_ITSELF):
            yield _shelf.get(sha256, lambda: read(path, name))


def _promised(path: Path, name: str) -> int:
    header = inspect(path, name)
    return header.width * header.height * len(header.channels) * SAMPLE_DTYPES[header.sample]().itemsize
