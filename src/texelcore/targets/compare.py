"""What differs between two versions of a target, row by row, and what that does to outputs that were built."""

from __future__ import annotations

from typing import Any, Literal, get_args

from texelcore.pixels.write import FORMAT_WORDS, SAMPLE_WORDS
from texelcore.surface.documents import Document
from texelcore.surface.extensions import EXTENSIONS
from texelcore.surface.files import ChannelName
from texelcore.surface.properties import property_of
from texelcore.targets.document import Target, TargetChannel, TargetOutput

# What a change does: other pixels, other blocks of the same pixels, another name or place, or words alone.
Effect = Literal["added", "removed", "built again", "encoded again", "renamed", "words"]
_EFFECTS: dict[str, Effect] = {
    "title": "words",
    "suffix": "renamed",
    "file_format": "built again",
    "sample": "built again",
    "encoding": "built again",
    "only_with": "built again",
    "only_without": "built again",
    "storage": "encoded again",
    "format_with_alpha": "encoded again",
    "container": "encoded again",
    "size": "built again",
    "resampling": "built again",
    "mip_filter": "encoded again",
    "dither": "built again",
    "quality": "built again",
    "alpha_mode": "encoded again",
    "threshold": "encoded again",
}
_OF_TARGET: dict[str, Effect] = {
    "title": "words",
    "summary": "words",
    "normal_y": "built again",
    "name_template": "renamed",
    "folder_template": "renamed",
}


class TargetChange(Document):
    """One difference. `output` is the key of the output, "" for the target as a whole; `part` says which part of it, in words;
    `was` and `becomes` are what it says, "" where one version has none."""

    output: str
    title: str
    part: str
    was: str
    becomes: str
    effect: Effect


def compare_targets(old: Target, new: Target) -> tuple[TargetChange, ...]:
    """All that differs between two versions, the target's own parts first, then output by output in the new order."""
    found = [
        TargetChange(output="", title=new.title, part=_words(part), was=was, becomes=becomes, effect=effect)
        for part, effect in _OF_TARGET.items()
        if (was := str(getattr(old, part))) != (becomes := str(getattr(new, part)))
    ]
    was, becomes = (_extensions(target) for target in (old, new))
    if was != becomes:
        part = "Materials take"
        found.append(TargetChange(output="", title=new.title, part=part, was=was, becomes=becomes, effect="words"))
    before, after = ({output.key: output for output in target.outputs} for target in (old, new))
    for key, output in after.items():
        if key in before:
            found += _compare_outputs(before[key], output)
        else:
            found.append(_whole(output, "added"))
    found += [_whole(output, "removed") for key, output in before.items() if key not in after]
    return tuple(found)


def _extensions(target: Target) -> str:
    taken = target.material_extensions
    if taken is None:
        return "all that glTF has"
    return ", ".join(words.title.lower() for key, words in EXTENSIONS.items() if key in taken) or "the basics alone"


def channel_words(channel: TargetChannel) -> str:
    """What a channel holds and what is done to it, as its cell says it: “1 − roughness”, “height 0 to 2.5”."""
    if channel.constant is not None:
        return f"{channel.constant:g}"
    prop = property_of(channel.property)
    said = prop.title.lower() if len(prop.components) == 1 else f"{prop.title.lower()} {prop.components[channel.component]}"
    if channel.inverted:
        said = f"1 − {said}"
    if channel.fitted:
        said += " over its own range"
    elif channel.is_ranged():
        said += f" {channel.low:g} to {channel.high:g}"
    if channel.multiplied_by:
        said += f" × {property_of(channel.multiplied_by).title.lower()} at {channel.strength:g}"
    if channel.when_absent is not None:
        said += f", {channel.when_absent:g} when absent"
    return f"{said}, left out when absent" if channel.drop_when_absent else said


def _compare_outputs(old: TargetOutput, new: TargetOutput) -> list[TargetChange]:
    found = []
    cells = [{channel.channel: channel_words(channel) for channel in output.channels} for output in (old, new)]
    for channel in get_args(ChannelName):
        was, becomes = (held.get(channel, "") for held in cells)
        if was != becomes:
            found.append(_change(new, f"Channel {channel}", was, becomes, "built again"))
    for part, effect in _EFFECTS.items():
        was, becomes = _said(part, getattr(old, part)), _said(part, getattr(new, part))
        if was != becomes:
            found.append(_change(new, _words(part), was, becomes, effect))
    return found


def _whole(output: TargetOutput, effect: Literal["added", "removed"]) -> TargetChange:
    said = ", ".join(f"{channel.channel} {channel_words(channel)}" for channel in output.channels)
    return _change(output, "Output", "" if effect == "added" else said, said if effect == "added" else "", effect)


def _change(output: TargetOutput, part: str, was: str, becomes: str, effect: Effect) -> TargetChange:
    return TargetChange(output=output.key, title=output.title, part=part, was=was, becomes=becomes, effect=effect)


def _words(part: str) -> str:
    return {"sample": "Depth", "normal_y": "Normals", "alpha_mode": "Opacity meant as", "storage": "Stored as"}.get(
        part, part.replace("_", " ").capitalize()
    )


def _said(part: str, value: Any) -> str:
    if part == "file_format":
        return FORMAT_WORDS[value]
    if part == "sample":
        return SAMPLE_WORDS[value]
    if part == "storage":
        flags = [value.format.upper(), "sRGB" if value.srgb else "linear", "mips" if value.mips else "no mips"]
        return ", ".join(flags)
    if part == "size":
        said = value.model_dump(exclude_defaults=True)
        return ", ".join(f"{name.replace('_', ' ')} {number}" for name, number in said.items()) or "as its sources"
    if isinstance(value, tuple):
        return ", ".join(property_of(key).title.lower() for key in value) or "any set"
    if isinstance(value, bool):
        return "yes" if value else "no"
    return str(value) if value is not None else "none"
