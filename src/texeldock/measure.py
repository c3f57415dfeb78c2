"""Measuring what was read: properties against the canonical surface, levels against the base."""

from __future__ import annotations

import itertools
from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from texelcore.codecs.meaning import kept_kinds, kinds_of, mip_choice
from texelcore.codecs.mips import MipKind, mip_levels
from texelcore.colour.srgb import from_linear, to_linear
from texelcore.delivery.documents import DeliveredOutput, DeliveredSet, LevelRead, Probes, PropertyRead, ReceiptFinding
from texelcore.pixels.errors import TexelError
from texelcore.proof.figures import ChainLoss, Loss
from texelcore.proof.places import Unit, apart, levels_apart, picked
from texelcore.proof.tolerances import Tolerances
from texelcore.surface.properties import property_of
from texelcore.targets.document import Target, TargetOutput, property_and_tile, without_tile
from texeldock.blocks import PLAIN, Texture
from texeldock.findings import AGAIN, error
from texeldock.surface import (
    Reading,
    as_delivered,
    cells_of,
    copies_of,
    distance,
    places_of,
    readings_of,
    rebuild,
    span_of,
    stated_reading,
)

Floats = NDArray[np.float64]
# How much more than the sender measured a receiver may find.
SLACK = 1.1
# Mean distances that are allowed where the sender says nothing of its losses: JPEG files, and deliveries of version 1.
UNKNOWN: dict[str, float] = {"°": 20.0, "ΔE": 10.0, "stops": 1.0, "levels": 16.0}
# Below these no other reading is looked for: the distance is what blocks cost.
SLIGHT: dict[str, float] = {"°": 0.5, "ΔE": 0.5, "stops": 0.05, "levels": 2.0}
# Another reading is named when it leaves less than this share of the distance; blocks alone never make such a difference.
FITS_BETTER = 0.6
# What sums and rounded probes make of nothing, in any unit.
FLOOR = 0.02
# How far two decoders may read the same blocks apart, in 8-bit levels (Direct3D 11 functional specification, BC1 to BC3).
DECODERS = 2.0


def compare_set(
    entry: DeliveredSet, target: Target, delivered: Mapping[str, Texture], probes: Probes, tolerances: Tolerances | None
) -> tuple[list[PropertyRead], list[ReceiptFinding]]:
    """Every property that the textures hold, against its probes and cells."""
    answers: list[PropertyRead] = []
    findings: list[ReceiptFinding] = []
    outputs = {output.key: output for output in entry.outputs}
    for name, values in probes.values.items():
        key, tile = property_and_tile(name)
        textures = {base: texture for full, texture in delivered.items() for base, of in [without_tile(full)] if of == tile}
        found = rebuild(key, target, textures, probes.points)
        if found is None:
            continue
        others = {
            other: np.asarray(value, float)
            for full, value in probes.values.items()
            for other, of in [property_and_tile(full)]
            if of == tile
        }
        canonical = np.asarray(values, float)
        meant = as_delivered(key, target, textures, canonical, others)
        held = [outputs[full] for full in _holding(key, target, textures, tile) if full in outputs]
        beyond = not np.array_equal(as_delivered(key, target, textures, canonical, {}), canonical)
        names = frozenset(entry.channel for _, entry in places_of(key, target, textures).values())
        compared = _Compared(key, target, textures, probes, tile, held, names, found, meant, beyond)
        read = _read_property(entry.code, name, compared, tolerances)
        answers.append(read)
        if not read.holds:
            findings.append(_said_of(entry, read, held))
        for output, channel, copy in copies_of(key, target, textures, probes.points):
            home = [outputs[output + (f".{tile}" if tile else "")]]
            again = replace(compared, found=copy, held=home, channels=frozenset(channel), copy=True)
            other = _read_property(entry.code, name, again, tolerances)
            if not other.holds:
                said = _said_of(entry, other, again.held)
                findings.append(said.model_copy(update={"message": f"In channel {channel}: {said.message}"}))
    return answers, findings


