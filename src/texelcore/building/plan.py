"""From a ledger and a target to a plan: which recipe fills which channel of which output, with a content key."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Mapping
from functools import partial
from typing import Any

from texelcore.building.filling import meant_by, provided, provides, recipe_of, row_of, rows_read, span_of
from texelcore.building.recipe import (
    OPERATIONS_VERSION,
    Constant,
    FromSpecular,
    Multiplied,
    RebuiltBlue,
    Recipe,
    Resampling,
    Take,
    ToSpecular,
)
from texelcore.naming.templates import code_of, fill
from texelcore.pixels.write import SUFFIXES
from texelcore.surface.documents import Document
from texelcore.surface.files import ChannelName, FileFacts
from texelcore.surface.ledger import Ledger, Row
from texelcore.surface.properties import property_of
from texelcore.surface.sources import Source
from texelcore.surface.storage import Storage
from texelcore.targets.document import Target, TargetOutput, tile_key
from texelcore.targets.helpers import for_helper
from texelcore.targets.sizes import size_of

# What of an output's document its bytes depend on, and of its channels.
_IN_KEYS: dict[str, Any] = {
    "file_format": True,
    "sample": True,
    "encoding": True,
    "channels": {"__all__": {"channel", "property", "component", "inverted", "label", "drop_when_absent"}},
    "only_with": True,
}


class PlannedChannel(Document):
    """One channel of an output: what it means and the recipe that fills it. `reads` are the properties of the rows that it is
    made of, whichever way; `fills` says when a default stands in; `low` and `high` are the values that are stored as 0 and 1,
    and `multiplied_by` the property that darkens it, where the set has that."""

    channel: ChannelName
    property: str
    component: int
    meaning: str
    recipe: Recipe
    reads: tuple[str, ...] = ()
    fills: bool = False
    low: float = 0.0
    high: float = 1.0
    multiplied_by: str = ""


class PlannedOutput(Document):
    """One output ready to be carried out. `problem` says why it cannot be; then there is no content key.

    `storage` is how the engine is to store it: the set's own choice, or the target's. `resized` are the files that are brought to
    its size.
    """

    key: str
    title: str
    file_name: str
    width: int
    height: int
    output: TargetOutput
    storage: Storage
    channels: tuple[PlannedChannel, ...]
    files: tuple[Source, ...]
    resized: tuple[Source, ...] = ()
    problem: str | None = None
    problem_rule: str | None = None
    way_out: str | None = None
    content_key: str = ""


class Plan(Document):
    """All outputs of one set for one target; `surface` says whether the set is one."""

    set_name: str
    target: str
    outputs: tuple[PlannedOutput, ...]
    surface: bool = True


def plan_build(
    ledger: Ledger, target: Target, files: Mapping[Source, FileFacts], project: str = "", set_code: str | None = None
) -> Plan:
    """Plan every output that `target` asks for from `ledger`.

    `files` holds the facts of every file that the ledger names; `project` and `set_code` fill the name template. A set with tiles
    has every output once for each, with the tile's number behind its name.
    Of a set that is no surface, what it has is asked for, each of its masks too.
    Outputs that cannot be made carry their problem instead of failing the plan. Raises TexelError for a name that
    the template cannot make.
    """
    code = set_code or code_of(ledger.name)
    planned: list[PlannedOutput] = []
    for tile in ledger.tiles() or (None,):
        surface = ledger if tile is None else ledger.at(tile)
        for output in asked_of(surface, target).outputs:
            if not is_asked_for(output, surface):
                continue
            name = fill(target.name_template, {"project": project, "set": code, "suffix": output.suffix})
            name += "" if tile is None else f"_{tile}"
            made = _plan_output(surface, ledger, target, output, files, name + SUFFIXES[output.file_format])
            planned.append(made if tile is None else _as_tile(made, tile))
    return Plan(set_name=ledger.name, target=target.name, outputs=tuple(planned), surface=ledger.surface)


def _as_tile(planned: PlannedOutput, tile: int) -> PlannedOutput:
    """An output of one tile: its bytes depend on its own files alone, and its key says which tile it is."""
    return planned.model_copy(update={"key": tile_key(planned.key, tile), "title": f"{planned.title}, tile {tile}"})


def _plan_output(
    ledger: Ledger,
    whole: Ledger,
    target: Target,
    output: TargetOutput,
    files: Mapping[Source, FileFacts],
    file_name: str,
    size: tuple[int, int] | None = None,
) -> PlannedOutput:
    """Plan one output of a set, or of one tile of the `whole` set; in its own size, or in `size` where that is given."""
    entries = [
        channel for channel in output.channels if not (channel.drop_when_absent and not provided(ledger, channel.property))
    ]
    rows = tuple(dict.fromkeys(row for channel in entries for row in rows_read(ledger, channel)))
    sources = {row.file: (files[row.file].width, files[row.file].height) for row in rows}
    # A texture of defaults alone needs no more than one block.
    width, height = size or size_of(output.size, sources.values() or [(4, 4)])

    def sized(row: Row) -> Resampling | None:
        if sources[row.file] == (width, height):
            return None
        return Resampling(meant=meant_by(row), encoding=row.encoding, channels=row.channels, filter=output.resampling)

    channels, problem = [], None
    for entry in entries:
        span = span_of(whole, entry, files)
        recipe = recipe_of(ledger, target, entry, output.encoding, span, sized)
        # A stand-in that something else darkens is a stand-in all the same.
        value = recipe.value if isinstance(recipe, Multiplied) else recipe
        fills = entry.constant is None and (value is None or isinstance(value, Constant))
        if recipe is None:
            title = property_of(entry.property).title
            problem = problem or (f"{title} is missing and nothing can stand in for it.", "missing", f"Assign a file to {title}.")
            recipe = Constant(value=0.0)
        channels.append(
            PlannedChannel(
                channel=entry.channel,
                property=_resolved(ledger, entry.property),
                component=entry.component,
                meaning=entry.meaning(),
                recipe=recipe,
                reads=tuple(row.property for row in rows_read(ledger, entry)),
                fills=fills,
                low=span[0],
                high=span[1],
                multiplied_by=entry.multiplied_by if isinstance(recipe, Multiplied) else "",
            )
        )
    lost = next((take for channel in channels for take in takes_of(channel.recipe) if _is_lost(take, files)), None)
    if lost:
        facts = files[lost.file]
        problem = problem or (
            f"{facts.name} has no channel {lost.channel} any more; it has {', '.join(facts.channels)}.",
            "channel-missing",
            "Choose another channel in the row, or export the file as it was.",
        )
    names = tuple(dict.fromkeys(name for channel in channels for name in files_of(channel.recipe)))
    planned = PlannedOutput(
        key=output.key,
        title=output.title,
        file_name=file_name,
        width=width,
        height=height,
        output=output,
        storage=ledger.storage_of(target.name, output.key) or output.stored(any(channel.channel == "A" for channel in channels)),
        channels=tuple(channels),
        files=names,
        resized=tuple(name for name in names if sources[name] != (width, height)),
    )
    if problem:
        update = {"problem": problem[0], "problem_rule": problem[1], "way_out": problem[2]}
        return planned.model_copy(update=update)
    return planned.model_copy(update={"content_key": _content_key(planned, files)})


def _resolved(ledger: Ledger, key: str) -> str:
    """A property as the set calls it: its first mask has a name."""
    row = row_of(ledger, key)
    return row.property if row else key


def plan_at_size(
    ledger: Ledger, target: Target, output: TargetOutput, files: Mapping[Source, FileFacts], size: tuple[int, int] | None
) -> PlannedOutput:
    """Plan one output of an ordinary set, or of one tile, in a size that something else decides; None leaves it to its rule."""
    return _plan_output(ledger, ledger, target, output, files, output.key + SUFFIXES[output.file_format], size)


def asked_of(ledger: Ledger, target: Target) -> Target:
    """A target as it asks for a set: of one that is no surface, for what it has."""
    return target if ledger.surface else for_helper(target, provides(ledger))


def is_asked_for(output: TargetOutput, ledger: Ledger) -> bool:
    """Whether a set has what an output is made with, and nothing of what it is made without."""
    return output.is_asked_for(partial(provided, ledger))


def given(outputs: Iterable[PlannedOutput]) -> frozenset[str]:
    """The properties that outputs hold from the set's own maps, and not as stand-ins."""
    return frozenset(
        channel.property for planned in outputs for channel in planned.channels if channel.reads and not channel.fills
    )


