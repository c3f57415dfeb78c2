"""A proof: an output encoded for real, decoded again, and measured against what went in."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass

from texelcore.building.plan import PlannedOutput
from texelcore.codecs.blocks import encoder_of
from texelcore.codecs.dds import Alpha, write_dds
from texelcore.codecs.meaning import kept_kinds, kinds_of, mip_choice
from texelcore.codecs.mips import MipChoice, MipKind, mip_levels
from texelcore.codecs.texture import ENCODER_VERSION, encode_levels
from texelcore.pixels.errors import TexelError
from texelcore.pixels.image import Image, Pixels
from texelcore.proof.chain import chain_losses
from texelcore.proof.compare import compare, read_back
from texelcore.proof.figures import Figures, Loss
from texelcore.surface.formats import FORMATS
from texelcore.targets.document import TargetChannel

# Raised when the measuring changes, so that old figures are not taken for new ones.
MEASURE_VERSION = 4


@dataclass(frozen=True)
class Proved:
    """A proof's figures and the encoded file's bytes."""

    figures: Figures
    dds: bytes


def prove(
    planned: PlannedOutput,
    built: Image | Callable[[], Image],
    tell: Callable[[float], None] = lambda share: None,
    threads: int = 2,
) -> Proved:
    """Encode a built output as its plan's storage says, decode every level with another library, and measure it.

    `built` is the output, or what reads it: a large one is then held no longer than it is needed. `tell` hears the share done
    (0–1) and may raise to stop. Raises TexelError for a format that cannot store the output.
    """
    problem = storage_problem(planned)
    if problem:
        raise TexelError(planned.file_name, problem, "Choose another format for this output.")
    built = built() if callable(built) else built
    kinds = mip_kinds(planned)
    levels: list[Pixels] = []
    made = _noting(mip_levels(built.data, kinds, planned.storage.mips, mip_choice(planned.output)), levels)
    texture = encode_levels(made, built, planned.storage, lambda share: tell(share * 0.7), threads)
    measured = []
    losses: tuple[Loss, ...] = ()
    for index, level in enumerate(levels):
        found, lost = compare(read_back(planned, texture, Image(level, built.channels), index), index)
        measured.append(found)
        losses = losses or lost
        # Each level has a quarter of the texels of the one before.
        tell(0.9 - 0.2 * 0.25 ** (index + 1))
    base, *below = measured
    width, height = built.width, built.height
    held = dict(zip(built.channels, kinds, strict=True))
    # What is left to be measured needs the texture alone.
    levels.clear()
    del built, level
    names, kept = kept_kinds(planned.storage.format, held)
    chain = tuple(chain_losses(texture, names, kept, mip_choice(planned.output)))
    data = write_dds(texture, alpha_of(planned))
    tell(1.0)
    figures = Figures(
        output=planned.key,
        width=width,
        height=height,
        storage=planned.storage,
        levels=len(texture.levels),
        bytes=len(data),
        memory=texture.memory,
        bits_per_texel=FORMATS[planned.storage.format].bits_per_texel,
        normal=base.normal,
        colours=base.colours,
        data=base.data,
        below=tuple(below),
        losses=losses,
        chain=chain,
    )
    return Proved(figures, data)


def _noting(levels: Iterable[Pixels], notes: list[Pixels]) -> Iterator[Pixels]:
    """Pass levels on as they are made, and keep them."""
    for level in levels:
        notes.append(level)
        yield level


def alpha_of(planned: PlannedOutput) -> Alpha:
    """What a texture's header is to say of alpha: coverage, something else of ours, or nothing."""
    if not any(channel.channel == "A" for channel in planned.channels):
        return "opaque"
    kinds = dict(zip((channel.channel for channel in planned.channels), mip_kinds(planned), strict=True))
    return "straight" if kinds["A"] == "coverage" else "custom"


def proof_key(planned: PlannedOutput) -> str:
    """SHA-256 over all that a proof depends on: the output's own content key, its storage, and the encoder with its version."""
    meanings = ",".join(f"{channel.channel}={channel.property}" for channel in planned.channels)
    versions = f"encoder {ENCODER_VERSION} {encoder_of(planned.storage.format)} measure {MEASURE_VERSION}"
    text = f"{versions}\n{planned.content_key}\n{planned.storage.model_dump_json()}\n{meanings}"
    if (choice := mip_choice(planned.output)) != MipChoice():
        text += f"\n{choice}"
    return hashlib.sha256(text.encode()).hexdigest()


def storage_problem(planned: PlannedOutput) -> str | None:
    """Why a format cannot store an output at all: its sample type. None when it can."""
    sample = planned.output.sample
    if sample in FORMATS[planned.storage.format].takes:
        return None
    words = {"u8": "8-bit", "u16": "16-bit", "f16": "half-float", "f32": "float"}
    return f"has {words[sample]} samples, which {FORMATS[planned.storage.format].title} cannot store."


def mip_kinds(planned: PlannedOutput) -> tuple[MipKind, ...]:
    """How each channel of an output is averaged."""
    asked: dict[str, TargetChannel] = {channel.channel: channel for channel in planned.output.channels}
    meant = [asked[channel.channel] for channel in planned.channels]
    return kinds_of(((entry.property, entry.component, entry.inverted) for entry in meant), planned.output.encoding)
