"""Gathering by hand: one file is picked, and its siblings follow into a set."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from texelcore.naming.habits import Habit, content_of
from texelcore.naming.lexicon import read_name
from texelcore.naming.tokens import Token, counters_of, title_of
from texelcore.sorting.decide import likely_property
from texelcore.sorting.sort import Group, home_folder, ledger_of, stem_key
from texelcore.surface.ledger import FileFacts, Ledger, LeftOut
from texelcore.surface.properties import property_of


def siblings_of(picked: FileFacts, others: Iterable[FileFacts], habits: Sequence[Habit] = ()) -> tuple[FileFacts, ...]:
    """The files that go with a picked one: of the same folder and stem, by path.

    Where a name says nothing, its stem is all but its last word. Where the picked file carries counters and some sibling
    carries the same, those with others are of another surface.
    """
    home, stem = home_folder(picked.path), stem_key(_stem(picked.path, habits))
    found = [
        facts
        for facts in others
        if facts.id != picked.id and home_folder(facts.path) == home and stem_key(_stem(facts.path, habits)) == stem
    ]
    counted = [facts for facts in found if counters_of(facts.path) == counters_of(picked.path)]
    return tuple(sorted(counted or found, key=lambda facts: (facts.path.casefold(), facts.path)))


def gather(files: Sequence[FileFacts], habits: Sequence[Habit] = (), name: str = "") -> Ledger:
    """The ledger of files that a person has put together: weak names count, and what still says nothing is left out, to be
    assigned in the ledger. Without a name the set is called after the first file's stem."""
    read = [(facts, read_name(facts.path, habits)) for facts in files]
    group = Group(name or title_of(_stem(files[0].path, habits)), [(facts, said) for facts, said in read if said])
    ledger, unsettled = ledger_of(group, together=True)
    left = [LeftOut(file=entry.file, why=entry.why) for entry in unsettled]
    left += [LeftOut(file=facts.id, why=_says_nothing(facts)) for facts, said in read if not said]
    return ledger.model_copy(update={"left_out": (*ledger.left_out, *left)})


def _stem(path: str, habits: Sequence[Habit]) -> tuple[Token, ...]:
    reading = read_name(path, habits)
    content = content_of(path)
    return reading.stem if reading else content[:-1] or content


def _says_nothing(facts: FileFacts) -> str:
    guess = likely_property(facts)
    looks = f"; its pixels look like {property_of(guess).title.lower()}" if guess else ""
    return f"Its name does not say what it holds{looks}. Drag it onto a row."
