"""What is wrong with a target that is being written: every mistake, said at the place where it was made."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from typing import Any

from pydantic import ValidationError

from texelcore.surface.documents import Document
from texelcore.surface.mistakes import in_words
from texelcore.surface.properties import property_of
from texelcore.targets.document import MOST_OUTPUTS, Target, TargetOutput, clashes

# Words for what pydantic says of a text that does not match, by the last part of its place.
_PATTERNS = {
    "key": "A key begins with a letter from a to z and goes on with letters, digits and “_”.",
    "suffix": "A suffix has letters from a to z, digits, “_” and “-”, and begins with a letter or digit.",
    "name": "A name has words of letters from a to z and digits, with “-” between them.",
}
# What is said where there is nothing yet, by the last part of the place.
_NONE_YET = {"outputs": "It makes nothing yet: add an output."}
_CORRECT = "Correct it and try again."


class TargetProblem(Document):
    """One mistake: the keys and numbers that lead to it in the document, what is wrong, and the way out."""

    place: tuple[str | int, ...]
    message: str
    way_out: str = _CORRECT

    @property
    def said(self) -> str:
        """The mistake with its place, for where no cell can show it."""
        where = ".".join(str(part) for part in self.place)
        return f"{where}: {self.message}" if where else self.message


def problems_of(text: bytes | str) -> tuple[Target | None, list[TargetProblem]]:
    """A target from its JSON, or None and all that is wrong with it."""
    try:
        body = json.loads(text)
    except (ValueError, RecursionError):
        return None, [TargetProblem(place=(), message="It is no JSON.", way_out="Export it again, or correct it in an editor.")]
    return check_target(body)


def check_target(body: Any) -> tuple[Target | None, list[TargetProblem]]:
    """A target from the values of its document, or None and all that is wrong with it."""
    if not isinstance(body, Mapping):
        return None, [TargetProblem(place=(), message="It is no target document.", way_out="Name the JSON of a target.")]
    if body.get("format", "fair-texel-target") != "fair-texel-target":
        message = f"It is a document of another kind, {str(body['format'])[:60]}."
        return None, [TargetProblem(place=("format",), message=message, way_out="Name the JSON of a target.")]
    if (version := body.get("format_version", 1)) != 1:
        message = f"It was written by a newer Fair Texel, in version {str(version)[:20]} of the format; this one reads version 1."
        return None, [TargetProblem(place=("format_version",), message=message, way_out="Update this one, then import it again.")]
    written = body.get("outputs")
    if isinstance(written, Sequence) and len(written) > MOST_OUTPUTS:
        message = f"It has {len(written):,} outputs; at most {MOST_OUTPUTS} are made."
        return None, [TargetProblem(place=("outputs",), message=message, way_out="Split it into several targets.")]
    try:
        return Target.model_validate(body), []
    except ValidationError as error:
        found = [_told(entry) for entry in error.errors(include_url=False)]
    # Where outputs clash, the document as a whole says only that; here each is told at its own cell.
    outputs = sound_outputs(body)
    apart = [
        TargetProblem(place=("outputs", place, field), message=_sentence(message))
        for place, field, message in clashes(list(outputs.values()))
        for place in [list(outputs)[place]]
    ]
    if apart:
        found = [problem for problem in found if problem.place] + apart
    return None, found


def doubts_of(target: Target) -> list[TargetProblem]:
    """What a target that holds has and hardly means: flags by which an engine reads something else than was stored."""
    found = []
    for place, output in enumerate(target.outputs):
        colours = [channel for channel in output.channels if property_of(channel.property).colour]
        decoded = output.is_decoded(output.storage)
        if decoded and not colours:
            said = "It is read as sRGB, and holds no colour: an engine would decode its data."
            found.append(TargetProblem(place=("outputs", place, "storage", "srgb"), message=said, way_out="Take the flag away."))
        filled = [channel for channel in output.channels if channel.channel != "A" and channel.property != "constant"]
        only_colour = bool(filled) and all(property_of(channel.property).colour for channel in filled)
        if output.encoding == "linear" and only_colour and output.sample == "u8":
            said = "Its colours are written as linear in 8 bits: dark ones come in visible steps."
            way_out = "Write it as sRGB and set the flag, or give it 16 bits."
            found.append(TargetProblem(place=("outputs", place, "encoding"), message=said, way_out=way_out))
        if output.encoding == "srgb" and colours and not decoded:
            said = f"Its colours are encoded as sRGB and stored as {output.storage.format.upper()} without the flag for that."
            way_out = "Set the flag, or choose a format that has it, unless a shader decodes them."
            found.append(TargetProblem(place=("outputs", place, "storage", "srgb"), message=said, way_out=way_out))
    return found


def sound_outputs(body: Mapping[str, Any]) -> dict[int, TargetOutput]:
    """The outputs of a draft that hold by themselves, by their places: these can be shown while others are being written."""
    written = body.get("outputs")
    found: dict[int, TargetOutput] = {}
    for place, entry in enumerate(written[:MOST_OUTPUTS] if isinstance(written, list | tuple) else ()):
        try:
            found[place] = TargetOutput.model_validate(entry)
        except ValidationError:
            continue
    return found


def _told(mistake: Any) -> TargetProblem:
    place = tuple(part for part in mistake["loc"] if part not in ("function-after", "function-before"))
    last = next((part for part in reversed(place) if isinstance(part, str)), "")
    message = in_words(mistake)
    if mistake["type"] == "string_pattern_mismatch":
        message = _PATTERNS.get(last, message)
    elif mistake["type"] == "too_short":
        message = _NONE_YET.get(last, message)
    elif mistake["type"] in ("extra_forbidden", "missing", "string_too_short"):
        message = f"“{last.replace('_', ' ')}” {message.removeprefix('it ')}"
    return TargetProblem(place=place, message=_sentence(message))


def _sentence(message: str) -> str:
    text = message if message.endswith(".") else f"{message}."
    return text[:1].upper() + text[1:]
