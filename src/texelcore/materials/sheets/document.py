"""The documents of dressing: a master's layers, parameters, texture inputs and strands, and a variant of it."""

from __future__ import annotations

import builtins
import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Annotated, Any, Literal

from pydantic import Field, StringConstraints, model_validator

from texelcore.pixels.errors import TexelError
from texelcore.surface.documents import Document

# What flows along strands. A direction is a tangent-space normal, a place a texture coordinate (0, 0 at the upper left); two,
# three and four are that many plain numbers; a choice is one of its parameter's named values.
ValueKind = Literal["number", "two", "three", "four", "colour", "direction", "place", "switch", "choice"]
ParameterKind = Literal["number", "two", "three", "four", "colour", "switch", "choice"]
# How many numbers each kind has that is not one alone.
WIDTHS: Mapping[str, int] = {"two": 2, "three": 3, "four": 4, "colour": 3, "direction": 3, "place": 2}
Colour = tuple[float, float, float]
Value = bool | float | str | Annotated[tuple[float, ...], Field(min_length=2, max_length=4)]
# Lower-case words: what people read in the sheet is what the shader's identifiers are made of.
Name = Annotated[str, StringConstraints(pattern=r"^[a-z][a-z0-9]*( [a-z0-9]+){0,5}$", max_length=40)]
Words = Annotated[str, StringConstraints(max_length=300)]
FORMAT_VERSION = 3
# The layer of a master that says none: it has one.
ONE_LAYER = "surface"
MOST_STRANDS, MOST_PARAMETERS, MOST_LAYERS, MOST_TEXTURES, MOST_BLOCKS = 1000, 400, 16, 128, 64


@dataclass(frozen=True)
class MeshInput:
    """What a mesh, its place in the world or the clock brings to a strand; `absent` is what stands in where there is none."""

    name: str
    kind: ValueKind
    meaning: str
    absent: float | tuple[float, ...]


# The texture coordinate of the mesh, by the name that strands use.
UV = "uv"
# Positions are in metres and axes as glTF 2.0 has them: +Y is up. Vertex colours are linear (glTF 2.0, COLOR_0); a mesh without
# any counts as unpainted, so that the lowest layer is seen.
MESH_INPUTS: Mapping[str, MeshInput] = {
    entry.name: entry
    for entry in (
        MeshInput(UV, "place", "the mesh’s texture coordinate", (0.0, 0.0)),
        MeshInput("second uv", "place", "the mesh’s second texture coordinate; the first where it has one only", (0.0, 0.0)),
        MeshInput("vertex colour", "colour", "what is painted on the mesh, linear; black where nothing is", (0.0, 0.0, 0.0)),
        MeshInput("vertex alpha", "number", "the fourth number that is painted on the mesh; 0 where nothing is", 0.0),
        MeshInput("world position", "three", "where it is in the world, in metres, y upwards", (0.0, 0.0, 0.0)),
        MeshInput("world normal", "three", "which way the mesh faces in the world, y upwards", (0.0, 1.0, 0.0)),
        MeshInput("object position", "three", "where it is on the object, in metres", (0.0, 0.0, 0.0)),
        MeshInput("view direction", "direction", "the way to the eye, as the surface lies", (0.0, 0.0, 1.0)),
        MeshInput("eye distance", "number", "how far the eye is, in metres", 1.0),
        MeshInput("time", "number", "seconds since it began", 0.0),
    )
}


class Layer(Document):
    """A named slot for a set: a variant binds one to each layer, and with it all of its maps at once."""

    name: Name
    label: Annotated[str, StringConstraints(min_length=1, max_length=60)]
    help: Words = ""


class Parameter(Document):
    """One thing that a variant may set.

    Numbers have a hard range, which no value leaves, and a soft range, which sliders show; None is unbounded; 0 leaves their
    step to the slider. Colours are linear light with sRGB primaries. A choice is one of the words of `choices`. It is shown
    while the switch that `only_with` names is on, or the choice that it names is `only_at`. A `structural` switch or choice
    changes the shader itself: each position is compiled by itself."""

    name: Name
    label: Annotated[str, StringConstraints(min_length=1, max_length=60)]
    group: Annotated[str, StringConstraints(max_length=60)]
    kind: ParameterKind
    default: Value
    hard_low: float | None = None
    hard_high: float | None = None
    soft_low: float = 0.0
    soft_high: float = 1.0
    step: float = Field(default=0.0, ge=0)
    unit: Annotated[str, StringConstraints(max_length=12)] = ""
    help: Words = ""
    choices: Annotated[tuple[Annotated[str, StringConstraints(min_length=1, max_length=40)], ...], Field(max_length=16)] = ()
    only_with: str = ""
    only_at: str = ""
    structural: bool = False