def _holding(key: str, target: Target, textures: Mapping[str, Texture], tile: str) -> list[str]:
    return list(dict.fromkeys(output + (f".{tile}" if tile else "") for output, _ in places_of(key, target, textures).values()))


@dataclass(frozen=True)
class _Compared:
    """A property as it was found and as it was meant, at the probes, and the outputs that hold it."""

    key: str
    target: Target
    textures: Mapping[str, Texture]
    probes: Probes
    tile: str
    held: list[DeliveredOutput]
    channels: frozenset[str]
    found: Floats
    meant: Floats
    # Whether the set has values that cannot be stored: what cells would say of those is not known.
    beyond: bool
    # Whether this is another place than the first, of which cells are compared.
    copy: bool = False

    @property
    def span(self) -> float:
        return span_of(self.key, self.target, self.textures)

    @property
    def unit(self) -> Unit:
        return "stops" if self.key == "emissive" and self.meant.max(initial=0) > 1 else distance_unit(self.key)

    def losses(self) -> list[Loss] | None:
        """What the senders of the outputs say of this property; None where one says nothing of it."""
        said = [
            [loss for loss in output.losses if loss.property == self.key and self.channels & {*loss.channels}]
            for output in self.held
        ]
        if any(output.container == "jpeg" for output in self.held):
            return None
        unsaid = any(not losses and output.container == "dds" for losses, output in zip(said, self.held, strict=True))
        return None if unsaid or not self.held else [loss for losses in said for loss in losses]


def distance_unit(key: str) -> Unit:
    """The unit in which a property is compared."""
    if key == "normal":
        return "°"
    return "ΔE" if property_of(key).colour else "levels"


def _read_property(code: str, name: str, compared: _Compared, tolerances: Tolerances | None) -> PropertyRead:
    unit = compared.unit
    away = distance(unit, compared.found, compared.meant, compared.span)
    mean, p95 = float(away.mean()), float(np.percentile(away, 95))
    losses = compared.losses()
    alike = [loss for loss in losses or () if loss.unit == unit]
    local = expected = None
    # A property that lies in several outputs in part was measured in another unit by its sender.
    if losses is None or not (alike or unit == "stops"):
        holds = mean <= UNKNOWN[unit]
    else:
        expected, p95_meant = (max((getattr(loss, key) for loss in alike), default=0.0) for key in ("mean", "p95"))
        rounded = [distance(unit, moved, compared.meant, compared.span) for moved in _rounded(compared)]
        quantum = FLOOR + float(np.max(rounded, axis=0).mean())
        holds = _agree(mean, expected, quantum) and _agree(p95, p95_meant, 2 * quantum)
        if (cell := _worst_cell(compared, unit)) is not None:
            local, halved = cell
            said = max((loss.local[min(halved, len(loss.local) - 1)] for loss in losses), default=0.0)
            holds &= _agree(local, said, 255 * _step(compared) + DECODERS / 2)
    reading = "" if holds or mean <= SLIGHT[unit] else _better(compared, mean)
    within, allowed = _within(compared.key, unit, mean, p95, float(away.max()), tolerances)
    return PropertyRead(
        set=code,
        property=name,
        unit=unit,
        mean=round(mean, 4),
        worst=round(float(away.max()), 4),
        holds=bool(holds),
        reading=reading,
        p95=round(p95, 4),
        local=None if local is None else round(local, 3),
        expected=expected,
        within=within,
        allowed=allowed,
    )


def _agree(found: float, said: float, quantum: float) -> bool:
    """Whether a figure is what the sender said, within the slack. A loss that is not found is as wrong as one that was not said:
    somebody wrote it there."""
    return found <= SLACK * said + quantum and said <= SLACK * found + quantum


