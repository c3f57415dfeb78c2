"""What is prepared as the answer to a question about an ending: all files that end so speak, whatever folders they lie in."""

from __future__ import annotations

from itertools import permutations
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image as Pillow

from tests.core.looks import Kind, pictured
from tests.core.test_evidence import COLOUR, CREASES, GREY, METAL, stored
from texelcore.building.repack import measured_rows
from texelcore.evidence.facts import facts_of
from texelcore.naming.habits import MEANINGS
from texelcore.naming.house import Reader
from texelcore.naming.rules import HouseRules
from texelcore.sorting.classes import classes_asked
from texelcore.sorting.decide import rows_of_layout
from texelcore.sorting.layouts import layout_habit
from texelcore.sorting.sort import sort_files

FOLDERS = ("doors", "walls", "floors")


@pytest.mark.parametrize(
    ("kinds", "prepared"),
    [
        # By folder: how the files of an ending that nobody knows look, beside a base colour and a normal map each.
        ((("pale specular", 4), ("grey", 5), ("grey", 3)), "specular"),
        ((("specular", 4), ("specular", 3), ("specular", 3)), "specular"),
        ((("glow", 3), ("grey", 3), ("glow", 4)), "emissive"),
        ((("colour", 3), ("colour", 2), ("colour", 1)), "surface"),
    ],
)
def test_prepared_answers_weigh_all_files_of_an_ending(kinds: tuple[tuple[Kind, int], ...], prepared: str) -> None:
    files = []
    for folder, (kind, count) in zip(FOLDERS, kinds, strict=True):
        for number in range(count):
            stem = f"{folder}/{folder[0]}{'abcdefgh'[number]}rk"
            files += [pictured(f"{stem}.png", "colour"), pictured(f"{stem}_norm.png", "directions", direction="+Y")]
            files.append(pictured(f"{stem}_xs.png", kind))
    sorting = sort_files(files)
    (line,) = [line for line in sorting.endings if line.ending == "xs"]
    assert line.asked and line.guess == prepared and len(line.files) == sum(count for _, count in kinds)


PACKED = {"o": (CREASES, "occlusion"), "a": (CREASES, "occlusion"), "r": (GREY, "roughness"), "m": (METAL, "metallic")}


@pytest.mark.parametrize("word", ["".join(order) for first in "oa" for order in permutations((first, "r", "m"))])
def test_packed_letters_are_read_in_every_order_beside_siblings_and_alone(word: str, tmp_path: Path) -> None:
    base, packed = tmp_path / "rock_albedo.png", tmp_path / f"rock_{word}.png"
    Pillow.fromarray(stored(COLOUR)).save(base)
    Pillow.fromarray(stored(np.stack([PACKED[letter][0] for letter in word], -1))).save(packed)
    facts = [facts_of(path, path.name) for path in (base, packed)]
    (ledger,) = sort_files(facts).ledgers
    held = {row.property: row.channels for row in ledger.rows if row.file == facts[1].id}
    assert held == {PACKED[letter][1]: (channel,) for letter, channel in zip(word, "RGB", strict=True)}
    assert {row.property: row.channels for row in measured_rows(facts[1])} == held


@pytest.mark.parametrize(
    ("order", "label"),
    [
        ((METAL, CREASES, GREY), "Metallic in R, occlusion in G, roughness in B"),
        ((GREY, GREY.T, 1 - GREY), "A mask in each channel"),
    ],
)
def test_unlike_channels_are_prepared_as_what_they_clearly_are_or_as_masks(
    order: tuple[np.ndarray, ...], label: str, tmp_path: Path
) -> None:
    facts = []
    for stem in ("rock", "clay", "mud"):
        for ending, pixels in (("albedo", COLOUR), ("xq", np.stack(order, -1))):
            path = tmp_path / f"{stem}_{ending}.png"
            Pillow.fromarray(stored(pixels)).save(path)
            facts.append(facts_of(path, path.name))
    sorting = sort_files(facts)
    (question,) = classes_asked(sorting.open)
    answer = question.answer(question.prepared)
    assert answer.label == label and answer.habit
    # Taught, all that end so hold that.
    taught = sort_files(facts, Reader(HouseRules(habits=(answer.habit,))))
    assert not taught.open and all(len(ledger.rows) == 4 for ledger in taught.ledgers)


CHANNELS = st.fixed_dictionaries({}, optional={letter: st.sampled_from(["", *MEANINGS]) for letter in "RGBA"})


@given(held=CHANNELS)
def test_a_layout_that_is_said_by_channel_is_what_files_hold_or_says_why_not(held: dict[str, str]) -> None:
    facts = pictured("rock_xq.png", "masked colour")
    try:
        habit = layout_habit("xq", held)
    except ValueError as error:
        assert any(word in str(error) for word in ("takes", "has to hold"))
        return
    rows = rows_of_layout(facts, habit.meanings, habit.channels, "by hand", "Somebody has said")
    assert not isinstance(rows, str)
    said = {letter: meaning for letter, meaning in held.items() if meaning}
    assert {channel for row in rows for channel in row.channels} == set(said)
    for row in rows:
        meant = {said[channel] for channel in row.channels}
        assert len(meant) == 1 and row.inverted == (meant == {"gloss"})
