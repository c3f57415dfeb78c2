"""What a proof measured: documents of numbers, in units that matter."""

from __future__ import annotations

from texelcore.surface.documents import Document
from texelcore.surface.storage import Storage


class AngleError(Document):
    """How far normals turned, in degrees. `channels` are the output's that hold the normal."""

    channels: str
    mean: float
    p95: float
    worst: float


class ColourError(Document):
    """How far colours moved: PSNR over stored values in decibels (None when nothing changed), and ΔE2000."""

    channels: str
    property: str
    psnr: float | None
    delta_mean: float
    delta_p95: float
    delta_worst: float


class LevelError(Document):
    """How far a data channel moved, in 8-bit levels (of 255)."""

    channel: str
    property: str
    meaning: str
    mean: float
    worst: float


class Figures(Document):
    """One output's proof: what it costs and what it lost. `memory` is all levels on the GPU, `bytes` the file."""

    output: str
    width: int
    height: int
    storage: Storage
    levels: int
    bytes: int
    memory: int
    bits_per_texel: float
    normal: AngleError | None = None
    colours: tuple[ColourError, ...] = ()
    data: tuple[LevelError, ...] = ()
