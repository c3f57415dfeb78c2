"""Recognition of generated file names: eight naming styles, invented surfaces, words as people write them.

The words are listed here on their own, by what practitioners write (common practice), and not taken from the lexicon.
"""

from __future__ import annotations

from hashlib import sha256
from itertools import product

from tests.core.test_sort import facts
from texelcore.naming.habits import Habit
from texelcore.naming.house import Reader
from texelcore.naming.lexicon import Reading, read_name
from texelcore.naming.rules import HouseRules
from texelcore.sorting.ask import ask
from texelcore.sorting.questions import Scene, with_action
from texelcore.sorting.sort import sort_files

# Surfaces on purpose made of words that also name properties, counters, sizes and prefixes.
SURFACES = ("rough iron grate", "colour wheel", "metal 02 hatch", "glow worm jar", "height marker", "normal bench")
# What is written, by what is meant; with the direction where one is said.
SPOKEN = {
    "Base Color": ("base_colour", None),
    "Albedo": ("base_colour", None),
    "Normal OpenGL": ("normal", "+Y"),
    "Normal DX": ("normal", "-Y"),
    "Roughness": ("roughness", None),
    "Smoothness": ("gloss", None),
    "Metalness": ("metallic", None),
    "Ambient Occlusion": ("occlusion", None),
    "Displacement": ("height", None),
    "Emissive": ("emissive", None),
    "Opacity": ("opacity", None),
    "Specular": ("specular", None),
}
SHORT = {
    "diff": ("base_colour", None),
    "alb": None,
    "nrm": ("normal", None),
    "rgh": ("roughness", None),
    "mtl": ("metallic", None),
    "ao": ("occlusion", None),
    "disp": ("height", None),
    "emit": ("emissive", None),
    "spec": ("specular", None),
}


def snake(surface: str, word: str) -> str:
    return f"{surface} {word}".lower().replace(" ", "_") + ".png"


def kebab(surface: str, word: str) -> str:
    return f"{surface} {word} 2k".lower().replace(" ", "-") + ".jpg"


def pascal(surface: str, word: str) -> str:
    return "T_" + surface.title().replace(" ", "") + "_" + word.replace(" ", "") + ".tga"


def spaced(surface: str, word: str) -> str:
    return f"{surface.capitalize()} - {word}.tif"


def camel(surface: str, word: str) -> str:
    joined = f"{surface} {word}".title().replace(" ", "")
    return joined[0].lower() + joined[1:] + ".png"


def upper(surface: str, word: str) -> str:
    return f"{surface} {word} 4096".upper().replace(" ", "_") + ".PNG"


def dotted(surface: str, word: str) -> str:
    return f"{surface} {word}".lower().replace(" ", ".") + ".v003.exr"


def numbered(surface: str, word: str) -> str:
    return f"03_{surface}_{word}_01".replace(" ", "_") + ".png"


STYLES = (snake, kebab, pascal, spaced, camel, upper, dotted, numbered)
# A set is called by its stem as written.
NAMED = {
    snake: "colour_wheel",
    kebab: "colour-wheel",
    pascal: "T_ColourWheel",
    spaced: "Colour wheel",
    camel: "colourWheel",
    upper: "COLOUR_WHEEL",
    dotted: "colour.wheel",
    numbered: "03_colour_wheel_01",
}


def right(reading: Reading | None, meant: tuple[str, str | None]) -> bool:
    return reading is not None and (reading.meanings, reading.direction) == ((meant[0],), meant[1]) and bool(reading.stem)


def test_unambiguous_names_in_eight_styles_are_read() -> None:
    wrong, count = [], 0
    for style, surface, (word, meant) in product(STYLES, SURFACES, (SPOKEN | SHORT).items()):
        if meant is None:
            continue
        name = style(surface, word)
        count += 1
        if not right(read_name(f"inbox/{name}"), meant):
            wrong.append(name)
    assert count >= 150
    assert len(wrong) <= 0.01 * count, wrong


def test_names_that_say_nothing_sure_are_asked_about() -> None:
    """No word of these is a property, or only a lone letter is, without a sibling: each stays open."""
    names = ["scan 0042.png", "IMG_2210.jpg", "grate_alb.png", "grate_final2.png", "hatch_x.png", "jar_r.png", "wheel_b.png"]
    sorting = sort_files(facts(f"{index}/{name}") for index, name in enumerate(names))
    assert not sorting.ledgers
    assert {open_file.file.rpartition("/")[2] for open_file in sorting.open} == set(names)
    assert all(open_file.why.endswith(".") for open_file in sorting.open)


