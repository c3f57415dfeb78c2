"""Everything that is measured on one picture when it arrives."""

from __future__ import annotations

import base64

import numpy as np

from texelcore.evidence.channels import Floats, holes, look_at_channels, middle, sample, share_of, squared_length
from texelcore.evidence.direction import normal_direction
from texelcore.evidence.structure import blotches, coarse_colour, even_gradient, octaves, parts, period, seams, shrunk
from texelcore.pixels.image import LARGEST_HALF, Image, Pixels
from texelcore.pixels.values import as_stored, top_of
from texelcore.surface.evidence import ChannelSeen, ColourSeen, DirectionSeen, Evidence, FieldSeen, PictureKind

PRINT, TINT = 24, 8
# Judgement, tuned on generated materials and on photographs.
UNIT = 0.15
MOSTLY_UNIT = 0.85
LEAST_BLUE = 0.55
MEAN_BLUE = 0.8
MOST_LEAN = 0.45
# Channels that know nothing of each other: their slopes agree no more than by chance, and their length varies by more than what
# 8 bits and lossy files do to it.
UNRELATED_SCORE, UNRELATED_SIGMA, LOOSE_LENGTH = 0.12, 3.0, 0.03
# Directions must be left outside of the holes: some texels, and a share of all.
LEAST_SOLID, MOSTLY_HOLES = 16, 0.01
EDGES_ALIKE = 0.6
VALUES_ALIKE = 0.8


def look(image: Image, declared: str = "") -> Evidence:
    """Measure a picture. `declared` is the file's own colour declaration (`pixels.declared`). Of floats, what is no number is
    measured as 0 and what no half can hold as the largest that it can; both are counted."""
    odd, large = _odd_samples(image)
    image = image.measurable()
    channels = look_at_channels(image)
    values = sample(image.data)
    direction = None
    kind = _kind(image, channels, values)
    field = _field(values, image) if kind == "vector field" else None
    if kind in ("vector field", "two-channel field"):
        direction = normal_direction(image)
        if kind == "two-channel field" and direction.answer is None:
            kind, direction = "packed" if len(image.channels) > 2 else "grey", None
        elif field and _are_unrelated(field, direction):
            kind, direction, field = _of_channels(image, channels, values), None, None
    small = shrunk(image)
    finest, second = octaves(image)
    across, down = seams(image)
    return Evidence(
        picture=kind,
        channels=channels,
        direction=direction,
        field=field,
        colour=_colour(values, small) if kind in ("colour", "grey") else None,
        declared=declared,
        finest=_short(finest),
        second=_short(second),
        seam=(_short(across), _short(down)),
        period=_period(small),
        blotches=_short(blotches(small)),
        print=_print(small),
        tint=_tint(image),
        no_numbers=odd,
        too_large=large,
    )


def _odd_samples(image: Image) -> tuple[int, int]:
    """How many samples are no numbers (NaN or infinite), and how many are finite and too large for a half."""
    if image.data.dtype.kind == "u":
        return 0, 0
    finite = np.isfinite(image.data)
    large = finite & (np.abs(image.data, where=finite, out=np.zeros_like(image.data)) > LARGEST_HALF)
    return int(image.data.size - np.count_nonzero(finite)), int(np.count_nonzero(large))


def _kind(image: Image, channels: dict[str, ChannelSeen], values: Floats) -> PictureKind:
    colours = [channels[name] for name in image.channels if name != "A"]
    if all(seen.kind == "constant" for seen in colours):
        return "constant"
    if image.channels == ("Y", "A") and _is_two_channel_field(values, list(channels.values())):
        return "two-channel field"
    if len(colours) < 3 or (
        all(seen.kind in ("copy", "constant") for seen in colours[1:]) and any(seen.copy_of for seen in colours)
    ):
        return "grey"
    solid = values[..., :3][~holes(values)]
    if len(solid) >= max(LEAST_SOLID, MOSTLY_HOLES * values.shape[0] * values.shape[1]):
        vectors = solid * 2 - 1
        lean = np.abs(vectors[..., :2].mean(axis=0)).max()
        if _is_field(solid, vectors) and lean < MOST_LEAN:
            return "vector field"
    flat_blue = colours[2].kind == "constant" or colours[2].copy_of is not None
    if flat_blue and _is_two_channel_field(values, colours[:2]):
        return "two-channel field"
    return _of_channels(image, channels, values)


def _of_channels(image: Image, channels: dict[str, ChannelSeen], values: Floats) -> PictureKind:
    """What three channels are that hold no directions."""
    colours = [channels[name] for name in image.channels if name != "A"]
    return "colour" if _is_coloured(colours, values[..., :3], middle(image.data)[..., :3]) else "packed"


def _are_unrelated(field: FieldSeen, direction: DirectionSeen) -> bool:
    """Whether what looks like directions are greys that know nothing of each other, or light blue paint: they have no one length,
    and their slopes fit together in no way. Directions of unit length may do that too: a weave's, or those that were painted."""
    alike = direction.undecided in ("both readings fit alike", "flat") and abs(direction.score) < UNRELATED_SCORE
    return alike and direction.sigma < UNRELATED_SIGMA and field.length_error > LOOSE_LENGTH


