"""Targets of any layout: whatever document validates is planned, built, encoded, proved, delivered and read back."""

from __future__ import annotations

import json
import subprocess
from pathlib import Path
from typing import Any, get_args

import jsonschema
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from OpenImageIO import ImageInput as OiioInput
from pydantic import ValidationError

from tests.conftest import examples
from texelcore.building.execute import make_outputs
from texelcore.building.plan import Plan, plan_build
from texelcore.building.sources import Sources, in_folder
from texelcore.codecs.dds import read_dds
from texelcore.delivery.documents import Receipt
from texelcore.delivery.package import Encoded, Parcel, write_delivery
from texelcore.delivery.probes import take_probes
from texelcore.derive.from_specular import from_specular
from texelcore.derive.to_specular import to_specular
from texelcore.evidence.facts import facts_of
from texelcore.materials.dressing.binding import SetMaps, bound_property
from texelcore.pixels.image import Image
from texelcore.pixels.read import read
from texelcore.pixels.resample import Filter
from texelcore.pixels.strips import of_image
from texelcore.pixels.write import FileFormat, write
from texelcore.proof.prove import mip_kinds, prove
from texelcore.surface.formats import FORMATS as CODED
from texelcore.surface.formats import TextureFormat, level_sizes, texture_channel
from texelcore.surface.ledger import LayoutTile, Ledger, Row
from texelcore.surface.properties import PROPERTIES, property_of
from texelcore.surface.storage import Storage
from texelcore.targets.compare import compare_targets
from texelcore.targets.document import Target
from texelcore.targets.library import shipped, shipped_versions
from texelcore.targets.problems import check_target
from texeldock.receive import receive

EDGE = 12
LAYOUTS = ("Y", "YA", "RGB", "RGBA")
FORMATS = tuple(get_args(TextureFormat))
# What a default stands in for where a set lacks it.
STAND_INS = ("opacity", "normal", "occlusion", "roughness", "metallic", "emissive")
ASKED = (*PROPERTIES, "mask", "mask.01", "diffuse", "constant")


def row(key: str, file: str, channels: str, **options: Any) -> Row:
    said = {"encoding": "linear", "sure": "by hand", "why": ""} | options
    return Row(property=key, file=file, channels=tuple(channels), **said)  # type: ignore[arg-type]


@pytest.fixture(scope="module")
def surface(tmp_path_factory: pytest.TempPathFactory) -> tuple[Ledger, dict[str, Any], Sources]:
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
    return Ledger(name="wall", rows=rows), facts, in_folder(facts, folder)


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


@given(
    target=targets().filter(lambda target: target is not None),
    lacking=st.sets(st.sampled_from(STAND_INS)),
)
@examples(40)
def test_whatever_validates_goes_the_whole_way(
    surface: Any, target: Target, lacking: set[str], tmp_path_factory: pytest.TempPathFactory
) -> None:
    """Whatever the target asks for, and whichever maps a default stands in for."""
    ledger = Ledger(name="wall", rows=tuple(row for row in surface[0].rows if row.property not in lacking))
    plan, receipt = delivered(surface, ledger, target, tmp_path_factory.mktemp("any"))
    assert [planned.problem for planned in plan.outputs] == [None] * len(target.outputs)
    assert {entry.output for entry in receipt.read} == {output.key for output in target.outputs}
    assert holds(receipt)


@given(
    target=targets().filter(lambda target: target is not None),
    lacking=st.sets(st.sampled_from(STAND_INS)),
    whole=st.sets(st.sampled_from((*STAND_INS, "mask.01"))),
    is_surface=st.booleans(),
)
@examples(30)
def test_what_one_tile_of_a_set_lacks_is_asked_of_the_others(
    surface: Any, target: Target, lacking: set[str], whole: set[str], is_surface: bool, tmp_path_factory: pytest.TempPathFactory
) -> None:
    """A set laid out over two tiles: of the second some maps are not there, and some maps are the same for both."""

    def laid_out(row: Row) -> Row:
        numbers = () if row.property in whole else (1001,) if row.property in lacking else (1001, 1002)
        return row.model_copy(update={"tiles": tuple(LayoutTile(number=number, file=row.file) for number in numbers)})

    ledger = Ledger(name="wall", rows=tuple(map(laid_out, surface[0].rows)), surface=is_surface)
    plan, receipt = delivered(surface, ledger, target, tmp_path_factory.mktemp("tiles"))
    assert not any(planned.problem for planned in plan.outputs)
    assert {entry.output for entry in receipt.read} == {planned.key for planned in plan.outputs}
    assert {planned.key.partition(".")[2] for planned in plan.outputs} == {"1001", "1002"}
    assert holds(receipt)