def takes_of(recipe: Recipe) -> tuple[Take, ...]:
    """The source channels that a recipe reads."""
    if isinstance(recipe, Multiplied):
        return (*takes_of(recipe.value), recipe.by)
    if isinstance(recipe, Take):
        return (recipe,)
    if isinstance(recipe, RebuiltBlue):
        return recipe.red, recipe.green
    if isinstance(recipe, ToSpecular):
        return (*recipe.base, *takes_of(recipe.metallic))
    return recipe.diffuse + recipe.specular if isinstance(recipe, FromSpecular) else ()


def files_of(recipe: Recipe) -> tuple[Source, ...]:
    """The ids of the files that a recipe reads, each once."""
    return tuple(dict.fromkeys(take.file for take in takes_of(recipe)))


def _is_lost(take: Take, files: Mapping[Source, FileFacts]) -> bool:
    """A file that was exported again may have fewer channels than the ledger reads."""
    return take.channel not in files[take.file].channels


def _content_key(planned: PlannedOutput, files: Mapping[Source, FileFacts]) -> str:
    """SHA-256 over all that the bytes depend on: sources by hash, recipes, format and the operations' version.

    What a target says of channels and sizes has become recipes, width and height; later fields count only where they change
    bytes, so that keys of documents that do not have them stay what they were.
    """
    body = planned.output.model_dump_json(include=_IN_KEYS)
    extras = f"\ndithered {planned.output.dither}" if planned.output.dither else ""
    if planned.output.file_format == "jpeg":
        extras += f"\nquality {planned.output.quality}"
    recipes = "\n".join(
        f"{channel.channel} {_with_bytes(channel.recipe, files).model_dump_json(exclude_none=True)}"
        for channel in planned.channels
    )
    text = f"operations {OPERATIONS_VERSION}\n{planned.width} {planned.height}\n{body}\n{recipes}{extras}"
    return hashlib.sha256(text.encode()).hexdigest()


def _with_bytes(recipe: Any, files: Mapping[Source, FileFacts]) -> Any:
    """A recipe, or a part of one, with the hash of what each file holds in the place of the file's id."""
    if isinstance(recipe, Take):
        return recipe.model_copy(update={"file": files[recipe.file].sha256})
    if isinstance(recipe, tuple):
        return tuple(_with_bytes(part, files) for part in recipe)
    if isinstance(recipe, Document) and takes_of(recipe):  # type: ignore[arg-type]
        return recipe.model_copy(update={name: _with_bytes(value, files) for name, value in recipe})
    return recipe
