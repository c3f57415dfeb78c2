"""What an operation is: its slots, a NumPy function and a GLSL body that mean the same.

Numbers are arrays of any shape, colours and directions have a last axis of 3, places of 2, a choice is the index of its word.
The type that "same" slots share is a number, or what any of them is that has several; numbers widen. "any" slots share any one
type. Where an operation has neither, all its numbers have the same shape (...), and its vectors that shape with their own axis
behind. A GLSL body knows its slots by name (with an underscore behind where the word is GLSL's own) and is written so that it
holds for each type that they may have: the function around it, with its types, follows from the slots."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from texelcore.materials.sheets.document import ValueKind

Floats = NDArray[np.float32]
# What no division or root may get below.
LEAST = np.float32(1e-4)


@dataclass(frozen=True)
class Slot:
    """One input of an operation. "same" takes what arithmetic works on, "any" whatever flows, "vector" what has `least` numbers
    or more; without default it must be filled."""

    name: str
    kind: ValueKind | Literal["same", "any", "vector", "texture"]
    default: float | bool | str | None = None
    least: int = 2


@dataclass(frozen=True)
class Operation:
    """One operation; `numpy` takes the slots in order, and `glsl` is the body of a function that has them as its parameters.
    `helpers` are GLSL functions that the body calls, each after those that it calls itself."""

    key: str
    title: str
    meaning: str
    slots: tuple[Slot, ...]
    gives: ValueKind | Literal["same", "texture"]
    numpy: Callable[..., Any]
    glsl: str
    helpers: tuple[str, ...] = ()


def same(*names: str) -> tuple[Slot, ...]:
    """Slots that take numbers and colours."""
    return tuple(Slot(name, "same") for name in names)


def numbers(**defaults: float | None) -> tuple[Slot, ...]:
    """Slots that take numbers, with their defaults; None for one that must be filled."""
    return tuple(Slot(name, "number", default) for name, default in defaults.items())


def directions(*names: str) -> tuple[Slot, ...]:
    """Slots that take directions."""
    return tuple(Slot(name, "direction") for name in names)


def colours(*names: str) -> tuple[Slot, ...]:
    """Slots that take colours; numbers are greys there."""
    return tuple(Slot(name, "colour") for name in names)


# Two normals that face each other have no middle: what has no length is straight up, in shaders as here.
UP = np.array([0.0, 0.0, 1.0], np.float32)
_NO_LENGTH = np.float32(1e-6)
UNIT = """vec3 unit(vec3 vector) {
  float size = length(vector);
  return size > 1e-6 ? vector / size : vec3(0.0, 0.0, 1.0);
}"""


def unit(vector: Floats) -> Floats:
    """Vectors (..., 3) at length 1; (0, 0, 1) for those that have none. The same as UNIT in GLSL."""
    length = np.sqrt((vector * vector).sum(axis=-1, keepdims=True))
    return np.asarray(np.where(length > _NO_LENGTH, vector / np.maximum(length, _NO_LENGTH), UP), np.float32)