@pytest.mark.parametrize(("sample", "form"), [("u8", "bc1"), ("u8", "rgba8"), ("u16", "rgba16"), ("f16", "rgba16f")])
def test_a_constant_is_read_back_in_every_sample(surface: Any, sample: str, form: str, tmp_path: Path) -> None:
    body = shipped()["orbit-desktop"].model_dump(mode="json")
    packed = next(output for output in body["outputs"] if output["key"] == "packed")
    packed["channels"][1] |= {"property": "constant", "constant": 0.25, "inverted": False}
    packed |= {"sample": sample, "file_format": "exr" if sample == "f16" else "png", "storage": {"format": form}}
    packed |= {"format_with_alpha": None}
    target = Target.model_validate(body | {"outputs": [packed]})
    _, receipt = delivered(surface, surface[0], target, tmp_path / "right")
    assert receipt.read and holds(receipt)
    # A receiver that wants another number does not take it.
    packed["channels"][1]["constant"] = 0.75
    other = receive(tmp_path / "right" / "delivered", Target.model_validate(body | {"outputs": [packed]}))
    assert any("holds something else than 0.75 in G" in finding.message for finding in other.findings)


def delivered(surface: Any, ledger: Ledger, target: Target, out: Path) -> tuple[Plan, Receipt]:
    """A set built, encoded and delivered for a target, and what a receiver makes of it."""
    _, facts, sources = surface
    plan = plan_build(ledger, target, facts, "tw", "wall")
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
        encoded.append(Encoded(made.planned, place.read_bytes, proved.figures, made.path.read_bytes))
    parcel = Parcel("wall", "wall", plan, facts, encoded, take_probes(ledger, sources, plan))
    write_delivery(out / "delivered", "tw", target, [parcel], [])
    return plan, receive(out / "delivered", target)


def holds(receipt: Receipt) -> bool:
    """Whether nothing is wrong but what blocks and clipping lose of noise, which is the receipt's to say."""
    lost = ("away from what was meant", "levels away")
    return all(finding.severity == "note" or any(said in finding.message for said in lost) for finding in receipt.findings)


@given(target=targets().filter(lambda target: target is not None), detail=st.booleans())
@examples(30)
def test_a_set_that_is_no_surface_is_asked_for_what_it_has(
    surface: Any, target: Target, detail: bool, tmp_path_factory: pytest.TempPathFactory
) -> None:
    """Whatever the target: nothing is missing, each mask lies in one texture where masters find it, and the receiver reads it."""
    masks = (row("mask.dirt ring", "packed.png", "G"), row("mask.Dirt-Ring", "packed.png", "B"), surface[0].row("mask.01"))
    rows = (*masks, surface[0].row("normal")) if detail else masks
    ledger = Ledger(name="wall", rows=rows, surface=False)
    plan, receipt = delivered(surface, ledger, target, tmp_path_factory.mktemp("helper"))
    assert plan.outputs and not any(planned.problem for planned in plan.outputs)
    assert {entry.output for entry in receipt.read} == {planned.key for planned in plan.outputs}, (
        target.outputs,
        [f.message for f in receipt.findings],
        [(p.key, [(c.channel, c.property, c.recipe) for c in p.channels]) for p in plan.outputs],
    )
    assert holds(receipt)
    maps = {planned.key: planned.storage for planned in plan.outputs}
    present = {row.property for row in rows}
    bound = {mask.property: bound_property(mask.property, target, SetMaps(maps, present)) for mask in masks}
    places = [(entry.output, entry.channels) for entry in bound.values() if entry]
    assert len(set(places)) == len(places)
    for key, found in bound.items():
        held = [(planned, channel.channel) for planned in plan.outputs for channel in planned.channels if channel.property == key]
        # A target may store a mask of its own in a channel that its blocks do not keep.
        kept = [planned.key for planned, channel in held if texture_channel(channel) in CODED[planned.storage.format].channels]
        assert held and (found.output if found else None) == (kept[0] if kept else None)
    # As a surface it is asked for all that the target asks of one.
    whole = plan_build(ledger.model_copy(update={"surface": True}), target, surface[1], "tw", "wall")
    assert {planned.key for planned in whole.outputs} == {output.key for output in target.outputs}


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


