"""How one channel of an output is filled from a ledger: the rows that it reads, and the recipe that follows from meaning."""

from __future__ import annotations

from collections.abc import Callable, Mapping

import numpy as np

from texelcore.building.recipe import (
    Constant,
    Conversion,
    Fit,
    FromSpecular,
    Meant,
    Multiplied,
    RebuiltBlue,
    Recipe,
    Resampling,
    Step,
    Take,
    ToSpecular,
    simplify,
    through,
)
from texelcore.colour.srgb import to_linear
from texelcore.surface.files import FileFacts
from texelcore.surface.ledger import Ledger, Row, lacks_blue
from texelcore.surface.properties import Encoding, property_of
from texelcore.surface.sources import Source
from texelcore.targets.document import Target, TargetChannel

# How a row is brought to an output's size; None where it has that size.
Sized = Callable[[Row], Resampling | None]
# The colours of the specular workflow, which every set with a base colour has.
_SPECULAR = ("diffuse", "specular")
# Less than one level of 16 bits: a map whose values lie closer together is even.
_EVEN = 1e-5


def row_of(ledger: Ledger, key: str) -> Row | None:
    """The row that provides a property of a target; "mask" is the first of the set's masks by name."""
    if key == "mask":
        masks = sorted((row for row in ledger.rows if row.property.startswith("mask.")), key=lambda row: row.property)
        return masks[0] if masks else None
    return ledger.row(key)


def provided(ledger: Ledger, key: str) -> bool:
    """Whether a set provides a property, by itself or from the other workflow."""
    if key in _SPECULAR:
        return ledger.row("base_colour") is not None
    return (key == "metallic" and ledger.workflow == "specular") or row_of(ledger, key) is not None


def provides(ledger: Ledger) -> set[str]:
    """The properties that a set provides, by itself or from the other workflow: each mask by its own name, and “mask” for the
    first of them."""
    follows = {key for key in ("mask", "metallic", *_SPECULAR) if provided(ledger, key)}
    return follows | {row.property for row in ledger.rows}


def lacks(ledger: Ledger, target: Target) -> tuple[str, ...]:
    """The properties that a target has a place for and a set does not provide, in the target's order. A set that is no surface
    lacks nothing: it is asked for what it has."""
    wanted = target.properties() if ledger.surface else ()
    return tuple(key for key in wanted if key != "constant" and not provided(ledger, key))


def _of_specular(ledger: Ledger, key: str) -> Row | None:
    """The row that a colour of the specular workflow has in a set of that workflow; None in one that is metallic."""
    if ledger.workflow != "specular":
        return None
    return ledger.row("base_colour" if key == "diffuse" else "specular")


def rows_read(ledger: Ledger, channel: TargetChannel) -> tuple[Row, ...]:
    """The rows that a channel's recipe reads."""
    found = [row_of(ledger, channel.multiplied_by)] if channel.multiplied_by else []
    if channel.property in _SPECULAR:
        own = _of_specular(ledger, channel.property)
        found += [own] if own else [ledger.row("base_colour"), ledger.row("metallic")]
    elif _from_specular(ledger, channel.property):
        found += [ledger.row("base_colour"), ledger.row("specular")]
    else:
        found.append(row_of(ledger, channel.property))
    return tuple(row for row in found if row)


def recipe_of(
    ledger: Ledger, target: Target, channel: TargetChannel, encoding: Encoding, span: tuple[float, float], sized: Sized
) -> Recipe | None:
    """How to fill one output channel; None when nothing provides a property that has no default.

    `span` are the values that are stored as 0 and 1.
    """
    if channel.constant is not None:
        return Constant(value=channel.constant)
    steps = _stored_as(channel, encoding, span)
    by = row_of(ledger, channel.multiplied_by) if channel.multiplied_by else None
    if by is not None:
        value = _canonical(ledger, target, channel, sized)
        if not isinstance(value, Take | Constant | FromSpecular | ToSpecular):
            return value
        return Multiplied(value=value, by=_take(by, 0, _held(by), sized), strength=channel.strength, steps=steps)
    return _canonical(ledger, target, channel, sized, steps)


