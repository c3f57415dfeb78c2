"""From a ledger and a target to a plan: which recipe fills which channel of which output, with a content key."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping

from texelcore.building.recipe import OPERATIONS_VERSION, Constant, Conversion, FromSpecular, RebuiltBlue, Recipe, Take, simplify
from texelcore.naming.templates import code_of, fill
from texelcore.pixels.write import SUFFIXES
from texelcore.surface.documents import Document
from texelcore.surface.files import ChannelName, FileFacts
from texelcore.surface.ledger import Ledger, Row, lacks_blue
from texelcore.surface.properties import Encoding, property_of
from texelcore.surface.storage import Storage
from texelcore.targets.document import Target, TargetChannel, TargetOutput, tile_key


class PlannedChannel(Document):
    """One channel of an output: what it means and the recipe that fills it. `fills` says when a default stands in."""

    channel: ChannelName
    property: str
    component: int
    meaning: str
    recipe: Recipe
    fills: bool = False


class PlannedOutput(Document):
    """One output ready to be carried out. `problem` says why it cannot be; then there is no content key.

    `storage` is how the engine is to store it: the set's own choice, or the target's.
    """

    key: str
    title: str
    file_name: str
    width: int
    height: int
    output: TargetOutput
    storage: Storage
    channels: tuple[PlannedChannel, ...]
    files: tuple[str, ...]
    problem: str | None = None
    problem_rule: str | None = None
    way_out: str | None = None
    content_key: str = ""


class Plan(Document):
    """All outputs of one set for one target."""

    set_name: str
    target: str
    outputs: tuple[PlannedOutput, ...]


def plan_build(
    ledger: Ledger, target: Target, files: Mapping[str, FileFacts], project: str = "", set_code: str | None = None
) -> Plan:
    """Plan every output that `target` asks for from `ledger`.

    `files` holds the facts of every file that the ledger names; `project` and `set_code` fill the name template. A set with tiles
    has every output once for each, with the tile's number behind its name.
    Outputs that cannot be made carry their problem instead of failing the plan. Raises TexelError for a name that
    the template cannot make.
    """
    code = set_code or code_of(ledger.name)
    planned: list[PlannedOutput] = []
    for tile in ledger.tiles() or (None,):
        surface = ledger if tile is None else ledger.at(tile)
        for output in target.outputs:
            if output.only_with and not any(_provided(surface, key) for key in output.only_with):
                continue
            name = fill(target.name_template, {"project": project, "set": code, "suffix": output.suffix})
            name += "" if tile is None else f"_{tile}"
            made = _plan_output(surface, target, output, files, name + SUFFIXES[output.file_format])
            planned.append(made if tile is None else _as_tile(made, tile))
    return Plan(set_name=ledger.name, target=target.name, outputs=tuple(planned))


def _as_tile(planned: PlannedOutput, tile: int) -> PlannedOutput:
    """An output of one tile: its bytes depend on its own files alone, and its key says which tile it is."""
    return planned.model_copy(update={"key": tile_key(planned.key, tile), "title": f"{planned.title}, tile {tile}"})


def _plan_output(
    ledger: Ledger, target: Target, output: TargetOutput, files: Mapping[str, FileFacts], file_name: str
) -> PlannedOutput:
    channels, problem = [], None
    for entry in output.channels:
        if entry.drop_when_absent and not _provided(ledger, entry.property):
            continue
        recipe = _recipe(ledger, target, entry, output.encoding)
        fills = recipe is None or isinstance(recipe, Constant)
        if recipe is None:
            title = property_of(entry.property).title
            problem = problem or (f"{title} is missing and nothing can stand in for it.", "missing", f"Assign a file to {title}.")
            recipe = Constant(value=0.0)
        channels.append(
            PlannedChannel(
                channel=entry.channel,
                property=entry.property,
                component=entry.component,
                meaning=entry.meaning(),
                recipe=recipe,
                fills=fills,
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
    sizes = {name: (files[name].width, files[name].height) for name in names}
    if len(set(sizes.values())) > 1:
        listed = ", ".join(f"{files[name].name} {width} × {height}" for name, (width, height) in sizes.items())
        problem = problem or (
            f"Its channels come in different sizes: {listed}.",
            "sizes-differ",
            "Export them at one size, or clear the row that does not fit.",
        )
    # A texture of defaults alone needs no more than one block.
    width, height = next(iter(sizes.values()), (4, 4))
    planned = PlannedOutput(
        key=output.key,
        title=output.title,
        file_name=file_name,
        width=width,
        height=height,
        output=output,
        storage=ledger.storage_of(target.name, output.key) or output.stored(any(entry.channel == "A" for entry in channels)),
        channels=tuple(channels),
        files=names,
    )
    if problem:
        update = {"problem": problem[0], "problem_rule": problem[1], "way_out": problem[2]}
        return planned.model_copy(update=update)
    return planned.model_copy(update={"content_key": _content_key(planned, files)})


def takes_of(recipe: Recipe) -> tuple[Take, ...]:
    """The source channels that a recipe reads."""
    if isinstance(recipe, Take):
        return (recipe,)
    if isinstance(recipe, RebuiltBlue):
        return recipe.red, recipe.green
    return recipe.diffuse + recipe.specular if isinstance(recipe, FromSpecular) else ()


def files_of(recipe: Recipe) -> tuple[str, ...]:
    """The ids of the files that a recipe reads, each once."""
    return tuple(dict.fromkeys(take.file for take in takes_of(recipe)))


def _is_lost(take: Take, files: Mapping[str, FileFacts]) -> bool:
    """A file that was exported again may have fewer channels than the ledger reads."""
    return take.channel not in files[take.file].channels


def _provided(ledger: Ledger, key: str) -> bool:
    if key == "metallic" and ledger.workflow == "specular":
        return True
    return ledger.row(key) is not None


def _recipe(ledger: Ledger, target: Target, entry: TargetChannel, encoding: Encoding) -> Recipe | None:
    """How to fill one output channel; None when nothing provides a property that has no default."""
    diffuse, specular = ledger.row("base_colour"), ledger.row("specular")
    if ledger.workflow == "specular" and specular and diffuse and entry.property in ("base_colour", "metallic"):
        return FromSpecular(
            diffuse=_linear_takes(diffuse),
            specular=_linear_takes(specular),
            component=3 if entry.property == "metallic" else entry.component,  # type: ignore[arg-type]
            steps=_encode(entry, encoding),
        )
    row = ledger.row(entry.property)
    prop = property_of(entry.property)
    if row is None:
        if prop.default is None:
            return None
        value = prop.default[entry.component]
        return Constant(value=1.0 - value if entry.inverted else value)
    if lacks_blue(row) and entry.component == 2:
        red, green = (Take(file=row.file, channel=channel, steps=_read_as(row)) for channel in row.channels)
        return RebuiltBlue(red=red, green=green)
    steps = _read_as(row)
    if row.inverted:
        steps += ("invert",)
    if entry.property == "normal" and entry.component == 1 and row.normal_y != target.normal_y:
        steps += ("flip_green",)
    steps += _encode(entry, encoding)
    return Take(file=row.file, channel=row.channels[entry.component], steps=simplify(steps))


def _encode(entry: TargetChannel, encoding: Encoding) -> tuple[Conversion, ...]:
    """From canonical to what the output stores. Alpha and data are never sRGB, even in an sRGB texture."""
    inverted: tuple[Conversion, ...] = ("invert",) if entry.inverted else ()
    srgb = encoding == "srgb" and property_of(entry.property).colour
    return (*inverted, "linear_to_srgb") if srgb else inverted


def _read_as(row: Row) -> tuple[Conversion, ...]:
    """From what a row's file stores to linear values."""
    return ("srgb_to_linear",) if row.encoding == "srgb" else ()


def _linear_takes(row: Row) -> tuple[Take, Take, Take]:
    red, green, blue = (Take(file=row.file, channel=channel, steps=_read_as(row)) for channel in row.channels)
    return red, green, blue


def _content_key(planned: PlannedOutput, files: Mapping[str, FileFacts]) -> str:
    """SHA-256 over all that the bytes depend on: sources by hash, recipes, format and the operations' version."""
    body = planned.output.model_dump_json(exclude={"title", "suffix", "key", "storage", "format_with_alpha"})
    recipes = "\n".join(f"{entry.channel} {entry.recipe.model_dump_json()}" for entry in planned.channels)
    for name in planned.files:
        recipes = recipes.replace(f'"file":"{name}"', f'"file":"{files[name].sha256}"')
    text = f"operations {OPERATIONS_VERSION}\n{planned.width} {planned.height}\n{body}\n{recipes}"
    return hashlib.sha256(text.encode()).hexdigest()