@pytest.mark.parametrize("name", sorted(shipped()))
def test_every_shipped_target_is_read_back_as_it_was_meant(surface: Any, name: str, tmp_path: Path) -> None:
    """Stored without loss, nothing is further from what was meant than rounding makes it: ranges, multiplied occlusion, masks,
    smaller sizes and normals without blue included."""
    target = shipped()[name]
    plain = {"u8": "rgba8", "u16": "rgba16", "f16": "rgba16f", "f32": "rgba32f"}
    outputs = []
    for output in target.outputs:
        flag = output.storage.srgb and output.sample == "u8"
        storage = Storage(format=plain[output.sample], srgb=flag)  # type: ignore[arg-type]
        outputs.append(output.model_copy(update={"storage": storage, "format_with_alpha": None}))
    target = target.model_copy(update={"outputs": tuple(outputs)})
    plan, receipt = delivered(surface, surface[0], target, tmp_path)
    entries = {channel.channel: channel for planned in plan.outputs for channel in planned.output.channels if planned.files}
    asked = {entry.property for entry in entries.values() if entry.constant is None}
    assert asked <= {prop.property for prop in receipt.properties} | {"normal"}
    # Emission beyond 1 is cut off where a target stores it as it is.
    fair = [prop for prop in receipt.properties if prop.property != "emissive" or name in ("gltf-2", "slow-light")]
    worst = {(prop.property, prop.unit): prop.mean for prop in fair}
    assert all(mean < (1.0 if unit == "levels" else 1.5) for (_, unit), mean in worst.items()), worst


def test_the_gltf_target_is_what_the_specification_says() -> None:
    """glTF 2.0, sections Materials and Images: occlusion R, roughness G, metallic B, linear; base colour and emissive sRGB; +Y
    normals; PNG or JPEG."""
    target = shipped()["gltf-2"]
    assert target.normal_y == "+Y"
    layout = {output.key: [(channel.channel, channel.property) for channel in output.channels] for output in target.outputs}
    assert layout["packed"] == [("R", "occlusion"), ("G", "roughness"), ("B", "metallic")]
    assert [entry for entry in layout["colour"] if entry[0] == "A"] == [("A", "opacity")]
    for output in target.outputs:
        assert output.file_format in ("png", "jpeg") and output.container == "file"
        colour = {channel.property for channel in output.channels} & {"base_colour", "emissive"}
        assert output.encoding == ("srgb" if colour else "linear")
        assert not any(channel.inverted for channel in output.channels)


VALIDATE = """
import {{ readFileSync }} from 'node:fs';
import validator from '{module}';
const folder = '{folder}/';
const report = await validator.validateString(readFileSync(folder + 'wall.gltf', 'utf8'), {{
  externalResourceFunction: (uri) => Promise.resolve(new Uint8Array(readFileSync(folder + uri))),
}});
console.log(JSON.stringify(report));
"""


