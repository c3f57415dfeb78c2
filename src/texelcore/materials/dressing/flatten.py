"""A variant flattened into maps: its layers, masks and paint become one plain surface, as source files of a set of its own.

Maps are canonical: base colour and emissive encoded as sRGB, normals +Y and height with 16 bits, all else linear.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from texelcore.colour.srgb import from_linear
from texelcore.pixels.image import Image
from texelcore.pixels.strips import of_image
from texelcore.pixels.values import as_stored
from texelcore.pixels.write import SUFFIXES, FileFormat, write
from texelcore.surface.files import FileFacts
from texelcore.surface.ledger import Ledger, Row
from texelcore.surface.properties import Encoding, NormalY, property_of

Floats = NDArray[np.float32]


@dataclass(frozen=True)
class FlatMap:
    """One map of a flattened surface: its property, its pixels as they are stored, and how they are to be read."""

    property: str
    image: Image
    encoding: Encoding
    file_format: FileFormat

    def file_name(self, stem: str) -> str:
        """What its file is called after a stem: “deck_baked_base_colour.png”."""
        return f"{stem}_{self.property}{SUFFIXES[self.file_format]}"


def flat_maps(surface: Mapping[str, Floats]) -> list[FlatMap]:
    """The maps of a baked surface, as `gltf.bake` gives it. Opacity that is whole, and emissive that is dark everywhere, make
    none; nor does what no set has a place for. Height makes one where the master gives it and it is not the same
    everywhere: no set of it had any then. Emissive above 1 keeps its strength, as half floats."""
    found = [_map(key, surface[key]) for key in ("base_colour", "normal", "roughness", "metallic", "occlusion")]
    if float(surface["opacity"].min()) < 1:
        found.append(_map("opacity", surface["opacity"]))
    if float(surface["emissive"].max()) > 0:
        found.append(_map("emissive", surface["emissive"]))
    if "height" in surface and np.ptp(surface["height"]) > 0:
        found.append(_map("height", surface["height"]))
    return found


def _map(key: str, values: Floats) -> FlatMap:
    if key == "emissive" and float(values.max()) > 1:
        return FlatMap(key, Image.of(np.clip(values, 0, 65504).astype(np.float16)), "linear", "exr")
    if key in ("base_colour", "emissive"):
        encoded = from_linear(np.clip(values, 0, 1).astype(np.float64))
        return FlatMap(key, Image.of(as_stored(encoded, "u8")), "srgb", "png")
    if key == "normal":
        return FlatMap(key, Image.of(as_stored(values * 0.5 + 0.5, "u16")), "linear", "png")
    # Steps of eight bits are seen in a height: it is moved by, and lit by its slopes.
    return FlatMap(key, Image.of(as_stored(np.clip(values, 0, 1), "u16" if key == "height" else "u8")), "linear", "png")


def write_flat(flat: FlatMap, destination: Path) -> None:
    """Write a map's file. Raises TexelError when it cannot be written."""
    write(of_image(flat.image), flat.file_format, flat.encoding, destination)


def flat_ledger(name: str, maps: Mapping[str, tuple[FlatMap, FileFacts]], why: str) -> Ledger:
    """The ledger of a flattened surface: each map by its property, with the facts of its file. Nothing in it is guessed."""
    rows = []
    for key, (entry, facts) in maps.items():
        channels = facts.channels[: len(property_of(key).components)]
        direction: NormalY | None = "+Y" if key == "normal" else None
        rows.append(
            Row(
                property=key,
                file=facts.id,
                channels=channels,
                encoding=entry.encoding,
                normal_y=direction,
                sure="by hand",
                why=why,
            )
        )
    return Ledger(name=name, rows=tuple(rows))
