"""Readers and writers against other libraries, and every damaged file that the trade produces."""

from __future__ import annotations

import struct
import zlib
from collections.abc import Callable
from pathlib import Path

import numpy as np
import OpenEXR
import OpenImageIO as oiio
import pytest
import tifffile
from imagecodecs import jpeg8_encode, webp_encode
from PIL import Image as Pillow

from texelcore.pixels.errors import TexelError, UnreadableImage
from texelcore.pixels.image import Image
from texelcore.pixels.read import read
from texelcore.pixels.strips import StripSource, of_image
from texelcore.pixels.whole import damaged
from texelcore.pixels.write import write

RGBA = np.random.default_rng(7).integers(0, 256, (33, 21, 4), dtype=np.uint8)


def save(data: np.ndarray, kind: str, path: Path) -> Path:
    write(of_image(Image.of(data)), kind, "linear", path)  # type: ignore[arg-type]
    return path


@pytest.mark.parametrize("channels", [1, 3, 4])
def test_tga_and_tiff_are_read_alike_by_other_libraries(tmp_path: Path, channels: int) -> None:
    """Also that no library on the way multiplies colour by alpha: the alpha here is random, with zeros."""
    data = RGBA[:, :, :channels].copy()
    data[:4, :, -1] = 0
    tga, tiff = save(data, "tga", tmp_path / "a.tga"), save(data, "tiff", tmp_path / "a.tif")
    np.testing.assert_array_equal(np.asarray(Pillow.open(tga)).reshape(data.shape), data)
    np.testing.assert_array_equal(tifffile.imread(tiff).reshape(data.shape), data)
    np.testing.assert_array_equal(read(tga).data, data)
    np.testing.assert_array_equal(read(tiff).data, data)


@pytest.mark.parametrize(("alpha_bits", "channels"), [(0, "RGB"), (8, "RGBA")])
def test_a_tga_has_alpha_only_where_its_descriptor_counts_bits_for_it(tmp_path: Path, alpha_bits: int, channels: str) -> None:
    """TGA 2.0, field 5.6: bits 3 to 0 of the image descriptor are the number of alpha bits in a texel."""
    header = struct.pack("<BBBHHBHHHHBB", 0, 0, 2, 0, 0, 0, 0, 0, 4, 2, 32, 0x20 | alpha_bits)
    texels = np.arange(32, dtype=np.uint8).reshape(2, 4, 4)
    path = tmp_path / "old.tga"
    path.write_bytes(header + texels.tobytes())
    image = read(path)
    assert "".join(image.channels) == channels
    np.testing.assert_array_equal(image.data, texels[:, :, [2, 1, 0, 3][: len(channels)]])


@pytest.mark.parametrize("dtype", [np.float16, np.float32])
def test_openexr_keeps_half_and_float(tmp_path: Path, dtype: type) -> None:
    data = (np.random.default_rng(8).random((9, 17, 4)) * 40 - 3).astype(dtype)
    path = save(data, "exr", tmp_path / "a.exr")
    with OpenEXR.File(str(path)) as file:
        np.testing.assert_array_equal(file.channels()["RGBA"].pixels, data)
    assert read(path).sample == ("f16" if dtype is np.float16 else "f32")
    np.testing.assert_array_equal(read(path).data, data)


def test_other_programs_files_are_read_as_stored(tmp_path: Path) -> None:
    Pillow.fromarray(RGBA).save(tmp_path / "a.png")
    Pillow.fromarray(RGBA).quantize(16).save(tmp_path / "palette.png")
    Pillow.fromarray(RGBA[:, :, 0] > 90).save(tmp_path / "one_bit.png")
    tifffile.imwrite(tmp_path / "deep.tif", np.arange(12, dtype=np.uint16).reshape(3, 4) * 5000)
    # Named wrongly on purpose: what a file is, its first bytes say.
    (tmp_path / "photo.png").write_bytes(jpeg8_encode(RGBA[:, :, :3].copy(), level=95))
    (tmp_path / "a.webp").write_bytes(webp_encode(RGBA, lossless=True))
    np.testing.assert_array_equal(read(tmp_path / "a.png").data, RGBA)
    np.testing.assert_array_equal(read(tmp_path / "a.webp").data[RGBA[:, :, 3] > 0], RGBA[RGBA[:, :, 3] > 0])
    assert read(tmp_path / "palette.png").sample == "u8"
    np.testing.assert_array_equal(read(tmp_path / "one_bit.png").data[:, :, 0] > 0, RGBA[:, :, 0] > 90)
    assert read(tmp_path / "deep.tif").data[2, 3, 0] == 55000
    assert read(tmp_path / "photo.png").channels == ("R", "G", "B")


