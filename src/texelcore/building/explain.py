"""What a plan does to one property, as a person would say it."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

import numpy as np

from texelcore.building.plan import Plan, PlannedChannel
from texelcore.building.recipe import FromSpecular, Take
from texelcore.colour.srgb import to_linear
from texelcore.normals.flip import flip_green
from texelcore.normals.rebuild import unit_vectors
from texelcore.pixels.image import SAMPLE_DTYPES, Sample
from texelcore.pixels.values import top_of
from texelcore.surface.ledger import Ledger, Row, lacks_blue
from texelcore.surface.properties import property_of
from texelcore.surface.sources import Source
from texelcore.targets.document import Target, TargetChannel, without_tile


def explain_property(ledger: Ledger, target: Target, plan: Plan, key: str) -> str:
    """One short sentence for the ledger's middle column: what is done to this property on its way to the target."""
    row = ledger.row(key)
    channels = [channel for planned in plan.outputs for channel in planned.channels if not channel.fills]
    entries = [channel for channel in channels if channel.property == key]
    gives = _given_by(key, channels)
    if any(isinstance(channel.recipe, FromSpecular) for channel in entries):
        return "computed from diffuse and specular"
    if row is None:
        return ""
    if not entries and not gives:
        unused = key == "specular" and ledger.workflow == "metallic"
        return "not used: the set has a metallic map" if unused else "not asked for by this target"
    own = _explain_row(row, target, entries) if entries else ""
    return "; ".join(word for word in (own, *gives) if word)


def _given_by(key: str, channels: Iterable[PlannedChannel]) -> list[str]:
    """What a property's row gives beside itself: what it darkens, and what is worked out from it."""
    darkened: dict[str, None] = {}
    given: dict[str, None] = {}
    for channel in channels:
        if key in channel.reads and channel.property != key:
            (darkened if channel.multiplied_by == key else given)[property_of(channel.property).title.lower()] = None
    said = {"gives": given, "darkens": darkened}
    return [f"{verb} {' and '.join(titles)}" for verb, titles in said.items() if titles]


def _explain_row(row: Row, target: Target, entries: list[PlannedChannel]) -> str:
    if row.property == "normal":
        rebuilt = ", blue rebuilt" if lacks_blue(row) else ""
        return f"{_explain_normal(row.normal_y, target)}{rebuilt}"
    darkened = next((entry.multiplied_by for entry in entries if entry.multiplied_by), "")
    said = [_explain_inversion(row.property, row.inverted, _has(entries, "invert"))]
    if _has(entries, "srgb_to_linear"):
        said.append("sRGB to linear")
    if _has(entries, "linear_to_srgb"):
        said.append("linear to sRGB")
    said += [f"× {property_of(darkened).title.lower()}" if darkened else ""]
    return ", ".join(word for word in said if word) or "as it is"


def _explain_inversion(key: str, held_inverted: bool, inverts: bool) -> str:
    """Gloss and smoothness have names of their own; other properties are just one minus themselves."""
    held, other = ("gloss", "roughness") if key == "roughness" else ("one minus", "plain")
    if held_inverted:
        return f"inverted: {held} to {other}" if inverts else f"{held}, as the target wants it"
    return ("inverted: roughness to smoothness" if key == "roughness" else "inverted") if inverts else ""


def _explain_normal(reads: str | None, target: Target) -> str:
    have, want = (reads or "+Y").replace("-", "−"), target.normal_y.replace("-", "−")
    return f"as it is: reads {have}" if have == want else f"green flipped: reads {have}, target wants {want}"


def _has(entries: list[PlannedChannel], step: str) -> bool:
    return any(isinstance(entry.recipe, Take) and step in entry.recipe.steps for entry in entries)


def texel_words(stored: Mapping[str, float], sample: Sample, rows: Iterable[Row]) -> str:
    """What one texel of a file means in the canonical surface, row by row: "normal (0.12, −0.30, 0.95), 18.4° from upright".

    `stored` are its values as stored, by channel; rows that read other files' channels are the caller's to leave out.
    """
    said = []
    for row in rows:
        if not set(row.channels) <= set(stored):
            continue
        values = np.array([stored[channel] for channel in row.channels]) / top_of(SAMPLE_DTYPES[sample])
        if row.encoding == "srgb":
            values = to_linear(values)
        if row.inverted:
            values = 1 - values
        if row.property == "normal":
            if row.normal_y == "-Y":
                values[1] = flip_green(values[1:2])[0]
            vector = unit_vectors(values[None, :])[0]
            tilt = float(np.degrees(np.arccos(np.clip(vector[2], -1, 1))))
            said.append(f"normal ({', '.join(_number(part) for part in vector)}), {tilt:.1f}° from upright")
        else:
            name = property_of(row.property).title.lower()
            parts = ", ".join(_number(part) for part in values)
            said.append(f"{name} {parts}" if len(values) == 1 else f"{name} ({parts}) linear")
    return "; ".join(said)


def rows_of_output(target: Target, key: str, channels: str) -> list[Row]:
    """How an output's own channels are to be read, as rows without a file; none for an output that the target does not know.

    `channels` are those that it was made with. Alpha is never sRGB.
    """
    output = next((output for output in target.outputs if output.key == without_tile(key)[0]), None)
    held: dict[str, dict[int, TargetChannel]] = {}
    for channel in output.channels if output else ():
        if channel.channel in channels and channel.property != "constant":
            # Some targets repeat a grey in red, green and blue: the first says it all.
            held.setdefault(channel.property, {}).setdefault(channel.component, channel)
    return [
        Row(
            property=name,
            file=Source(""),
            channels=tuple(entries[component].channel for component in sorted(entries)),
            encoding="srgb" if output and output.encoding == "srgb" and property_of(name).colour else "linear",
            inverted=next(iter(entries.values())).inverted,
            normal_y=target.normal_y if name == "normal" else None,
            sure="named",
            why="",
        )
        for name, entries in held.items()
    ]


def _number(value: float) -> str:
    return f"{value:.3f}".replace("-", "−")
