"""Blocks: does one hold by itself, and is it given what it asks for?"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from collections.abc import Set as AbstractSet
from dataclasses import dataclass, field

from texelcore.materials.sheets.document import MESH_INPUTS, Block, BlockInput, Master, Strand, ValueKind, inner_name
from texelcore.materials.sheets.kinds import KIND_WORDS
from texelcore.materials.sheets.strands import MasterProblem, check_strands, problem_at
from texelcore.pixels.errors import TexelError


@dataclass(frozen=True)
class CheckedBlock:
    """A block that was looked at: its mistakes, and the kinds of its inputs and strands as far as they could be told."""

    problems: tuple[MasterProblem, ...]
    kinds: dict[str, ValueKind] = field(default_factory=dict)


def examine_block(block: Block) -> CheckedBlock:
    """All that is wrong with a block by itself, with its inputs of the kinds that it declares."""
    problems: list[MasterProblem] = []
    kinds: dict[str, ValueKind] = {entry.name: entry.kind for entry in MESH_INPUTS.values()}
    found = set(kinds)
    for place, name in (
        *((("inputs", at, "name"), entry.name) for at, entry in enumerate(block.inputs)),
        *((("strands", at, "name"), entry.name) for at, entry in enumerate(block.strands)),
    ):
        if name in found:
            problems.append(problem_at(place, name, "is the name of two things in this block.", "Rename one of them."))
        found.add(name)
    for at, strand in enumerate(block.strands):
        if strand.block:
            said = "is a block inside a block, which cannot be."
            problems.append(problem_at(("strands", at, "block"), strand.name, said, "Take that one apart first."))
    for at, entry in enumerate(block.inputs):
        if entry.default is not None and (wrong := _constant_problem(entry, entry.default)):
            problems.append(problem_at(("inputs", at, "default"), entry.name, wrong, "Give it another default, or none."))
    kinds |= {entry.name: entry.kind for entry in block.inputs}
    textures = {entry.name for entry in block.inputs if entry.texture}
    plain = [strand for strand in block.strands if not strand.block]
    steps = check_strands(plain, kinds, textures, problems)
    made = {step.strand.name for step in steps}
    for at, name in enumerate(block.outputs):
        if name not in {strand.name for strand in block.strands}:
            said = f"gives “{name}”, which is no strand of it."
            problems.append(problem_at(("outputs", at), block.title, said, "Name one of its strands."))
        elif name not in made and not problems:
            problems.append(problem_at(("outputs", at), block.title, f"gives “{name}”, which does not hold.", "Correct it."))
    return CheckedBlock(tuple(problems), kinds)


def check_block(block: Block) -> CheckedBlock:
    """Check a block. Raises TexelError that names the strand, the rule that it breaks and the way out."""
    found = examine_block(block)
    if found.problems:
        raise TexelError(block.title, f"does not hold: {found.problems[0].error.sentence}", found.problems[0].way_out)
    return found


def block_problems(master: Master) -> Iterator[MasterProblem]:
    """What is wrong with the blocks of a master, and with strands that ask for one that is not there."""
    taken: set[str] = set()
    for at, block in enumerate(master.blocks):
        if block.name in taken:
            said = "is there twice in this master."
            yield problem_at(("blocks", at, "name"), block.title, said, "Keep one of them.")
        taken.add(block.name)
        for problem in examine_block(block).problems:
            said = f"does not hold as a block: {problem.error.sentence}"
            yield problem_at(("blocks", at, *problem.place), block.title, said, problem.way_out)
    for at, strand in enumerate(master.strands):
        if strand.block and strand.block not in taken:
            said = f"uses the block “{strand.block}”, which is not in this master."
            yield problem_at(("strands", at, "block"), strand.name, said, "Choose one of its blocks, or an operation.")


def input_problems(master: Master, kinds: Mapping[str, ValueKind], textures: AbstractSet[str]) -> Iterator[MasterProblem]:
    """What is wrong with what is put into blocks, by the kinds of all names of the unfolded master."""
    blocks = {block.name: block for block in master.blocks}
    known = dict(kinds) | first_outputs(master, kinds)
    for at, strand in enumerate(master.strands):
        block = blocks.get(strand.block)
        if block is None:
            continue
        wanted = {entry.name: entry for entry in block.inputs}
        for name in sorted(set(strand.inputs) - set(wanted)):
            place = ("strands", at, "inputs", name)
            yield problem_at(place, strand.name, f"fills “{name}”, which {block.title} does not have.", "Remove that input.")
        for name, entry in wanted.items():
            said = _input_problem(strand, entry, known, textures)
            if said:
                yield problem_at(("strands", at, "inputs", name), strand.name, said, "Choose an input that fits.")


def first_outputs(master: Master, kinds: Mapping[str, ValueKind]) -> dict[str, ValueKind]:
    """The kind that the name of a strand with a block stands for: that of the block's first output."""
    blocks = {block.name: block for block in master.blocks}
    return {
        strand.name: kinds[first]
        for strand in master.strands
        if strand.block in blocks and (first := inner_name(strand.name, blocks[strand.block].outputs[0])) in kinds
    }


def _input_problem(strand: Strand, slot: BlockInput, known: Mapping[str, ValueKind], textures: AbstractSet[str]) -> str | None:
    given = strand.inputs.get(slot.name, slot.default)
    if given is None:
        return f"leaves “{slot.name}” empty."
    if not isinstance(given, str):
        return _constant_problem(slot, given)
    if given not in known:
        # Who needs what is not there is found where the strands are checked.
        return None
    kind = known[given]
    if (given in textures) != slot.texture:
        return f"takes a {'texture' if slot.texture else 'value'} for {slot.name}, and “{given}” is none."
    if not slot.texture and {kind, slot.kind} == {"place", "two"}:
        return None
    return None if kind == slot.kind else f"takes a {KIND_WORDS[slot.kind]} for {slot.name}, but gets a {KIND_WORDS[kind]}."


def _constant_problem(slot: BlockInput, value: bool | float) -> str | None:
    """Why a plain value does not fit an input; a number stands for each kind that numbers widen to."""
    if slot.texture:
        return f"takes a texture for {slot.name}, and gets a plain value."
    if isinstance(value, bool):
        return None if slot.kind == "switch" else f"takes a {KIND_WORDS[slot.kind]} for {slot.name}, but gets a switch."
    if slot.kind in ("switch", "choice", "direction", "place"):
        return f"takes a {KIND_WORDS[slot.kind]} for {slot.name}, but gets a number."
    return None
