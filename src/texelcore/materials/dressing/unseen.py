"""Why is a layer not seen? The usual reasons, each tried on the variant itself: what would have to be otherwise for it to be
seen."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from texelcore.materials.dressing.evaluate import Sampler, evaluate
from texelcore.materials.dressing.stage import stripes
from texelcore.materials.sheets.document import Parameter, Value, values_of
from texelcore.materials.sheets.typing import CheckedMaster
from texelcore.surface.documents import Document

Floats = NDArray[np.float32]
# What differs by less is not seen: a quarter of a step of eight bits.
_LEAST = 1 / 1020


@dataclass(frozen=True)
class Paint:
    """What is painted on a mesh: the smallest and the largest number of red, green, blue and alpha; all 0 of one without
    paint."""

    low: tuple[float, float, float, float] = (0.0, 0.0, 0.0, 0.0)
    high: tuple[float, float, float, float] = (0.0, 0.0, 0.0, 0.0)

    @property
    def is_bare(self) -> bool:
        """Whether nothing is painted at all."""
        return max(self.high) <= 0


class LayerSeen(Document):
    """How much of the surface a layer changes (0–1), how much of the surface it changes together with others, as where layers
    blend, and, where it is seen nowhere, why in words and the way out."""

    layer: str
    label: str
    share: float
    shared: float = 0.0
    reason: str = ""
    way_out: str = ""


@dataclass(frozen=True)
class Worn:
    """A variant on a mesh: its values, the textures that are bound, and what is painted; None stands for the stage's own
    shapes, which have every paint somewhere."""

    checked: CheckedMaster
    own: Mapping[str, Value]
    samplers: Mapping[str, Sampler]
    uv: Floats
    paint: Paint | None = None


def layers_seen(worn: Worn, empty: frozenset[str] = frozenset()) -> list[LayerSeen]:
    """Each layer of a variant's master, and how much of it is seen. `empty` are the layers that take no set."""
    layers = worn.checked.master.layers
    changed = [_changed(worn, layer.name) for layer in layers]
    several = np.sum(changed, axis=0) > 1 if layers else np.zeros(0, bool)
    found = []
    for layer, here in zip(layers, changed, strict=True):
        reason, way_out = ("", "") if here.any() else _reason(worn, layer.name, layer.name in empty)
        share, shared = (round(float(part.mean()), 4) for part in (here, here & several))
        found.append(LayerSeen(layer=layer.name, label=layer.label, share=share, shared=shared, reason=reason, way_out=way_out))
    return found


def _reason(worn: Worn, layer: str, is_empty: bool) -> tuple[str, str]:
    master = worn.checked.master
    reads = [texture.name for texture in master.textures if texture.layer == layer]
    if not reads:
        return "The master reads nothing of this layer.", "Write it into the sheet, or take another master."
    if is_empty:
        return "It takes no set.", "Bind a set to it."
    if worn.paint is not None and _share(Worn(worn.checked, worn.own, worn.samplers, worn.uv), layer) > 0:
        if worn.paint.is_bare:
            return (
                "Nothing is painted on the mesh, and paint decides where it lies.",
                "Paint on the mesh, or bring one with colours.",
            )
        painted = [
            f"{name} {low:.2g} to {high:.2g}"
            for name, low, high in zip(("red", "green", "blue", "alpha"), worn.paint.low, worn.paint.high, strict=True)
        ]
        return f"What is painted on the mesh never reaches it: {', '.join(painted)}.", "Paint more of its channel."
    if said := next(_masks(worn, layer), None):
        return f"{said} has one value everywhere, and decides where it lies.", "Choose another mask, or paint."
    if said := next(_held_back(worn, layer), None):
        return f"{said} keeps it away.", "Move that value."
    return "Other layers cover it everywhere.", "Look at the rows of the sheet one by one: what weighs it is 0."


def _share(worn: Worn, layer: str) -> float:
    return float(_changed(worn, layer).mean())


