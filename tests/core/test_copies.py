"""A browser's and a file manager's copies: they make no sets, compete for no rows, and are set aside by *enter*."""

from __future__ import annotations

import pytest

from tests.core.looks import Kind, pictured
from texelcore.naming.copies import unmarked
from texelcore.sorting.ask import ask
from texelcore.sorting.questions import Scene
from texelcore.sorting.sort import Sorting, sort_files
from texelcore.surface.files import FileFacts


@pytest.mark.parametrize(
    ("stem", "bare"),
    [
        ("X_BaseColor (1)", "X_BaseColor"),
        ("X_BaseColor(12)", "X_BaseColor"),
        ("X_BaseColor - Copy", "X_BaseColor"),
        ("X_BaseColor - Copy (2)", "X_BaseColor"),
        ("X_BaseColor copy 2", "X_BaseColor"),
        ("X_BaseColor_kopie", "X_BaseColor"),
        ("X_BaseColor – Kopie (3)", "X_BaseColor"),
        ("X_BaseColor (copy)", "X_BaseColor"),
        ("X_BaseColor (another copy)", "X_BaseColor"),
        ("Kopie von X_BaseColor", "X_BaseColor"),
        ("X - Copy - Copy", "X"),
        # Words of their own, and numbers that are no copy's.
        ("photocopy", None),
        ("wall_copying", None),
        ("hardcopy_normal", None),
        ("X_BaseColor_1", None),
        ("(1)", None),
        ("copy", None),
    ],
)
def test_marks_of_copies_are_told_from_names(stem: str, bare: str | None) -> None:
    assert unmarked(stem) == bare


def asked(sorting: Sorting, files: list[FileFacts]) -> dict[str, tuple[str, list[str]]]:
    ledgers = {str(place): ledger for place, ledger in enumerate(sorting.ledgers)}
    scene = Scene(ledgers, {facts.id: facts for facts in files}, sorting.open)
    return {entry.kind: (entry.prepared, [answer.key for answer in entry.answers]) for entry in ask(scene)}


def test_a_copy_beside_its_original_is_asked_about_and_spoils_no_set() -> None:
    names = ("BaseColor", "Normal", "Roughness")
    kinds: tuple[Kind, ...] = ("colour", "directions", "grey")
    files = [pictured(f"wall/BrickWall_{name}.png", kind, direction="+Y") for name, kind in zip(names, kinds, strict=True)]
    copies = [
        pictured("wall/BrickWall_BaseColor (1).png", "colour"),
        pictured("wall/BrickWall_Normal - Copy.png", "directions", direction="+Y"),
        pictured("wall/BrickWall_Roughness_kopie.png", "grey"),
    ]
    sorting = sort_files([*files, *copies])
    (ledger,) = sorting.ledgers
    assert ledger.name == "BrickWall" and {row.file for row in ledger.rows} == {facts.id for facts in files}
    assert not ledger.left_out
    assert {entry.file for entry in sorting.open} == {facts.id for facts in copies}
    questions = asked(sorting, [*files, *copies])
    assert questions == {"copy": ("aside", ["aside", "second", "each"])}


def test_a_copy_without_its_original_is_read_as_what_it_was() -> None:
    sorting = sort_files(
        [pictured("wall/BrickWall_BaseColor (1).png", "colour"), pictured("wall/BrickWall_Normal.png", "directions")]
    )
    (ledger,) = sorting.ledgers
    assert ledger.name == "BrickWall" and {row.property for row in ledger.rows} == {"base_colour", "normal"}


def test_pictures_that_are_numbered_in_brackets_are_no_copies() -> None:
    marks = ("", " (1)", " (2)")
    rocks = [pictured(f"rocks/Rock{mark}.png", "colour", seed=seed) for seed, mark in enumerate(marks)]
    assert not any(entry.kind == "copy" for entry in sort_files(rocks).open)
    # The same picture under such a name is one.
    rocks = [pictured(f"rocks/Rock{mark}.png", "colour", seed=1) for mark in marks]
    assert [entry.kind for entry in sort_files(rocks).open].count("copy") == 2
