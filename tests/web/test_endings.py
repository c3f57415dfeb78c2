"""A crate of somebody else's files, as a browser meets it: the table of endings, questions about classes, tiles, and checks."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import pytest

from tests.web.conftest import Caller, run_queued
from texeldemo.crate import export_crate
from texelweb.sets.models import SourceFile, TextureSet

Body = Callable[..., bytes]
WHERE = "/projects/weir"


@pytest.fixture(scope="module")
def crate(tmp_path_factory: pytest.TempPathFactory) -> dict[str, bytes]:
    folder = tmp_path_factory.mktemp("crate")
    export_crate(folder, 128)
    return {path.relative_to(folder).as_posix(): path.read_bytes() for path in sorted(folder.rglob("*")) if path.is_file()}


@pytest.fixture
def arrived(artist: Caller, crate: dict[str, bytes]) -> Any:
    artist.send("weir", crate)
    return artist.get(f"{WHERE}/questions")


def about(questions: Any, ending: str) -> Any:
    return next(entry for entry in questions["open"] if entry["question"]["about"] == ending)


def ending(caller: Caller, name: str, asked: bool = False) -> Any:
    lines = caller.get(f"{WHERE}/endings")["endings"]
    return next(line for line in lines if (line["ending"], line["asked"]) == (name, asked))


def used(name: str) -> dict[str, str]:
    """What a set's rows read, by property."""
    ledger = TextureSet.objects.get(name=name).ledger
    return {row.property: SourceFile.objects.get(pk=row.file).path for row in ledger.rows}


def test_a_crate_is_told_by_its_endings(artist: Caller, guest: Caller, arrived: Any) -> None:
    kinds = [entry["question"]["kind"] for entry in arrived["open"]]
    assert kinds == ["ending", "ending", "alone"]
    names = set(TextureSet.objects.values_list("name", flat=True))
    assert {"wheel01", "brick01a", "brick01b", "lev3_wall", "plank_c", "sluice_lamp2", "hull", "rock_02", "rock_05"} <= names
    table = guest.get(f"{WHERE}/endings")
    assert [(line["ending"], line["files"], line["guess"]) for line in table["endings"][:2]] == [
        ("xs", 5, "specular"),
        ("gw", 3, "emissive"),
    ]
    bare, normals = ending(guest, ""), ending(guest, "dn")
    assert bare["meanings"] == ["base_colour"] and "whole name" in bare["why"]
    assert normals["meanings"] == ["normal"] and normals["stems"] == 11
    # Green points down throughout, also where a map is flat and small.
    directions = {entry.ledger.row("normal").normal_y for entry in TextureSet.objects.all() if entry.ledger.row("normal")}
    assert directions == {"-Y"}


def test_a_class_is_settled_at_once_and_taken_back_at_once(artist: Caller, arrived: Any) -> None:
    key = about(arrived, "xs")["question"]["key"]
    after = artist.ask("POST", f"{WHERE}/questions/{key}/answer", {})
    assert after["gone"] == [key] and after["total"] == arrived["total"] - 1
    assert used("lev3_wall")["specular"] == "mill/lev3_wall_xs.tga"
    # No habit was taught, and still the table says what was decided.
    settled = ending(artist, "xs")
    assert settled["meanings"] == ["specular"] and not settled["habit"]
    artist.ask("POST", f"{WHERE}/settled/{after['settled'][0]['act']}/undo")
    assert "specular" not in used("lev3_wall")
    assert ending(artist, "xs", asked=True)["files"] == 5


def test_some_of_a_class_are_answered_otherwise(artist: Caller, arrived: Any) -> None:
    asked = about(arrived, "xs")
    chosen = [member["key"] for member in asked["members"] if member["files"][0]["name"].startswith(("wheel01", "grate"))]
    where = f"{WHERE}/questions/{asked['question']['key']}/answer"
    after = artist.ask("POST", where, {"answer": "set aside", "members": chosen})
    assert about(after, "xs")["total"] == 3
    assert SourceFile.objects.filter(set_aside=True).count() == 2
    rest = artist.ask("POST", where, {"answer": "as gloss"})
    assert used("wheel02")["roughness"] == "mill/wheel02_xs.tga" and "roughness" not in used("wheel01")
    assert len(rest["settled"]) == 2
    assert artist("POST", where, {"answer": "as gloss"}).status_code == 409


