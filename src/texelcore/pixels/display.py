"""Pictures for eyes: any stored image as 8-bit values that a screen shows."""

from __future__ import annotations

import numpy as np

from texelcore.pixels.image import Image, Pixels
from texelcore.pixels.values import as_stored, top_of

VIEWS = ("RGB", "R", "G", "B", "A")


def display(image: Image, view: str, linear_colour: bool = False, stops: float = 0.0) -> Pixels:
    """One view of an image as (H, W, 1 or 3) uint8: "RGB" for colour, or one channel as grey.

    A grey image answers every view but "A" with its one channel. Alpha is never multiplied in. Values are multiplied by 2 to
    the power of `stops`, as stored, before any are rounded; then floats are clipped to 0–1. `linear_colour` encodes them as
    sRGB (IEC 61966-2-1) first, for colour views. Raises KeyError when the image has no such channel.
    """
    if view == "RGB" or (view != "A" and "Y" in image.channels):
        picked = image.data[:, :, :3] if len(image.channels) >= 3 else image.data[:, :, :1]
    else:
        picked = image.channel(view)[:, :, None]
    if picked.dtype == np.uint8 and not stops:
        return picked
    if picked.dtype == np.uint16 and not stops:
        return np.asarray(picked >> 8, np.uint8)
    top = top_of(picked.dtype)
    # Infinite light is still light: it ends at the top.
    values = np.clip(np.nan_to_num(picked.astype(np.float32)) * np.float32(2.0**stops / top), 0.0, 1.0)
    if linear_colour and view == "RGB":
        values = np.where(values <= 0.0031308, values * 12.92, 1.055 * values ** (1 / 2.4) - 0.055)
    return as_stored(values, "u8")


def is_light(image: Image) -> bool:
    """A float picture of three channels is shown as linear light; a single float channel is data."""
    return image.sample in ("f16", "f32") and len(image.channels) >= 3


def shrink(pixels: Pixels, longest: int) -> Pixels:
    """Shrink (H, W, C) uint8 by a whole factor so that neither edge is longer than `longest`; blocks are averaged."""
    height, width = pixels.shape[:2]
    factor = -(-max(height, width) // longest)
    if factor <= 1:
        return pixels
    return mean_blocks(pixels, factor)


def mean_blocks(pixels: Pixels, factor: int) -> Pixels:
    """Each block of `factor` × `factor` of (H, W, C) uint8 as its mean; blocks cut off at an edge are filled by repeating it."""
    height, width = pixels.shape[:2]
    pad_y, pad_x = -height % factor, -width % factor
    padded = np.pad(pixels, ((0, pad_y), (0, pad_x), (0, 0)), mode="edge") if pad_x or pad_y else pixels
    high, wide, count = padded.shape[0] // factor, padded.shape[1] // factor, factor * factor
    # Rows first, which lie side by side in memory; what is left to sum is small.
    rows = padded.reshape(high, factor, -1).sum(axis=1, dtype=np.uint32)
    sums = rows.reshape(high, wide, factor, -1).sum(axis=2, dtype=np.uint32)
    return np.asarray((2 * sums + count) // (2 * count), np.uint8)


def channel_histograms(image: Image) -> dict[str, list[int]]:
    """For each channel how many texels lie in each of 256 even steps; floats are clipped to 0–1."""
    counts = {}
    for name in image.channels:
        values = image.channel(name)
        if values.dtype == np.uint16:
            values = values >> 8
        elif values.dtype.kind == "f":
            values = as_stored(values.astype(np.float32), "u8")
        counts[name] = np.bincount(values.ravel(), minlength=256).tolist()
    return counts
