"""The company that a normal map keeps: where a map itself cannot tell its direction, its neighbours of one folder and ending can.

Normal maps of one studio's folder nearly always share one direction, but mixed trees exist (common practice): few neighbours
decide only in a tree that is not mixed, and where company is mixed a person is asked.
"""

from __future__ import annotations

import math
from collections import defaultdict
from dataclasses import dataclass, field

from texelcore.naming.lexicon import Reading
from texelcore.surface.evidence import DirectionSeen
from texelcore.surface.properties import NormalY

# From how many neighbours on, and with which share of one mind, company decides by itself (judgement).
MANY, ONE_SIDED = 8, 0.95
# Fewer decide where the whole tree is of one mind.
SOME, OF_ONE_MIND = 3, 0.99
# Maps that tell little by themselves, in standard errors of all of them together.
POOLED_SIGMA = 6.0


@dataclass(frozen=True)
class Said:
    """What company says of a direction: its answer, or None where it is mixed or too small, and in words how it came to it."""

    answer: NormalY | None
    words: str
    plus: int = 0
    minus: int = 0


@dataclass
class _Votes:
    plus: int = 0
    minus: int = 0
    weak: list[float] = field(default_factory=list)

    def add(self, seen: DirectionSeen) -> None:
        if seen.answer == "+Y":
            self.plus += 1
        elif seen.answer == "-Y":
            self.minus += 1
        elif seen.sigma:
            self.weak.append(math.copysign(seen.sigma, seen.score))

    def pooled(self, least: int) -> NormalY | None:
        """What maps none of which can tell alone are, taken together; None where they are fewer than `least`, say too little, or
        are of two minds."""
        if self.plus or self.minus or len(self.weak) < least:
            return None
        together = sum(self.weak) / math.sqrt(len(self.weak))
        of_one_mind = sum(vote * together > 0 for vote in self.weak) >= ONE_SIDED * len(self.weak)
        if abs(together) < POOLED_SIGMA or not of_one_mind:
            return None
        return "+Y" if together > 0 else "-Y"


class Company:
    """Counts what normal maps show, by folder and ending and in the whole tree."""

    def __init__(self) -> None:
        self._places: dict[tuple[str, str], _Votes] = defaultdict(_Votes)
        self._tree = _Votes()

    def add(self, home: str, name: Reading, seen: DirectionSeen) -> None:
        """Count a map of a home folder, by what its name says."""
        self._places[_place(home, name)].add(seen)
        self._tree.add(seen)

    @property
    def leaning(self) -> tuple[NormalY, str] | None:
        """What most of the tree is, with the numbers in words; None where nothing tells."""
        if not self._tree.plus + self._tree.minus:
            hint = sum(self._tree.weak)
            return ("+Y" if hint > 0 else "-Y", "the little that normal maps here show") if hint else None
        usual: NormalY = "+Y" if self._tree.plus >= self._tree.minus else "-Y"
        return usual, f"of all normal maps here {self._tree.plus} are +Y and {self._tree.minus} −Y"

    def say(self, home: str, name: Reading) -> Said:
        """What the maps of a folder with one ending say of one that cannot tell. Other folders have no say: they may be another
        studio's."""
        here = self._places[_place(home, name)]
        if here.plus and here.minus and max(here.plus, here.minus) < ONE_SIDED * (here.plus + here.minus):
            return Said(None, f"of its neighbours {here.plus} are +Y and {here.minus} −Y", here.plus, here.minus)
        tree_of_one_mind = _share(self._tree) >= OF_ONE_MIND
        if (here.plus + here.minus) >= (SOME if tree_of_one_mind else MANY):
            return _decided(here)
        if answer := here.pooled(SOME):
            words = f"the {len(here.weak)} maps of its folder, none of which can tell alone, are {_sign(answer)} taken together"
            return Said(answer, words)
        return Said(None, "it has too few neighbours that tell", here.plus, here.minus)


def _place(home: str, name: Reading) -> tuple[str, str]:
    # Of a folder for each set, the neighbours lie in the folders beside it.
    return (home if name.stem else f"{home.rpartition('/')[0]}/*"), name.ending


def _share(votes: _Votes) -> float:
    total = votes.plus + votes.minus
    return max(votes.plus, votes.minus) / total if total else 1.0


def _decided(votes: _Votes) -> Said:
    answer: NormalY = "+Y" if votes.plus >= votes.minus else "-Y"
    most, total = max(votes.plus, votes.minus), votes.plus + votes.minus
    return Said(answer, f"as {most} of {total} neighbours are {_sign(answer)}, so is it", votes.plus, votes.minus)


def _sign(direction: NormalY) -> str:
    return direction.replace("-", "−")
