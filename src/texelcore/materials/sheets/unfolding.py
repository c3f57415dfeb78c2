"""A master without its blocks: each strand that stands for one becomes the strands inside."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from functools import partial

from texelcore.materials.sheets.document import Block, Master, Strand, inner_name

Input = bool | float | str


@dataclass(frozen=True)
class Origin:
    """Where a strand of an unfolded master stands in the master itself: its place there, and its name inside the block that
    stands there; "" for one that is no part of a block."""

    at: int
    inner: str = ""


@dataclass(frozen=True)
class Unfolded:
    """A master of plain strands that means the same, and where each of them comes from."""

    master: Master
    origins: Mapping[str, Origin]


def unfold(master: Master) -> Unfolded:
    """A master without blocks. A strand whose block is not there is left out, and so is every input that it leaves empty: who
    checks the master says so."""
    if not any(strand.block for strand in master.strands):
        return Unfolded(master, {strand.name: Origin(at) for at, strand in enumerate(master.strands)})
    blocks = {block.name: block for block in master.blocks}
    first = {
        strand.name: inner_name(strand.name, blocks[strand.block].outputs[0])
        for strand in master.strands
        if strand.block in blocks
    }

    def meant(value: Input) -> Input:
        return first.get(value, value) if isinstance(value, str) else value

    strands: list[Strand] = []
    origins: dict[str, Origin] = {}
    for at, strand in enumerate(master.strands):
        taken = strand.model_copy(update={"inputs": {slot: meant(value) for slot, value in strand.inputs.items()}})
        if not strand.block:
            strands.append(taken)
            origins[strand.name] = Origin(at)
        elif strand.block in blocks:
            inner = list(inside(taken, blocks[strand.block], partial(inner_name, strand.name)))
            strands += inner
            names = [entry.name for entry in blocks[strand.block].strands]
            origins |= {entry.name: Origin(at, name) for entry, name in zip(inner, names, strict=True)}
    surface = {key: str(meant(name)) for key, name in master.surface.items()}
    return Unfolded(master.model_copy(update={"strands": tuple(strands), "blocks": (), "surface": surface}), origins)


def inside(strand: Strand, block: Block, called: Callable[[str], str]) -> Iterator[Strand]:
    """The strands of a block as a strand uses it: `called` gives each its name, and the strand's inputs stand where the block
    names its own."""
    own = {strand.name for strand in block.strands}
    given = {entry.name: strand.inputs.get(entry.name, entry.default) for entry in block.inputs}

    def meant(value: Input) -> Input | None:
        if not isinstance(value, str):
            return value
        return called(value) if value in own else given.get(value, value)

    for entry in block.strands:
        inputs = {slot: found for slot, value in entry.inputs.items() if (found := meant(value)) is not None}
        yield entry.model_copy(update={"name": called(entry.name), "group": strand.group, "inputs": inputs})
