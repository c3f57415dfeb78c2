"""What a master costs a GPU, and what in its sheet is spent for nothing. Counted from the table of operations, not measured:
what a compiler makes of it is its own affair, but that more is more holds."""

from __future__ import annotations

import re
from collections.abc import Mapping
from math import prod

from texelcore.materials.binding import Bindings, Bound
from texelcore.materials.document import WIDTHS, Parameter, Strand
from texelcore.materials.operations import Operation
from texelcore.materials.operations.texturing import READS
from texelcore.materials.strands import CheckedStrand
from texelcore.materials.typing import CheckedMaster
from texelcore.surface.documents import Document

# The least that a fragment shader may use (OpenGL ES 3.0 and WebGL 2, MAX_TEXTURE_IMAGE_UNITS).
MOST_SAMPLERS = 16
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
    by strand, and the strands that nothing uses."""

    reads: int
    arithmetic: int
    samplers: int
    most: int
    # How many shaders it may become, by its structural switches.
    versions: int
    strands: tuple[StrandCost, ...]
    unused: tuple[str, ...]
    # By structural switch.
    switches: tuple[SwitchCost, ...] = ()


def cost_of(checked: CheckedMaster, bindings: Bindings) -> MasterCost:
    """What a master costs with its textures bound as `bindings` says: those without one are values, and read nothing."""
    used = used_strands(checked)
    strands = tuple(_strand(step, bindings, step.strand.name in used) for step in checked.steps)
    bound = {(kept.holder, kept.output) for step in checked.steps if step.strand.name in used if (kept := _bound(step, bindings))}
    return MasterCost(
        reads=sum(entry.reads for entry in strands),
        arithmetic=sum(entry.arithmetic for entry in strands),
        samplers=len(bound),
        most=MOST_SAMPLERS,
        versions=versions_of(checked),
        strands=strands,
        unused=tuple(entry.strand for entry in strands if not entry.used),
        switches=tuple(_switched(entry.name, checked, bindings) for entry in checked.master.parameters if _is_switch(entry)),
    )


def _is_switch(entry: Parameter) -> bool:
    return entry.structural and entry.kind == "switch"


def _switched(name: str, checked: CheckedMaster, bindings: Bindings) -> SwitchCost:
    on, off = (_with(checked, bindings, {name: position}) for position in (True, False))
    return SwitchCost(parameter=name, on=on, off=off)


def _with(checked: CheckedMaster, bindings: Bindings, fixed: Mapping[str, bool]) -> MasterFigures:
    """What is left to compute where switches are fixed."""
    used = used_strands(checked, fixed)
    held = [_strand(step, bindings, step.strand.name in used) for step in checked.steps]
    return MasterFigures(reads=sum(entry.reads for entry in held), arithmetic=sum(entry.arithmetic for entry in held))


def used_strands(checked: CheckedMaster, fixed: Mapping[str, bool] | None = None) -> set[str]:
    """The strands that some property of the surface comes from; with some switches `fixed`, through what they choose alone."""
    strands = {step.strand.name: step.strand for step in checked.steps}
    waiting, found = [name for name in checked.master.surface.values() if name in strands], set()
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
    return prod(len(entry.choices) or 2 for entry in checked.master.parameters if entry.structural)


def _bound(step: CheckedStrand, bindings: Bindings) -> Bound | None:
    """Where the texture lies that a step reads; None of one that reads none."""
    return bindings.get(str(step.strand.inputs.get("texture", ""))) if step.operation.key in READS else None


def _strand(step: CheckedStrand, bindings: Bindings, used: bool) -> StrandCost:
    reads = READS[step.operation.key] if used and _bound(step, bindings) else 0
    width = WIDTHS.get(step.shared, 1) if any(slot.kind == "same" for slot in step.operation.slots) else 1
    return StrandCost(
        strand=step.strand.name, reads=reads, arithmetic=arithmetic_of(step.operation) * width if used else 0, used=used
    )
