from __future__ import annotations

import random

import pytest
from hypothesis import given
from hypothesis import strategies as st

from texelcore.sorting.sort import Sorting, sort_files
from texelcore.surface.files import ChannelRange, FileFacts


def facts(path: str, channels: str = "RGB", size: int = 64, sample: str = "u8", alpha: tuple[float, float] = (1, 1)) -> FileFacts:
    ranges = {name: ChannelRange(low=0, high=1) for name in channels}
    if "A" in channels:
        ranges["A"] = ChannelRange(low=alpha[0], high=alpha[1])
    return FileFacts(
        id=path,
        path=path,
        sha256="0" * 64,
        bytes=1,
        format="png",
        width=size,
        height=size,
        channels=tuple(channels),
        sample=sample,
        ranges=ranges,
    )


def rows(sorting: Sorting, name: str) -> dict[str, str]:
    ledger = next(ledger for ledger in sorting.ledgers if ledger.name == name)
    return {row.property: f"{row.file}:{''.join(row.channels)}{'!' if row.inverted else ''}" for row in ledger.rows}


def test_a_folder_becomes_sets_and_ledgers() -> None:
    sorting = sort_files(
        [
            facts("oak/T_Oak_BC.png"),
            facts("oak/T_Oak_N.png"),
            facts("oak/T_Oak_RMA.png"),
            facts("elm_Gloss.png", "Y"),
            facts("elm_Albedo.png", "RGBA", alpha=(0.2, 1)),
            facts("ash wood/BaseColor.png"),
            facts("readme scan.png"),
        ]
    )
    assert rows(sorting, "T_Oak") == {
        "base_colour": "oak/T_Oak_BC.png:RGB",
        "normal": "oak/T_Oak_N.png:RGB",
        "roughness": "oak/T_Oak_RMA.png:R",
        "metallic": "oak/T_Oak_RMA.png:G",
        "occlusion": "oak/T_Oak_RMA.png:B",
    }
    assert rows(sorting, "elm") == {
        "base_colour": "elm_Albedo.png:RGB",
        "opacity": "elm_Albedo.png:A",
        "roughness": "elm_Gloss.png:Y!",
    }
    assert rows(sorting, "ash wood") == {"base_colour": "ash wood/BaseColor.png:RGB"}
    assert [open_file.file for open_file in sorting.open] == ["readme scan.png"]


def test_a_pair_in_one_word_sits_where_its_convention_puts_it() -> None:
    files = [facts("oak_MetallicSmoothness.png", "RGBA"), facts("elm_metallicRoughness.png"), facts("elm_albedo.png")]
    sorting = sort_files(files)
    assert rows(sorting, "oak") == {"metallic": "oak_MetallicSmoothness.png:R", "roughness": "oak_MetallicSmoothness.png:A!"}
    # glTF 2.0, section Materials: roughness in green, metallic in blue.
    assert rows(sorting, "elm")["roughness"] == "elm_metallicRoughness.png:G"
    assert rows(sorting, "elm")["metallic"] == "elm_metallicRoughness.png:B"


def test_of_both_normal_directions_one_is_used_and_the_other_left_out_with_the_reason() -> None:
    sorting = sort_files([facts("oak_nor_dx_4k.png", size=128), facts("oak_nor_gl_2k.png"), facts("oak_diff.png")])
    (ledger,) = sorting.ledgers
    normal = ledger.row("normal")
    assert normal and normal.file == "oak_nor_gl_2k.png" and normal.normal_y == "+Y"
    assert "Both normal directions" in ledger.left_out[0].why


def test_weak_names_need_a_sibling() -> None:
    alone = sort_files([facts("oak_n.png")])
    assert not alone.ledgers and alone.open[0].kind == "alone"
    together = sort_files([facts("oak_n.png"), facts("oak_d.png")])
    assert set(rows(together, "oak")) == {"normal", "base_colour"}


@pytest.mark.parametrize(
    ("path", "channels", "reason"),
    [("oak_ORM.png", "Y", "names 3 packed channels"), ("oak_normal.png", "Y", "two or three different channels")],
)
def test_a_name_that_the_channels_cannot_fulfil_stays_open(path: str, channels: str, reason: str) -> None:
    sorting = sort_files([facts(path, channels), facts("oak_albedo.png")])
    assert reason in sorting.open[0].why


def test_the_deeper_and_larger_map_wins() -> None:
    sorting = sort_files([facts("oak_height_4k.png", "Y", 128), facts("oak_height.exr", "Y", 64, "f32"), facts("oak_col.png")])
    assert rows(sorting, "oak")["height"] == "oak_height.exr:Y"


NAMES = [
    "a_BC",
    "a_N",
    "a_ORM",
    "A_rough",
    "b-albedo",
    "b-gloss",
    "b-nor-gl",
    "b-nor-dx",
    "c n",
    "c d",
    "x",
    "d_arm",
    "d_mask_02",
]


@given(st.randoms())
def test_the_result_does_not_depend_on_the_order_of_files(source: random.Random) -> None:
    files = [facts(f"{name}.png") for name in NAMES]
    expected = sort_files(files)
    source.shuffle(files)
    assert sort_files(files) == expected
