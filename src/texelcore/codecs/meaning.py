"""What a target says of an output's channels, as far as its mips are concerned."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from texelcore.codecs.mips import MipChoice, MipKind
from texelcore.surface.formats import FORMATS, TextureFormat, texture_channel
from texelcore.surface.properties import property_of
from texelcore.targets.document import TargetOutput

# A channel's property, which of its components, and whether it is stored as one minus its value.
Meant = tuple[str, int, bool]


def kinds_of(channels: Iterable[Meant], encoding: str) -> tuple[MipKind, ...]:
    """How channels are averaged: by their meaning, whatever flag the texture carries."""
    return tuple(_kind_of(*channel, encoding) for channel in channels)


def kept_kinds(format: TextureFormat | str, kinds: Mapping[str, MipKind]) -> tuple[str, tuple[MipKind, ...]]:
    """The channels of an output that a format keeps, in its order, and what each of them holds."""
    held = {texture_channel(channel): kind for channel, kind in kinds.items()}
    names = "".join(name for name in FORMATS[format].channels if name in held)  # type: ignore[index]
    return names, tuple(held[name] for name in names)


def mip_choice(output: TargetOutput) -> MipChoice:
    """How a target wants an output's mips made."""
    cutout = None if output.alpha_mode == "as found" else output.alpha_mode == "cut-out"
    return MipChoice(output.mip_filter, output.threshold, cutout)


def _kind_of(key: str, component: int, inverted: bool, encoding: str) -> MipKind:
    if key == "normal":
        kinds: tuple[MipKind, ...] = ("normal x", "normal y", "normal z")
        return kinds[component]
    if key == "opacity":
        # What is stored inverted is no coverage: most of it would be where nothing is.
        return "data" if inverted else "coverage"
    if property_of(key).colour:
        return "srgb" if encoding == "srgb" else "light"
    return "data"
