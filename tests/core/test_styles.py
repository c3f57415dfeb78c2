"""Whatever the style of a folder's names: surfaces come back as they were written, and what is not sure is asked, not guessed."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.core.looks import Kind, pictured
from texelcore.naming.habits import Habit
from texelcore.naming.house import Reader
from texelcore.naming.rules import HouseRules
from texelcore.naming.tokens import key_of_stem
from texelcore.sorting.ask import ask
from texelcore.sorting.questions import Question, Scene
from texelcore.sorting.sort import Sorting, sort_files
from texelcore.surface.files import FileFacts

LOOKS: dict[str, Kind] = {
    "base_colour": "colour",
    "normal": "directions",
    "roughness": "grey",
    "gloss": "grey",
    "metallic": "grey",
    "occlusion": "grey",
    "height": "grey",
    "specular": "specular",
    "emissive": "glow",
    "packed": "packed",
}


@dataclass(frozen=True)
class Style:
    """A way to name maps: each property's file by stem, what the lexicon does not know of it, and what a set is called."""

    name: str
    files: Callable[[str], dict[str, str]]
    unknown: tuple[tuple[str, str], ...] = ()
    title: Callable[[str], str] = str


def ends(pattern: str, **endings: str) -> Callable[[str], dict[str, str]]:
    """Files that a pattern names by stem and ending."""
    return lambda stem: {key: pattern.format(stem, ending) for key, ending in endings.items()}


STYLES = (
    Style("words", ends("{}_{}.png", base_colour="basecolor", normal="normal", roughness="roughness", height="height")),
    Style("words with dashes", ends("{}-{}.png", base_colour="albedo", normal="nrm", occlusion="ao", metallic="metalness")),
    Style("spaced", ends("{} - {}.png", base_colour="Base Color", normal="Normal OpenGL", roughness="Roughness")),
    Style("capitals", ends("{}{}.png", base_colour="BaseColor", normal="Normal", roughness="Roughness")),
    Style("dotted", ends("{}.{}.tga", base_colour="DIFF", normal="NRM", height="DISP")),
    Style("short", ends("{}_{}.png", base_colour="BC", normal="N", packed="ORM")),
    Style("old letters", ends("{}_{}.jpg", base_colour="d", normal="n", specular="s"), (("s", "specular"),)),
    Style("no ending for base colour", lambda stem: {"base_colour": f"{stem}.tga", "normal": f"{stem}_norm.tga"}),
    Style(
        "endings of nobody",
        lambda stem: {"base_colour": f"{stem}.tga", "normal": f"{stem}_dn.tga", "specular": f"{stem}_xs.tga"},
        (("xs", "specular"),),
    ),
    Style("a folder for each", lambda stem: {key: f"{stem}/{key}.png" for key in ("color", "normal", "roughness")}),
    Style("sizes and revisions", ends("{}_{}_2k_v03.png", base_colour="albedo", normal="normal", roughness="rough")),
    Style("size in front of the ending", ends("{}_2048_{}.png", base_colour="Albedo", normal="Normal", occlusion="AO")),
    Style(
        "letters as variants",
        lambda stem: {"base_colour": f"{stem}_b.png", "normal": f"{stem}_b_normal.png"},
        title=lambda stem: f"{stem}_b",
    ),
    Style(
        "colours as variants",
        lambda stem: {"base_colour": f"{stem}_red.png", "normal": f"{stem}_red_nrm.png"},
        title=lambda stem: f"{stem}_red",
    ),
    Style("a property's folders", lambda stem: {"base_colour": f"albedo/{stem}.png", "normal": f"normals/{stem}.png"}),
)

WORDS = (
    "wall",
    "keel",
    "Wheel",
    "brick",
    "PLINTH",
    "lamp_post",
    "sluiceGate",
    "оконо",
    "städtchen",
    "दीवार",
    "7th_pier",
    "v8tap",
)
TAILS = ("", "01", "01a", "3", "_02", "_b", "2b", "XL", "_1c", "-old")
stems = st.lists(
    st.builds(lambda word, tail: word + tail, st.sampled_from(WORDS), st.sampled_from(TAILS)),
    min_size=4,
    max_size=9,
    unique_by=key_of_stem,
)


def arrival(style: Style, names: list[str], folder: str = "") -> dict[str, tuple[str, str]]:
    """Each file's path with the set and the property that it was made as."""
    found = {}
    for stem in names:
        for key, path in style.files(stem).items():
            found[folder + path] = (style.title(stem), "base_colour" if key == "color" else key)
    return found


def facts(meant: dict[str, tuple[str, str]]) -> list[FileFacts]:
    return [pictured(path, LOOKS[key], direction="+Y") for path, (_, key) in meant.items()]


def sorted_as(sorting: Sorting) -> dict[str, tuple[str, str]]:
    found = {}
    for ledger in sorting.ledgers:
        for row in ledger.rows:
            key = "packed" if row.file in found else row.property
            if row.property == "roughness" and row.inverted:
                key = "gloss"
            for file in row.files():
                found[file] = (ledger.name, key)
    return found


def endings_asked(sorting: Sorting, files: list[FileFacts], reader: Reader) -> list[Question]:
    ledgers = {str(number): ledger for number, ledger in enumerate(sorting.ledgers)}
    return ask(Scene(ledgers, {file.id: file for file in files}, sorting.open, reader))


def check(meant: dict[str, tuple[str, str]], unknown: tuple[tuple[str, str], ...]) -> None:
    files = facts(meant)
    first = sort_files(files)
    placed = sorted_as(first)
    wrong = {file: (said, meant[file]) for file, said in placed.items() if said != meant[file]}
    assert not wrong, "wrong in silence"
    # Sets of one name in two folders are asked about for another reason.
    questions = [entry for entry in endings_asked(first, files, Reader()) if entry.kind != "same name"]
    assert len(questions) <= len(unknown), [question.text for question in questions]
    habits = tuple(Habit(words=ending, meanings=(key,)) for ending, key in unknown)
    settled = sort_files(files, Reader(HouseRules(hold=False, habits=habits)))
    assert sorted_as(settled) == meant
    assert not settled.open


@pytest.mark.parametrize("style", STYLES, ids=lambda style: style.name)
@given(names=stems)
def test_surfaces_come_back_as_written(style: Style, names: list[str]) -> None:
    check(arrival(style, names), style.unknown)


@given(names=stems, pair=st.lists(st.sampled_from(STYLES), min_size=2, max_size=3, unique_by=lambda style: style.name))
def test_styles_mix_in_one_arrival(names: list[str], pair: list[Style]) -> None:
    meant: dict[str, tuple[str, str]] = {}
    for number, style in enumerate(pair):
        meant |= arrival(style, names, f"shelf {number}/")
    check(meant, tuple(dict.fromkeys(entry for style in pair for entry in style.unknown)))
