"""Targets of any layout: whatever document validates is planned, built, encoded, proved, delivered and read back."""

from __future__ import annotations

from typing import Any, get_args

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from OpenImageIO import ImageInput as OiioInput
from pydantic import ValidationError

from texelcore.building.execute import SourcePath, make_outputs
from texelcore.building.plan import plan_build
from texelcore.codecs.dds import read_dds
from texelcore.codecs.formats import level_sizes
from texelcore.delivery.package import Encoded, Parcel, write_delivery
from texelcore.delivery.probes import take_probes
from texelcore.evidence.facts import facts_of
from texelcore.pixels.image import Image
from texelcore.pixels.read import read
from texelcore.pixels.resample import Filter
from texelcore.pixels.strips import of_image
from texelcore.pixels.write import FileFormat, write
from texelcore.proof.prove import mip_kinds, prove
from texelcore.surface.ledger import Ledger, Row
from texelcore.surface.properties import PROPERTIES, property_of
from texelcore.surface.storage import TextureFormat
from texelcore.targets.document import Target
from texelcore.targets.library import shipped
from texeldock.receive import receive

EDGE = 12
LAYOUTS = ("Y", "YA", "RGB", "RGBA")
FORMATS = tuple(get_args(TextureFormat))
ASKED = (*(key for key in PROPERTIES if key != "specular"), "mask", "mask.01", "constant")


def row(key: str, file: str, channels: str, **options: Any) -> Row:
    said = {"encoding": "linear", "sure": "by hand", "why": ""} | options
    return Row(property=key, file=file, channels=tuple(channels), **said)  # type: ignore[arg-type]


