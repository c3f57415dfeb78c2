"""Masters with layers: how sets are bound to them, what blends, what a sheet that does not hold says, and old documents."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from texelcore.delivery.dressing import surface_at
from texelcore.materials.dressing.binding import SetMaps, bind, bind_variant, bound_property, not_taken, one_set
from texelcore.materials.dressing.evaluate import evaluate, picture_sampler, texel_centres
from texelcore.materials.dressing.stage import STAGE_TARGET
from texelcore.materials.shader import shader_text
from texelcore.materials.sheets.cost import cost_of
from texelcore.materials.sheets.document import Master, OtherSet, Variant, values_of
from texelcore.materials.sheets.findings import MadeFor, findings_of
from texelcore.materials.sheets.masters import shipped_masters
from texelcore.materials.sheets.typing import check_master, read_master
from texelcore.naming.rules import MasterRules
from texelcore.pixels.errors import TexelError
from texelcore.targets.library import shipped

MASTERS = shipped_masters()
FOUR = MASTERS["four-layers"]
OLD = Path(__file__).parent / "previous" / "solid-surface-v1.master.json"
UV = texel_centres(8, 8)
STAGE = {key: STAGE_TARGET.storages[key] for key in ("colour", "normal", "data", "height")}


def plain(master: Master, **colours: tuple[float, float, float]) -> dict[str, Any]:
    """Samplers of one even colour for each layer."""
    return {
        f"{layer} colour map": picture_sampler(np.broadcast_to(np.float32(colour), (4, 4, 3)))
        for layer, colour in colours.items()
    }


def painted(red: float = 0.0, green: float = 0.0, blue: float = 0.0) -> dict[str, np.ndarray]:
    return {"vertex colour": np.broadcast_to(np.float32([red, green, blue]), (8, 8, 3))}


def test_documents_of_the_first_version_are_read_as_they_were_meant() -> None:
    """A document as it was written before there were layers: the same surface, texture by texture."""
    body = json.loads(OLD.read_text("utf-8"))
    assert "layers" not in body and "format_version" not in body
    master = Master.model_validate(body)
    assert master == MASTERS["solid-surface"]
    assert [layer.name for layer in master.layers] == ["surface"] and {texture.layer for texture in master.textures} == {
        "surface"
    }
    old = Variant.model_validate({"name": "Oak", "master": master.name, "version": 1, "set": "oak", "values": {"tiling": 2.0}})
    assert old.sets(master) == {"surface": OtherSet(set="oak")}


def test_a_master_of_a_newer_format_is_refused_in_words() -> None:
    newer = MASTERS["terrain"].model_dump(mode="json") | {"format_version": 4}
    (problem,) = read_master(newer).problems
    assert "newer Fair Texel" in problem.message and problem.way_out
    assert "1,200 strands" in read_master({"strands": [{}] * 1200}).problems[0].message


def test_connecting_a_set_connects_all_its_maps_and_no_other_layer() -> None:
    variant = Variant(name="v", master=FOUR.name, version=1, set="sand", others={"red": OtherSet(set="moss")})
    sets = {"sand": SetMaps(STAGE), "moss": SetMaps(STAGE, {"base_colour"})}
    bound = bind_variant(variant, FOUR, STAGE_TARGET, sets)
    held = {name: (found.holder, found.output) for name, found in bound.items() if found}
    assert held == {
        "base colour map": ("base", "colour"),
        "base rough map": ("base", "data"),
        "base bump map": ("base", "normal"),
        # What that set does not have itself is not taken from what fills its channel.
        "red colour map": ("red", "colour"),
    }
    # A layer that its master does not have is nothing, and the first cannot be bound twice.
    odd = Variant(
        name="v", master=FOUR.name, version=1, set="sand", others={name: OtherSet(set="moss") for name in ("x", "base")}
    )
    assert odd.sets(FOUR) == {"base": OtherSet(set="sand")}


def test_channels_are_bound_in_the_order_of_components_or_not_at_all() -> None:
    target = shipped()["orbit-desktop"]
    (normal,) = (output for output in target.outputs if output.key == "normal")
    first, second = normal.channels[:2]
    turned = (second.model_copy(update={"channel": "R"}), first.model_copy(update={"channel": "G"}))
    for channels, expected in ((turned, "GR"), (turned[:1], None)):
        output = normal.model_copy(update={"channels": channels})
        bound = bound_property("normal", target.model_copy(update={"outputs": (output,)}), SetMaps({"normal": normal.storage}))
        assert (bound.channels if bound else None) == expected


def test_a_free_texture_reads_what_it_is_told_to() -> None:
    ground = MASTERS["two-layer-ground"]
    maps = one_set(ground, STAGE)
    assert bind(ground, STAGE_TARGET, maps)["blend mask"] is None
    told = bind(ground, STAGE_TARGET, maps | {"blend mask": SetMaps(STAGE, None, "height")})["blend mask"]
    assert told and (told.holder, told.output) == ("blend mask", "height")


def test_red_green_and_blue_lay_their_layers_over_the_base() -> None:
    samplers = plain(FOUR, base=(0.2, 0.2, 0.2), red=(0.9, 0.0, 0.0), green=(0.0, 0.9, 0.0), blue=(0.0, 0.0, 0.9))

    def colour(**paint: float) -> list[float]:
        found = evaluate(check_master(FOUR), {}, samplers, UV, painted(**paint))["base_colour"]
        return [round(float(part), 4) for part in found[3, 3]]

    assert colour() == [0.2, 0.2, 0.2]
    assert [colour(red=1), colour(green=1), colour(blue=1)] == [[0.9, 0, 0], [0, 0.9, 0], [0, 0, 0.9]]
    # Half and half: nothing is added up beyond one.
    assert colour(red=0.5) == [0.55, 0.1, 0.1] and sum(colour(red=1, green=1, blue=1)) == pytest.approx(0.9)


@given(st.lists(st.floats(0, 1, width=32), min_size=3, max_size=3), st.floats(0, 1, width=32))
def test_layers_of_one_surface_are_that_surface_whatever_is_painted(paint: list[float], grey: float) -> None:
    """Weights sum to one: the same set in every layer is that set, and its normals stay of unit length."""
    same = plain(FOUR, **dict.fromkeys(("base", "red", "green", "blue"), (grey, grey, grey)))
    lean = np.broadcast_to(np.float32([0.6, 0, 0.8]), (4, 4, 3))
    same |= {f"{layer} bump map": picture_sampler(lean) for layer in ("base", "red", "green", "blue")}
    surface = evaluate(check_master(FOUR), {}, same, UV, painted(*paint))
    assert np.allclose(surface["base_colour"], grey, atol=1e-5)
    assert np.allclose(surface["normal"], [0.6, 0, 0.8], atol=1e-5)


def test_a_constant_takes_the_place_of_a_map_and_stands_where_there_is_none() -> None:
    fixture = MASTERS["wet-surface"]
    checked = check_master(fixture)
    rough = {"surface rough map": picture_sampler(np.full((4, 4), 0.9, np.float32))}
    dry = {"wetness": 0.0}
    assert evaluate(checked, dry, rough, UV)["roughness"].mean() == pytest.approx(0.9)
    assert evaluate(checked, dry, {}, UV)["roughness"].mean() == pytest.approx(0.5)
    own = dry | {"surface rough map": 0.25}
    assert evaluate(checked, own, rough, UV)["roughness"].mean() == pytest.approx(0.25)
    assert "surface rough map" not in values_of(fixture, dry)
    with pytest.raises(TexelError, match="at most 1"):
        values_of(fixture, {"surface rough map": 1.5})


def test_a_structural_switch_changes_the_shader_itself() -> None:
    lamp = check_master(MASTERS["emissive-fixture"])
    still, pulsing = (shader_text(lamp, {}, {"pulse on": on}) for on in (False, True))
    assert "const bool p_pulse_on = false;" in still.glsl and "const bool p_pulse_on = true;" in pulsing.glsl
    assert all(entry.parameter != "pulse on" for entry in still.uniforms) and "time" in still.mesh


def test_probes_see_every_layer() -> None:
    variant = Variant(name="v", master=FOUR.name, version=1, set="sand", others={"red": OtherSet(set="moss")})
    sets = {"base": {"base_colour": [[0.1, 0.1, 0.1]] * 6}, "red": {"base_colour": [[0.8, 0.1, 0.1]] * 6}}
    colours = surface_at(FOUR, variant, sets)["base_colour"]
    assert colours[0].tolist() == pytest.approx([0.1] * 3) and colours[1].tolist() == pytest.approx([0.8, 0.1, 0.1])


def sheet(strands: list[dict[str, Any]], **more: Any) -> dict[str, Any]:
    made = [{"group": "", "inputs": {}, **strand} for strand in strands]
    return {"name": "test", "title": "Test", "summary": "", "version": 1, "layers": [], "strands": made, **more}


def test_every_mistake_is_told_at_its_place_and_no_strand_is_blamed_for_another() -> None:
    found = read_master(
        sheet(
            [
                {"name": "a", "operation": "add", "inputs": {"a": "nobody", "b": 1.0}},
                {"name": "b", "operation": "invert", "inputs": {"a": "a"}},
                {"name": "c", "operation": "glue"},
                {"name": "d", "operation": "invert"},
                {"name": "e", "operation": "invert", "inputs": {"a": "f"}},
                {"name": "f", "operation": "invert", "inputs": {"a": "e"}},
                {"name": "g", "operation": "invert", "inputs": {"a": 0.5}},
            ],
            surface={"base_colour": "g", "roughness": "b", "normal": "g"},
        )
    )
    places = {problem.place: problem.message for problem in found.problems}
    assert set(places) == {
        ("strands", 0, "inputs", "a"),
        ("strands", 2, "operation"),
        ("strands", 3, "inputs", "a"),
        *(place for place in places if place[:1] == ("strands",) and place[1] in (4, 5)),
        ("surface", "normal"),
    }
    assert sum("needs itself" in said for said in places.values()) == 1
    assert found.kinds["g"] == "number" and found.checked is None


@pytest.mark.parametrize("name", ["", "Upper", "two  spaces", 'quote"d', "a; discard", "main()", "ünder", "x" * 41])
def test_names_that_could_not_be_said_in_a_shader_are_refused_in_words(name: str) -> None:
    (problem,) = read_master(sheet([{"name": name, "operation": "invert", "inputs": {"a": 1.0}}])).problems
    assert problem.place == ("strands", 0, "name") and "lower-case words" in problem.message


@pytest.mark.parametrize("word", ["discard", "float", "uv x", "texture", "main", "gl position", "surface", "evaluate"])
def test_words_of_glsl_may_be_names(word: str) -> None:
    master = Master.model_validate(
        sheet([{"name": word, "operation": "invert", "inputs": {"a": 0.25}}], surface={"roughness": word})
    )
    assert f"s_{word.replace(' ', '_')}" in shader_text(check_master(master), {}).glsl
    assert evaluate(check_master(master), {}, {}, UV)["roughness"].mean() == pytest.approx(0.75)


def test_a_sheet_of_two_hundred_rows_is_checked_and_written_without_delay() -> None:
    rows = [{"name": "r0", "operation": "value_noise", "inputs": {"uv": "uv"}}]
    rows += [{"name": f"r{at}", "operation": "multiply", "inputs": {"a": f"r{at - 1}", "b": 0.99}} for at in range(1, 200)]
    found = read_master(sheet(rows, surface={"roughness": "r199"}))
    assert found.checked and len(shader_text(found.checked, {}, rows=True).rows) == 200


def odd(strands: list[dict[str, Any]], storages: Any = STAGE, **more: Any) -> list[tuple[str, str, str]]:
    """The findings of a sheet: rule, strand and words."""
    textures = [{"name": f"{key} map", "property": key, "layer": "s"} for key in ("roughness", "metallic", "occlusion")]
    layers = [{"name": "s", "label": "S"}]
    body = sheet(strands, **{"layers": layers, "textures": textures} | more)
    checked = check_master(Master.model_validate(body))
    found = findings_of(checked, bind(checked.master, STAGE_TARGET, one_set(checked.master, storages)))
    assert all(entry.way_out for entry in found)
    return [(entry.rule, entry.strand, entry.message) for entry in found]


def number(name: str, **more: Any) -> dict[str, Any]:
    return {"name": name, "label": name.capitalize(), "group": "", "kind": "number", "default": 0.5, **more}


def test_the_mistakes_of_wiring_by_hand_are_found() -> None:
    rough = {"name": "rough", "operation": "read", "inputs": {"texture": "roughness map"}}
    metal = {"name": "metal", "operation": "read", "inputs": {"texture": "metallic map"}}
    bent = {"name": "bent", "operation": "power", "inputs": {"a": "metal", "b": 2.0}}
    swapped = odd([rough, metal, bent], surface={"roughness": "bent", "metallic": "rough"})
    assert [(rule, strand) for rule, strand, _ in swapped] == [("from-another-property", name) for name in ("bent", "rough")]
    assert not odd([rough, metal], surface={"roughness": "rough", "metallic": "metal"})
    (unused,) = odd([rough, bent | {"inputs": {"a": 1.0, "b": 2.0}}], surface={"roughness": "rough"})
    assert unused[:2] == ("strand-unused", "bent")


def test_what_may_be_zero_or_is_not_in_degrees_is_found() -> None:
    share = {"name": "share", "operation": "divide", "inputs": {"a": 1.0, "b": "amount"}}
    (found,) = odd([share], surface={"roughness": "share"}, parameters=[number("amount")])
    assert found[:2] == ("may-divide-by-zero", "share") and "Amount may be 0 or less" in found[2]
    for divided in (share | {"inputs": {"a": 1.0, "b": -2.0}}, share | {"operation": "modulo"}):
        (found,) = odd(
            [divided], surface={"roughness": "share"}, parameters=[number("amount", default=-0.7, hard_low=-1.0, hard_high=-0.5)]
        )
        assert found[0] == "may-divide-by-zero" and ("−2" in found[2] or "Amount" in found[2])
    assert not odd([share], surface={"roughness": "share"}, parameters=[number("amount", hard_low=0.1)])
    lean = {"name": "lean", "operation": "turn", "inputs": {"normal": "view direction", "degrees": "amount"}}
    (turned,) = odd([lean], surface={"normal": "lean"}, parameters=[number("amount", unit="m")])
    assert turned[0] == "not-degrees" and "is in m" in turned[2]
    (cut,) = odd([], opacity={"mode": "cut-out"})
    assert cut[0] == "nothing-to-cut"


def test_more_textures_than_every_gpu_has_is_an_error_with_the_cheapest_way_back() -> None:
    layers = [{"name": f"l{at}", "label": "L"} for at in range(6)]
    keys = {"base_colour": "luminance", "normal": "slope", "roughness": "absolute"}
    textures = [{"name": f"l{at} {key.replace('_', ' ')}", "property": key, "layer": f"l{at}"} for at in range(6) for key in keys]
    reads = [{"name": f"r{at}", "operation": "read", "inputs": {"texture": entry["name"]}} for at, entry in enumerate(textures)]
    slots = {"luminance": "colour", "slope": "normal", "absolute": "a"}
    grey = [
        {"name": f"g{at}", "operation": keys[entry["property"]], "inputs": {slots[keys[entry["property"]]]: f"r{at}"}}
        for at, entry in enumerate(textures)
    ]
    sums = [{"name": "s0", "operation": "absolute", "inputs": {"a": "g0"}}]
    sums += [{"name": f"s{at}", "operation": "add", "inputs": {"a": f"s{at - 1}", "b": f"g{at}"}} for at in range(1, len(grey))]
    (found,) = odd([*reads, *grey, *sums], layers=layers, textures=textures, surface={"roughness": f"s{len(grey) - 1}"})
    assert found[0] == "too-many-samplers" and "reads 18 textures" in found[2]


@pytest.mark.parametrize("master", MASTERS.values(), ids=lambda master: master.name)
def test_nothing_is_odd_about_what_ships(master: Master) -> None:
    bound = bind(
        master,
        STAGE_TARGET,
        one_set(master, STAGE | {"opacity": STAGE_TARGET.storages["opacity"]}),
    )
    assert findings_of(check_master(master), bound) == ()


def test_what_the_house_allows_is_held_against_a_master_with_the_cheapest_way_back() -> None:
    bindings = bind(FOUR, STAGE_TARGET, dict.fromkeys(FOUR.holders, SetMaps(STAGE)))
    checked = check_master(FOUR)
    assert not [found for found in findings_of(checked, bindings) if found.rule == "over-the-house-limit"]
    tight = MadeFor(MasterRules(samplers=8, reads=4, arithmetic=10, megabytes=20), storages=STAGE)
    found = [entry for entry in findings_of(checked, bindings, tight) if entry.rule == "over-the-house-limit"]
    assert [entry.message.split("the house rules allow ")[1] for entry in found] == ["8.", "4.", "10.", "20."]
    # What a target leaves out does not count against the limit: findings follow the cost that is shown.
    plain, body = shipped()["pocket-mill"], shipped_masters()["cloth"].model_dump()
    lustre = {"name": "lustre", "group": "", "operation": "multiply", "inputs": {"a": body["surface"]["sheen_colour"], "b": 0.5}}
    surface = body["surface"] | {"sheen_colour": "lustre"}
    cloth = Master.model_validate(body | {"strands": [*body["strands"], lustre], "surface": surface})
    lost = [key for keys in not_taken(cloth, plain).values() for key in keys]
    lines = bind(cloth, plain, one_set(cloth, plain.storages))
    whole, less = (cost_of(check_master(cloth), lines, without) for without in ((), lost))
    assert less.arithmetic < whole.arithmetic
    limit = MasterRules(arithmetic=less.arithmetic)
    told = [findings_of(check_master(cloth), lines, MadeFor(limit, without=without)) for without in ((), lost)]
    over = [any(entry.rule == "over-the-house-limit" for entry in entries) for entries in told]
    assert over == [True, False]
    assert "Take the layer" in found[0].way_out and all(entry.way_out and entry.severity == "warning" for entry in found)