def _step(compared: _Compared) -> float:
    """The smallest step that the outputs of a property can store, as a share of what they hold."""
    steps = []
    for output in compared.held:
        texture = compared.textures[without_tile(output.key)[0]]
        sample = PLAIN.get(texture.format) if output.container == "dds" else texture.base.dtype
        steps.append({"u1": 1 / 255, "u2": 1 / 65535, "f2": 2.0**-10, "f4": 2.0**-20}[np.dtype(sample or np.uint8).str[1:]])
    return max(steps, default=1 / 255)


def _rounded(compared: _Compared) -> list[Floats]:
    """The meant values as far off as rounding may bring them: every stored number one step further, and of a colour each
    component half a step up or down, which moves dark hues further than a whole step of all three."""
    step, meant = _step(compared), compared.meant
    if compared.key == "normal":
        moved = meant + np.array([2 * step, 2 * step, 0.0])
        return [np.asarray(moved / np.maximum(np.linalg.norm(moved, axis=-1, keepdims=True), 1e-9))]
    if not property_of(compared.key).colour:
        # Floats step by a share of what they hold.
        return [np.asarray(meant + step * np.maximum(compared.span, np.abs(meant)))]
    ways = [np.ones(3), *(np.array(signs) / 2 for signs in itertools.product((-1, 1), repeat=3))]
    if any(output.encoding == "srgb" for output in compared.held):
        return [np.asarray(to_linear(np.clip(from_linear(np.clip(meant, 0, 1)) + step * way, 0, None))) for way in ways]
    return [np.asarray(meant + step * np.maximum(compared.span, np.abs(meant)) * way) for way in ways]


def _worst_cell(compared: _Compared, unit: Unit) -> tuple[float, int] | None:
    """The cell of the base that is furthest from what was meant, and how often the finest grid was halved for it; None where that
    is not known: a property that another one darkens has no cells of its own."""
    held = places_of(compared.key, compared.target, compared.textures)
    if compared.beyond or compared.copy or any(entry.multiplied_by for _, entry in held.values()):
        return None
    meant = compared.probes.cells.get(compared.key + (f".{compared.tile}" if compared.tile else ""))
    if meant is None:
        return None
    found = cells_of(compared.key, compared.target, compared.textures, meant.rows, meant.columns)
    if found is None:
        return None
    scale = compared.span if unit == "levels" else 1.0
    first, second = ((mean / scale, spread / scale) for mean, spread in (meant.arrays(), found[:2]))
    return float(apart(distance_unit(compared.key), first, second).max()), found[2]


def _better(compared: _Compared, mean: float) -> str:
    """Another reading that fits far better, in words; empty when the stated one is the best."""
    best, words = mean * FITS_BETTER, ""
    key, target, textures = compared.key, compared.target, compared.textures
    readings: list[Reading] = readings_of(key, stated_reading(key, target, textures))
    for reading in readings:
        found = rebuild(key, target, textures, compared.probes.points, reading)
        if found is not None and (other := float(distance(compared.unit, found, compared.meant, compared.span).mean())) < best:
            best, words = other, reading.words
    return words


def _within(
    key: str, unit: Unit, mean: float, p95: float, worst: float, tolerances: Tolerances | None
) -> tuple[bool | None, str]:
    """Whether the house tolerances are kept, and what they are, in words."""
    if tolerances is None or unit == "stops":
        return None, ""
    if unit == "°":
        allowed = f"mean {tolerances.normal_mean:g}°, 95 % {tolerances.normal_p95:g}°"
        return mean <= tolerances.normal_mean and p95 <= tolerances.normal_p95, allowed
    if unit == "ΔE":
        allowed = f"mean ΔE {tolerances.colour_delta_mean:g}, 95 % {tolerances.colour_delta_p95:g}"
        return mean <= tolerances.colour_delta_mean and p95 <= tolerances.colour_delta_p95, allowed
    allowed = f"mean {tolerances.data_mean:g} levels, largest {tolerances.data_worst:g}"
    return mean <= tolerances.data_mean and worst <= tolerances.data_worst, allowed


