"""Sets on the stage over the API: their surface, their pictures, their lit pictures, and who may see them."""

from __future__ import annotations

import gzip
import io
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import timedelta
from pathlib import Path
from typing import Any
from urllib.parse import parse_qs, quote, urlsplit

import numpy as np
import OpenImageIO as oiio
import pytest
from django.utils import timezone
from PIL import Image as Pillow

from tests.web.conftest import Caller, run_queued
from texelcore.codecs.dds import read_dds
from texelcore.lighting.cubes import from_shared_exponent, unpacked
from texelcore.lighting.environments import ENVIRONMENTS
from texelweb.builds import stage as builds_stage
from texelweb.builds.stage import stage_picture, staged
from texelweb.sets.models import FileRevision, TextureSet
from texelweb.storage import decoded
from texelweb.studio.models import StageLiking
from texelweb.upkeep.tidy import tidy

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
    assert [entry["name"] for entry in listed] == [environment.name for environment in ENVIRONMENTS]
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


def test_nobody_waits_for_more_memory_while_holding_some(door: int, monkeypatch: pytest.MonkeyPatch) -> None:
    """Two who each hold some of their pictures and wait for the rest would wait for each other for ever."""
    held: list[int] = []

    class Watched(decoded.Budget):
        @contextmanager
        def take(self, wanted: int) -> Iterator[None]:
            assert not held, "asks for more while it holds some"
            with super().take(wanted):
                held.append(wanted)
                yield
                held.pop()

    monkeypatch.setattr(decoded, "_budget", Watched(1))
    entry = TextureSet.objects.get(pk=door)
    whole = stage_picture(staged(entry), "data")
    # What would never fit together is coarsened, each by itself, to what the stage shows.
    monkeypatch.setattr(builds_stage, "MOST_AT_ONCE", 1)
    monkeypatch.setattr(builds_stage, "STAGE_EDGE", 16)
    coarse = staged(entry)
    small = np.asarray(Pillow.open(io.BytesIO(stage_picture(coarse, "data"))), np.float32)
    assert coarse.coarse_edge == 16
    full = np.asarray(Pillow.open(io.BytesIO(whole)), np.float32)
    assert small.shape == (32, 32, 3) and full.shape == (128, 128, 3)
    assert np.abs(small - full.reshape(32, 4, 32, 4, 3).mean((1, 3))).max() < 2


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


def test_a_set_is_seen_as_it_was(artist: Caller, guest: Caller, stranger: Caller, door: int, world: Path) -> None:
    """Before a change of its ledger, and before a file of its came again: both were moments of it."""
    first = guest.get(f"/sets/{door}/surface")
    folder = world / "glasshouse-nine" / "vault_door"
    name = next(path for path in folder.iterdir() if "Color" in path.name or "BC" in path.name or "_D" in path.name)
    with Pillow.open(name) as picture:
        other = io.BytesIO()
        Pillow.new(picture.mode, picture.size, 200).save(other, picture.format)
    begun = timezone.now() - timedelta(minutes=5)
    TextureSet.objects.get(pk=door).revisions.update(at=begun)
    FileRevision.objects.update(at=begun)
    artist.send("weir", {f"vault_door/{name.name}": other.getvalue()})
    moments = guest.get(f"/sets/{door}/moments")
    assert len(moments) == 2 and name.name in moments[0]["what"] and moments[0]["by"] == "artist"
    now, then = guest.get(f"/sets/{door}/surface"), guest.get(f"/sets/{door}/surface?at={quote(moments[1]['at'])}")
    colours = [next(entry["url"] for entry in view["pictures"] if entry["output"] == "colour") for view in (first, now, then)]
    stamps = [parse_qs(urlsplit(url).query)["v"] for url in colours]
    assert stamps[0] == stamps[2] != stamps[1]
    before, after = pixels(guest, colours[2]), pixels(guest, colours[1])
    assert before.std((0, 1)).max() > 5 and after.std((0, 1)).max() < 1
    assert guest("GET", f"/sets/{door}/surface?at=2001-01-01T00:00:00Z").status_code == 404
    assert stranger("GET", f"/sets/{door}/moments").status_code == 404


