"""What one channel looks like, from a sample of its texels."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from texelcore.pixels.image import Image, Pixels
from texelcore.pixels.values import as_stored, as_values, top_of
from texelcore.surface.evidence import ChannelKind, ChannelSeen

Floats = NDArray[np.float32]

LONGEST_SAMPLE = 256
# All limits here are judgement, tuned on generated materials; none is published.
COPY = 0.5 / 255
NEAR_END = 0.04
TWO_VALUED = 0.03
SMALLER_SIDE = 0.002
WHITE = 0.8
SMOOTH = 0.045
# Lossy files do not keep black quite black.
BLACK = 0.04
# Half is a direction along the surface; a compressed one may lie a little below.
FRINGE = 0.48
# No direction above a surface has a red or green of more than twice its blue, however far it fades.
STEEPEST = 2.0


def sample(data: Pixels) -> Floats:
    """Every n-th texel of stored pixels (H, W, ...) as 0–1 floats, so that neither edge is longer than 256."""
    step = max(1, -(-max(data.shape[:2]) // LONGEST_SAMPLE))
    picked = data[::step, ::step]
    values = as_values(picked, np.float32)
    return values if picked.dtype.kind == "u" else np.nan_to_num(values, posinf=1.0, neginf=0.0)


def look_at_channels(image: Image) -> dict[str, ChannelSeen]:
    """Each channel of an image, by name. Values beyond 0–1 of float pictures count as they are."""
    # Channel by channel in memory: everything below runs along one channel at a time.
    values = np.ascontiguousarray(np.moveaxis(sample(image.data), -1, 0))
    crop = np.ascontiguousarray(np.moveaxis(middle(image.data), -1, 0))
    seen: dict[str, ChannelSeen] = {}
    for index, name in enumerate(image.channels):
        mine = values[index]
        twin = next((image.channels[other] for other in range(index) if float(np.abs(mine - values[other]).mean()) < COPY), None)
        seen[name] = _look(mine, crop[index], _levels(image.data[..., index]), twin)
    return seen


def _look(values: Floats, crop: Floats, levels: int, twin: str | None) -> ChannelSeen:
    low, quarter, middle, three_quarters = _quantiles(values)
    at_low = share_of(values <= NEAR_END)
    at_high = share_of(values >= 1 - NEAR_END)
    between = 1 - at_low - at_high
    deviation = float(values.std())
    return ChannelSeen(
        kind=_kind(values, crop, (low, middle), (at_low, at_high, between), twin),
        mean=round(float(values.mean()), 4),
        deviation=round(deviation, 4),
        quarter=round(quarter, 4),
        three_quarters=round(three_quarters, 4),
        at_low=round(at_low, 4),
        at_high=round(at_high, 4),
        between=round(between, 4),
        levels=levels,
        copy_of=twin,
    )


def share_of(where: NDArray[np.bool_]) -> float:
    """The share of a mask that is true; counting is quicker than a mean."""
    return float(np.count_nonzero(where) / max(1, where.size))


def squared_length(vectors: Floats) -> Floats:
    """The squared length of vectors (..., 2 or 3), summed by component: a sum along so short an axis is slow."""
    squares = vectors[..., 0] * vectors[..., 0] + vectors[..., 1] * vectors[..., 1]
    return squares + vectors[..., 2] * vectors[..., 2] if vectors.shape[-1] > 2 else squares


def holes(data: Pixels) -> NDArray[np.bool_]:
    """Where stored pixels (..., C) of a normal map are no direction at all: black, or wholly transparent (common practice: what
    lies outside of a cut-out is left so)."""
    top = top_of(data.dtype)
    count = 3 if data.shape[-1] >= 3 else 1
    black = data[..., 0] <= BLACK * top
    for index in range(1, count):
        black &= data[..., index] <= BLACK * top
    if data.shape[-1] in (2, 4):
        clear = data[..., -1] == 0
        # A channel of zeros throughout is a mistake of export, not a picture of nothing.
        if not clear.all():
            black |= clear
    if count == 3 and black.any():
        # The fringe of a hole fades into it, to less blue than any tangent-space normal has: none points under its surface. Its
        # colour fades and does not turn: what is red or green beside black is a mask.
        low = (data[..., 2] < FRINGE * top) & ~black
        sides = np.maximum(data[..., 0], data[..., 1])[low]
        black[low] = sides <= STEEPEST * data[..., 2][low].astype(np.float32) + BLACK * top
    return np.asarray(black, bool)


def _quantiles(values: Floats) -> tuple[float, float, float, float]:
    """The value that 2, 25, 50 and 75 % lie below: of every fourth value, which is plenty."""
    ordered = np.sort(values.ravel()[:: 4 if values.size > 4096 else 1])
    places = [int(share * (ordered.size - 1)) for share in (0.02, 0.25, 0.5, 0.75)]
    low, quarter, middle, three_quarters = (float(ordered[place]) for place in places)
    return low, quarter, middle, three_quarters


def _kind(
    values: Floats, crop: Floats, spread: tuple[float, float], ends: tuple[float, float, float], twin: str | None
) -> ChannelKind:
    low, middle = spread
    at_low, at_high, between = ends
    if float(values.min()) == float(values.max()):
        return "constant"
    if twin:
        return "copy"
    if between < TWO_VALUED and min(at_low, at_high) > SMALLER_SIDE:
        return "two-valued"
    if middle >= WHITE and middle - low > 0.02 and _skew(values) < -0.8:
        # Mostly white and skewed towards the dark: what ambient occlusion looks like.
        return "creases"
    return "smooth" if _roughness_of(crop) < SMOOTH else "detail"


def _skew(values: Floats) -> float:
    """The third standardised moment; multiplied out, since powers of arrays are slow."""
    apart = values - values.mean()
    squares = apart * apart
    third, spread = float((squares * apart).mean()), float(squares.mean()) ** 1.5
    return third / max(float(spread), 1e-9)


def _roughness_of(crop: Floats) -> float:
    """The step between neighbours over the whole spread: small where a channel is a smooth height."""
    if min(crop.shape) < 2:
        return 1.0
    steps = (np.abs(np.diff(crop, axis=0)).mean() + np.abs(np.diff(crop, axis=1)).mean()) / 2
    return float(steps) / max(float(crop.std()), 1e-6)


def middle(data: Pixels) -> Floats:
    """The middle of a picture at full resolution, at most 256²: steps between neighbours need true neighbours."""
    height, width = data.shape[:2]
    top, left = max(0, (height - LONGEST_SAMPLE) // 2), max(0, (width - LONGEST_SAMPLE) // 2)
    return sample(data[top : top + LONGEST_SAMPLE, left : left + LONGEST_SAMPLE])


def _levels(channel: Pixels) -> int:
    """How many different values a channel holds; floats count as 16 bits. Rows are skipped in large pictures."""
    step = max(1, channel.shape[0] // 1024)
    rows = channel[::step]
    if rows.dtype.kind == "f":
        rows = as_stored(rows.astype(np.float32), "u16")
    seen = np.zeros(top_of(rows.dtype) + 1, bool)
    seen[rows.ravel()] = True
    return int(seen.sum())