def _said_of(delivered: DeliveredSet, read: PropertyRead, held: list[DeliveredOutput]) -> ReceiptFinding:
    prop = property_of(property_and_tile(read.property)[0])
    away = f"ΔE {read.mean:.3g}" if read.unit == "ΔE" else f"{read.mean:.3g}{'' if read.unit == '°' else ' '}{read.unit}"
    lost = "" if read.expected is None else f" on average, where the sender lost {read.expected:.3g}"
    where = "" if read.local is None else f"; in one place by {read.local:.3g} levels"
    files = ", ".join(output.file.file for output in held)
    fit = f"; read {read.reading}, it would fit" if read.reading else ""
    said = f"{prop.title} in {files} is {away} away from what was meant{lost}{where}{fit}."
    way_out = "Correct the flag, the inversion or the direction." if read.reading else "Deliver it again, from a fresh proof."
    return error(delivered.code, said, way_out)


def judge_levels(
    delivered: DeliveredSet, output: DeliveredOutput, asked: TargetOutput, texture: Texture
) -> tuple[list[LevelRead], list[ReceiptFinding]]:
    """Every level below the base, against the average of the base as the target wants it made."""
    answers: list[LevelRead] = []
    findings: list[ReceiptFinding] = []
    if texture.whole < 2:
        return answers, findings
    there = {channel.channel for channel in output.channels}
    channels = [channel for channel in asked.channels if channel.channel in there]
    kinds_meant = kinds_of(((channel.property, channel.component, channel.inverted) for channel in channels), asked.encoding)
    held: dict[str, MipKind] = dict(zip((channel.channel for channel in channels), kinds_meant, strict=True))
    names, kinds = kept_kinds(texture.format, held)
    said: dict[tuple[int, str], ChainLoss] = {(loss.level, loss.channel): loss for loss in output.chain}
    wanted = {(level, name) for level in range(1, output.levels) for name in names}
    if said.keys() != wanted:
        findings.append(error(output.file.file, "does not say what every level of it lost.", AGAIN))
        return answers, findings
    places = [texture.channels.index(name) for name in names]
    if not places:
        return answers, findings
    made = mip_levels(picked(texture.base, places), kinds, True, mip_choice(asked))
    next(made)
    try:
        for level, stored in texture.below():
            figures = levels_apart(next(made), picked(stored, places))
            read, worst = _read_level(delivered.code, output.key, level, stored, figures, [said[level, name] for name in names])
            answers.append(read)
            if not read.holds:
                findings.append(error(output.file.file, worst, AGAIN))
    except TexelError as refused:
        findings.append(error(output.file.file, refused.problem, AGAIN))
    return answers, findings


def _read_level(
    code: str, key: str, level: int, stored: NDArray[np.generic], figures: list[tuple[float, float, float]], said: list[ChainLoss]
) -> tuple[LevelRead, str]:
    height, width = stored.shape[:2]
    excess = []
    for (mean, p95, local), loss in zip(figures, said, strict=True):
        pairs = ((mean, loss.mean), (p95, loss.p95), (local, loss.local))
        excess.append(max(max(found - SLACK * meant, meant - SLACK * found) for found, meant in pairs))
    at = int(np.argmax(excess))
    mean, _, local = figures[at]
    # Two decoders read a base, and what is averaged of it, a little apart.
    holds = excess[at] <= DECODERS
    wrong = (
        f"level {level} ({width} × {height}) is {mean:.3g} levels away from the average of its base in {said[at].channel}, "
        f"where the sender lost {said[at].mean:.3g}; in one place {local:.3g}, where it lost {said[at].local:.3g}."
    )
    read = LevelRead(
        set=code,
        output=key,
        level=level,
        width=width,
        height=height,
        mean=round(mean, 4),
        local=round(local, 4),
        expected=said[at].mean,
        holds=holds,
    )
    return read, wrong
