"""Pairs of files with nearly the same picture, from the small prints in their evidence."""

from __future__ import annotations

import base64
from collections.abc import Iterator, Sequence

import numpy as np
from numpy.typing import NDArray

from texelcore.surface.ledger import FileFacts

# Mean difference in levels, and correlation of the small pictures, from which on two count as nearly the same (judgement).
MOST_LEVELS = 2.0
LEAST_CORRELATION = 0.995
# A picture that hardly varies looks like every other such picture.
LEAST_SPREAD = 4.0
_CHUNK = 1024


def near_doubles(files: Sequence[FileFacts]) -> Iterator[tuple[FileFacts, FileFacts]]:
    """Pairs whose pictures are nearly the same and whose bytes are not; each file stands in one pair at most.

    Only pictures of one kind are compared; vector fields are left out, since both directions of one map look alike.
    """
    ordered = sorted(files, key=lambda facts: facts.path)
    for kind in ("colour", "grey", "packed"):
        some = [facts for facts in ordered if facts.evidence and facts.evidence.picture == kind and facts.evidence.print]
        yield from _pairs(some)


def _pairs(files: list[FileFacts]) -> Iterator[tuple[FileFacts, FileFacts]]:
    if len(files) < 2:
        return
    prints = np.stack([_print(facts) for facts in files]).astype(np.float32)
    spread = prints.std(axis=1)
    centred = prints - prints.mean(axis=1, keepdims=True)
    unit = centred / np.maximum(np.linalg.norm(centred, axis=1, keepdims=True), 1e-6)
    taken: set[int] = set()
    for start in range(0, len(files), _CHUNK):
        alike = unit[start : start + _CHUNK] @ unit.T
        for row, column in zip(*np.nonzero(alike > LEAST_CORRELATION), strict=True):
            first, second = int(row) + start, int(column)
            if second <= first or first in taken or second in taken or spread[first] < LEAST_SPREAD:
                continue
            close = np.abs(prints[first] - prints[second]).mean() < MOST_LEVELS
            if close and files[first].sha256 != files[second].sha256:
                taken |= {first, second}
                yield files[first], files[second]


def _print(facts: FileFacts) -> NDArray[np.uint8]:
    body = facts.evidence.print if facts.evidence else ""
    return np.frombuffer(base64.b64decode(body), np.uint8)
