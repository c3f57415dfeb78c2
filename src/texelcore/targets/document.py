"""The target document: the conventions of one receiving engine."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from typing import Annotated, Literal

from pydantic import Field, StringConstraints, model_validator

from texelcore.pixels.image import Sample
from texelcore.pixels.resample import Filter
from texelcore.pixels.write import FORMAT_WORDS, SAMPLE_WORDS, SAMPLES, FileFormat
from texelcore.surface.documents import Document
from texelcore.surface.extensions import EXTENSIONS, MaterialExtension
from texelcore.surface.files import ChannelName
from texelcore.surface.formats import FORMATS, TextureFormat
from texelcore.surface.properties import Encoding, NormalY, Property, property_of
from texelcore.surface.storage import Storage
from texelcore.surface.templates import LONGEST_FOLDER, LONGEST_STEM, folder_problem, template_problem
from texelcore.targets.sizes import SizeRule

MOST_OUTPUTS = 64


class TargetChannel(Document):
    """What one channel of an output holds: one component of a property, as it is or inverted, or a constant.

    `property` may be "mask.NAME", "mask" for the first mask that a set has, or "constant", which `constant` (0–1) then is.
    `when_absent` (0–1, as the property means it) fills the channel of a set that lacks the property, in place of its default.
    `low` and `high` are the values that are stored as 0 and 1; `fitted` takes those of each set's own maps instead, and the
    manifest says which. `multiplied_by` names a property of one component that darkens this one, as far as `strength` (0–1) says:
    times 1 + strength × (value − 1), as glTF 2.0 does with occlusion.
    """

    channel: ChannelName
    property: str
    component: int = Field(default=0, ge=0)
    inverted: bool = False
    label: Annotated[str, StringConstraints(max_length=60)] = ""
    drop_when_absent: bool = False
    constant: float | None = Field(default=None, ge=0, le=1)
    when_absent: float | None = Field(default=None, ge=0, le=1)
    low: float = Field(default=0.0, ge=-65504, le=65504)
    high: float = Field(default=1.0, ge=-65504, le=65504)
    fitted: bool = False
    multiplied_by: str = ""
    strength: float = Field(default=1.0, ge=0, le=1)

    @model_validator(mode="after")
    def _means_something(self) -> TargetChannel:
        prop = _property(self.property)
        if self.component >= len(prop.components):
            raise ValueError(f"{prop.title} has no component {self.component + 1}")
        if (self.constant is None) == (self.property == "constant"):
            raise ValueError("a constant has a number from 0 to 1, and nothing else has one")
        if self.constant is not None and (self.inverted or self.drop_when_absent or self.is_ranged() or self.multiplied_by):
            raise ValueError("a constant is stored as it is: nothing is done to it")
        if self.property == "normal" and (self.inverted or self.is_ranged() or self.multiplied_by):
            raise ValueError("a normal is stored as it is; the target says which way green points")
        if self.low >= self.high:
            raise ValueError(f"a range goes from a smaller number to a larger one, not from {self.low:g} to {self.high:g}")
        if self.multiplied_by:
            other = _property(self.multiplied_by)
            if len(other.components) != 1 or self.multiplied_by in ("constant", self.property):
                raise ValueError(f"{prop.title} cannot be multiplied by {other.title.lower()}")
        return self

    def is_ranged(self) -> bool:
        """Whether stored values are not the property's own, but lie between two that stand for 0 and 1."""
        return self.fitted or (self.low, self.high) != (0.0, 1.0)

    def meaning(self) -> str:
        """The channel's meaning in words, for ledgers and manifests."""
        prop = _property(self.property)
        if self.label:
            return self.label
        if self.constant is not None:
            return f"Constant {self.constant:g}"
        said = prop.title if len(prop.components) == 1 else f"{prop.title} {prop.components[self.component]}"
        return f"{said} × {_property(self.multiplied_by).title.lower()}" if self.multiplied_by else said


