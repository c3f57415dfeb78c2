"""Files to sets and ledgers, by name; what the names do not settle stays open."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass, field

from texelcore.evidence.ranges import is_constant
from texelcore.naming.lexicon import PAIRS, Reading, read_name
from texelcore.naming.tokens import Token, title_of, tokenise
from texelcore.surface.ledger import FileFacts, Ledger, LeftOut, Row, Sureness, default_encoding, row_problem, whole_channels
from texelcore.surface.properties import NormalY, property_of

# What a lexicon meaning is in the surface: gloss is roughness that wants inverting.
_PROPERTY_OF = {"gloss": "roughness"}
_SAMPLE_RANK = {"u8": 0, "f16": 1, "u16": 2, "f32": 3}


@dataclass(frozen=True)
class OpenFile:
    """A file that nothing could be said of, and why: a person decides."""

    file: str
    why: str


@dataclass(frozen=True)
class Sorting:
    """What sorting found: a ledger for each set, and the files that stay open."""

    ledgers: tuple[Ledger, ...] = ()
    open: tuple[OpenFile, ...] = ()


@dataclass
class _Group:
    title: str
    members: list[tuple[FileFacts, Reading]] = field(default_factory=list)


def sort_files(files: Iterable[FileFacts]) -> Sorting:
    """Sort files into sets by folder and stem, and read each name into ledger rows.

    Files whose names say nothing, or say it so weakly that no sibling confirms it, come back as open.
    The result does not depend on the order of `files`.
    """
    groups: dict[tuple[str, str], _Group] = {}
    open_files: list[OpenFile] = []
    for facts in sorted(files, key=lambda entry: (entry.path.casefold(), entry.path)):
        reading = read_name(facts.path)
        if reading is None:
            open_files.append(OpenFile(facts.id, "No word of its name is in the lexicon."))
            continue
        folder = facts.path.rpartition("/")[0]
        stem = reading.stem or tokenise(folder.rpartition("/")[2])
        if not stem:
            open_files.append(OpenFile(facts.id, f"Its name is only “{reading.word}”: which set it belongs to is not said."))
            continue
        group = groups.setdefault((folder, _key(stem)), _Group(title_of(stem)))
        group.members.append((facts, reading))
    ledgers = []
    for group in groups.values():
        ledger, unsettled = _ledger_of(group)
        open_files += unsettled
        if ledger.rows:
            ledgers.append(ledger)
    return Sorting(tuple(ledgers), tuple(open_files))


def rows_from_name(facts: FileFacts, reading: Reading) -> list[Row] | str:
    """The rows that one file offers by its name, or the reason why it can offer none."""
    if len(reading.meanings) > 1:
        return _packed_rows(facts, reading)
    meaning = reading.meanings[0]
    key = f"mask.{reading.label}" if meaning == "mask" else _PROPERTY_OF.get(meaning, meaning)
    channels = whole_channels(facts, len(property_of(key).components))
    sure, why = _explain(key, meaning, reading)
    direction: NormalY | None = (reading.direction or "+Y") if key == "normal" else None
    row = Row(
        property=key,
        file=facts.id,
        channels=channels,
        encoding=default_encoding(key, facts),
        inverted=meaning == "gloss",
        normal_y=direction,
        sure=sure,
        why=why,
    )
    problem = row_problem(row, {facts.id: facts})
    if problem:
        return problem
    return [row, *_opacity_in_alpha(key, facts)]


def _explain(key: str, meaning: str, reading: Reading) -> tuple[Sureness, str]:
    if key == "normal" and reading.direction is None:
        return "assumed", f"“{reading.word}” names a normal map but not its direction; +Y is assumed."
    if meaning == "gloss":
        return "named", f"“{reading.word}” is one minus roughness."
    said = f" and {reading.direction.replace('-', '−')}" if reading.direction else ""
    return "named", f"Named “{reading.word}”{said}."


def _opacity_in_alpha(key: str, facts: FileFacts) -> list[Row]:
    """Alpha that carries something beside base colour is opacity; constant alpha is none."""
    if key != "base_colour" or "A" not in facts.channels or is_constant(facts.ranges.get("A")):
        return []
    why = "Base colour's alpha is not constant, so it carries opacity."
    return [Row(property="opacity", file=facts.id, channels=("A",), encoding="linear", sure="assumed", why=why)]


def _packed_rows(facts: FileFacts, reading: Reading) -> list[Row] | str:
    channels = PAIRS.get(reading.meanings, facts.channels[: len(reading.meanings)])
    if len(channels) < len(reading.meanings) or not set(channels) <= set(facts.channels) or "Y" in channels:
        have = ", ".join(facts.channels)
        return f"“{reading.word}” names {len(reading.meanings)} packed channels, but the file has only {have}."
    rows = []
    for channel, meaning in zip(channels, reading.meanings, strict=True):
        why = f"“{reading.word}” puts {meaning.replace('_', ' ')} in {channel}."
        rows.append(
            Row(
                property=_PROPERTY_OF.get(meaning, meaning),
                file=facts.id,
                channels=(channel,),
                encoding="linear",
                inverted=meaning == "gloss",
                sure="named",
                why=why,
            )
        )
    return rows


def _ledger_of(group: _Group) -> tuple[Ledger, list[OpenFile]]:
    unsettled: list[OpenFile] = []
    offers: dict[str, list[tuple[FileFacts, Reading, Row]]] = defaultdict(list)
    for facts, reading in group.members:
        confirmed = any(other.meanings != reading.meanings for _, other in group.members)
        if reading.strength == "weak" and not confirmed:
            unsettled.append(OpenFile(facts.id, f"“{reading.word}” alone is weak evidence, and no sibling confirms it."))
            continue
        offered = rows_from_name(facts, reading)
        if isinstance(offered, str):
            unsettled.append(OpenFile(facts.id, offered))
            continue
        for row in offered:
            offers[row.property].append((facts, reading, row))
    chosen = {key: sorted(candidates, key=_preference)[0] for key, candidates in offers.items()}
    rows = tuple(choice[2] for choice in chosen.values())
    used = {row.file for row in rows}
    left: dict[str, LeftOut] = {}
    for key, candidates in offers.items():
        for facts, _, row in candidates:
            if facts.id not in used:
                left[facts.id] = LeftOut(file=facts.id, why=_why_left(row, chosen[key]))
    return Ledger(name=group.title, rows=rows, left_out=tuple(left.values())), unsettled


def _preference(offer: tuple[FileFacts, Reading, Row]) -> tuple[object, ...]:
    """The better of two maps for one property: said to be +Y, strongly named, alone in its file, deeper, larger."""
    facts, reading, row = offer
    direction = 0 if row.property != "normal" else {"+Y": 0, "-Y": 1}.get(reading.direction or "", 2)
    return (
        direction,
        reading.strength == "weak",
        len(reading.meanings),
        row.inverted,
        -_SAMPLE_RANK[facts.sample],
        -facts.width * facts.height,
        facts.path,
    )


def _why_left(row: Row, chosen: tuple[FileFacts, Reading, Row]) -> str:
    better, _, kept = chosen
    if row.property == "normal" and row.normal_y != kept.normal_y:
        return f"Both normal directions were delivered; {better.name} ({kept.normal_y}) is used."
    return f"{property_of(row.property).title} comes from {better.name}, which is deeper, larger or named more clearly."


def _key(tokens: tuple[Token, ...]) -> str:
    return " ".join(token.key for token in tokens)
