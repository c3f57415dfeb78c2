"""How large an output is: from the sizes of its sources and the rule of its target."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Literal

from pydantic import Field, model_validator

from texelcore.surface.documents import Document

LARGEST_EDGE = 16384
BLOCK = 4
Size = tuple[int, int]


class SizeRule(Document):
    """What an engine wants of a texture's edges, in texels.

    `among` says which source's size counts where they differ. Then, in this order: `scale` against it, `square` (the longer
    edge), `smallest` and `largest` for each edge at the same proportions, and the nearest `power_of_two` or multiple of four.
    `largest` goes before `smallest` where a long picture cannot hold both.
    """

    among: Literal["largest", "smallest"] = "largest"
    scale: float = Field(default=1.0, ge=1 / 64, le=4)
    smallest: int = Field(default=1, ge=1, le=LARGEST_EDGE)
    largest: int = Field(default=LARGEST_EDGE, ge=1, le=LARGEST_EDGE)
    power_of_two: bool = False
    multiple_of_four: bool = False
    square: bool = False

    @model_validator(mode="after")
    def _can_be_met(self) -> SizeRule:
        if self.smallest > self.largest:
            raise ValueError(f"the smallest edge, {self.smallest}, is larger than the largest, {self.largest}")
        if self.multiple_of_four and self.largest < BLOCK:
            raise ValueError(f"no multiple of four is {self.largest} or less")
        low, high = self._bounds()
        if low > high:
            kind = "power of two" if self.power_of_two else "multiple of four"
            raise ValueError(f"no {kind} lies between {self.smallest} and {self.largest}")
        return self

    def _bounds(self) -> Size:
        """The smallest and the largest edge that the rule allows."""
        low, high = self.smallest, self.largest
        if self.power_of_two:
            low, high = 1 << (low - 1).bit_length(), 1 << (high.bit_length() - 1)
        if self.multiple_of_four:
            low, high = -(-low // BLOCK) * BLOCK, high // BLOCK * BLOCK
        return low, high


def size_of(rule: SizeRule, sources: Iterable[Size]) -> Size:
    """The (width, height) of an output whose sources have these sizes, at least one."""
    known = list(sources)
    pick = max if rule.among == "largest" else min
    width, height = pick(known, key=lambda size: (size[0] * size[1], size))
    wide, high = width * rule.scale, height * rule.scale
    if rule.square:
        wide = high = max(wide, high)
    grown = max(1.0, rule.smallest / min(wide, high))
    shrunk = min(grown, rule.largest / max(wide, high))
    return _edge(rule, wide * shrunk), _edge(rule, high * shrunk)


def _edge(rule: SizeRule, wanted: float) -> int:
    low, high = rule._bounds()
    edge = max(1, int(wanted + 0.5))
    if rule.power_of_two:
        # The nearest by proportion: 1.41 times as large is as far as 1.41 times as small.
        lower = 1 << (edge.bit_length() - 1)
        edge = lower if edge * edge < lower * lower * 2 else lower * 2
    if rule.multiple_of_four:
        edge = max(BLOCK, (edge + BLOCK // 2) // BLOCK * BLOCK)
    return min(max(edge, low), high)
