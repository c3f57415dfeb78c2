"""The executor: carries a planned output out, strip by strip."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterable, Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from texelcore.building.plan import Plan, PlannedChannel, PlannedOutput, files_of
from texelcore.building.recipe import Constant, FromSpecular, RebuiltBlue, Take, apply_steps, as_float
from texelcore.derive.from_specular import from_specular
from texelcore.normals.rebuild import rebuild_z
from texelcore.pixels.image import SAMPLE_DTYPES, Image, Pixels, Sample
from texelcore.pixels.read import read
from texelcore.pixels.strips import StripSource
from texelcore.pixels.values import as_stored
from texelcore.pixels.write import write

Progress = Callable[[float, str], None]


@dataclass(frozen=True)
class SourcePath:
    """Where a source file's bytes lie, and what to call it in errors."""

    path: Path
    name: str


@dataclass(frozen=True)
class Made:
    """An output that was written: its place, size in bytes and SHA-256."""

    planned: PlannedOutput
    path: Path
    bytes: int
    sha256: str


def make_outputs(
    plan: Plan,
    sources: Mapping[str, SourcePath],
    folder: Path,
    progress: Progress = lambda share, doing: None,
    threads: int = 2,
) -> list[Made]:
    """Carry out every output of a plan that has no problem, into `folder`.

    `sources` says where each file id lies. `progress` is told the share done (0–1) and what is being done, between
    strips; it may raise Cancelled to stop. Each output appears whole or not at all. Raises what `progress` raises,
    UnreadableImage for a source that does not decode, TexelError when `folder` refuses.
    """
    ready = [planned for planned in plan.outputs if planned.problem is None]
    made = []
    images: dict[str, Image] = {}
    for index, planned in enumerate(ready):
        later = {name for other in ready[index:] for name in other.files}
        # A decoded source is kept while a later output still needs it, and no longer.
        for name in [name for name in images if name not in later]:
            del images[name]
        _decode_into(images, [name for name in planned.files if name not in images], sources, threads)

        def tell(share: float, index: int = index, planned: PlannedOutput = planned) -> None:
            progress((index + share) / len(ready), planned.file_name)

        made.append(make_output(planned, images, folder, tell, threads))
    progress(1.0, "")
    return made


def make_output(
    planned: PlannedOutput, images: Mapping[str, Image], folder: Path, tell: Callable[[float], None], threads: int = 2
) -> Made:
    """Carry out one output from decoded sources. `tell` hears the share done (0–1) and may raise to stop."""
    folder.mkdir(parents=True, exist_ok=True)
    path = folder / planned.file_name
    tell(0.0)

    def rows(start: int, stop: int) -> Pixels:
        return assemble(planned, images, start, stop)

    def written(done: int) -> None:
        tell(done / planned.height)

    source = StripSource(planned.width, planned.height, len(planned.channels), planned.output.sample, rows)
    write(source, planned.output.file_format, planned.output.encoding, path, threads, written)
    return Made(planned, path, path.stat().st_size, file_sha256(path))


def assemble(planned: PlannedOutput, images: Mapping[str, Image], start: int, stop: int) -> Pixels:
    """Rows `start` to `stop` of an output as a (rows, width, channels) array of its sample type."""
    sample = planned.output.sample
    out = np.empty((stop - start, planned.width, len(planned.channels)), SAMPLE_DTYPES[sample])
    solved: dict[str, NDArray[np.float64]] = {}
    for index, entry in enumerate(planned.channels):
        out[:, :, index] = _fill_channel(entry, images, start, stop, sample, solved)
    return out


def _fill_channel(
    entry: PlannedChannel,
    images: Mapping[str, Image],
    start: int,
    stop: int,
    sample: Sample,
    solved: dict[str, NDArray[np.float64]],
) -> Pixels:
    recipe = entry.recipe
    if isinstance(recipe, Constant):
        return as_stored(np.array(recipe.value), sample)
    if isinstance(recipe, Take):
        return apply_steps(images[recipe.file].channel(recipe.channel)[start:stop], recipe.steps, sample)
    if isinstance(recipe, RebuiltBlue):
        x, y = (
            as_float(images[take.file].channel(take.channel)[start:stop], take.steps) * 2 - 1
            for take in (recipe.red, recipe.green)
        )
        return as_stored(rebuild_z(x, y) * 0.5 + 0.5, sample)
    # The channels of one output share one solution of the specular conversion.
    key = ",".join(files_of(recipe))
    if key not in solved:
        solved[key] = _solve_specular(recipe, images, start, stop)
    return apply_steps(solved[key][:, :, recipe.component], recipe.steps, sample)


def _solve_specular(recipe: FromSpecular, images: Mapping[str, Image], start: int, stop: int) -> NDArray[np.float64]:
    def colour(takes: Iterable[Take]) -> NDArray[np.float64]:
        parts = [as_float(images[take.file].channel(take.channel)[start:stop], take.steps) for take in takes]
        return np.stack(parts, axis=-1)

    result = from_specular(colour(recipe.diffuse), colour(recipe.specular))
    return np.concatenate([result.base_colour, result.metallic[:, :, None]], axis=-1)


def _decode_into(images: dict[str, Image], names: list[str], sources: Mapping[str, SourcePath], threads: int) -> None:
    with ThreadPoolExecutor(max(1, threads)) as pool:
        for name, image in zip(names, pool.map(lambda name: read(sources[name].path, sources[name].name), names), strict=True):
            images[name] = image


def file_sha256(path: Path) -> str:
    """The SHA-256 of a file's bytes, in hex."""
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()
