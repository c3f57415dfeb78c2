"""From one layout to another without a set: every 8-bit channel comes back, whatever target it went through."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from PIL import Image as Pillow

from tests.core.test_delivery import fairtexel
from texelcore.building.execute import make_outputs
from texelcore.building.plan import plan_build
from texelcore.building.repack import facts_for, measured_rows, plan_repack, repack
from texelcore.building.sources import Sources, in_folder
from texelcore.evidence.facts import facts_of
from texelcore.pixels.errors import TexelError
from texelcore.pixels.image import Image
from texelcore.pixels.read import read
from texelcore.pixels.strips import of_image
from texelcore.pixels.write import write
from texelcore.surface.ledger import Ledger, Row
from texelcore.surface.properties import property_of
from texelcore.surface.sources import Source
from texelcore.targets.document import Target, TargetChannel, TargetOutput
from texelcore.targets.layout import layout_of, parse_layout, parse_meaning, rows_of, target_of
from texelcore.targets.library import shipped
from texelcore.targets.problems import doubts_of

EDGE = 16
SINGLES = ("opacity", "roughness", "metallic", "occlusion", "height", "mask.01")


@pytest.fixture(scope="module")
def surface(tmp_path_factory: pytest.TempPathFactory) -> tuple[Ledger, dict[str, Any], Sources]:
    """A set of 8-bit maps, one for each property."""
    folder = tmp_path_factory.mktemp("surface")
    rng = np.random.default_rng(11)
    maps = {f"{key}.png": rng.integers(0, 256, (EDGE, EDGE, 1), np.uint8) for key in SINGLES}
    maps |= {f"{key}.png": rng.integers(0, 256, (EDGE, EDGE, 3), np.uint8) for key in ("base_colour", "normal", "emissive")}
    # Two-channel layouts leave out the third component, which only a unit vector that points up gives back.
    tilt = rng.uniform(-0.6, 0.6, (EDGE, EDGE, 2))
    vectors = np.concatenate([tilt, np.sqrt(1 - (tilt**2).sum(-1, keepdims=True))], -1)
    maps["normal.png"] = np.floor((vectors * 0.5 + 0.5) * 255 + 0.5).astype(np.uint8)
    for name, pixels in maps.items():
        write(of_image(Image.of(pixels)), "png", "linear", folder / name)
    rows = [
        Row(
            property=name[:-4],
            file=name,
            channels=("R", "G", "B") if pixels.shape[2] == 3 else ("Y",),
            encoding="srgb" if name[:-4] in ("base_colour", "emissive") else "linear",
            normal_y="+Y" if name == "normal.png" else None,
            sure="by hand",
            why="",
        )
        for name, pixels in maps.items()
    ]
    facts = {name: facts_of(folder / name, name) for name in maps}
    return Ledger(name="wall", rows=tuple(rows)), facts, in_folder(facts, folder)


def exact(channel: TargetChannel, output: TargetOutput) -> bool:
    """Whether a channel is stored so that all of its 256 levels come back."""
    plain = not channel.fitted and not channel.multiplied_by and channel.constant is None and not output.dither
    linear = property_of(channel.property).colour and output.encoding == "linear" and output.sample == "u8"
    halved = output.sample == "f16" and property_of(channel.property).colour
    return plain and output.file_format != "jpeg" and not linear and not halved


@pytest.mark.parametrize("there", sorted(shipped()))
def test_every_channel_comes_back_through_every_pair_of_targets(surface: Any, there: str, tmp_path: Path) -> None:
    ledger, facts, sources = surface
    first = shipped()[there]
    built = {made.planned.key: made for made in make_outputs(plan_build(ledger, first, facts), sources, tmp_path / "there")}
    tried = 0
    for back in shipped().values():
        for output in first.outputs:
            if output.key not in built:
                continue
            file = facts_for(built[output.key].path)
            # A normal without its third component is read as two channels.
            held = layout_of(first, output)
            try:
                _, made = repack(built[output.key].path, file, rows_of(held, file), back, tmp_path / back.name, _quiet)
            except TexelError as error:
                assert "asks for nothing" in error.problem
                continue
            for item in made:
                tried += _compare(output, item.planned.output, read(item.path), sources, first, back)
    assert tried > 6


def _quiet(share: float, doing: str) -> None:
    pass


def _compare(there: TargetOutput, here: TargetOutput, found: Image, sources: Sources, first: Target, back: Target) -> int:
    """Hold the channels of a repacked file against the maps that they came from; gives how many there were."""
    gone = {(channel.property, channel.component): channel for channel in there.channels if exact(channel, there)}
    tried = 0
    for channel in here.channels:
        key = (channel.property, channel.component)
        if key not in gone or not exact(channel, here) or channel.channel not in found.channels:
            continue
        name = "mask.01" if channel.property == "mask" else channel.property
        file = Source(f"{name}.png")
        source = sources.pixels([file])[file]
        wanted = source.data[:, :, channel.component if source.data.shape[2] == 3 else 0].astype(float) / 255
        if key == ("normal", 1) and back.normal_y == "-Y":
            wanted = 1 - wanted
        stored = found.channel(channel.channel).astype(float) / {"u8": 255, "u16": 65535}.get(here.sample, 1)
        levels = np.abs((1 - stored if channel.inverted else stored) - wanted) * 255
        if here.sample in ("f16", "f32") and property_of(channel.property).colour:
            continue
        assert levels.max() < 0.5, (first.name, there.key, back.name, here.key, channel.channel)
        tried += 1
    return tried


@pytest.mark.parametrize(
    ("said", "meant"),
    [
        ("r", ("roughness", 0, False)),
        ("1-r", ("roughness", 0, True)),
        ("smoothness", ("roughness", 0, True)),
        ("1 − gloss", ("roughness", 0, False)),
        ("AO", ("occlusion", 0, False)),
        ("n.y", ("normal", 1, False)),
        ("Base Colour.blue", ("base_colour", 2, False)),
        ("mask.03", ("mask.03", 0, False)),
        ("one minus occlusion", ("occlusion", 0, True)),
    ],
)
def test_what_people_type_is_read(said: str, meant: tuple[str, int, bool]) -> None:
    found = parse_meaning(said)
    assert (found.property, found.component, found.inverted) == meant
    assert parse_meaning("0.25").constant == 0.25 and parse_meaning(".5").constant == 0.5


@pytest.mark.parametrize("said", ["", "shine", "1-n", "n.w", "2", "roughness.z", "../x", "1-"])
def test_what_means_nothing_is_refused_with_what_would(said: str) -> None:
    with pytest.raises(TexelError) as caught:
        parse_meaning(said)
    assert caught.value.way_out


@pytest.mark.parametrize("text", ["", "R", "R=", "Q=roughness", "R=roughness,R=metallic", "Y=height,R=metallic", "RGBA=normal"])
def test_layouts_that_make_no_texture_are_refused(text: str) -> None:
    with pytest.raises(TexelError):
        parse_layout(text)


def test_a_packed_file_is_measured_repacked_and_taken_apart_on_the_command_line(world: Path, tmp_path: Path) -> None:
    source = next((world / "glasshouse-nine").rglob("copper_mister_ARM.png"))
    pixels = np.asarray(Pillow.open(source))
    done = fairtexel("repack", source, "--to", "R=metallic,G=1-roughness,A=occlusion", "--out", tmp_path / "out")
    assert done.returncode == 0, done.stderr
    (made,) = (tmp_path / "out").iterdir()
    found = np.asarray(Pillow.open(made))
    assert np.array_equal(found[..., 0], pixels[..., 2]) and np.array_equal(found[..., 1], 255 - pixels[..., 1])
    assert np.array_equal(found[..., 3], pixels[..., 0]) and not found[..., 2].any()
    # And back, by the layout that was just written.
    done = fairtexel(
        "repack", made, "--from", "R=metallic,G=1-roughness,A=occlusion", "--to", "orbit-desktop:packed", "--out", tmp_path / "b"
    )
    (back,) = (tmp_path / "b").iterdir()
    assert np.array_equal(np.asarray(Pillow.open(back)), pixels)
    assert fairtexel("repack", source, "--to", "apart", "--out", tmp_path / "c").returncode == 0
    assert {path.stem.rsplit("_", 1)[-1] for path in (tmp_path / "c").iterdir()} == {"occlusion", "roughness", "metallic"}
    assert fairtexel("repack", source, "--channel", "G", "--out", tmp_path / "d").returncode == 0
    (green,) = (tmp_path / "d").iterdir()
    assert np.array_equal(np.asarray(Pillow.open(green)), pixels[..., 1])
    # Two files that would be written under one name: the second one is refused, and the first stays.
    other = tmp_path / "again" / source.name
    other.parent.mkdir()
    Pillow.fromarray(255 - pixels).save(other)
    twice = fairtexel("repack", source, other, "--to", "R=metallic,G=1-roughness,A=occlusion", "--out", tmp_path / "f")
    assert twice.returncode == 1 and "is written already" in twice.stdout
    assert np.array_equal(np.asarray(Pillow.open(tmp_path / "f" / made.name)), found)
    assert "lies inside" in fairtexel("repack", other.parent, "--to", "apart", "--out", other.parent / "out").stderr
    wrong = fairtexel("repack", source, "--from", "A=mask", "--to", "apart", "--out", tmp_path / "e")
    assert wrong.returncode == 1 and "has no channel A" in wrong.stdout


def test_repacking_takes_minus_y_as_its_help_writes_it_and_names_what_is_not_there(tmp_path: Path) -> None:
    write(of_image(Image.of(np.full((4, 4, 3), (128, 90, 250), np.uint8))), "png", "linear", tmp_path / "n.png")
    asked = ("--from", "R=n.x,G=n.y,B=n.z", "--to", "R=n.x,G=n.y,B=n.z", "--to-normals", "-Y", "--out", tmp_path / "out")
    done = fairtexel("repack", tmp_path / "n.png", *asked)
    assert done.returncode == 0, done.stdout + done.stderr
    (made,) = (tmp_path / "out").iterdir()
    assert abs(int(read(made, "x").data[0, 0, 1]) - 165) <= 1
    missing = fairtexel("repack", tmp_path / "gone.png", *asked)
    assert missing.returncode == 1 and "gone.png is not there" in missing.stdout


def test_a_file_that_tells_nothing_asks_for_its_layout(tmp_path: Path) -> None:
    place = tmp_path / "q7.png"
    write(of_image(Image.of(np.random.default_rng(2).integers(0, 256, (16, 16, 3), np.uint8))), "png", "linear", place)
    facts = facts_for(place)
    rows = rows_of(parse_layout("R=roughness,G=metallic"), facts)
    with pytest.raises(TexelError, match="asks for nothing"):
        plan_repack(facts, rows, target_of({"x": parse_layout("Y=height")}, facts))
    with pytest.raises(TexelError) as caught:
        measured_rows(facts)
    assert "R=occlusion" in caught.value.way_out


def test_targets_are_listed_shown_checked_and_compared_on_the_command_line(tmp_path: Path) -> None:
    listed = json.loads(fairtexel("target", "list", "--json").stdout)
    assert len(listed) >= 9 and {"gltf-2", "pocket-mill"} <= {entry["name"] for entry in listed}
    assert "1 − roughness" in fairtexel("target", "show", "lantern-room@1").stdout
    body = json.loads(fairtexel("target", "show", "weir-console", "--json").stdout)
    body["outputs"][2]["channels"][0]["property"] = "shine"
    body["outputs"][3]["suffix"] = body["outputs"][1]["suffix"]
    (tmp_path / "bad.json").write_text(json.dumps(body))
    bad = fairtexel("target", "check", tmp_path / "bad.json")
    assert bad.returncode == 1 and "outputs.2.channels.0" in bad.stdout and "share one suffix" in bad.stdout
    # What holds and is hardly meant; none of the targets that ship is so.
    body = json.loads(fairtexel("target", "show", "orbit-desktop", "--json").stdout)
    for output in body["outputs"]:
        output["storage"]["srgb"] = not output["storage"]["srgb"] and output["storage"]["format"] in ("bc1", "bc3", "bc7")
    (tmp_path / "odd.json").write_text(json.dumps(body))
    odd = fairtexel("target", "check", tmp_path / "odd.json")
    assert odd.returncode == 1 and "holds no colour" in odd.stdout and "without the flag" in odd.stdout
    assert {target.name for target in shipped().values() if doubts_of(target)} == set()
    assert fairtexel("target", "compare", "weir-console", "weir-console@1").returncode == 0
    differs = fairtexel("target", "compare", "weir-console", "orbit-desktop")
    assert differs.returncode == 1 and "Normals: -Y → +Y (built again)" in differs.stdout


def test_a_target_is_proposed_from_textures_that_an_engine_has(world: Path, tmp_path: Path) -> None:
    """The textures of a delivery, names and headers and pixels alone, say the layout of the target that they were made for."""
    out, example = tmp_path / "delivered", tmp_path / "example"
    fairtexel("deliver", world / "glasshouse-nine", "--target", "weir-console", "--out", out, "--project", "gn")
    example.mkdir()
    for path in out.rglob("*.dds"):
        (example / path.name).write_bytes(path.read_bytes())
    done = fairtexel("target", "propose", example, "--title", "Found engine", "--out", tmp_path / "found.json", "--json")
    assert done.returncode == 0, done.stderr
    found = Target.model_validate_json((tmp_path / "found.json").read_text())
    layouts = {output.suffix: [channel.property for channel in output.channels] for output in found.outputs}
    assert found.normal_y == "-Y"
    assert layouts["orm"] == ["occlusion", "roughness", "metallic"]
    assert layouts["col"][:3] == ["base_colour"] * 3 and layouts["nrm"][:2] == ["normal", "normal"]
    stored = {output.suffix: (output.storage.format, output.storage.srgb) for output in found.outputs}
    assert stored["col"] == ("bc7", True) and stored["nrm"] == ("bc5", False) and stored["orm"] == ("bc7", False)
