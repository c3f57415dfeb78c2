"""Gathering by hand: one file is picked, and its siblings follow into a set."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from texelcore.naming.house import Reader
from texelcore.naming.lexicon import Reading, peel
from texelcore.naming.tokens import key_of_stem, stem_of
from texelcore.sorting.cuts import home_folder
from texelcore.sorting.decide import likely_property
from texelcore.sorting.neighbours import Company
from texelcore.sorting.sort import Group, ledger_of
from texelcore.surface.files import FileFacts
from texelcore.surface.ledger import Ledger, LeftOut
from texelcore.surface.properties import property_of


def siblings_of(picked: FileFacts, others: Iterable[FileFacts], reader: Reader | None = None) -> tuple[FileFacts, ...]:
    """The files that go with a picked one: of the same folder and stem, by path.

    Where a name says nothing, its stem is all but its last word.
    """
    reader = reader or Reader()
    home, stem = home_folder(picked.path), key_of_stem(_stem(picked, reader))
    found = [
        facts
        for facts in others
        if facts.id != picked.id and home_folder(facts.path) == home and stem in (key_of_stem(_stem(facts, reader)), _bare(facts))
    ]
    return tuple(sorted(found, key=lambda facts: (facts.path.casefold(), facts.path)))


def gather(files: Sequence[FileFacts], reader: Reader | None = None, name: str = "") -> Ledger:
    """The ledger of files that a person has put together: weak names count, and what still says nothing is left out, to be
    assigned in the ledger. Without a name the set is called after the first file's stem."""
    reader = reader or Reader()
    read = [(facts, _said(facts, files, reader)) for facts in files]
    title = name or _stem(files[0], reader) or home_folder(files[0].path).rpartition("/")[2]
    group = Group(title, [(facts, said) for facts, said in read if said], home_folder(files[0].path))
    ledger, unsettled = ledger_of(group, together=True, company=Company())
    left = [LeftOut(file=entry.file, why=entry.why) for entry in unsettled]
    left += [LeftOut(file=facts.id, why=_says_nothing(facts)) for facts, said in read if not said]
    return ledger.model_copy(update={"left_out": (*ledger.left_out, *left)})


def _said(facts: FileFacts, files: Sequence[FileFacts], reader: Reader) -> Reading | None:
    """What a file's name says among those it was put together with: one that all others are named after is their base colour."""
    said = reader.read(facts.path, max(facts.width, facts.height))
    if said is None and any(_bare(facts) == key_of_stem(_stem(other, reader)) for other in files if other is not facts):
        return Reading(stem_of(facts.path), "", ("base_colour",), "strong", "")
    return said


def _bare(facts: FileFacts) -> str:
    return key_of_stem(stem_of(facts.path))


def _stem(facts: FileFacts, reader: Reader) -> str:
    reading = reader.read(facts.path, max(facts.width, facts.height))
    if reading:
        return reading.stem + reading.behind
    peeled = peel(reader.core(facts.path))
    stem, _, _ = peeled.stem_before(max(1, len(peeled.tokens) - 1))
    return stem


def _says_nothing(facts: FileFacts) -> str:
    guess = likely_property(facts)
    looks = f"; its pixels look like {property_of(guess).title.lower()}" if guess else ""
    return f"Its name does not say what it holds{looks}. Drag it onto a row."
