"""How far a texture's levels are from the averages of its base, as that is stored: the one thing that a receiver can hold mips
against, since it has the base and the target's rule."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from texelcore.codecs.mips import MipChoice, MipKind, mip_levels
from texelcore.codecs.texture import Texture, decode
from texelcore.proof.figures import ChainLoss
from texelcore.proof.places import levels_apart, picked
from texelcore.surface.formats import FORMATS


def chain_losses(texture: Texture, channels: Sequence[str], kinds: tuple[MipKind, ...], choice: MipChoice) -> Iterator[ChainLoss]:
    """The figures of every level below the base. `channels` are those that the format keeps, `kinds` what each of them holds."""
    places = [FORMATS[texture.format].channels.index(channel) for channel in channels]
    if not places or len(texture.levels) == 1:
        return
    count = max(places) + 1
    made = mip_levels(picked(decode(texture, 0, count), places), kinds, True, choice)
    for level, pixels in enumerate(made):
        if level:
            stored = picked(decode(texture, level, count), places)
            for channel, (mean, p95, local) in zip(channels, levels_apart(pixels, stored), strict=True):
                yield ChainLoss(level=level, channel=channel, mean=round(mean, 4), p95=round(p95, 4), local=round(local, 4))
