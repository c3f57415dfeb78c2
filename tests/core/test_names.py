"""Names as exporters write them. The families are common practice; the names here are ours."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from texelcore.naming.lexicon import packed_meanings, read_name
from texelcore.naming.templates import RESERVED, code_of, fill
from texelcore.pixels.errors import TexelError

READ = [
    ("gate_height 16bit.png", "gate", "height", None),
    ("gate_Normal_GL_16bit_2k.png", "gate", "normal", "+Y"),
    ("gate_disp_32f.exr", "gate", "height", None),
    ("GateAlbedoTransparency.png", "Gate", "base_colour", None),
    ("gate_SpecularSmoothness.png", "gate", "specular", None),
    ("weir_gate_BaseColor.png", "weir_gate", "base_colour", None),
    ("weir_gate_Base_Color.png", "weir_gate", "base_colour", None),
    ("WeirGateAlbedo.tga", "WeirGate", "base_colour", None),
    ("weir-gate-diff-4k.jpg", "weir-gate", "base_colour", None),
    ("WEIR_GATE_COL.PNG", "WEIR_GATE", "base_colour", None),
    ("weir gate nor_gl 2k.exr", "weir gate", "normal", "+Y"),
    ("weir_gate_normal_DX_01.png", "weir_gate", "normal", "-Y"),
    ("WeirGateNormalOpenGL.png", "WeirGate", "normal", "+Y"),
    ("Weir Gate - Normal DirectX.png", "Weir Gate", "normal", "-Y"),
    ("weir_gate_dx_normal.png", "weir_gate", "normal", "-Y"),
    ("weir_gate_NRM.png", "weir_gate", "normal", None),
    ("weir_gate_2048_roughness.png", "weir_gate", "roughness", None),
    ("rough_weir_metal_Roughness.png", "rough_weir_metal", "roughness", None),
    ("weir_gate_Smoothness.png", "weir_gate", "gloss", None),
    ("weir_gate_mtl.png", "weir_gate", "metallic", None),
    ("weir_gate_Ambient_Occlusion.png", "weir_gate", "occlusion", None),
    ("weir_gate_AmbientOcclusion.png", "weir_gate", "occlusion", None),
    ("weir_gate_disp_1k.exr", "weir_gate", "height", None),
    ("weir_gate_Emission.exr", "weir_gate", "emissive", None),
    ("weir_gate_refl.png", "weir_gate", "specular", None),
    ("weir_gate_Transparency.png", "weir_gate", "opacity", None),
    ("水車_Normal_GL.png", "水車", "normal", "+Y"),
    # Digits and letters of a stem stay where they are; sizes, revisions and tile numbers are no part of it.
    ("brick01a_albedo.tga", "brick01a", "base_colour", None),
    ("lamps02_emissive.png", "lamps02", "emissive", None),
    ("weir_v03_normal_gl.png", "weir", "normal", "+Y"),
    ("weir_BaseColor.1002.png", "weir", "base_colour", None),
    ("weir_Roughness_u2_v1.png", "weir", "roughness", None),
]


@pytest.mark.parametrize(("name", "stem", "meaning", "direction"), READ, ids=[row[0] for row in READ])
def test_a_clear_name_is_read(name: str, stem: str, meaning: str, direction: str | None) -> None:
    reading = read_name(f"some folder/{name}")
    assert reading is not None
    assert (reading.stem, reading.meanings, reading.direction) == (stem, (meaning,), direction)
    assert reading.strength == "strong"


@pytest.mark.parametrize(
    ("name", "meanings"),
    [
        ("gate_ARM.png", ("occlusion", "roughness", "metallic")),
        ("gate_ORM_2k.png", ("occlusion", "roughness", "metallic")),
        ("gate_MRA.png", ("metallic", "roughness", "occlusion")),
        ("gate_MRAO.png", ("metallic", "roughness", "occlusion")),
        ("gate_RMAO.png", ("roughness", "metallic", "occlusion")),
        ("GateARD.png", ("occlusion", "roughness", "height")),
        ("gate_OcclusionRoughnessMetallic.png", ("occlusion", "roughness", "metallic")),
        ("gate_AO_Rough_Metal.png", ("occlusion", "roughness", "metallic")),
        ("gate_MetallicSmoothness.png", ("metallic", "gloss")),
    ],
)
def test_a_packed_name_gives_its_channel_order(name: str, meanings: tuple[str, ...]) -> None:
    reading = read_name(name)
    assert reading is not None and reading.meanings == meanings and reading.stem_key == "gate"


@pytest.mark.parametrize(
    "name", ["gate_n.png", "gate_D.png", "robot_arm.png", "normal_gate.png", "gate_metal.png", "gate_rough.png"]
)
def test_weak_evidence_is_called_weak(name: str) -> None:
    reading = read_name(name)
    assert reading is not None and reading.strength == "weak"


@pytest.mark.parametrize(
    "name",
    [
        "gate.png",
        "x_ma_sk.png",
        "gate_no_rm.png",
        "ma_sk.png",
        "IMG_0042.png",
        "metal_gate.png.bak.png",
        "CON.png",
        "写真.png",
        "2k.png",
    ],
)
def test_what_says_nothing_is_not_guessed(name: str) -> None:
    reading = read_name(name)
    assert reading is None or reading.strength == "weak"


@pytest.mark.parametrize(("name", "label"), [("gate_mask_02.png", "02"), ("gate_07_msk.png", "01"), ("Gate Mask3 2k.tga", "03")])
def test_masks_are_told_apart_by_the_number_that_follows(name: str, label: str) -> None:
    reading = read_name(name)
    assert reading is not None and (reading.meanings, reading.label) == (("mask",), label)


@given(st.permutations([("ao", "occlusion"), ("r", "roughness"), ("m", "metallic"), ("h", "height")]), st.integers(3, 4))
def test_any_order_of_letters_is_unpacked_in_that_order(letters: list[tuple[str, str]], count: int) -> None:
    chosen = letters[:count]
    assert packed_meanings("".join(letter for letter, _ in chosen)) == tuple(meaning for _, meaning in chosen)


@given(st.text(max_size=400))
def test_any_name_becomes_a_safe_code(name: str) -> None:
    read_name(name)
    code = code_of(name)
    assert 1 <= len(code) <= 49
    assert code not in RESERVED
    assert set(code) <= set("abcdefghijklmnopqrstuvwxyz0123456789_")
    assert code == code_of(name)


def test_a_token_without_a_value_takes_one_underscore_and_those_that_were_written_stay() -> None:
    values = {"set": "oak", "suffix": "c"}
    assert fill("{project}_{set}_{suffix}", values) == fill("{set}_{project}_{suffix}", values) == "oak_c"
    assert fill("{set}__{suffix}", values) == fill("{set}__{project}_{suffix}", values) == "oak__c"
    assert fill("{project}__{set}_{suffix}", values | {"project": "gn"}) == "gn__oak_c"


def test_templates_fill_and_refuse() -> None:
    values = {"project": "gn", "set": "weir_gate", "suffix": "orm"}
    assert fill("{project}_{set}_{suffix}", values) == "gn_weir_gate_orm"
    assert fill("{project}_{set}_{suffix}", values | {"project": ""}) == "weir_gate_orm"
    for template, problem in [("{colour}", "unknown token"), ("{project}", "keep for devices"), ("{set}" * 20, "characters")]:
        with pytest.raises(TexelError, match=problem):
            fill(template, values | {"project": "con"})
