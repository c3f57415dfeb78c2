"""The documents of dressing: a master's parameters, texture inputs and strands, and a variant of it."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Annotated, Literal

from pydantic import StringConstraints

from texelcore.pixels.errors import TexelError
from texelcore.surface.documents import Document

# What flows along strands. A direction is a tangent-space normal, a place a texture coordinate (0, 0 at the upper left).
ValueKind = Literal["number", "colour", "direction", "place", "switch"]
Colour = tuple[float, float, float]
Value = bool | float | Colour
# Lower-case words: what people read in the sheet is what the shader's identifiers are made of.
Name = Annotated[str, StringConstraints(pattern=r"^[a-z][a-z0-9]*( [a-z0-9]+){0,5}$", max_length=40)]
# The texture coordinate of the mesh, by the name that strands use.
UV = "uv"


class Parameter(Document):
    """One thing that a variant may set.

    Numbers have a hard range, which no value leaves, and a soft range, which sliders show; None is unbounded. Colours are
    linear light with sRGB primaries.
    """

    name: Name
    label: str
    group: str
    kind: Literal["number", "colour", "switch"]
    default: Value
    hard_low: float | None = None
    hard_high: float | None = None
    soft_low: float = 0.0
    soft_high: float = 1.0
    unit: str = ""


class TextureInput(Document):
    """A texture that the master reads, by the surface property that it holds; the target says in which output that lies."""

    name: Name
    property: str


class Strand(Document):
    """One named step: an operation and what goes into it, by slot: a name, or a plain value."""

    name: Name
    group: str
    operation: str
    inputs: dict[str, bool | float | str]


class Master(Document):
    """A parameterised master material. `surface` says which strand, parameter or texture gives each surface property."""

    format: Literal["fair-texel-master"] = "fair-texel-master"
    name: Annotated[str, StringConstraints(pattern=r"^[a-z][a-z0-9-]{0,39}$")]
    title: Annotated[str, StringConstraints(min_length=1, max_length=80)]
    summary: str
    version: int
    parameters: tuple[Parameter, ...]
    textures: tuple[TextureInput, ...]
    strands: tuple[Strand, ...]
    surface: dict[str, str]

    def parameter(self, name: str) -> Parameter | None:
        """The parameter of a name, or None."""
        return next((entry for entry in self.parameters if entry.name == name), None)


class Variant(Document):
    """A master at a version with a texture set, and the values that were set for it; all others are the master's."""

    format: Literal["fair-texel-variant"] = "fair-texel-variant"
    name: str
    master: str
    version: int
    set: str
    values: dict[str, Value] = {}


def value_problem(parameter: Parameter, value: Value) -> str | None:
    """Why a value does not fit a parameter: its kind, or the hard range. None when it fits."""
    if parameter.kind == "switch":
        return None if isinstance(value, bool) else "is on or off"
    if parameter.kind == "colour":
        good = isinstance(value, tuple | list) and len(value) == 3 and all(_is_number(part) for part in value)
        return None if good and all(float(part) >= 0 for part in value) else "is a colour of three numbers from 0 on"  # type: ignore[union-attr]
    if not _is_number(value):
        return "is a number"
    number = float(value)  # type: ignore[arg-type]
    if parameter.hard_low is not None and number < parameter.hard_low:
        return f"is at least {parameter.hard_low:g}"
    if parameter.hard_high is not None and number > parameter.hard_high:
        return f"is at most {parameter.hard_high:g}"
    return None


def values_of(master: Master, own: Mapping[str, Value]) -> dict[str, Value]:
    """Every parameter's value: a variant's own where it has one, the master's default otherwise.

    Raises TexelError for a value of no parameter, of the wrong kind, or outside the hard range.
    """
    check_values(master, own)
    return {entry.name: own.get(entry.name, entry.default) for entry in master.parameters}


def check_values(master: Master, own: Mapping[str, Value]) -> None:
    """Raise TexelError for the first value that its master would not take."""
    for name, value in own.items():
        parameter = master.parameter(name)
        if parameter is None:
            raise TexelError(
                name, f"is no parameter of {master.title} v{master.version}.", "Remove it, or choose another version."
            )
        problem = value_problem(parameter, value)
        if problem:
            raise TexelError(parameter.label, f"{problem}.", "Choose another value.")


def _is_number(value: object) -> bool:
    return isinstance(value, int | float) and not isinstance(value, bool) and math.isfinite(value)