class TextureInput(Document):
    """A texture that the master reads: a surface property, or a mask by its name (“mask.dirt”, or “mask” for the set's first),
    of the set that its layer takes. Without a layer it is free: a variant binds it by itself.

    With a `constant` it is a map or a constant: a variant may give it a value, which takes the map's place, and the constant
    stands where there is no map.
    """

    name: Name
    property: str
    layer: str = ""
    constant: Value | None = None
    label: Annotated[str, StringConstraints(max_length=60)] = ""
    group: Annotated[str, StringConstraints(max_length=60)] = ""
    help: Words = ""

    @builtins.property
    def holder(self) -> str:
        """What a variant binds a set to, to give it its map: its layer, or itself."""
        return self.layer or self.name


class Strand(Document):
    """One named step: an operation and what goes into it, by slot: a name, or a plain value. With a `block`, the name of one of
    the master's, it is all the steps of that at once: its inputs are the block's, and its outputs are named as `inner_name` has
    them; the strand's own name alone means the first of them."""

    name: Name
    group: Annotated[str, StringConstraints(max_length=60)]
    operation: str = ""
    block: str = ""
    inputs: dict[str, bool | float | str]
    comment: Words = ""


def inner_name(strand: str, inner: str) -> str:
    """What a strand inside a block is called in the master that uses it: “edge: mask”."""
    return f"{strand}: {inner}"


class BlockInput(Document):
    """What goes into a block: a value of a kind, or a texture that gives such values when it is read. Without a default it has
    to be filled."""

    name: Name
    kind: ValueKind
    texture: bool = False
    default: bool | float | None = None
    help: Words = ""


class Block(Document):
    """A group of strands with inputs and outputs, used as one strand wherever it is needed. Its outputs are strands of its own.
    Version 0 is one that belongs to its master alone; blocks of the studio count from 1."""

    format: Literal["fair-texel-block"] = "fair-texel-block"
    format_version: Literal[1] = 1
    name: Annotated[str, StringConstraints(pattern=r"^[a-z][a-z0-9-]{0,39}$")]
    title: Annotated[str, StringConstraints(min_length=1, max_length=80)]
    summary: Annotated[str, StringConstraints(max_length=600)] = ""
    version: int = Field(default=0, ge=0)
    inputs: Annotated[tuple[BlockInput, ...], Field(max_length=32)] = ()
    strands: Annotated[tuple[Strand, ...], Field(min_length=1, max_length=200)]
    outputs: Annotated[tuple[Name, ...], Field(min_length=1, max_length=16)]


class OpacityUse(Document):
    """What a master takes opacity for; “as the target” leaves it to the target's output that holds it."""

    mode: Literal["as the target", "solid", "cut-out", "blended"] = "as the target"
    threshold: float = Field(default=0.5, gt=0, lt=1)
    two_sided: bool = True


class Master(Document):
    """A parameterised master material. `surface` says which strand, parameter or mesh input gives each surface property.

    Documents of version 1 of the format had one layer without a name, and are read as that; version 2 had no blocks.
    """

    format: Literal["fair-texel-master"] = "fair-texel-master"
    format_version: int = FORMAT_VERSION
    name: Annotated[str, StringConstraints(pattern=r"^[a-z][a-z0-9-]{0,39}$")]
    title: Annotated[str, StringConstraints(min_length=1, max_length=80)]
    summary: Annotated[str, StringConstraints(max_length=600)]
    version: int
    layers: Annotated[tuple[Layer, ...], Field(max_length=MOST_LAYERS)] = ()
    parameters: Annotated[tuple[Parameter, ...], Field(max_length=MOST_PARAMETERS)] = ()
    textures: Annotated[tuple[TextureInput, ...], Field(max_length=MOST_TEXTURES)] = ()
    strands: Annotated[tuple[Strand, ...], Field(max_length=MOST_STRANDS)] = ()
    # The blocks that its strands use, each at the version that it was taken at: a master needs nothing beside itself.
    blocks: Annotated[tuple[Block, ...], Field(max_length=MOST_BLOCKS)] = ()
    surface: dict[str, str] = {}
    opacity: OpacityUse = OpacityUse()
    # What is said of groups of strands, by group.
    comments: dict[str, Words] = {}

    @model_validator(mode="before")
    @classmethod
    def _of_older_versions(cls, body: Any) -> Any:
        if not isinstance(body, Mapping):
            return body
        version = body.get("format_version", 1)
        if version == 2:
            return {**body, "format_version": FORMAT_VERSION}
        if version != 1 or "layers" in body:
            return body
        textures = [
            {**entry, "layer": ONE_LAYER} if isinstance(entry, Mapping) else entry for entry in body.get("textures") or ()
        ]
        layers = [{"name": ONE_LAYER, "label": "Surface"}]
        return {**body, "format_version": FORMAT_VERSION, "layers": layers, "textures": textures}

    @model_validator(mode="after")
    def _is_known(self) -> Master:
        if self.format_version != FORMAT_VERSION:
            said = f"it was written by a newer Fair Texel, in version {self.format_version} of the format"
            raise ValueError(f"{said}; this one reads up to version {FORMAT_VERSION}")
        return self

    def parameter(self, name: str) -> Parameter | None:
        """The parameter of a name, or None."""
        return next((parameter for parameter in self.parameters if parameter.name == name), None)

    def texture(self, name: str) -> TextureInput | None:
        """The texture input of a name, or None."""
        return next((texture for texture in self.textures if texture.name == name), None)

    def block(self, name: str) -> Block | None:
        """The block of a name, or None."""
        return next((block for block in self.blocks if block.name == name), None)

    @property
    def holders(self) -> tuple[str, ...]:
        """What a variant binds sets to, by name: the layers, and the free textures."""
        return (*(layer.name for layer in self.layers), *(texture.name for texture in self.textures if not texture.layer))


