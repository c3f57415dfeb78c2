"""Probes: the canonical surface of a set at a few hundred points, taken from its sources."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from texelcore.building.execute import SourcePath, assemble
from texelcore.building.plan import plan_build
from texelcore.delivery.documents import Probes
from texelcore.normals.rebuild import unit_vectors
from texelcore.pixels.image import Image
from texelcore.pixels.read import read
from texelcore.surface.files import FileFacts
from texelcore.surface.ledger import Ledger
from texelcore.surface.properties import PROPERTIES
from texelcore.surface.storage import Storage
from texelcore.targets.document import Target, TargetChannel, TargetOutput

POINTS = 512
# One over the plastic number and its square: points that cover a square evenly (Roberts' R2 sequence; from memory).
_STEP = (0.7548776662466927, 0.5698402909980532)


def probe_points() -> tuple[tuple[float, float], ...]:
    """The points of every set's probes, in texture coordinates from the upper left."""
    return tuple(
        (round((0.5 + index * _STEP[0]) % 1, 6), round((0.5 + index * _STEP[1]) % 1, 6)) for index in range(1, POINTS + 1)
    )


def take_probes(ledger: Ledger, files: Mapping[str, FileFacts], sources: Mapping[str, SourcePath]) -> Probes:
    """Read a set's sources and take its canonical values. Properties that nothing provides are left out.

    Raises UnreadableImage for a source that does not decode.
    """
    points = probe_points()
    plan = plan_build(ledger, canonical_target(), files)
    picked: dict[str, Image] = {}
    values: dict[str, tuple[tuple[float, ...], ...]] = {}
    for planned in plan.outputs:
        if planned.problem or not planned.files:
            continue
        for name in planned.files:
            if name not in picked:
                picked[name] = _pick(read(sources[name].path, sources[name].name), points)
        row = planned.model_copy(update={"width": POINTS, "height": 1})
        found = assemble(row, picked, 0, 1)[0].astype(np.float64)
        if planned.output.key == "normal":
            found = unit_vectors(found)
        values[planned.key] = tuple(tuple(round(float(part), 5) for part in value) for value in found)
    return Probes(set=ledger.name, points=points, values=values)


def canonical_target() -> Target:
    """The canonical surface as a target: every property by itself, as it is defined. No engine stores its floats, so that it is
    made without the rules for targets that are delivered."""
    outputs = []
    for key, prop in PROPERTIES.items():
        if key == "specular":
            continue
        names = "RGB" if len(prop.components) == 3 else "Y"
        channels = [
            TargetChannel.model_validate({"channel": name, "property": key, "component": at}) for at, name in enumerate(names)
        ]
        outputs.append(
            TargetOutput(
                key=key,
                title=prop.title,
                suffix=key,
                file_format="exr",
                sample="f32",
                encoding="linear",
                channels=tuple(channels),
                only_with=(key,),
                storage=Storage(format="rgba16f"),
            )
        )
    return Target.model_construct(
        name="canonical",
        title="Canonical surface",
        summary="",
        version=1,
        normal_y="+Y",
        name_template="{set}_{suffix}",
        outputs=tuple(outputs),
    )


def _pick(image: Image, points: tuple[tuple[float, float], ...]) -> Image:
    """The texels around the points, as a picture of one row."""
    x = np.array([int(point[0] * image.width) for point in points])
    y = np.array([int(point[1] * image.height) for point in points])
    return Image(np.ascontiguousarray(image.data[y, x][None]), image.channels)
