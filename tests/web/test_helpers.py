"""Sets that are no surface: a free texture of a master takes a file of no set, and it goes the whole way to the engine."""

from __future__ import annotations

import io
import json
import zipfile
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from PIL import Image as Pillow

from tests.web.conftest import Caller, run_queued
from texelweb.sets.models import SourceFile, TextureSet

TARGET = {"target": "orbit-desktop"}
HOLDER = "wear mask"


def png(pixels: Any) -> bytes:
    held = io.BytesIO()
    Pillow.fromarray(pixels).save(held, "png")
    return held.getvalue()


def bands(vertical: bool) -> Any:
    """A mask of two halves, which blocks store without loss."""
    half = np.repeat(np.uint8([0, 255]), 32)
    return np.broadcast_to(half if vertical else half[:, None], (64, 64))


def splotches() -> bytes:
    """Three masks in one picture: left or right, up or down, and nothing."""
    return png(np.stack([bands(True), bands(False), np.zeros((64, 64), np.uint8)], -1))


@pytest.fixture
def dressed(artist: Caller, world: Path) -> tuple[int, Any]:
    """A door, and a variant of painted metal for it; a picture in no set beside them."""
    folder = world / "glasshouse-nine" / "vault_door"
    artist.send("weir", {f"door/{path.name}": path.read_bytes() for path in folder.iterdir()} | {"splotches.png": splotches()})
    door = TextureSet.objects.get()
    return door.pk, artist.ask("POST", f"/sets/{door.pk}/variants", {"master": "painted-metal", "name": "Worn"})


def free_file() -> SourceFile:
    return SourceFile.objects.get(path="splotches.png")


def take(artist: Caller, variant: Any, door: int, **worn: Any) -> Any:
    """The variant with its free texture bound so, beside its layers."""
    layers = {"metal": {"set": door}, "paint": {"set": door}, HOLDER: worn}
    return artist.ask("PATCH", f"/variants/{variant['id']}", {"layers": layers})


def layer_of(view: Any) -> Any:
    return next(entry for entry in view["layers"] if entry["name"] == HOLDER)


def test_a_file_of_no_set_becomes_a_set_of_masks_and_one_step_takes_it_back(
    artist: Caller, guest: Caller, dressed: tuple[int, Any]
) -> None:
    door, variant = dressed
    assert free_file().set is None
    layer = layer_of(take(artist, variant, door, file=free_file().pk))
    # What says nothing, in blue, is no mask.
    assert layer["set_name"] == "splotches" and layer["properties"] == ["mask.r", "mask.g"] and layer["property"] == "mask.r"
    made = free_file().set
    assert made is not None and made.ledger.surface is False
    page = guest.get(f"/sets/{made.pk}")
    assert [line["title"] for line in page["lines"][:2]] == ["Mask r", "Mask g"] and not page["surface"]
    assert [planned["key"] for planned in page["planned"]] == ["mask_g", "mask_r"]
    assert not any(finding["severity"] == "error" for finding in page["findings"])
    assert artist("GET", f"/sets/{made.pk}/lit").status_code == 200
    assert guest.get(f"/sets/{made.pk}/surface")["missing"] == []
    # The board misses nothing of it, though its target has a place for more.
    lines = {line["id"]: line for line in guest.get("/projects/weir/board")["sets"]}
    mask = lines[made.pk]
    assert (mask["surface"], mask["has"], mask["lacks"]) == (False, ["mask", "mask.g", "mask.r"], [])
    assert lines[door]["surface"] and lines[door]["lacks"] == ["opacity", "height", "emissive"]
    # As a surface it lacks a base colour, and is told of the other way; a set with nothing in it is not.
    wrong = artist.ask("PATCH", f"/sets/{made.pk}", {"surface": True})["findings"]
    assert any("holds masks and details" in entry["way_out"] for entry in wrong if entry["severity"] == "error")
    artist.ask("POST", "/projects/weir/undo")

    artist.ask("POST", "/projects/weir/undo")
    assert free_file().set is None and layer_of(artist.get(f"/variants/{variant['id']}"))["set_id"] is None
    artist.ask("POST", "/projects/weir/redo")
    assert layer_of(artist.get(f"/variants/{variant['id']}"))["set_id"] == made.pk


