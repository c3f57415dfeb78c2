"""Textures in blocks, judged by decoders that are not the encoder's: OpenImageIO, imagecodecs, texture2ddecoder."""

from __future__ import annotations

import ctypes
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from typing import get_args

import etcpak
import imagecodecs
import numpy as np
import OpenImageIO as oiio
import pytest
import texture2ddecoder
from hypothesis import given
from hypothesis import strategies as st
from ispc_texcomp import _ispc_texcomp
from skimage.color import deltaE_ciede2000, rgb2lab

from tests.conftest import examples
from texelcore.codecs.blocks import CODECS, _Surface
from texelcore.codecs.dds import read_dds, write_dds
from texelcore.codecs.interpolated import decode_interpolated
from texelcore.codecs.mips import halve, mip_levels
from texelcore.codecs.texture import Texture, decode, encode
from texelcore.pixels.errors import TexelError
from texelcore.pixels.image import Image
from texelcore.pixels.values import as_stored, as_values
from texelcore.surface.formats import FORMATS, TextureFormat, level_sizes, memory_of, of_dxgi
from texelcore.surface.storage import Storage
from texeldock.blocks import KNOWN

COLOUR = ("srgb", "srgb", "srgb", "data")
BLOCKS = tuple(CODECS)


def picture(width: int, height: int, channels: int = 4, seed: int = 3) -> Image:
    """Soft shapes with a little grain: what block formats are made for."""
    rng = np.random.default_rng(seed)
    y, x = np.mgrid[0:height, 0:width]
    waves = [128 + 90 * np.sin(x / (9 + 4 * at) + y / (17 - at)) for at in range(channels)]
    data = np.stack(waves, -1) + rng.normal(0, 2, (height, width, channels))
    return Image.of(data.clip(0, 255).astype(np.uint8))


def levels(texture: Texture, level: int = 0) -> np.ndarray:
    """What a texture holds, where 255 is the most: of interpolated formats between whole levels too."""
    return as_values(decode(texture, level)) * 255


def test_the_table_of_formats_is_whole() -> None:
    """Whoever adds a row has the rest told here: a codec for its blocks, numbers that no other row has, and what the dock, which
    has a table of its own on purpose, knows of it."""
    assert tuple(FORMATS) == get_args(TextureFormat)
    assert set(CODECS) == {key for key, form in FORMATS.items() if form.is_blocks}
    named = [(key, names is form.srgb, names) for key, form in FORMATS.items() for names in (form.linear, form.srgb) if names]
    assert len({names.dxgi for *_, names in named}) == len({names.khronos for *_, names in named}) == len(named)
    for key, srgb, names in named:
        form = FORMATS[key]
        assert of_dxgi(names.dxgi) == (form, srgb)
        assert KNOWN[names.dxgi] == (key, srgb, form.channels, form.unit)
        assert ("_SRGB" in names.khronos) == srgb and names.khronos.endswith("_BLOCK") == form.is_blocks


@pytest.mark.parametrize("key", FORMATS)
def test_every_format_gives_back_what_went_in(key: TextureFormat) -> None:
    """Whatever a row stores: sizes by its formula, values near what they were; plain formats hold them exactly."""
    form = FORMATS[key]
    for sample in form.takes:
        grey = picture(13, 7, len(form.channels)).data.astype(np.float64) / 255
        data = as_stored(grey.astype(np.float32), sample)
        texture = encode(Image(data, tuple(form.channels)), Storage(format=key), ("data",) * len(form.channels))
        assert [len(level) for level in texture.levels] == [form.level_bytes(*size) for size in level_sizes(13, 7, True)]
        apart = np.abs(as_values(decode(texture)).astype(np.float64) - as_values(data))
        assert apart.max() < (0.05 if form.is_blocks else 1e-9)


