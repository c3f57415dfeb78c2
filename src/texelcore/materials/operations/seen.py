"""What depends on the eye, on where the mesh stands in the world, and on time."""

from __future__ import annotations

import numpy as np

from texelcore.materials.operations.declared import LEAST, Floats, Operation, Slot, numbers

_FACING = (Slot("normal", "direction"), Slot("view", "direction", "view direction"))


def _facing(normal: Floats, view: Floats) -> Floats:
    return np.asarray(np.clip((normal * view).sum(-1), 0, 1), np.float32)


def _fresnel(normal: Floats, view: Floats, straight: Floats) -> Floats:
    return np.asarray(straight + (1 - straight) * (1 - _facing(normal, view)) ** 5, np.float32)


def _rim(normal: Floats, view: Floats, width: Floats) -> Floats:
    return np.asarray(np.maximum(1 - _facing(normal, view), np.float32(1e-6)) ** (1 / np.maximum(width, LEAST)), np.float32)


def _smooth(low: Floats, high: Floats, value: Floats) -> Floats:
    share = np.clip((value - low) / np.maximum(high - low, LEAST), 0, 1)
    return np.asarray(share * share * (3 - 2 * share), np.float32)


_SMOOTH = """float risen(float low, float high, float value) {
  float share = clamp((value - low) / max(high - low, 1e-4), 0.0, 1.0);
  return share * share * (3.0 - 2.0 * share);
}"""

OPERATIONS = (
    Operation(
        "fresnel",
        "fresnel",
        "how much more is mirrored the flatter it is looked at: so much straight on, 1 along it (Schlick 1994)",
        (*_FACING, *numbers(straight=0.04)),
        "number",
        _fresnel,
        """float facing = clamp(dot(normal, view), 0.0, 1.0), away = 1.0 - facing;
  return straight + (1.0 - straight) * away * away * away * away * away;""",
    ),
    Operation(
        "rim",
        "rim",
        "0 where it faces the eye, 1 where it turns away; the width says how far it reaches inwards",
        (*_FACING, *numbers(width=0.3)),
        "number",
        _rim,
        "return pow(max(1.0 - clamp(dot(normal, view), 0.0, 1.0), 1e-6), 1.0 / max(width, 1e-4));",
    ),
    Operation(
        "distance_fade",
        "distance fade",
        "1 up to near, 0 from far on, in metres from the eye",
        (*numbers(near=5.0, far=40.0), Slot("away", "number", "eye distance")),
        "number",
        lambda near, far, away: 1 - _smooth(near, far, away),
        "return 1.0 - risen(near, far, away);",
        (_SMOOTH,),
    ),
    Operation(
        "slope_mask",
        "slope mask",
        "0 where the mesh lies flatter than low, 1 where it is steeper than high, in degrees",
        (Slot("facing", "three", "world normal"), *numbers(low=20.0, high=40.0)),
        "number",
        lambda facing, low, high: _smooth(low, high, np.degrees(np.arccos(np.clip(facing[..., 1], -1, 1)))),
        "return risen(low, high, acos(clamp(facing.y, -1.0, 1.0)) * 57.29578);",
        (_SMOOTH,),
    ),
    Operation(
        "altitude_mask",
        "altitude mask",
        "0 up to low, 1 from high on, in metres above the ground",
        (Slot("position", "three", "world position"), *numbers(low=0.0, high=10.0)),
        "number",
        lambda position, low, high: _smooth(low, high, position[..., 1]),
        "return risen(low, high, position.y);",
        (_SMOOTH,),
    ),
    Operation(
        "scroll",
        "scroll",
        "the picture moving across and down, in its own widths and heights a second",
        (Slot("uv", "place"), *numbers(across=0.1, down=0.0), Slot("seconds", "number", "time")),
        "place",
        lambda uv, across, down, seconds: uv + np.stack([across, down], axis=-1) * seconds[..., None],
        "return uv + vec2(across, down) * seconds;",
    ),
    Operation(
        "parallax",
        "parallax",
        "where the eye meets a height: moved against the view, by a share of the picture’s width (offset limited at flat angles)",
        (
            Slot("uv", "place"),
            Slot("height", "number"),
            Slot("view", "direction", "view direction"),
            *numbers(depth=0.03, level=0.5),
        ),
        "place",
        lambda uv, height, view, depth, level: (
            uv
            + view[..., :2]
            * np.array([1, -1], np.float32)
            * ((height - level) * depth / np.maximum(view[..., 2], np.float32(0.25)))[..., None]
        ),
        "return uv + view.xy * vec2(1.0, -1.0) * ((height - level) * depth / max(view.z, 0.25));",
    ),
)
