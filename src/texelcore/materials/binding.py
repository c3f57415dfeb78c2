"""Connecting a master's textures to a target's outputs: all at once, by what each channel means."""

from __future__ import annotations

from collections.abc import Collection, Mapping

from texelcore.codecs.formats import FORMATS, texture_channel
from texelcore.materials.document import Master
from texelcore.surface.documents import Document
from texelcore.surface.storage import Storage
from texelcore.targets.document import Target


class Bound(Document):
    """Where a texture input lies: an output, the channels there in the order of the property's components, how they are stored.

    A missing third channel of a normal is rebuilt. `srgb` is the flag by which the engine decodes; `down` says −Y normals.
    """

    output: str
    channels: str
    inverted: bool = False
    down: bool = False
    srgb: bool = False

    @property
    def chip(self) -> str:
        """In short, for sheets: “packed.g”."""
        return f"{self.output}.{self.channels.lower()}"


Bindings = Mapping[str, Bound | None]


def bind(
    master: Master, target: Target, storages: Mapping[str, Storage], present: Collection[str] | None = None
) -> dict[str, Bound | None]:
    """For each texture input of a master, where a target keeps it; None for what the set does not have.

    `storages` holds the storage of each output that exists, by key. `present` lists the properties that the set provides
    itself; where it is given, an output that holds a stand-in only does not count as a map.
    """
    return {entry.name: bound_property(entry.property, target, storages, present) for entry in master.textures}


def bound_property(key: str, target: Target, storages: Mapping[str, Storage], present: Collection[str] | None) -> Bound | None:
    """Where a target keeps a property; None where it keeps it nowhere. `storages` and `present` as in `bind`."""
    if present is not None and key not in present:
        return None
    for output in target.outputs:
        # A grey value that an output repeats is read from its first channel.
        entries = {entry.component: entry for entry in reversed(output.channels) if entry.property == key}
        if output.key not in storages or not entries:
            continue
        storage = storages[output.key]
        kept = FORMATS[storage.format].channels
        names = [texture_channel(entries[component].channel) for component in sorted(entries)]
        names = [name for name in names if name in kept]
        if not names:
            continue
        return Bound(
            output=output.key,
            channels="".join(names),
            inverted=entries[0].inverted,
            down=key == "normal" and target.normal_y == "-Y",
            srgb=output.is_decoded(storage) and names != ["A"],
        )
    return None