@pytest.mark.parametrize("size", [(1, 1), (3, 5), (1, 4096), (64, 32)])
@pytest.mark.parametrize("key", BLOCKS)
def test_a_dds_file_reads_alike_in_three_decoders(tmp_path: Path, key: str, size: tuple[int, int]) -> None:
    image, form = picture(*size), FORMATS[key]
    srgb = form.srgb is not None
    texture = encode(image, Storage(format=key, srgb=srgb), COLOUR)
    path = tmp_path / "t.dds"
    path.write_bytes(write_dds(texture))
    assert read_dds(path.read_bytes(), "t.dds") == texture

    reader = oiio.ImageInput.open(str(path))
    spec = reader.spec()
    assert (spec.width, spec.height) == size and spec.get_int_attribute("oiio:miplevels", 1) == len(texture.levels)
    assert ("srgb" in spec.get_string_attribute("oiio:ColorSpace")) == srgb
    # How 5 and 6 bits are widened and ends interpolated may be rounded either way (Direct3D 11 functional specification).
    slack = 2 if key in ("bc1", "bc3") else 1
    number = {"bc1": 1, "bc3": 3, "bc4": 4, "bc5": 5, "bc7": 7}[key]
    for level, (width, height) in enumerate(level_sizes(*size, True)):
        ours = levels(texture, level)
        theirs = reader.read_image(0, level, 0, spec.nchannels, "uint8")[..., : ours.shape[2]].reshape(ours.shape)
        assert np.abs(theirs - ours).max() <= slack
        if width % 4 == 0 and height % 4 == 0:
            shape = (height, width) if len(form.channels) == 1 else (height, width, 2 if key == "bc5" else 4)
            other = imagecodecs.bcn_decode(texture.levels[level], number, shape=shape).reshape(height, width, -1)
            assert np.abs(other[..., : ours.shape[2]].astype(int) - ours).max() <= slack


def as_the_eye_weighs(texels: bytes, width: int, height: int) -> bytes:
    """BC7 by etcpak, whose own default is to weigh errors as the eye does."""
    options = etcpak.BC7CompressBlockParams()
    options.init_perceptual_weights()
    return etcpak.compress_bc7(texels, width, height, options)


def test_colour_in_bc7_is_nearer_to_what_was_meant_than_where_errors_are_weighed_as_the_eye_does() -> None:
    """By ΔE2000, which is the eye's own measure, as well as by plain error."""
    image = picture(256, 256)
    image.data[..., 3] = 255
    ours = encode(image, Storage(format="bc7", mips=False, srgb=True), COLOUR)
    theirs = replace(ours, levels=(as_the_eye_weighs(image.data.tobytes(), 256, 256),))
    meant = rgb2lab(image.data[..., :3])
    seen = [deltaE_ciede2000(meant, rgb2lab(decode(one)[..., :3])).mean() for one in (ours, theirs)]
    plain = [np.sqrt(((levels(one) - image.data) ** 2).mean()) for one in (ours, theirs)]
    assert seen[0] < 0.95 * seen[1] and plain[0] < 0.85 * plain[1]


