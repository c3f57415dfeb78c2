"""Sets on the stage over the API: their surface, their pictures, their lit pictures, and who may see them."""

from __future__ import annotations

import io
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from PIL import Image as Pillow

from tests.web.conftest import Caller, run_queued
from texelcore.lighting.cubes import unpacked
from texelcore.lighting.environments import ENVIRONMENTS
from texelweb.sets.models import TextureSet

TARGET = {"target": "orbit-desktop"}


@pytest.fixture
def door(artist: Caller, world: Path) -> int:
    """The vault door, sorted; gives the set's id."""
    folder = world / "glasshouse-nine" / "vault_door"
    artist.send("weir", {f"vault_door/{path.name}": path.read_bytes() for path in folder.iterdir()})
    return TextureSet.objects.get().pk


def pixels(caller: Caller, path: str) -> np.ndarray:
    answer = caller.client.get(path if path.startswith("/api") else f"/api{path}")
    assert answer.status_code == 200, answer.content
    return np.asarray(Pillow.open(io.BytesIO(answer.content)))


def test_environments_are_listed_and_served_to_whoever_is_signed_in(guest: Caller) -> None:
    listed = guest.get("/environments")
    assert [entry["name"] for entry in listed] == [entry.name for entry in ENVIRONMENTS]
    answer = guest.client.get(listed[0]["url"])
    assert len(unpacked(answer.content).levels) == 6 and "immutable" in answer["Cache-Control"]
    assert guest("GET", "/environments/..%2Fcubes.py").status_code == 404
    assert Caller(None)("GET", "/environments").status_code == 401


def test_a_set_is_staged_from_its_sources_and_as_it_is_built(artist: Caller, guest: Caller, stranger: Caller, door: int) -> None:
    surface = guest.get(f"/sets/{door}/surface")
    held = {entry["output"]: entry for entry in surface["pictures"]}
    assert held.keys() == {"colour", "normal", "data"} and surface["missing"] == []
    assert held["colour"]["srgb"] and not held["data"]["srgb"]
    assert {entry["output"] for entry in surface["shader"]["samplers"]} == set(held)
    # Packed as the target of the demo has it, and here each for itself: an occlusion that is white, doors of metal and enamel.
    data = pixels(guest, held["data"]["url"])
    assert data.shape == (held["data"]["height"], held["data"]["width"], 3)
    assert data[..., 0].min() > 250 and data[..., 2].std() > 20
    built = guest.get(f"/sets/{door}/surface?seen=built")
    assert not built["ready"] and built["pictures"] == []
    artist.ask("POST", f"/sets/{door}/proofs", TARGET)
    run_queued()
    built = guest.get(f"/sets/{door}/surface?seen=built")
    assert built["ready"] and {entry["kind"] for entry in built["pictures"]} == {"blocks"}
    assert guest.client.get(built["pictures"][0]["url"]).status_code == 200
    for path in (f"/sets/{door}/surface", f"/sets/{door}/surface/colour", f"/sets/{door}/lit"):
        assert stranger("GET", path).status_code == 404
    assert guest("GET", f"/sets/{door}/surface/nothing").status_code == 404


def test_a_lit_picture_is_kept_and_changes_with_what_it_shows(artist: Caller, guest: Caller, door: int) -> None:
    def row() -> Any:
        (line,) = artist.get("/projects/weir/board")["sets"]
        return line

    stamp = row()["picture"]
    first = guest.client.get(f"/api/sets/{door}/lit?v={stamp}")
    lit = np.asarray(Pillow.open(io.BytesIO(first.content)))
    assert lit.shape == (128, 128, 4) and lit[0, 0, 3] == 0 and lit[64, 64, 3] == 255
    again = guest.client.get(f"/api/sets/{door}/lit", headers={"If-None-Match": first["ETag"]})
    assert again.status_code == 304
    normal = next(line for line in artist.get(f"/sets/{door}")["lines"] if line["property"] == "normal")
    other = "-Y" if normal["row"]["normal_y"] == "+Y" else "+Y"
    body = {"file": normal["file"]["id"], "channels": normal["row"]["channels"], "normal_y": other}
    artist.ask("PUT", f"/sets/{door}/rows/normal", body)
    assert row()["picture"] != stamp
    assert not np.array_equal(pixels(guest, f"/sets/{door}/lit"), lit)


def test_a_set_without_colour_is_lit_all_the_same_and_what_is_missing_is_said(artist: Caller, world: Path) -> None:
    folder = world / "glasshouse-nine" / "vault_door"
    some = {f"hatch/{path.name}": path.read_bytes() for path in folder.iterdir() if "_N" in path.name or "ormal" in path.name}
    artist.send("weir", some)
    where = f"/sets/{TextureSet.objects.get().pk}"
    assert artist.get(f"{where}/surface")["missing"] == ["Base colour", "Roughness"]
    assert pixels(artist, f"{where}/lit")[64, 64, 3] == 255


def test_opacity_is_taken_for_what_the_target_takes_it(artist: Caller, world: Path) -> None:
    folder = world / "glasshouse-nine" / "lattice_pane"
    artist.send("weir", {f"pane/{path.name}": path.read_bytes() for path in folder.iterdir()})
    where = f"/sets/{TextureSet.objects.get().pk}"
    surface = artist.get(f"{where}/surface")
    assert surface["opacity"]["mode"] in ("cut-out", "blended") and "opacity" in {
        entry["output"] for entry in surface["pictures"]
    }
    # A tile, which has no corners to see through, shows squares where the pane is clear.
    assert (pixels(artist, f"{where}/lit")[..., 3] == 255).all()


def test_a_variant_is_lit_as_its_values_have_it(artist: Caller, guest: Caller, stranger: Caller, door: int) -> None:
    variant = artist.ask("POST", f"/sets/{door}/variants", {"master": "solid-surface"})["id"]
    where = f"/variants/{variant}/lit"
    # With the master's own values it looks as its set does.
    plain, own = pixels(guest, f"/sets/{door}/lit").astype(float), pixels(guest, where).astype(float)
    assert np.abs(plain - own).mean() < 3
    artist.ask("PATCH", f"/variants/{variant}", {"values": {"tint": [0.1, 0.1, 1.0]}})
    blue = pixels(guest, where).astype(float)
    assert (own - blue)[..., 0].mean() > 20 and abs((own - blue)[..., 2].mean()) < 12
    assert stranger("GET", where).status_code == 404
    large = pixels(guest, f"/sets/{door}/lit?size=large")
    assert large.shape == (256, 256, 4)
