"""The table of operations. Each is declared once: its slots, a NumPy function and a GLSL body that mean the same.

Numbers are arrays of any shape, colours and directions have a last axis of 3, places of 2. The type that "same" slots share is a
number, or a colour where any of them is one; numbers widen. "any" slots share any one type. A GLSL body knows its slots by name
(with an underscore behind where the word is GLSL's own) and is written so that it holds for each type that they may have: the
function around it, with its types, follows from the slots. Adding an operation adds a line here.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from texelcore.materials.document import ValueKind

Floats = NDArray[np.float32]


@dataclass(frozen=True)
class Slot:
    """One input of an operation. "same" takes numbers and colours, "any" whatever flows; without default it must be filled."""

    name: str
    kind: ValueKind | Literal["same", "any", "texture"]
    default: float | bool | None = None


@dataclass(frozen=True)
class Operation:
    """One operation; `numpy` takes the slots in order, and `glsl` is the body of a function that has them as its parameters."""

    key: str
    title: str
    meaning: str
    slots: tuple[Slot, ...]
    gives: ValueKind | Literal["same", "texture"]
    numpy: Callable[..., Any]
    glsl: str


def _same(*names: str) -> tuple[Slot, ...]:
    return tuple(Slot(name, "same") for name in names)


def _place(uv: Floats, tiling: Floats, across: Floats, down: Floats, degrees: Floats) -> Floats:
    radians = np.radians(degrees)
    cos, sin = np.cos(radians), np.sin(radians)
    x, y = uv[..., 0] - 0.5, uv[..., 1] - 0.5
    turned = np.stack([cos * x + sin * y, cos * y - sin * x], axis=-1)
    return np.asarray(turned * np.expand_dims(tiling, -1) + 0.5 + np.stack([across, down], axis=-1), np.float32)


def _unit(vector: Floats) -> Floats:
    length = np.sqrt((vector * vector).sum(axis=-1, keepdims=True))
    return np.asarray(vector / np.maximum(length, np.float32(1e-6)), np.float32)


def _strengthen(normal: Floats, strength: Floats) -> Floats:
    scaled = normal * np.stack([strength, strength, np.ones_like(strength)], axis=-1)
    return _unit(scaled)


def _flip(normal: Floats, flip: Any) -> Floats:
    return np.asarray(normal * np.array([1.0, -1.0 if flip else 1.0, 1.0], np.float32))


def _turn(normal: Floats, degrees: Floats) -> Floats:
    radians = np.radians(degrees)
    cos, sin = np.cos(radians), np.sin(radians)
    x, y = normal[..., 0], normal[..., 1]
    return np.stack([cos * x + sin * y, cos * y - sin * x, normal[..., 2]], axis=-1)


_ALL = (
    Operation("add", "add", "a plus b", _same("a", "b"), "same", lambda a, b: a + b, "return a + b;"),
    Operation(
        "subtract",
        "subtract",
        "a less b",
        _same("a", "b"),
        "same",
        lambda a, b: a - b,
        "return a - b;",
    ),
    Operation(
        "multiply",
        "multiply",
        "a times b",
        _same("a", "b"),
        "same",
        lambda a, b: a * b,
        "return a * b;",
    ),
    Operation(
        "divide",
        "divide",
        "a over b; b counts as at least 0.0001",
        _same("a", "b"),
        "same",
        lambda a, b: a / np.maximum(b, np.float32(1e-4)),
        "return a / max(b, 1e-4);",
    ),
    Operation(
        "power",
        "power",
        "a to the power of b; below zero counts as zero",
        _same("a", "b"),
        "same",
        lambda a, b: np.maximum(a, np.float32(1e-6)) ** b,
        "return pow(max(a, 1e-6), b);",
    ),
    Operation("invert", "invert", "1 − a", _same("a"), "same", lambda a: 1 - a, "return 1.0 - a;"),
    Operation(
        "mix",
        "mix",
        "a where the share is 0, b where it is 1",
        (*_same("a", "b"), Slot("share", "number", 0.5)),
        "same",
        lambda a, b, share: a + (b - a) * share,
        "return a + (b - a) * share;",
    ),
    Operation(
        "limit",
        "limit",
        "a, but never below low nor above high",
        (*_same("a"), Slot("low", "number", 0.0), Slot("high", "number", 1.0)),
        "same",
        lambda a, low, high: np.minimum(np.maximum(a, low), high),
        "return min(max(a, low), high);",
    ),
    Operation(
        "range",
        "range",
        "0 becomes low, 1 becomes high",
        (*_same("a"), Slot("low", "number", 0.0), Slot("high", "number", 1.0)),
        "same",
        lambda a, low, high: low + a * (high - low),
        "return low + a * (high - low);",
    ),
    Operation(
        "choose",
        "choose",
        "a when the switch is on, b when it is off",
        (Slot("switch", "switch"), Slot("a", "any"), Slot("b", "any")),
        "same",
        lambda switch, a, b: a if switch else b,
        "return switch_ ? a : b;",
    ),
    Operation(
        "place",
        "place",
        "turns and tiles about the middle, then moves (KHR_texture_transform, but about the middle)",
        (
            Slot("uv", "place"),
            Slot("tiling", "number", 1.0),
            *(Slot(name, "number", 0.0) for name in ("across", "down", "turn")),
        ),
        "place",
        _place,
        """float c = cos(radians(turn)), s = sin(radians(turn));
  vec2 p = uv - 0.5;
  return vec2(c * p.x + s * p.y, c * p.y - s * p.x) * tiling + 0.5 + vec2(across, down);""",
    ),
    Operation(
        "read",
        "read",
        "the texture at a place, as its surface property",
        (Slot("texture", "texture"), Slot("place", "place")),
        "texture",
        lambda texture, place: texture(place),
        "",
    ),
    Operation(
        "strengthen",
        "strengthen",
        "the normal with x and y times the strength, unit length again (glTF 2.0, normal scale)",
        (Slot("normal", "direction"), Slot("strength", "number", 1.0)),
        "direction",
        _strengthen,
        "return normalize(normal * vec3(strength, strength, 1.0));",
    ),
    Operation(
        "flip",
        "flip",
        "the normal with y turned over when the switch is on",
        (Slot("normal", "direction"), Slot("flip", "switch", False)),
        "direction",
        _flip,
        "return flip ? normal * vec3(1.0, -1.0, 1.0) : normal;",
    ),
    Operation(
        "turn",
        "turn",
        "the normal turned with its texture, so that light stays where it was",
        (Slot("normal", "direction"), Slot("degrees", "number", 0.0)),
        "direction",
        _turn,
        """float c = cos(radians(degrees_)), s = sin(radians(degrees_));
  return vec3(c * normal.x + s * normal.y, c * normal.y - s * normal.x, normal.z);""",
    ),
)
OPERATIONS: dict[str, Operation] = {entry.key: entry for entry in _ALL}
