"""Environments of the user's own: a picture of everything around, twice as wide as high, brought to the size that the stage
prefilters and packed as environments that ship are. Read in bands: only what is kept is ever held whole."""

from __future__ import annotations

import gzip
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from texelcore.lighting.cubes import to_shared_exponent
from texelcore.pixels.errors import UnreadableImage
from texelcore.pixels.resample import resample

Floats = NDArray[np.float32]
# Prefiltering makes cubes of 256 texels of it: a quarter of the width (three's PMREMGenerator).
WIDTH, HEIGHT = 1024, 512
SMALLEST = (8, 4)
LARGEST_EDGE = 16384
# The largest light that packed texels hold.
BRIGHTEST = 65408.0
# Texels that are read at a time.
BAND = 1 << 22
_AGAIN = "Save it again as .hdr or .exr, or choose another."


def read_panorama(path: Path, name: str) -> Floats:
    """The light of an .hdr or .exr picture, (H, W, 3), at most HEIGHT × WIDTH: what is no number or less than nothing is dark,
    what is endless as bright as can be kept. Raises UnreadableImage for what is none, too small, too large, or not twice as wide
    as high."""
    import OpenImageIO as oiio

    reader = oiio.ImageInput.open(str(path)) if path.stat().st_size else None
    if reader is None:
        oiio.geterror()
        raise UnreadableImage(name, "is no .hdr or .exr picture that can be read.", _AGAIN)
    try:
        spec = reader.spec()
        if reader.format_name() not in ("hdr", "openexr"):
            raise UnreadableImage(name, "is no picture of light: an environment is an .hdr or .exr file.", _AGAIN)
        width, height = int(spec.width), int(spec.height)
        _check(name, width, height, int(spec.nchannels))
        return _brought(_shrunk(reader, spec, name))
    finally:
        reader.close()


def packed_panorama(light: Floats) -> bytes:
    """A panorama as the stage takes it: gzipped texels of shared exponent, row by row from the top."""
    words = to_shared_exponent(light.reshape(-1, 3))
    return gzip.compress(words.astype("<u4").tobytes(), 6, mtime=0)


def _check(name: str, width: int, height: int, channels: int) -> None:
    said = f"has {width} × {height} texels"
    if width < SMALLEST[0] or height < SMALLEST[1]:
        raise UnreadableImage(name, f"{said}; an environment needs {SMALLEST[0]} × {SMALLEST[1]} at least.", "Choose another.")
    if width > LARGEST_EDGE or height > LARGEST_EDGE:
        raise UnreadableImage(name, f"{said}; {LARGEST_EDGE} are the most on an edge.", "Scale it down.")
    if abs(width - 2 * height) > max(2, 0.02 * width):
        problem = f"{said}; a picture of everything around is twice as wide as high."
        raise UnreadableImage(name, problem, "Export it as an equirectangular picture.")
    if channels < 3:
        raise UnreadableImage(name, f"has {channels} channels; light needs three.", "Export it with red, green and blue.")


def _shrunk(reader: Any, spec: Any, name: str) -> Floats:
    """The picture in means of blocks of whole texels, not smaller than it is kept."""
    factor = max(1, min(spec.width // WIDTH, spec.height // HEIGHT))
    deep = max(factor, spec.tile_height if spec.tile_width else factor)
    rows = max(deep, BAND // spec.width // (deep * factor) * deep * factor)
    rows -= rows % factor
    wide = spec.width // factor * factor
    found, kept = [], np.zeros((0, wide, 3), np.float32)
    for start in range(0, spec.height, rows):
        band = _rows(reader, spec, start, min(spec.height, start + rows))
        if band is None:
            reader.geterror()
            raise UnreadableImage(name, f"is damaged from row {start} on.", _AGAIN)
        light = np.concatenate([kept, _clean(band[:, :wide])])
        full = len(light) // factor * factor
        kept = light[full:]
        if full:
            found.append(light[:full].reshape(full // factor, factor, wide // factor, factor, 3).mean(axis=(1, 3)))
    return np.concatenate(found)


def _rows(reader: Any, spec: Any, start: int, stop: int) -> Floats | None:
    import OpenImageIO as oiio

    top, left = spec.y + start, spec.x
    if spec.tile_width:
        deep = spec.tile_height
        ends = min(spec.y + spec.height, spec.y + (stop - 1) // deep * deep + deep)
        begins = spec.y + start // deep * deep
        read = reader.read_tiles(0, 0, left, left + spec.width, begins, ends, spec.z, spec.z + 1, 0, 3, oiio.FLOAT)
        if read is None:
            return None
        band = np.asarray(read).reshape(ends - begins, spec.width, 3)
        return band[top - begins : top - begins + stop - start]
    read = reader.read_scanlines(0, 0, top, spec.y + stop, spec.z, 0, 3, oiio.FLOAT)
    return None if read is None else np.asarray(read).reshape(stop - start, spec.width, 3)


def _clean(light: Floats) -> Floats:
    return np.asarray(np.clip(np.nan_to_num(light, nan=0.0, posinf=BRIGHTEST, neginf=0.0), 0.0, BRIGHTEST), np.float32)


def _brought(light: Floats) -> Floats:
    height, width = light.shape[:2]
    if width <= WIDTH and height <= HEIGHT:
        return light
    return np.maximum(resample(light, WIDTH, HEIGHT, "box"), 0.0)
