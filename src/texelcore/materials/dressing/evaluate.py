"""A master evaluated to pixels in NumPy."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from texelcore.materials.operations.declared import unit
from texelcore.materials.sheets.document import MESH_INPUTS, UV, WIDTHS, TextureInput, Value, ValueKind, choice_index, values_of
from texelcore.materials.sheets.kinds import EXTENDED_KINDS, GIVEN_KINDS
from texelcore.materials.sheets.strands import CheckedStrand
from texelcore.materials.sheets.typing import CheckedMaster
from texelcore.surface.properties import property_of

Floats = NDArray[np.float32]
# A texture input: canonical values at places (..., 2), as (...) or (..., 3).
Sampler = Callable[[Floats], Floats]


def evaluate(
    checked: CheckedMaster,
    own: Mapping[str, Value],
    samplers: Mapping[str, Sampler],
    uv: Floats,
    mesh: Mapping[str, Floats] | None = None,
) -> dict[str, Floats]:
    """The surface of a variant at texture coordinates (..., 2), 0 to 1 from the upper left.

    `own` holds the variant's values, `samplers` the textures that are bound; an input without one reads as its constant, or its
    property's default. `mesh` holds what else the mesh brings to these places, by the names of `MESH_INPUTS`, (...) or (...,
    N). Gives canonical values by property: (...) numbers, (..., 3) linear colours, (..., 3) unit normals, +Y up. Raises
    TexelError for values that the master does not take."""
    env = run_all(checked, own, samplers, uv, mesh)
    return {key: shown(checked, env, name, uv.shape[:-1], GIVEN_KINDS[key]) for key, name in checked.master.surface.items()}


def run_all(
    checked: CheckedMaster,
    own: Mapping[str, Value],
    samplers: Mapping[str, Sampler],
    uv: Floats,
    mesh: Mapping[str, Floats] | None = None,
) -> dict[str, Any]:
    """What every name of a master holds at places, as in `evaluate`: mesh inputs, parameters, textures and strands."""
    env: dict[str, Any] = {name: np.asarray(entry.absent, np.float32) for name, entry in MESH_INPUTS.items()}
    env |= {UV: uv, "second uv": uv, **(mesh or {})}
    values = values_of(checked.master, own)
    for parameter in checked.master.parameters:
        value = values[parameter.name]
        said = choice_index(parameter, value) if parameter.kind == "choice" else value
        env[parameter.name] = said if isinstance(said, bool) else np.asarray(said, np.float32)
    for texture in checked.master.textures:
        own_value = values.get(texture.name)
        sampler = samplers.get(texture.name) if own_value is None else None
        env[texture.name] = sampler or _steady(stand_in(texture) if own_value is None else own_value)
    for step in checked.steps:
        env[step.strand.name] = _run(step, env, checked)
    return env


def shown(checked: CheckedMaster, env: Mapping[str, Any], name: str, shape: tuple[int, ...], kind: ValueKind) -> Floats:
    """What a name holds, as a kind that it is or widens to, at all places of a shape."""
    value = _widen(np.asarray(env[name], np.float32), checked.kinds[name], kind)
    return np.broadcast_to(value, shape + ((WIDTHS[kind],) if kind in WIDTHS else ())).astype(np.float32)


def stand_in(texture: TextureInput) -> float | tuple[float, ...]:
    """What an input without a map reads: its constant, or its property's neutral value."""
    constant = texture.constant
    return neutral(texture.property) if constant is None else constant if isinstance(constant, tuple) else float(constant)


def _steady(given: Value) -> Sampler:
    value = np.asarray(given, np.float32)
    return lambda place: np.broadcast_to(value, place.shape[:-1] + value.shape)


# What of a surface nothing gives: the defaults of the extensions of glTF 2.0 that define them.
_EXTENDED: Mapping[str, float | tuple[float, float, float]] = {
    **dict.fromkeys(EXTENDED_KINDS, 0.0),
    "sheen_colour": (0.0, 0.0, 0.0),
    "specular_level": 1.0,
    "index_of_refraction": 1.5,
}


def neutral(key: str) -> float | tuple[float, float, float]:
    """The canonical value of a property that nothing provides; white for base colour, the middle for height, 0 for masks."""
    if key == "normal":
        return (0.0, 0.0, 1.0)
    if key in _EXTENDED:
        return _EXTENDED[key]
    if key == "height":
        return 0.5
    prop = property_of(key)
    default = prop.default or ((1.0, 1.0, 1.0) if len(prop.components) == 3 else (0.0,))
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
        elif step.shared in WIDTHS and kind in ("number", "choice") and slot.kind in ("number", "choice"):
            # A plain number beside what has several applies to each of their parts.
            value = np.expand_dims(value, -1)
        arguments.append(value)
    kinds = [slot.kind for slot in step.operation.slots]
    if not {"same", "any", "texture"} & set(kinds):
        arguments = _levelled(arguments, kinds)
    made = step.operation.numpy(*arguments)
    # Directions that were weighed are made one again, as DONE does it in GLSL.
    return unit(made) if step.operation.gives == "texture" and step.gives == "direction" else made


def _levelled(arguments: list[Any], kinds: Sequence[str]) -> list[Any]:
    """Numbers and vectors spread to one shape, behind which vectors have their own axis; switches stay what they are."""
    held = [kind in WIDTHS or kind == "vector" for kind in kinds]
    arrays = [at for at, kind in enumerate(kinds) if kind != "switch"]
    shape = np.broadcast_shapes(*(arguments[at].shape[:-1] if held[at] else arguments[at].shape for at in arrays))
    return [
        value if kind == "switch" else np.broadcast_to(value, shape + value.shape[-1:] if vector else shape)
        for value, kind, vector in zip(arguments, kinds, held, strict=True)
    ]


def _widen(value: Any, kind: str, wanted: str) -> Any:
    if kind == "number" and wanted in WIDTHS:
        return np.repeat(np.expand_dims(value, -1), WIDTHS[wanted], axis=-1)
    return value
