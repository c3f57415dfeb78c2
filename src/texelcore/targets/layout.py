"""Layouts: what the channels of one packed file hold, written as pairs (“R=occlusion,G=roughness,B=metallic”) or taken from a
target's output."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from typing import cast

from texelcore.pixels.errors import TexelError
from texelcore.surface.documents import Document
from texelcore.surface.files import ChannelName, FileFacts, default_encoding
from texelcore.surface.formats import plain_format
from texelcore.surface.ledger import Row
from texelcore.surface.properties import PROPERTIES, Encoding, NormalY, property_of
from texelcore.surface.storage import Storage
from texelcore.targets.document import Target, TargetChannel, TargetOutput

# Properties by the words that people type for them, beside their keys and titles; the second is stored as one minus the first.
_WORDS = {"ao": "occlusion", "albedo": "base_colour", "colour": "base_colour", "color": "base_colour", "metalness": "metallic"}
_WORDS |= {
    "base_color": "base_colour",
    "displacement": "height",
    "alpha": "opacity",
    "emission": "emissive",
    "specular_color": "specular",
}
_INVERTED = {"gloss": "roughness", "glossiness": "roughness", "smoothness": "roughness", "transparency": "opacity"}
_COMPONENTS = {"r": 0, "g": 1, "b": 2, "x": 0, "y": 1, "z": 2, "red": 0, "green": 1, "blue": 2}
# One letter for one property, where the trade agrees on it (common practice).
LETTERS = {
    "a": "opacity",
    "k": "mask",
    "o": "occlusion",
    "r": "roughness",
    "m": "metallic",
    "h": "height",
    "n": "normal",
    "c": "base_colour",
    "e": "emissive",
}
_PAIR = re.compile(r"^\s*([RGBAY]{1,4})\s*=\s*(.+?)\s*$", re.IGNORECASE)
_HELP = "Write pairs such as R=occlusion,G=1-roughness,B=metallic,A=0.5, or RGB=normal."


class Layout(Document):
    """What each channel of a file holds. `encoding` is None where colour is stored as files of its kind usually do."""

    channels: tuple[TargetChannel, ...]
    normal_y: NormalY = "+Y"
    encoding: Encoding | None = None

    def properties(self) -> tuple[str, ...]:
        """The properties that the layout names, each once, without constants."""
        return tuple(dict.fromkeys(channel.property for channel in self.channels if channel.property != "constant"))


def parse_layout(text: str, normal_y: NormalY = "+Y") -> Layout:
    """A layout from its pairs: channels, “=”, and a property; “1-” before it, or a word such as smoothness, is one minus it; “.x”
    behind it one component; a number from 0 to 1 is a constant.

    Several channels before one “=” get the property's components in order. Raises TexelError that says which pair does not hold.

    >>> [entry.meaning() for entry in parse_layout("R=occlusion, G=smoothness, B=0.5").channels]
    ['Occlusion', 'Roughness', 'Constant 0.5']
    """
    found: dict[str, TargetChannel] = {}
    for pair in filter(None, (part.strip() for part in text.split(","))):
        match = _PAIR.match(pair)
        if not match:
            raise TexelError(pair, "is no pair of a channel and a property.", _HELP)
        names, said = match.group(1).upper(), match.group(2)
        meant = parse_meaning(said)
        for place, name in enumerate(names):
            if name in found:
                raise TexelError(pair, f"gives channel {name} a second time.", _HELP)
            found[name] = _channel(pair, name, meant, meant.component + (place if len(names) > 1 else 0))
    names = "".join(sorted(found, key="YRGBA".index))
    if not names or ("Y" in names and set(names) & set("RGB")):
        raise TexelError(text or "Nothing", "makes no texture: grey (Y) and colour (R, G, B) do not go together.", _HELP)
    return Layout(channels=tuple(found[name] for name in names), normal_y=normal_y)


def parse_meaning(said: str) -> TargetChannel:
    """What one channel is to hold, from what a person types: a property, its letter, one minus it, a component, or a number.

    The answer stands in channel Y. Raises TexelError for what means nothing.
    """
    words = said.strip().lower().replace("−", "-")
    if re.fullmatch(r"\d*\.?\d+", words):
        if float(words) > 1:
            raise TexelError(said, "is no number from 0 to 1.", _HELP)
        return TargetChannel(channel="Y", property="constant", constant=float(words))
    inverted = bool(re.match(r"^1\s*-\s*|^(one )?minus |^inverted ", words))
    words = re.sub(r"^1\s*-\s*|^one minus |^minus |^inverted ", "", words)
    part: int | None = None
    if not words.startswith("mask.") and "." in words:
        words, _, last = words.rpartition(".")
        if last not in _COMPONENTS:
            raise TexelError(said, f"names no component: {last} is none of x, y, z, red, green, blue.", _HELP)
        part = _COMPONENTS[last]
    key = words.strip() if words.startswith("mask.") else re.sub(r"[\s-]+", "_", words.strip())
    if key in _INVERTED:
        key, inverted = _INVERTED[key], not inverted
    key = LETTERS.get(key, _WORDS.get(key, key))
    try:
        prop = property_of(key)
        return TargetChannel(channel="Y", property=key, component=part or 0, inverted=inverted)
    except (KeyError, ValueError) as error:
        known = ", ".join(entry.title.lower() for entry in PROPERTIES.values())
        reason = "is no surface property" if isinstance(error, KeyError) else f"cannot be: {prop.title} is not inverted"
        raise TexelError(said, f"{reason}.", f"Known ones: {known}, mask, mask.NAME and numbers from 0 to 1.") from error


def _channel(pair: str, name: str, meant: TargetChannel, component: int) -> TargetChannel:
    parts = property_of(meant.property).components
    if len(parts) == 1:
        component = 0
    if component >= len(parts):
        raise TexelError(pair, f"asks for component {component + 1} of {meant.property}, which has {len(parts)}.", _HELP)
    return meant.model_copy(update={"channel": name, "component": component})


def layout_of(target: Target, output: TargetOutput) -> Layout:
    """The layout of one output of a target."""
    return Layout(channels=output.channels, normal_y=target.normal_y, encoding=output.encoding)


def rows_of(layout: Layout, facts: FileFacts) -> tuple[Row, ...]:
    """How a file of this layout is to be read: a row for each property that it holds whole.

    Raises TexelError for a channel that the file has not, and where only a part of a property is held.
    """
    held: dict[str, dict[int, TargetChannel]] = {}
    grey = facts.channels == ("Y",)
    for channel in layout.channels:
        if channel.property == "constant" or (channel.drop_when_absent and channel.channel not in facts.channels):
            continue
        if channel.channel not in facts.channels and not (grey and channel.channel in "RGB"):
            has = ", ".join(facts.channels)
            raise TexelError(facts.name, f"has no channel {channel.channel}, which the layout asks for; it has {has}.", _HELP)
        # Some targets repeat a grey in red, green and blue: the first says it all.
        held.setdefault(channel.property, {}).setdefault(channel.component, channel)
    rows = []
    for key, entries in held.items():
        prop, first = property_of(key), next(iter(entries.values()))
        whole = set(entries) == set(range(len(prop.components))) or (key == "normal" and {0, 1} <= set(entries))
        if not whole:
            raise TexelError(facts.name, f"holds only a part of {prop.title.lower()} in this layout.", _HELP)
        channels = [("Y" if grey else entries[component].channel) for component in sorted(entries)]
        encoding = layout.encoding if layout.encoding and prop.colour else default_encoding(key, facts)
        rows.append(
            Row(
                property={"mask": "mask.01", "diffuse": "base_colour"}.get(key, key),
                file=facts.id,
                channels=cast(tuple[ChannelName, ...], tuple(channels)),
                encoding=encoding,
                inverted=first.inverted,
                normal_y=layout.normal_y if key == "normal" else None,
                sure="by hand",
                why="The layout says so.",
            )
        )
    return tuple(rows)


def target_of(layouts: Mapping[str, Layout], facts: FileFacts, normal_y: NormalY = "+Y") -> Target:
    """A target that stores a file's properties in other layouts, by what each output is called, in the file's own depth: PNG for
    integers, OpenEXR for floats. One or two of red, green and blue are filled up with black."""
    outputs = []
    for place, (suffix, layout) in enumerate(layouts.items()):
        channels = _filled(layout.channels)
        colour = all(property_of(channel.property).colour for channel in channels if channel.channel != "A")
        encoding: Encoding = "srgb" if colour and not facts.is_float else "linear"
        outputs.append(
            TargetOutput(
                key=f"out{place}",
                title=suffix or "Repacked",
                suffix=re.sub(r"[^A-Za-z0-9_-]", "", suffix),
                file_format="exr" if facts.is_float else "png",
                sample=facts.sample,
                encoding=encoding,
                channels=channels,
                storage=Storage(format=plain_format(facts.sample, len(channels)), srgb=False),
            )
        )
    return Target(
        name="repacked",
        title="Repacked",
        summary="",
        version=1,
        normal_y=normal_y,
        name_template="{set}_{suffix}",
        outputs=tuple(outputs),
    )


def apart(rows: Iterable[Row]) -> dict[str, Layout]:
    """Each row's property as a map of its own."""
    found = {}
    for row in rows:
        names = "RGB" if len(property_of(row.property).components) == 3 else "Y"
        entries = [
            TargetChannel(channel=cast(ChannelName, name), property=row.property, component=place)
            for place, name in enumerate(names)
        ]
        found[row.property.replace(".", "_")] = Layout(channels=tuple(entries), normal_y=row.normal_y or "+Y")
    return found


def _filled(channels: tuple[TargetChannel, ...]) -> tuple[TargetChannel, ...]:
    held = {channel.channel: channel for channel in channels}
    names: str = "YA" if "Y" in held and "A" in held else "Y" if "Y" in held else "RGBA" if "A" in held else "RGB"
    black = TargetChannel(channel="Y", property="constant", constant=0.0)
    return tuple(
        held.get(name) or black.model_copy(update={"channel": name}) for name in cast(tuple[ChannelName, ...], tuple(names))
    )
