"""A block of some of a master's strands, and the reverse: what the master computes stays the same."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from collections.abc import Set as AbstractSet

from texelcore.materials.sheets.document import MESH_INPUTS, Block, BlockInput, Master, Strand, inner_name
from texelcore.materials.sheets.typing import check_master
from texelcore.materials.sheets.unfolding import inside
from texelcore.pixels.errors import TexelError

_LONGEST = 36


def fold(master: Master, names: Sequence[str], title: str) -> Master:
    """A master in which some of its strands are a block of that title, used once. What they take from elsewhere becomes
    inputs of the block, what is used elsewhere its outputs.

    Raises TexelError for a master that does not hold, for strands that are not there or are blocks themselves, for a title
    without a letter, and where something outside lies between two of them.
    """
    checked = check_master(master)
    strands = {strand.name: strand for strand in master.strands}
    chosen = [strand for strand in master.strands if strand.name in set(names)]
    if not chosen or set(names) - set(strands):
        raise TexelError(master.title, "does not have the rows that were chosen.", "Choose some of its rows.")
    if nested := next((strand for strand in chosen if strand.block), None):
        raise TexelError(nested.name, "is a block, and a block inside a block cannot be.", "Take it apart first.")
    inner = {strand.name for strand in chosen}
    _hold_apart(master, inner)
    slug = re.sub(r"[^a-z0-9]+", "-", title.lower()).strip("-0123456789")[:_LONGEST].strip("-")
    if not slug:
        raise TexelError("The block", "has a title without a letter.", "Enter a title.")
    given = {name: _plain(name) for name in _taken(chosen, inner, set(MESH_INPUTS))}
    textures = {texture.name for texture in master.textures}
    used = [value for strand in master.strands if strand.name not in inner for value in strand.inputs.values()]
    outputs = [name for strand in chosen if (name := strand.name) in (*used, *master.surface.values())]
    inputs = _named_apart(given, inner)
    block = Block(
        name=_free(slug, {block.name for block in master.blocks}, "-"),
        title=" ".join(title.split()),
        inputs=tuple(BlockInput(name=inputs[name], kind=checked.kinds[name], texture=name in textures) for name in given),
        strands=tuple(_renamed(strand, inputs) for strand in chosen),
        outputs=tuple(outputs or [chosen[-1].name]),
    )
    taken = {*_names(master), *MESH_INPUTS} - inner
    name = _free(_plain(slug.replace("-", " ")), taken, " ")
    made = Strand(name=name, group=chosen[0].group, block=block.name, inputs={inputs[source]: source for source in given})
    outside = {source: inner_name(name, source) for source in inner}
    rows = [made if strand is chosen[-1] else strand for strand in master.strands if strand is chosen[-1] or strand not in chosen]
    return _written(master, [row if row is made else _renamed(row, outside) for row in rows], (*master.blocks, block), outside)


def apart(master: Master, name: str) -> Master:
    """A master in which a strand's block has become the strands inside it, under names of their own; a block that no strand
    uses any more goes with it. Raises TexelError for a strand that is none, or a block that is not there."""
    strand = next((strand for strand in master.strands if strand.name == name), None)
    block = master.block(strand.block) if strand else None
    if strand is None or block is None:
        raise TexelError(name, "is no block.", "Choose a row that is one.")
    taken = {*_names(master), *MESH_INPUTS} - {name}
    called: dict[str, str] = {}
    for entry in block.strands:
        called[entry.name] = _free(entry.name, taken, " ")
        taken.add(called[entry.name])
    outside = {name: called[block.outputs[0]]} | {inner_name(name, inner): to for inner, to in called.items()}
    rows: list[Strand] = []
    for entry in master.strands:
        rows += inside(strand, block, called.__getitem__) if entry is strand else [entry]
    rows = [_renamed(row, outside) for row in rows]
    left = {row.block for row in rows}
    return _written(master, rows, tuple(block for block in master.blocks if block.name in left), outside)


def _written(master: Master, rows: Sequence[Strand], blocks: tuple[Block, ...], outside: Mapping[str, str]) -> Master:
    surface = {key: outside.get(name, name) for key, name in master.surface.items()}
    made = master.model_dump() | {
        "strands": [row.model_dump() for row in rows],
        "blocks": [block.model_dump() for block in blocks],
        "surface": surface,
    }
    return Master.model_validate(made)


def _hold_apart(master: Master, inner: AbstractSet[str]) -> None:
    """Raise TexelError where a strand outside takes from those inside, and gives to them as well."""
    after = set(inner)
    grew = True
    while grew:
        more = {strand.name for strand in master.strands if _sources(strand) & after}
        grew = not more <= after
        after |= more
    between = after - set(inner)
    for strand in master.strands:
        if strand.name in inner and (found := sorted(_sources(strand) & between)):
            raise TexelError(
                found[0], f"lies between the rows: it takes from some of them and gives to {strand.name}.", "Choose it as well."
            )


def _sources(strand: Strand) -> set[str]:
    """The strands and other names that a strand takes from; of a block's output, the strand that stands for the block."""
    return {value.partition(":")[0] for value in strand.inputs.values() if isinstance(value, str)}


def _taken(chosen: Sequence[Strand], inner: AbstractSet[str], free: AbstractSet[str]) -> Iterator[str]:
    """What strands name outside themselves, in the order in which they do, each once."""
    found = (value for strand in chosen for value in strand.inputs.values() if isinstance(value, str))
    yield from dict.fromkeys(value for value in found if value not in inner and value not in free)


def _renamed(strand: Strand, names: Mapping[str, str]) -> Strand:
    inputs = {slot: names.get(value, value) if isinstance(value, str) else value for slot, value in strand.inputs.items()}
    return strand.model_copy(update={"inputs": inputs})


def _named_apart(given: Mapping[str, str], inner: AbstractSet[str]) -> dict[str, str]:
    """A name for each input that no other and no strand inside has."""
    taken, found = set(inner) | set(MESH_INPUTS), {}
    for source, wanted in given.items():
        found[source] = _free(wanted, taken, " ")
        taken.add(found[source])
    return found


def _plain(name: str) -> str:
    """A name, or that of a block's output, as a name by itself."""
    return " ".join(name.replace(":", " ").split()[:5])[:_LONGEST].strip()


def _free(wanted: str, taken: AbstractSet[str], joint: str) -> str:
    found, number = wanted, 2
    while found in taken:
        found, number = f"{wanted}{joint}{number}", number + 1
    return found


def _names(master: Master) -> set[str]:
    named = (master.parameters, master.textures, master.strands)
    return {entry.name for entries in named for entry in entries}
