"""What a target asks of a set that is no surface of its own: masks and details that masters read beside a surface."""

from __future__ import annotations

import re
from collections.abc import Collection, Iterator

from texelcore.pixels.image import Sample
from texelcore.pixels.write import SAMPLES
from texelcore.surface.formats import FORMATS, TextureFormat, plain_format
from texelcore.surface.ledger import Ledger
from texelcore.surface.properties import property_of
from texelcore.surface.storage import Storage
from texelcore.targets.document import Target, TargetOutput


def with_masks(target: Target, present: Collection[str]) -> Target:
    """A target with an output more for each mask of a set. `present` are the properties that the set provides. A mask is grey and
    linear, and has the file, the size and the blocks of the target's other data."""
    more = tuple(_mask_outputs(target, _masks(present)))
    return target.model_copy(update={"outputs": (*target.outputs, *more)}) if more else target


def mask_word(key: str) -> str:
    """The key and the suffix of a mask's own output, where no other output has them."""
    return f"mask_{re.sub('[^a-z0-9]+', '_', key.removeprefix('mask.').lower()).strip('_')}"[:28].rstrip("_")


def with_mask_called(ledger: Ledger, key: str, other: str) -> Ledger:
    """A ledger with a mask's row under another key, in its place; how its own output is stored goes along."""
    rows = tuple(row.model_copy(update={"property": other}) if row.property == key else row for row in ledger.rows)
    before, after = mask_word(key), mask_word(other)
    storage = tuple(
        choice.model_copy(update={"output": after}) if choice.output == before else choice for choice in ledger.storage
    )
    return ledger.model_copy(update={"rows": rows, "storage": storage})


def for_helper(target: Target, present: Collection[str]) -> Target:
    """A target as it asks for a set that is no surface: the outputs that are asked for with what the set provides, hold something
    of it and lack nothing that cannot be left out; and one more for each mask that none of these holds. `present` are the
    properties that the set provides, with what follows from them, and “mask” for the first of its masks. None of them may be
    left: the outputs of what is given are then empty."""
    masks = _masks(present)
    own = [output for output in target.outputs if output.is_asked_for(present.__contains__) and _is_of(output, present)]
    held = {channel.property for output in own for channel in output.channels}
    held |= {masks[0]} if masks and "mask" in held else set()
    more = [output for output in _mask_outputs(target, masks) if output.only_with[0] not in held]
    return target.model_copy(update={"outputs": (*own, *more)})


def _is_of(output: TargetOutput, known: Collection[str]) -> bool:
    """Whether an output holds one of the known properties, and stand-ins for the others."""
    entries = [channel for channel in output.channels if channel.constant is None]
    lacking = [channel for channel in entries if channel.property not in known and not channel.drop_when_absent]
    stands_in = all(channel.when_absent is not None or property_of(channel.property).default for channel in lacking)
    return stands_in and any(channel.property in known for channel in entries)


def _masks(present: Collection[str]) -> list[str]:
    return sorted(key for key in present if key.startswith("mask."))


def _mask_outputs(target: Target, masks: Collection[str]) -> Iterator[TargetOutput]:
    """An output for each of these masks; it has the same name whichever of them a target holds elsewhere."""
    taken = {output.key for output in target.outputs} | {output.suffix.lower() for output in target.outputs}
    like = next((output for output in target.outputs if _is_data(output)), target.outputs[0])
    sample: Sample = "u8" if "u8" in SAMPLES[like.file_format] else like.sample
    form: TextureFormat = "bc4" if FORMATS[like.storage.format].is_blocks else plain_format(sample, 1)
    for key in masks:
        name = word = mask_word(key)
        number = 2
        while name in taken:
            name, number = f"{word}_{number}", number + 1
        taken.add(name)
        yield TargetOutput.model_validate(
            {
                "key": name,
                "title": property_of(key).title[:80],
                "suffix": name,
                "file_format": like.file_format,
                "sample": sample,
                "encoding": "linear",
                "channels": [{"channel": "Y", "property": key}],
                "only_with": [key],
                "storage": Storage(format=form, mips=like.storage.mips),
                **like.model_dump(include={"container", "size", "resampling", "mip_filter", "quality"}),
            }
        )


def _is_data(output: TargetOutput) -> bool:
    return output.encoding == "linear" and all(channel.property != "normal" for channel in output.channels)
