"""A target from an example: what an engine's own textures say about the layout that it wants, to be confirmed by a person."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Hashable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Literal, TypeVar, cast

from texelcore.sorting.sort import sort_files
from texelcore.surface.documents import Document
from texelcore.surface.files import ChannelName, FileFacts
from texelcore.surface.formats import FORMATS, TextureFormat, plain_format
from texelcore.surface.ledger import Ledger, Row
from texelcore.surface.properties import NormalY, property_of
from texelcore.surface.sources import Source
from texelcore.surface.storage import Storage
from texelcore.targets.document import MOST_OUTPUTS, Target, TargetChannel, TargetOutput
from texelcore.targets.sizes import SizeRule

_SEPARATORS = "_- ."
# Of a channel that is nothing else: its levels lie within this of each other.
_EVEN = 2 / 255
T = TypeVar("T", bound=Hashable)


@dataclass(frozen=True)
class ExampleFile:
    """A texture that the engine has: its facts, and how it is stored, where its header says that."""

    facts: FileFacts
    storage: Storage | None = None


class ProposedOutput(Document):
    """One output as the example's files suggest it, how many of them, and why."""

    output: TargetOutput
    files: tuple[str, ...]
    why: tuple[str, ...]


class Proposal(Document):
    """A target as an example suggests it. `passed` are the files that nothing could be told of."""

    normal_y: NormalY
    name_template: str
    outputs: tuple[ProposedOutput, ...]
    passed: tuple[str, ...]

    def target(self, name: str, title: str) -> Target:
        """The proposal as a document, version 1."""
        return Target(
            name=name,
            title=title,
            summary="Proposed from textures that an engine has.",
            version=1,
            normal_y=self.normal_y,
            name_template=self.name_template,
            outputs=tuple(output.output for output in self.outputs),
        )


@dataclass(frozen=True)
class _Seen:
    """A file of a set: its suffix there, and the rows that read it."""

    file: ExampleFile
    suffix: str
    rows: tuple[Row, ...]


def propose_target(files: Sequence[ExampleFile]) -> Proposal:
    """What layout the textures of some sets have: files that end alike are one output; what its channels hold is what most of
    them hold, by names and pixels together."""
    by_id = {file.facts.id: file for file in files}
    sorting = sort_files([file.facts for file in files])
    groups: dict[str, list[_Seen]] = defaultdict(list)
    separators: Counter[str] = Counter()
    for ledger in sorting.ledgers:
        for seen, separator in _suffixes(ledger, by_id):
            groups[seen.suffix.casefold()].append(seen)
            separators[separator] += bool(seen.suffix)
    told = {seen.file.facts.id for group in groups.values() for seen in group if seen.rows}
    sets = len(sorting.ledgers)
    most = sorted((group for group in groups.values() if any(seen.rows for seen in group)), key=lambda group: -len(group))
    outputs = [_output(group, place, sets) for place, group in enumerate(most[:MOST_OUTPUTS])]
    directions = [row.normal_y for group in groups.values() for seen in group for row in seen.rows if row.normal_y]
    separator = separators.most_common(1)[0][0] if separators else "_"
    return Proposal(
        normal_y=_mode(directions) or "+Y",
        name_template=f"{{set}}{separator if separator in ('_', '-') else '' if not separator else '_'}{{suffix}}",
        outputs=tuple(outputs),
        passed=tuple(sorted(file.facts.path for file in files if file.facts.id not in told)),
    )


def _suffixes(ledger: Ledger, files: Mapping[Source, ExampleFile]) -> Iterable[tuple[_Seen, str]]:
    """The files of a set with what tells their names apart, and the sign between that and the rest."""
    ids = [file for file in ledger.files() if file in files]
    stems = {file: files[file].facts.name.rsplit(".", 1)[0] for file in ids}
    common = _shared(list(stems.values()))
    # What they share may end in the middle of a word: it ends where a word does.
    if any(len(stem) > len(common) and stem[len(common)].isalnum() for stem in stems.values()) and common[-1:].isalnum():
        cut = max(common.rfind(sign) for sign in _SEPARATORS)
        common = common[: cut + 1] if cut > 0 else common
    if len(ids) == 1:
        stem = stems[ids[0]]
        cut = max(stem.rfind(sign) for sign in _SEPARATORS)
        common = stem[: cut + 1] if cut > 0 else stem
    for file in ids:
        rest = stems[file][len(common) :]
        suffix = rest.lstrip(_SEPARATORS)
        separator = common[-1:] if common[-1:] in _SEPARATORS else rest[: len(rest) - len(suffix)][-1:]
        rows = tuple(row for row in ledger.parts() if row.file == file)
        yield _Seen(files[file], suffix, rows), separator


