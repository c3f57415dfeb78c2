"""The project document: what holds together, what is refused, and how it meets a folder of other files."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from texelcore.evidence.facts import facts_of
from texelcore.naming.rules import HouseRules
from texelcore.pixels.errors import TexelError
from texelcore.project.document import VERSION, ProjectDocument, ProjectFile, ProjectSet, read_project
from texelcore.project.meeting import meet
from texelcore.sorting.sort import sort_files
from texelcore.surface.files import FileFacts
from texelcore.targets.library import shipped

ROOT = Path(__file__).resolve().parents[2]
Picture = Callable[..., Path]


def folder_of(picture: Picture, tmp: Path, files: dict[str, int]) -> dict[str, FileFacts]:
    """Facts of small pictures by their paths below `tmp`; the number says what is in each."""
    facts = {}
    for path, seed in files.items():
        grey = {"shape": (16, 16, 1)} if "rough" in path else {}
        facts[path] = facts_of(picture(f"{tmp.name}/{path}", seed=seed, **grey), path)
    return facts


def decided(files: dict[str, FileFacts], **more: Any) -> ProjectDocument:
    """The document of a project that sorted these files, under ids of its own."""
    sorting = sort_files(files.values())
    ids = {path: f"id{number}" for number, path in enumerate(sorted(files))}
    text = json.dumps([ledger.model_dump(mode="json") for ledger in sorting.ledgers])
    for path in sorted(ids, key=len, reverse=True):
        text = text.replace(f'"file": "{path}"', f'"file": "{ids[path]}"')
    sets = [ProjectSet(name=body["name"], code=body["name"].lower(), ledger=body) for body in json.loads(text)]
    return ProjectDocument(
        title="Weir",
        code="we",
        target="orbit-desktop",
        rules=HouseRules(hold=False),
        targets=tuple(shipped().values()),
        files=tuple(ProjectFile(id=ids[path], path=path, sha256=facts.sha256) for path, facts in files.items()),
        sets=tuple(sets),
        **more,
    )


OAK = {"town/oak_albedo.png": 1, "town/oak_rough.png": 2, "town/elm_albedo.png": 3}


def test_a_document_is_read_back_as_it_was_written(picture: Picture, tmp_path: Path) -> None:
    document = decided(folder_of(picture, tmp_path, OAK))
    assert read_project(document.to_json(), "weir.json") == document
    assert read_project(document.to_json(), "weir.json").to_json() == document.to_json()


def test_the_same_files_meet_what_was_decided_whatever_folder_they_lie_in(picture: Picture, tmp_path: Path) -> None:
    files = folder_of(picture, tmp_path, OAK)
    document = decided(files)
    elsewhere = {
        f"deep/er/{path}": facts.model_copy(update={"id": f"deep/er/{path}", "path": f"deep/er/{path}"})
        for path, facts in files.items()
    }
    for here, prefix in ((files, ""), (elsewhere, "deep/er/")):
        met = meet(document, here)
        assert met.open == () and [texture_set.code for texture_set in met.sets] == ["elm", "oak"]
        assert met.sets[1].ledger.row("roughness").file == f"{prefix}town/oak_rough.png"  # type: ignore[union-attr]
        assert not any(texture_set.missing for texture_set in met.sets)


def test_an_export_of_the_same_path_keeps_what_was_decided_and_what_is_new_is_sorted(picture: Picture, tmp_path: Path) -> None:
    document = decided(folder_of(picture, tmp_path / "a", OAK))
    grown = OAK | {"town/oak_rough.png": 9, "town/elm_rough.png": 4, "town/fir_albedo.png": 5, "town/scan 01.png": 6}
    met = meet(document, folder_of(picture, tmp_path / "b", grown))
    by_code = {texture_set.code: texture_set for texture_set in met.sets}
    assert by_code["oak"].ledger.row("roughness").file == "town/oak_rough.png"  # type: ignore[union-attr]
    # A new map joins the set that it belongs to; a new set has no decision behind it.
    assert by_code["elm"].ledger.row("roughness").file == "town/elm_rough.png"  # type: ignore[union-attr]
    assert by_code["fir"].decided is None and by_code["elm"].decided is not None
    assert [open_file.file for open_file in met.open] == ["town/scan 01.png"]


def test_what_is_not_here_is_said_by_its_path(picture: Picture, tmp_path: Path) -> None:
    files = folder_of(picture, tmp_path, OAK)
    met = meet(decided(files), {path: facts for path, facts in files.items() if "rough" not in path})
    oak = next(texture_set for texture_set in met.sets if texture_set.code == "oak")
    assert oak.missing == ("town/oak_rough.png",)
    assert oak.ledger.row("roughness") is None and oak.ledger.row("base_colour") is not None


def edited(document: ProjectDocument, **change: Any) -> str:
    return json.dumps(json.loads(document.to_json()) | change)


def test_a_document_that_is_none_or_does_not_hold_together_is_refused_in_words(picture: Picture, tmp_path: Path) -> None:
    document = decided(folder_of(picture, tmp_path, OAK))
    body = json.loads(document.to_json())
    deep = '{"format": "fair-texel-project", "a": ' + "[" * 100_000 + "]" * 100_000 + "}"
    cases = {
        "is not a JSON document": ["", "{", "PK\x03\x04", deep],
        "is no project document": ["[]", "{}", edited(document, format="other")],
        "is of version 2; this application knows 1": [edited(document, version=VERSION + 1)],
        "which the document does not list": [edited(document, files=[])],
        "which the document does not hold": [edited(document, targets=[]), edited(document, target="engine-of-others")],
        "no plain relative path": [
            edited(document, folders=["../x"]),
            edited(document, folders=["a//b"]),
            edited(document, folders=["/etc"]),
            edited(document, files=[body["files"][0] | {"path": "..\\..\\x.png"}, *body["files"][1:]]),
        ],
        "share one code": [edited(document, sets=[body["sets"][0], body["sets"][0]])],
        "does not hold together at": [
            edited(document, more=1),
            edited(document, code="../../x"),
            edited(document, sets=[body["sets"][0] | {"code": "a/b"}]),
            edited(document, files=[body["files"][0] | {"sha256": "x"}]),
        ],
    }
    for said, texts in cases.items():
        for text in texts:
            with pytest.raises(TexelError) as refused:
                read_project(text, "weir.json")
            assert refused.value.subject == "weir.json" and said in refused.value.problem, (said, text[:80])
            assert refused.value.way_out


@given(st.binary(max_size=200) | st.text(max_size=200))
def test_no_text_makes_the_reader_stumble(text: bytes | str) -> None:
    with pytest.raises(TexelError):
        read_project(text, "weir.json")