def test_pictures_that_stand_alone_are_one_question_by_folder(artist: Caller, arrived: Any) -> None:
    alone = next(entry for entry in arrived["open"] if entry["question"]["kind"] == "alone")
    assert alone["total"] == 7 and {place["place"] for place in alone["places"]} == {"mill", "posters"}
    where = f"{WHERE}/questions/{alone['question']['key']}/answer"
    artist.ask("POST", where, {"answer": "set aside", "places": ["posters"]})
    # One of them only says where something is.
    chosen = [member["key"] for member in alone["members"] if member["files"][0]["name"].startswith("plank_b")]
    after = artist.ask("POST", where, {"answer": "masks", "members": chosen})
    assert used("plank_b") == {f"mask.{name}": "mill/plank_b.tga" for name in "rgb"}
    assert not TextureSet.objects.get(name="plank_b").ledger.surface
    artist.ask("POST", f"{WHERE}/settled/{after['settled'][0]['act']}/undo")
    assert not TextureSet.objects.filter(name="plank_b").exists()
    artist.ask("POST", where, {"answer": "each"})
    assert used("plank_a") == {"base_colour": "mill/plank_a.tga"}
    assert not TextureSet.objects.filter(name__startswith="tide").exists()


def test_a_habit_takes_a_lead_and_reads_what_comes_later(lead: Caller, artist: Caller, arrived: Any, body: Body) -> None:
    where = f"{WHERE}/questions/{about(arrived, 'xs')['question']['key']}/answer"
    assert artist("POST", where, {"teach": True}).status_code == 403
    lead.ask("POST", where, {"teach": True})
    assert ending(lead, "xs")["habit"]
    artist.send("weir", {"mill/sluice_lamp2_xs.tga": body(seed=31), "mill/brick01b_xs.png": body(seed=32)})
    assert used("brick01b")["specular"] == "mill/brick01b_xs.png"


def test_an_ending_may_belong_to_the_name(lead: Caller, arrived: Any) -> None:
    where = f"{WHERE}/questions/{about(arrived, 'gw')['question']['key']}/answer"
    lead.ask("POST", where, {"answer": "surface", "teach": True})
    assert used("lantern_gw") == {"base_colour": "mill/lantern_gw.tga"}
    assert "emissive" not in used("lantern")


def test_the_tiles_of_one_set_are_built_one_by_one(artist: Caller, arrived: Any) -> None:
    hull = TextureSet.objects.get(name="hull")
    page = artist.get(f"/sets/{hull.pk}")
    tiles = {line["property"]: line["row"]["tiles"] for line in page["lines"] if line["row"]}
    assert [entry["number"] for entry in tiles["base_colour"]] == [entry["number"] for entry in tiles["normal"]] == [1001, 1002]
    artist.ask("POST", f"/sets/{hull.pk}/builds", {"target": "orbit-desktop"})
    run_queued()
    outputs = {entry["file_name"] for entry in artist.get(f"/sets/{hull.pk}?target=orbit-desktop")["build"]["outputs"]}
    assert {f"we_hull_{kind}_{tile}.png" for kind in ("c", "n", "orm") for tile in (1001, 1002)} == outputs


def test_findings_of_one_kind_are_one_line_and_can_be_turned_off(lead: Caller, arrived: Any) -> None:
    def line() -> Any:
        found = lead.get(f"{WHERE}/board")["findings"]
        return next((entry for entry in found if entry["finding"]["rule"] == "default-stands-in"), None)

    assert line()["count"] == len(line()["sets"]) > 10
    rules = lead.get(f"{WHERE}/rules")
    quiet = rules["rules"] | {"checks": {"default-stands-in": {"say": "off", "limits": {}}}}
    lead.ask("PUT", f"{WHERE}/rules", {"base": rules["version"], "rules": quiet})
    assert line() is None
    wrong = rules["rules"] | {"checks": {"colour-too-dark": {"say": "on", "limits": {"level": 400}}}}
    refused = lead("PUT", f"{WHERE}/rules", {"base": rules["version"] + 1, "rules": wrong})
    assert refused.status_code in (409, 422) and b"between 0 and 255" in refused.content


def test_what_cannot_be_read_yet_is_named(artist: Caller) -> None:
    report = artist.send("weir", {"mill/old.dds": b"DDS " + bytes(124), "mill/new.ktx2": b"\xabKTX 20\xbb\r\n\x1a\n"})
    said = {item["path"]: item["problem"] for item in report["items"]}
    assert "DDS" in said["mill/old.dds"] and "KTX" in said["mill/new.ktx2"]
