"""What a master costs a GPU, and what in its sheet is spent for nothing. Counted from the table of operations, not measured:
what a compiler makes of it is its own affair, but that more is more holds."""

from __future__ import annotations

import re
from collections.abc import Collection, Mapping, Sequence
from math import prod

from texelcore.materials.dressing.binding import Bindings, Bound, bind, not_taken, one_set
from texelcore.materials.operations import Operation
from texelcore.materials.operations.texturing import READS
from texelcore.materials.sheets.document import WIDTHS, Parameter, Strand
from texelcore.materials.sheets.strands import CheckedStrand
from texelcore.materials.sheets.typing import CheckedMaster
from texelcore.surface.documents import Document
from texelcore.surface.formats import memory_of
from texelcore.surface.storage import Storage
from texelcore.targets.document import Target

# The least that a fragment shader may use (OpenGL ES 3.0 and WebGL 2, MAX_TEXTURE_IMAGE_UNITS).
MOST_SAMPLERS = 16
# The size at which the memory of bound textures is said: a master alone knows of none.
USUAL_EDGE = 2048
_MEGABYTE = 1_000_000
# Signs of arithmetic, and calls of built-in functions, in a GLSL body; making a vector costs nothing.
_ARITHMETIC = re.compile(r"(?<![eE(,=?:])\s[-+*/]\s|\b(?!if|for|while|return|vec|uvec|ivec|float|int|bool)[a-z][a-z0-9_]*\s*\(")


class StrandCost(Document):
    """What one strand costs: texture reads, and steps of arithmetic for each number that it works on. One that nothing uses
    costs nothing: compilers leave it out."""

    strand: str
    reads: int
    arithmetic: int
    used: bool


class MasterFigures(Document):
    """Texture reads and steps of arithmetic at each place."""

    reads: int
    arithmetic: int


class SwitchCost(Document):
    """What a master costs with a structural switch on, and with it off: what the other position needs is not compiled."""

    parameter: str
    on: MasterFigures
    off: MasterFigures


class MasterCost(Document):
    """What a master costs: texture reads and steps of arithmetic at each place, samplers against the `most` that every GPU has,
    by strand, and the strands that nothing uses. `megabytes` is what the bound textures take on the GPU, with their mips, at
    2048 × 2048 texels each."""

    reads: int
    arithmetic: int
    samplers: int
    most: int
    megabytes: float
    # How many shaders it may become, by its structural switches.
    versions: int
    strands: tuple[StrandCost, ...]
    unused: tuple[str, ...]
    # By structural switch.
    switches: tuple[SwitchCost, ...] = ()


def cost_of(
    checked: CheckedMaster,
    bindings: Bindings,
    without: Collection[str] = (),
    storages: Mapping[str, Storage] | None = None,
) -> MasterCost:
    """What a master costs with its textures bound as `bindings` says: those without one are values, and read nothing. What alone
    gives properties `without` which it is compiled costs nothing. `storages` says by output how textures are stored."""
    used = used_strands(checked, without=without)
    # What a target leaves out is used elsewhere.
    named = used_strands(checked) if without else used
    strands = tuple(_strand(step, bindings, step.strand.name in used) for step in checked.steps)
    bound = {(kept.holder, kept.output) for step in checked.steps if step.strand.name in used if (kept := _bound(step, bindings))}
    return MasterCost(
        reads=sum(strand.reads for strand in strands),
        arithmetic=sum(strand.arithmetic for strand in strands),
        samplers=len(bound),
        most=MOST_SAMPLERS,
        megabytes=round(sum(_bytes((storages or {}).get(output)) for _, output in bound) / _MEGABYTE, 1),
        versions=versions_of(checked),
        strands=strands,
        unused=tuple(strand.strand for strand in strands if strand.strand not in named),
        switches=tuple(
            _switched(parameter.name, checked, bindings, without)
            for parameter in checked.master.parameters
            if _is_switch(parameter)
        ),
    )