def _changed(worn: Worn, layer: str) -> NDArray[np.bool_]:
    """The places that change when all maps of a layer do, and the constants that stand for some."""
    before = _surface(worn, worn.samplers)
    mine = [texture.name for texture in worn.checked.master.textures if texture.layer == layer]
    moved = {name: _other(worn.samplers.get(name), worn.checked.kinds[name]) for name in mine if name not in worn.own}
    constants = {name: _moved(worn.own[name]) for name in mine if name in worn.own}
    after = _surface(worn, {**worn.samplers, **moved}, {**worn.own, **constants})
    changed = np.zeros(worn.uv.shape[:-1], bool)
    for key, value in before.items():
        away = np.abs(after[key] - value)
        changed |= (away if away.ndim == changed.ndim else away.max(-1)) > _LEAST
    return changed


def _other(sampler: Sampler | None, kind: str) -> Sampler:
    """A map that differs from another everywhere."""
    if kind == "direction":
        return lambda place: np.broadcast_to(np.array([0.6, 0.0, 0.8], np.float32), (*place.shape[:-1], 3))
    width = () if kind == "number" else (3,)

    def read(place: Floats) -> Floats:
        was = sampler(place) if sampler else np.zeros((*place.shape[:-1], *width), np.float32)
        return np.where(was > np.float32(0.5), was - np.float32(0.45), was + np.float32(0.45)).astype(np.float32)

    return read


def _moved(value: Value) -> Value:
    """A constant that differs from another."""
    if isinstance(value, tuple | list):
        return tuple(_moved(part) for part in value)  # type: ignore[misc]
    return float(value) - 0.45 if float(value) > 0.5 else float(value) + 0.45


def _surface(worn: Worn, samplers: Mapping[str, Sampler], own: Mapping[str, Value] | None = None) -> dict[str, Floats]:
    mesh = stripes(worn.uv)
    if worn.paint is not None:
        low, high = np.array(worn.paint.low, np.float32), np.array(worn.paint.high, np.float32)
        mesh = {
            "vertex colour": low[:3] + mesh["vertex colour"] * (high - low)[:3],
            "vertex alpha": low[3] + worn.uv[..., 1] * (high - low)[3],
        }
    with np.errstate(all="ignore"):
        return evaluate(worn.checked, worn.own if own is None else own, samplers, worn.uv, mesh)


def _masks(worn: Worn, layer: str) -> Iterator[str]:
    """The masks that are one value everywhere, and show the layer when they are not."""
    for texture in worn.checked.master.textures:
        if texture.layer == layer or worn.checked.kinds[texture.name] != "number":
            continue
        sampler = worn.samplers.get(texture.name)
        held = sampler(worn.uv) if sampler else None
        if held is not None and float(held.max() - held.min()) > _LEAST:
            continue
        ramp = {**worn.samplers, texture.name: lambda place: np.asarray(place[..., 0] % 1, np.float32)}
        own = {name: value for name, value in worn.own.items() if name != texture.name}
        if _share(Worn(worn.checked, own, ramp, worn.uv, worn.paint), layer) > 0:
            yield texture.label or texture.name.capitalize()


def _held_back(worn: Worn, layer: str) -> Iterator[str]:
    """The parameters whose value hides the layer: at another of their values it is seen."""
    values = values_of(worn.checked.master, worn.own)
    for parameter in worn.checked.master.parameters:
        for other in _others(parameter, values[parameter.name]):
            own = {**worn.own, parameter.name: other}
            if _share(Worn(worn.checked, own, worn.samplers, worn.uv, worn.paint), layer) > 0:
                title = " · ".join(part for part in (parameter.group, parameter.label) if part)
                yield f"{title} at {_said(values[parameter.name])}"
                break


def _others(parameter: Parameter, value: Value) -> tuple[Value, ...]:
    if parameter.kind == "number":
        middle = (parameter.soft_low + parameter.soft_high) / 2
        return tuple(other for other in (parameter.soft_low, middle, parameter.soft_high) if other != value)
    if parameter.kind == "switch":
        return (not value,)
    return tuple(word for word in parameter.choices if word != value) if parameter.kind == "choice" else ()


def _said(value: Value) -> str:
    if isinstance(value, bool):
        return "on" if value else "off"
    return f"{value:.3g}" if isinstance(value, int | float) else str(value)
