"""Decoded pictures of one server process: one decode serves all who ask for it, and a budget bounds what is worked on at once."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Future
from concurrent.futures import TimeoutError as FutureTimeout
from contextlib import ExitStack, contextmanager
from functools import partial
from pathlib import Path
from threading import Condition, Lock

from texelcore.pixels.image import SAMPLE_DTYPES, Image
from texelcore.pixels.inspect import inspect
from texelcore.pixels.read import read
from texelweb.refusals import Refused
from texelweb.storage.blobs import local_file
from texelweb.storage.models import place_of

# Decoded pictures that one process keeps at hand, for tiles: one 8192² picture, or a dozen of 2048².
MOST_BYTES_KEPT = 256 * 1024**2
# What may be worked on at once. Showing a picture takes a few times its own size for a moment.
BUDGET = 1536 * 1024**2
TIMES_ITSELF = 3
# How long a request waits for others before it says that it did.
SECONDS_TO_WAIT = 120.0


def _busy(seconds: float) -> Refused:
    problem = f"is working on other pictures that take all the memory for it; yours has waited {seconds:.0f} s."
    return Refused(503, "The server", problem, "Look again in a moment.")


class Budget:
    """Bytes that several threads share. Whoever wants more than is left waits, `seconds` at most; one alone is never made to.

    Whoever needs several pictures asks for all of their bytes at once: two that each hold some while they wait for more would
    wait for each other."""

    def __init__(self, most: int, seconds: float = SECONDS_TO_WAIT) -> None:
        self._most = most
        self._seconds = seconds
        self._taken = 0
        self._changed = Condition()

    @contextmanager
    def take(self, wanted: int) -> Iterator[None]:
        """Hold some bytes. Raises Refused 503 when they were not free in time."""
        with self._changed:
            if not self._changed.wait_for(lambda: self._taken == 0 or self._taken + wanted <= self._most, self._seconds):
                raise _busy(self._seconds)
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
        """A picture, decoded once however many ask for it at the same time. Raises what `decode` raises, to all of them, and
        Refused 503 to those for whom another's decode takes too long."""
        with self._lock:
            if key in self._kept:
                self._kept.move_to_end(key)
                return self._kept[key]
            mine = key not in self._coming
            coming = self._coming.setdefault(key, Future())
        if mine:
            self._decode(key, coming, decode)
        try:
            return coming.result(SECONDS_TO_WAIT)
        except FutureTimeout as error:
            raise _busy(SECONDS_TO_WAIT) from error

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

    Every stored file has been decoded under guard before, by the same reader. Raises Refused 503 after a long wait.
    """
    with several_decoded([(sha256, suffix)]) as (image,):
        yield image


@contextmanager
def several_decoded(wanted: Sequence[tuple[str, str]]) -> Iterator[list[Image]]:
    """As `decoded`, for several pictures that are worked on together, by hash and suffix: all are asked for at once."""
    with ExitStack() as held:
        paths = {sha256: held.enter_context(local_file(place_of(sha256))) for sha256, _ in wanted}
        names = {sha256: f"picture{suffix}" for sha256, suffix in wanted}
        # A header is looked at whole where its format asks for that: not again for every tile.
        sizes = [_shelf.bytes_of(sha256) or _promised(path, names[sha256]) for sha256, path in paths.items()]
        held.enter_context(_budget.take(sum(sizes) * TIMES_ITSELF))
        images = {sha256: _shelf.get(sha256, partial(read, path, names[sha256])) for sha256, path in paths.items()}
        yield [images[sha256] for sha256, _ in wanted]


def _promised(path: Path, name: str) -> int:
    header = inspect(path, name)
    return header.width * header.height * len(header.channels) * SAMPLE_DTYPES[header.sample]().itemsize
