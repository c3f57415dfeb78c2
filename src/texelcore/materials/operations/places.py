"""Places on a picture (0, 0 at the upper left)."""

from __future__ import annotations

import numpy as np

from texelcore.materials.operations.declared import Floats, Operation, Slot, numbers

_UV = (Slot("uv", "place"),)


def _place(uv: Floats, tiling: Floats, across: Floats, down: Floats, degrees: Floats) -> Floats:
    radians = np.radians(degrees)
    cos, sin = np.cos(radians), np.sin(radians)
    x, y = uv[..., 0] - 0.5, uv[..., 1] - 0.5
    turned = np.stack([cos * x + sin * y, cos * y - sin * x], axis=-1)
    return np.asarray(turned * np.expand_dims(tiling, -1) + 0.5 + np.stack([across, down], axis=-1), np.float32)


def _turn_about(uv: Floats, turned: Floats, across: Floats, down: Floats) -> Floats:
    radians = np.radians(turned)
    cos, sin = np.cos(radians), np.sin(radians)
    x, y = uv[..., 0] - across, uv[..., 1] - down
    return np.stack([cos * x + sin * y + across, cos * y - sin * x + down], axis=-1).astype(np.float32)


OPERATIONS = (
    Operation(
        "place",
        "place",
        "turns and tiles about the middle, then moves (KHR_texture_transform, but about the middle)",
        (*_UV, *numbers(tiling=1.0, across=0.0, down=0.0, turn=0.0)),
        "place",
        _place,
        """float c = cos(radians(turn)), s = sin(radians(turn));
  vec2 p = uv - 0.5;
  return vec2(c * p.x + s * p.y, c * p.y - s * p.x) * tiling + 0.5 + vec2(across, down);""",
    ),
    Operation(
        "tile",
        "tile",
        "the picture so many times across and down",
        (*_UV, *numbers(across=1.0, down=1.0)),
        "place",
        lambda uv, across, down: uv * np.stack([across, down], axis=-1),
        "return uv * vec2(across, down);",
    ),
    Operation(
        "move",
        "move",
        "the picture moved across and down, in its own widths and heights",
        (*_UV, *numbers(across=0.0, down=0.0)),
        "place",
        lambda uv, across, down: uv + np.stack([across, down], axis=-1),
        "return uv + vec2(across, down);",
    ),
    Operation(
        "turn_about",
        "turn about",
        "turned by so many degrees about a point",
        (*_UV, *numbers(turned=0.0, across=0.5, down=0.5)),
        "place",
        _turn_about,
        """float c = cos(radians(turned)), s = sin(radians(turned));
  vec2 p = uv - vec2(across, down);
  return vec2(c * p.x + s * p.y, c * p.y - s * p.x) + vec2(across, down);""",
    ),
    Operation("gradient", "gradient", "0 at the left edge, 1 at the right", _UV, "number", lambda uv: uv[..., 0], "return uv.x;"),
    Operation(
        "gradient_down",
        "gradient down",
        "0 at the upper edge, 1 at the lower",
        _UV,
        "number",
        lambda uv: uv[..., 1],
        "return uv.y;",
    ),
    Operation(
        "round_gradient",
        "round gradient",
        "1 in the middle, 0 from half a width away on",
        _UV,
        "number",
        lambda uv: np.clip(1 - 2 * np.sqrt(((uv - np.float32(0.5)) ** 2).sum(-1)), 0, 1),
        "return clamp(1.0 - 2.0 * length(uv - 0.5), 0.0, 1.0);",
    ),
)