def test_height_and_what_is_cut_come_with_their_levels(artist: Caller, guest: Caller, world: Path) -> None:
    folder = world / "glasshouse-nine" / "moss_bed"
    artist.send("weir", {f"moss_bed/{path.name}": path.read_bytes() for path in folder.iterdir()})
    moss = TextureSet.objects.get()
    surface = guest.get(f"/sets/{moss.pk}/surface")
    assert (
        surface["height"]["sampler"] == {"name": "t_surface_O_height", "output": "height", "holder": "surface"}
        and surface["bent"]
    )
    (height,) = (entry for entry in surface["pictures"] if entry["output"] == "height")
    assert height["kind"] == "blocks"
    answer = guest.client.get(height["url"])
    texture = read_dds(answer.content, "height.dds")
    assert answer["Content-Type"] == "image/vnd-ms.dds" and texture.format == "r16"
    assert len(texture.levels) == int(np.log2(max(texture.width, texture.height))) + 1
    for odd in ("cut=2", "cut=nan", "at=yesterday"):
        assert guest("GET", f"/sets/{moss.pk}/surface/opacity?{odd}").status_code == 422


def sky(light: np.ndarray, folder: Path, name: str = "sky.hdr") -> bytes:
    spec = oiio.ImageSpec(light.shape[1], light.shape[0], 3, "float")
    out = oiio.ImageOutput.create(str(folder / name))
    assert out.open(str(folder / name), spec) and out.write_image(light.astype(np.float32))
    out.close()
    return (folder / name).read_bytes()


def bring(caller: Caller, body: bytes, name: str = "sky.hdr") -> Any:
    return caller.client.post("/api/environments", {"name": name, "file": io.BytesIO(body)})


def test_the_studio_keeps_environments_of_its_own(
    artist: Caller, lead: Caller, guest: Caller, stranger: Caller, tmp_path: Path
) -> None:
    light = np.zeros((64, 128, 3))
    light[:32] = (0.5, 1.0, 2.0)
    body = sky(light, tmp_path)
    assert bring(guest, body).status_code == 403 and bring(Caller(None), body).status_code == 401
    made = bring(artist, body).json()
    # The same light twice is one environment, whoever brings it.
    assert bring(lead, body, "again.hdr").json()["name"] == made["name"]
    assert (made["title"], made["kind"], made["width"], made["height"]) == ("sky", "panorama", 128, 64)
    for caller, removable in ((artist, True), (guest, False)):
        (own,) = (entry for entry in caller.get("/environments") if entry["kind"] == "panorama")
        assert own["name"] == made["name"] and own["removable"] == removable
    answer = guest.client.get(made["url"])
    words = np.frombuffer(gzip.decompress(b"".join(answer.streaming_content)), "<u4")
    np.testing.assert_allclose(from_shared_exponent(words).reshape(light.shape), light, atol=0.01)
    assert guest("DELETE", f"/environments/{made['name']}").status_code == 403
    # Nothing sweeps the light away while it is listed.
    tidy(alone=True)
    assert guest.client.get(made["url"]).status_code == 200
    assert artist("DELETE", f"/environments/{made['name']}").status_code == 204
    for gone in (made["name"], "studio-", "studio-٣", "studio-9" * 9, "workshop"):
        assert artist("DELETE", f"/environments/{gone}").status_code == 404
    for odd, problem in ((b"no light", "no .hdr or .exr picture"), (sky(light[:1, :1], tmp_path), "1 × 1 texels")):
        refused = bring(artist, odd, "../../odd.hdr")
        assert refused.status_code == 409 and problem in refused.json()["problem"] and refused.json()["subject"] == "odd.hdr"


def test_how_somebody_likes_the_stage_follows_them(artist: Caller, guest: Caller) -> None:
    assert artist.get("/account/stage") is None
    liking = {
        **{"shape": "cube", "environment": "night", "light": 40, "object": 0, "speed": 40, "exposure": -0.5, "toned": True},
        **{"behind": "well", "field": 30, "density": 512, "relief": "parallax", "depth": 0.05, "mid": 0.5},
    }
    assert artist("PUT", "/account/stage", liking).status_code == 204
    assert artist.get("/account/stage") == liking and guest.get("/account/stage") is None
    for odd in ({"exposure": 60}, {"shape": "teapot"}, {"environment": "x" * 200}, {"depth": None}):
        assert artist("PUT", "/account/stage", liking | odd).status_code == 422
    assert artist.get("/account/stage") == liking
    # What an older version kept otherwise is as if nothing had been kept, and breaks no page.
    StageLiking.objects.update(liking_json={"shape": "cube"})
    assert artist.get("/account/stage") is None
