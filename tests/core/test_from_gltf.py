"""Masters from glTF materials: the formulas of the specification, and files that are odd on purpose."""

from __future__ import annotations

import json
import struct
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from texelcore.materials.dressing.evaluate import evaluate, picture_sampler, texel_centres
from texelcore.materials.gltf.frommaterial import LARGEST_DESCRIPTION, materials_of
from texelcore.materials.sheets.typing import check_master
from texelcore.pixels.errors import TexelError

UV = texel_centres(8, 8)
GLAZED = {
    "name": "Glazed   pot",
    "pbrMetallicRoughness": {
        "baseColorFactor": [0.5, 0.25, 1.0, 0.8],
        "baseColorTexture": {
            "index": 0,
            "extensions": {"KHR_texture_transform": {"scale": [2, 3], "offset": [0.25, 0.5], "rotation": 0.5}},
        },
        "metallicRoughnessTexture": {"index": 1},
        "roughnessFactor": 0.5,
        "metallicFactor": 0.25,
    },
    "normalTexture": {"index": 2, "scale": 0.5},
    "occlusionTexture": {"index": 1, "strength": 0.75},
    "emissiveFactor": [1, 0.5, 0],
    "alphaMode": "MASK",
    "alphaCutoff": 0.3,
    "doubleSided": True,
    "extensions": {
        "KHR_materials_emissive_strength": {"emissiveStrength": 4},
        "KHR_materials_clearcoat": {"clearcoatFactor": 0.7, "clearcoatTexture": {"index": 3}},
        "KHR_materials_anisotropy": {"anisotropyStrength": 0.5, "anisotropyRotation": float(np.pi / 2)},
    },
}


def file(*materials: Any, binary: bool = False) -> bytes:
    text = json.dumps({"asset": {"version": "2.0"}, "materials": list(materials)}).encode()
    if not binary:
        return text
    text += b" " * (-len(text) % 4)
    return struct.pack("<4sII", b"glTF", 2, 20 + len(text)) + struct.pack("<I4s", len(text), b"JSON") + text


def test_a_material_becomes_what_the_specification_says_of_it() -> None:
    (found,) = materials_of(file(GLAZED, binary=True), "pot.glb")
    master = found.master
    checked = check_master(master)
    assert (found.name, master.opacity.mode, master.opacity.threshold, master.opacity.two_sided) == (
        *("Glazed pot", "cut-out", 0.3),
        True,
    )
    assert "clearcoatTexture of KHR_materials_clearcoat" in found.left[0]
    random = np.random.default_rng(5)
    maps = {
        texture.property: random.random((16, 16, 3) if "colour" in texture.property else (16, 16), np.float32)
        for texture in master.textures
    }
    bumps = random.normal(0, 0.2, (16, 16, 3)).astype(np.float32)
    bumps[..., 2] = 1
    maps["normal"] = bumps / np.linalg.norm(bumps, axis=-1, keepdims=True)
    samplers = {texture.name: picture_sampler(maps[texture.property]) for texture in master.textures}
    made = evaluate(checked, {}, samplers, UV)
    # KHR_texture_transform: translation × rotation × scale, from the upper left.
    cos, sin = np.cos(0.5), np.sin(0.5)
    scaled = UV * [2, 3]
    turned = np.stack([cos * scaled[..., 0] + sin * scaled[..., 1], cos * scaled[..., 1] - sin * scaled[..., 0]], -1)
    place = turned + np.array([0.25, 0.5])
    at = {key: picture_sampler(held)(place.astype(np.float32)) for key, held in maps.items()}
    near = {"atol": 2e-4}
    assert np.allclose(made["base_colour"], at["base_colour"] * [0.5, 0.25, 1.0], **near)
    assert np.allclose(made["opacity"], at["opacity"] * 0.8, **near)
    assert np.allclose(made["roughness"], at["roughness"] * 0.5, **near) and np.allclose(
        made["metallic"], at["metallic"] * 0.25, **near
    )
    assert np.allclose(made["occlusion"], 1 + 0.75 * (at["occlusion"] - 1), **near)
    assert np.allclose(made["emissive"], np.broadcast_to([4, 2, 0], made["emissive"].shape), **near)
    assert np.allclose(made["clear_coat"], 0.7) and np.allclose(made["anisotropy_rotation"], 0.25)
    assert made["normal"].shape == (8, 8, 3)


def test_a_material_without_a_word_is_as_gltf_has_it_by_default() -> None:
    (found,) = materials_of(file({}), "plain.gltf")
    made = evaluate(check_master(found.master), {}, {}, UV)
    assert found.name == "Material 1" and found.master.textures == () and not found.master.opacity.two_sided
    assert made["base_colour"].min() == made["roughness"].min() == made["metallic"].min() == 1


WORDS = st.sampled_from([*GLAZED, "scale", "index", "offset"])
ODD = st.recursive(
    st.none() | st.booleans() | st.floats(allow_nan=False) | st.text(max_size=8),
    lambda inner: st.lists(inner, max_size=4) | st.dictionaries(WORDS, inner),
    max_leaves=12,
)


@given(st.dictionaries(st.sampled_from(sorted(GLAZED)), ODD, max_size=6))
def test_whatever_a_file_says_gives_a_master_that_holds(material: dict[str, Any]) -> None:
    (found,) = materials_of(json.dumps({"materials": [material]}).encode(), "odd.gltf")
    assert check_master(found.master).steps


@pytest.mark.parametrize(
    ("data", "said"),
    [
        (b"", "no glTF"),
        (b"[]", "no glTF"),
        (b"glTF\x01", "no glTF"),
        (struct.pack("<4sIII4s", b"glTF", 1, 20, 0, b"JSON"), "version 2"),
        (file(), "no material"),
        (b'{"materials": {}}', "no material"),
        (json.dumps({"materials": [{}] * 401}).encode(), "401 materials"),
        (b"[" * 100_000, "no glTF"),
        (b" " * (LARGEST_DESCRIPTION + 1), "8 MB are the most"),
    ],
)
def test_what_is_no_gltf_is_refused_in_words(data: bytes, said: str) -> None:
    with pytest.raises(TexelError, match=said):
        materials_of(data, "odd.glb")
