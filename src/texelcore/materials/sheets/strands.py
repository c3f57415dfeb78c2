"""Do strands hold together? Operations, slots, kinds and order, of a master's strands or of a block's."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from collections.abc import Set as AbstractSet
from dataclasses import dataclass
from graphlib import CycleError, TopologicalSorter

from texelcore.materials.operations import OPERATIONS, Operation, Slot
from texelcore.materials.sheets.document import WIDTHS, Strand, ValueKind
from texelcore.materials.sheets.kinds import KIND_WORDS
from texelcore.pixels.errors import TexelError
from texelcore.surface.documents import Document

# Kinds that arithmetic works on; a number widens to each of the others.
_ARITHMETIC = ("number", "two", "three", "four", "colour")
_READS_FLAT = "Put a “read” strand between a texture and what uses its values."


class MasterProblem(Document):
    """One mistake: the keys and numbers that lead to it in the document, whose it is, what is wrong, and the way out."""

    place: tuple[str | int, ...]
    subject: str
    message: str
    way_out: str

    @property
    def error(self) -> TexelError:
        """The mistake as an error."""
        return TexelError(self.subject, self.message, self.way_out)


def problem_at(place: tuple[str | int, ...], subject: str, message: str, way_out: str) -> MasterProblem:
    """A mistake at a place of a document."""
    return MasterProblem(place=place, subject=subject, message=message, way_out=way_out)


@dataclass(frozen=True)
class CheckedStrand:
    """A strand that was checked: its operation, the kind that it gives, and the kind that its "same" or "any" slots share."""

    strand: Strand
    operation: Operation
    gives: ValueKind
    shared: ValueKind


def check_strands(
    strands: Sequence[Strand], kinds: dict[str, ValueKind], textures: AbstractSet[str], problems: list[MasterProblem]
) -> list[CheckedStrand]:
    """The strands that hold, in an order in which each comes after what it needs; adds their kinds to `kinds`, which has
    those of all else that they may name, and their mistakes to `problems`. `textures` are the names that have to be read
    first. A strand that leans on one that does not hold is not blamed for it."""
    places = {strand.name: at for at, strand in enumerate(strands)}
    named = {strand.name: strand for strand in strands}
    known = {*kinds, *textures, *named}
    steps = []
    for name in _order(named, places, problems):
        try:
            step = _check_strand(named[name], places[name], kinds, textures, known)
        except _Wrong as wrong:
            problems.append(wrong.problem)
            continue
        if step:
            kinds[name] = step.gives
            steps.append(step)
    return steps


class _Wrong(Exception):
    def __init__(self, problem: MasterProblem) -> None:
        super().__init__(problem.message)
        self.problem = problem


def _order(strands: Mapping[str, Strand], places: Mapping[str, int], problems: list[MasterProblem]) -> list[str]:
    """The strands in an order in which each comes after what it needs; those of a ring are left out, and are a mistake."""
    needs = {
        name: {value for value in strand.inputs.values() if isinstance(value, str)} & set(strands)
        for name, strand in strands.items()
    }
    while True:
        try:
            return [name for name in TopologicalSorter(needs).static_order() if name in needs]
        except CycleError as error:
            ring = list(reversed(error.args[1]))
            slot = next(key for key, value in strands[ring[0]].inputs.items() if value == ring[1])
            said = f"needs itself: {' → '.join(ring)}."
            place = ("strands", places[ring[0]], "inputs", slot)
            problems.append(problem_at(place, ring[0], said, "Take one of these inputs from elsewhere."))
            needs = {name: wanted for name, wanted in needs.items() if name not in ring}


def _check_strand(
    strand: Strand, at: int, kinds: Mapping[str, ValueKind], textures: AbstractSet[str], known: AbstractSet[str]
) -> CheckedStrand | None:
    """A strand that holds; None for one that leans on what does not hold. Raises _Wrong for a mistake of its own."""
    operation = OPERATIONS.get(strand.operation)
    if operation is None:
        said = f"uses “{strand.operation}”, which is no operation."
        raise _Wrong(problem_at(("strands", at, "operation"), strand.name, said, "Choose one of the table."))
    extra = sorted(set(strand.inputs) - {slot.name for slot in operation.slots})
    if extra:
        said = f"fills “{extra[0]}”, which {operation.title} does not have."
        raise _Wrong(problem_at(("strands", at, "inputs", extra[0]), strand.name, said, "Remove that input."))
    shared: ValueKind | None = None
    texture: ValueKind = "number"
    leaning = False
    for slot in operation.slots:
        place = ("strands", at, "inputs", slot.name)
        value = strand.inputs.get(slot.name, slot.default)
        if isinstance(value, str) and value in known and value not in kinds:
            leaning = True
            continue
        kind = _kind_in(strand, slot, value, kinds, textures, place)
        if slot.kind == "texture":
            texture = kind
        elif slot.kind in ("same", "any", "vector"):
            shared = _join(strand, slot, shared, kind, place)
        elif slot.kind != kind and (slot.kind, kind) not in (("colour", "number"), ("place", "two"), ("two", "place")):
            said = f"takes a {KIND_WORDS[slot.kind]} for {slot.name}, but gets a {KIND_WORDS[kind]}."
            raise _Wrong(problem_at(place, strand.name, said, "Choose an input that fits."))
    if leaning:
        return None
    share: ValueKind = shared or "number"
    gives = {"same": share, "texture": texture}.get(operation.gives, operation.gives)
    return CheckedStrand(strand, operation, gives, share)  # type: ignore[arg-type]


def _kind_in(
    strand: Strand,
    slot: Slot,
    value: bool | float | str | None,
    kinds: Mapping[str, ValueKind],
    textures: AbstractSet[str],
    place: tuple[str | int, ...],
) -> ValueKind:
    """The kind of what fills a slot."""
    if value is None:
        raise _Wrong(problem_at(place, strand.name, f"leaves “{slot.name}” empty.", "Fill it."))
    if isinstance(value, str):
        if value not in kinds:
            said = f"needs “{value}”, which is not in this master."
            raise _Wrong(problem_at(place, strand.name, said, "Name a strand, texture or parameter."))
        if (value in textures) != (slot.kind == "texture"):
            said = f"takes a {'texture' if slot.kind == 'texture' else 'value'} for {slot.name}, and “{value}” is none."
            raise _Wrong(problem_at(place, strand.name, said, _READS_FLAT))
        return kinds[value]
    return "switch" if isinstance(value, bool) else "number"


def _join(strand: Strand, slot: Slot, shared: ValueKind | None, kind: ValueKind, place: tuple[str | int, ...]) -> ValueKind:
    """The kind that inputs share: numbers widen to what has several; other kinds stand alone, and in “any” slots only."""
    if slot.kind == "vector":
        if WIDTHS.get(kind, 1) >= slot.least:
            return kind
        said = f"takes what has {slot.least} numbers or more for {slot.name}, not a {KIND_WORDS[kind]}."
        raise _Wrong(problem_at(place, strand.name, said, "Choose an input that fits."))
    if kind in _ARITHMETIC and shared in (None, "number", kind):
        return kind
    if kind == "number" and shared in _ARITHMETIC:
        return shared
    if slot.kind == "any" and kind not in ("switch", "choice") and shared in (None, kind):
        return kind
    other = f"a {KIND_WORDS[shared]} and a {KIND_WORDS[kind]}" if shared and shared != kind else f"a {KIND_WORDS[kind]}"
    said = f"takes numbers and colours for {slot.name}, not {other}."
    raise _Wrong(problem_at(place, strand.name, said, "Choose inputs that fit each other."))
