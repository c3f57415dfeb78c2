"""Directions that a map alone cannot tell: its company tells them, or a person is asked; nothing is assumed unsaid."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.ndimage import gaussian_filter

from tests.core.looks import pictured
from tests.core.test_direction import height, normal_map
from tests.core.test_styles import endings_asked
from texelcore.evidence.look import look
from texelcore.naming.house import Reader
from texelcore.pixels.image import Image
from texelcore.sorting.sort import Sorting, sort_files
from texelcore.surface.evidence import Evidence
from texelcore.surface.files import FileFacts
from texelcore.surface.ledger import Row
from texelcore.surface.properties import NormalY


def seen(pixels: np.ndarray) -> Evidence:
    return look(Image.of(pixels))


def folder(name: str, telling: dict[NormalY, int], dumb: int, flat: int = 1) -> list[FileFacts]:
    """A folder's maps: so many that tell each direction, and small and flat ones that do not."""
    files = []
    for direction, count in telling.items():
        for number in range(count):
            stem = f"{name}/wall{'u' if direction == '+Y' else 'd'}{number}"
            files += [pictured(f"{stem}.png", "colour"), pictured(f"{stem}_norm.png", "directions", direction=direction)]
    for number in range(dumb + flat):
        stem = f"{name}/stud{number}"
        normal = pictured(f"{stem}_norm.png", "directions" if number < dumb else "flat", size=32)
        files += [pictured(f"{stem}.png", "colour"), normal]
    return files


def dumb_rows(sorting: Sorting) -> list[Row]:
    found = [ledger.row("normal") for ledger in sorting.ledgers if ledger.name.startswith("stud")]
    return [row for row in found if row]


def asked_about(sorting: Sorting, files: list[FileFacts]) -> set[str]:
    questions = endings_asked(sorting, files, Reader())
    return {file for question in questions if question.kind == "direction" for file in question.files} | {
        file for question in questions if question.kind == "direction" for member in question.members for file in member.files
    }


def test_one_sided_company_decides_and_the_row_says_so() -> None:
    files = folder("rocks", {"-Y": 23, "+Y": 1}, dumb=2)
    sorting = sort_files(files)
    small, other, flat = sorted(dumb_rows(sorting), key=lambda row: row.file)
    assert small.normal_y == other.normal_y == flat.normal_y == "-Y"
    assert small.sure == "seen" and "as 23 of 24 neighbours are −Y" in small.why
    assert flat.sure == "agreed" and "flat" in flat.why
    assert not asked_about(sorting, files)


def test_mixed_company_is_one_question_for_the_folder() -> None:
    files = folder("rocks", {"-Y": 7, "+Y": 6}, dumb=3)
    sorting = sort_files(files)
    questions = [entry for entry in endings_asked(sorting, files, Reader()) if entry.kind == "direction"]
    assert len(questions) == 1 and len(questions[0].members) == 3
    assert "rocks" in questions[0].text and "mixed" in questions[0].text
    assert {row.sure for row in dumb_rows(sorting) if "stud3" not in row.file} == {"assumed"}


def test_maps_none_of_which_can_tell_are_taken_together() -> None:
    files = [
        pictured(f"bits/bit{number}{end}.png", kind, direction="-Y", size=32)
        for number in range(8)
        for end, kind in (("", "colour"), ("_norm", "weak directions"))
    ]
    rows = [ledger.row("normal") for ledger in sort_files(files).ledgers]
    assert {(row.normal_y, row.sure) for row in rows if row} == {("-Y", "seen")}
    assert all(row and "taken together" in row.why for row in rows)
    # Two of them are too few to be sure.
    few = sort_files(files[:4])
    assert {row.sure for ledger in few.ledgers if (row := ledger.row("normal"))} == {"assumed"}


@given(
    st.lists(st.tuples(st.sampled_from(["+Y", "-Y"]), st.integers(0, 14), st.integers(0, 3)), min_size=1, max_size=4),
    st.booleans(),
)
def test_none_is_wrong_and_none_is_assumed_unsaid(shelves: list[tuple[NormalY, int, int]], mix: bool) -> None:
    """Folders of one direction each, with small maps that tell nothing: what is not asked about is right."""
    files, truth = [], {}
    for number, (direction, telling, dumb) in enumerate(shelves):
        counts: dict[NormalY, int] = {direction: telling}
        if mix and telling > 3:
            counts["-Y" if direction == "+Y" else "+Y"] = telling // 2
        here = folder(f"shelf{number}", counts, dumb, flat=0)
        files += here
        truth |= {entry.id: direction for entry in here if "stud" in entry.id}
    sorting = sort_files(files)
    asked = asked_about(sorting, files)
    for row in dumb_rows(sorting):
        assert row.file in asked or row.normal_y == truth[row.file], row.why
        assert (row.sure == "assumed") == (row.file in asked)


def test_holes_are_no_directions() -> None:
    """A cut-out's normal map is black, or clear, where nothing is: those texels are left out of every measurement."""
    whole = normal_map(height("brick"), 10, "-Y")
    holes = np.indices(whole.shape[:2]).sum(0) // 40 % 3 == 0
    black = np.where(holes[..., None], 0, whole).astype(np.uint8)
    clear = np.dstack([np.where(holes[..., None], 128, whole), np.where(holes, 0, 255)]).astype(np.uint8)
    # An atlas that was made smaller: its islands fade into the black around them.
    faded = sum(np.roll(~holes, (down, along), (0, 1)).astype(np.float32) for down in range(-3, 4) for along in range(-3, 4)) / 49
    fringed = np.where(faded[..., None] < 1, whole * faded[..., None] ** 2, whole).astype(np.uint8)
    for pixels in (whole, black, clear, fringed):
        evidence = seen(pixels)
        assert evidence.picture == "vector field"
        assert evidence.direction and evidence.direction.answer == "-Y"
        assert evidence.field and evidence.field.length_error < (0.04 if pixels is fringed else 0.02) and evidence.field.lean < 3


@pytest.mark.parametrize("softness", [0.0, 1.0, 3.0])
def test_masks_beside_black_are_no_directions(softness: float) -> None:
    """Three masks in one picture, or areas marked by colour: what is blue among them stands upright, and nothing else does."""
    for seed in range(20):
        rng = np.random.default_rng(seed)
        fields = np.stack([gaussian_filter(rng.random((128, 128)), size, mode="wrap") for size in rng.integers(2, 9, 3)], -1)
        over = fields > [np.quantile(fields[..., at], rng.uniform(0.3, 0.9)) for at in range(3)]
        apart = np.eye(4, 3)[rng.integers(0, 4, (16, 16))].repeat(8, 0).repeat(8, 1)
        spread = (fields - fields.min((0, 1))) / np.ptp(fields, (0, 1))
        for masks in (over, apart, over * rng.uniform(0.6, 1, 3), over * 0.8 + spread * 0.2):
            pixels = (gaussian_filter(masks * 255.0, (softness, softness, 0), mode="wrap") + rng.uniform(0, 12)).clip(0, 255)
            assert seen(pixels.astype(np.uint8)).picture in ("packed", "colour"), seed


def test_a_constant_normal_map_is_a_normal_map() -> None:
    flat = np.tile(np.array([128, 128, 255], np.uint8), (64, 64, 1))
    files = [pictured("door.png", "colour"), pictured("door_norm.png", "flat")]
    files[1] = files[1].model_copy(update={"evidence": seen(flat)})
    (ledger,) = sort_files(files).ledgers
    row = ledger.row("normal")
    assert row and row.sure == "agreed"
