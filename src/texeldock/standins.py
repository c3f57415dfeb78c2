"""Channels in which a default stands in for a property that a set does not have: they hold it everywhere, or the engine reads a
property that nobody meant."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from texelcore.colour.srgb import from_linear
from texelcore.delivery.documents import DeliveredChannel, DeliveredOutput, ReceiptFinding
from texelcore.pixels.values import as_values
from texelcore.surface.properties import property_of
from texelcore.targets.document import TargetChannel, TargetOutput
from texeldock.blocks import Texture
from texeldock.findings import FOR_THIS, error
from texeldock.surface import stored_as

# Cells along an edge, in each of which a channel is looked at by itself: damage of a corner does not drown in the mean.
CELLS = 64
# What is allowed in 8-bit levels: where the sender says nothing of what its blocks cost, and beyond what it says.
UNSAID, BEYOND = 8.0, 2.0
SLACK = 1.5


def judge_stand_ins(output: DeliveredOutput, asked: TargetOutput, texture: Texture) -> Iterator[ReceiptFinding]:
    """What a texture holds in the place of properties that its set lacks, against the target's defaults."""
    wanted: dict[str, TargetChannel] = {channel.channel: channel for channel in asked.channels}
    for held in output.channels:
        entry = wanted.get(held.channel)
        if entry is None or entry.constant is not None or held.is_given() or held.multiplied_by:
            continue
        meant, channel = stand_in(entry, asked, held), stored_as(held.channel)
        if meant is None or channel not in texture.channels:
            continue
        away = _furthest(as_values(texture.base[:, :, texture.channels.index(channel)]) * 255, meant * 255)
        local = [
            loss.local[0] for loss in output.losses if held.channel in loss.channels and loss.unit == "levels" and loss.local
        ]
        if away > max([UNSAID, *(SLACK * said + BEYOND for said in local)]):
            missing = property_of(entry.property).title.lower()
            rule = f"has no {missing}, so that {held.channel} should hold {meant * 255:.0f} everywhere"
            yield error(output.file.file, f"{rule}; it is {away:.0f} levels away.", FOR_THIS)


def stand_in(channel: TargetChannel, asked: TargetOutput, held: DeliveredChannel) -> float | None:
    """What a channel stores, 0–1, where a set lacks its property; None where nothing can stand in for it."""
    default = property_of(channel.property).default
    if channel.when_absent is None and default is None:
        return None
    value = channel.when_absent if channel.when_absent is not None else (default or ())[channel.component]
    value = (value - held.low) / (held.high - held.low) if held.high > held.low else value
    value = min(1.0, max(0.0, 1.0 - value if channel.inverted else value))
    srgb = asked.encoding == "srgb" and property_of(channel.property).colour
    return float(from_linear(np.array(value))) if srgb else value


def _furthest(plane: NDArray[np.floating], meant: float) -> float:
    """How far the cell of a channel that is furthest off is from what is meant, by its mean."""
    height, width = plane.shape
    rows, columns = (np.unique(np.linspace(0, edge, min(CELLS, edge) + 1).astype(int)[:-1]) for edge in (height, width))
    sums = np.add.reduceat(np.add.reduceat(plane, rows, axis=0), columns, axis=1)
    counts = np.diff([*rows, height])[:, None] * np.diff([*columns, width])[None, :]
    return float(np.abs(sums / counts - meant).max())
