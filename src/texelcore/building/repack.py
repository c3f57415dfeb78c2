"""Repacking: one file that somebody packed, into any other layout, without a set."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from contextlib import nullcontext
from pathlib import Path

from texelcore.building.execute import Made, make_outputs
from texelcore.building.filling import provided
from texelcore.building.plan import Plan, plan_build
from texelcore.building.sources import Sources
from texelcore.evidence.facts import facts_of
from texelcore.naming.lexicon import read_name
from texelcore.naming.templates import code_of
from texelcore.pixels.errors import TexelError
from texelcore.pixels.image import Image
from texelcore.pixels.read import read
from texelcore.pixels.strips import of_image
from texelcore.pixels.write import SUFFIXES, FileFormat, write
from texelcore.sorting.cuts import contradicts
from texelcore.sorting.decide import rows_from_name
from texelcore.sorting.sort import sort_files
from texelcore.surface.files import FileFacts
from texelcore.surface.ledger import Ledger, Row
from texelcore.targets.document import Target


def measured_rows(facts: FileFacts) -> tuple[Row, ...]:
    """What the channels of a file hold, from its name and its pixels together. Raises TexelError where that cannot be told."""
    sorting = sort_files([facts])
    rows = sorting.ledgers[0].rows if sorting.ledgers else _named_rows(facts)
    if not rows:
        way_out = "Say what its channels hold, in pairs such as R=occlusion,G=roughness."
        raise TexelError(facts.name, "does not tell what its channels hold.", way_out)
    return rows


def _named_rows(facts: FileFacts) -> tuple[Row, ...]:
    """What a packed name says of a file by itself: among others it would need a sibling, and here nobody would bring one."""
    reading = read_name(facts.path, edge=max(facts.width, facts.height))
    if reading is None or len(reading.meanings) < 2 or contradicts(facts, reading.meanings):
        return ()
    rows = rows_from_name(facts, reading)
    return () if isinstance(rows, str) else tuple(rows)


def plan_repack(facts: FileFacts, rows: Sequence[Row], target: Target) -> Plan:
    """Plan those outputs of a target that a file's rows provide something for. Raises TexelError where there are none."""
    stem = facts.name.rsplit(".", 1)[0]
    ledger = Ledger(name=stem, rows=tuple(rows))
    plan = plan_build(ledger, target, {facts.id: facts}, "", code_of(stem))
    kept = [planned for planned in plan.outputs if any(provided(ledger, channel.property) for channel in planned.output.channels)]
    if not kept:
        held = ", ".join(row.property.replace("_", " ") for row in rows)
        problem = f"holds {held}, of which {target.title} asks for nothing."
        raise TexelError(facts.name, problem, "Choose another layout to pack it into.")
    return plan.model_copy(update={"outputs": tuple(kept)})


def repack(
    path: Path, facts: FileFacts, rows: Sequence[Row], target: Target, folder: Path, tell: Callable[[float, str], None]
) -> tuple[Plan, list[Made]]:
    """Repack one file into `folder`: gives the plan, whose outputs may have problems, and what was made. Raises TexelError as
    `plan_repack` does, UnreadableImage for a file that does not decode, and what `tell` raises."""
    plan = plan_repack(facts, rows, target)
    return plan, make_outputs(plan, Sources({facts.id: facts}, lambda _: nullcontext(path)), folder, tell)


def facts_for(path: Path, name: str | None = None) -> FileFacts:
    """The facts of a file that belongs to no project. Raises UnreadableImage for one that is no picture."""
    return facts_of(path, name or path.name)


def save_channel(path: Path, name: str, channel: str, folder: Path) -> Path:
    """Save one channel of a file as a grey map of its own, as it is stored. Raises TexelError for a channel that is not there."""
    image = read(path, name)
    if channel not in image.channels:
        raise TexelError(name, f"has no channel {channel}; it has {', '.join(image.channels)}.", "Choose one of these.")
    grey = Image.of(image.channel(channel))
    kind: FileFormat = "exr" if grey.sample in ("f16", "f32") else "png"
    made = folder / f"{code_of(name.rsplit('.', 1)[0])}_{channel.lower()}{SUFFIXES[kind]}"
    write(of_image(grey), kind, "linear", made)
    return made
