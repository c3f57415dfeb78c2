"""What pixels say, on pictures made so that the answer is known, and the findings that follow from it."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PIL import Image as Pillow
from PIL import ImageCms, PngImagePlugin
from scipy import ndimage

from tests.core.test_direction import height, normal_map
from texelcore.checks.picture_rules import check_pictures
from texelcore.evidence.look import look
from texelcore.pixels.declared import declared_colour
from texelcore.pixels.image import Image
from texelcore.sorting.doubles import near_doubles
from texelcore.sorting.facts import facts_of
from texelcore.sorting.sort import sort_files
from texelcore.surface.evidence import Evidence
from texelcore.surface.ledger import FileFacts
from texeldemo.fields import cloud

EDGE = 256
GREY = cloud(7, EDGE, 1.1)
SMOOTH = cloud(3, EDGE, 3.0)
# Occlusion is mostly white with dark creases; metal is one or the other.
CREASES = 1 - np.clip(0.12 - np.abs(SMOOTH - 0.5), 0, 1) * 6
METAL = (SMOOTH > 0.6) * 1.0
COLOUR = np.stack([GREY * 0.5 + 0.2, GREY * 0.4 + 0.2, GREY * 0.3 + 0.15], -1)


def stored(field: np.ndarray, top: int = 255) -> np.ndarray:
    return np.round(np.clip(field, 0, 1) * top).astype(np.uint8 if top == 255 else np.uint16)


def seen(field: np.ndarray) -> Evidence:
    return look(Image.of(stored(field)))


@pytest.mark.parametrize(
    ("field", "kind"),
    [(np.full((64, 64), 0.3), "constant"), (METAL, "two-valued"), (CREASES, "creases"), (SMOOTH, "smooth"), (GREY, "detail")],
    ids=["constant", "two-valued", "creases", "smooth", "detail"],
)
def test_a_channel_is_told_by_its_look(field: np.ndarray, kind: str) -> None:
    assert seen(field).channels["Y"].kind == kind


@pytest.mark.parametrize(
    ("picture", "kind"),
    [
        (stored(COLOUR), "colour"),
        (stored(np.stack([GREY] * 3, -1)), "grey"),
        (stored(np.stack([CREASES, GREY, METAL], -1)), "packed"),
        (stored(np.stack([GREY, METAL, np.ones_like(GREY)], -1)), "packed"),
        (normal_map(height("brick"), 8, "+Y"), "vector field"),
        (np.dstack([normal_map(height("brick"), 8, "-Y")[:, :, :2], np.zeros((512, 512), np.uint8)]), "two-channel field"),
        (np.full((64, 64, 3), 40, np.uint8), "constant"),
    ],
    ids=["colour", "grey", "packed", "packed with a constant", "normals", "two-channel normals", "constant"],
)
def test_a_picture_is_told_by_its_channels(picture: np.ndarray, kind: str) -> None:
    assert look(Image.of(picture)).picture == kind


def test_a_copy_names_its_channel() -> None:
    channels = look(Image.of(stored(np.stack([GREY, GREY, SMOOTH], -1)))).channels
    assert (channels["G"].kind, channels["G"].copy_of, channels["B"].kind) == ("copy", "R", "smooth")


def test_an_enlarged_picture_has_an_empty_octave() -> None:
    sharp, enlarged = seen(GREY), seen(ndimage.zoom(GREY[::2, ::2], 2, order=3, mode="wrap"))
    assert sharp.finest > 0.05
    assert enlarged.finest < 0.001 < 0.05 < enlarged.second


def test_a_seam_is_seen_where_it_is() -> None:
    assert max(seen(GREY).seam) < 1.5
    gradient = np.linspace(0, 0.6, EDGE)[None, :]
    across, down = seen(GREY * 0.2 + gradient).seam
    assert across > 3 > 1.5 > down


def test_a_repetition_is_measured() -> None:
    tiled = seen(np.tile(stored(GREY[::2, ::2]) / 255, (2, 2)))
    assert tiled.period and tiled.period[2] > 0.9 and set(tiled.period[:2]) <= {0.0, 0.5}
    assert seen(GREY).period is None


@pytest.mark.parametrize(
    ("save", "words"),
    [
        ({}, ""),
        ({"icc_profile": ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()}, "colour profile"),
        ({"chunk": (b"sRGB", b"\0")}, "sRGB chunk"),
        ({"chunk": (b"gAMA", (45455).to_bytes(4, "big"))}, "gamma chunk 1/2.20"),
        # 1.0 is linear: no declaration of colour (PNG specification, third edition, 11.3.2.2).
        ({"chunk": (b"gAMA", (100000).to_bytes(4, "big"))}, ""),
    ],
    ids=["nothing", "profile", "sRGB", "gamma", "linear gamma"],
)
def test_a_file_says_what_colour_it_declares(tmp_path: Path, save: dict[str, object], words: str) -> None:
    """Written by Pillow, read by our own few lines."""
    options = dict(save)
    if "chunk" in options:
        info = PngImagePlugin.PngInfo()
        info.add(*options.pop("chunk"))  # type: ignore[misc]
        options["pnginfo"] = info
    Pillow.fromarray(stored(GREY)).save(tmp_path / "grey.png", **options)  # type: ignore[arg-type]
    assert declared_colour(tmp_path / "grey.png").startswith(words)
    assert bool(declared_colour(tmp_path / "grey.png")) == bool(words)


def arrival(folder: Path, **pictures: np.ndarray) -> dict[str, FileFacts]:
    for name, picture in pictures.items():
        Pillow.fromarray(picture).save(folder / f"oak_{name}.png")
    return {path.name: facts_of(path, path.name) for path in sorted(folder.glob("*.png"))}


def found(files: dict[str, FileFacts]) -> dict[str, str]:
    (ledger,) = sort_files(files.values()).ledgers
    return {finding.rule: finding.subject for finding in check_pictures(ledger, files)}


def test_a_sound_set_breaks_no_rule(tmp_path: Path) -> None:
    files = arrival(
        tmp_path,
        albedo=stored(COLOUR),
        normal_gl=normal_map(SMOOTH, 10, "+Y"),
        rough=stored(GREY),
        metal=stored(METAL),
        ao=stored(CREASES),
        disp=stored(SMOOTH, 65535),
    )
    assert set(found(files)) <= {"seam", "repetition-shows"}
    (ledger,) = sort_files(files.values()).ledgers
    sure = {row.property: row.sure for row in ledger.rows}
    assert sure == {
        "base_colour": "agreed",
        "normal": "agreed",
        "roughness": "named",
        "metallic": "agreed",
        "occlusion": "agreed",
        "height": "named",
    }


def test_faults_of_pictures_are_findings(tmp_path: Path) -> None:
    lit = COLOUR * np.linspace(0.25, 1.6, EDGE)[None, :, None]
    leaning = normal_map(SMOOTH + np.linspace(0, 4, EDGE)[None, :], 10, "+Y")
    files = arrival(
        tmp_path,
        albedo=stored(lit * 0.8 - 0.1),
        normal_gl=np.round(127.5 + (leaning - 127.5) * 0.8).astype(np.uint8),
        metal=stored(GREY),
        disp=stored(SMOOTH),
        rough=stored(ndimage.zoom(GREY[::2, ::2], 2, order=3, mode="wrap")),
    )
    rules = found(files)
    assert rules["colour-too-dark"] == rules["light-baked-in"] == "oak_albedo.png"
    assert rules["normals-not-unit"] == rules["normals-lean"] == "oak_normal_gl.png"
    assert rules["metallic-between"] == "oak_metal.png"
    assert rules["height-in-steps"] == "oak_disp.png"
    assert rules["upscaled"] == "oak_rough.png"
    squeezed = arrival(tmp_path, disp=stored(SMOOTH).astype(np.uint16) * 257)
    assert found(squeezed)["height-in-steps"] == "oak_disp.png"


def test_painted_occlusion_and_declared_data_are_findings(tmp_path: Path) -> None:
    broad = cloud(11, EDGE, 2.4)
    shade = np.clip(0.4 + broad, 0, 1)
    files = arrival(tmp_path, albedo=stored((COLOUR * 0.1 + 0.4) * shade[..., None]), ao=stored(shade))
    assert found(files)["light-baked-in"] == "oak_albedo.png"
    info = PngImagePlugin.PngInfo()
    info.add(b"sRGB", b"\0")
    Pillow.fromarray(stored(GREY)).save(tmp_path / "oak_rough.png", pnginfo=info)
    assert found(arrival(tmp_path))["colour-declared-on-data"] == "oak_rough.png"


def test_near_doubles_are_found_across_sizes_and_formats(tmp_path: Path) -> None:
    files = arrival(tmp_path, albedo=stored(COLOUR), rough=stored(GREY), other=stored(np.roll(COLOUR, 90, axis=1)))
    Pillow.fromarray(stored(COLOUR)).resize((128, 128), Pillow.Resampling.BOX).save(tmp_path / "copy.jpg", quality=85)
    files["copy.jpg"] = facts_of(tmp_path / "copy.jpg", "copy.jpg")
    pairs = [(first.id, second.id) for first, second in near_doubles(list(files.values()))]
    assert pairs == [("copy.jpg", "oak_albedo.png")]
