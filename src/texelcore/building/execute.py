"""The executor: carries a planned output out, strip by strip."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from texelcore.building.plan import Plan, PlannedChannel, PlannedOutput
from texelcore.building.recipe import (
    Constant,
    FromSpecular,
    Multiplied,
    RebuiltBlue,
    Recipe,
    Take,
    ToSpecular,
    apply_steps,
    as_float,
    through,
)
from texelcore.building.resize import Resized, resize_all
from texelcore.building.sources import Sources
from texelcore.derive.from_specular import from_specular
from texelcore.derive.to_specular import to_specular
from texelcore.normals.rebuild import rebuild_z
from texelcore.pixels.dither import as_dithered
from texelcore.pixels.image import SAMPLE_DTYPES, Image, Pixels, Sample
from texelcore.pixels.strips import StripSource
from texelcore.pixels.values import as_stored
from texelcore.pixels.write import write
from texelcore.surface.sources import Source

Progress = Callable[[float, str], None]
Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Made:
    """An output that was written: its place, size in bytes and SHA-256."""

    planned: PlannedOutput
    path: Path
    bytes: int
    sha256: str


def make_outputs(
    plan: Plan,
    sources: Sources,
    folder: Path,
    progress: Progress = lambda share, doing: None,
    threads: int = 2,
) -> list[Made]:
    """Carry out every output of a plan that has no problem, into `folder`.

    `progress` is told the share done (0–1) and what is being done, between
    strips; it may raise Cancelled to stop. Each output appears whole or not at all. Raises what `progress` raises,
    UnreadableImage for a source that does not decode, TexelError when `folder` refuses.
    """
    ready = [planned for planned in plan.outputs if planned.problem is None]
    made = []
    images: dict[Source, Image] = {}
    for index, planned in enumerate(ready):
        later = {name for other in ready[index:] for name in other.files}
        # A decoded source is kept while a later output still needs it, and no longer.
        for name in [name for name in images if name not in later]:
            del images[name]
        images |= sources.pixels([name for name in planned.files if name not in images], threads)

        def tell(share: float, index: int = index, planned: PlannedOutput = planned) -> None:
            progress((index + share) / len(ready), planned.file_name)

        made.append(make_output(planned, images, folder, tell, threads))
    progress(1.0, "")
    return made


def make_output(
    planned: PlannedOutput, images: Mapping[Source, Image], folder: Path, tell: Callable[[float], None], threads: int = 2
) -> Made:
    """Carry out one output from decoded sources. `tell` hears the share done (0–1) and may raise to stop."""
    folder.mkdir(parents=True, exist_ok=True)
    path = folder / planned.file_name
    tell(0.0)
    resized = resize_all(planned, images, threads)

    def rows(start: int, stop: int) -> Pixels:
        return assemble(planned, images, start, stop, resized)

    def written(done: int) -> None:
        tell(done / planned.height)

    source = StripSource(planned.width, planned.height, len(planned.channels), planned.output.sample, rows)
    output = planned.output
    write(source, output.file_format, output.encoding, path, threads, written, output.quality)
    return Made(planned, path, path.stat().st_size, file_sha256(path))


def assemble(
    planned: PlannedOutput, images: Mapping[Source, Image], start: int, stop: int, resized: Resized | None = None
) -> Pixels:
    """Rows `start` to `stop` of an output as a (rows, width, channels) array of its sample type. `resized` holds what
    `resize_all` gave for it, where maps come in other sizes."""
    sample = planned.output.sample
    out = np.empty((stop - start, planned.width, len(planned.channels)), SAMPLE_DTYPES[sample])
    strip = _Strip(images, resized or {}, start, stop, planned.output.dither)
    for index, channel in enumerate(planned.channels):
        out[:, :, index] = strip.fill(channel, index, sample)
    return out


class _Strip:
    """Some rows of an output being filled: the decoded and resized sources of its channels, and what several of them share."""

    def __init__(self, images: Mapping[Source, Image], resized: Resized, start: int, stop: int, dither: bool) -> None:
        self.images, self.resized, self.rows, self.dither = images, resized, slice(start, stop), dither
        # The channels of one output share one solution of the specular conversion.
        self.solved: dict[tuple[Take, ...], Floats] = {}

    def fill(self, channel: PlannedChannel, index: int, sample: Sample) -> Pixels:
        """A channel's rows as stored values."""
        recipe = channel.recipe
        if isinstance(recipe, Take) and recipe.resampling is None:
            stored = self.images[recipe.file].channel(recipe.channel)[self.rows]
            deeper = stored.dtype != SAMPLE_DTYPES[sample] or bool(recipe.steps)
            if not (self.dither and deeper):
                return apply_steps(stored, recipe.steps, sample)
        values = self.values(recipe)
        if self.dither and values.ndim:
            return as_dithered(values, sample, self.rows.start, index)
        return as_stored(values, sample)

    def values(self, recipe: Recipe) -> Floats:
        """A recipe's rows as floats; a single number where it is the same everywhere."""
        if isinstance(recipe, Constant):
            return np.array(recipe.value)
        if isinstance(recipe, Take):
            return self._taken(recipe)
        if isinstance(recipe, RebuiltBlue):
            x, y = (self._taken(take) * 2 - 1 for take in (recipe.red, recipe.green))
            return np.asarray(rebuild_z(x, y) * 0.5 + 0.5)
        if isinstance(recipe, Multiplied):
            darkened = 1 + recipe.strength * (self._taken(recipe.by) - 1)
            return through(self.values(recipe.value) * darkened, recipe.steps)
        solution = self._to_specular(recipe) if isinstance(recipe, ToSpecular) else self._solution(recipe)
        return through(solution[:, :, recipe.component], recipe.steps)

    def _taken(self, take: Take) -> Floats:
        if take.resampling is None:
            return as_float(self.images[take.file].channel(take.channel)[self.rows], take.steps)
        whole = self.resized[take.file, take.resampling]
        plane = whole[self.rows, :, take.resampling.channels.index(take.channel)]
        return through(plane.astype(np.float64), take.steps)

    def _to_specular(self, recipe: ToSpecular) -> Floats:
        key = recipe.base
        if key not in self.solved:
            base = np.stack([self._taken(take) for take in recipe.base], axis=-1)
            metallic = np.broadcast_to(self.values(recipe.metallic), base.shape[:2])
            self.solved[key] = np.concatenate(to_specular(base, metallic), axis=-1)
        return self.solved[key]

    def _solution(self, recipe: FromSpecular) -> Floats:
        key = (*recipe.diffuse, *recipe.specular)
        if key not in self.solved:
            diffuse, specular = (
                np.stack([self._taken(take) for take in takes], -1) for takes in (recipe.diffuse, recipe.specular)
            )
            found = from_specular(diffuse, specular)
            self.solved[key] = np.concatenate([found.base_colour, found.metallic[:, :, None]], axis=-1)
        return self.solved[key]


def file_sha256(path: Path) -> str:
    """The SHA-256 of a file's bytes, in hex."""
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()
