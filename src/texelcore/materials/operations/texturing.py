"""Reading a texture in other ways than once at a place.

In GLSL, READ(place) is the texture, VALUE its type, and DONE(value) makes a direction of what was summed up where the texture
holds directions.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from texelcore.materials.operations.declared import Floats, Operation, Slot, numbers, unit
from texelcore.materials.operations.noise import DRAWN, drawn

_TEXTURE = Slot("texture", "texture")
Reading = Callable[[Floats], Floats]
# From squares to triangles of equal sides (Mikkelsen 2022).
_SKEW = np.array([[1.0, -0.57735027], [0.0, 1.15470054]], np.float32)
_SHARP = 7


def _sum(parts: list[tuple[Floats, Floats]]) -> Floats:
    """Values by their weights (...)."""
    total: Any = 0
    for weight, value in parts:
        total = total + value * (weight if value.ndim == weight.ndim else weight[..., None])
    return np.asarray(total, np.float32)


def _hex_read(texture: Reading, place: Floats, size: Floats, seed: Floats) -> Floats:
    scaled = place / np.maximum(size, np.float32(1e-4))[..., None]
    skewed = (scaled @ _SKEW.T).astype(np.float32)
    cell = np.floor(skewed)
    inside = skewed - cell
    x, y = inside[..., 0], inside[..., 1]
    far = (x + y >= 1).astype(np.float32)
    # The three corners of the triangle that a place lies in, each with its share.
    corners = [
        (np.stack([far, far], -1), np.where(far > 0, x + y - 1, 1 - x - y)),
        (np.stack([np.ones_like(far), np.zeros_like(far)], -1), np.where(far > 0, 1 - y, x)),
        (np.stack([np.zeros_like(far), np.ones_like(far)], -1), np.where(far > 0, 1 - x, y)),
    ]
    parts = []
    for corner, share in corners:
        moved = np.stack(drawn((cell + corner).astype(np.int64), seed), -1)
        parts.append((np.maximum(share, np.float32(1e-3)) ** _SHARP, texture(place + moved)))
    whole = np.sum([weight for weight, _ in parts], axis=0)
    return _sum([(np.asarray(weight / whole, np.float32), value) for weight, value in parts])


def _triplanar(texture: Reading, position: Floats, facing: Floats, tiling: Floats, sharpness: Floats) -> Floats:
    weights = np.maximum(np.abs(facing), np.float32(1e-3)) ** np.maximum(sharpness, np.float32(1))[..., None]
    weights = weights / weights.sum(-1, keepdims=True)
    at = position * tiling[..., None]
    sides = ((0, at[..., [2, 1]]), (1, at[..., [0, 2]]), (2, at[..., [0, 1]]))
    return _sum([(weights[..., axis], texture(place)) for axis, place in sides])


def _bent(texture: Reading, place: Floats, strength: Floats, apart: Floats) -> Floats:
    across = np.stack([apart, np.zeros_like(apart)], -1)
    down = across[..., ::-1]
    slope_x = texture(place + across) - texture(place - across)
    slope_y = texture(place + down) - texture(place - down)
    scale = strength / np.maximum(2 * apart, np.float32(1e-6))
    return unit(np.stack([-slope_x * scale, slope_y * scale, np.ones_like(slope_x)], -1))


OPERATIONS = (
    Operation(
        "read",
        "read",
        "the texture at a place, as its surface property",
        (_TEXTURE, Slot("place", "place", "uv")),
        "texture",
        lambda texture, place: texture(place),
        "return READ(place);",
    ),
    Operation(
        "hex_read",
        "hex read",
        "the texture in hexagons moved by lot, so that no repetition is seen; three reads (Mikkelsen 2022, without turning)",
        (_TEXTURE, Slot("place", "place", "uv"), *numbers(size=0.5, seed=0.0)),
        "texture",
        _hex_read,
        """vec2 skewed = mat2(1.0, 0.0, -0.57735027, 1.15470054) * (place / max(size, 1e-4));
  vec2 cell = floor(skewed), inside = skewed - cell;
  float far = step(1.0, inside.x + inside.y);
  vec3 near = vec3(1.0 - inside.x - inside.y, inside.x, inside.y);
  vec3 share = max(mix(near, vec3(-near.x, 1.0 - inside.y, 1.0 - inside.x), far), 1e-3);
  share = share * share * share * share * share * share * share;
  share /= share.x + share.y + share.z;
  VALUE a = READ(place + drawn(cell + vec2(far), seed)), b = READ(place + drawn(cell + vec2(1.0, 0.0), seed));
  VALUE c = READ(place + drawn(cell + vec2(0.0, 1.0), seed));
  return DONE(a * share.x + b * share.y + c * share.z);""",
        (DRAWN,),
    ),
    Operation(
        "triplanar",
        "triplanar",
        "the texture laid on from three sides by position, so many times a metre; normals are weighed as they lie",
        (
            _TEXTURE,
            Slot("position", "three", "object position"),
            Slot("facing", "three", "world normal"),
            *numbers(tiling=1.0, sharpness=4.0),
        ),
        "texture",
        _triplanar,
        """vec3 share = pow(max(abs(facing), 1e-3), vec3(max(sharpness, 1.0)));
  share /= share.x + share.y + share.z;
  vec3 at = position * tiling;
  return DONE(READ(at.zy) * share.x + READ(at.xz) * share.y + READ(at.xy) * share.z);""",
    ),
    Operation(
        "bend_by_height",
        "normal from height",
        "the normal of a height: the strength is its depth as a share of the picture’s width, read to four sides; four reads",
        (_TEXTURE, Slot("place", "place", "uv"), *numbers(strength=0.03, apart=0.001)),
        "direction",
        _bent,
        """vec2 across = vec2(apart, 0.0), down = vec2(0.0, apart);
  float slope_x = READ(place + across) - READ(place - across), slope_y = READ(place + down) - READ(place - down);
  float steep = strength / max(2.0 * apart, 1e-6);
  return unit(vec3(-slope_x * steep, slope_y * steep, 1.0));""",
    ),
)
# How often each reads its texture.
READS = {"read": 1, "hex_read": 3, "triplanar": 3, "bend_by_height": 4}
