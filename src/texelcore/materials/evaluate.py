"""A master evaluated to pixels in NumPy."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from texelcore.materials.document import UV, Value, ValueKind, values_of
from texelcore.materials.typing import SURFACE_KINDS, CheckedMaster, CheckedStrand
from texelcore.surface.properties import property_of

Floats = NDArray[np.float32]
# A texture input: canonical values at places (..., 2), as (...) or (..., 3).
Sampler = Callable[[Floats], Floats]


def evaluate(checked: CheckedMaster, own: Mapping[str, Value], samplers: Mapping[str, Sampler], uv: Floats) -> dict[str, Floats]:
    """The surface of a variant at texture coordinates (..., 2), 0 to 1 from the upper left.

    `own` holds the variant's values, `samplers` the textures that are bound; an input without one reads as its property's
    default. Gives canonical values by property: (...) numbers, (..., 3) linear colours, (..., 3) unit normals, +Y up.
    Raises TexelError for values that the master does not take.
    """
    shape = uv.shape[:-1]
    env: dict[str, Any] = {UV: uv}
    for name, value in values_of(checked.master, own).items():
        env[name] = value if isinstance(value, bool) else np.asarray(value, np.float32)
    for texture in checked.master.textures:
        env[texture.name] = samplers.get(texture.name) or constant_sampler(texture.property)
    for step in checked.steps:
        env[step.strand.name] = _run(step, env, checked)
    surface = {}
    for key, name in checked.master.surface.items():
        width = (3,) if SURFACE_KINDS[key] != "number" else ()
        value = _widen(env[name], checked.kinds[name], SURFACE_KINDS[key])
        surface[key] = np.broadcast_to(value, shape + width).astype(np.float32)
    return surface


def constant_sampler(key: str) -> Sampler:
    """What an input without a texture reads: its property's neutral value."""
    value = np.asarray(neutral(key), np.float32)
    return lambda place: np.broadcast_to(value, place.shape[:-1] + value.shape)


def neutral(key: str) -> float | tuple[float, float, float]:
    """The canonical value of a property that nothing provides; white for base colour."""
    if key == "normal":
        return (0.0, 0.0, 1.0)
    default = property_of(key).default or (1.0, 1.0, 1.0)
    return default[0] if len(default) == 1 else (default[0], default[1], default[2])


def picture_sampler(picture: Floats) -> Sampler:
    """Bilinear reading of an (H, W) or (H, W, 3) picture that repeats, as a GPU does it: texel centres lie at halves."""
    height, width = picture.shape[:2]
    direction = picture.ndim == 3

    def sample(place: Floats) -> Floats:
        x, y = place[..., 0] * width - 0.5, place[..., 1] * height - 0.5
        left, top = np.floor(x).astype(np.int64), np.floor(y).astype(np.int64)
        right_share, down_share = (x - left).astype(np.float32), (y - top).astype(np.float32)
        if direction:
            right_share, down_share = right_share[..., None], down_share[..., None]

        def texel(column: NDArray[np.int64], row: NDArray[np.int64]) -> Floats:
            return np.asarray(picture[row % height, column % width])

        above = texel(left, top) * (1 - right_share) + texel(left + 1, top) * right_share
        below = texel(left, top + 1) * (1 - right_share) + texel(left + 1, top + 1) * right_share
        return np.asarray(above * (1 - down_share) + below * down_share, np.float32)

    return sample


def texel_centres(width: int, height: int, top: int = 0, bottom: int | None = None) -> Floats:
    """The texture coordinates of the texels in rows `top` to `bottom`, (rows, width, 2)."""
    rows = np.arange(top, height if bottom is None else bottom)
    y, x = np.meshgrid((rows + 0.5) / height, (np.arange(width) + 0.5) / width, indexing="ij")
    return np.stack([x, y], axis=-1).astype(np.float32)


def _run(step: CheckedStrand, env: Mapping[str, Any], checked: CheckedMaster) -> Any:
    arguments = []
    for slot in step.operation.slots:
        value: Any = step.strand.inputs.get(slot.name, slot.default)
        if isinstance(value, str):
            kind: ValueKind = checked.kinds[value]
            value = env[value]
        else:
            kind = "switch" if isinstance(value, bool) else "number"
            value = value if isinstance(value, bool) else np.asarray(value, np.float32)
        if slot.kind in ("same", "any"):
            value = _widen(value, kind, step.shared)
        elif slot.kind == "colour":
            value = _widen(value, kind, "colour")
        elif step.shared == "colour" and kind == "number" and slot.kind == "number":
            # A plain number beside colours applies to each of their parts.
            value = np.expand_dims(value, -1)
        arguments.append(value)
    kinds = [slot.kind for slot in step.operation.slots]
    if not {"same", "any", "texture"} & set(kinds):
        arguments = _levelled(arguments, kinds)
    return step.operation.numpy(*arguments)


def _levelled(arguments: list[Any], kinds: Sequence[str]) -> list[Any]:
    """Numbers and vectors spread to one shape, behind which vectors have their own axis; switches stay what they are."""
    held = [kind in ("colour", "direction", "place") for kind in kinds]
    arrays = [at for at, kind in enumerate(kinds) if kind != "switch"]
    shape = np.broadcast_shapes(*(arguments[at].shape[:-1] if held[at] else arguments[at].shape for at in arrays))
    return [
        value if kind == "switch" else np.broadcast_to(value, shape + value.shape[-1:] if vector else shape)
        for value, kind, vector in zip(arguments, kinds, held, strict=True)
    ]


def _widen(value: Any, kind: str, wanted: str) -> Any:
    if kind == "number" and wanted == "colour":
        return np.repeat(np.expand_dims(value, -1), 3, axis=-1)
    return value