def _is_two_channel_field(values: Floats, seen: list[ChannelSeen]) -> bool:
    """Two channels that may be the first two components of unit vectors whose mean stands about upright. Whether they are
    directions is for their curl to say."""
    vectors = values[..., :2] * 2 - 1
    short = share_of(squared_length(vectors) <= 1.02) > 0.98
    lean = np.abs(vectors.mean(axis=(0, 1))).max()
    return bool(short and lean < 0.15 and not any(channel.kind in ("constant", "copy") for channel in seen))


def _is_field(values: Floats, vectors: Floats) -> bool:
    """Blue, and of one length: of unit length, or scaled by somebody. Light blue paint is of one length too, but its red
    and green go together."""
    if values[..., 2].mean() < LEAST_BLUE:
        return False
    length = np.sqrt(squared_length(vectors))
    if share_of(np.abs(length - 1) < UNIT) > MOSTLY_UNIT:
        return True
    usual = float(np.median(length))
    one_length = share_of(np.abs(length - usual) < UNIT / 2) > MOSTLY_UNIT and 0.4 < usual < 1.3
    return (one_length or _stands_upright(values, vectors)) and abs(_alike(vectors)[0]) < 0.5


def _stands_upright(values: Floats, vectors: Floats) -> bool:
    """Whether vectors that were never normalised are directions still: all of them point up, and none to one side on average.
    Filters that sharpen and layers that were added leave such maps, and games ship them."""
    lean = np.abs(vectors[..., :2].reshape(-1, 2).mean(axis=0)).max()
    most = np.maximum(values[..., 0], values[..., 1])
    return bool(values[..., 2].mean() > MEAN_BLUE and lean < 0.2 and share_of(values[..., 2] >= most - 0.06) > 0.93)


def _is_coloured(colours: list[ChannelSeen], values: Floats, crop: Floats) -> bool:
    """Colours go together: their edges lie in the same places, or they are light and dark together. The channels of a
    packed map know little of each other, and some are constant or two-valued."""
    if {seen.kind for seen in colours} & {"constant", "two-valued"}:
        return False
    edges = np.abs(np.diff(crop, axis=0))[:, :-1] + np.abs(np.diff(crop, axis=1))[:-1]
    return min(_alike(edges)) > EDGES_ALIKE or float(np.median(_alike(values))) > VALUES_ALIKE


def _alike(field: Floats) -> tuple[float, float, float]:
    """The correlation of each pair of three channels; 0 where one of them does not vary."""
    flat = field.reshape(-1, 3).astype(np.float64)
    if len(flat) < 2:
        return 0.0, 0.0, 0.0
    centred = flat - flat.mean(axis=0)
    spread = np.sqrt((centred * centred).sum(axis=0))
    products = centred.T @ centred / np.maximum(np.outer(spread, spread), 1e-12)
    return float(products[0, 1]), float(products[0, 2]), float(products[1, 2])


def _field(values: Floats, image: Image) -> FieldSeen:
    vectors = values[..., :3][~holes(values)] * 2 - 1
    length = np.sqrt(squared_length(vectors))
    # All texels: a sample of a woven surface could pick one side of every thread.
    top = top_of(image.data.dtype)
    empty = holes(image.data)
    solid = ~empty if empty.any() else None
    x, y, z = (_mean(image.data[..., index], solid) / top * 2 - 1 for index in range(3))
    lean = np.degrees(np.arctan2(np.hypot(x, y), max(z, 1e-6)))
    return FieldSeen(length_error=_short(float(np.abs(length - 1).mean())), lean=_short(float(lean)))


def _painted(values: Floats, luma: Floats) -> Pixels:
    """Where a picture in colour holds surface: not where it is cut out, nor the even ground between the pieces of an atlas."""
    painted = np.ones(luma.shape, bool)
    if values.shape[-1] == 4 and values[..., 3].min() < 0.5:
        painted &= values[..., 3] >= 0.5
    levels = as_stored(luma, "u8")
    counts = np.bincount(levels[painted], minlength=256) if painted.any() else np.zeros(256, int)
    ground = int(counts.argmax())
    # One level that a sixth of the picture has, when its neighbours are rare, was poured and not painted.
    around = int(counts[max(0, ground - 3) : ground + 4].sum()) - int(counts[ground])
    if counts[ground] > painted.sum() / 6 and around < counts[ground] / 4:
        painted &= levels != ground
    return painted if painted.any() else np.ones(luma.shape, bool)


def _mean(channel: Pixels, where: Pixels | None) -> float:
    return float((channel if where is None else channel[where]).mean(dtype=np.float64))


def _colour(values: Floats, small: Floats) -> ColourSeen:
    count = min(3, values.shape[-1]) if values.shape[-1] != 2 else 1
    luma = np.add.reduce([values[..., index] for index in range(count)]) / count
    luma = luma[_painted(values, luma)]
    dark, bright = (float(value) * 255 for value in np.quantile(luma, (0.02, 0.98)))
    return ColourSeen(dark=round(dark, 1), bright=round(bright, 1), gradient=_short(even_gradient(small)))


def _period(small: Floats) -> tuple[float, float, float] | None:
    found = period(small)
    return (_short(found[0]), _short(found[1]), _short(found[2])) if found else None


def _print(small: Floats) -> str:
    return base64.b64encode(as_stored(parts(small, PRINT), "u8").tobytes()).decode("ascii")


def _tint(image: Image) -> str:
    return base64.b64encode(as_stored(coarse_colour(image, TINT), "u8").tobytes()).decode("ascii")


def _short(value: float) -> float:
    """Four significant digits: facts are kept as JSON, and the measurements are no better."""
    return float(f"{value:.4g}")