def test_what_cannot_be_taken_is_refused_and_nothing_is_left_behind(
    artist: Caller, guest: Caller, stranger: Caller, dressed: tuple[int, Any]
) -> None:
    door, variant = dressed
    address, file = f"/variants/{variant['id']}", free_file().pk
    wears = {HOLDER: {"file": file}}
    assert guest("PATCH", address, {"layers": wears}).status_code == 403
    assert stranger("PATCH", f"{address}?seen=0", {"layers": wears}).status_code == 404
    owned = SourceFile.objects.filter(set=door).first()
    assert owned is not None
    for layers, said in (
        ({HOLDER: {"file": owned.pk}}, "belongs to"),
        ({HOLDER: {"file": 10**6}}, "not in this project any more"),
        ({"paint": {"file": file}}, "takes a set, not a file"),
        # The second is refused after a set was made for the first.
        ({HOLDER: {"file": file}, "nowhere": {"set": door}}, "no layer and no free texture"),
    ):
        answer = artist("PATCH", address, {"layers": layers})
        assert answer.status_code == 409 and said in answer.json()["problem"], answer.json()
    assert TextureSet.objects.count() == 1 and free_file().set is None


def test_a_mask_has_a_name_that_variants_and_formats_follow(
    artist: Caller, guest: Caller, lead: Caller, dressed: tuple[int, Any]
) -> None:
    door, variant = dressed
    take(artist, variant, door, file=free_file().pk)
    made = free_file().set
    assert made is not None
    rows = f"/sets/{made.pk}/rows"
    artist.ask("PUT", f"/sets/{made.pk}/storage/mask_r", {"format": "bc7", "srgb": False, "mips": True})

    # What is built of it says under the hand what it means.
    artist.ask("POST", f"/sets/{made.pk}/builds", TARGET)
    run_queued()
    built = {output["key"]: output["id"] for output in artist.get(f"/sets/{made.pk}")["build"]["outputs"]}
    assert artist.get(f"/outputs/{built['mask_r']}/texel?x=40&y=3")["means"] == "mask r 1.000"

    page = artist.ask("PUT", f"{rows}/mask.r/name", {"name": " flaked   paint "})
    kept = {planned["key"]: planned["storage"]["format"] for planned in page["planned"]}
    assert kept == {"mask_flaked_paint": "bc7", "mask_g": "bc4"}
    assert layer_of(artist.get(f"/variants/{variant['id']}"))["property"] == "mask.flaked paint"
    # One act: undo takes back the name, what is read and how it is stored.
    artist.ask("POST", "/projects/weir/undo")
    assert layer_of(artist.get(f"/variants/{variant['id']}"))["property"] == "mask.r"
    page = artist.get(f"/sets/{made.pk}")
    assert {planned["key"]: planned["storage"]["format"] for planned in page["planned"]} == {"mask_r": "bc7", "mask_g": "bc4"}
    assert lead.get("/projects/weir/document")["variants"][0]["others"][HOLDER]["property"] == "mask.r"

    for key, name, said in (
        ("mask.r", "G", "is another mask of splotches"),
        ("mask.r", "../up", "cannot be its name"),
        ("mask.r", "tide.1001", "cannot be its name"),
        ("mask.r", " ", "cannot be its name"),
        ("mask.b", "rust", "has no such mask"),
        ("roughness", "rust", "has no such mask"),
    ):
        answer = artist("PUT", f"{rows}/{key}/name", {"name": name})
        assert answer.status_code == 409 and said in answer.json()["problem"], answer.json()
    # Letters of one mask may become small or large.
    assert "mask.R" in [line["property"] for line in artist.ask("PUT", f"{rows}/mask.r/name", {"name": "R"})["lines"]]

    # Any set has a place for one mask more, for who works; where it has a name of its own, that is looked at.
    (place,) = (line for line in artist.get(f"/sets/{door}")["lines"] if line["property"].startswith("mask."))
    assert (place["property"], place["title"], place["row"]) == ("mask.01", "A mask", None)
    assert not any(line["property"].startswith("mask.") for line in guest.get(f"/sets/{door}")["lines"])
    body = {"file": SourceFile.objects.filter(set=door)[0].pk, "channels": ["R"]}
    assert artist("PUT", f"/sets/{door}/rows/mask.a.1001", body).status_code == 409
    lines = [line["property"] for line in artist.ask("PUT", f"/sets/{door}/rows/mask.01", body)["lines"]]
    assert lines[-2:] == ["mask.01", "mask.02"]


