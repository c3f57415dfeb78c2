"""The table of endings: each class of files as a person sees it, and what an ending that is asked about most likely holds."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterable
from dataclasses import dataclass, replace

from texelcore.naming.lexicon import OLDER, Meaning
from texelcore.sorting.cuts import told, unlike
from texelcore.sorting.decide import likely_property
from texelcore.sorting.endings import Survey
from texelcore.sorting.judging import DARK, EndingClass, mean_of, shines
from texelcore.surface.sources import Source


@dataclass(frozen=True)
class Ending:
    """A class of files as the table of endings shows it: how they end, as written; how many, over how many stems; what they look
    like; and what was decided, or None while it is asked. "surface" is an ending that belongs to the stem."""

    ending: str
    written: str
    files: tuple[Source, ...]
    stems: int
    looks: dict[str, int]
    meanings: tuple[str, ...]
    asked: bool
    why: str
    guess: str | None = None
    outliers: tuple[str, ...] = ()


# A word for a few surfaces in another paint may be an accident; one for so many that lose colour is a map (judgement).
MANY, SOME = 8, 0.2


def guesses_of(classes: Iterable[EndingClass]) -> dict[str, str | None]:
    """What each ending that is asked about most likely holds. It is asked about once, and so all its files are looked at
    together, whatever folders they lie in."""
    asked: dict[str, list[EndingClass]] = defaultdict(list)
    for kind in classes:
        if kind.ask:
            asked[kind.ending].append(kind)
    return {ending: _guess_of(_together(kinds)) for ending, kinds in asked.items()}


def _together(kinds: list[EndingClass]) -> EndingClass:
    """Classes of one ending as one; what most of the files stand beside, and what most may mean, counts for all."""
    pieces = [piece for kind in kinds for piece in kind.pieces]
    largest = max(kinds, key=lambda kind: len(kind.pieces))
    return replace(largest, pieces=pieces, paler=sum(kind.paler for kind in kinds))


def _guess_of(kind: EndingClass) -> str | None:
    """By the pixels of its files first, and by what the ending may mean."""
    looks = Counter(piece.look for piece in kind.pieces)
    coloured = looks["colour"] > 0.5 * len(kind.pieces)
    dark = sum(mean_of(piece.facts) for piece in kind.pieces) / len(kind.pieces) < DARK
    may: tuple[Meaning, ...] = OLDER.get(kind.ending, kind.meanings)
    if kind.meanings == ("gloss",):
        # Nothing here is metallic or rough, or these are coloured: the strength or colour of specular light.
        return "specular"
    if "emissive" in may and "gloss" in may:
        return "emissive" if dark or coloured else "gloss"
    if "base_colour" in may and "height" in may:
        return "base_colour" if coloured else "height"
    if may:
        return may[0]
    if kind.beside == "no base colour" or (coloured and not dark and not kind.beside):
        return "base_colour"
    # Glow maps with a ground of one colour are common enough among those with a black one.
    glowing = sum(shines(piece.facts) for piece in kind.pieces) > 0.4 * len(kind.pieces)
    paler = len(kind.pieces) >= MANY and kind.paler > 0.5 * len(kind.pieces)
    if kind.beside == "a base colour" and coloured:
        return "emissive" if glowing else "specular" if dark or paler else "surface"
    if looks["colour"] > SOME * len(kind.pieces) and (glowing or paler):
        # No map of one channel is in colour even now and then.
        return "emissive" if glowing else "specular"
    votes = Counter(guess for piece in kind.pieces if (guess := likely_property(piece.facts)))
    best = votes.most_common(1)
    # Without a clear majority pixels say nothing of the class.
    return best[0][0] if best and best[0][1] > 0.6 * len(kind.pieces) and len(kind.pieces) > 2 else None


def table_of(seen: Survey, guesses: dict[str, str | None]) -> tuple[Ending, ...]:
    """All classes with one ending and one decision as one line, largest first."""
    merged: dict[tuple[str, tuple[str, ...], bool], list[EndingClass]] = defaultdict(list)
    for kind in seen.classes:
        if kind.pieces and (kind.ask or kind.meanings):
            merged[kind.ending, kind.meanings if not kind.ask else (), kind.ask].append(kind)
    lines = [_line(ending, meanings, asked, kinds, guesses) for (ending, meanings, asked), kinds in merged.items()]
    bare = [piece for piece in seen.pieces if piece.final and not piece.final.ending]
    if bare:
        ids = tuple(piece.facts.id for piece in bare)
        looks = told(piece.look for piece in bare)
        why = "The whole name is the stem of a set that has other maps."
        outliers = tuple(piece.facts.id for piece in bare if unlike(piece.look, looks))
        lines.append(
            Ending("", "", ids, len({piece.place for piece in bare}), dict(looks), ("base_colour",), False, why, None, outliers)
        )
    return tuple(sorted(lines, key=lambda line: (not line.asked, -len(line.files), line.ending)))


def _line(
    ending: str, meanings: tuple[str, ...], asked: bool, kinds: list[EndingClass], guesses: dict[str, str | None]
) -> Ending:
    pieces = [piece for kind in kinds for piece in kind.pieces if piece.cut]
    written = Counter(piece.cut.written for piece in pieces if piece.cut).most_common(1)
    looks = told(piece.look for piece in pieces)
    return Ending(
        ending=ending,
        written=written[0][0] if written else ending,
        files=tuple(piece.facts.id for piece in pieces),
        stems=len({(piece.home, piece.cut.stem_key) for piece in pieces if piece.cut}),
        looks=dict(looks),
        meanings=meanings,
        asked=asked,
        why=next((kind.why for kind in kinds if kind.why), ""),
        guess=guesses.get(ending) if asked else None,
        outliers=tuple(piece.facts.id for piece in pieces if unlike(piece.look, looks)),
    )
