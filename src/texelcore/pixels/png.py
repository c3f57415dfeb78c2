"""The strip-parallel PNG writer.

PNG writing is most of the waiting in this job, so it is ours: every strip is filtered and deflated by itself in a
thread and closed with a full flush, so that the strips' raw deflate data joined are one valid stream (RFC 1951). The
stream's Adler-32 is combined from the strips' own. Chunks and filters: PNG specification, third edition (W3C).
"""

from __future__ import annotations

import io
import struct
from collections import deque
from collections.abc import Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from typing import BinaryIO, Literal

import numpy as np
from isal import isal_zlib
from numpy.typing import NDArray
from zlib_ng import zlib_ng

from texelcore.pixels.image import Image, Pixels
from texelcore.pixels.strips import StripSource, Written, of_image, strip_ranges

SIGNATURE = b"\x89PNG\r\n\x1a\n"
COLOUR_TYPES = {1: 0, 2: 4, 3: 2, 4: 6}
NONE, SUB, UP, AVERAGE, PAETH = range(5)
# Level 1 of the deflate library gives the same bytes whatever vector instructions the processor has; level 3 does not.
LEVEL = 1
ADLER_BASE = 65521
# A zlib header (RFC 1950) for a 32 KiB window and the fastest level.
ZLIB_HEADER = b"\x78\x01"
LAST_EMPTY_BLOCK = b"\x03\x00"

# Rows that a strip's filter is chosen by, and bytes that are filtered at once.
SAMPLE_ROWS = 6
CACHE_BYTES = 1 << 17
SMALL_PICTURE = 1 << 16

Bytes2D = NDArray[np.uint8]
# "matches" looks for repeated bytes; "runs" only for runs of one byte, which suits filtered pictures of real surfaces,
# and gives the same bytes everywhere by its nature.
Packer = Literal["matches", "runs"]


def write_png(
    source: StripSource,
    file: BinaryIO,
    encoding: Literal["srgb", "linear"],
    threads: int = 2,
    written: Written = lambda rows: None,
) -> None:
    """Write an 8- or 16-bit PNG of 1 to 4 channels to an open binary file.

    sRGB pictures carry an sRGB chunk (perceptual intent); linear ones a gAMA chunk of 1.0. The bytes depend on the
    pixels alone, not on `threads`. `written` is told how many rows are done, and may raise to stop. Raises ValueError for
    float samples, and OSError when the disk refuses.
    """
    if source.sample not in ("u8", "u16"):
        raise ValueError(f"PNG stores 8 or 16 bits, not {source.sample}")
    file.write(SIGNATURE)
    depth = 8 if source.sample == "u8" else 16
    size = struct.pack(">IIBBBBB", source.width, source.height, depth, COLOUR_TYPES[source.channels], 0, 0, 0)
    _chunk(file, b"IHDR", size)
    if encoding == "srgb":
        _chunk(file, b"sRGB", b"\0")
        _chunk(file, b"gAMA", struct.pack(">I", 45455))
    else:
        _chunk(file, b"gAMA", struct.pack(">I", 100000))
    adler = 1
    head = ZLIB_HEADER
    strips = strip_ranges(source.width, source.height)
    for (_, stop), (data, strip_adler, length) in zip(strips, _deflated(source, max(1, threads)), strict=True):
        _chunk(file, b"IDAT", head + data)
        adler = _combine_adler(adler, strip_adler, length)
        head = b""
        written(stop)
    _chunk(file, b"IDAT", LAST_EMPTY_BLOCK + struct.pack(">I", adler))
    _chunk(file, b"IEND", b"")


def png_bytes(pixels: Pixels) -> bytes:
    """A small picture (H, W, C) for a screen as PNG bytes. Below a strip's size a plain library is as quick and simpler, but it
    takes a picture of one texel for a line."""
    if pixels.size <= SMALL_PICTURE and max(pixels.shape[:2]) > 1:
        from imagecodecs import png_encode

        plain = pixels[:, :, 0] if pixels.shape[2] == 1 else pixels
        return bytes(png_encode(np.ascontiguousarray(plain), level=1))
    file = io.BytesIO()
    write_png(of_image(Image.of(pixels)), file, "srgb", threads=1)
    return file.getvalue()


def _deflated(source: StripSource, threads: int) -> Iterator[tuple[bytes, int, int]]:
    """Strips in order, deflated ahead by at most `threads` + 1, so that memory does not grow with the picture."""
    waiting: deque[Future[tuple[bytes, int, int]]] = deque()
    with ThreadPoolExecutor(threads) as pool:
        for start, stop in strip_ranges(source.width, source.height):
            if len(waiting) > threads:
                yield waiting.popleft().result()
            waiting.append(pool.submit(_deflate_strip, source, start, stop))
        while waiting:
            yield waiting.popleft().result()


def _deflate_strip(source: StripSource, start: int, stop: int) -> tuple[bytes, int, int]:
    before = max(0, start - 1)
    rows = _row_bytes(source.rows(before, stop))
    above = rows[: start - before] if start else np.zeros((1, rows.shape[1]), np.uint8)
    filtered, packer = _filter(rows[start - before :], above, source.channels * source.dtype.itemsize)
    return _deflate(packer, filtered), isal_zlib.adler32(filtered), filtered.nbytes


