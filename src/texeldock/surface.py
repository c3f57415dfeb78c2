"""Rebuilding the surface from textures as the target says, and other readings that might have been meant."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from texelcore.colour.delta_e import delta_e, linear_to_lab
from texelcore.colour.srgb import to_linear
from texelcore.normals.rebuild import angles_between, unit_vectors
from texelcore.surface.properties import property_of
from texelcore.targets.document import Target, TargetChannel
from texeldock.blocks import Texture

Floats = NDArray[np.float64]
Points = tuple[tuple[float, float], ...]


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
    places = _places(key, target, textures)
    needed = (0, 1) if key == "normal" else range(len(property_of(key).components))
    if any(component not in places for component in needed):
        return None
    down = target.normal_y == "-Y"
    columns = []
    for component in sorted(places):
        entry, texture = places[component]
        taken = reading or Reading(texture.srgb, entry.inverted, key == "normal" and down)
        channel = stored_as(entry.channel)
        values = _column(texture, channel, points, taken)
        low, high = texture.spans.get(channel, (0.0, 1.0))
        columns.append(low + (1.0 - values if taken.inverted else values) * (high - low))
    found = np.stack(columns, axis=-1)
    if key == "normal":
        turned = reading.down if reading else down
        return np.asarray(unit_vectors(found) * np.array([1.0, -1.0 if turned else 1.0, 1.0]))
    return found


def _places(key: str, target: Target, textures: Mapping[str, Texture]) -> dict[int, tuple[TargetChannel, Texture]]:
    """Where the components of a property lie: the first place of each."""
    places: dict[int, tuple[TargetChannel, Texture]] = {}
    for output in target.outputs:
        texture = textures.get(output.key)
        for entry in output.channels if texture else ():
            # The third component of a normal is taken where it is stored, and follows from the others elsewhere.
            lost = texture and key == "normal" and entry.component == 2 and stored_as(entry.channel) not in texture.channels
            if texture and entry.property == key and not lost:
                places.setdefault(entry.component, (entry, texture))
    return places


def as_delivered(
    key: str, target: Target, textures: Mapping[str, Texture], meant: Floats, others: Mapping[str, Floats]
) -> Floats:
    """A property's canonical values (N, components) as the target wants them delivered: darkened by another property where it
    says so. `others` are the canonical values of all properties at the same points."""
    found = meant.copy()
    for component, (entry, _) in _places(key, target, textures).items():
        by = others.get(entry.multiplied_by)
        if by is not None and component < found.shape[1]:
            found[:, component] *= 1 + entry.strength * (by[:, 0] - 1)
    return found


def span_of(key: str, target: Target, textures: Mapping[str, Texture]) -> float:
    """How far the values reach that a property's textures can store: 1, or what the manifest says. Colours are seen as they
    are."""
    if property_of(key).colour:
        return 1.0
    spans = [
        texture.spans.get(stored_as(entry.channel), (0.0, 1.0)) for entry, texture in _places(key, target, textures).values()
    ]
    return max((high - low for low, high in spans), default=1.0)


def stored_as(channel: str) -> str:
    """Where a channel lies in a texture: a single grey one is the texture's red."""
    return "R" if channel == "Y" else channel


def stated_reading(key: str, target: Target, textures: Mapping[str, Texture]) -> Reading:
    """How an engine takes a property: by the file's own flag, and by the target's document for all else."""
    for output in target.outputs:
        for entry in output.channels:
            if entry.property == key and output.key in textures:
                return Reading(textures[output.key].srgb, entry.inverted, key == "normal" and target.normal_y == "-Y")
    return Reading(False)


def distance(key: str, found: Floats, meant: Floats, span: float = 1.0) -> tuple[Floats, str]:
    """How far found values are from meant ones, point by point, and in which unit. Levels are those of 8 bits over `span`."""
    if key == "normal":
        return angles_between(found, meant), "°"
    if property_of(key).colour:
        return delta_e(linear_to_lab(np.clip(found, 0, 1)), linear_to_lab(np.clip(meant, 0, 1))), "ΔE"
    return np.abs(found - meant)[:, 0] / span * 255, "levels"


def _column(texture: Texture, name: str, points: Points, reading: Reading) -> Floats:
    """One channel at points. Hardware gives 0 for a colour that is not there and 1 for alpha, and never decodes alpha."""
    if name not in texture.channels:
        return np.full(len(points), 1.0 if name == "A" else 0.0)
    x = np.array([int(point[0] * texture.width) for point in points])
    y = np.array([int(point[1] * texture.height) for point in points])
    values = texture.values[y, x, texture.channels.index(name)]
    return to_linear(values) if reading.srgb and name != "A" else values