def dearest_cost(checked: CheckedMaster, targets: Sequence[Target]) -> tuple[Target, MasterCost]:
    """What a master costs for that of one or more targets where it reads most, then takes the most samplers, memory and steps,
    with every map that it asks for, and without what the target's materials do not take."""
    costs = [(target, _cost_for(checked, target)) for target in targets]
    return max(costs, key=lambda held: (held[1].reads, held[1].samplers, held[1].megabytes, held[1].arithmetic))


def _cost_for(checked: CheckedMaster, target: Target) -> MasterCost:
    bindings = bind(checked.master, target, one_set(checked.master, target.storages))
    left_out = [key for keys in not_taken(checked.master, target).values() for key in keys]
    return cost_of(checked, bindings, left_out, target.storages)


def _bytes(storage: Storage | None) -> int:
    return memory_of(storage.format, USUAL_EDGE, USUAL_EDGE, storage.mips) if storage else 0


def _is_switch(parameter: Parameter) -> bool:
    return parameter.structural and parameter.kind == "switch"


def _switched(name: str, checked: CheckedMaster, bindings: Bindings, without: Collection[str]) -> SwitchCost:
    on, off = (_with(checked, bindings, {name: position}, without) for position in (True, False))
    return SwitchCost(parameter=name, on=on, off=off)


def _with(checked: CheckedMaster, bindings: Bindings, fixed: Mapping[str, bool], without: Collection[str]) -> MasterFigures:
    """What is left to compute where switches are fixed."""
    used = used_strands(checked, fixed, without)
    held = [_strand(step, bindings, step.strand.name in used) for step in checked.steps]
    return MasterFigures(reads=sum(entry.reads for entry in held), arithmetic=sum(entry.arithmetic for entry in held))


def used_strands(checked: CheckedMaster, fixed: Mapping[str, bool] | None = None, without: Collection[str] = ()) -> set[str]:
    """The strands that some property of the surface comes from, `without` some of them; with some switches `fixed`, through what
    they choose alone."""
    strands = {step.strand.name: step.strand for step in checked.steps}
    given = [name for key, name in checked.master.surface.items() if key not in without]
    waiting, found = [name for name in given if name in strands], set()
    while waiting:
        name = waiting.pop()
        if name in found:
            continue
        found.add(name)
        waiting += [value for value in _needed(strands[name], fixed or {}) if isinstance(value, str) and value in strands]
    return found


def _needed(strand: Strand, fixed: Mapping[str, bool]) -> list[object]:
    """What a strand takes; of one that chooses by a switch that is fixed, what it chooses."""
    chosen = fixed.get(str(strand.inputs.get("switch"))) if strand.operation == "choose" else None
    if chosen is None:
        return list(strand.inputs.values())
    return [strand.inputs.get("a" if chosen else "b")]


def arithmetic_of(operation: Operation) -> int:
    """Steps of arithmetic in an operation's body and in what it calls, as they are written."""
    return sum(len(_ARITHMETIC.findall(text)) for text in (operation.glsl, *operation.helpers))


def versions_of(checked: CheckedMaster) -> int:
    """How many shaders a master may become: each structural switch doubles them, a structural choice has one for each word."""
    return prod(len(parameter.choices) or 2 for parameter in checked.master.parameters if parameter.structural)


def _bound(step: CheckedStrand, bindings: Bindings) -> Bound | None:
    """Where the texture lies that a step reads; None of one that reads none."""
    return bindings.get(str(step.strand.inputs.get("texture", ""))) if step.operation.key in READS else None


def _strand(step: CheckedStrand, bindings: Bindings, used: bool) -> StrandCost:
    reads = READS[step.operation.key] if used and _bound(step, bindings) else 0
    width = WIDTHS.get(step.shared, 1) if any(slot.kind == "same" for slot in step.operation.slots) else 1
    return StrandCost(
        strand=step.strand.name, reads=reads, arithmetic=arithmetic_of(step.operation) * width if used else 0, used=used
    )
