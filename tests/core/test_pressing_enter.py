"""Answers that are prepared do no harm to whoever presses enter."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PIL import Image as Pillow

from tests.core.test_direction import height, normal_map
from tests.core.test_evidence import COLOUR, GREY, stored
from tests.core.test_project_document import decided
from texelcli.main import run
from texelcli.reading import read_folder
from texelcore.sorting.ask import ask
from texelcore.sorting.questions import Question, Scene
from texelcore.sorting.sort import sort_files
from texelcore.surface.ledger import Ledger

RELIEF = normal_map(height("brick"), 10, "+Y")
PAINT, SHADE = stored(COLOUR), stored(GREY)
Sorted = Callable[[dict[str, np.ndarray]], tuple[dict[str, Ledger], list[Question]]]


@pytest.fixture
def arrive(tmp_path: Path) -> Sorted:
    """Pictures by the names of their files: the sets that they become, and what is asked."""

    def sort(pictures: dict[str, np.ndarray]) -> tuple[dict[str, Ledger], list[Question]]:
        for name, pixels in pictures.items():
            Pillow.fromarray(pixels).save(tmp_path / name)
        files = read_folder(tmp_path).files
        sorting = sort_files(files.values())
        ledgers = {ledger.name: ledger for ledger in sorting.ledgers}
        return ledgers, list(ask(Scene(ledgers, files, sorting.open)))

    return sort


def rows(ledger: Ledger) -> dict[str, str]:
    return {row.property: row.file for row in ledger.rows}


def test_one_file_for_two_properties_of_a_set_is_no_needless_copy(arrive: Sorted) -> None:
    ledgers, asked = arrive({"lamp.png": PAINT, "lamp_norm.png": RELIEF, "lamp_glow.png": PAINT})
    assert rows(ledgers["lamp"]) == {"base_colour": "lamp.png", "normal": "lamp_norm.png", "emissive": "lamp_glow.png"}
    (question,) = asked
    assert "Base colour and emissive of lamp are the same file" in question.text
    assert question.answer(question.prepared).actions == ()


def test_what_nothing_uses_is_a_needless_copy_also_beside_such_a_pair(arrive: Sorted) -> None:
    _, asked = arrive({"lamp.png": PAINT, "lamp_norm.png": RELIEF, "lamp_glow.png": PAINT, "zebra.png": PAINT})
    prepared = {file for question in asked for action in question.answer(question.prepared).actions if (file := action.file)}
    assert [question.kind for question in asked].count("double") == 2 and prepared == {"zebra.png"}


def test_of_twins_in_two_formats_the_one_without_loss_gives_all(arrive: Sorted) -> None:
    both = np.dstack([PAINT, SHADE])
    ledgers, asked = arrive({"rail.jpg": PAINT, "rail.tga": both, "rail_norm.tga": RELIEF})
    assert rows(ledgers["rail"]) == {"base_colour": "rail.tga", "opacity": "rail.tga", "normal": "rail_norm.tga"}
    assert [(left.file, left.why) for left in ledgers["rail"].left_out] == [
        ("rail.jpg", "rail.tga shows the same, and loses nothing.")
    ]
    assert asked == []


def test_pictures_of_one_name_that_differ_are_asked_about(arrive: Sorted) -> None:
    _, asked = arrive({"rail.jpg": np.roll(PAINT, 90, axis=1), "rail.tga": PAINT, "rail_norm.tga": RELIEF})
    assert [question.kind for question in asked] == ["rivals"]


def test_a_dark_glow_with_a_normal_map_of_its_own_is_no_surface(arrive: Sorted) -> None:
    ledgers, asked = arrive(
        {
            "lamp.tga": PAINT,
            "lamp_norm.tga": RELIEF,
            "lamp_glow.tga": PAINT[::-1] // 8,
            "lamp_glow_norm.tga": np.roll(RELIEF, 40, axis=1),
            "post.tga": PAINT[:, ::-1],
            "post_norm.tga": np.roll(RELIEF, 70, axis=1),
            "post_glow.tga": np.roll(PAINT, 60, axis=1),
        }
    )
    assert set(ledgers) == {"lamp", "post"} and asked == []
    assert rows(ledgers["lamp"]) == {"base_colour": "lamp.tga", "normal": "lamp_norm.tga", "emissive": "lamp_glow.tga"}


def test_an_older_word_beside_its_picture_is_asked_about_and_nothing_stands_alone(arrive: Sorted) -> None:
    _, asked = arrive({"asphalt.png": PAINT, "asphalt_bump.png": SHADE})
    (question,) = asked
    assert question.kind == "ending" and question.answer(question.prepared).label == "Height"


def test_a_colour_ends_no_name(arrive: Sorted) -> None:
    _, asked = arrive({"c_orange.png": PAINT, "c_glow.png": PAINT // 8, "wall.png": np.roll(PAINT, 60, axis=1)})
    (question,) = asked
    assert question.kind == "alone" and question.answer(question.prepared).label == "A set each"


def test_pressing_enter_goes_on_until_nothing_is_open(tmp_path: Path, arrive: Sorted, capsys: pytest.CaptureFixture[str]) -> None:
    arrive(
        {
            "road.png": PAINT,
            "road_bump.png": SHADE,
            "reef.png": np.roll(PAINT, 50, axis=0),
            "tide.png": np.roll(PAINT, 50, axis=0),
        }
    )
    assert run(["sort", str(tmp_path), "--prepared", "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    held = {ledger["name"]: {row["property"]: row["file"] for row in ledger["rows"]} for ledger in told["sets"]}
    # Both were to be sets of their own and one of them a needless copy: a set keeps what it was given.
    assert held == {
        "road": {"base_colour": "road.png", "height": "road_bump.png"},
        "reef": {"base_colour": "reef.png"},
        "tide": {"base_colour": "tide.png"},
    }
    assert (told["open"], told["questions"], told["aside"]) == ([], [], {})
    assert [habit["meanings"] for habit in told["habits"]] == [["height"]]
    assert [answer["kind"] for answer in told["answers"]] == ["ending", "alone", "shared"]


def test_what_a_document_has_decided_is_neither_asked_about_nor_lost(
    tmp_path: Path, arrive: Sorted, capsys: pytest.CaptureFixture[str]
) -> None:
    arrive({"oak_albedo.png": PAINT, "oak_rough.png": SHADE})
    file = tmp_path / "weir.json"
    file.write_text(decided(read_folder(tmp_path).files).to_json())
    # A set of the same name in another folder, whose colour is the decided one's byte for byte.
    (tmp_path / "far").mkdir()
    arrive({"far/oak_albedo.png": PAINT, "far/oak_bump.png": SHADE})
    assert run(["sort", str(tmp_path), "--prepared", "--json", "--project-document", str(file)]) == 0
    told = json.loads(capsys.readouterr().out)
    held = sorted(sorted(row["file"] for row in ledger["rows"]) for ledger in told["sets"])
    assert held == [["far/oak_albedo.png", "far/oak_bump.png"], ["oak_albedo.png", "oak_rough.png"]]
    assert (told["open"], told["questions"], told["aside"]) == ([], [], {})
