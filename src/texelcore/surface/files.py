"""What is known of a source file."""

from __future__ import annotations

from typing import Literal

from texelcore.surface.documents import Document
from texelcore.surface.evidence import Evidence
from texelcore.surface.properties import Encoding, property_of
from texelcore.surface.sources import Source

ChannelName = Literal["R", "G", "B", "A", "Y"]


class ChannelRange(Document):
    """The smallest and largest canonical value (0–1 for integers) that a channel holds."""

    low: float
    high: float


class FileFacts(Document):
    """What is known of a source file without opening it again. `id` is how ledgers refer to it.

    `evidence` is None for files that were looked at before evidence was gathered.
    """

    id: Source
    path: str
    sha256: str
    bytes: int
    format: Literal["png", "jpeg", "webp", "tga", "tiff", "exr"]
    width: int
    height: int
    channels: tuple[ChannelName, ...]
    sample: Literal["u8", "u16", "f16", "f32"]
    ranges: dict[str, ChannelRange] = {}
    evidence: Evidence | None = None

    @property
    def name(self) -> str:
        """The file's name without folders."""
        return self.path.rsplit("/", 1)[-1]

    @property
    def is_float(self) -> bool:
        """Whether samples are half or float, and so may leave 0–1."""
        return self.sample in ("f16", "f32")


def whole_channels(facts: FileFacts, components: int) -> tuple[ChannelName, ...]:
    """The channels that a property of this many components takes from a whole file: RGB, or the first, or grey thrice."""
    colours = tuple(channel for channel in facts.channels if channel != "A")
    if components == 1:
        return colours[:1]
    return colours[:3] if len(colours) >= 3 else colours[:1] * components


def default_encoding(key: str, facts: FileFacts) -> Encoding:
    """How a file's values are read when nobody says: colour in integer files is sRGB, all else is linear (glTF 2.0)."""
    return "srgb" if property_of(key).colour and not facts.is_float else "linear"
