"""The table of endings: each class of files as a person sees it, and what an ending that is asked about most likely holds."""

from __future__ import annotations

from collections import Counter, defaultdict
from dataclasses import dataclass

from texelcore.naming.lexicon import OLDER, Meaning
from texelcore.sorting.cuts import told, unlike
from texelcore.sorting.decide import likely_property
from texelcore.sorting.endings import Survey
from texelcore.sorting.judging import DARK, EndingClass, mean_of, shines


@dataclass(frozen=True)
class Ending:
    """A class of files as the table of endings shows it: how they end, as written; how many, over how many stems; what they look
    like; and what was decided, or None while it is asked. "surface" is an ending that belongs to the stem."""

    ending: str
    written: str
    files: tuple[str, ...]
    stems: int
    looks: dict[str, int]
    meanings: tuple[str, ...]
    asked: bool
    why: str
    guess: str | None = None
    outliers: tuple[str, ...] = ()


def guess_of(kind: EndingClass) -> str | None:
    """What the files of an asked class most likely hold: by their pixels first, and by what the ending may mean."""
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
    if kind.beside == "a base colour":
        glowing = sum(shines(piece.facts) for piece in kind.pieces) > 0.5 * len(kind.pieces)
        return "emissive" if glowing else "specular" if dark else "surface"
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
