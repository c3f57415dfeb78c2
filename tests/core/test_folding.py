"""Blocks: rows that become one and come apart again mean what they meant, and what does not hold is said where it stands."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from texelcore.materials.dressing.evaluate import evaluate, picture_sampler, texel_centres
from texelcore.materials.shader import shader_text
from texelcore.materials.sheets.blocks import check_block, examine_block
from texelcore.materials.sheets.document import Block, Master
from texelcore.materials.sheets.folding import apart, fold
from texelcore.materials.sheets.masters import shipped_masters
from texelcore.materials.sheets.typing import check_master, read_master
from texelcore.pixels.errors import TexelError

MASTERS = shipped_masters()
UV = texel_centres(6, 6)
RANDOM = np.random.default_rng(7)
MESH = {"vertex colour": RANDOM.random((6, 6, 3), np.float32), "vertex alpha": RANDOM.random((6, 6), np.float32)}


def looks(master: Master) -> dict[str, np.ndarray]:
    """What a master makes of random maps and paint."""
    checked = check_master(master)
    random = np.random.default_rng(3)
    samplers: dict[str, Any] = {}
    for texture in master.textures:
        wide = checked.kinds[texture.name] in ("colour", "direction")
        held = random.random((8, 8, 3) if wide else (8, 8), np.float32)
        samplers[texture.name] = picture_sampler(held / np.linalg.norm(held, axis=-1, keepdims=True) if wide else held)
    return evaluate(checked, {}, samplers, UV, MESH)


def same(first: dict[str, np.ndarray], second: dict[str, np.ndarray]) -> bool:
    return first.keys() == second.keys() and all(np.array_equal(first[key], second[key]) for key in first)


@given(name=st.sampled_from(sorted(MASTERS)), data=st.data())
def test_rows_folded_into_a_block_and_taken_apart_mean_the_same(name: str, data: st.DataObject) -> None:
    master = MASTERS[name]
    begins = data.draw(st.integers(0, len(master.strands) - 1))
    ends = data.draw(st.integers(begins + 1, min(len(master.strands), begins + 12)))
    chosen = [strand.name for strand in master.strands[begins:ends]]
    try:
        folded = fold(master, chosen, "Some of it")
    except TexelError as error:
        assert "lies between the rows" in error.problem
        return
    assert len(folded.strands) == len(master.strands) - len(chosen) + 1
    assert check_block(folded.blocks[0]).kinds
    before = looks(master)
    assert same(before, looks(folded))
    # What one shader computes, the other does.
    assert len(shader_text(check_master(folded), {}).glsl.splitlines()) == len(
        shader_text(check_master(master), {}).glsl.splitlines()
    )
    (row,) = (strand.name for strand in folded.strands if strand.block)
    whole = apart(folded, row)
    assert not whole.blocks and len(whole.strands) == len(master.strands)
    assert same(before, looks(whole))


BORDER = Block.model_validate(
    {
        "name": "soft-border",
        "title": "Soft border",
        "inputs": [{"name": "amount", "kind": "number"}, {"name": "width", "kind": "number", "default": 0.25}],
        "strands": [
            {"name": "low", "group": "", "operation": "subtract", "inputs": {"a": 0.5, "b": "width"}},
            {"name": "high", "group": "", "operation": "add", "inputs": {"a": 0.5, "b": "width"}},
            {
                "name": "soft",
                "group": "",
                "operation": "smooth_step",
                "inputs": {"a": "amount", "low": "low", "high": "high"},
            },
        ],
        "outputs": ["soft"],
    }
)


def using(**changes: Any) -> dict[str, Any]:
    """A master of two rows that use one block, and one that takes from both."""
    rows = [
        {"name": "first", "group": "", "block": "soft-border", "inputs": {"amount": "vertex alpha"}},
        {"name": "second", "group": "", "block": "soft-border", "inputs": {"amount": "first", "width": 0.4}},
        {"name": "both", "group": "", "operation": "multiply", "inputs": {"a": "first: soft", "b": "second: low"}},
    ]
    body = {"format_version": 3, "name": "m", "title": "M", "summary": "", "version": 1, "strands": rows}
    return body | {"blocks": [BORDER.model_dump()], "surface": {"roughness": "both"}} | changes


def test_a_block_used_twice_is_two_and_its_outputs_are_named() -> None:
    found = read_master(using())
    assert found.checked, found.problems
    assert found.kinds["first"] == found.kinds["second: high"] == "number"
    assert {step.strand.name for step in found.steps} >= {"first: soft", "second: soft", "both"}
    surface = evaluate(found.checked, {}, {}, UV, MESH)
    alpha = np.clip((MESH["vertex alpha"] - 0.25) / 0.5, 0, 1)
    assert np.allclose(surface["roughness"], alpha * alpha * (3 - 2 * alpha) * 0.1, atol=1e-6)
    text = shader_text(found.checked, {}).glsl
    assert "s_first_B_soft" in text and "s_second_B_soft" in text and "first:" not in text and ": soft" not in text


@pytest.mark.parametrize(
    ("change", "place", "said"),
    [
        ({"blocks": []}, ("strands", 0, "block"), "not in this master"),
        ({"blocks": [BORDER.model_dump()] * 2}, ("blocks", 1, "name"), "twice"),
        ({"strands": [using()["strands"][0] | {"inputs": {}}]}, ("strands", 0, "inputs", "amount"), "leaves “amount” empty"),
        ({"strands": [using()["strands"][0] | {"inputs": {"amount": "uv"}}]}, ("strands", 0, "inputs", "amount"), "gets a place"),
        ({"strands": [using()["strands"][0] | {"inputs": {"amount": True}}]}, ("strands", 0, "inputs", "amount"), "a switch"),
        ({"strands": [using()["strands"][0] | {"inputs": {"amount": 1, "x": 1}}]}, ("strands", 0, "inputs", "x"), "not have"),
        ({"blocks": [BORDER.model_copy(update={"outputs": ("no",)}).model_dump()]}, ("blocks", 0, "outputs", 0), "no strand"),
    ],
)
def test_what_does_not_hold_is_said_where_it_stands(change: dict[str, Any], place: tuple[str | int, ...], said: str) -> None:
    found = read_master(using(**change))
    assert found.checked is None
    problem = next(problem for problem in found.problems if problem.place == place)
    assert said in problem.message and problem.way_out


def test_a_ring_through_a_block_is_told_in_the_words_of_the_sheet() -> None:
    rows = using()["strands"]
    rows[0]["inputs"]["amount"] = "both"
    problems = read_master(using(strands=rows)).problems
    assert any("needs itself" in problem.message and "both" in problem.message for problem in problems)
    assert all(problem.place[0] != "strands" or int(problem.place[1]) < 3 for problem in problems)


def test_blocks_do_not_lie_in_blocks_and_hold_by_themselves() -> None:
    nested = BORDER.model_copy(update={"strands": (BORDER.strands[0].model_copy(update={"block": "x"}), *BORDER.strands[1:])})
    assert any("inside a block" in problem.message for problem in examine_block(nested).problems)
    inputs = (BORDER.inputs[0].model_copy(update={"kind": "place"}), BORDER.inputs[1])
    with pytest.raises(TexelError, match="Soft border does not hold"):
        check_block(BORDER.model_copy(update={"inputs": inputs}))
    with pytest.raises(TexelError, match="Take it apart first"):
        fold(Master.model_validate(using()), ["first", "both"], "Both")
    with pytest.raises(TexelError, match="title without a letter"):
        fold(MASTERS["terrain"], [MASTERS["terrain"].strands[0].name], "42")


def test_what_lies_between_the_rows_is_named() -> None:
    rows = [
        {"name": "one", "group": "", "operation": "add", "inputs": {"a": 1, "b": 2}},
        {"name": "two", "group": "", "operation": "add", "inputs": {"a": "one", "b": 2}},
        {"name": "three", "group": "", "operation": "add", "inputs": {"a": "two", "b": "one"}},
    ]
    master = Master.model_validate(using(strands=rows, blocks=[], surface={"roughness": "three"}))
    with pytest.raises(TexelError, match="two lies between the rows"):
        fold(master, ["one", "three"], "Ends")
    assert fold(master, ["one", "two"], "Middle").blocks[0].outputs == ("one", "two")
