"""Where a master's textures lie: the one placement that glTF can say, so that it need not be baked."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from math import isfinite

from texelcore.materials.sheets.document import UV, Master, Value, values_of
from texelcore.materials.sheets.typing import CheckedMaster, check_master

# The inputs of a placement beside its texture coordinate, and what leaves that as it is.
_NEUTRAL = {"tiling": 1.0, "across": 0.0, "down": 0.0, "turn": 0.0}
_TILED = {"across": 1.0, "down": 1.0}


@dataclass(frozen=True)
class Placement:
    """A texture coordinate becomes scale × coordinate + offset: KHR_texture_transform without its rotation."""

    scale: tuple[float, float]
    offset: tuple[float, float]


def placement_of(checked: CheckedMaster, own: Mapping[str, Value]) -> tuple[CheckedMaster, Placement | None]:
    """The placement that all reads of a variant share, and its master without it; None, and the master as it is, where there
    are several, where one turns, or where the coordinate is used for anything else."""
    master = checked.master
    places = [strand for strand in master.strands if strand.operation == "place"]
    if len(places) != 1:
        return checked, None
    (place,) = places
    reads = [strand for strand in master.strands if strand.operation == "read"]
    others = [strand for strand in master.strands if strand not in (*places, *reads)]
    shared = all(strand.inputs.get("place") == place.name for strand in reads) and place.inputs.get("uv") == UV
    if not shared or any({UV, place.name} & {*map(str, strand.inputs.values())} for strand in others):
        return checked, None
    numbers = _numbers_of(master, own, place.inputs, _NEUTRAL)
    if numbers is None or numbers["turn"] % 360 != 0:
        return checked, None
    tiling = numbers["tiling"]
    plain = place.model_copy(update={"inputs": {"uv": UV, **_NEUTRAL}})
    strands = tuple(plain if strand is place else strand for strand in master.strands)
    offset = (0.5 - tiling / 2 + numbers["across"], 0.5 - tiling / 2 + numbers["down"])
    return check_master(master.model_copy(update={"strands": strands})), Placement((tiling, tiling), offset)


def stretch_of(checked: CheckedMaster, own: Mapping[str, Value]) -> float:
    """How many times a texture is repeated across the square at most: 1 where no placement says so."""
    found = [1.0]
    for strand in checked.master.strands:
        if strand.operation == "place" and (numbers := _numbers_of(checked.master, own, strand.inputs, _NEUTRAL)):
            found.append(abs(numbers["tiling"]))
        if strand.operation == "tile" and (numbers := _numbers_of(checked.master, own, strand.inputs, _TILED)):
            found.append(max(map(abs, numbers.values())))
    return max(found)


def _numbers_of(
    master: Master, own: Mapping[str, Value], inputs: Mapping[str, bool | float | str], wanted: Mapping[str, float]
) -> dict[str, float] | None:
    """The numbers of a placement, from parameters or as they stand; None where another strand makes one."""
    values = values_of(master, own)
    found = {}
    for key, neutral in wanted.items():
        given = inputs.get(key, neutral)
        value = values.get(given) if isinstance(given, str) else given
        if isinstance(value, bool) or not isinstance(value, int | float) or not isfinite(value):
            return None
        found[key] = float(value)
    return found
