"""Textures: stored pixels become levels of blocks, and blocks become pixels again."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from functools import partial

import numpy as np

from texelcore.codecs.blocks import CODECS
from texelcore.codecs.mips import MipChoice, MipKind, mip_levels
from texelcore.pixels.errors import TexelError
from texelcore.pixels.image import SAMPLE_DTYPES, Image, Pixels
from texelcore.pixels.values import top_of
from texelcore.surface.formats import FORMATS, Format, TextureFormat, level_sizes
from texelcore.surface.storage import Storage

# Raised when an encoder or the making of mips changes its bytes, so that content keys change with it.
ENCODER_VERSION = 5
# Texels in a run that one thread encodes at a time: about a tenth of a second of BC7.
RUN_TEXELS = 1 << 17
# How many runs each thread may be behind.
AHEAD = 4
# Texels that are decoded at a time.
DECODED_TEXELS = 1 << 22


@dataclass(frozen=True)
class Texture:
    """A texture as an engine stores it: `levels` from the largest on, each the bytes of its blocks, row by row."""

    width: int
    height: int
    format: TextureFormat
    srgb: bool
    levels: tuple[bytes, ...]

    @property
    def memory(self) -> int:
        """Bytes on the GPU."""
        return sum(len(level) for level in self.levels)


def encode(
    image: Image,
    storage: Storage,
    kinds: tuple[MipKind, ...],
    tell: Callable[[float], None] = lambda share: None,
    choice: MipChoice | None = None,
    threads: int = 2,
) -> Texture:
    """Encode an image with its mips: `kinds` says what each channel holds, and `choice` how they are made beside that. All else
    is as in `encode_levels`."""
    return encode_levels(mip_levels(image.data, kinds, storage.mips, choice), image, storage, tell, threads)


def encode_levels(
    made: Iterable[Pixels],
    image: Image,
    storage: Storage,
    tell: Callable[[float], None] = lambda share: None,
    threads: int = 2,
) -> Texture:
    """Encode an image's levels, largest first: channels that the format has not are dropped, missing ones are filled (alpha
    solid, colour black).

    Any size from 1 × 1 on; edges are repeated to whole blocks. The bytes do not depend on `threads`. `tell` hears the share done
    (0–1) and may raise to stop. Raises ValueError for a plain format whose sample type is not the image's.
    """
    form = FORMATS[storage.format]
    if image.sample not in form.takes:
        raise ValueError(f"{form.title} stores {form.sample}, not {image.sample}")
    texels = sum(width * height for width, height in level_sizes(image.width, image.height, storage.mips))
    levels: list[list[bytes]] = []
    # Enough that no thread waits while mips are made here, and not a whole picture.
    pending: deque[tuple[int, int, Future[bytes]]] = deque()
    done = 0

    def take() -> None:
        nonlocal done
        level, count, future = pending.popleft()
        levels[level].append(future.result())
        done += count
        tell(min(1.0, done / texels))

    with ThreadPoolExecutor(max(1, threads)) as pool:
        try:
            for index, level in enumerate(made):
                levels.append([])
                for count, work in _runs(form, level, image.channels):
                    pending.append((index, count, pool.submit(work)))
                    while len(pending) > threads * AHEAD:
                        take()
            while pending:
                take()
        finally:
            for _, _, future in pending:
                future.cancel()
    stored = tuple(b"".join(parts) for parts in levels)
    return Texture(image.width, image.height, storage.format, storage.srgb, stored)


def decode(texture: Texture, level: int = 0, count: int | None = None) -> Pixels:
    """The stored values of one level as (H, W, channels of the format, or the first `count` of them), without sRGB decoding. Of
    BC3, BC4 and BC5 they are 16 bits, since what lies between two ends of a block is no level of eight (`interpolated`).

    Raises TexelError for a level whose length is not what its size asks for, IndexError for one that is not there.
    """
    form = FORMATS[texture.format]
    width, height = level_sizes(texture.width, texture.height, True)[level]
    data = texture.levels[level]
    wanted = form.level_bytes(width, height)
    if len(data) != wanted:
        problem = f"has {len(data)} bytes in level {level}, where {width} × {height} {form.title} takes {wanted}."
        raise TexelError("The texture", problem, "Encode it again.")
    if not form.is_blocks:
        plain = np.frombuffer(data, SAMPLE_DTYPES[form.sample]).reshape(height, width, len(form.channels))
        return plain[:, :, :count].copy()
    kept = len(form.channels) if count is None else min(count, len(form.channels))
    return _decoded(data, form, width, height, kept)


def _decoded(data: bytes, form: Format, width: int, height: int, count: int) -> Pixels:
    """Blocks as texels, some rows of blocks at a time."""
    codec, (wide, high) = CODECS[form.key], form.block
    across, down = -(-width // wide), -(-height // high)
    out = np.empty((height, width, count), SAMPLE_DTYPES[codec.decoded])
    rows = max(1, DECODED_TEXELS // (across * wide * high))
    for first in range(0, down, rows):
        last = min(down, first + rows)
        part = data[first * across * form.unit : last * across * form.unit]
        here = out[first * high : last * high]
        here[:] = codec.decode(part, across * wide, (last - first) * high, count)[: here.shape[0], :width]
    return out


def _arranged(level: Pixels, channels: Iterable[str], form: Format) -> Pixels:
    """A level's channels in the order that the encoder takes."""
    names = tuple(channels)
    wanted = CODECS[form.key].takes if form.is_blocks else form.channels
    top = top_of(level.dtype)
    planes = []
    for channel in wanted:
        source = "Y" if "Y" in names and channel in "RGB" else channel
        if source in names:
            planes.append(level[:, :, names.index(source)])
        else:
            planes.append(np.full(level.shape[:2], top if channel == "A" else 0, level.dtype))
    return np.stack(planes, axis=-1)


def _runs(form: Format, level: Pixels, channels: Iterable[str]) -> Iterator[tuple[int, Callable[[], bytes]]]:
    """A level as runs of whole block rows, in order: how many texels each has, and what makes its bytes."""
    (height, width), (wide, high) = level.shape[:2], form.block
    rows = max(high, RUN_TEXELS // width // high * high)
    for top in range(0, height, rows):
        part = _arranged(level[top : top + rows], channels, form)
        count = part.shape[0] * width
        if not form.is_blocks:
            yield count, part.tobytes
            continue
        if part.dtype == np.uint16:
            # Rounded to the nearest level, not cut off: 65535 / 257 = 255.
            part = ((part.astype(np.uint32) + 128) // 257).astype(np.uint8)
        pad_y, pad_x = -part.shape[0] % high, -width % wide
        if pad_y or pad_x:
            part = np.pad(part, ((0, pad_y), (0, pad_x), (0, 0)), mode="edge")
        yield count, partial(CODECS[form.key].encode, part.tobytes(), part.shape[1], part.shape[0])
