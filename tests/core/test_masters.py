"""Masters: what holds together and what does not, binding, evaluation, versions, and the Khronos validator on exports."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from pathlib import Path
from typing import Any

import MaterialX as mx
import numpy as np
import pytest
from pygltflib import GLTF2

from texelcore.materials.dressing.binding import bind, one_set
from texelcore.materials.dressing.evaluate import evaluate, picture_sampler, texel_centres
from texelcore.materials.dressing.textures import samplers_of
from texelcore.materials.gltf.placing import Placement, placement_of, stretch_of
from texelcore.materials.gltf.variant import bake, export_glb
from texelcore.materials.mtlx.writing import write_materialx
from texelcore.materials.sheets.document import Master, OpacityUse, Variant, values_of
from texelcore.materials.sheets.kinds import SURFACE_KINDS
from texelcore.materials.sheets.masters import shipped_masters
from texelcore.materials.sheets.typing import check_master
from texelcore.pixels.errors import TexelError
from texelcore.pixels.image import Image
from texelcore.targets.library import shipped

ROOT = Path(__file__).resolve().parents[2]
SOLID = shipped_masters()["solid-surface"]
BLENDED = OpacityUse(mode="blended")


def sheet(*strands: tuple[str, str, dict[str, Any]], **surface: str) -> Master:
    """A small master with one number, one colour, one switch and one texture."""
    return Master.model_validate(
        {
            "name": "test",
            "title": "Test",
            "summary": "",
            "version": 1,
            "parameters": [
                {"name": "amount", "label": "Amount", "group": "g", "kind": "number", "default": 0.25},
                {"name": "paint", "label": "Paint", "group": "g", "kind": "colour", "default": [0.5, 0.25, 0.125]},
                {"name": "on", "label": "On", "group": "g", "kind": "switch", "default": True},
            ],
            "textures": [{"name": "map", "property": "roughness"}, {"name": "bumps", "property": "normal"}],
            "strands": [{"name": name, "group": "g", "operation": key, "inputs": inputs} for name, key, inputs in strands],
            "surface": surface,
        }
    )


@pytest.mark.parametrize(
    ("strands", "surface", "said"),
    [
        ([("a", "add", {"a": "b", "b": 1.0}), ("b", "add", {"a": "a", "b": 1.0})], {}, "needs itself"),
        ([("a", "add", {"a": "a", "b": 1.0})], {}, "needs itself"),
        ([("a", "add", {"a": "nobody", "b": 1.0})], {}, "“nobody”"),
        ([("a", "glue", {"a": 1.0})], {}, "“glue”, which is no operation"),
        ([("a", "add", {"a": 1.0})], {}, "leaves “b” empty"),
        ([("a", "invert", {"a": 1.0, "z": 1.0})], {}, "fills “z”"),
        ([("a", "add", {"a": "on", "b": 1.0})], {}, "not a switch"),
        ([("a", "add", {"a": "map", "b": 1.0})], {}, "Put a “read” strand"),
        ([("a", "read", {"texture": "amount", "place": "uv"})], {}, "takes a texture"),
        ([("a", "read", {"texture": "bumps", "place": "uv"}), ("b", "invert", {"a": "a"})], {}, "not a direction"),
        ([("a", "strengthen", {"normal": "paint"})], {}, "takes a direction for normal, but gets a colour"),
        ([("a", "choose", {"switch": "amount", "a": 1.0, "b": 1.0})], {}, "takes a switch"),
        ([("amount", "invert", {"a": 1.0})], {}, "name of two things"),
        ([], {"roughness": "paint"}, "takes roughness, a number, from “paint”, a colour"),
        ([], {"wetness": "amount"}, "which no surface has"),
        ([], {"roughness": "nobody"}, "which is no strand"),
    ],
)
def test_a_master_that_does_not_hold_says_where_and_why(strands: Any, surface: dict[str, str], said: str) -> None:
    with pytest.raises(TexelError) as caught:
        check_master(sheet(*strands, **surface))
    assert said in str(caught.value) and caught.value.way_out


def test_strands_run_in_any_order_and_numbers_widen() -> None:
    master = sheet(("last", "multiply", {"a": "paint", "b": "first"}), ("first", "invert", {"a": "amount"}), base_colour="last")
    surface = evaluate(check_master(master), {"amount": 0.5}, {}, texel_centres(3, 2))
    assert surface["base_colour"].shape == (2, 3, 3)
    assert surface["base_colour"][1, 2] == pytest.approx([0.25, 0.125, 0.0625])


def test_the_shipped_master_does_what_its_parameters_say() -> None:
    checked = check_master(SOLID)
    uv = texel_centres(8, 8)
    rng = np.random.default_rng(4)
    colour, rough = rng.random((8, 8, 3)).astype(np.float32), rng.random((8, 8)).astype(np.float32)
    tilt = np.broadcast_to(np.float32([0.6, 0.0, 0.8]), (8, 8, 3))
    samplers = {
        "colour map": picture_sampler(colour),
        "roughness map": picture_sampler(rough),
        "normal map": picture_sampler(tilt),
        "occlusion map": picture_sampler(rough),
        "emissive map": picture_sampler(colour),
    }

    def surface(**own: Any) -> dict[str, np.ndarray]:
        return evaluate(checked, {name.replace("_", " "): value for name, value in own.items()}, samplers, uv)

    plain = surface()
    assert np.allclose(plain["base_colour"], colour, atol=1e-6) and np.allclose(plain["roughness"], rough, atol=1e-6)
    assert np.allclose(surface(tint=(0.5, 1, 1), brightness=2)["base_colour"], colour * [1, 2, 2], atol=1e-5)
    bent = surface(roughness_power=2, roughness_low=0.2, roughness_high=0.6)["roughness"]
    assert np.allclose(bent, 0.2 + rough**2 * 0.4, atol=1e-5)
    # glTF 2.0: occlusion strength is 1 + strength × (occlusion − 1); normal scale widens x and y.
    assert np.allclose(surface(occlusion_strength=0.25)["occlusion"], 1 + 0.25 * (rough - 1), atol=1e-5)
    twice = np.float32([1.2, 0, 0.8]) / np.hypot(1.2, 0.8)
    assert np.allclose(surface(normal_strength=2)["normal"], twice, atol=1e-5)
    assert np.allclose(surface(normal_from_map=False)["normal"], [0, 0, 1], atol=1e-6)
    # A picture turned by a quarter keeps its light: what leaned to the right leans up or down with the picture.
    turned = surface(rotation=90)["normal"][0, 0]
    assert turned == pytest.approx([0, -0.6, 0.8], abs=1e-5)
    assert np.allclose(surface(rotation=180)["base_colour"], colour[::-1, ::-1], atol=1e-4)
    assert np.allclose(surface(offset_across=0.5)["base_colour"], np.roll(colour, -4, axis=1), atol=1e-5)
    assert np.allclose(surface(emissive_strength=40)["emissive"], colour * 40, rtol=1e-5)
    assert np.allclose(surface(roughness_from_map=False, plain_roughness=0.3)["roughness"], 0.3**1, atol=1e-6)
    # Without maps every property is its neutral value.
    bare = evaluate(checked, {}, {}, uv)
    assert {key: float(value.mean()) for key, value in bare.items() if value.ndim == 2} == pytest.approx(
        {"opacity": 1, "roughness": 0.5, "metallic": 0, "occlusion": 1}
    )


def test_values_keep_their_kinds_and_ranges() -> None:
    # A number that is 0 or 1 is no switch, also after it was written and read.
    own = {"tiling": 1.0, "brightness": 0.0, "normal flip": True}
    read = Variant(name="a", master="m", version=1, set="oak", values=own).model_dump_json()
    assert [type(value) for value in Variant.model_validate_json(read).values.values()] == [float, float, bool]
    assert values_of(SOLID, {"tiling": 4.0})["tiling"] == 4.0
    for wrong in (
        {"tiling": -1.0},
        {"tiling": True},
        {"tint": 3.0},
        {"normal flip": 1.0},
        {"no such": 1.0},
        {"plain metallic": 1.1},
    ):
        with pytest.raises(TexelError):
            values_of(SOLID, wrong)


def test_binding_connects_every_map_at_once_for_each_target() -> None:
    for target in (shipped()[name] for name in ("millrace-handheld", "orbit-desktop")):
        storages = {output.key: output.stored(alpha=True) for output in target.outputs}
        bound = bind(SOLID, target, one_set(SOLID, storages))
        assert None not in bound.values()
        without = bind(SOLID, target, one_set(SOLID, storages, {"base_colour", "roughness"}))
        assert [name for name, place in without.items() if place] == ["colour map", "roughness map"]
    handheld = shipped()["millrace-handheld"]
    found = bind(SOLID, handheld, one_set(SOLID, {output.key: output.storage for output in handheld.outputs}))
    rough, normal = found["roughness map"], found["normal map"]
    assert rough and (rough.chip, rough.inverted) == ("metal_smooth.a", True)
    assert normal and (normal.channels, normal.down) == ("RG", True)


VALIDATE = """
import {{ readFileSync }} from 'node:fs';
import validator from '{module}';
const report = await validator.validateBytes(new Uint8Array(readFileSync('{file}')));
console.log(JSON.stringify(report));
"""


def judged(glb: bytes, folder: Path) -> Any:
    """What the Khronos validator says of a file."""
    file = folder / "moss.glb"
    file.write_bytes(glb)
    script = folder / "validate.mjs"
    script.write_text(VALIDATE.format(module=ROOT / "web/node_modules/gltf-validator/index.js", file=file))
    return json.loads(subprocess.run(["node", script], capture_output=True, text=True, check=True).stdout)


@pytest.mark.parametrize("own", [{}, {"emissive strength": 30.0, "plain opacity": 0.5, "opacity from map": False, "tiling": 2.0}])
def test_an_exported_variant_satisfies_the_khronos_validator(tmp_path: Path, own: dict[str, Any]) -> None:
    target = shipped()["orbit-desktop"]
    rng = np.random.default_rng(8)
    images = {key: Image.of(rng.integers(0, 256, (16, 16, 3), np.uint8)) for key in ("colour", "normal", "packed", "emissive")}
    storages = {output.key: output.storage for output in target.outputs if output.key in images}
    bound = bind(SOLID, target, one_set(SOLID, storages))
    checked, placement = placement_of(check_master(SOLID), own)
    surface = bake(checked, own, samplers_of(SOLID, bound, {"surface": images}, target), 16, 16)
    glb = export_glb("Moss bed", surface, BLENDED, placement)
    assert glb == export_glb("Moss bed", surface, BLENDED, placement)
    report = judged(glb, tmp_path)
    assert (report["issues"]["numErrors"], report["issues"]["numWarnings"]) == (0, 0), report["issues"]["messages"]
    assert report["info"]["materialCount"] == 1 and report["info"]["hasTextures"]
    assert "KHR_texture_transform" in report["info"]["extensionsUsed"]


@pytest.mark.parametrize(
    ("use", "mode", "cutoff", "two_sided"),
    [
        (OpacityUse(mode="cut-out", threshold=0.3, two_sided=False), "MASK", 0.3, False),
        (BLENDED, "BLEND", None, True),
        (OpacityUse(mode="solid"), "OPAQUE", None, True),
    ],
)
def test_opacity_goes_to_gltf_as_it_is_meant(tmp_path: Path, use: OpacityUse, mode: str, cutoff: float, two_sided: bool) -> None:
    """glTF 2.0, alphaMode: leaves that were cut out and came as BLEND would be sorted, and seen through one another."""
    surface = bake(check_master(SOLID), {}, {}, 8, 8)
    surface["opacity"] = np.linspace(0, 1, 64, dtype=np.float32).reshape(8, 8)
    glb = export_glb("Leaf", surface, use)
    (material,) = GLTF2.load_from_bytes(glb).materials
    assert (material.alphaMode, material.alphaCutoff or None, material.doubleSided) == (mode, cutoff, two_sided)
    assert judged(glb, tmp_path)["issues"]["numErrors"] == 0


EXTENSIONS = {
    "KHR_materials_clearcoat": {"clear_coat": 0.8, "clear_coat_roughness": 0.2},
    "KHR_materials_sheen": {"sheen_colour": 0.6, "sheen_roughness": 0.4},
    "KHR_materials_specular": {"specular_level": 0.5},
    "KHR_materials_ior": {"index_of_refraction": 1.33},
    "KHR_materials_anisotropy": {"anisotropy": 0.7, "anisotropy_rotation": 0.25},
}


@pytest.mark.parametrize("varied", [False, True])
@pytest.mark.parametrize("placed", [None, Placement((2.0, 2.0), (0.25, 0.0))])
def test_what_lies_beyond_the_basics_is_said_by_gltfs_extensions(tmp_path: Path, varied: bool, placed: Placement | None) -> None:
    """The ratified extensions of glTF 2.0: a factor where a property is even, a texture where it is not."""
    surface = bake(check_master(SOLID), {}, {}, 8, 8)
    for given in EXTENSIONS.values():
        for key, value in given.items():
            shape = (8, 8, 3) if key == "sheen_colour" else (8, 8)
            held = np.full(shape, value, np.float32)
            surface[key] = held * np.linspace(0.5, 1, 8, dtype=np.float32).reshape(-1, *[1] * (held.ndim - 1)) if varied else held
    glb = export_glb("All", surface, BLENDED, placed)
    report = judged(glb, tmp_path)
    assert (report["issues"]["numErrors"], report["issues"]["numWarnings"]) == (0, 0), report["issues"]["messages"]
    assert set(report["info"]["extensionsUsed"]) >= set(EXTENSIONS)
    said = GLTF2.load_from_bytes(glb).materials[0].extensions
    coat, turned = said["KHR_materials_clearcoat"], said["KHR_materials_anisotropy"]
    if varied:
        assert coat["clearcoatFactor"] == 1.0 and {"clearcoatTexture", "clearcoatRoughnessTexture"} <= set(coat)
        assert "sheenColorTexture" in said["KHR_materials_sheen"] and "specularTexture" in said["KHR_materials_specular"]
        assert bool(placed) == ("extensions" in turned["anisotropyTexture"])
    else:
        assert coat == {"clearcoatFactor": pytest.approx(0.8), "clearcoatRoughnessFactor": pytest.approx(0.2)}
        assert turned["anisotropyRotation"] == pytest.approx(np.pi / 2, abs=1e-4)
    assert said["KHR_materials_ior"]["ior"] == pytest.approx(1.33 * (0.75 if varied else 1), abs=0.26)
    # What is as glTF has it without a word is not said.
    plain = export_glb("Plain", bake(check_master(SOLID), {}, {}, 8, 8), BLENDED)
    assert not GLTF2.load_from_bytes(plain).extensionsUsed


def test_what_ships_is_the_same_in_every_process() -> None:
    """A studio keeps what ships by what it says: another order at each start would be another version."""
    script = "from texelcore.materials.sheets.masters import shipped_masters; print(*shipped_masters().values())"
    seeds = ("1", "2", "3")
    run = [sys.executable, "-c", script]
    assert len({subprocess.check_output(run, env=os.environ | {"PYTHONHASHSEED": seed}) for seed in seeds}) == 1


@pytest.mark.parametrize("master", shipped_masters().values(), ids=lambda master: master.name)
def test_every_shipped_master_can_be_baked_into_gltf(master: Master) -> None:
    """What a master gives nothing of is neutral: the file says all that glTF asks for."""
    surface = bake(check_master(master), {}, {}, 8, 8)
    assert {*SURFACE_KINDS, *master.surface} == set(surface)
    assert "emissive" in master.surface or not surface["emissive"].any()
    assert export_glb(master.title, surface, BLENDED)[:4] == b"glTF"


def test_what_gltf_can_say_of_placement_is_said_and_the_rest_is_baked_with_filtering() -> None:
    """KHR_texture_transform: a coordinate becomes scale × coordinate + offset, from the upper left."""
    rng = np.random.default_rng(4)
    tilt = rng.normal(0, 0.4, (64, 64, 2))
    vectors = np.concatenate([tilt, np.ones((64, 64, 1))], -1)
    vectors = (vectors / np.linalg.norm(vectors, axis=-1, keepdims=True)).astype(np.float32)
    samplers = {"normal map": picture_sampler(vectors)}
    moved = {"tiling": 3.0, "offset across": 0.2, "offset down": -0.1}
    checked, placement = placement_of(check_master(SOLID), moved)
    assert placement is not None
    uv = rng.random((200, 2)).astype(np.float32)
    placed = uv * np.float32(placement.scale) + np.float32(placement.offset)
    direct = evaluate(check_master(SOLID), moved, samplers, uv)["normal"]
    assert np.abs(evaluate(checked, moved, samplers, placed)["normal"] - direct).max() < 2e-3
    # A turned placement is baked; texels that hold many repeats are their average, and not one of them at random.
    turned = {"tiling": 8.0, "rotation": 30.0}
    whole, none = placement_of(check_master(SOLID), turned)
    assert none is None and stretch_of(whole, turned) == 8.0
    truth = bake(whole, turned, samplers, 16, 16, 64)["normal"]
    picked, filtered = (bake(whole, turned, samplers, 16, 16, finer)["normal"] for finer in (1, 16))
    away = [np.degrees(np.arccos(np.clip((other * truth).sum(-1), -1, 1))).mean() for other in (picked, filtered)]
    assert away[0] > 15 and away[1] < 2.5


def test_words_with_commas_are_as_many_in_materialx_as_they_are() -> None:
    """A comma parts the words of a choice there (MaterialX 1.39 specification, Input elements)."""
    words = ("dry", "wet, cold", "wet, warm, dirty")
    body = shipped_masters()["solid-surface"].model_dump(mode="json")
    body["parameters"].append(
        {"name": "weather", "label": "Weather", "group": "", "kind": "choice", "default": words[1], "choices": words}
    )
    written = write_materialx(check_master(Master.model_validate(body)), "Weathered", {}, {})
    document = mx.createDocument()
    mx.readFromXmlString(document, written.text)
    held = document.getNodeGraph("NG_solid_surface").getInput("weather")
    said = [held.getAttribute(key).split(",") for key in ("enum", "enumvalues")]
    assert [len(entry) for entry in said] == [3, 3] and int(held.getValueString()) == 1
    assert said[0][1].strip() == "wet; cold"