def _canonical(
    ledger: Ledger, target: Target, channel: TargetChannel, sized: Sized, after: tuple[Step, ...] = ()
) -> Recipe | None:
    """A property's canonical values, then through the steps `after`."""
    diffuse, specular = ledger.row("base_colour"), ledger.row("specular")
    if diffuse and specular and _from_specular(ledger, channel.property):
        return FromSpecular(
            diffuse=_colour(diffuse, sized),
            specular=_colour(specular, sized),
            component=3 if channel.property == "metallic" else channel.component,  # type: ignore[arg-type]
            steps=after,
        )
    if channel.property in _SPECULAR and _of_specular(ledger, channel.property) is None and diffuse:
        metallic = ledger.row("metallic")
        return ToSpecular(
            base=_colour(diffuse, sized),
            metallic=_take(metallic, 0, _held(metallic), sized) if metallic else Constant(value=0.0),
            component=channel.component + (3 if channel.property == "specular" else 0),  # type: ignore[arg-type]
            steps=after,
        )
    row = _of_specular(ledger, channel.property) if channel.property in _SPECULAR else row_of(ledger, channel.property)
    if row is None:
        default = property_of(channel.property).default
        if channel.when_absent is None and default is None:
            return None
        value = channel.when_absent if channel.when_absent is not None else (default or ())[channel.component]
        return Constant(value=float(through(np.array(float(value)), after)))
    if lacks_blue(row) and channel.component == 2:
        red, green = (_take(row, component, (), sized) for component in (0, 1))
        return RebuiltBlue(red=red, green=green)
    flipped: tuple[Step, ...] = ()
    if channel.property == "normal" and channel.component == 1 and row.normal_y != target.normal_y:
        flipped = ("flip_green",)
    return _take(row, channel.component, (*_held(row), *flipped, *after), sized)


def _from_specular(ledger: Ledger, key: str) -> bool:
    both = ledger.row("base_colour") is not None and ledger.row("specular") is not None
    return ledger.workflow == "specular" and both and key in ("base_colour", "metallic")


def _stored_as(channel: TargetChannel, encoding: Encoding, span: tuple[float, float]) -> tuple[Step, ...]:
    """From canonical to what the output stores. Alpha and data are never sRGB, even in an sRGB texture."""
    fit: tuple[Step, ...] = (Fit(low=span[0], high=span[1]),) if span != (0.0, 1.0) else ()
    inverted: tuple[Step, ...] = ("invert",) if channel.inverted else ()
    srgb = encoding == "srgb" and property_of(channel.property).colour
    return (*fit, *inverted, "linear_to_srgb") if srgb else (*fit, *inverted)


def _take(row: Row, component: int, steps: tuple[Step, ...], sized: Sized) -> Take:
    resampling, channel = sized(row), row.channels[component]
    # What was resampled has been read already.
    if resampling:
        return Take(file=row.file, channel=channel, steps=simplify(steps), resampling=resampling)
    return Take(file=row.file, channel=channel, steps=simplify((*read_as(row), *steps)))


def _colour(row: Row, sized: Sized) -> tuple[Take, Take, Take]:
    red, green, blue = (_take(row, component, (), sized) for component in range(3))
    return red, green, blue


def _held(row: Row) -> tuple[Conversion, ...]:
    return ("invert",) if row.inverted else ()


def read_as(row: Row) -> tuple[Conversion, ...]:
    """From what a row's file stores to linear values."""
    return ("srgb_to_linear",) if row.encoding == "srgb" else ()


def meant_by(row: Row) -> Meant:
    """How a row's values are averaged when their size changes."""
    if row.property == "normal":
        return "direction"
    if property_of(row.property).colour:
        return "light"
    return "mask" if row.property == "opacity" or row.property.startswith("mask.") else "number"


def span_of(ledger: Ledger, channel: TargetChannel, files: Mapping[Source, FileFacts]) -> tuple[float, float]:
    """The values that a channel stores as 0 and 1: the target's numbers or, fitted, those of the maps of the whole set, so that
    all tiles share them. A colour's black stays black, and one that goes no further than 1 stays as it is."""
    row = row_of(ledger, channel.property)
    if not channel.fitted or row is None or _from_specular(ledger, channel.property):
        return (0.0, 1.0) if channel.fitted else (channel.low, channel.high)
    found = [files[part.file].ranges[name] for part in row.parts() for name in part.channels if name in files[part.file].ranges]
    if not found:
        return 0.0, 1.0
    low, high = min(entry.low for entry in found), max(entry.high for entry in found)
    if row.encoding == "srgb":
        low, high = (float(to_linear(np.array(value))) for value in (low, high))
    if row.inverted:
        low, high = 1 - high, 1 - low
    if property_of(channel.property).colour:
        return 0.0, max(1.0, high)
    return (low, high) if high - low > _EVEN else (low, low + 1.0)
