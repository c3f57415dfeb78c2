"""The PNG writer, judged by three decoders that share no code with it."""

from __future__ import annotations

import io
import struct
import tempfile
import zlib
from pathlib import Path

import numpy as np
import OpenImageIO as oiio
import pytest
from hypothesis import given
from hypothesis import strategies as st
from imagecodecs import png_decode
from PIL import Image as Pillow

from tests.conftest import examples
from texelcore.pixels import strips
from texelcore.pixels.image import Image
from texelcore.pixels.png import _combine_adler, write_png
from texelcore.pixels.strips import of_image


def encode(data: np.ndarray, threads: int = 2) -> bytes:
    file = io.BytesIO()
    write_png(of_image(Image.of(data)), file, "linear", threads)
    return file.getvalue()


@st.composite
def arrays(draw: st.DrawFn) -> np.ndarray:
    """Pictures of many shapes: noise, gradients and flats, so that every filter is chosen by some."""
    height, width = draw(st.integers(1, 40)), draw(st.integers(1, 40))
    channels = draw(st.sampled_from([1, 2, 3, 4]))
    dtype = draw(st.sampled_from([np.uint8, np.uint16]))
    rng = np.random.default_rng(draw(st.integers(0, 1000)))
    y, x = np.mgrid[0:height, 0:width]
    ramp = (x * draw(st.integers(0, 900)) + y * draw(st.integers(0, 900)))[:, :, None]
    noise = rng.integers(0, draw(st.sampled_from([1, 3, 65536])), (height, width, channels))
    return ((ramp + noise) % (np.iinfo(dtype).max + 1)).astype(dtype)


@examples(40)
@given(arrays(), st.integers(16, 400))
def test_three_decoders_read_the_same_pixels(data: np.ndarray, strip: int) -> None:
    before, strips.STRIP_TEXELS = strips.STRIP_TEXELS, strip
    try:
        encoded = encode(data)
    finally:
        strips.STRIP_TEXELS = before
    decoded = png_decode(encoded).reshape(data.shape)
    np.testing.assert_array_equal(decoded, data)
    np.testing.assert_array_equal(by_openimageio(encoded, data.dtype).reshape(data.shape), data)
    # The reference inflater checks the combined Adler-32, and Pillow every chunk's CRC.
    zlib.decompress(b"".join(body for kind, body in chunks(encoded) if kind == b"IDAT"))
    picture = Pillow.open(io.BytesIO(encoded))
    picture.load()
    if data.dtype == np.uint8 or data.shape[2] == 1:
        np.testing.assert_array_equal(np.asarray(picture).reshape(data.shape), data)


def by_openimageio(encoded: bytes, dtype: np.dtype) -> np.ndarray:
    hint = oiio.ImageSpec()
    hint.attribute("oiio:UnassociatedAlpha", 1)
    with tempfile.NamedTemporaryFile(suffix=".png") as file:
        file.write(encoded)
        file.flush()
        reader = oiio.ImageInput.open(file.name, hint)
        assert reader is not None, oiio.geterror()
        pixels = reader.read_image(oiio.UINT8 if dtype == np.uint8 else oiio.UINT16)
        assert pixels is not None, reader.geterror()
        reader.close()
    return pixels


def chunks(encoded: bytes) -> list[tuple[bytes, bytes]]:
    found, place = [], 8
    while place < len(encoded):
        (length,) = struct.unpack(">I", encoded[place : place + 4])
        found.append((encoded[place + 4 : place + 8], encoded[place + 8 : place + 8 + length]))
        place += 12 + length
    return found


def test_bytes_do_not_depend_on_threads_and_declare_the_encoding() -> None:
    data = np.random.default_rng(5).integers(0, 40, (1500, 700, 3), dtype=np.uint8)
    one = encode(data, threads=1)
    assert one == encode(data, threads=2) == encode(data, threads=5)
    kinds = [kind for kind, _ in chunks(one)]
    assert kinds[0] == b"IHDR" and kinds[-1] == b"IEND" and kinds.count(b"IDAT") > 2
    # gAMA is 1/gamma × 100000: linear light is 100000 (PNG specification, third edition, 11.3.2.2).
    assert dict(chunks(one))[b"gAMA"] == struct.pack(">I", 100000)
    file = io.BytesIO()
    write_png(of_image(Image.of(data[:8])), file, "srgb")
    assert b"sRGB" in dict(chunks(file.getvalue()))


@given(st.binary(max_size=300), st.binary(max_size=300))
def test_adler_of_two_runs_is_combined_from_their_own(first: bytes, second: bytes) -> None:
    joined = _combine_adler(zlib.adler32(first), zlib.adler32(second), len(second))
    assert joined == zlib.adler32(first + second)


def test_floats_are_refused(tmp_path: Path) -> None:
    with pytest.raises(ValueError, match="8 or 16 bits"):
        encode(np.zeros((2, 2, 1), np.float32))
