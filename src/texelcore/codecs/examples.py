"""DDS textures that an engine has, as pictures that can be looked at, with what their headers say of their storage."""

from __future__ import annotations

from pathlib import Path

from texelcore.codecs.dds import read_dds
from texelcore.codecs.texture import decode
from texelcore.pixels.image import Image
from texelcore.pixels.strips import of_image
from texelcore.pixels.values import as_stored, as_values
from texelcore.pixels.write import FileFormat, write
from texelcore.surface.formats import FORMATS
from texelcore.surface.storage import Storage


def unpack_dds(path: Path, name: str, folder: Path) -> tuple[Path, Storage]:
    """Write the largest level of a DDS file as a picture into `folder`: its place, and how the header says that it is stored. Two
    channels are a normal without its third: blue is left black.

    Raises TexelError for anything that is not a whole texture in a known format with a DX10 header.
    """
    texture = read_dds(path.read_bytes(), name)
    pixels, form = decode(texture), FORMATS[texture.format]
    if form.sample == "u8":
        # What lies between levels is of the blocks, not of what went into them.
        pixels = as_stored(as_values(pixels), "u8")
    kept = form.channels
    if len(kept) == 2:
        import numpy as np

        pixels = np.concatenate([pixels, np.zeros_like(pixels[:, :, :1])], axis=2)
    image = Image.of(pixels)
    kind: FileFormat = "exr" if image.sample in ("f16", "f32") else "png"
    made = folder / f"{path.stem}.{kind}"
    write(of_image(image), kind, "srgb" if texture.srgb else "linear", made)
    return made, Storage(format=texture.format, srgb=texture.srgb, mips=len(texture.levels) > 1)
