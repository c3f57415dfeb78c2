"""`fairtexel repack`: packed files into any other layout, taken apart, or one channel saved, without making a set."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from texelcli.exits import DONE, FOUND
from texelcli.reading import Progress, refuse_overlap, target_of
from texelcore.building.repack import facts_for, measured_rows, plan_repack, repack, save_channel
from texelcore.pixels.errors import TexelError
from texelcore.pixels.inspect import PICTURE_SUFFIXES
from texelcore.surface.files import FileFacts
from texelcore.surface.ledger import Row
from texelcore.surface.properties import NormalY
from texelcore.targets.document import Target, TargetOutput
from texelcore.targets.layout import apart, layout_of, parse_layout, rows_of
from texelcore.targets.layout import target_of as target_of_layouts

MEASURED, APART = "measured", "apart"


@dataclass(frozen=True)
class Wanted:
    """What was asked for: the layouts that files have and get, as they were typed, and which way normals point in each."""

    source: str
    result: str
    source_y: NormalY = "+Y"
    result_y: NormalY = "+Y"


def repack_files(paths: list[Path], wanted: Wanted, out: Path) -> int:
    """Repack files, and the pictures of folders, into `out`. One that cannot be is said and does not stop the others; exit code 1
    then. Raises TexelError for layouts that mean nothing and where there are no files."""
    files = [file for path in paths for file in _pictures(path)]
    if not files:
        known = " ".join(sorted(PICTURE_SUFFIXES))
        raise TexelError(", ".join(map(str, paths)), "holds no texture maps.", f"Known endings: {known}.")
    if wanted.source != MEASURED and "=" in wanted.source:
        parse_layout(wanted.source, wanted.source_y)
    for path in paths:
        if path.is_dir():
            refuse_overlap(path, out)
    failed = False
    # Names that this run has written: nothing is overwritten in silence.
    taken: set[str] = set()
    with Progress("Repacking") as progress:
        for place, path in enumerate(files):
            progress.show(place / len(files), path.name)
            try:
                failed = not _repack_one(path, wanted, out, taken) or failed
            except TexelError as error:
                print(f"✕ {error}")
                failed = True
    return FOUND if failed else DONE


def _repack_one(path: Path, wanted: Wanted, out: Path, taken: set[str]) -> bool:
    """Repack one file; whether all that was asked for was made."""
    if not path.is_file():
        raise TexelError(str(path), "is not there, or is no file.", "Look at the path.")
    facts = facts_for(path)
    rows = _rows(facts, wanted)
    target = _target(facts, rows, wanted)
    names = {planned.file_name for planned in plan_repack(facts, rows, target).outputs}
    if again := names & taken:
        raise TexelError(str(path), f"would be {min(again)}, which is written already.", "Repack it into another folder.")
    taken |= names
    plan, made = repack(path, facts, rows, target, out, lambda share, doing: None)
    for output in made:
        held = ", ".join(f"{channel.channel} {channel.meaning.lower()}" for channel in output.planned.channels)
        print(f"✓ {path.name} → {output.path.name} ({held})")
    lacking = [planned for planned in plan.outputs if planned.problem]
    for planned in lacking:
        print(f"✕ {path.name}: {planned.title} is not made. {planned.problem}")
    return not lacking


def save_channels(path: Path, channels: str, out: Path) -> int:
    """Save channels of a file as grey maps of their own, as they are stored."""
    refuse_overlap(path, out)
    out.mkdir(parents=True, exist_ok=True)
    for channel in dict.fromkeys(channels.upper()):
        print(f"✓ {path.name} {channel} → {save_channel(path, path.name, channel, out).name}")
    return DONE


def _pictures(path: Path) -> list[Path]:
    if path.is_dir():
        return sorted(file for file in path.rglob("*") if file.suffix.lower() in PICTURE_SUFFIXES)
    return [path]


def _output_of(said: str) -> tuple[Target, TargetOutput | None]:
    """A target, and the output of it that “TARGET:OUTPUT” names."""
    name, _, key = said.partition(":")
    target = target_of(name)
    if not key:
        return target, None
    output = next((output for output in target.outputs if output.key == key), None)
    if output is None:
        known = ", ".join(output.key for output in target.outputs)
        raise TexelError(said, f"names no output of {target.title}.", f"Known ones: {known}.")
    return target, output


def _rows(facts: FileFacts, wanted: Wanted) -> tuple[Row, ...]:
    if wanted.source == MEASURED:
        return measured_rows(facts)
    if "=" in wanted.source:
        return rows_of(parse_layout(wanted.source, wanted.source_y), facts)
    target, output = _output_of(wanted.source)
    if output is None:
        known = ", ".join(f"{target.name}:{output.key}" for output in target.outputs)
        raise TexelError(wanted.source, "has several outputs.", f"Say which one the file is: {known}.")
    return rows_of(layout_of(target, output), facts)


def _target(facts: FileFacts, rows: tuple[Row, ...], wanted: Wanted) -> Target:
    if wanted.result == APART:
        return target_of_layouts(apart(rows), facts, wanted.result_y)
    if "=" in wanted.result:
        return target_of_layouts({"repacked": parse_layout(wanted.result)}, facts, wanted.result_y)
    target, output = _output_of(wanted.result)
    return target.model_copy(update={"outputs": (output,)}) if output else target
