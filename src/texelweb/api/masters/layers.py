"""The layers of a variant as a page shows them: the set that each takes, and what stands in the way of it."""

from __future__ import annotations

from collections.abc import Collection, Mapping

from ninja import Schema

from texelcore.materials.dressing.binding import Bound, SetMaps, bound_property
from texelcore.materials.sheets.document import Master, TextureInput
from texelcore.surface.properties import property_of
from texelcore.targets.document import Target
from texelweb.builds.planning import State
from texelweb.sets.models import TextureSet


class LayerView(Schema):
    """A layer of a variant's master, or a `free` texture of it, and the set that it takes; `wants` are the properties that it
    is read for. `proved` says whether that set is proved as it is now, and `stands` in words what else keeps it from being
    shown as it is meant; "" while nothing does."""

    name: str
    label: str
    help: str
    free: bool
    wants: list[str]
    set_id: int | None
    set_name: str
    property: str
    # What a free texture may read of its set.
    properties: list[str]
    proved: bool
    stands: str


def height_of(maps: SetMaps | None, holder: str, target: Target) -> Bound | None:
    """Where the height of a set lies that the stage may show."""
    found = bound_property("height", target, maps) if maps else None
    return found.model_copy(update={"holder": holder}) if found else None


def layers_of(
    document: Master,
    worn: Mapping[str, tuple[TextureSet, str]],
    states: Mapping[int, State],
    maps: Mapping[str, SetMaps],
    target: Target,
) -> list[LayerView]:
    """The layers and free textures of a master, with the sets that they take and what is wrong with that."""
    asked: dict[str, list[TextureInput]] = {}
    for texture in document.textures:
        asked.setdefault(texture.holder, []).append(texture)
    shown = [(layer.name, layer.label, layer.help, False) for layer in document.layers]
    shown += [
        (texture.name, texture.label or texture.name.capitalize(), texture.help, True)
        for texture in document.textures
        if not texture.layer
    ]
    found = []
    for name, label, said, free in shown:
        held, key = worn.get(name, (None, ""))
        wants = list(dict.fromkeys(entry.property for entry in asked.get(name, [])))
        present = sorted(maps[name].present or ()) if name in maps else []
        masks = states[held.pk].ledger.masks() if held and held.pk in states else ()
        present = [*(entry for entry in present if entry not in masks), *masks]
        found.append(
            LayerView(
                name=name,
                label=label,
                help=said,
                free=free,
                wants=[property_of(entry).title for entry in wants],
                set_id=held.pk if held else None,
                set_name=held.name if held else "",
                property=key,
                properties=[entry for entry in present if free and _is_like(entry, wants)],
                proved=held is None or states[held.pk].proved,
                stands=_stands(held, states, maps, name, [key or entry for entry in wants], target),
            )
        )
    return found


def _is_like(key: str, wants: Collection[str]) -> bool:
    """Whether a property has as many numbers as what a free texture asks for."""
    return any(len(property_of(key).components) == len(property_of(entry).components) for entry in wants)


def _stands(
    held: TextureSet | None,
    states: Mapping[int, State],
    maps: Mapping[str, SetMaps],
    name: str,
    wants: Collection[str],
    target: Target,
) -> str:
    """Why a layer is not shown as it is meant, in a whole sentence; "" while it is."""
    if held is None:
        return "It takes no set: its textures read as their defaults." if wants else ""
    # Once for all layers, the page says which sets are not proved, and proves them.
    if not states[held.pk].proved:
        return ""
    missing = [entry for entry in wants if bound_property(entry, target, maps[name]) is None]
    if not missing:
        return ""
    unkept = [entry for entry in missing if entry in (maps[name].present or ())]
    if unkept:
        return f"{target.title} keeps no {_listed(unkept)} of its sets: it reads as its default."
    return f"{held.name} has no {_listed(missing)}: what is read of it is its default."


def _listed(keys: Collection[str]) -> str:
    titles = [property_of(key).title.lower() for key in keys]
    return titles[0] if len(titles) == 1 else f"{', '.join(titles[:-1])} and {titles[-1]}"
