"""How an engine stores a texture: block format, sRGB flag, mips. Pure data; the codecs carry it out."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict, model_validator

from texelcore.surface.formats import FORMATS, TextureFormat


class Storage(BaseModel):
    """A texture's format, whether the engine decodes it as sRGB when it samples, and whether it carries a mip chain."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    format: TextureFormat
    srgb: bool = False
    mips: bool = True

    @model_validator(mode="after")
    def _exists(self) -> Storage:
        if self.srgb and not FORMATS[self.format].srgb:
            raise ValueError(f"{FORMATS[self.format].title} has no sRGB variant")
        return self


class StorageChoice(BaseModel):
    """A set's own storage for one output of one target, instead of what the target says."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    target: str
    output: str
    storage: Storage
