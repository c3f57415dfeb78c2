"""Pictures for the table: tiles at every level and exposure, texels and what they mean, evidence, and what browsers may keep."""

from __future__ import annotations

import io
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from PIL import Image as Pillow

from tests.web.conftest import Caller, run_queued
from texelcore.pixels.image import Image
from texelcore.pixels.strips import of_image
from texelcore.pixels.write import write
from texelweb.builds import planning
from texelweb.sets.models import SourceFile, TextureSet

Body = Callable[..., bytes]


def shown(caller: Caller, path: str) -> np.ndarray:
    answer = caller.client.get(f"/api{path}")
    assert answer.status_code == 200, answer.content
    return np.asarray(Pillow.open(io.BytesIO(answer.content)), np.float64)


@pytest.fixture
def file(artist: Caller) -> Any:
    """Put one picture into the project and give its address."""

    def put(name: str, pixels: np.ndarray, tmp_path: Path) -> str:
        kinds = {".png": "png", ".exr": "exr"}
        place = tmp_path / name
        write(of_image(Image.of(pixels)), kinds[place.suffix], "linear", place)  # type: ignore[arg-type]
        artist.send("weir", {name: place.read_bytes()})
        return f"/files/{SourceFile.objects.get(path=name).pk}"

    return put


def test_tiles_of_a_coarser_level_are_the_means_of_finer_ones(artist: Caller, file: Any, tmp_path: Path) -> None:
    """Not square and no multiple of a tile: the texels at the edge are means of what is there."""
    pixels = np.random.default_rng(5).integers(0, 256, (700, 1030, 3), np.uint8)
    where = file("wharf_albedo.png", pixels, tmp_path)
    fine = np.concatenate(
        [
            np.concatenate([shown(artist, f"{where}/tile?column={column}&row={row}") for column in range(3)], axis=1)
            for row in range(2)
        ]
    )
    np.testing.assert_array_equal(fine, pixels)
    coarse = shown(artist, f"{where}/tile?column=0&row=0&level=1")
    means = pixels[:700].reshape(350, 2, 515, 2, 3).mean(axis=(1, 3))
    assert np.abs(coarse - means[:512, :512]).max() <= 0.5
    for beyond in ("column=3&row=0", "column=0&row=0&level=3", "column=-1&row=0", "column=0&row=0&level=-1"):
        assert artist("GET", f"{where}/tile?{beyond}").status_code == 404


def test_light_beyond_white_is_seen_when_it_is_exposed(artist: Caller, file: Any, tmp_path: Path) -> None:
    """OpenEXR with light of 0.25 and 4: at −2 stops they are 0.0625 and 1, encoded as sRGB (IEC 61966-2-1)."""
    pixels = np.full((8, 8, 3), 0.25, np.float16)
    pixels[:, 4:] = 4
    where = file("lamp_emissive.exr", pixels, tmp_path)
    plain, darker = (shown(artist, f"{where}/tile?column=0&row=0&stops={stops}") for stops in (0, -2))
    assert (plain[:, 4:] == 255).all() and (darker[:, 4:] == 255).all()
    assert plain[0, 0, 0] == pytest.approx(137, abs=1) and darker[0, 0, 0] == pytest.approx(71, abs=1)
    for nonsense in ("9", "0.3", "nan"):
        assert artist("GET", f"{where}/tile?column=0&row=0&stops={nonsense}").status_code == 422


def test_a_texel_is_read_as_stored_and_as_what_it_means(artist: Caller, file: Any, tmp_path: Path) -> None:
    """Also in outputs, whose channels mean what their target says: smoothness in alpha is one minus roughness."""
    file("mast_albedo.png", np.full((16, 16, 3), 188, np.uint8), tmp_path)
    where = file("mast_rough.png", np.full((16, 16), 51, np.uint8), tmp_path)
    texel = artist.get(f"{where}/texel?x=3&y=4")
    assert texel["stored"] == {"Y": 51.0} and texel["means"] == "roughness 0.200"
    assert artist("GET", f"{where}/texel?x=16&y=0").status_code == 404
    texture_set = TextureSet.objects.get()
    artist.ask("PATCH", f"/sets/{texture_set.pk}", {"target": "millrace-handheld"})
    artist.ask("POST", f"/sets/{texture_set.pk}/builds", {"target": "millrace-handheld"})
    run_queued()
    outputs = {entry["key"]: entry["id"] for entry in artist.get(f"/sets/{texture_set.pk}")["build"]["outputs"]}
    meanings = [artist.get(f"/outputs/{key}/texel?x=0&y=0")["means"] for key in outputs.values()]
    # 188 of 255 in sRGB is 0.503 in linear light.
    assert any("base colour (0.503, 0.503, 0.503) linear" in said for said in meanings)
    assert any("roughness 0.200" in said and "metallic 0.000" in said for said in meanings)


def test_evidence_is_painted_of_one_channel_and_only_of_one_that_is_there(artist: Caller, file: Any, tmp_path: Path) -> None:
    ramp = np.linspace(0, 255, 64).astype(np.uint8)[None, :].repeat(64, axis=0)
    where = file("deck_ORM.png", np.dstack([ramp, np.zeros_like(ramp), np.full_like(ramp, 255)]), tmp_path)
    red, green = (shown(artist, f"{where}/evidence/between?channel={channel}") for channel in "RG")
    assert (red[:, 32] == (168, 47, 51)).all() and not (green == (168, 47, 51)).all(axis=-1).any()
    assert artist("GET", f"{where}/evidence/channel?channel=A").status_code == 404
    assert artist("GET", f"{where}/evidence/nonsense").status_code == 422


def test_browsers_keep_what_names_its_stamp_and_ask_about_the_rest(artist: Caller, file: Any, tmp_path: Path) -> None:
    where = file("sail_albedo.png", np.zeros((8, 8, 3), np.uint8), tmp_path)
    stamped, plain = (artist.client.get(f"/api{where}/picture?size=small{stamp}") for stamp in ("&v=abc", ""))
    assert stamped["Cache-Control"] == "private, max-age=3600" and plain["Cache-Control"] == "private, no-cache"
    again = artist.client.get(f"/api{where}/picture?size=small", headers={"If-None-Match": plain["ETag"]})
    assert again.status_code == 304 and not again.content


def test_the_board_judges_only_what_has_changed(artist: Caller, body: Body, monkeypatch: pytest.MonkeyPatch) -> None:
    for number, name in enumerate(("oak", "elm", "ash")):
        artist.send("weir", {f"{name}_albedo.png": body(seed=number), f"{name}_rough.png": body(seed=number + 9)})
    judged: list[str] = []
    check = planning.check_set
    monkeypatch.setattr(planning, "check_set", lambda ledger, *rest: judged.append(ledger.name) or check(ledger, *rest))
    planning._judged.clear()
    first = artist.get("/projects/weir/board")
    assert sorted(judged) == ["ash", "elm", "oak"]
    judged.clear()
    assert artist.get("/projects/weir/board") == first and judged == []
    # A re-export changes one set's files, a row by hand one ledger, and another target's all.
    artist.send("weir", {"elm_rough.png": body(seed=99)})
    artist.get("/projects/weir/board")
    oak = TextureSet.objects.get(code="oak")
    artist.ask("DELETE", f"/sets/{oak.pk}/rows/roughness")
    artist.get("/projects/weir/board")
    assert judged == ["elm", "oak"]
    artist.ask("POST", "/projects/weir/undo")
    artist.get("/projects/weir/board")
    assert judged == ["elm", "oak"], "an undone change is judged already"
