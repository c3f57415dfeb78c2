"""What pixels say, on pictures made so that the answer is known, and the findings that follow from it."""

from __future__ import annotations

from contextlib import nullcontext
from pathlib import Path

import numpy as np
import pytest
from PIL import Image as Pillow
from PIL import ImageCms, PngImagePlugin
from scipy import ndimage

from tests.core.test_direction import height, normal_map
from texelcore.building.execute import make_outputs
from texelcore.building.plan import plan_build
from texelcore.building.sources import Sources, in_folder
from texelcore.checks.figures import figures_of
from texelcore.checks.picture_rules import check_pictures
from texelcore.colour.srgb import from_linear
from texelcore.evidence.facts import facts_of
from texelcore.evidence.look import look
from texelcore.evidence.pictures import KINDS, PictureKind, paint
from texelcore.pixels.declared import declared_colour
from texelcore.pixels.image import Image
from texelcore.pixels.strips import of_image
from texelcore.pixels.write import write
from texelcore.sorting.doubles import near_doubles
from texelcore.sorting.sort import sort_files
from texelcore.surface.checks import BY_RULE, CheckChoice
from texelcore.surface.evidence import Evidence
from texelcore.surface.files import FileFacts
from texelcore.targets.library import find_target
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
    """What all checks find, those too that are off until a house turns them on."""
    (ledger,) = sort_files(files.values()).ledgers
    loud = {rule: CheckChoice(say="on") for rule in BY_RULE}
    return {finding.rule: finding.subject for finding in check_pictures(ledger, files, loud)}


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
    assert found(squeezed)["height-squeezed"] == "oak_disp.png"


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
    # One relief in another paint is a colour variant, and no double.
    Pillow.fromarray(stored(COLOUR)[:, :, ::-1].copy()).save(tmp_path / "copy.jpg", quality=95)
    files["copy.jpg"] = facts_of(tmp_path / "copy.jpg", "copy.jpg")
    assert list(near_doubles(list(files.values()))) == []


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize("dtype", ["uint8", "uint16", "float16", "float32"])
def test_every_evidence_picture_is_8_bit_and_fits(kind: PictureKind, dtype: str) -> None:
    """Walks the table: any stored type, not square, larger and smaller than the picture that is asked for."""
    top = np.iinfo(dtype).max if dtype.startswith("u") else 1
    for stretch in (1, 2):
        field = np.repeat(normal_map(height("brick"), 8, "+Y")[:150, :201], stretch, axis=1) / 255
        picture = paint(Image.of((field * top).astype(dtype)), kind, 96)
        assert picture.dtype == np.uint8 and picture.ndim == 3 and 0 < max(picture.shape[:2]) <= 96


def test_evidence_pictures_show_just_what_was_measured() -> None:
    madder, blue = (168, 47, 51), (45, 90, 168)

    def marked(image: np.ndarray, colour: tuple[int, int, int]) -> np.ndarray:
        return np.asarray((image == colour).all(axis=-1))

    ramp = np.linspace(0, 255, 64).astype(np.uint8)[None, :].repeat(64, axis=0)
    between = marked(paint(Image.of(ramp), "between", 64), madder)
    assert not between[:, :2].any() and not between[:, -2:].any() and between[:, 8:-8].all()
    beyond = paint(Image.of(ramp[:, :, None].repeat(3, axis=2)), "range", 64)
    assert marked(beyond, blue)[:, 0].all() and marked(beyond, madder)[:, -1].all() and not marked(beyond, blue)[:, 32].any()
    white = paint(Image.of(np.full((64, 64), 255, np.uint8)), "dark", 64)
    assert (white == 255).all() and paint(Image.of(np.full((64, 64), 251, np.uint8)), "dark", 64).max() < 235
    # A field that leans to the right: its mean is marked right of the middle.
    leaning = np.full((64, 64, 3), (170, 128, 240), np.uint8)
    rows, columns = np.nonzero(marked(paint(Image.of(leaning), "directions", 96), madder))
    assert abs(rows.mean() - 48) < 2 and columns.mean() > 58
    # One reading of a height's normals is free of curl: its picture stays paper, the other's does not.
    up = Image.of(normal_map(SMOOTH * 20, 8, "+Y"))
    assert paint(up, "curl-up", 256).mean() > paint(up, "curl-down", 256).mean() + 10
    with pytest.raises(KeyError):
        paint(up, "channel", 64, "A")
    with pytest.raises(ValueError, match="holds no normals"):
        paint(Image.of(ramp), "curl-up", 64)


