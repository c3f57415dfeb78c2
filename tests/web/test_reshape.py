"""Merging two sets, splitting one, copying one to another project: plain actions, each taken back by one undo."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import pytest

from tests.web.conftest import Caller, run_queued
from texelweb.builds.models import Output
from texelweb.projects.models import Membership, Project, Role
from texelweb.sets.models import SourceFile, TextureSet
from texelweb.storage.models import Blob


@pytest.fixture
def sets(artist: Caller, body: Callable[..., bytes]) -> dict[str, int]:
    """Two sets: oak with three maps, and an old oak with two of which one is of the same kind."""
    files = {
        "oak_albedo.png": body(seed=1),
        "oak_rough.png": body(shape=(16, 16, 1), seed=2),
        "oak_ao.png": body(shape=(16, 16, 1), seed=3),
        "elm_albedo.png": body(seed=4),
        "elm_metal.png": body(shape=(16, 16, 1), seed=5),
    }
    artist.send("weir", files)
    return {entry.name: entry.pk for entry in TextureSet.objects.all()}


def state() -> dict[str, Any]:
    """Each set with what it reads, and each file with the set that it belongs to."""
    rows = {entry.name: sorted(row["property"] for row in entry.ledger_json["rows"]) for entry in TextureSet.objects.all()}
    owners = {file.path: file.set.name if file.set else None for file in SourceFile.objects.select_related("set")}
    return {"rows": rows, "owners": owners}


def test_two_sets_become_one_and_two_again(artist: Caller, sets: dict[str, int]) -> None:
    before = state()
    merged = artist.ask("POST", f"/sets/{sets['oak']}/merge", {"other": sets["elm"]})
    assert [line["property"] for line in merged["lines"] if line["row"]] == ["base_colour", "roughness", "metallic", "occlusion"]
    # What both had stays as it was here, and is left out with the reason.
    assert [entry["why"] for entry in merged["left_out"]] == ["Base colour already has a source."]
    assert state()["owners"] == dict.fromkeys(before["owners"], "oak") and set(state()["rows"]) == {"oak"}
    artist.ask("POST", "/projects/weir/undo")
    assert state() == before
    artist.ask("POST", "/projects/weir/redo")
    assert set(state()["rows"]) == {"oak"}
    assert artist("POST", f"/sets/{sets['oak']}/merge", {"other": sets["oak"]}).status_code == 409
    assert artist("POST", f"/sets/{sets['oak']}/merge", {"other": 999_999}).status_code == 404


def test_one_set_becomes_two_and_one_again(artist: Caller, sets: dict[str, int]) -> None:
    before = state()
    made = artist.ask("POST", f"/sets/{sets['oak']}/split", {"rows": ["roughness", "occlusion"], "name": "oak bark"})
    assert made["name"] == "oak bark" and made["target"]["name"] == "orbit-desktop"
    after = state()
    assert after["rows"]["oak"] == ["base_colour"] and after["rows"]["oak bark"] == ["occlusion", "roughness"]
    assert after["owners"]["oak_rough.png"] == "oak bark" and after["owners"]["oak_albedo.png"] == "oak"
    artist.ask("POST", "/projects/weir/undo")
    assert state() == before
    for rows, said in (
        (["base_colour", "roughness", "occlusion"], "no row left"),
        (["height"], "nothing to split off"),
    ):
        refused = artist("POST", f"/sets/{sets['oak']}/split", {"rows": rows, "name": "x"})
        assert refused.status_code == 409 and said in refused.json()["problem"]
    assert state() == before


def test_a_set_is_copied_to_another_project_and_gives_the_same_bytes(
    artist: Caller, stranger: Caller, users: Any, sets: dict[str, int], body: Callable[..., bytes]
) -> None:
    oak = sets["oak"]
    artist.ask("DELETE", f"/sets/{oak}/rows/occlusion")
    artist.ask("POST", "/projects/weir/sets/change", {"sets": [{"id": oak}], "add_tags": ["hero"]})
    other = Project.objects.create(slug="mill", code="we", title="Mill", target="millrace-handheld")
    assert artist("POST", f"/sets/{oak}/copy", {"project": "mill"}).status_code == 404
    Membership.objects.create(project=other, user=users["artist"], role=Role.GUEST)
    assert artist("POST", f"/sets/{oak}/copy", {"project": "mill"}).status_code == 403
    Membership.objects.update(role=Role.ARTIST)
    # Something else lies there under one of its paths.
    artist.send("mill", {"oak_albedo.png": body(seed=50)})
    blobs = Blob.objects.count()
    made = artist.ask("POST", f"/sets/{oak}/copy", {"project": "mill"})
    assert Blob.objects.count() == blobs
    assert (made["project"], made["name"], made["target"]["name"]) == ("mill", "oak", "orbit-desktop")
    assert [line["property"] for line in made["lines"] if line["row"]] == ["base_colour", "roughness"]
    assert TextureSet.objects.get(pk=made["id"]).tags == ["hero"]
    for key in (oak, made["id"]):
        artist.ask("POST", f"/sets/{key}/builds", {"target": "orbit-desktop"})
        run_queued()
    hashes = [set(Output.objects.filter(build__set=key).values_list("blob", flat=True)) for key in (oak, made["id"])]
    assert hashes[0] == hashes[1] and hashes[0]
    artist.ask("POST", "/projects/mill/undo")
    assert not TextureSet.objects.filter(pk=made["id"]).exists() and TextureSet.objects.filter(pk=oak).exists()
    assert stranger("POST", f"/sets/{oak}/copy", {"project": "mill"}).status_code == 404
    assert artist("POST", f"/sets/{oak}/copy", {"project": "weir"}).status_code == 409
