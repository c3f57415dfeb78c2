"""What travels with a delivery, and what comes back: manifest, probes and receipt. The schema of the manifest is published."""

from __future__ import annotations

import base64
import zlib
from operator import not_
from typing import Annotated, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field, FiniteFloat, StringConstraints

from texelcore.proof.figures import ChainLoss, Loss
from texelcore.proof.places import GRID, Cells, Unit
from texelcore.proof.tolerances import Tolerances
from texelcore.surface.documents import Document
from texelcore.surface.findings import Severity
from texelcore.surface.formats import TextureFormat
from texelcore.surface.properties import Encoding, NormalY

MANIFEST_NAME = "delivery.json"
Coordinate = Annotated[float, Field(ge=0, lt=1)]


class DeliveredFile(Document):
    """A file of the delivery: its path inside, size and SHA-256."""

    file: str
    bytes: int
    sha256: str


class DeliveredSource(Document):
    """A source file that outputs came from: its name as it arrived, size and SHA-256."""

    name: str
    bytes: int
    sha256: str


class DeliveredChannel(Document):
    """What one channel holds: a component of a property, as it is or inverted; where it came from and what was done.

    `low` and `high` are the values that are stored as 0 and 1. `multiplied_by` names the property that darkens it, as far as
    `strength` says; "" where none does. `constant` is the number that it holds everywhere. `fills` says that a default stands in
    for the property.
    """

    channel: str
    property: str
    component: int
    inverted: bool
    meaning: str
    sources: tuple[str, ...]
    done: tuple[str, ...]
    low: float = 0.0
    high: float = 1.0
    multiplied_by: str = ""
    strength: float = 1.0
    constant: float | None = None
    fills: bool = Field(default=False, exclude_if=not_)

    def is_given(self) -> bool:
        """Whether it comes from a set's own maps; a stand-in that a mask darkens does not."""
        return bool(self.sources) and not self.fills


class ImportSettings(Document):
    """What the importer is to be told. `alpha_mode` is what opacity is meant for; a cut-out is cut at `threshold`."""

    srgb: bool
    format: TextureFormat
    mips: Literal["as delivered", "to be made", "none"]
    address: Literal["repeat"] = "repeat"
    normal_y: NormalY | None = None
    recompress: Literal[False] = False
    alpha_mode: Literal["none", "as found", "cut-out", "blended"] = "none"
    threshold: float | None = None


class DeliveredOutput(Document):
    """One texture. `encoding` is how colour values are stored, `srgb` the flag by which the engine decodes them. `container`
    says what kind of file it is; one that is not DDS is stored in `format` by whoever loads it."""

    key: str
    title: str
    file: DeliveredFile
    width: int
    height: int
    levels: int
    memory: int
    bits_per_texel: float
    format: TextureFormat
    dxgi: int
    encoding: Encoding
    srgb: bool
    channels: tuple[DeliveredChannel, ...]
    import_settings: ImportSettings
    container: Literal["dds", "png", "tga", "tiff", "exr", "jpeg"] = "dds"
    # What blocks cost, as the sender measured it: a receiver finds as much lost, and no more.
    losses: tuple[Loss, ...] = ()
    chain: tuple[ChainLoss, ...] = ()


class DeliveredSet(Document):
    """One texture set: its textures, its probes and what they were made of. One that is no `surface` holds masks and details that
    masters read."""

    name: str
    code: str
    outputs: tuple[DeliveredOutput, ...]
    probes: DeliveredFile
    sources: tuple[DeliveredSource, ...]
    surface: bool = Field(default=True, exclude_if=bool)

    @property
    def provides(self) -> frozenset[str]:
        """The properties that its textures hold, and no stand-ins."""
        return frozenset(channel.property for output in self.outputs for channel in output.channels if channel.is_given())


class DeliveredVariant(Document):
    """A variant: its document, its master's document, and where each texture input lies (“packed.g”), None where unbound, in
    which set: that of its layer, or its own, by code. `surface` is the mean of each property that it makes of its set, at the
    probes."""

    name: str
    set: str
    master: str
    version: int
    file: DeliveredFile
    master_file: DeliveredFile
    textures: dict[str, str | None]
    layers: dict[str, str] = {}
    surface: dict[str, tuple[FiniteFloat, ...]] = {}


class DeliveredPart(Document):
    """What a part of a model wears: a variant of the delivery by name, or one of its sets by code."""

    variant: str = ""
    set: str = ""


class DeliveredModel(Document):
    """A model as it came or was painted, with what its parts wear, by the names that they have in its file."""

    name: str
    file: DeliveredFile
    parts: dict[str, DeliveredPart]