def test_figures_say_what_is_worth_a_look() -> None:
    lying = np.round(127.5 + (normal_map(height("brick"), 8, "-Y") - 127.5) * 0.8).astype(np.uint8)
    figures = {figure.what: figure for figure in figures_of(look(Image.of(lying), "sRGB chunk")) if figure.what}
    assert figures["direction"].says.startswith("−Y, score")
    assert figures["length"].look and figures["length"].kind == "length" and figures["length"].caption
    assert not figures["mean leans"].look and figures["declares"].says == "sRGB chunk"
    metal = {figure.what: figure for figure in figures_of(seen(METAL))}
    assert (metal["channel Y"].kind, metal["channel Y"].channel) == ("between", "Y")


def test_normals_of_two_channels_are_told_and_rebuilt(tmp_path: Path) -> None:
    """Blue that says nothing, or none at all: the direction is told, and builds write unit vectors."""
    normals = normal_map(height("brick"), 6, "-Y")
    (tmp_path / "oak").mkdir()
    Pillow.fromarray(np.dstack([normals[:, :, :2], np.zeros((512, 512), np.uint8)])).save(tmp_path / "oak" / "oak_normal.png")
    Pillow.fromarray(stored(np.tile(COLOUR, (2, 2, 1)))).save(tmp_path / "oak" / "oak_albedo.png")
    files = {path.name: facts_of(path, path.name) for path in sorted((tmp_path / "oak").glob("*.png"))}
    (ledger,) = sort_files(files.values()).ledgers
    row = ledger.row("normal")
    assert row and row.channels == ("R", "G") and row.normal_y == "-Y" and row.sure == "seen"
    plan = plan_build(ledger, find_target("orbit-desktop"), files)
    made = {item.planned.key: item.path for item in make_outputs(plan, in_folder(files, tmp_path / "oak"), tmp_path / "out")}
    written = np.asarray(Pillow.open(made["normal"]).convert("RGB"), np.float64) / 127.5 - 1
    # +Y for this target: green is turned over, and the third component makes a unit vector again.
    assert np.abs(written[:, :, 1] + (normals[:, :, 1] / 127.5 - 1)).max() < 1e-9
    inside = (written[:, :, :2] ** 2).sum(axis=-1) < 0.98
    assert np.abs(np.sqrt((written**2).sum(axis=-1)) - 1)[inside].max() < 0.02
    # The same slopes in a file whose values are read as sRGB come out alike.
    encoded = np.asarray(from_linear(normals[:, :, :2] / 255) * 65535 + 0.5, np.uint16)
    deep_one = Image.of(np.dstack([encoded, np.zeros((512, 512), np.uint16)]))
    write(of_image(deep_one), "png", "linear", tmp_path / "deep_normal.png")
    deep = facts_of(tmp_path / "deep_normal.png", "deep_normal.png")
    read_so = row.model_copy(update={"file": deep.id, "encoding": "srgb"})
    both = Sources(files | {deep.id: deep}, lambda facts: nullcontext(tmp_path / ("" if facts is deep else "oak") / facts.path))
    plan = plan_build(ledger.with_row(read_so), find_target("orbit-desktop"), both)
    again = {item.planned.key: item.path for item in make_outputs(plan, both, tmp_path / "again")}
    other = np.asarray(Pillow.open(again["normal"]).convert("RGB"), np.float64) / 127.5 - 1
    assert np.abs(other - written).max() <= 1 / 127.5 + 1e-9
    pair = look(Image.of(normals[:, :, :2]))
    assert pair.picture == "two-channel field" and pair.direction and pair.direction.answer == "-Y"