@pytest.fixture(scope="module")
def surface(tmp_path_factory: pytest.TempPathFactory) -> tuple[Ledger, dict[str, Any], dict[str, SourcePath]]:
    """A small set with a map for everything, in several sizes: colour with a cut-out, normals of two channels, a 16-bit height
    twice as large, a mask half as large, bright emission."""
    folder = tmp_path_factory.mktemp("surface")
    rng = np.random.default_rng(7)
    noise = rng.random((EDGE, EDGE, 4))
    noise[..., 3] = noise[..., 3] > 0.4
    maps = {
        "base.png": (noise * 255).astype(np.uint8),
        "normal.png": (noise[..., :3] * 60 + 100).astype(np.uint8),
        "packed.png": (rng.random((EDGE, EDGE, 3)) * 255).astype(np.uint8),
        "height.png": (rng.random((2 * EDGE, 2 * EDGE, 1)) * 65535).astype(np.uint16),
        "mask.png": (rng.random((EDGE // 2, EDGE // 2, 1)).round() * 255).astype(np.uint8),
        "glow.exr": (rng.random((EDGE, EDGE, 3)) * 9).astype(np.float16),
    }
    for name, pixels in maps.items():
        write(of_image(Image.of(pixels)), "exr" if name.endswith("exr") else "png", "linear", folder / name)
    facts = {name: facts_of(folder / name, name) for name in maps}
    rows = (
        row("base_colour", "base.png", "RGB", encoding="srgb"),
        row("opacity", "base.png", "A"),
        row("normal", "normal.png", "RG", normal_y="-Y"),
        row("occlusion", "packed.png", "R"),
        row("roughness", "packed.png", "G"),
        row("metallic", "packed.png", "B"),
        row("height", "height.png", "Y"),
        row("emissive", "glow.exr", "RGB"),
        row("mask.01", "mask.png", "Y"),
    )
    return Ledger(name="wall", rows=rows), facts, {name: SourcePath(folder / name, name) for name in maps}


def outputs(draw: st.DrawFn, number: int) -> dict[str, Any]:
    layout = draw(st.sampled_from(LAYOUTS))
    entries = []
    for channel in layout:
        key = draw(st.sampled_from(ASKED))
        plain = key in ("normal", "constant")
        entries.append(
            {
                "channel": channel,
                "property": key,
                "component": draw(st.integers(0, len(property_of(key).components) - 1)),
                "inverted": not plain and draw(st.booleans()),
                "drop_when_absent": key != "constant" and channel == "A" and draw(st.booleans()),
                "constant": draw(st.sampled_from((0.0, 0.25, 1.0))) if key == "constant" else None,
                "low": 0.0 if plain else draw(st.sampled_from((0.0, 0.0, -0.5))),
                "high": 1.0 if plain else draw(st.sampled_from((1.0, 1.0, 2.5))),
                "fitted": not plain and draw(st.booleans()),
                "multiplied_by": "" if plain else draw(st.sampled_from(("", "", "occlusion", "mask"))),
                "strength": draw(st.sampled_from((0.3, 1.0))),
            }
        )
    return {
        "key": f"out{number}",
        "title": f"Output {number}",
        "suffix": f"o{number}",
        "file_format": draw(st.sampled_from(get_args(FileFormat))),
        "sample": draw(st.sampled_from(("u8", "u8", "u16", "f16", "f32"))),
        "encoding": draw(st.sampled_from(("srgb", "linear"))),
        "channels": entries,
        "storage": {"format": draw(st.sampled_from(FORMATS)), "srgb": False, "mips": draw(st.booleans())},
        "container": draw(st.sampled_from(("dds", "file"))),
        "size": {
            "among": draw(st.sampled_from(("largest", "smallest"))),
            "scale": draw(st.sampled_from((0.5, 1.0, 1.0))),
            "power_of_two": draw(st.booleans()),
            "largest": draw(st.sampled_from((8, 16384))),
        },
        "resampling": draw(st.sampled_from(get_args(Filter))),
        "mip_filter": draw(st.sampled_from(get_args(Filter))),
        "dither": draw(st.booleans()),
        "alpha_mode": draw(st.sampled_from(("as found", "cut-out", "blended"))),
    }


@st.composite
def targets(draw: st.DrawFn) -> Target | None:
    """A target document that validates; None for one that is refused."""
    count = draw(st.integers(1, 2))
    body = {
        "name": "any-engine",
        "title": "Any engine",
        "summary": "",
        "version": 1,
        "normal_y": draw(st.sampled_from(("+Y", "-Y"))),
        "name_template": draw(st.sampled_from(("{set}_{suffix}", "{suffix}-{set}", "x{project}{set}_{suffix}"))),
        "folder_template": draw(st.sampled_from(("{set}", "{project}/{set}", "all/{target}"))),
        "outputs": [outputs(draw, number) for number in range(count)],
    }
    try:
        return Target.model_validate(body)
    except ValidationError:
        return None


@given(target=targets().filter(lambda target: target is not None))
@settings(max_examples=80)
def test_whatever_validates_goes_the_whole_way(surface: Any, target: Target, tmp_path_factory: pytest.TempPathFactory) -> None:
    ledger, facts, sources = surface
    out = tmp_path_factory.mktemp("any")
    plan = plan_build(ledger, target, facts, "tw", "wall")
    assert [planned.problem for planned in plan.outputs] == [None] * len(target.outputs)
    encoded = []
    for made in make_outputs(plan, sources, out / "built"):
        proved = prove(made.planned, read(made.path))
        texture = read_dds(proved.dds, "x")
        size = (made.planned.width, made.planned.height)
        assert len(texture.levels) == len(level_sizes(*size, made.planned.storage.mips))
        spec = OiioInput.open(str(made.path)).spec()
        assert (spec.width, spec.height) == size
        place = out / f"{made.planned.key}.dds"
        place.write_bytes(proved.dds)
        encoded.append(Encoded(made.planned, place, proved.figures, made.path))
    probes = take_probes(ledger, facts, sources, plan)
    parcel = Parcel("wall", "wall", plan, facts, encoded, probes)
    write_delivery(out / "delivered", "tw", target, [parcel], [], lambda share, doing: None)
    receipt = receive(out / "delivered", target)
    # What blocks and clipping lose of noise is the receipt's to say; nothing else may be wrong.
    assert {entry.output for entry in receipt.read} == {output.key for output in target.outputs}
    lost = ("away from what was meant", "levels away")
    assert all(finding.severity == "note" or any(said in finding.message for said in lost) for finding in receipt.findings)


WRONG: dict[str, dict[str, Any]] = {
    "a name that climbs": {"name_template": "../{set}_{suffix}"},
    "a name with a folder": {"name_template": "a/{set}_{suffix}"},
    "a name with a stream": {"name_template": "{set}:{suffix}"},
    "a name that ends early": {"name_template": "{set}\x00{suffix}"},
    "two files of one name": {"name_template": "{set}"},
    "one name for all sets": {"name_template": "{suffix}"},
    "a token twice": {"name_template": "{set}{set}_{suffix}"},
    "an unknown token": {"name_template": "{set}_{suffix}_{user}"},
    "a dotted target": {"name": "orbit.desktop"},
    "a target that climbs": {"name": "../orbit"},
    "no outputs": {"outputs": []},
}


@pytest.mark.parametrize("change", WRONG.values(), ids=WRONG.keys())
def test_documents_that_would_leave_their_folder_are_refused(change: dict[str, Any]) -> None:
    body = shipped()["orbit-desktop"].model_dump(mode="json")
    with pytest.raises(ValidationError):
        Target.model_validate(body | change)


BAD_OUTPUTS: dict[str, dict[str, Any]] = {
    "a property that is none": {"channels": [{"channel": "Y", "property": "shine"}]},
    "a component that is none": {"channels": [{"channel": "Y", "property": "roughness", "component": 1}]},
    "a component before the first": {"channels": [{"channel": "Y", "property": "normal", "component": -1}]},
    "green of a normal inverted": {"channels": [{"channel": "Y", "property": "normal", "component": 1, "inverted": True}]},
    "grey that may be left out": {"channels": [{"channel": "Y", "property": "height", "drop_when_absent": True}]},
    "floats in a PNG": {"sample": "f16"},
    "floats in blocks": {"file_format": "exr", "sample": "f16", "encoding": "linear"},
    "sRGB in blocks for data": {"format_with_alpha": "bc5"},
    "a suffix that climbs": {"suffix": "../c"},
}


@pytest.mark.parametrize("change", BAD_OUTPUTS.values(), ids=BAD_OUTPUTS.keys())
def test_outputs_that_could_not_be_made_are_refused(change: dict[str, Any]) -> None:
    body = shipped()["orbit-desktop"].model_dump(mode="json")
    body["outputs"][0] |= change
    with pytest.raises(ValidationError):
        Target.model_validate(body)


def test_opacity_that_is_stored_inverted_is_no_coverage(surface: Any) -> None:
    """Colour would be weighed by how little of it is there."""
    ledger, facts, _ = surface
    body = shipped()["orbit-desktop"].model_dump(mode="json")
    for inverted, kind in ((False, "coverage"), (True, "data")):
        body["outputs"][0]["channels"][3]["inverted"] = inverted
        plan = plan_build(ledger, Target.model_validate(body), facts, "tw", "wall")
        assert mip_kinds(plan.outputs[0]) == ("srgb", "srgb", "srgb", kind)
