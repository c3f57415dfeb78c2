"""What is done to stored values on their way from a source channel to an output channel."""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from texelcore.colour.srgb import from_linear, to_linear
from texelcore.derive.invert import invert
from texelcore.normals.flip import flip_green
from texelcore.pixels.image import SAMPLE_DTYPES, Pixels, Sample
from texelcore.pixels.resample import Filter
from texelcore.pixels.values import as_stored, as_values
from texelcore.surface.documents import Document
from texelcore.surface.files import ChannelName
from texelcore.surface.properties import Encoding
from texelcore.surface.sources import Source

Conversion = Literal["srgb_to_linear", "linear_to_srgb", "invert", "flip_green"]
STEPS: dict[Conversion, Callable[[NDArray[np.float64]], NDArray[np.float64]]] = {
    "srgb_to_linear": to_linear,
    "linear_to_srgb": from_linear,
    "invert": invert,
    "flip_green": flip_green,
}
STEP_WORDS: dict[Conversion, str] = {
    "srgb_to_linear": "sRGB to linear",
    "linear_to_srgb": "linear to sRGB",
    "invert": "inverted (1 − value)",
    "flip_green": "green flipped",
}


class Fit(Document):
    """Values between two numbers stored as 0–1: `low` as 0, `high` as 1."""

    kind: Literal["fit"] = "fit"
    low: float
    high: float


Step = Conversion | Fit
# Raised when an operation or a writer changes the bytes that it makes, so that content keys change with it.
OPERATIONS_VERSION = 3


Meant = Literal["light", "direction", "number", "mask"]


class Resampling(Document):
    """How a map of another size is brought to that of its output: all its `channels`, read as `encoding` says, by what they mean.

    Light and numbers are averaged (light linear), directions come out at unit length (the third component is rebuilt where there
    are two channels), masks of two values by majority.
    """

    meant: Meant
    encoding: Encoding
    channels: tuple[ChannelName, ...]
    filter: Filter


class Take(Document):
    """One source channel, through pointwise steps in order; resampled first where sizes differ, and read by that."""

    kind: Literal["take"] = "take"
    file: Source
    channel: ChannelName
    steps: tuple[Step, ...] = ()
    resampling: Resampling | None = None


class Constant(Document):
    """The same canonical value everywhere, already in the output's encoding."""

    kind: Literal["constant"] = "constant"
    value: float


class FromSpecular(Document):
    """Base colour (component 0–2, encoded as the output wants) or metallic (3) of a set in the specular workflow."""

    kind: Literal["from_specular"] = "from_specular"
    diffuse: tuple[Take, Take, Take]
    specular: tuple[Take, Take, Take]
    component: Literal[0, 1, 2, 3]
    steps: tuple[Step, ...] = ()


class RebuiltBlue(Document):
    """The third component of normals whose file stores two: from both takes, whose steps say how values are read. A flip is none
    of them: it changes no length."""

    kind: Literal["rebuilt_blue"] = "rebuilt_blue"
    red: Take
    green: Take


class Multiplied(Document):
    """One property darkened by another: `value` times 1 + `strength` × (`by` − 1), both linear, then through steps.

    The formula is that of occlusion in glTF 2.0, section Materials.
    """

    kind: Literal["multiplied"] = "multiplied"
    value: Take | Constant | FromSpecular | ToSpecular
    by: Take
    strength: float
    steps: tuple[Step, ...] = ()


class ToSpecular(Document):
    """Diffuse (component 0–2) or specular colour (3–5) of a set in the metallic workflow, then through steps."""

    kind: Literal["to_specular"] = "to_specular"
    base: tuple[Take, Take, Take]
    metallic: Take | Constant
    component: Literal[0, 1, 2, 3, 4, 5]
    steps: tuple[Step, ...] = ()


Recipe = Take | Constant | FromSpecular | ToSpecular | RebuiltBlue | Multiplied


def simplify(steps: tuple[Step, ...]) -> tuple[Step, ...]:
    """Steps without neighbours that undo each other, so that a map that needs nothing is copied exactly."""
    undone = {("srgb_to_linear", "linear_to_srgb"), ("linear_to_srgb", "srgb_to_linear")}
    undone |= {("invert", "invert"), ("flip_green", "flip_green")}
    kept: list[Step] = []
    for step in steps:
        if kept and (kept[-1], step) in undone:
            kept.pop()
        else:
            kept.append(step)
    return tuple(kept)


def apply_steps(values: Pixels, steps: tuple[Step, ...], sample: Sample) -> Pixels:
    """Carry stored values (any shape, any sample type) through `steps` into stored values of type `sample`.

    Integers are read as value / maximum; integer results are rounded to the nearest level and clipped to 0–1, halves up.
    Integer inputs go through a table over all their levels, so the result is exact for each level.
    """
    if not steps and values.dtype == SAMPLE_DTYPES[sample] and (values.dtype.kind == "u" or bool(np.isfinite(values).all())):
        return values
    if values.dtype.kind == "u":
        return np.take(_table(values.dtype.itemsize, steps, sample), values)
    return as_stored(through(values.astype(np.float64), steps), sample)


def as_float(values: Pixels, steps: tuple[Step, ...]) -> NDArray[np.float64]:
    """Stored values to floats through `steps`; integers are read as value / maximum."""
    return through(as_values(values), steps)


def through(values: NDArray[np.float64], steps: tuple[Step, ...]) -> NDArray[np.float64]:
    """Linear values through `steps`, in order."""
    for step in steps:
        values = (values - step.low) / (step.high - step.low) if isinstance(step, Fit) else STEPS[step](values)
    return values


def step_words(step: Step) -> str:
    """What a step does, in words."""
    return f"{step.low:g} to {step.high:g} as 0 to 1" if isinstance(step, Fit) else STEP_WORDS[step]


@lru_cache(maxsize=64)
def _table(itemsize: int, steps: tuple[Step, ...], sample: Sample) -> Pixels:
    top = 255 if itemsize == 1 else 65535
    return as_stored(through(np.arange(top + 1, dtype=np.float64) / top, steps), sample)