def claims_huge(path: Path) -> None:
    body = struct.pack(">IIBBBBB", 60000, 60000, 8, 2, 0, 0, 0)
    head = b"\x89PNG\r\n\x1a\n" + struct.pack(">I", 13) + b"IHDR" + body + struct.pack(">I", zlib.crc32(b"IHDR" + body))
    data = zlib.compress(b"\0" * 100)
    path.write_bytes(head + struct.pack(">I", len(data)) + b"IDAT" + data + struct.pack(">I", zlib.crc32(b"IDAT" + data)))


def cut(kind: str) -> Callable[[Path], None]:
    def make(path: Path) -> None:
        data = RGBA if kind != "exr" else RGBA.astype(np.float16)
        whole = save(np.tile(data, (8, 8, 1)), kind, path).read_bytes()
        path.write_bytes(whole[: len(whole) * 2 // 3])

    return make


def jpeg(path: Path, keep: float = 1.0, end: bytes = b"", claims: int = 0) -> None:
    """A JPEG of noise, of which a share is kept, with another end, or that claims to be larger than it is."""
    rng = np.random.default_rng(5)
    body = bytearray(jpeg8_encode(rng.integers(0, 255, (96, 96, 3), dtype=np.uint8), level=80))
    if claims:
        at = body.index(b"\xff\xc0") + 5
        body[at : at + 4] = struct.pack(">HH", claims, claims)
    path.write_bytes(bytes(body[: int(len(body) * keep)]) + end)


def frames(path: Path) -> None:
    """Two pictures in one file: pages of a TIFF, frames of a PNG or WebP."""
    first, second = (Pillow.fromarray(RGBA[:, :, :3] + np.uint8(shift)) for shift in (0, 7))
    first.save(path, save_all=True, append_images=[second])


def parts(path: Path) -> None:
    specs = [oiio.ImageSpec(4, 4, 3, oiio.HALF) for _ in range(2)]
    writer = oiio.ImageOutput.create(str(path))
    writer.open(str(path), tuple(specs))
    for number, spec in enumerate(specs):
        if number:
            writer.open(str(path), spec, "AppendSubimage")
        writer.write_image(np.ones((4, 4, 3), np.float16))
    writer.close()


def header_of_no_text(path: Path) -> None:
    whole = save(RGBA.astype(np.float16), "exr", path).read_bytes()
    path.write_bytes(whole.replace(b"box2i", b"b\xfex2i", 1))


BAD = {
    "most_of_it.jpg": (lambda path: jpeg(path, 0.73), "damaged or cut short"),
    "ended_early.jpg": (lambda path: jpeg(path, 0.73, b"\xff\xd9"), "damaged or cut short"),
    "claims.jpg": (lambda path: jpeg(path, claims=8000), "damaged or cut short"),
    "inks.jpg": (lambda path: Pillow.fromarray(RGBA, "CMYK").save(path), "four-ink"),
    "endless.png": (lambda path: path.write_bytes(save(RGBA, "png", path).read_bytes()[:-12]), "damaged or cut short"),
    "pages.tif": (frames, "several pages"),
    "frames.png": (frames, "an animation"),
    "frames.webp": (frames, "an animation"),
    "parts.exr": (parts, "several parts"),
    "words.exr": (header_of_no_text, "damaged or cut short"),
    "empty.png": (lambda path: path.write_bytes(b""), "is empty"),
    "text.png": (lambda path: path.write_text("not a picture, only words"), "not a picture"),
    "noise.tga": (lambda path: path.write_bytes(bytes(range(256)) * 4), "damaged or cut short"),
    "huge.png": (claims_huge, "60000 × 60000"),
    "cut.png": (cut("png"), "damaged or cut short"),
    "cut.tga": (cut("tga"), "damaged or cut short"),
    "cut.exr": (cut("exr"), "damaged or cut short"),
    "cut.tif": (cut("tiff"), "damaged or cut short"),
    "cut.jpg": (lambda path: path.write_bytes(jpeg8_encode(RGBA[:, :, :3].copy())[:300]), "damaged or cut short"),
}


def test_of_a_windowed_exr_the_whole_picture_is_read(tmp_path: Path) -> None:
    """The picture is the display window: data that cover less of it are placed in it, and what lies outside is left out."""
    spec = oiio.ImageSpec(6, 5, 3, oiio.HALF)
    spec.x, spec.y, spec.full_width, spec.full_height = -2, 3, 8, 6
    data = np.random.default_rng(2).random((5, 6, 3)).astype(np.float16)
    writer = oiio.ImageOutput.create(str(tmp_path / "w.exr"))
    writer.open(str(tmp_path / "w.exr"), spec)
    writer.write_image(data)
    writer.close()
    wanted = np.zeros((6, 8, 3), np.float16)
    wanted[3:, :4] = data[:3, 2:]
    np.testing.assert_array_equal(read(tmp_path / "w.exr").data, wanted)


def test_stray_bytes_harm_no_jpeg(tmp_path: Path) -> None:
    jpeg(tmp_path / "a.jpg", end=b"\0\0 some program's mark")
    assert read(tmp_path / "a.jpg").width == 96


@pytest.mark.parametrize("name", BAD)
def test_a_bad_file_is_refused_by_name_with_a_way_out(tmp_path: Path, name: str) -> None:
    make, expected = BAD[name]
    make(tmp_path / name)
    with pytest.raises(UnreadableImage) as refused:
        read(tmp_path / name)
    assert refused.value.subject == name
    assert expected in refused.value.problem
    assert refused.value.way_out
    assert str(tmp_path) not in str(refused.value)


@pytest.mark.parametrize("kind", ["png", "tga", "tiff", "exr"])
def test_a_flat_picture_is_not_taken_for_an_attack(tmp_path: Path, kind: str) -> None:
    """An all-white occlusion map compresses a thousandfold, and must be read all the same."""
    data = np.ones((2048, 2048, 1), np.float16) if kind == "exr" else np.full((2048, 2048, 1), 255, np.uint8)
    path = save(data, kind, tmp_path / f"white.{kind}")
    np.testing.assert_array_equal(read(path).data, data)


def test_a_write_that_fails_leaves_the_old_file_and_no_part(tmp_path: Path) -> None:
    place = save(RGBA, "png", tmp_path / "a.png")
    before = place.read_bytes()

    def breaks(start: int, stop: int) -> np.ndarray:
        if start > 0:
            raise RuntimeError("stop")
        return np.zeros((stop - start, 4096, 3), np.uint8)

    for kind in ("png", "tga"):
        with pytest.raises(RuntimeError):
            write(StripSource(4096, 4096, 3, "u8", breaks), kind, "linear", place)  # type: ignore[arg-type]
    assert place.read_bytes() == before
    assert [path.name for path in tmp_path.iterdir()] == ["a.png"]


def test_a_disk_that_refuses_is_named(tmp_path: Path) -> None:
    with pytest.raises(TexelError, match="could not be written"):
        save(RGBA, "png", tmp_path / "no such folder" / "a.png")
    with pytest.raises(TexelError, match="could not be written"):
        save(np.tile(RGBA, (60, 60, 1)), "png", Path("/dev/full/a.png"))


def test_what_a_library_repeats_of_a_damaged_file_can_be_printed_and_kept() -> None:
    said = damaged("a.tga", "unknown chunk \x00\x07\udc80 at\n\n 12")
    assert str(said) == "a.tga is damaged or cut short (unknown chunk at 12). Export or download it again."