class TargetOutput(Document):
    """One texture that a target asks for.

    It is made of a set that has one of the properties in `only_with` (or of any, where that is empty) and none of those in
    `only_without`. `storage` is how the engine stores it, `format_with_alpha` takes the place of its format when there is an
    alpha channel, and `container` is what is delivered: the encoded texture as DDS, or the file as it was built. `size` and
    `resampling` say how large it is and how maps of other sizes are brought to that; `mip_filter` how each level follows from the
    one before. `dither` spreads what is lost to a smaller depth. `quality` (1–100) is that of JPEG files. `alpha_mode` says what
    opacity is meant for; a cut-out is cut at `threshold`.
    """

    key: Annotated[str, StringConstraints(pattern=r"^[a-z][a-z0-9_]{0,31}$")]
    title: Annotated[str, StringConstraints(min_length=1, max_length=80)]
    suffix: Annotated[str, StringConstraints(pattern=r"^([A-Za-z0-9][A-Za-z0-9_-]{0,31})?$")]
    file_format: FileFormat
    sample: Sample
    encoding: Encoding
    channels: tuple[TargetChannel, ...] = Field(max_length=4)
    only_with: tuple[str, ...] = Field(default=(), max_length=32)
    only_without: tuple[str, ...] = Field(default=(), max_length=32)
    storage: Storage
    format_with_alpha: TextureFormat | None = None
    container: Literal["dds", "file"] = "dds"
    size: SizeRule = SizeRule()
    resampling: Filter = "mitchell"
    mip_filter: Filter = "box"
    dither: bool = False
    quality: int = Field(default=95, ge=1, le=100)
    alpha_mode: Literal["as found", "cut-out", "blended"] = "as found"
    threshold: float = Field(default=0.5, gt=0, lt=1)

    @model_validator(mode="after")
    def _can_be_written(self) -> TargetOutput:
        names = "".join(channel.channel for channel in self.channels)
        if names not in ("Y", "YA", "RGB", "RGBA"):
            said = f"channels {names} make no texture" if names else "it has no channel yet"
            raise ValueError(f"{said}: Y, YA, RGB and RGBA make one")
        if any(channel.drop_when_absent and channel.channel != "A" for channel in self.channels):
            raise ValueError("only alpha can be left out")
        if self.sample not in SAMPLES[self.file_format]:
            held = " or ".join(SAMPLE_WORDS[sample] for sample in SAMPLES[self.file_format])
            raise ValueError(f"{FORMAT_WORDS[self.file_format]} files hold {held}, not {SAMPLE_WORDS[self.sample]}")
        if self.file_format == "jpeg" and "A" in names:
            raise ValueError("JPEG files have no alpha")
        if self.encoding == "srgb" and self.sample in ("f16", "f32"):
            raise ValueError("floats are stored as linear values")
        for key in (*self.only_with, *self.only_without):
            _property(key)
        for form in {self.storage.format, self.format_with_alpha or self.storage.format}:
            if self.sample not in FORMATS[form].takes:
                raise ValueError(f"{form.upper()} cannot store {SAMPLE_WORDS[self.sample]}")
            if self.storage.srgb and not FORMATS[form].srgb:
                raise ValueError(f"{form.upper()} has no sRGB variant")
        return self

    def stored(self, alpha: bool) -> Storage:
        """The storage of this output, with or without an alpha channel."""
        other = self.format_with_alpha if alpha else None
        return self.storage.model_copy(update={"format": other}) if other else self.storage

    def is_asked_for(self, has: Callable[[str], bool]) -> bool:
        """Whether a set that `has` some properties has what this output is made with, and nothing of what it is made without."""
        with_it = not self.only_with or any(map(has, self.only_with))
        return with_it and not any(map(has, self.only_without))

    def is_decoded(self, storage: Storage) -> bool:
        """Whether the engine decodes it as sRGB: by the flag of how it is stored, or as the file says that is delivered."""
        return self.encoding == "srgb" if self.container == "file" else storage.srgb

    def never_beside(self, other: TargetOutput) -> bool:
        """Whether no set has both outputs: one asks for what the other shuts out."""
        first = bool(self.only_with) and set(self.only_with) <= set(other.only_without)
        return first or (bool(other.only_with) and set(other.only_with) <= set(self.only_without))


