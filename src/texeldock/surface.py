"""Rebuilding the surface from textures as the target says, and other readings that might have been meant."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from texelcore.colour.delta_e import delta_e, linear_to_lab
from texelcore.colour.srgb import light_of
from texelcore.normals.rebuild import angles_between, unit_vectors
from texelcore.pixels.image import Pixels
from texelcore.pixels.strips import MEASURED_TEXELS, strip_ranges
from texelcore.pixels.values import as_values
from texelcore.proof.places import Cells, Points, Unit, texels_at
from texelcore.surface.properties import property_of
from texelcore.targets.document import Target, TargetChannel
from texeldock.blocks import Texture

Floats = NDArray[np.float64]
Places = NDArray[np.int64]
# The least light that is told apart in stops.
DARKEST = 2.0**-10


@dataclass(frozen=True)
class Reading:
    """How stored values are taken: decoded as sRGB or not, inverted or not, green turned over or not."""

    srgb: bool
    inverted: bool = False
    down: bool = False
    words: str = ""


def readings_of(key: str, stated: Reading) -> list[Reading]:
    """The other ways in which a texture might have been meant."""
    if key == "normal":
        return [replace(stated, down=not stated.down, words="with green turned over")]
    flag = "without the sRGB flag" if stated.srgb else "with the sRGB flag"
    others = [replace(stated, srgb=not stated.srgb, words=flag)]
    if not property_of(key).colour:
        others.append(replace(stated, inverted=not stated.inverted, words="inverted"))
    return others


def rebuild(
    key: str, target: Target, textures: Mapping[str, Texture], points: Points, reading: Reading | None = None
) -> Floats | None:
    """A property's canonical values at points, (N, components), from the outputs of a target; None when they hold it not at all
    or in part.

    `reading` overrides how values are taken; without it the file's flag and the target's document decide.
    """
    places = places_of(key, target, textures)
    needed = (0, 1) if key == "normal" else range(len(property_of(key).components))
    if any(component not in places for component in needed):
        return None

    def picked(texture: Texture, channel: str) -> Pixels:
        rows, columns = texels_at(points, texture.width, texture.height)
        return np.asarray(texture.base[rows, columns, texture.channels.index(channel)])

    return _canonical(key, target, textures, places, picked, len(points), reading)


def copies_of(key: str, target: Target, textures: Mapping[str, Texture], points: Points) -> Iterator[tuple[str, str, Floats]]:
    """Where a property of one component is held once more: the output, the channel there, and its values at points, (N, 1)."""
    first = places_of(key, target, textures).get(0)
    if len(property_of(key).components) != 1 or first is None:
        return
    for output in target.outputs:
        for entry in output.channels if output.key in textures else ():
            texture = textures[output.key]
            if entry.property == key and (output.key, entry) != first and stored_as(entry.channel) in texture.channels:
                rows, columns = texels_at(points, texture.width, texture.height)

                def picked(texture: Texture, channel: str, rows: Places = rows, columns: Places = columns) -> Pixels:
                    return np.asarray(texture.base[rows, columns, texture.channels.index(channel)])

                places = {0: (output.key, entry)}
                yield output.key, entry.channel, _canonical(key, target, textures, places, picked, len(points))


def cells_of(
    key: str, target: Target, textures: Mapping[str, Texture], rows: int, columns: int
) -> tuple[Floats, Floats, int] | None:
    """The means and spreads of a property in a grid of cells, and how often the finest grid was halved for it; None when the
    outputs do not hold it, or not in textures of one size that is large enough."""
    places = places_of(key, target, textures)
    needed = (0, 1) if key == "normal" else range(len(property_of(key).components))
    sizes = {(textures[output].width, textures[output].height) for output, _ in places.values()}
    if any(component not in places for component in needed) or len(sizes) != 1:
        return None
    ((width, height),) = sizes
    cells = Cells(width, height, 3 if key == "normal" else len(needed))
    for start, stop in strip_ranges(width, height, MEASURED_TEXELS):

        def picked(texture: Texture, channel: str, rows: slice = slice(start, stop)) -> Pixels:
            return np.asarray(texture.base[rows, :, texture.channels.index(channel)])

        cells.add(start, _canonical(key, target, textures, places, picked, (stop - start, width)))
    halved = 0
    while cells.shape[:2] != (rows, columns):
        if cells.shape[0] < rows or cells.shape[1] < columns or cells.shape[:2] == (1, 1):
            return None
        cells, halved = cells.halved(), halved + 1
    return cells.mean(), cells.spread(), halved


def _canonical(
    key: str,
    target: Target,
    textures: Mapping[str, Texture],
    places: Mapping[int, tuple[str, TargetChannel]],
    picked: Callable[[Texture, str], Pixels],
    shape: int | tuple[int, int],
    reading: Reading | None = None,
) -> Floats:
    """A property's values, components last, of what `picked` gives of a texture's channel as it is stored."""
    down = target.normal_y == "-Y"
    columns = []
    for component in sorted(places):
        output, entry = places[component]
        texture = textures[output]
        taken = reading or Reading(texture.srgb, entry.inverted, key == "normal" and down)
        channel = stored_as(entry.channel)
        values = _column(texture, channel, picked, shape, taken)
        low, high = texture.spans.get(channel, (0.0, 1.0))
        columns.append(low + (1.0 - values if taken.inverted else values) * (high - low))
    found = np.stack(columns, axis=-1)
    if key == "normal":
        turned = reading.down if reading else down
        return np.asarray(unit_vectors(found) * np.array([1.0, -1.0 if turned else 1.0, 1.0]))
    return found


def places_of(key: str, target: Target, textures: Mapping[str, Texture]) -> dict[int, tuple[str, TargetChannel]]:
    """Where the components of a property lie: the output and channel of the first place of each."""
    places: dict[int, tuple[str, TargetChannel]] = {}
    for output in target.outputs:
        texture = textures.get(output.key)
        for channel in output.channels if texture else ():
            # The third component of a normal is taken where it is stored, and follows from the others elsewhere.
            lost = texture and key == "normal" and channel.component == 2 and stored_as(channel.channel) not in texture.channels
            if channel.property == key and not lost:
                places.setdefault(channel.component, (output.key, channel))
    return places


def as_delivered(
    key: str, target: Target, textures: Mapping[str, Texture], meant: Floats, others: Mapping[str, Floats]
) -> Floats:
    """A property's canonical values (N, components) as the target wants them delivered: darkened by another property where it
    says so, and no further than can be stored. `others` are the canonical values of all properties at the same points."""
    found = meant.copy()
    for component, (output, entry) in places_of(key, target, textures).items():
        by = others.get(entry.multiplied_by)
        if by is not None and component < found.shape[1]:
            found[:, component] *= 1 + entry.strength * (by[:, 0] - 1)
        if key != "normal" and component < found.shape[1]:
            found[:, component] = np.clip(found[:, component], *_storable(textures[output], stored_as(entry.channel)))
    return found


def _storable(texture: Texture, channel: str) -> tuple[float, float]:
    return (-np.inf, np.inf) if texture.base.dtype.kind == "f" else texture.spans.get(channel, (0.0, 1.0))


def span_of(key: str, target: Target, textures: Mapping[str, Texture]) -> float:
    """How far the values reach that a property's textures can store: 1, or what the manifest says. Colours are seen as they
    are."""
    if property_of(key).colour:
        return 1.0
    spans = [
        textures[output].spans.get(stored_as(entry.channel), (0.0, 1.0))
        for output, entry in places_of(key, target, textures).values()
    ]
    return max((high - low for low, high in spans), default=1.0)


def stored_as(channel: str) -> str:
    """Where a channel lies in a texture: a single grey one is the texture's red."""
    return "R" if channel == "Y" else channel