def test_every_style_gives_one_set_with_its_name() -> None:
    for style in STYLES:
        files = [facts(f"inbox/{style('colour wheel', word)}") for word in ("Base Color", "Roughness", "Normal DX")]
        sorting = sort_files(files)
        (ledger,) = sorting.ledgers
        assert ledger.name == NAMED[style]
        assert {row.property for row in ledger.rows} == {"base_colour", "roughness", "normal"}


def test_folders_that_name_only_properties_or_sizes_are_passed_over() -> None:
    files = ["oak/2K/oak_albedo.png", "oak/Normals/oak_normal.png", "oak/textures/Roughness/oak_rough.png", "elm/oak_albedo.png"]
    sorting = sort_files(facts(path) for path in files)
    assert sorted(len(ledger.rows) for ledger in sorting.ledgers) == [1, 3]


def test_a_habit_is_stronger_than_the_lexicon() -> None:
    habits = (
        Habit(words="alb", meanings=("base_colour",)),
        Habit(words="N", meanings=("normal",), direction="-Y"),
        Habit(words="orm", meanings=("roughness", "occlusion", "metallic")),
        Habit(words="preview sheet"),
    )
    files = [facts(f"grate_{end}.png") for end in ("alb_2k", "n", "ORM", "preview_sheet")]
    rules = HouseRules.model_validate({"hold": False, "habits": habits})
    (ledger,) = sort_files(files, Reader(rules)).ledgers
    assert {(row.property, "".join(row.channels)) for row in ledger.rows} == {
        ("base_colour", "RGB"),
        ("normal", "RGB"),
        ("roughness", "R"),
        ("occlusion", "G"),
        ("metallic", "B"),
    }
    normal = ledger.row("normal")
    assert normal and normal.normal_y == "-Y"
    assert [left_out.file for left_out in ledger.left_out] == ["grate_preview_sheet.png"]


def by_set(names: list[str]) -> dict[str, set[str]]:
    """The properties of each set that file names are sorted into, by the set's name."""
    sorting = sort_files(facts(f"inbox/{name}") for name in names)
    assert not sorting.open
    return {ledger.name: {row.property for row in ledger.rows} for ledger in sorting.ledgers}


def test_counters_tell_surfaces_apart_only_where_nothing_else_does() -> None:
    """rock_01 and rock_02 are two surfaces; a number that each map has of its own is only a counter."""
    both = {"base_colour", "normal"}
    assert by_set(["rock_01_diff.png", "rock_01_nor.png", "rock_02_diff.png", "rock_02_nor.png"]) == {
        "rock_01": both,
        "rock_02": both,
    }
    assert by_set(["rock_diff_1k_01.png", "rock_nor_1k_01.png", "rock_diff_1k_02.png"]) == {
        "rock_01": both,
        "rock_02": {"base_colour"},
    }
    assert by_set(["01_rock_diff.png", "02_rock_nor.png"]) == {"rock": both}
    # A mask's number is its name, and a resolution is no counter.
    masks = by_set(["rock_diff_512.png", "rock_diff_256.png", "rock_mask_01.png", "rock_mask_02.png"])
    assert masks == {"rock": {"base_colour", "mask.01", "mask.02"}}


def test_the_later_revision_is_the_source() -> None:
    (ledger,) = sort_files(facts(f"oak_diff_v{number}.png") for number in (2, 10, 9)).ledgers
    row = ledger.row("base_colour")
    assert row and row.file == "oak_diff_v10.png"
    assert all("later revision" in left_out.why for left_out in ledger.left_out) and len(ledger.left_out) == 2


def test_two_maps_for_one_property_are_asked_about() -> None:
    names = ("oak_albedo.png", "oak_diffuse.png", "oak_rough.png", "oak_gloss.png")
    files = {name: facts(name).model_copy(update={"sha256": sha256(name.encode()).hexdigest()}) for name in names}
    (ledger,) = sort_files(files.values()).ledgers
    asked = [entry for entry in ask(Scene({"1": ledger}, files)) if entry.kind == "rivals"]
    assert {entry.about for entry in asked} == {"base_colour", "roughness"}
    (colour,) = (entry for entry in asked if entry.about == "base_colour")
    assert colour.prepared == "first" and [answer.label for answer in colour.answers] == ["oak_albedo.png", "oak_diffuse.png"]
    settled = ledger
    for action in colour.answer("second").actions:
        settled = with_action(settled, action, files)
    row = settled.row("base_colour")
    assert row and row.file == "oak_diffuse.png" and row.sure == "by hand"
    assert not [entry for entry in ask(Scene({"1": settled}, files)) if entry.about == "base_colour"]