class DeliveryManifest(Document):
    """Everything that a delivery holds. The same inputs give the same manifest. Version 1 had no losses and no cells;
    `tolerances` are the sender's house's."""

    format: Literal["fair-texel-delivery"] = "fair-texel-delivery"
    version: Literal[1, 2] = 2
    project: str
    target: str
    target_version: int
    normal_y: NormalY
    sets: tuple[DeliveredSet, ...]
    variants: tuple[DeliveredVariant, ...]
    models: tuple[DeliveredModel, ...] = ()
    tolerances: Tolerances | None = None

    def to_json(self) -> str:
        """The manifest as indented JSON, ending with a line feed."""
        return self.model_dump_json(indent=2) + "\n"

    def files(self) -> tuple[DeliveredFile, ...]:
        """Every file of the delivery but the manifest itself, each once."""
        found = [output.file for texture_set in self.sets for output in texture_set.outputs]
        found += [texture_set.probes for texture_set in self.sets]
        found += [file for variant in self.variants for file in (variant.file, variant.master_file)]
        found += [model.file for model in self.models]
        return tuple({file.file: file for file in found}.values())


class CellValues(Document):
    """The mean and the spread (standard deviation) of a property's components in each cell of a grid: half floats, rows of
    columns of components, means first, deflated (RFC 1950) and in base64 (RFC 4648)."""

    rows: int = Field(ge=1, le=GRID)
    columns: int = Field(ge=1, le=GRID)
    components: int = Field(ge=1, le=4)
    data: Annotated[str, StringConstraints(max_length=1 << 20)]

    @staticmethod
    def of(cells: Cells) -> CellValues:
        """What cells hold."""
        rows, columns, components = cells.shape
        both = np.clip(np.stack([cells.mean(), cells.spread()]), -65504, 65504).astype("<f2")
        packed = base64.b64encode(zlib.compress(both.tobytes(), 9)).decode("ascii")
        return CellValues(rows=rows, columns=columns, components=components, data=packed)

    def arrays(self) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Means and spreads, (rows, columns, components). Raises ValueError for data that do not hold them."""
        wanted = 2 * self.rows * self.columns * self.components * 2
        try:
            opened = zlib.decompressobj()
            raw = opened.decompress(base64.b64decode(self.data, validate=True), wanted + 1)
        except zlib.error as error:
            raise ValueError("is no deflated data") from error
        if len(raw) != wanted:
            raise ValueError(f"has {len(raw)} bytes, not {wanted}")
        both = np.frombuffer(raw, "<f2").reshape(2, self.rows, self.columns, self.components).astype(np.float64)
        if not np.isfinite(both).all():
            raise ValueError("holds what is no number")
        return both[0], both[1]


class Probes(Document):
    """Canonical values at points of a set's surface, so that a receiver can tell whether it read the set as it was meant.

    `points` are texture coordinates from the upper left; a value is that of the texel around a point. `cells` is the whole
    surface, coarsely. Colours are linear light, normals unit vectors with +Y up in the picture, all else 0–1.
    """

    format: Literal["fair-texel-probes"] = "fair-texel-probes"
    version: Literal[1, 2] = 2
    set: str
    points: tuple[tuple[Coordinate, Coordinate], ...]
    values: dict[str, tuple[tuple[FiniteFloat, ...], ...]]
    cells: dict[str, CellValues] = {}


class FileRead(Document):
    """A texture as the receiving side read it."""

    set: str
    output: str
    file: str
    width: int
    height: int
    levels: int
    format: str
    srgb: bool


class ReceiptFinding(Document):
    """One thing that would have gone wrong on the receiving side."""

    severity: Severity
    subject: str
    message: str
    way_out: str


class PropertyRead(Document):
    """How far a rebuilt property is from the canonical surface, at the probes, beside the mean distance that the sender
    expects.

    `holds`: it was read as it was meant. `within`: it keeps the house tolerances, which `allowed` says; None where there are
    none. `local` is the cell that is furthest off, in 8-bit levels. `reading` says what would have fitted better.
    """

    set: str
    property: str
    unit: Unit
    mean: float
    worst: float
    holds: bool
    reading: str = ""
    p95: float | None = None
    local: float | None = None
    expected: float | None = None
    within: bool | None = None
    allowed: str = ""


class LevelRead(Document):
    """How far a level is from the average of the base as it was read, in 8-bit levels: the channel that is furthest off, beside
    what the sender expects."""

    set: str
    output: str
    level: int
    width: int
    height: int
    mean: float
    local: float
    expected: float
    holds: bool


class Receipt(Document):
    """What the receiving side answers about a delivery."""

    format: Literal["fair-texel-receipt"] = "fair-texel-receipt"
    version: Literal[1, 2] = 2
    target: str
    holds: bool
    read: tuple[FileRead, ...]
    properties: tuple[PropertyRead, ...]
    levels: tuple[LevelRead, ...] = ()
    findings: tuple[ReceiptFinding, ...]

    def to_json(self) -> str:
        """The receipt as indented JSON, ending with a line feed."""
        return self.model_dump_json(indent=2) + "\n"
