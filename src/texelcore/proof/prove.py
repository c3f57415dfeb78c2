"""A proof: an output encoded for real, decoded again, and measured against what went in."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from dataclasses import dataclass

from texelcore.building.plan import PlannedChannel, PlannedOutput
from texelcore.codecs.dds import write_dds
from texelcore.codecs.formats import FORMATS
from texelcore.codecs.mips import MipChoice, MipKind
from texelcore.codecs.texture import ENCODER_VERSION, encode
from texelcore.codecs.workers import Workers
from texelcore.pixels.errors import TexelError
from texelcore.pixels.image import Image
from texelcore.proof.compare import compare, read_back
from texelcore.proof.figures import Figures
from texelcore.surface.properties import property_of
from texelcore.surface.storage import takes
from texelcore.targets.document import TargetOutput

# Raised when the measuring changes, so that old figures are not taken for new ones.
MEASURE_VERSION = 1


@dataclass(frozen=True)
class Proved:
    """A proof's figures and the encoded file's bytes."""

    figures: Figures
    dds: bytes


def prove(
    planned: PlannedOutput, built: Image, workers: Workers | None = None, tell: Callable[[float], None] = lambda share: None
) -> Proved:
    """Encode a built output as its plan's storage says, decode it with another library, and measure.

    `tell` hears the share done (0–1) and may raise to stop. Raises TexelError for a format that cannot store the output.
    """
    problem = storage_problem(planned)
    if problem:
        raise TexelError(planned.file_name, problem, "Choose another format for this output.")
    choice = mip_choice(planned.output)
    texture = encode(built, planned.storage, mip_kinds(planned), workers, lambda share: tell(share * 0.8), choice)
    data = write_dds(texture, opaque=not any(entry.channel == "A" for entry in planned.channels))
    normal, colours, channels = compare(read_back(planned, texture, built))
    tell(1.0)
    figures = Figures(
        output=planned.key,
        width=built.width,
        height=built.height,
        storage=planned.storage,
        levels=len(texture.levels),
        bytes=len(data),
        memory=texture.memory,
        bits_per_texel=FORMATS[planned.storage.format].bits_per_texel,
        normal=normal,
        colours=colours,
        data=channels,
    )
    return Proved(figures, data)


def proof_key(planned: PlannedOutput) -> str:
    """SHA-256 over all that a proof depends on: the output's own content key, its storage, and the encoder's version."""
    meanings = ",".join(f"{entry.channel}={entry.property}" for entry in planned.channels)
    versions = f"encoder {ENCODER_VERSION} measure {MEASURE_VERSION}"
    text = f"{versions}\n{planned.content_key}\n{planned.storage.model_dump_json()}\n{meanings}"
    if (choice := mip_choice(planned.output)) != MipChoice():
        text += f"\n{choice}"
    return hashlib.sha256(text.encode()).hexdigest()


def storage_problem(planned: PlannedOutput) -> str | None:
    """Why a format cannot store an output at all: its sample type. None when it can."""
    sample = planned.output.sample
    if takes(planned.storage.format, sample):
        return None
    words = {"u8": "8-bit", "u16": "16-bit", "f16": "half-float", "f32": "float"}
    return f"has {words[sample]} samples, which {FORMATS[planned.storage.format].title} cannot store."


def mip_kinds(planned: PlannedOutput) -> tuple[MipKind, ...]:
    """How each channel of an output is averaged: by its meaning, whatever flag the texture carries."""
    # What is stored inverted is no coverage: most of it would be where nothing is.
    inverted = {entry.channel for entry in planned.output.channels if entry.inverted}
    return tuple(_mip_kind(entry, planned.output.encoding, entry.channel in inverted) for entry in planned.channels)


def mip_choice(output: TargetOutput) -> MipChoice:
    """How a target wants an output's mips made."""
    cutout = None if output.alpha_mode == "as found" else output.alpha_mode == "cut-out"
    return MipChoice(output.mip_filter, output.threshold, cutout)


def _mip_kind(entry: PlannedChannel, encoding: str, inverted: bool) -> MipKind:
    if entry.property == "normal":
        kinds: tuple[MipKind, ...] = ("normal x", "normal y", "normal z")
        return kinds[entry.component]
    if entry.property == "opacity":
        return "data" if inverted else "coverage"
    if property_of(entry.property).colour:
        return "srgb" if encoding == "srgb" else "light"
    return "data"