def _deflate(packer: Packer, data: Bytes2D) -> bytes:
    """Raw deflate data that end on a byte and refer to nothing before or after them."""
    if packer == "matches":
        stream = isal_zlib.compressobj(LEVEL, isal_zlib.DEFLATED, -15)
        return bytes(stream.compress(data) + stream.flush(isal_zlib.Z_FULL_FLUSH))
    runs = zlib_ng.compressobj(1, zlib_ng.DEFLATED, -15, 8, zlib_ng.Z_RLE)
    return bytes(runs.compress(data) + runs.flush(zlib_ng.Z_FULL_FLUSH))


def _row_bytes(rows: Pixels) -> Bytes2D:
    """Samples as PNG stores them: rows of bytes, 16-bit samples with the high byte first."""
    ordered = rows.astype(">u2") if rows.dtype == np.uint16 else rows
    flat = np.ascontiguousarray(ordered).reshape(rows.shape[0], -1)
    return flat.view(np.uint8)


def _filter(rows: Bytes2D, above: Bytes2D, step: int) -> tuple[Bytes2D, Packer]:
    """Put the filter byte before every row. Filter and packer are those that a few of the strip's rows fare best with."""
    previous = np.concatenate([above, rows[:-1]])
    middle = slice(len(rows) // 3, len(rows) // 3 + SAMPLE_ROWS)
    trials = {kind: _filtered(kind, rows[middle], previous[middle], step) for kind in (NONE, SUB, UP, AVERAGE, PAETH)}
    sizes = {kind: len(_deflate("runs", trial)) for kind, trial in trials.items()}
    best = min(sizes, key=lambda kind: sizes[kind])
    by_matches = {kind: len(_deflate("matches", trials[kind])) for kind in {best, NONE, UP}}
    matched = min(by_matches, key=lambda kind: by_matches[kind])
    # Looking for matches pays where a pattern repeats; noise only gets larger by it.
    if by_matches[matched] < sizes[best]:
        return _filtered(matched, rows, previous, step), "matches"
    return _filtered(best, rows, previous, step), "runs"


def _filtered(kind: int, rows: Bytes2D, above: Bytes2D, step: int) -> Bytes2D:
    """Rows with their filter byte, filtered a few at a time so that the work stays in the processor's cache."""
    out = np.empty((rows.shape[0], rows.shape[1] + 1), np.uint8)
    out[:, 0] = kind
    few = max(1, CACHE_BYTES // max(1, rows.shape[1]))
    for start in range(0, rows.shape[0], few):
        part = slice(start, start + few)
        _apply_filter(kind, rows[part], above[part], step, out[part, 1:])
    return out


def _apply_filter(kind: int, rows: Bytes2D, above: Bytes2D, step: int, out: Bytes2D) -> None:
    """The filter types of the PNG specification, section 9; unsigned bytes wrap as it asks."""
    if kind == NONE:
        out[...] = rows
    elif kind == UP:
        np.subtract(rows, above, out=out)
    elif kind == SUB:
        np.subtract(rows, _shifted(rows, step), out=out)
    elif kind == AVERAGE:
        left = _shifted(rows, step)
        # Floor of the mean without widening: a + b = 2 (a & b) + (a ^ b).
        np.subtract(rows, (left & above) + ((left ^ above) >> 1), out=out)
    else:
        np.subtract(rows, _paeth(_shifted(rows, step), above, _shifted(above, step)), out=out)


def _shifted(rows: Bytes2D, step: int) -> Bytes2D:
    """Each byte's neighbour one texel to the left; zero at the edge."""
    left = np.zeros_like(rows)
    left[:, step:] = rows[:, :-step]
    return left


def _paeth(left: Bytes2D, above: Bytes2D, corner: Bytes2D) -> Bytes2D:
    """The Paeth predictor in bytes alone, four times as fast as in wider integers.

    With p = left + above − corner, the distances are |above − corner| to left, |left − corner| to above, and to corner
    their sum where both differences have one sign, else the difference of the two.
    """
    from_left = np.maximum(above, corner) - np.minimum(above, corner)
    from_above = np.maximum(left, corner) - np.minimum(left, corner)
    opposite = (above > corner) != (left > corner)
    from_corner = np.maximum(from_left, from_above) - np.minimum(from_left, from_above)
    predicted = np.where(from_left <= from_above, left, above)
    nearest = np.minimum(from_left, from_above)
    np.copyto(predicted, corner, where=opposite & (from_corner < nearest))
    return predicted


def _combine_adler(first: int, second: int, second_length: int) -> int:
    """Adler-32 of two joined runs from their own sums (the definition in RFC 1950, section 8.2)."""
    a1, b1 = first & 0xFFFF, first >> 16
    a2, b2 = second & 0xFFFF, second >> 16
    a = (a1 + a2 - 1) % ADLER_BASE
    b = (b1 + b2 + second_length * (a1 - 1)) % ADLER_BASE
    return b << 16 | a


def _chunk(file: BinaryIO, kind: bytes, data: bytes) -> None:
    file.write(struct.pack(">I", len(data)) + kind)
    file.write(data)
    file.write(struct.pack(">I", isal_zlib.crc32(data, isal_zlib.crc32(kind))))