def test_blocks_are_the_same_on_every_processor_and_better_than_another_open_encoder_makes_them() -> None:
    """Measured on soft shapes with grain: error of BC1 and BC5 beside etcpak's, by imagecodecs' decoder."""
    image = picture(256, 256)
    for key, channels, gain in (("bc1", 3, 0.8), ("bc5", 2, 0.9)):
        ours = encode(image, Storage(format=key, mips=False), ("data",) * 4)
        theirs = replace(ours, levels=(getattr(etcpak, f"compress_{key}")(image.data.tobytes(), 256, 256),))
        wrong = [np.sqrt(((levels(one) - image.data[..., :channels]) ** 2).mean()) for one in (ours, theirs)]
        assert wrong[0] < gain * wrong[1], (key, wrong)
        # What the library chooses by itself on this processor may be the newest instructions, and other bytes: not what we call.
        texels = np.ascontiguousarray(image.data[..., : 4 if key == "bc1" else 2]).tobytes()
        assert CODECS[key].encode(texels, 256, 256) == ours.levels[0]
    library = ctypes.CDLL(str(Path(_ispc_texcomp.__file__)))
    if hasattr(library, "CompressBlocksBC1_ispc_sse4"):
        surface = _Surface(image.data.tobytes(), 256, 256, 1024)
        out = ctypes.create_string_buffer(256 * 256 // 2)
        library.CompressBlocksBC1_ispc_sse4(ctypes.byref(surface), out)
        assert out.raw == CODECS["bc1"].encode(image.data.tobytes(), 256, 256)


@pytest.mark.parametrize("key", BLOCKS)
def test_the_second_decoder_reads_alike_but_for_what_it_cuts_off(key: str) -> None:
    """texture2ddecoder cuts interpolated BC1 and BC3 colours off where imagecodecs rounds them: up to two levels low."""
    image = picture(64, 64)
    texture = encode(image, Storage(format=key, mips=False), COLOUR)
    read = getattr(texture2ddecoder, f"decode_{key}")(texture.levels[0], 64, 64)
    bgra = np.frombuffer(read, np.uint8).reshape(64, 64, 4)
    theirs = bgra[..., ["BGRA".index(channel) for channel in FORMATS[key].channels]].astype(int)
    apart = levels(texture) - theirs
    assert np.abs(apart).max() <= (2 if key in ("bc1", "bc3") else 1)
    if key in ("bc1", "bc3"):
        assert 0 <= apart[..., :3].mean() < 1.4


def test_levels_of_normals_are_averages_of_the_base() -> None:
    """Averages of averages that were renormalised on the way are up to 13° off: short ones would count as much as long ones."""
    rng = np.random.default_rng(5)
    vectors = rng.normal(size=(64, 64, 3)) * [1, 1, 0.4]
    vectors[:, :32] = [0.7, 0, 0.7]
    vectors[..., 2] = np.abs(vectors[..., 2]) + 0.05
    vectors /= np.linalg.norm(vectors, axis=-1, keepdims=True)
    stored = np.asarray((vectors * 0.5 + 0.5) * 65535 + 0.5, np.uint16)
    for level, made in enumerate(mip_levels(stored, NORMAL)):
        step = 2**level
        mean = (stored / 65535 * 2 - 1).reshape(64 // step, step, 64 // step, step, 3).mean((1, 3))
        true = mean / np.linalg.norm(mean, axis=-1, keepdims=True)
        found = made / 65535 * 2 - 1
        assert np.degrees(np.arccos(np.clip((found * true).sum(-1) / np.linalg.norm(found, axis=-1), -1, 1))).max() < 0.02


def test_header_numbers_are_those_of_the_published_list(tmp_path: Path) -> None:
    """Microsoft's DXGI_FORMAT: BC7_UNORM is 98, BC7_UNORM_SRGB 99, BC5_UNORM 83; the header is 4 + 124 + 20 bytes."""
    for key, srgb, number in (("bc7", True, 99), ("bc7", False, 98), ("bc5", False, 83), ("bc1", True, 72), ("r16", False, 56)):
        image = picture(8, 8) if key != "r16" else Image.of(np.zeros((8, 8), np.uint16))
        kinds = COLOUR if key != "r16" else ("data",)
        data = write_dds(encode(image, Storage(format=key, srgb=srgb, mips=False), kinds))
        assert int.from_bytes(data[128:132], "little") == number and data[:4] == b"DDS " and data[84:88] == b"DX10"
        assert len(data) == 148 + FORMATS[key].level_bytes(8, 8)
    with pytest.raises(ValueError, match="no sRGB variant"):
        Storage(format="bc5", srgb=True)


def test_bits_and_memory_are_those_of_the_specification() -> None:
    """Khronos Data Format specification: BC1 and BC4 take 4 bits a texel, BC3, BC5 and BC7 take 8; a chain costs 4/3."""
    assert [FORMATS[key].bits_per_texel for key in BLOCKS] == [4, 8, 4, 8, 8]
    assert memory_of("bc7", 2048, 2048, False) == 2048 * 2048
    assert memory_of("bc7", 2048, 2048, True) == pytest.approx(2048 * 2048 * 4 / 3, rel=1e-4)


def test_threads_give_the_bytes_of_one_call() -> None:
    image = picture(512, 512)
    shares: list[float] = []
    made = [encode(image, Storage(format="bc7", mips=False), COLOUR, shares.append, threads=threads) for threads in (1, 3)]
    assert made[0] == made[1] and made[0].levels[0] == CODECS["bc7"].encode(image.data.tobytes(), 512, 512)
    assert shares[: len(shares) // 2] == shares[len(shares) // 2 :] == sorted({*shares}) and shares[-1] == 1.0 and len(shares) > 2


@given(st.integers(1, 40), st.integers(1, 40), st.integers(0, 2**32 - 1))
@examples(30)
def test_halving_keeps_the_mean_whatever_the_size(width: int, height: int, seed: int) -> None:
    values = np.random.default_rng(seed).random((height, width, 1)).astype(np.float32)
    level = values
    while level.shape[:2] != (1, 1):
        level = halve(level)
    # A chain of fair shares ends at the mean of all texels, but for what rounding a size down cuts twice.
    if width & (width - 1) == 0 and height & (height - 1) == 0:
        assert level[0, 0, 0] == pytest.approx(values.mean(), abs=1e-5)
    assert halve(values).mean() == pytest.approx(values.mean(), abs=1e-5)


NORMAL = ("normal x", "normal y", "normal z")


@given(st.integers(0, 2**32 - 1), st.sampled_from((4, 8, 7, 12)))
@examples(20)
def test_normals_are_averaged_alike_however_they_are_stored(seed: int, edge: int) -> None:
    """Half floats store (n + 1) / 2 as integers do; two components say what three do."""
    vectors = np.random.default_rng(seed).normal(size=(edge, edge, 3))
    vectors[..., 2] = np.abs(vectors[..., 2]) + 0.2
    stored = vectors / np.sqrt((vectors**2).sum(-1, keepdims=True)) * 0.5 + 0.5
    whole = [level / 65535 for level in mip_levels(np.asarray(stored * 65535 + 0.5, np.uint16), NORMAL)]
    halves = list(mip_levels(stored.astype(np.float16), NORMAL))
    two = list(mip_levels(np.asarray(stored[..., :2] * 65535 + 0.5, np.uint16), NORMAL[:2]))
    turned = list(mip_levels(np.asarray(stored[..., ::-1] * 65535 + 0.5, np.uint16), NORMAL[::-1]))
    for first, half, pair, other in zip(whole, halves, two, turned, strict=True):
        assert np.abs(first - half).max() < 0.004
        assert np.abs(first[..., :2] - pair / 65535).max() < 0.001
        assert np.abs(first - other[..., ::-1] / 65535).max() < 0.001


def test_colour_counts_by_how_much_of_it_is_there() -> None:
    # Black that nobody sees, around white leaves: the mips of the leaves stay white.
    leaves = np.zeros((8, 8, 4), np.uint8)
    leaves[::2, ::2] = 255
    levels = list(mip_levels(leaves, ("srgb", "srgb", "srgb", "coverage")))
    assert all((level[level[..., 3] > 0][:, :3] == 255).all() for level in levels)
    # Where nothing is there at all, the plain average stands.
    hidden = np.full((4, 4, 4), [90, 90, 90, 0], np.uint8)
    assert all((level[..., 0] == 90).all() for level in mip_levels(hidden, ("srgb", "srgb", "srgb", "coverage")))


@given(st.integers(0, 2**32 - 1), st.floats(0.05, 0.95))
@examples(20)
def test_cut_outs_keep_their_coverage(seed: int, share: float) -> None:
    """Castaño, Computing Alpha Mipmaps (2010): as large a share passes the cut in every level, to the nearest texel, and
    after blocks as well."""
    noise = np.random.default_rng(seed).random((32, 32, 1))
    leaves = np.asarray(noise < share, np.uint8) * np.uint8(255)
    made = list(mip_levels(leaves, ("coverage",)))
    coloured = Image.of(np.concatenate([picture(32, 32, 3).data, leaves], -1))
    blocks = [encode(coloured, Storage(format=key, srgb=True), (*COLOUR[:3], "coverage")) for key in ("bc3", "bc7")]
    for number, level in enumerate(made):
        solid = np.count_nonzero(level >= 128) / level.size
        assert abs(solid - np.mean(noise < share)) <= (0.5 / level.size if level.size > 1 else 1)
        for texture in blocks:
            assert np.mean(levels(texture, number)[..., 3] > 127.5) == solid, (texture.format, number)

    # What is see-through by degrees is no cut-out, and is averaged as it is.
    *_, last = mip_levels(np.asarray(noise * 255, np.uint8), ("coverage",))
    assert abs(int(last[0, 0, 0]) - noise.mean() * 255) < 2


def test_leaves_that_are_too_fine_for_a_level_are_spread_out_in_it() -> None:
    """Where all texels of a level are alike, none or all would pass; of a quarter that was solid a quarter stays, all over it."""
    dots = np.zeros((64, 64, 1), np.uint8)
    dots[::2, ::2] = 255
    for level in mip_levels(dots, ("coverage",)):
        if (edge := level.shape[0]) >= 8:
            parts = (level >= 128).reshape(4, edge // 4, 4, edge // 4).mean((1, 3))
            assert np.abs(parts - 0.25).max() <= 1 / (edge // 4) ** 2


def test_mips_respect_meaning() -> None:
    board = np.zeros((64, 64, 4), np.uint8)
    board[(np.indices((64, 64)).sum(0) % 2) == 1] = 255
    *_, last = mip_levels(board, COLOUR)
    # IEC 61966-2-1: half the light of white is stored as 188; half of data is 128.
    assert last[0, 0].tolist() == [188, 188, 188, 128]
    # Slopes to both sides cancel out; a direction stays a direction.
    tilted = np.full((4, 4, 3), [218, 128, 218], np.uint8)
    tilted[:, ::2, 0] = 37
    for level in mip_levels(tilted, NORMAL):
        vectors = level / 255 * 2 - 1
        assert np.abs(np.sqrt((vectors**2).sum(-1)) - 1).max() < 0.02
    assert level[0, 0].tolist() == [128, 128, 255]


SPOILED = {
    "cut off in its header": lambda data: data[:100],
    "another magic number": lambda data: b"X" + data[1:],
    "a byte short": lambda data: data[:-1],
    "a byte long": lambda data: data + b"1",
    "an unknown format": lambda data: data[:128] + b"\xff" + data[129:],
    "a vast size": lambda data: data[:12] + b"\xff" * 8 + data[20:],
}


@pytest.mark.parametrize("spoil", SPOILED.values(), ids=SPOILED)
def test_a_damaged_file_is_refused_by_name(spoil: object) -> None:
    data = write_dds(encode(picture(8, 8), Storage(format="bc7"), COLOUR))
    with pytest.raises(TexelError, match="seen\\.dds"):
        read_dds(spoil(data), "seen.dds")  # type: ignore[operator]


def exactly(block: bytes) -> list[Fraction]:
    """The sixteen values of a BC4 block as levels, by the formulas of the Khronos Data Format specification 1.4, 19.4."""
    first, second = block[0], block[1]
    bits = int.from_bytes(block[2:8], "little")
    found = []
    for texel in range(16):
        index = bits >> 3 * texel & 7
        if index < 2:
            found.append(Fraction((first, second)[index]))
        elif first > second:
            found.append(Fraction((8 - index) * first + (index - 1) * second, 7))
        else:
            between = Fraction((6 - index) * first + (index - 1) * second, 5)
            found.append({6: Fraction(0), 7: Fraction(255)}.get(index, between))
    return found


@given(block=st.binary(min_size=8, max_size=8))
def test_interpolated_values_are_what_the_specification_says_and_no_whole_levels(block: bytes) -> None:
    read = decode_interpolated(block, 4, 4).reshape(-1)
    wanted = exactly(block)
    assert all(abs(Fraction(int(value), 257) - level) <= Fraction(1, 500) for value, level in zip(read, wanted, strict=True))
    # Two libraries give whole levels: each is at most one below, or half a level beside.
    image = imagecodecs.bcn_decode(block, 4, shape=(4, 4)).reshape(-1)
    other = np.frombuffer(texture2ddecoder.decode_bc4(block, 4, 4), np.uint8).reshape(-1, 4)[:, 2]
    for value, one, two in zip(wanted, image, other, strict=True):
        assert abs(value - int(one)) <= 1 and abs(value - int(two)) <= 1


@pytest.mark.parametrize(("key", "channels"), [("bc4", 1), ("bc5", 2), ("bc3", 4)])
def test_both_halves_and_alpha_are_read_between_levels(key: str, channels: int) -> None:
    rng = np.random.default_rng(7)
    pixels = (rng.random((11, 9, channels)) * 40 + 100).astype(np.uint8)
    texture = encode(Image.of(pixels), Storage(format=key, srgb=False, mips=False), ("data",) * channels)
    read = decode(texture)
    blocks = np.frombuffer(texture.levels[0], np.uint8).reshape(3, 3, -1)
    places = {"bc4": {0: 0}, "bc5": {0: 0, 1: 8}, "bc3": {3: 0}}[key]
    for channel, offset in places.items():
        for row, column in np.ndindex(3, 3):
            part = read[row * 4 : row * 4 + 4, column * 4 : column * 4 + 4, channel]
            wanted = np.array([float(value) for value in exactly(blocks[row, column, offset : offset + 8].tobytes())])
            assert np.abs(part / 257 - wanted.reshape(4, 4)[: part.shape[0], : part.shape[1]]).max() < 0.002
