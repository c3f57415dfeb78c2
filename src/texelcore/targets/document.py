"""The target document: the conventions of one receiving engine."""

from __future__ import annotations

from functools import cache
from importlib import resources
from pathlib import Path
from typing import Literal

from pydantic import ValidationError, model_validator

from texelcore.pixels.errors import TexelError
from texelcore.surface.ledger import ChannelName, Document
from texelcore.surface.properties import Encoding, NormalY, property_of
from texelcore.surface.storage import Storage, TextureFormat


class TargetChannel(Document):
    """What one channel of an output holds: one component of a property, as it is or inverted."""

    channel: ChannelName
    property: str
    component: int = 0
    inverted: bool = False
    label: str = ""
    drop_when_absent: bool = False

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

    key: str
    title: str
    suffix: str
    file_format: Literal["png", "tga", "tiff", "exr"]
    sample: Literal["u8", "u16", "f16", "f32"]
    encoding: Encoding
    channels: tuple[TargetChannel, ...]
    only_with: tuple[str, ...] = ()
    storage: Storage
    format_with_alpha: TextureFormat | None = None

    def stored(self, alpha: bool) -> Storage:
        """The storage of this output, with or without an alpha channel."""
        other = self.format_with_alpha if alpha else None
        return self.storage.model_copy(update={"format": other}) if other else self.storage


class Target(Document):
    """The conventions of one receiving engine: its outputs, channel layouts, normal direction and names."""

    name: str
    title: str
    summary: str
    version: int
    normal_y: NormalY
    name_template: str
    outputs: tuple[TargetOutput, ...]

    @model_validator(mode="after")
    def _holds_together(self) -> Target:
        if len({output.suffix.lower() for output in self.outputs}) != len(self.outputs):
            raise ValueError("two outputs share one suffix")
        for output in self.outputs:
            names = "".join(entry.channel for entry in output.channels)
            if names not in ("Y", "YA", "RGB", "RGBA"):
                raise ValueError(f"{output.key}: channels {names} make no texture")
            for entry in output.channels:
                if entry.component >= len(property_of(entry.property).components):
                    raise ValueError(f"{output.key}: {entry.property} has no component {entry.component}")
        return self


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