class OtherSet(Document):
    """A set that a variant binds to a layer beside the first, or the map of one that it binds to a free texture; an empty
    `property` is the one that the texture asks for."""

    set: str
    property: str = ""


class Variant(Document):
    """A master at a version with a texture set, and the values that were set for it; all others are the master's. `set` is
    bound to the master's first layer, and `others` to its other layers and free textures, by name."""

    format: Literal["fair-texel-variant"] = "fair-texel-variant"
    name: str
    master: str
    version: int
    set: str
    others: dict[str, OtherSet] = {}
    values: dict[str, Value] = {}

    def sets(self, master: Master) -> dict[str, OtherSet]:
        """What is bound to each layer and free texture of its master; nothing for those that are left empty."""
        first = {master.layers[0].name: OtherSet(set=self.set)} if master.layers else {}
        return first | {name: bound for name, bound in self.others.items() if name in master.holders and name not in first}


def value_problem(parameter: Parameter, value: Value) -> str | None:
    """Why a value does not fit a parameter: its kind, or the hard range. None when it fits."""
    if parameter.kind == "switch":
        return None if isinstance(value, bool) else "is on or off"
    if parameter.kind == "choice":
        return None if value in parameter.choices else f"is one of {', '.join(parameter.choices)}"
    if parameter.kind == "number":
        return _range_problem(parameter, value) if is_number(value) else "is a number"
    width = WIDTHS[parameter.kind]
    parts = tuple(value) if isinstance(value, tuple | list) else ()
    fits = len(parts) == width and all(is_number(part) for part in parts)
    if parameter.kind == "colour":
        return None if fits and min(parts) >= 0 else "is a colour of three numbers from 0 on"
    if not fits:
        return f"is {_COUNTS[width]} numbers"
    return next((problem for part in parts if (problem := _range_problem(parameter, part))), None)


_COUNTS = {2: "two", 3: "three", 4: "four"}


def _range_problem(parameter: Parameter, value: Any) -> str | None:
    number = float(value)
    if parameter.hard_low is not None and number < parameter.hard_low:
        return f"is at least {parameter.hard_low:g}"
    if parameter.hard_high is not None and number > parameter.hard_high:
        return f"is at most {parameter.hard_high:g}"
    return None


def constant_of(reader: TextureInput) -> Parameter | None:
    """What a variant may set in the place of a texture's map, as a parameter; None for one that is always read."""
    if reader.constant is None:
        return None
    label = reader.label or reader.name.capitalize()
    kind: ParameterKind = "colour" if isinstance(reader.constant, tuple | list) else "number"
    return Parameter(
        name=reader.name,
        label=label,
        group=reader.group,
        kind=kind,
        default=reader.constant,
        hard_low=0.0 if kind == "number" else None,
        hard_high=1.0 if kind == "number" else None,
        help=reader.help,
    )


def constants_of(master: Master) -> tuple[Parameter, ...]:
    """The maps of a master that a constant may replace, as parameters."""
    return tuple(found for texture in master.textures if (found := constant_of(texture)))


def values_of(master: Master, own: Mapping[str, Value]) -> dict[str, Value]:
    """Every parameter's value: a variant's own where it has one, the master's default otherwise; and the constants that it sets
    in the place of maps.

    Raises TexelError for a value of no parameter, of the wrong kind, or outside the hard range.
    """
    check_values(master, own)
    values: dict[str, Value] = {parameter.name: own.get(parameter.name, parameter.default) for parameter in master.parameters}
    return values | {entry.name: own[entry.name] for entry in constants_of(master) if entry.name in own}


def check_values(master: Master, own: Mapping[str, Value]) -> None:
    """Raise TexelError for the first value that its master would not take."""
    known = {parameter.name: parameter for parameter in (*master.parameters, *constants_of(master))}
    for name, value in own.items():
        parameter = known.get(name)
        if parameter is None:
            raise TexelError(
                name, f"is no parameter of {master.title} v{master.version}.", "Remove it, or choose another version."
            )
        problem = value_problem(parameter, value)
        if problem:
            raise TexelError(parameter.label, f"{problem}.", "Choose another value.")


def is_number(value: object) -> bool:
    """Whether something is a finite number, and no switch."""
    return isinstance(value, int | float) and not isinstance(value, bool) and math.isfinite(value)


def choice_index(parameter: Parameter, value: Value) -> float:
    """The place of a choice among its words: what flows along strands."""
    return float(parameter.choices.index(str(value)))
