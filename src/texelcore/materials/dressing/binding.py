"""Connecting a master's textures to a target's outputs: all at once, by what each channel means."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass, replace
from typing import Literal

from texelcore.materials.sheets.document import Master, OpacityUse, Variant
from texelcore.surface.documents import Document
from texelcore.surface.extensions import EXTENSIONS
from texelcore.surface.formats import FORMATS, texture_channel
from texelcore.surface.properties import property_of
from texelcore.surface.storage import Storage
from texelcore.targets.document import Target
from texelcore.targets.helpers import with_masks


class Bound(Document):
    """Where a texture input lies: an output of the set that its holder takes, a layer or the input itself, the channels there
    in the order of the property's components, and how they are stored.

    A missing third channel of a normal is rebuilt. `srgb` is the flag by which the engine decodes; `down` says −Y normals.
    """

    output: str
    channels: str
    holder: str = ""
    inverted: bool = False
    down: bool = False
    srgb: bool = False

    @property
    def chip(self) -> str:
        """In short, for sheets: “packed.g”."""
        return f"{self.output}.{self.channels.lower()}"


Bindings = Mapping[str, Bound | None]


def opacity_use(target: Target, bound: Collection[str], master: Master | None = None) -> OpacityUse:
    """How a master takes opacity; where it leaves that to the target, as the output has it that holds opacity, if opacity is
    among the properties that are bound."""
    if master and master.opacity.mode != "as the target":
        return master.opacity
    two_sided = master is None or master.opacity.two_sided
    held = next((output for output in target.outputs for channel in output.channels if channel.property == "opacity"), None)
    if held is None or "opacity" not in bound:
        return OpacityUse(mode="solid", threshold=0.5, two_sided=two_sided)
    mode: Literal["cut-out", "blended"] = "cut-out" if held.alpha_mode == "cut-out" else "blended"
    return OpacityUse(mode=mode, threshold=held.threshold, two_sided=two_sided)


def not_taken(master: Master, target: Target) -> dict[str, tuple[str, ...]]:
    """What a master gives that a target's materials do not take: by the title of the extension, the properties of it."""
    found = {EXTENSIONS[key].title: EXTENSIONS[key].properties for key in target.extensions_not_taken()}
    given = {title: tuple(key for key in properties if key in master.surface) for title, properties in found.items()}
    return {title: properties for title, properties in given.items() if properties}


def as_taken(master: Master, target: Target) -> Master:
    """A master as a target's materials have it: without what they do not take."""
    left_out = {key for properties in not_taken(master, target).values() for key in properties}
    if not left_out:
        return master
    surface = {key: name for key, name in master.surface.items() if key not in left_out}
    return master.model_copy(update={"surface": surface})


@dataclass(frozen=True)
class SetMaps:
    """The maps of a set as a target keeps them: the storage of each output that exists, by key. `present` lists the properties
    that the set provides itself; where it is given, an output that holds a stand-in only does not count as a map. `property` is
    what a free texture reads of the set, where that is not what the master asks for."""

    storages: Mapping[str, Storage]
    present: Collection[str] | None = None
    property: str = ""


def bind(master: Master, target: Target, sets: Mapping[str, SetMaps]) -> dict[str, Bound | None]:
    """For each texture input of a master, where a target keeps it; None for what its set does not have. `sets` are the sets
    that its layers and free textures take, by name; those that are not there are left unbound."""
    found: dict[str, Bound | None] = {}
    for texture in master.textures:
        maps = sets.get(texture.holder)
        key = (maps.property if maps and not texture.layer else "") or texture.property
        bound = bound_property(key, target, maps) if maps else None
        found[texture.name] = bound.model_copy(update={"holder": texture.holder}) if bound else None
    return found


def bind_variant(variant: Variant, master: Master, target: Target, sets: Mapping[str, SetMaps]) -> dict[str, Bound | None]:
    """The bindings of a variant, of sets by their codes; what lies in a set that is not among them is left unbound."""
    held = variant.sets(master).items()
    found = {name: replace(sets[other.set], property=other.property) for name, other in held if other.set in sets}
    return bind(master, target, found)


def one_set(master: Master, storages: Mapping[str, Storage], present: Collection[str] | None = None) -> dict[str, SetMaps]:
    """The same set for every layer and free texture of a master."""
    return dict.fromkeys(master.holders, SetMaps(storages, present))


def bind_alone(master: Master, target: Target, maps: SetMaps, surface: bool) -> dict[str, Bound | None]:
    """For each texture input of a master that one set wears by itself, where a target keeps it. One that is no `surface` shows
    the first of its masks in the place of a base colour that it lacks, so that it can be looked at."""
    found = bind(master, target, dict.fromkeys(master.holders, maps))
    mask = None if surface else bound_property("mask", target, maps)
    for texture in master.textures:
        if mask and texture.property == "base_colour" and found[texture.name] is None:
            found[texture.name] = mask.model_copy(update={"holder": texture.holder})
    return found


def bound_property(key: str, target: Target, maps: SetMaps) -> Bound | None:
    """Where a target keeps a property of a set; None where it keeps it nowhere."""
    storages, present = maps.storages, maps.present
    keys = _known_as(key, present)
    target = with_masks(target, present or ())
    if present is not None and not keys & {*present}:
        return None
    for output in target.outputs:
        # A grey value that an output repeats is read from its first channel.
        entries = {channel.component: channel for channel in reversed(output.channels) if channel.property in keys}
        if output.key not in storages or not entries:
            continue
        storage = storages[output.key]
        kept = FORMATS[storage.format].channels
        held = [component for component in sorted(entries) if texture_channel(entries[component].channel) in kept]
        # A component alone, and what is stored the other way round in part, no shader reads as the property.
        whole = held[: 2 if key == "normal" else None] == list(range(2 if key == "normal" else len(property_of(key).components)))
        if not whole or len({entries[component].inverted for component in held}) > 1:
            continue
        names = [texture_channel(entries[component].channel) for component in held]
        return Bound(
            output=output.key,
            channels="".join(names),
            inverted=entries[0].inverted,
            down=key == "normal" and target.normal_y == "-Y",
            srgb=output.is_decoded(storage) and names != ["A"],
        )
    return None


def _known_as(key: str, present: Collection[str] | None) -> set[str]:
    """The keys by which sets and targets know a property: “mask” is the first of a set's masks."""
    masks = sorted(entry for entry in present or () if entry.startswith("mask."))
    first = masks[0] if masks else None
    return {key} | ({first} if key == "mask" and first else {"mask"} if key == first else set())
