"""How an engine stores a texture: block format, sRGB flag, mips. Pure data; the codecs carry it out."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict, model_validator

TextureFormat = Literal[
    "bc1", "bc3", "bc4", "bc5", "bc7", "r8", "rg8", "rgba8", "r16", "rgba16", "r16f", "rgba16f", "r32f", "rgba32f"
]
WITH_SRGB: tuple[TextureFormat, ...] = ("bc1", "bc3", "bc7", "rgba8")
# What samples each format takes: blocks round 16 bits to 8, plain formats hold just their own.
BLOCKS: tuple[TextureFormat, ...] = ("bc1", "bc3", "bc4", "bc5", "bc7")
PLAIN: dict[TextureFormat, str] = {
    "r8": "u8",
    "rg8": "u8",
    "rgba8": "u8",
    "r16": "u16",
    "rgba16": "u16",
    "r16f": "f16",
    "rgba16f": "f16",
    "r32f": "f32",
    "rgba32f": "f32",
}


def takes(key: TextureFormat, sample: str) -> bool:
    """Whether a format can store samples of this type ("u8", "u16", "f16" or "f32")."""
    return sample in ("u8", "u16") if key in BLOCKS else PLAIN[key] == sample


class Storage(BaseModel):
    """A texture's format, whether the engine decodes it as sRGB when it samples, and whether it carries a mip chain."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    format: TextureFormat
    srgb: bool = False
    mips: bool = True

    @model_validator(mode="after")
    def _exists(self) -> Storage:
        if self.srgb and self.format not in WITH_SRGB:
            raise ValueError(f"{self.format.upper()} has no sRGB variant")
        return self


class StorageChoice(BaseModel):
    """A set's own storage for one output of one target, instead of what the target says."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    target: str
    output: str
    storage: Storage