def stated_reading(key: str, target: Target, textures: Mapping[str, Texture]) -> Reading:
    """How an engine takes a property: by the file's own flag, and by the target's document for all else."""
    for output in target.outputs:
        for channel in output.channels:
            if channel.property == key and output.key in textures:
                return Reading(textures[output.key].srgb, channel.inverted, key == "normal" and target.normal_y == "-Y")
    return Reading(False)


def distance(unit: Unit, found: Floats, meant: Floats, span: float = 1.0) -> Floats:
    """How far found values are from meant ones, point by point. Levels are those of 8 bits over `span`; stops are doublings of
    the brightest component, and what is darker than a thousandth counts as that."""
    if unit == "°":
        return angles_between(found, meant)
    if unit == "ΔE":
        return np.asarray(delta_e(linear_to_lab(np.clip(found, 0, 1)), linear_to_lab(np.clip(meant, 0, 1))), np.float64)
    if unit == "stops":
        first, second = (np.log2(np.maximum(values, DARKEST)) for values in (found, meant))
        return np.asarray(np.abs(first - second).max(axis=-1))
    return np.asarray(np.abs(found - meant)[:, 0] / span * 255)


def _column(
    texture: Texture, name: str, picked: Callable[[Texture, str], Pixels], shape: int | tuple[int, int], reading: Reading
) -> Floats:
    """One channel. Hardware gives 0 for a colour that is not there and 1 for alpha, and never decodes alpha."""
    if name not in texture.channels:
        return np.full(shape, 1.0 if name == "A" else 0.0)
    stored = picked(texture, name)
    return np.asarray(light_of(stored) if reading.srgb and name != "A" else as_values(stored), np.float64)
