"""Normals: directions in tangent space, +Y up. Two are blended by meaning, never as an average of what is stored."""

from __future__ import annotations

from typing import Any

import numpy as np

from texelcore.materials.operations.declared import UP, Floats, Operation, Slot, directions, numbers, unit


def _strengthen(normal: Floats, strength: Floats) -> Floats:
    return unit(normal * np.stack([strength, strength, np.ones_like(strength)], axis=-1))


def _flip(normal: Floats, flip: Any) -> Floats:
    return np.asarray(normal * np.array([1.0, -1.0 if flip else 1.0, 1.0], np.float32))


def _turn(normal: Floats, degrees: Floats) -> Floats:
    radians = np.radians(degrees)
    cos, sin = np.cos(radians), np.sin(radians)
    x, y = normal[..., 0], normal[..., 1]
    return np.stack([cos * x + sin * y, cos * y - sin * x, normal[..., 2]], axis=-1)


def _reorient(base: Floats, detail: Floats) -> Floats:
    t = base + UP
    u = detail * np.array([-1.0, -1.0, 1.0], np.float32)
    return unit(t * ((t * u).sum(-1, keepdims=True) / np.maximum(t[..., 2:], np.float32(1e-4))) - u)


def _whiteout(base: Floats, detail: Floats) -> Floats:
    return unit(np.concatenate([base[..., :2] + detail[..., :2], base[..., 2:] * detail[..., 2:]], axis=-1))


def _detail(base: Floats, detail: Floats, strength: Floats) -> Floats:
    return _reorient(base, _strengthen(detail, strength))


def _mixed(a: Floats, b: Floats, share: Floats) -> Floats:
    return unit(a + (b - a) * share[..., None])


_REORIENT = """vec3 reoriented(vec3 base, vec3 detail) {
  vec3 t = base + vec3(0.0, 0.0, 1.0), u = detail * vec3(-1.0, -1.0, 1.0);
  return unit(t * (dot(t, u) / max(t.z, 1e-4)) - u);
}"""

OPERATIONS = (
    Operation(
        "strengthen",
        "strengthen",
        "the normal with x and y times the strength, unit length again (glTF 2.0, normal scale)",
        (*directions("normal"), *numbers(strength=1.0)),
        "direction",
        _strengthen,
        "return unit(normal * vec3(strength, strength, 1.0));",
    ),
    Operation(
        "flip",
        "flip",
        "the normal with y turned over when the switch is on",
        (*directions("normal"), Slot("flip", "switch", False)),
        "direction",
        _flip,
        "return flip ? normal * vec3(1.0, -1.0, 1.0) : normal;",
    ),
    Operation(
        "turn",
        "turn",
        "the normal turned with its texture, so that light stays where it was",
        (*directions("normal"), *numbers(degrees=0.0)),
        "direction",
        _turn,
        """float c = cos(radians(degrees_)), s = sin(radians(degrees_));
  return vec3(c * normal.x + s * normal.y, c * normal.y - s * normal.x, normal.z);""",
    ),
    Operation(
        "mix_normals",
        "mix normals",
        "a where the share is 0, b where it is 1, unit length again",
        (*directions("a", "b"), *numbers(share=0.5)),
        "direction",
        _mixed,
        "return unit(mix(a, b, share));",
    ),
    Operation(
        "reorient",
        "reorient",
        "a fine normal laid on a coarse one as if it had grown there (Barré-Brisebois and Hill 2012, reoriented)",
        directions("base", "detail"),
        "direction",
        _reorient,
        "return reoriented(base, detail);",
        (_REORIENT,),
    ),
    Operation(
        "whiteout",
        "whiteout",
        "two normals' slopes added, their heights multiplied (Barré-Brisebois and Hill 2012, whiteout)",
        directions("base", "detail"),
        "direction",
        _whiteout,
        "return unit(vec3(base.xy + detail.xy, base.z * detail.z));",
    ),
    Operation(
        "detail_normal",
        "detail normal",
        "a fine normal, strengthened, laid on a coarse one (reoriented)",
        (*directions("base", "detail"), *numbers(strength=1.0)),
        "direction",
        _detail,
        "return reoriented(base, unit(detail * vec3(strength, strength, 1.0)));",
        (_REORIENT,),
    ),
    Operation(
        "slope",
        "slope",
        "how steep a normal leans: 0 straight up, 1 lying flat",
        directions("normal"),
        "number",
        lambda normal: 1 - np.clip(normal[..., 2], 0, 1),
        "return 1.0 - clamp(normal.z, 0.0, 1.0);",
    ),
    Operation(
        "dot",
        "dot",
        "how far two directions agree: 1 the same, 0 across, −1 against each other",
        directions("a", "b"),
        "number",
        lambda a, b: (a * b).sum(-1),
        "return dot(a, b);",
    ),
)