def test_the_mask_is_what_the_engine_gets_and_the_dock_wears_it(artist: Caller, dressed: tuple[int, Any]) -> None:
    door, variant = dressed
    take(artist, variant, door, file=free_file().pk)
    made = free_file().set
    assert made is not None
    for number in (door, made.pk):
        artist.ask("POST", f"/sets/{number}/proofs", TARGET)
    run_queued()
    view = artist.get(f"/variants/{variant['id']}")
    assert view["ready"] and layer_of(view)["stands"] == "" and view["bindings"][HOLDER] == "mask_r.r"
    (output,) = (entry for entry in view["outputs"] if entry["holder"] == HOLDER)
    assert output["storage"]["format"] == "bc4" and not output["storage"]["srgb"]
    # Half of it is bare metal, as the mask says: where nobody has painted, that alone decides.
    seen = {entry["layer"]: entry["share"] for entry in artist.ask("POST", f"/variants/{variant['id']}/seen", BARE)}
    assert seen["metal"] == pytest.approx(0.5, abs=0.2) and seen["paint"] == pytest.approx(0.5, abs=0.2)

    # What is written as MaterialX takes it along.
    artist.ask("POST", f"/variants/{variant['id']}/files/materialx")
    run_queued()
    written = b"".join(artist("GET", f"/variants/{variant['id']}/files/materialx").streaming_content)
    with zipfile.ZipFile(io.BytesIO(written)) as archive:
        (name,) = (name for name in archive.namelist() if "mask" in name)
        mask = np.asarray(Pillow.open(io.BytesIO(archive.read(name))))
        assert np.array_equal(mask, bands(True)) and name in archive.read("material.mtlx").decode()

    orders = {"targets": ["orbit-desktop"], "sets": [door, made.pk]}
    (ordered,) = artist.ask("POST", "/projects/weir/deliveries", orders)
    run_queued()
    delivery = artist.get(f"/deliveries/{ordered['id']}")
    assert delivery["receipt"]["holds"] and not delivery["receipt"]["findings"], delivery["receipt"]["findings"]
    manifest = json.loads((Path(delivery["folder"]) / "delivery.json").read_text())
    by_code = {entry["code"]: entry for entry in manifest["sets"]}
    assert by_code[made.code]["surface"] is False and "surface" not in by_code[artist.get(f"/sets/{door}")["code"]]
    (carried,) = manifest["variants"]
    assert carried["layers"][HOLDER] == made.code and carried["textures"][HOLDER] == "mask_r.r"


BARE = {"low": [0, 0, 0, 0], "high": [0, 0, 0, 0]}


def test_whether_it_is_a_surface_is_said_on_its_page_and_travels_with_the_project(
    artist: Caller, guest: Caller, lead: Caller, dressed: tuple[int, Any]
) -> None:
    door, _ = dressed
    artist.ask("DELETE", f"/sets/{door}/rows/base_colour")
    wrong = [entry for entry in artist.get(f"/sets/{door}")["findings"] if entry["severity"] == "error"]
    assert wrong and "Base colour is missing" in wrong[0]["message"]
    assert guest("PATCH", f"/sets/{door}", {"surface": False}).status_code == 403
    page = artist.ask("PATCH", f"/sets/{door}", {"surface": False})
    assert not [entry for entry in page["findings"] if entry["severity"] == "error"]
    assert "colour" not in [planned["key"] for planned in page["planned"]] and page["planned"]
    exported = lead.get("/projects/weir/document")
    assert [entry["ledger"]["surface"] for entry in exported["sets"]] == [False]
    artist.ask("POST", "/projects/weir/undo")
    assert artist.get(f"/sets/{door}")["surface"]
    assert "surface" not in lead.get("/projects/weir/document")["sets"][0]["ledger"]
