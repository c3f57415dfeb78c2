"""Pairs of files with nearly the same picture, from the small prints in their evidence."""

from __future__ import annotations

import base64
from collections.abc import Collection, Iterator, Sequence

import numpy as np
from numpy.typing import NDArray

from texelcore.surface.files import FileFacts

# Mean difference in levels, and correlation of the small pictures, from which on two count as nearly the same (judgement).
MOST_LEVELS = 2.0
LEAST_CORRELATION = 0.995
# Levels that the coarsest colours may differ by anywhere.
MOST_TINT = 8
# A picture that hardly varies looks like every other such picture.
LEAST_SPREAD = 4.0
_CHUNK = 1024
# Formats that keep a picture only nearly; what has its name in another is what it was made from.
_LOSSY = ("jpg", "jpeg", "webp", "dds")


def near_doubles(files: Sequence[FileFacts], among: Collection[str] | None = None) -> Iterator[tuple[FileFacts, FileFacts]]:
    """Pairs whose pictures are nearly the same, in colour too, and whose bytes are not; each file stands in one pair at most.

    Only pictures of one kind are compared; vector fields are left out, since both directions of one map look alike. With `among`,
    one of each pair is of these ids.
    """
    ordered = sorted(files, key=lambda facts: facts.path)
    for kind in ("colour", "grey", "packed"):
        some = [facts for facts in ordered if facts.evidence and facts.evidence.picture == kind and facts.evidence.print]
        yield from _pairs(some, among)


def nearly_the_same(first: FileFacts, second: FileFacts) -> bool:
    """Whether two pictures of any kind are nearly the same, by their small prints; not where either has none."""
    if not all(facts.evidence and facts.evidence.print for facts in (first, second)):
        return False
    one, two = _print(first).astype(np.float32), _print(second).astype(np.float32)
    if one.size != two.size or np.abs(one - two).mean() >= MOST_LEVELS:
        return False
    flat = min(one.std(), two.std()) < 1
    return (flat or float(np.corrcoef(one, two)[0, 1]) > LEAST_CORRELATION) and _tints_agree(first, second)


def is_lesser_twin(facts: FileFacts, other: FileFacts) -> bool:
    """Whether another file of the same name shows nearly the same in a format that loses nothing, and is no smaller. A set takes
    all that it needs from that one, and never its colour from one and its opacity from the other."""
    (name, _, suffix), (twin, _, whole) = (each.path.casefold().rpartition(".") for each in (facts, other))
    kept = suffix in _LOSSY and whole not in _LOSSY and other.width >= facts.width
    return name == twin and kept and nearly_the_same(facts, other)


def _pairs(files: list[FileFacts], among: Collection[str] | None) -> Iterator[tuple[FileFacts, FileFacts]]:
    if len(files) < 2:
        return
    prints = np.stack([_print(facts) for facts in files]).astype(np.float32)
    spread = prints.std(axis=1)
    centred = prints - prints.mean(axis=1, keepdims=True)
    unit = centred / np.maximum(np.linalg.norm(centred, axis=1, keepdims=True), 1e-6)
    asked = np.array([index for index, facts in enumerate(files) if among is None or facts.id in among], int)
    taken: set[int] = set()
    for start in range(0, len(asked), _CHUNK):
        rows = asked[start : start + _CHUNK]
        found = unit[rows] @ unit.T
        for row, column in zip(*np.nonzero(found > LEAST_CORRELATION), strict=True):
            first, second = sorted((int(rows[row]), int(column)))
            if second <= first or first in taken or second in taken or spread[first] < LEAST_SPREAD:
                continue
            close = np.abs(prints[first] - prints[second]).mean() < MOST_LEVELS and _tints_agree(files[first], files[second])
            if close and files[first].sha256 != files[second].sha256:
                taken |= {first, second}
                yield files[first], files[second]


def _tints_agree(first: FileFacts, second: FileFacts) -> bool:
    """Whether the coarse colours of two pictures are the same; variants of one surface often differ in nothing else."""
    one, two = (
        np.frombuffer(base64.b64decode(facts.evidence.tint if facts.evidence else ""), np.uint8).astype(np.int16)
        for facts in (first, second)
    )
    return one.size != two.size or not one.size or float(np.abs(one - two).max()) <= MOST_TINT


def _print(facts: FileFacts) -> NDArray[np.uint8]:
    body = facts.evidence.print if facts.evidence else ""
    return np.frombuffer(base64.b64decode(body), np.uint8)
