"""Does a master hold together? Names, slots, kinds and order, found out before anything is evaluated."""

from __future__ import annotations

from dataclasses import dataclass
from graphlib import CycleError, TopologicalSorter

from texelcore.materials.document import UV, Master, Strand, ValueKind, value_problem
from texelcore.materials.operations import OPERATIONS, Operation, Slot
from texelcore.pixels.errors import TexelError
from texelcore.surface.properties import PROPERTIES

# What each property of the surface takes.
SURFACE_KINDS: dict[str, ValueKind] = {
    "base_colour": "colour",
    "opacity": "number",
    "normal": "direction",
    "roughness": "number",
    "metallic": "number",
    "occlusion": "number",
    "emissive": "colour",
}


@dataclass(frozen=True)
class CheckedStrand:
    """A strand that was checked: its operation, the kind that it gives, and the kind that its "same" or "any" slots share."""

    strand: Strand
    operation: Operation
    gives: ValueKind
    shared: ValueKind


@dataclass(frozen=True)
class CheckedMaster:
    """A master that holds together: its steps in an order in which each comes after what it needs, and all kinds by name."""

    master: Master
    steps: tuple[CheckedStrand, ...]
    kinds: dict[str, ValueKind]


def check_master(master: Master) -> CheckedMaster:
    """Check a master. Raises TexelError that names the strand, the rule that it breaks and the way out."""
    names = _names(master)
    strands = {strand.name: strand for strand in master.strands}
    for parameter in master.parameters:
        problem = value_problem(parameter, parameter.default) or _range_problem(parameter.soft_low, parameter.soft_high)
        if problem:
            raise TexelError(
                parameter.label, f"has a default or range that does not hold: it {problem}.", "Correct the parameter."
            )
    kinds = {name: kind for name, kind in names.items() if kind is not None}
    steps = []
    for name in _order(master, strands, names):
        step = _check_strand(strands[name], kinds, {entry.name for entry in master.textures})
        kinds[name] = step.gives
        steps.append(step)
    _check_surface(master, kinds)
    return CheckedMaster(master, tuple(steps), kinds)


def texture_kind(key: str) -> ValueKind:
    """What reading a texture of a property gives."""
    if key == "normal":
        return "direction"
    return "colour" if len(PROPERTIES[key].components) == 3 else "number"


def _names(master: Master) -> dict[str, ValueKind | None]:
    """Every name with its kind; strands have none yet. Raises TexelError for a name that two things share."""
    found: dict[str, ValueKind | None] = {UV: "place"}
    entries: list[tuple[str, ValueKind | None]] = [(entry.name, entry.kind) for entry in master.parameters]
    for texture in master.textures:
        if texture.property not in SURFACE_KINDS:
            raise TexelError(texture.name, f"reads {texture.property}, which no surface has.", "Name a surface property.")
        entries.append((texture.name, texture_kind(texture.property)))
    entries += [(strand.name, None) for strand in master.strands]
    for name, kind in entries:
        if name in found:
            raise TexelError(name, "is the name of two things in this master.", "Rename one of them.")
        found[name] = kind
    return found


def _order(master: Master, strands: dict[str, Strand], names: dict[str, ValueKind | None]) -> list[str]:
    needs: dict[str, set[str]] = {}
    for strand in master.strands:
        wanted = {value for value in strand.inputs.values() if isinstance(value, str)}
        unknown = sorted(wanted - set(names))
        if unknown:
            raise TexelError(
                strand.name, f"needs “{unknown[0]}”, which is not in this master.", "Name a strand, texture or parameter."
            )
        needs[strand.name] = wanted & set(strands)
    try:
        return [name for name in TopologicalSorter(needs).static_order() if name in strands]
    except CycleError as error:
        ring = list(reversed(error.args[1]))
        raise TexelError(ring[0], f"needs itself: {' → '.join(ring)}.", "Take one of these inputs from elsewhere.") from error


def _check_strand(strand: Strand, kinds: dict[str, ValueKind], textures: set[str]) -> CheckedStrand:
    operation = OPERATIONS.get(strand.operation)
    if operation is None:
        raise TexelError(strand.name, f"uses “{strand.operation}”, which is no operation.", f"Known: {', '.join(OPERATIONS)}.")
    extra = sorted(set(strand.inputs) - {slot.name for slot in operation.slots})
    if extra:
        raise TexelError(strand.name, f"fills “{extra[0]}”, which {operation.title} does not have.", "Remove that input.")
    shared: ValueKind = "number"
    texture: ValueKind = "number"
    for slot in operation.slots:
        kind = _kind_in(strand, slot, kinds, textures)
        if slot.kind == "texture":
            texture = kind
        elif slot.kind in ("same", "any"):
            shared = _join(strand, slot, shared if slot is not _first_shared(operation) else kind, kind)
        elif slot.kind != kind and (slot.kind, kind) != ("colour", "number"):
            raise TexelError(
                strand.name, f"takes a {slot.kind} for {slot.name}, but gets a {kind}.", "Choose an input that fits."
            )
    gives = {"same": shared, "texture": texture}.get(operation.gives, operation.gives)
    return CheckedStrand(strand, operation, gives, shared)  # type: ignore[arg-type]


def _first_shared(operation: Operation) -> Slot:
    return next(slot for slot in operation.slots if slot.kind in ("same", "any"))


def _kind_in(strand: Strand, slot: Slot, kinds: dict[str, ValueKind], textures: set[str]) -> ValueKind:
    """The kind of what fills a slot."""
    value = strand.inputs.get(slot.name, slot.default)
    if value is None:
        raise TexelError(strand.name, f"leaves “{slot.name}” empty.", "Fill it.")
    if isinstance(value, str):
        if (value in textures) != (slot.kind == "texture"):
            problem = f"takes a {'texture' if slot.kind == 'texture' else 'value'} for {slot.name}, and “{value}” is none."
            raise TexelError(strand.name, problem, "Put a “read” strand between a texture and what uses its values.")
        return kinds[value]
    return "switch" if isinstance(value, bool) else "number"


def _join(strand: Strand, slot: Slot, shared: ValueKind, kind: ValueKind) -> ValueKind:
    """The kind that two inputs share: numbers widen to colours; other kinds stand alone, and in “any” slots only."""
    if {shared, kind} <= {"number", "colour"}:
        return "colour" if "colour" in (shared, kind) else "number"
    if slot.kind == "any" and shared == kind != "switch":
        return kind
    other = f"a {shared} and a {kind}" if shared != kind else f"a {kind}"
    raise TexelError(
        strand.name, f"takes numbers and colours for {slot.name}, not {other}.", "Choose inputs that fit each other."
    )


def _check_surface(master: Master, kinds: dict[str, ValueKind]) -> None:
    textures = {entry.name for entry in master.textures}
    for key, name in master.surface.items():
        wanted = SURFACE_KINDS.get(key)
        if wanted is None:
            raise TexelError(master.title, f"gives {key}, which no surface has.", f"Known: {', '.join(SURFACE_KINDS)}.")
        kind = kinds.get(name)
        if kind is None or name in textures:
            raise TexelError(
                master.title, f"takes {key} from “{name}”, which is no strand and no parameter.", "Name one of them."
            )
        if kind != wanted and not (wanted == "colour" and kind == "number"):
            raise TexelError(master.title, f"takes {key}, a {wanted}, from “{name}”, a {kind}.", "Choose a strand that fits.")


def _range_problem(low: float, high: float) -> str | None:
    return None if low < high else "has a slider that begins where it ends"
