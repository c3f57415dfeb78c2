"""Probes: the canonical surface of a set at a few hundred points and in coarse cells, taken from its sources."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence

import numpy as np

from texelcore.building.execute import assemble
from texelcore.building.filling import row_of
from texelcore.building.plan import Plan, PlannedOutput, is_asked_for, plan_at_size
from texelcore.building.resize import resize_all
from texelcore.building.sources import Sources
from texelcore.delivery.documents import CellValues, Probes
from texelcore.normals.rebuild import unit_vectors
from texelcore.pixels.image import Image
from texelcore.pixels.resample import Filter
from texelcore.pixels.strips import MEASURED_TEXELS, strip_ranges
from texelcore.proof.places import Cells, Floats, Points, probe_points, texels_at
from texelcore.surface.ledger import Ledger
from texelcore.surface.properties import PROPERTIES, property_of
from texelcore.surface.sources import Source
from texelcore.surface.storage import Storage
from texelcore.targets.document import Target, TargetChannel, TargetOutput, property_at, without_tile

# The most that a set's probes weigh, as a file: coarser cells where there is more to say.
LARGEST = 256_000
# As many digits as a float sample of 0–1 has.
DIGITS = 7


def take_probes(ledger: Ledger, sources: Sources, plan: Plan | None = None) -> Probes:
    """Read a set's sources and take its canonical values. Properties that nothing provides are left out.

    With a `plan` a property has the size of the first output that holds it: the receiver is not to be blamed for what a smaller
    size leaves out. Raises UnreadableImage for a source that does not decode.
    """
    points = probe_points()
    held = plan.outputs if plan else ()
    asked = {channel.property for planned in held for channel in planned.channels}
    target = canonical_target(ledger, asked & {"diffuse", "specular"})
    wanted: list[tuple[str, PlannedOutput]] = []
    for tile in ledger.tiles() or (None,):
        surface = ledger if tile is None else ledger.at(tile)
        for output in target.outputs:
            key = output.channels[0].property
            if not is_asked_for(output, surface):
                continue
            resolved = row_of(ledger, key) if key == "mask" else None
            size, filter = _size_in(held, resolved.property if resolved else key, tile)
            planned = plan_at_size(surface, target, output.model_copy(update={"resampling": filter}), sources, size)
            if planned.files and not planned.problem:
                wanted.append((property_at(key, tile or ""), planned))
    values: dict[str, tuple[tuple[float, ...], ...]] = {}
    cells: dict[str, Cells] = {}
    images: dict[Source, Image] = {}
    for place, (name, planned) in enumerate(wanted):
        later = {file for _, other in wanted[place:] for file in other.files}
        images = {file: image for file, image in images.items() if file in later}
        images |= sources.pixels([file for file in planned.files if file not in images])
        # Filters overshoot; what comes of whole numbers is stored in their range, and meant so.
        within = (0.0, 1.0) if not any(sources[file].is_float for file in planned.files) else None
        found, cells[name] = _looked_at(planned, images, points, within)
        values[name] = tuple(tuple(round(float(part), DIGITS) for part in value) for value in found)
    return _of_size(Probes(set=ledger.name, points=points, values=values), cells)


def _looked_at(
    planned: PlannedOutput, images: Mapping[Source, Image], points: Points, within: tuple[float, float] | None
) -> tuple[Floats, Cells]:
    """A property at the points, (N, components), and in cells; kept `within` two numbers where these are given."""
    rows, columns = texels_at(points, planned.width, planned.height)
    resized = resize_all(planned, images) if planned.resized else None
    directions = planned.channels[0].property == "normal"
    cells = Cells(planned.width, planned.height, len(planned.channels))
    found = np.zeros((len(points), len(planned.channels)))
    for start, stop in strip_ranges(planned.width, planned.height, MEASURED_TEXELS):
        part = np.asarray(assemble(planned, images, start, stop, resized), np.float64)
        part = unit_vectors(part) if directions else part if within is None else np.clip(part, *within)
        cells.add(start, part)
        here = (rows >= start) & (rows < stop)
        found[here] = part[rows[here] - start, columns[here]]
    return found, cells


def _of_size(probes: Probes, cells: Mapping[str, Cells]) -> Probes:
    """Probes with their cells, as fine as the largest file allows."""
    while True:
        whole = probes.model_copy(update={"cells": {name: CellValues.of(entry) for name, entry in cells.items()}})
        if len(whole.model_dump_json()) <= LARGEST or all(entry.shape[:2] == (1, 1) for entry in cells.values()):
            return whole
        cells = {name: entry.halved() for name, entry in cells.items()}


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
        holds = any(channel.property == key and not channel.fills for channel in planned.channels)
        if of_tile and holds:
            return (planned.width, planned.height), planned.output.resampling
    return None, "mitchell"