class Target(Document):
    """The conventions of one receiving engine: its outputs, channel layouts, normal direction and names.

    `version` counts the documents of one name. `folder_template` is where a set lies in a delivery. `material_extensions` are
    what the engine's materials take beyond the basics; None where nothing is said of it, and everything is taken.
    """

    format: Literal["fair-texel-target"] = "fair-texel-target"
    format_version: Literal[1] = 1
    # It stands in paths of deliveries.
    name: Annotated[str, StringConstraints(pattern=r"^[a-z0-9]+(-[a-z0-9]+)*$", max_length=48)]
    title: Annotated[str, StringConstraints(min_length=1, max_length=80)]
    summary: Annotated[str, StringConstraints(max_length=400)]
    version: int = Field(ge=1)
    normal_y: NormalY
    name_template: Annotated[str, StringConstraints(max_length=LONGEST_STEM)]
    folder_template: Annotated[str, StringConstraints(max_length=LONGEST_FOLDER)] = "{set}"
    outputs: tuple[TargetOutput, ...] = Field(min_length=1, max_length=MOST_OUTPUTS)
    material_extensions: tuple[MaterialExtension, ...] | None = Field(default=None, max_length=len(EXTENSIONS))

    @model_validator(mode="after")
    def _holds_together(self) -> Target:
        for problem in (template_problem(self.name_template), folder_problem(self.folder_template)):
            if problem:
                raise ValueError(problem)
        for _, _, problem in clashes(self.outputs):
            raise ValueError(problem)
        return self

    @property
    def storages(self) -> dict[str, Storage]:
        """How each output is stored, by key."""
        return {output.key: output.storage for output in self.outputs}

    def extensions_not_taken(self) -> tuple[MaterialExtension, ...]:
        """The extensions that the engine's materials do not take."""
        taken = self.material_extensions
        return () if taken is None else tuple(key for key in EXTENSIONS if key not in taken)

    def properties(self) -> tuple[str, ...]:
        """The properties that its outputs hold, in their order, each once."""
        return tuple(dict.fromkeys(channel.property for output in self.outputs for channel in output.channels))

    @property
    def reference(self) -> str:
        """Name and version, as commands and manifests say them: “orbit-desktop@2”."""
        return f"{self.name}@{self.version}"

    def to_json(self) -> str:
        """The document as indented JSON, ending with a line feed."""
        return self.model_dump_json(indent=2) + "\n"


def clashes(outputs: Sequence[TargetOutput]) -> Iterator[tuple[int, str, str]]:
    """Outputs that could not be told apart: the place of the second, the field, and what is wrong. Outputs of which a set never
    has both may share a suffix."""
    for place, output in enumerate(outputs):
        for earlier in outputs[:place]:
            if output.key == earlier.key:
                yield place, "key", f"two outputs share one key, {output.key}"
            if output.suffix.lower() == earlier.suffix.lower() and not output.never_beside(earlier):
                said = f"“{output.suffix}”" if output.suffix else "none"
                yield place, "suffix", f"two outputs share one suffix, {said}"


def _property(key: str) -> Property:
    try:
        return property_of(key)
    except KeyError:
        raise ValueError(f"{key or 'nothing'} is no surface property") from None


def tile_key(key: str, tile: int) -> str:
    """The key of an output for one tile of a set."""
    return f"{key}.{tile}"


def without_tile(key: str) -> tuple[str, str]:
    """An output's key without its tile, and the tile's number as text; "" for a key of no tile."""
    base, _, tile = key.rpartition(".")
    return (base, tile) if base and len(tile) == 4 and tile.isdecimal() else (key, "")


def property_at(key: str, tile: int | str) -> str:
    """How a property of one tile of a set is called, where each tile has values of its own; `tile` is "" for a set of none."""
    # "mask.1001" is a mask of that name, and not the first mask of a tile.
    return f"{key}{'..' if key == 'mask' else '.'}{tile}" if tile else key


def property_and_tile(name: str) -> tuple[str, str]:
    """A property by what it is called in its tile, and the tile's number as text; "" for a property of no tile."""
    base, tile = without_tile(name)
    return (name, "") if base == "mask" else (base.removesuffix("."), tile)
