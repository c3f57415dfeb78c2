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
from texelcore.targets.document import Target
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
    """A property's canonical values at points, (N, components), from the outputs of a target; None when no output holds it.

    `reading` overrides how values are taken; without it the file's flag and the target's document decide.
    """
    for output in target.outputs:
        entries = sorted((entry for entry in output.channels if entry.property == key), key=lambda entry: entry.component)
        texture = textures.get(output.key)
        first = {entry.component: entry for entry in reversed(entries)}
        if texture is None or not entries:
            continue
        taken = reading or stated_reading(key, target, textures)
        names = ["R" if first[at].channel == "Y" else first[at].channel for at in sorted(first)]
        if key == "normal" and "B" not in texture.channels:
            names = names[:2]
        columns = [_column(texture, name, points, taken) for name in names]
        found = np.stack(columns, axis=-1)
        if key == "normal":
            vectors = unit_vectors(found)
            return np.asarray(vectors * np.array([1.0, -1.0 if taken.down else 1.0, 1.0]))
        return 1.0 - found if taken.inverted else found
    return None


def stated_reading(key: str, target: Target, textures: Mapping[str, Texture]) -> Reading:
    """How an engine takes a property: by the file's own flag, and by the target's document for all else."""
    for output in target.outputs:
        for entry in output.channels:
            if entry.property == key and output.key in textures:
                return Reading(textures[output.key].srgb, entry.inverted, key == "normal" and target.normal_y == "-Y")
    return Reading(False)


def distance(key: str, found: Floats, meant: Floats) -> tuple[Floats, str]:
    """How far found values are from meant ones, point by point, and in which unit."""
    if key == "normal":
        return angles_between(found, meant), "°"
    if property_of(key).colour:
        return delta_e(linear_to_lab(np.clip(found, 0, 1)), linear_to_lab(np.clip(meant, 0, 1))), "ΔE"
    return np.abs(found - meant)[:, 0] * 255, "levels"


def _column(texture: Texture, name: str, points: Points, reading: Reading) -> Floats:
    """One channel at points. Hardware gives 0 for a colour that is not there and 1 for alpha, and never decodes alpha."""
    if name not in texture.channels:
        return np.full(len(points), 1.0 if name == "A" else 0.0)
    x = np.array([int(point[0] * texture.width) for point in points])
    y = np.array([int(point[1] * texture.height) for point in points])
    values = texture.values[y, x, texture.channels.index(name)]
    return to_linear(values) if reading.srgb and name != "A" else values