def _shared(names: list[str]) -> str:
    """The letters with which all names begin."""
    shortest, longest = min(names), max(names)
    end = next((place for place, sign in enumerate(shortest) if longest[place : place + 1] != sign), len(shortest))
    return shortest[:end]


def _output(group: list[_Seen], place: int, sets: int) -> ProposedOutput:
    facts = [seen.file.facts for seen in group]
    layout = _mode([entry.channels for entry in facts]) or facts[0].channels
    alike = [seen for seen in group if seen.file.facts.channels == layout]
    sample = _mode([entry.sample for entry in facts]) or "u8"
    kind = _mode([entry.format for entry in facts]) or "png"
    count = "1 file ends" if len(group) == 1 else f"{len(group)} files end"
    why = [f"{count} in “{group[0].suffix}”" if group[0].suffix else f"{len(group)} of the files have no ending"]
    channels = []
    for channel in layout:
        entry, said = _channel(channel, alike)
        if channel == "A" and entry.constant == 1.0:
            why.append("A: solid everywhere, and left out")
            continue
        channels.append(entry)
        why.append(f"{channel}: {said}")
    keys = list(dict.fromkeys(channel.property for channel in channels if channel.property != "constant"))
    colour = any(property_of(key).colour for key in keys)
    encoding: Literal["srgb", "linear"] = "srgb" if colour and sample in ("u8", "u16") else "linear"
    stored = _mode([seen.file.storage for seen in group if seen.file.storage])
    if stored:
        why.append(f"headers say {stored.format.upper()}{', sRGB' if stored.srgb else ''}")
    edges = [edge for entry in facts for edge in (entry.width, entry.height)]
    powers = all(edge & (edge - 1) == 0 for edge in edges)
    if powers:
        why.append("all edges are powers of two")
    file_format = cast(Any, "png" if kind == "webp" else kind)
    if file_format == "jpeg" and (sample != "u8" or "A" in layout):
        file_format = "png"
    there = {seen.file.facts.id for seen in group}
    output = TargetOutput(
        key=f"out{place + 1}",
        title=", ".join(property_of(key).title.lower() for key in keys).capitalize()[:80] or f"Output {place + 1}",
        suffix="".join(sign for sign in group[0].suffix if sign.isascii() and (sign.isalnum() or sign in "_-")).lstrip("_-")[:32],
        file_format=file_format,
        sample=sample,
        encoding=encoding,
        channels=tuple(channels),
        only_with=tuple(keys) if len(there) < sets and keys else (),
        storage=stored if stored and sample in FORMATS[stored.format].takes else _storage(channels, sample, encoding),
        size=SizeRule(power_of_two=powers),
    )
    return ProposedOutput(output=output, files=tuple(sorted(entry.path for entry in facts)), why=tuple(why))


def _channel(channel: ChannelName, group: list[_Seen]) -> tuple[TargetChannel, str]:
    """What most files of a group hold in one channel, and how many of them."""
    votes: Counter[tuple[str, int, bool]] = Counter()
    even = []
    for seen in group:
        held = [(row.property, row.channels.index(channel), row.inverted) for row in seen.rows if channel in row.channels]
        votes.update((("mask" if key.startswith("mask.") else key), at, inverted) for key, at, inverted in held[:1])
        looked = seen.file.facts.evidence.channels.get(channel) if seen.file.facts.evidence else None
        if not held and looked and looked.deviation < _EVEN:
            even.append(looked.mean)
    if votes:
        (key, component, inverted), count = votes.most_common(1)[0]
        entry = TargetChannel(channel=channel, property=key, component=component, inverted=inverted)
        return entry, f"{entry.meaning().lower()} in {count} of {len(group)}"
    value = _plain(sum(even) / len(even)) if even else (1.0 if channel == "A" else 0.0)
    said = f"{value:g} everywhere in {len(even)} of {len(group)}" if even else "nothing that is known; a constant until you say"
    return TargetChannel(channel=channel, property="constant", constant=min(1.0, max(0.0, value))), said


def _plain(value: float) -> float:
    """A number that people write: the ends where it is a level away from them."""
    return 0.0 if value < _EVEN else 1.0 if value > 1 - _EVEN else round(value, 3)


def _storage(channels: Sequence[TargetChannel], sample: str, encoding: str) -> Storage:
    """A format where no header says one, by common practice."""
    keys = {channel.property for channel in channels}
    found: TextureFormat = "bc5" if keys == {"normal"} else "bc4" if len(channels) == 1 else "bc7"
    if sample != "u8":
        found = plain_format(cast(Any, sample), len(channels))
    return Storage(format=found, srgb=encoding == "srgb" and FORMATS[found].srgb is not None)


def _mode(values: Iterable[T]) -> T | None:
    counted = Counter(values).most_common(1)
    return counted[0][0] if counted else None
