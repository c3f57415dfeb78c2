"""Copies by their names: files whose names are those of others, with what a browser or a file manager adds to a name that is
taken. They make no sets and compete for no rows; a person says what becomes of them."""

from __future__ import annotations

import unicodedata
from collections import defaultdict
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from texelcore.naming.copies import unmarked, without_word
from texelcore.naming.house import Reader
from texelcore.naming.tokens import stem_of
from texelcore.sorting.doubles import nearly_the_same
from texelcore.surface.files import FileFacts


@dataclass(frozen=True)
class Copy:
    """A file, the one that it is a copy of by its name, and how alike the two are, as the end of a sentence."""

    facts: FileFacts
    original: FileFacts
    alike: str


def copies_among(files: Sequence[FileFacts], reader: Reader) -> Iterator[Copy]:
    """The copies among files of some folders. A number in brackets alone is a copy's only where the pictures are nearly the same,
    or where the name says which map it is: "rock (1)" beside "rock" may be another rock."""
    named: dict[tuple[str, str], list[tuple[int, FileFacts]]] = defaultdict(list)
    for facts in files:
        stem = stem_of(facts.path)
        bare = unmarked(stem)
        folder, _, name = facts.path.rpartition("/")
        suffix = name.rpartition(".")[2].casefold()
        key = (folder, f"{unicodedata.normalize('NFC', bare or stem).casefold()}.{suffix}")
        named[key].append((bare is not None, facts))
    for group in named.values():
        originals = [facts for marked, facts in group if not marked]
        if not originals:
            continue
        for facts in sorted((facts for marked, facts in group if marked), key=lambda facts: facts.path):
            same, original = facts.sha256 == originals[0].sha256, originals[0]
            close = same or nearly_the_same(original, facts)
            said = reader.read(original.path)
            if close or without_word(stem_of(facts.path)) or (said is not None and said.strength == "strong"):
                alike = "agree in every byte" if same else "show nearly the same picture" if close else "show other pictures"
                yield Copy(facts, original, alike)
