"""Probes: the canonical surface of a set at a few hundred points, taken from its sources."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from texelcore.building.execute import SourcePath, assemble
from texelcore.building.filling import row_of
from texelcore.building.plan import Plan, PlannedOutput, asked_for, plan_at_size
from texelcore.building.resize import resize_all
from texelcore.delivery.documents import Probes
from texelcore.normals.rebuild import unit_vectors
from texelcore.pixels.image import Image, Pixels
from texelcore.pixels.read import read
from texelcore.pixels.resample import Filter
from texelcore.surface.files import FileFacts
from texelcore.surface.ledger import Ledger
from texelcore.surface.properties import PROPERTIES, property_of
from texelcore.surface.storage import Storage
from texelcore.targets.document import Target, TargetChannel, TargetOutput, tile_key, without_tile

POINTS = 512
# One over the plastic number and its square: points that cover a square evenly (Roberts' R2 sequence; from memory).
_STEP = (0.7548776662466927, 0.5698402909980532)


def probe_points() -> tuple[tuple[float, float], ...]:
    """The points of every set's probes, in texture coordinates from the upper left."""
    return tuple(
        (round((0.5 + index * _STEP[0]) % 1, 6), round((0.5 + index * _STEP[1]) % 1, 6)) for index in range(1, POINTS + 1)
    )


def take_probes(
    ledger: Ledger, files: Mapping[str, FileFacts], sources: Mapping[str, SourcePath], plan: Plan | None = None
) -> Probes:
    """Read a set's sources and take its canonical values. Properties that nothing provides are left out.

    With a `plan` a property has the size of the first output that holds it: the receiver is not to be blamed for what a smaller
    size leaves out. Raises UnreadableImage for a source that does not decode.
    """
    points = probe_points()
    held = plan.outputs if plan else ()
    asked = {entry.property for planned in held for entry in planned.channels}
    target = canonical_target(ledger, asked & {"diffuse", "specular"})
    picked = _Picked(sources, points)
    values: dict[str, tuple[tuple[float, ...], ...]] = {}
    for tile in ledger.tiles() or (None,):
        surface = ledger if tile is None else ledger.at(tile)
        for output in target.outputs:
            key = output.channels[0].property
            if not asked_for(output, surface):
                continue
            resolved = row_of(ledger, key) if key == "mask" else None
            size, filter = _size_in(held, resolved.property if resolved else key, tile)
            planned = plan_at_size(surface, target, output.model_copy(update={"resampling": filter}), files, size)
            if planned.problem or not planned.files:
                continue
            found = picked.take(planned)
            if key == "normal":
                found = unit_vectors(found)
            name = key if tile is None else tile_key(key, tile)
            values[name] = tuple(tuple(round(float(part), 5) for part in value) for value in found)
    return Probes(set=ledger.name, points=points, values=values)


def canonical_target(ledger: Ledger, more: Collection[str] = ()) -> Target:
    """The canonical surface of a set as a target: every property by itself, as it is defined, each of its masks, and `more`."""
    masks = sorted(row.property for row in ledger.rows if row.property.startswith("mask."))
    keys = [key for key in PROPERTIES if key != "specular"] + masks + ["mask"] * bool(masks) + sorted(more)
    outputs = []
    for place, key in enumerate(keys):
        prop = property_of(key)
        names = "RGB" if len(prop.components) == 3 else "Y"
        channels = [
            TargetChannel.model_validate({"channel": name, "property": key, "component": at}) for at, name in enumerate(names)
        ]
        outputs.append(
            TargetOutput(
                key=f"p{place}",
                title=prop.title,
                suffix=f"p{place}",
                file_format="exr",
                sample="f32",
                encoding="linear",
                channels=tuple(channels),
                only_with=(key,),
                storage=Storage(format="rgba32f"),
            )
        )
    return Target(
        name="canonical",
        title="Canonical surface",
        summary="",
        version=1,
        normal_y="+Y",
        name_template="{set}_{suffix}",
        outputs=tuple(outputs),
    )


def _size_in(outputs: Sequence[PlannedOutput], key: str, tile: int | None) -> tuple[tuple[int, int] | None, Filter]:
    """The size that a property has in the outputs of a plan, and the filter that brought it there; None where none holds it."""
    for planned in outputs:
        of_tile = without_tile(planned.key)[1] == ("" if tile is None else str(tile))
        holds = any(entry.property == key and not entry.fills for entry in planned.channels)
        if of_tile and holds:
            return (planned.width, planned.height), planned.output.resampling
    return None, "mitchell"


class _Picked:
    """The texels of a set's sources around the points; where a size is not the file's own, those of the resampled file."""

    def __init__(self, sources: Mapping[str, SourcePath], points: tuple[tuple[float, float], ...]) -> None:
        self.sources, self.points = sources, points
        self.texels: dict[str, Image] = {}

    def take(self, planned: PlannedOutput) -> NDArray[np.float64]:
        """An output's values at the points, (N, components)."""
        whole = {name: self._read(name) for name in planned.files if name in planned.resized or name not in self.texels}
        for name, image in whole.items():
            self.texels.setdefault(name, Image(self._at_points(image.data), image.channels))
        resized = {how: self._at_points(values) for how, values in resize_all(planned, whole).items()} if planned.resized else {}
        row = planned.model_copy(update={"width": POINTS, "height": 1})
        return np.asarray(assemble(row, self.texels, 0, 1, resized)[0], np.float64)

    def _read(self, name: str) -> Image:
        return read(self.sources[name].path, self.sources[name].name)

    def _at_points(self, values: Pixels) -> Pixels:
        height, width = values.shape[:2]
        x = np.array([int(point[0] * width) for point in self.points])
        y = np.array([int(point[1] * height) for point in self.points])
        return np.ascontiguousarray(values[y, x][None])
