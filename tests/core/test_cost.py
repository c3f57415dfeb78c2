"""What masters cost: counted from their sheets."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from texelcore.materials.dressing.binding import Bound, as_taken, bind, not_taken, one_set
from texelcore.materials.operations import OPERATIONS
from texelcore.materials.sheets.cost import MOST_SAMPLERS, arithmetic_of, cost_of, dearest_cost
from texelcore.materials.sheets.document import Master
from texelcore.materials.sheets.findings import MadeFor, findings_of
from texelcore.materials.sheets.masters import shipped_masters
from texelcore.materials.sheets.typing import check_master
from texelcore.surface.extensions import EXTENSIONS, MaterialExtension
from texelcore.surface.storage import Storage
from texelcore.targets.document import Target
from texelcore.targets.library import shipped

READ = {"name": "rough", "group": "", "operation": "read", "inputs": {"texture": "rough map", "place": "uv"}}
METAL = {"name": "metal", "group": "", "operation": "read", "inputs": {"texture": "metal map", "place": "uv"}}
TURNED = {"name": "turned", "group": "", "operation": "invert", "inputs": {"a": "rough"}}
TINTED = {"name": "tinted", "group": "", "operation": "multiply", "inputs": {"a": "tint", "b": "turned"}}


def sheet(*strands: dict[str, Any], surface: dict[str, str]) -> Master:
    return Master.model_validate(
        {
            "name": "sheet",
            "title": "Sheet",
            "summary": "",
            "version": 1,
            "parameters": [{"name": "tint", "label": "Tint", "group": "", "kind": "colour", "default": (1.0, 1.0, 1.0)}],
            "textures": [{"name": "rough map", "property": "roughness"}, {"name": "metal map", "property": "metallic"}],
            "strands": strands,
            "surface": surface,
        }
    )


PACKED = {"rough map": Bound(output="packed", channels="G"), "metal map": Bound(output="packed", channels="B")}


def test_one_packed_texture_is_one_sampler_and_two_reads() -> None:
    cost = cost_of(check_master(sheet(READ, METAL, surface={"roughness": "rough", "metallic": "metal"})), PACKED)
    assert (cost.reads, cost.samplers, cost.arithmetic, cost.most) == (2, 1, 0, MOST_SAMPLERS) and cost.unused == ()
    # What no set brings is a value, and reads nothing.
    assert cost_of(check_master(sheet(READ, surface={"roughness": "rough"})), {}).reads == 0


def test_what_nothing_uses_is_named_and_costs_nothing() -> None:
    cost = cost_of(check_master(sheet(READ, METAL, TURNED, TINTED, surface={"roughness": "turned"})), PACKED)
    assert set(cost.unused) == {"metal", "tinted"} and cost.reads == 1 and cost.arithmetic == 1
    # A number beside a colour is worked on as three.
    coloured = cost_of(check_master(sheet(READ, TURNED, TINTED, surface={"base_colour": "tinted"})), PACKED)
    assert coloured.arithmetic == 1 + 3 and coloured.unused == ()


def test_a_strand_more_never_makes_a_master_cheaper() -> None:
    master = shipped_masters()["solid-surface"]
    target = next(iter(shipped().values()))
    bindings = bind(master, target, one_set(master, {output.key: output.storage for output in target.outputs}))
    whole = cost_of(check_master(master), bindings)
    for key in master.surface:
        fewer = {name: value for name, value in master.surface.items() if name != key}
        less = cost_of(check_master(master.model_copy(update={"surface": fewer})), bindings)
        assert less.arithmetic <= whole.arithmetic and less.reads <= whole.reads and less.samplers <= whole.samplers
    assert whole.unused == () and 0 < whole.samplers <= MOST_SAMPLERS


@given(
    taken=st.sets(st.sampled_from(sorted(EXTENSIONS))),
    name=st.sampled_from(["cloth", "see-through", "wet-surface", "solid-surface"]),
)
def test_what_a_target_does_not_take_costs_what_a_master_without_it_costs(taken: set[MaterialExtension], name: str) -> None:
    """Left out by the target, or never written: the same cost, and each is a finding that names the target."""
    master = shipped_masters()[name]
    target = shipped()["orbit-desktop"].model_copy(update={"material_extensions": tuple(sorted(taken))})
    bindings = bind(master, target, one_set(master, target.storages))
    left_out = not_taken(master, target)
    lost = {key for properties in left_out.values() for key in properties}
    assert lost == {
        key for key in master.surface if any(key in EXTENSIONS[other].properties for other in EXTENSIONS.keys() - taken)
    }
    cost = cost_of(check_master(master), bindings, lost, target.storages)
    never = cost_of(check_master(as_taken(master, target)), bindings, storages=target.storages)
    assert cost.model_copy(update={"unused": ()}) == never.model_copy(update={"unused": ()})
    assert cost.unused == cost_of(check_master(master), bindings).unused
    found = findings_of(check_master(master), bindings, MadeFor(targets=[target]))
    told = [entry.message for entry in found if entry.rule == "not-taken"]
    assert len(told) == len(left_out)
    assert all(title.lower() in message and target.title in message for title, message in zip(left_out, told, strict=True))


def test_bound_textures_take_what_their_formats_say() -> None:
    """BC7 holds a texel in eight bits, RGBA8 in 32 (Khronos Data Format specification); mips add a third (1 + 1/4 + 1/16 …)."""
    master = check_master(sheet(READ, METAL, surface={"roughness": "rough", "metallic": "metal"}))
    texels = 2048 * 2048
    for form, mips, taken in (("bc7", False, texels), ("bc7", True, texels * 4 / 3), ("rgba8", False, texels * 4)):
        storages = {"packed": Storage(format=form, srgb=False, mips=mips)}
        assert cost_of(master, PACKED, storages=storages).megabytes == pytest.approx(taken / 1e6, abs=0.06)
    # Two textures of their own take twice as much as one that both lie in.
    apart = PACKED | {"metal map": Bound(output="metal", channels="R")}
    both = dict.fromkeys(("packed", "metal"), Storage(format="bc7", srgb=False, mips=False))
    assert cost_of(master, apart, storages=both).megabytes == pytest.approx(2 * texels / 1e6, abs=0.06)


def test_what_does_more_is_written_with_more_steps() -> None:
    steps = {key: arithmetic_of(operation) for key, operation in OPERATIONS.items()}
    assert steps["read"] == steps["combine"] == steps["choose"] == 0
    assert steps["add"] < steps["mix"] < steps["smooth_step"] < steps["soft_light"] < steps["cloud_noise"]


def test_a_structural_switch_saves_what_its_other_position_needs() -> None:
    """What is chosen by a switch that is compiled in is computed alone; by one that is not, both are."""
    chosen = {"name": "one", "group": "", "operation": "choose", "inputs": {"switch": "from map", "a": "turned", "b": "metal"}}
    body = sheet(READ, METAL, TURNED, chosen, surface={"roughness": "one"}).model_dump()
    switch = {"name": "from map", "label": "From map", "group": "", "kind": "switch", "default": True, "structural": True}
    whole = Master.model_validate(body | {"parameters": [switch]})
    (found,) = cost_of(check_master(whole), PACKED).switches
    assert found.parameter == "from map" and (found.on.reads, found.off.reads) == (1, 1)
    assert found.on.arithmetic == found.off.arithmetic + 1
    plain = Master.model_validate(body | {"parameters": [switch | {"structural": False}]})
    cost = cost_of(check_master(plain), PACKED)
    assert cost.switches == () and cost.reads == 2


@given(st.sampled_from(sorted(shipped_masters())), st.permutations(sorted(shipped())), st.integers(1, len(shipped())))
def test_the_dearest_target_is_dearer_than_each_of_the_others(name: str, order: list[str], count: int) -> None:
    """Whatever their order and however many they are: reads first, then samplers, memory and steps."""
    checked = check_master(shipped_masters()[name])
    targets = [shipped()[key] for key in order[:count]]

    def counted(target: Target) -> tuple[float, ...]:
        bindings = bind(checked.master, target, one_set(checked.master, target.storages))
        left_out = [key for keys in not_taken(checked.master, target).values() for key in keys]
        cost = cost_of(checked, bindings, left_out, target.storages)
        return cost.reads, cost.samplers, cost.megabytes, cost.arithmetic

    dearest, cost = dearest_cost(checked, targets)
    assert dearest in targets and counted(dearest) == (cost.reads, cost.samplers, cost.megabytes, cost.arithmetic)
    assert all(counted(target) <= counted(dearest) for target in targets)
