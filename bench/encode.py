"""Encoders side by side: how much each format loses and how fast it is made, by what we use and by other open encoders; and BC7
with mips on two cores against its library called by itself on one."""

from __future__ import annotations

import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import etcpak
import imagecodecs
import ispc_texcomp
import numpy as np

from texelcore.codecs.blocks import CODECS, ENCODER
from texelcore.codecs.mips import mip_levels
from texelcore.codecs.texture import encode
from texelcore.pixels.image import Image
from texelcore.pixels.read import read
from texelcore.surface.formats import FORMATS
from texelcore.surface.storage import Storage
from texeldemo.export import export_world

ROUNDS = int(sys.argv[1]) if len(sys.argv) > 1 else 3
KINDS = ("srgb", "srgb", "srgb")
EDGE = 1024
# What each format is measured on: a colour map, or a normal map's first channels.
ON_NORMALS = ("bc4", "bc5")
BLOCKS = ("bc1", "bc3", "bc4", "bc5", "bc7")


def seconds_of(work: Callable[[], object]) -> float:
    """Seconds that one call takes."""
    begun = time.perf_counter()
    work()
    return time.perf_counter() - begun


def demo_maps(folder: Path) -> dict[str, tuple[np.ndarray, np.ndarray]]:
    """RGBA of the colour and the normal map of three demo sets, the calmest, the liveliest and one between."""
    export_world(folder, EDGE)
    found = {}
    for name, colour, normal in (
        ("vault door", "vault_door/*BC*", "vault_door/*_N_*"),
        ("moss bed", "moss_bed/*diff*", "moss_bed/*nor*"),
        ("fern planter", "fern_planter/*olor*", "fern_planter/*ormal*"),
    ):
        pair = [next((folder / "glasshouse-nine").glob(pattern), None) for pattern in (colour, normal)]
        if all(pair):
            found[name] = tuple(solid(read(path).data[..., :3]) for path in pair if path)
    return found  # type: ignore[return-value]


def solid(pixels: np.ndarray) -> np.ndarray:
    """Eight-bit RGB with an alpha of one."""
    eight = pixels if pixels.dtype == np.uint8 else (pixels // 257).astype(np.uint8)
    return np.ascontiguousarray(np.dstack([eight, np.full(eight.shape[:2], 255, np.uint8)]))


def decoded(key: str, blocks: bytes, height: int, width: int) -> np.ndarray:
    """The channels that a format keeps, by a decoder that is no encoder's."""
    count = len(FORMATS[key].channels)  # type: ignore[index]
    shape = {1: (height, width), 2: (height, width, 2)}.get(count, (height, width, 4))
    return imagecodecs.bcn_decode(blocks, int(key[2:]), shape=shape).reshape(height, width, -1)[..., : min(count, 3)]


def others(key: str, texels: np.ndarray) -> dict[str, Callable[[], bytes]]:
    """Every encoder of a format that is installed, by its name."""
    height, width = texels.shape[:2]
    packed = np.ascontiguousarray(texels[..., : len(CODECS[key].takes)]).tobytes()
    whole = texels.tobytes()
    surface = ispc_texcomp.RGBASurface(whole if key not in ON_NORMALS else packed, width, height, len(packed) // height)
    found: dict[str, Callable[[], bytes]] = {}
    found["ours"] = lambda: CODECS[key].encode(packed, width, height)
    if key == "bc7":
        fast = ispc_texcomp.BC7EncSettings.from_profile("fast")
        found["ispc_texcomp, fast"] = lambda: ispc_texcomp.compress_blocks_bc7(surface, fast)
        for name in ("linear", "perceptual"):
            options = etcpak.BC7CompressBlockParams()
            getattr(options, f"init_{name}_weights")()
            found[f"etcpak, {name} weights"] = lambda options=options: etcpak.compress_bc7(whole, width, height, options)
    else:
        found["etcpak"] = lambda: getattr(etcpak, f"compress_{key}")(whole, width, height)
    return found


def side_by_side(maps: dict[str, tuple[np.ndarray, np.ndarray]]) -> None:
    """One table: for each format and encoder the error on each map, and the speed."""
    print(f"| format | encoder | {' | '.join(f'{name}, RMSE' for name in maps)} | Mtexel/s, one core |")
    print(f"| --- | --- | {' | '.join('---' for _ in maps)} | --- |")
    for key in BLOCKS:
        rows: dict[str, list[float]] = {}
        speed: dict[str, float] = {}
        for colour, normal in maps.values():
            texels = normal if key in ON_NORMALS else colour
            height, width = texels.shape[:2]
            for name, work in others(key, texels).items():
                after = decoded(key, work(), height, width).astype(float)
                rows.setdefault(name, []).append(float(np.sqrt(((after - texels[..., : after.shape[2]]) ** 2).mean())))
                best = min(seconds_of(work) for _ in range(ROUNDS))
                speed[name] = max(speed.get(name, 0.0), texels.shape[0] * texels.shape[1] / best / 1e6)
        for name, errors in rows.items():
            shown = f"**{name}** ({ENCODER})" if name == "ours" else name
            print(f"| {key.upper()} | {shown} | {' | '.join(f'{error:.2f}' for error in errors)} | {speed[name]:.1f} |")


def with_mips(image: Image) -> None:
    """BC7 with its whole chain, against another library alone."""
    levels = [solid(level) for level in mip_levels(image.data, KINDS) if min(level.shape[:2]) >= 4]
    options = etcpak.BC7CompressBlockParams()
    options.init_linear_weights()
    alone, ours = [], []

    def library() -> None:
        for level in levels:
            etcpak.compress_bc7(level.tobytes(), level.shape[1], level.shape[0], options)

    for _ in range(ROUNDS):
        alone.append(seconds_of(library))
        ours.append(seconds_of(lambda: encode(image, Storage(format="bc7", srgb=True), KINDS)))
    texels = sum(level.shape[0] * level.shape[1] for level in levels) / 1e6
    print(f"\nBC7, {image.width} × {image.height} with mips, {texels:.2f} megatexels, best of {ROUNDS}")
    for name, seconds in (("etcpak alone, one core, levels given", alone), ("ours, two threads, levels made", ours)):
        print(f"| {name} | {min(seconds):.2f} s | {texels / min(seconds):.2f} Mtexel/s | {min(alone) / min(seconds):.2f} × |")


def main() -> None:
    """Measure and print two tables."""
    with tempfile.TemporaryDirectory() as place:
        maps = demo_maps(Path(place))
    side_by_side(maps)
    with_mips(Image.of(np.ascontiguousarray(maps["moss bed"][0][..., :3])))


if __name__ == "__main__":
    main()
