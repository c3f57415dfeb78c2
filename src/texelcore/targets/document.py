"""The target document: the conventions of one receiving engine."""

from __future__ import annotations

from functools import cache
from importlib import resources
from pathlib import Path
from typing import Annotated, Literal

from pydantic import Field, StringConstraints, ValidationError, model_validator

from texelcore.pixels.errors import TexelError
from texelcore.pixels.write import SAMPLES
from texelcore.surface.documents import Document
from texelcore.surface.files import ChannelName
from texelcore.surface.properties import Encoding, NormalY, property_of
from texelcore.surface.storage import WITH_SRGB, Storage, TextureFormat, takes
from texelcore.surface.templates import LONGEST_STEM, template_problem


class TargetChannel(Document):
    """What one channel of an output holds: one component of a property, as it is or inverted."""

    channel: ChannelName
    property: str
    component: int = Field(default=0, ge=0)
    inverted: bool = False
    label: str = ""
    drop_when_absent: bool = False

    @model_validator(mode="after")
    def _means_something(self) -> TargetChannel:
        try:
            prop = property_of(self.property)
        except KeyError:
            raise ValueError(f"{self.property} is no surface property") from None
        if self.component >= len(prop.components):
            raise ValueError(f"{self.property} has no component {self.component}")
        if self.inverted and self.property == "normal":
            raise ValueError("a normal is not inverted; the target says which way green points")
        return self

    def meaning(self) -> str:
        """The channel's meaning in words, for ledgers and manifests."""
        prop = property_of(self.property)
        if self.label:
            return self.label
        return prop.title if len(prop.components) == 1 else f"{prop.title} {prop.components[self.component]}"


class TargetOutput(Document):
    """One texture that a target asks for. `only_with` lists properties of which one must be there; empty is always.

    `storage` is how the engine stores it; `format_with_alpha` takes the place of its format when there is an alpha channel.
    """

    key: Annotated[str, StringConstraints(pattern=r"^[a-z][a-z0-9_]{0,31}$")]
    title: Annotated[str, StringConstraints(min_length=1, max_length=80)]
    suffix: Annotated[str, StringConstraints(pattern=r"^[A-Za-z0-9][A-Za-z0-9_-]{0,31}$")]
    file_format: Literal["png", "tga", "tiff", "exr"]
    sample: Literal["u8", "u16", "f16", "f32"]
    encoding: Encoding
    channels: tuple[TargetChannel, ...]
    only_with: tuple[str, ...] = ()
    storage: Storage
    format_with_alpha: TextureFormat | None = None

    @model_validator(mode="after")
    def _can_be_written(self) -> TargetOutput:
        names = "".join(entry.channel for entry in self.channels)
        if names not in ("Y", "YA", "RGB", "RGBA"):
            raise ValueError(f"{self.key}: channels {names} make no texture")
        if any(entry.drop_when_absent and entry.channel != "A" for entry in self.channels):
            raise ValueError(f"{self.key}: only alpha can be left out")
        if self.sample not in SAMPLES[self.file_format]:
            held = ", ".join(SAMPLES[self.file_format])
            raise ValueError(f"{self.key}: {self.file_format} files hold {held}, not {self.sample}")
        if self.encoding == "srgb" and self.sample in ("f16", "f32"):
            raise ValueError(f"{self.key}: floats are stored as linear values")
        return self

    def stored(self, alpha: bool) -> Storage:
        """The storage of this output, with or without an alpha channel."""
        other = self.format_with_alpha if alpha else None
        return self.storage.model_copy(update={"format": other}) if other else self.storage


class Target(Document):
    """The conventions of one receiving engine: its outputs, channel layouts, normal direction and names."""

    # It stands in paths of deliveries.
    name: Annotated[str, StringConstraints(pattern=r"^[a-z0-9]+(-[a-z0-9]+)*$", max_length=48)]
    title: Annotated[str, StringConstraints(min_length=1, max_length=80)]
    summary: Annotated[str, StringConstraints(max_length=400)]
    version: int = Field(ge=1)
    normal_y: NormalY
    name_template: Annotated[str, StringConstraints(max_length=LONGEST_STEM)]
    outputs: tuple[TargetOutput, ...] = Field(min_length=1, max_length=64)

    @model_validator(mode="after")
    def _holds_together(self) -> Target:
        if len({output.suffix.lower() for output in self.outputs}) != len(self.outputs):
            raise ValueError("two outputs share one suffix")
        if len({output.key for output in self.outputs}) != len(self.outputs):
            raise ValueError("two outputs share one key")
        for output in self.outputs:
            for key in {output.storage.format, output.format_with_alpha or output.storage.format}:
                if not takes(key, output.sample):
                    raise ValueError(f"{output.key}: {key.upper()} cannot store {output.sample}")
                if output.storage.srgb and key not in WITH_SRGB:
                    raise ValueError(f"{output.key}: {key.upper()} has no sRGB variant")
        if problem := template_problem(self.name_template):
            raise ValueError(problem)
        return self

    def properties(self) -> tuple[str, ...]:
        """The properties that its outputs hold, in their order, each once."""
        return tuple(dict.fromkeys(entry.property for output in self.outputs for entry in output.channels))


@cache
def shipped() -> dict[str, Target]:
    """The targets that ship, by name."""
    folder = resources.files("texelcore.targets") / "shipped"
    documents = [Target.model_validate_json(file.read_text("utf-8")) for file in folder.iterdir() if file.name.endswith(".json")]
    return {target.name: target for target in sorted(documents, key=lambda document: document.name)}


def read_target(path: Path) -> Target:
    """A target document from a JSON file. Raises TexelError that says what in it does not hold."""
    try:
        return Target.model_validate_json(path.read_text("utf-8"))
    except OSError as error:
        raise TexelError(path.name, f"could not be read: {error.strerror}.", "Name a target document.") from error
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(part) for part in first["loc"]) or "the document"
        raise TexelError(path.name, f"is no target document: {where}: {first['msg']}.", "Correct it and try again.") from error


def tile_key(key: str, tile: int) -> str:
    """The key of an output, or of a property's probes, for one tile of a set."""
    return f"{key}.{tile}"


def without_tile(key: str) -> tuple[str, str]:
    """A key without its tile, and the tile's number as text; "" for a key of no tile."""
    base, _, tile = key.rpartition(".")
    return (base, tile) if base and len(tile) == 4 and tile.isdigit() else (key, "")


def find_target(name: str) -> Target:
    """A shipped target by name. Raises TexelError that lists the known ones."""
    targets = shipped()
    if name not in targets:
        raise TexelError(name, "is not a known target.", f"Known targets: {', '.join(targets)}.")
    return targets[name]