def test_a_material_of_the_gltf_target_satisfies_the_khronos_validator(surface: Any, tmp_path: Path) -> None:
    """The files that are built for it, named by a material as the manifest says, are a whole glTF without an error."""
    ledger, facts, sources = surface
    target = shipped()["gltf-2"]
    plan = plan_build(ledger, target, facts, "tw", "wall")
    names = {made.planned.key: made.path.name for made in make_outputs(plan, sources, tmp_path)}
    order = list(names)
    strength = next(channel.high for planned in plan.outputs if planned.key == "emissive" for channel in planned.channels)
    assert strength > 1

    def texture(key: str, **more: Any) -> dict[str, Any]:
        return {"index": order.index(key), **more}

    document = {
        "asset": {"version": "2.0"},
        "extensionsUsed": ["KHR_materials_emissive_strength"],
        "images": [{"uri": name} for name in names.values()],
        "textures": [{"source": place} for place in range(len(order))],
        "materials": [
            {
                "pbrMetallicRoughness": {
                    "baseColorTexture": texture("colour"),
                    "metallicRoughnessTexture": texture("packed"),
                },
                "normalTexture": texture("normal"),
                "occlusionTexture": texture("packed", strength=1),
                "emissiveTexture": texture("emissive"),
                "emissiveFactor": [1, 1, 1],
                "alphaMode": "MASK",
                "alphaCutoff": 0.5,
                "extensions": {"KHR_materials_emissive_strength": {"emissiveStrength": strength}},
            }
        ],
    }
    (tmp_path / "wall.gltf").write_text(json.dumps(document))
    script = tmp_path / "validate.mjs"
    module = Path(__file__).resolve().parents[2] / "web/node_modules/gltf-validator/index.js"
    script.write_text(VALIDATE.format(module=module, folder=tmp_path))
    report = json.loads(subprocess.run(["node", script], capture_output=True, text=True, check=True).stdout)
    assert report["issues"]["numErrors"] == 0, report["issues"]["messages"]
    said = {message["code"] for message in report["issues"]["messages"]}
    assert said <= {"IMAGE_NPOT_DIMENSIONS", "UNUSED_OBJECT"}, report["issues"]["messages"]


ROOT = Path(__file__).resolve().parents[2]


def test_what_ships_keeps_the_published_schema() -> None:
    published = json.loads((ROOT / "docs/schemas/target.schema.json").read_text())
    for target in shipped_versions().values():
        jsonschema.validate(json.loads(target.to_json()), published)


def test_every_mistake_is_said_at_its_place() -> None:
    body = shipped()["orbit-desktop"].model_dump(mode="json")
    body["outputs"][0]["channels"][1]["component"] = 7
    body["outputs"][1]["suffix"] = "../n"
    body["outputs"][2]["size"]["largest"] = 100_000
    body["outputs"][3]["suffix"] = "E"
    target, problems = check_target(body)
    places = {problem.place: problem.message for problem in problems}
    assert target is None
    assert places[("outputs", 0, "channels", 1)] == "Base colour has no component 8."
    assert "begins with a letter" in places[("outputs", 1, "suffix")]
    assert "16384" in places[("outputs", 2, "size", "largest")]
    assert "share one suffix" in places[("outputs", 4, "suffix")]


@pytest.mark.parametrize(
    ("change", "said"),
    [
        ({"format_version": 2}, "newer Fair Texel"),
        ({"format": "fair-texel-master"}, "another kind"),
        ({"outputs": [{}] * 10_000}, "10,000 outputs"),
        ({"folder_template": "../{set}"}, "a folder has letters"),
        ({"folder_template": "/{set}"}, "neither begins nor ends"),
        ({"secret": 1}, "newer version"),
    ],
)
def test_documents_of_others_are_refused_with_the_reason(change: dict[str, Any], said: str) -> None:
    target, problems = check_target(shipped()["orbit-desktop"].model_dump(mode="json") | change)
    assert target is None and said in problems[0].message and problems[0].way_out


