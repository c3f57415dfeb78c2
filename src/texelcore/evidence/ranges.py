"""The smallest and largest value of each channel: finds channels that carry nothing."""

from __future__ import annotations

import numpy as np

from texelcore.pixels.image import Image
from texelcore.pixels.values import top_of
from texelcore.surface.files import ChannelRange


def channel_ranges(image: Image) -> dict[str, ChannelRange]:
    """For each channel the range of its values, integers scaled to 0–1; floats that are not numbers are passed over."""
    ranges = {}
    for name in image.channels:
        values = image.channel(name)
        if image.data.dtype.kind == "u":
            top = top_of(image.data.dtype)
            low, high = int(values.min()) / top, int(values.max()) / top
        else:
            finite = values[np.isfinite(values)]
            low, high = (float(finite.min()), float(finite.max())) if finite.size else (0.0, 0.0)
        ranges[name] = ChannelRange(low=low, high=high)
    return ranges


def is_constant(reach: ChannelRange | None, value: float | None = None) -> bool:
    """Whether a channel holds one value everywhere (and, when given, this one). False for a range that is not known."""
    if reach is None or reach.low != reach.high:
        return False
    return value is None or reach.low == value
