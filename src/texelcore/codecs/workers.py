"""Helper processes for encoders that hold the interpreter's lock."""

from __future__ import annotations

import os
from concurrent.futures import Future, ProcessPoolExecutor
from multiprocessing import get_context
from types import TracebackType

from texelcore.codecs.blocks import encode_blocks, end_with_parent
from texelcore.codecs.formats import Lossy
from texelcore.pixels.errors import TexelError


class Workers:
    """A few processes that are started when first needed and stay until the end of the `with` block."""

    def __init__(self, count: int | None = None) -> None:
        """`count` processes; as many as this machine has processors when None."""
        self.count = max(1, count or os.cpu_count() or 1)
        self._pool: ProcessPoolExecutor | None = None

    def __enter__(self) -> Workers:
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None) -> None:
        if self._pool is not None:
            self._pool.shutdown(wait=True, cancel_futures=True)
            self._pool = None

    def encode(self, key: Lossy, texels: bytes, width: int, height: int, colour: bool) -> Future[bytes]:
        """Start to encode a run of block rows."""
        if self._pool is None:
            # Spawned, not forked: the caller may have threads.
            self._pool = ProcessPoolExecutor(self.count, get_context("spawn"), end_with_parent)
        return self._pool.submit(encode_blocks, key, texels, width, height, colour)


def result_of(future: Future[bytes]) -> bytes:
    """Wait for a run. Raises TexelError when its process was ended from outside."""
    from concurrent.futures.process import BrokenProcessPool

    try:
        return future.result()
    except BrokenProcessPool as error:
        problem = "ended before its time; the machine may be short of memory."
        raise TexelError("The block encoder", problem, "Try again, with less running beside it.") from error