def test_versions_are_compared_row_by_row() -> None:
    old = shipped()["weir-console"]
    outputs = list(old.outputs)
    packed = outputs[2]
    cheaper = packed.storage.model_copy(update={"format": "bc1"})
    outputs[2] = packed.model_copy(update={"channels": (packed.channels[1], *packed.channels[1:]), "storage": cheaper})
    new = old.model_copy(update={"outputs": (*outputs[:3], outputs[4]), "normal_y": "+Y"})
    found = {(change.output, change.part): change for change in compare_targets(old, new)}
    assert found["", "Normals"].effect == "built again"
    assert (found["packed", "Stored as"].effect, found["packed", "Stored as"].becomes[:3]) == ("encoded again", "BC1")
    assert found["height", "Output"].effect == "removed"
    assert compare_targets(new, new) == ()
    # What its materials take makes no texture anew.
    plain, coated = (new.model_copy(update={"material_extensions": taken}) for taken in ((), ("KHR_materials_clearcoat",)))
    told = [
        (change.was, change.becomes, change.effect) for change in (*compare_targets(new, plain), *compare_targets(plain, coated))
    ]
    assert told == [("all that glTF has", "the basics alone", "words"), ("the basics alone", "clear coat", "words")]


def test_the_specular_workflow_is_asked_for_and_comes_back(surface: Any, tmp_path: Path) -> None:
    """KHR_materials_pbrSpecularGlossiness, conversion notes: there and back is the same surface."""
    rng = np.random.default_rng(3)
    base, metallic = rng.uniform(0.05, 0.95, (50, 3)), rng.integers(0, 2, 50).astype(float)
    diffuse, specular = to_specular(base, metallic)
    assert np.allclose(specular[metallic == 0], 0.04) and np.allclose(specular[metallic == 1], base[metallic == 1])
    assert np.allclose(diffuse[metallic == 1], 0) and np.allclose(diffuse[metallic == 0], base[metallic == 0])
    back = from_specular(diffuse, specular)
    assert np.abs(back.base_colour - base).max() < 1e-3 and np.abs(back.metallic - metallic).max() < 1e-3
    ledger, facts, sources = surface
    rgb = [("R", 0), ("G", 1), ("B", 2)]
    head = {"file_format": "png", "sample": "u8", "encoding": "srgb", "storage": {"format": "rgba8", "srgb": True}}
    gloss = {"channel": "A", "property": "roughness", "inverted": True}
    outputs = [
        head
        | {
            "key": key,
            "title": key,
            "suffix": key,
            "channels": [{"channel": c, "property": key, "component": at} for c, at in rgb],
        }
        for key in ("diffuse", "specular")
    ]
    outputs[1]["channels"].append(gloss)
    body = {"name": "old", "title": "Old", "summary": "", "version": 1, "normal_y": "+Y", "name_template": "{set}_{suffix}"}
    target = Target.model_validate(body | {"outputs": outputs})
    _, receipt = delivered((ledger, facts, sources), ledger, target, tmp_path)
    read_back = {prop.property: prop.mean for prop in receipt.properties}
    assert read_back.keys() == {"diffuse", "specular", "roughness"} and max(read_back.values()) < 1.0


def test_outputs_that_no_set_has_both_of_may_share_a_name(surface: Any) -> None:
    """Merged where a property is missing: the mobile target puts roughness into alpha unless there is opacity."""
    ledger, facts, _ = surface
    target = shipped()["pocket-mill"]
    whole = {planned.key for planned in plan_build(ledger, target, facts, "", "wall").outputs}
    merged = {planned.key for planned in plan_build(ledger.without_row("opacity"), target, facts, "", "wall").outputs}
    assert whole == {"cutout", "roughness", "surface"} and merged == {"colour", "surface"}


def test_opacity_that_is_stored_inverted_is_no_coverage(surface: Any) -> None:
    """Colour would be weighed by how little of it is there."""
    ledger, facts, _ = surface
    body = shipped()["orbit-desktop"].model_dump(mode="json")
    for inverted, kind in ((False, "coverage"), (True, "data")):
        body["outputs"][0]["channels"][3]["inverted"] = inverted
        plan = plan_build(ledger, Target.model_validate(body), facts, "tw", "wall")
        assert mip_kinds(plan.outputs[0]) == ("srgb", "srgb", "srgb", kind)
