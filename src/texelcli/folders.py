"""Folders of maps: sorted and built, with a report for people or for machines."""

from __future__ import annotations

import json
import sys
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

from texelcli.exits import DONE, FOUND, UNUSABLE
from texelcli.memory import Memory
from texelcore.building.execute import SourcePath, make_outputs
from texelcore.building.manifest import make_manifest
from texelcore.building.plan import Plan, plan_build
from texelcore.checks.ledger_rules import check_set
from texelcore.evidence.facts import facts_of
from texelcore.naming.templates import code_of
from texelcore.pixels.errors import TexelError
from texelcore.pixels.inspect import NOT_YET_SUFFIXES, PICTURE_SUFFIXES
from texelcore.pixels.write import write_whole
from texelcore.sorting.ask import ask
from texelcore.sorting.classes import classes_asked
from texelcore.sorting.questions import Question, Scene
from texelcore.sorting.sort import Sorting, sort_files
from texelcore.surface.files import FileFacts
from texelcore.surface.findings import Finding
from texelcore.surface.ledger import Ledger
from texelcore.surface.properties import property_of
from texelcore.targets.document import Target, find_target, read_target

GLYPHS = {"error": "✕", "warning": "◆", "note": "·"}


@dataclass(frozen=True)
class SortedFolder:
    """A folder that was read: facts by relative path, and the errors of files that could not be."""

    folder: Path
    files: dict[str, FileFacts]
    unreadable: list[TexelError]
    passed_over: list[str]


def sort_folder(folder: Path, as_json: bool) -> int:
    """Sort a folder, print what was found and what is open, and give the exit code.

    Raises TexelError for a folder that cannot be used.
    """
    arrival = read_folder(folder)
    sorting = sort_files(arrival.files.values())
    scene = Scene(dict(zip(codes_of(sorting.ledgers), sorting.ledgers, strict=True)), arrival.files, sorting.open)
    questions = ask(scene)
    if as_json:
        body = _sorting_json(arrival, sorting) | {"questions": [entry.model_dump(mode="json") for entry in questions]}
        print(json.dumps(body, indent=2, ensure_ascii=False))
    else:
        for ledger in sorting.ledgers:
            _print_ledger(ledger, arrival.files)
        _print_endings(sorting)
        print_rest(arrival, sorting)
        _print_questions(questions)
    return UNUSABLE if arrival.unreadable else DONE


def build_folder(folder: Path, target_name: str, out: Path, project: str, as_json: bool) -> int:
    """Sort a folder, build every set for a target into `out`, print what was made, and give the exit code.

    Raises TexelError for a folder or target that cannot be used, or an `out` inside the folder or on a full disk.
    """
    target = target_of(target_name)
    refuse_overlap(folder, out)
    memory = Memory(folder, out)
    arrival = read_folder(folder, memory)
    sorting = sort_files(arrival.files.values())
    results, worst = [], DONE
    codes = codes_of(sorting.ledgers)
    for ledger, code in zip(sorting.ledgers, codes, strict=True):
        plan = plan_build(ledger, target, arrival.files, project, code)
        findings = check_set(ledger, arrival.files, target, plan)
        if any(finding.severity == "error" for finding in findings):
            worst = FOUND
        results.append(_build_set(arrival, plan, target, findings, out / code, project, memory))
    memory.save()
    if as_json:
        report = _sorting_json(arrival, sorting) | {"target": target.name, "builds": results}
        print(json.dumps(report, indent=2, ensure_ascii=False))
    else:
        for result in results:
            _print_build(result)
        print_rest(arrival, sorting)
    return UNUSABLE if arrival.unreadable else worst


def _build_set(
    arrival: SortedFolder, plan: Plan, target: Target, findings: tuple[Finding, ...], folder: Path, project: str, memory: Memory
) -> dict[str, Any]:
    sources = {key: SourcePath(arrival.folder / key, facts.name) for key, facts in arrival.files.items()}
    found = {planned.key: memory.made(planned, folder / planned.file_name) for planned in plan.outputs}
    missing = plan.model_copy(update={"outputs": tuple(planned for planned in plan.outputs if not found[planned.key])})
    with Progress(plan.set_name) as progress:
        for item in make_outputs(missing, sources, folder, progress.show):
            found[item.planned.key] = item
            memory.keep(item)
    made = [item for item in found.values() if item]
    manifest = make_manifest(plan, target, arrival.files, made, project)
    if made:
        write_whole(folder / f"{folder.name}.manifest.json", lambda part: _write_text(part, manifest.to_json()))
    return {
        "set": plan.set_name,
        "folder": str(folder),
        "unchanged": len(plan.outputs) - len(missing.outputs),
        "manifest": json.loads(manifest.to_json()),
        "findings": [finding.model_dump(mode="json") for finding in findings],
    }


def _write_text(path: Path, text: str) -> None:
    path.write_text(text, "utf-8")


def target_of(name: str) -> Target:
    """A shipped target by name, or a target document by the path of a .json file. Raises TexelError when there is none."""
    return read_target(Path(name)) if name.endswith(".json") else find_target(name)


def refuse_overlap(folder: Path, out: Path) -> None:
    """Outputs among the sources would be sorted as sources the next time."""
    if out.resolve() == folder.resolve() or folder.resolve() in out.resolve().parents:
        raise TexelError(str(out), "lies inside the folder of sources.", "Choose a folder outside of it.")


def read_folder(folder: Path, memory: Memory | None = None) -> SortedFolder:
    """Look at every picture in a folder and below; `memory` knows those that have not changed.

    Raises TexelError for one that is no folder, or holds no pictures.
    """
    if not folder.is_dir():
        raise TexelError(str(folder), "is not a folder.", "Name a folder that holds texture maps.")
    paths = sorted(path for path in folder.rglob("*") if path.is_file() and not path.name.startswith("."))
    pictures = [path for path in paths if path.suffix.lower() in PICTURE_SUFFIXES]
    passed = [path.relative_to(folder).as_posix() for path in paths if path.suffix.lower() not in PICTURE_SUFFIXES]
    files: dict[str, FileFacts] = {}
    unreadable: list[TexelError] = []

    def look(path: Path) -> FileFacts | TexelError:
        shown = path.relative_to(folder).as_posix()
        try:
            known = memory.facts(path, shown) if memory else None
            facts = known or facts_of(path, shown)
        except TexelError as error:
            return error
        if memory and not known:
            memory.learn(path, facts)
        return facts

    with Progress("Reading") as progress, ThreadPoolExecutor(2) as pool:
        for index, result in enumerate(pool.map(look, pictures), 1):
            progress.show(index / len(pictures), pictures[index - 1].name)
            if isinstance(result, FileFacts):
                files[result.id] = result
            else:
                unreadable.append(result)
    if not pictures:
        raise TexelError(str(folder), "holds no texture maps.", f"Known endings: {' '.join(sorted(PICTURE_SUFFIXES))}.")
    return SortedFolder(folder, files, unreadable, passed)


def codes_of(ledgers: Sequence[Ledger]) -> list[str]:
    """One code for each set; sets with one name are numbered so that no output overwrites another."""
    codes: list[str] = []
    for ledger in ledgers:
        code, number = code_of(ledger.name), 2
        while code in codes:
            code, number = f"{code_of(ledger.name)}_{number}", number + 1
        codes.append(code)
    return codes


def _sorting_json(arrival: SortedFolder, sorting: Sorting) -> dict[str, Any]:
    return {
        "sets": [ledger.model_dump(mode="json") for ledger in sorting.ledgers],
        "open": [{"file": entry.file, "why": entry.why, "kind": entry.kind, "ending": entry.ending} for entry in sorting.open],
        "endings": [asdict(line) for line in sorting.endings],
        "unreadable": [
            {"file": error.subject, "problem": error.problem, "way_out": error.way_out} for error in arrival.unreadable
        ],
        "passed_over": arrival.passed_over,
    }


def _print_ledger(ledger: Ledger, files: dict[str, FileFacts]) -> None:
    print(f"{ledger.name}  ({len(ledger.files())} files)")
    for row in ledger.rows:
        facts = files[row.file]
        channels = "".join(row.channels)
        read = " inverted" if row.inverted else f" {row.normal_y.replace('-', '−')}" if row.normal_y else ""
        title = property_of(row.property).title
        print(f"  {title:<15} {facts.path} [{channels}]{read}  {facts.width}×{facts.height} {facts.sample}  {row.why}")
    for entry in ledger.left_out:
        print(f"  {'left out':<15} {entry.file}  {entry.why}")
    print()


def _print_questions(questions: Sequence[Question]) -> None:
    if questions:
        print("Open questions:")
    for entry in questions:
        print(f"  {entry.text} {entry.why}")
        print(f"    Most likely: {entry.answer(entry.prepared).label}.")


def _print_endings(sorting: Sorting) -> None:
    """The table that sorting rests on: how files end, how many do, and what that was taken for."""
    if sorting.endings:
        print("Endings:")
    for line in sorting.endings:
        written = f"“{line.written}”" if line.ending else "no ending"
        looks = ", ".join(f"{count:,} {look}" for look, count in sorted(line.looks.items(), key=lambda entry: -entry[1]))
        held = "asked" if line.asked else " and ".join(meaning.replace("_", " ") for meaning in line.meanings)
        print(f"  {written:<16} {len(line.files):>6,} files  {line.stems:>6,} stems  {held:<18} {looks}")
    print()


def _print_build(result: dict[str, Any]) -> None:
    print(f"{result['set']} → {result['folder']}")
    for output in result["manifest"]["outputs"]:
        layout = "".join(channel["channel"] for channel in output["channels"])
        kind = "sRGB" if output["srgb"] else "linear"
        print(f"  {output['file']}  {output['width']}×{output['height']} {layout} {output['sample']} {kind}")
    for finding in result["findings"]:
        print(f"  {GLYPHS[finding['severity']]} {finding['subject']}: {finding['message']} {finding['way_out']}")
    print()


def print_rest(arrival: SortedFolder, sorting: Sorting) -> None:
    """Say what belongs to no set, and what could not be read."""
    unclear = [entry for entry in sorting.open if entry.kind == "unclear"]
    classes = classes_asked(sorting.open)
    if unclear or classes:
        print("Not recognised:")
    for asked in classes:
        print(f"  {asked.text} {asked.why}")
    for entry in unclear:
        print(f"  {entry.file}  {entry.why}")
    later = [path for path in arrival.passed_over if Path(path).suffix.lower() in NOT_YET_SUFFIXES]
    for path in later:
        print(f"  {path}  Its container is not yet read here; export the map that it was made from.")
    rest = len(arrival.passed_over) - len(later)
    if rest:
        kinds = ", ".join(sorted({Path(path).suffix.lower() or "no ending" for path in arrival.passed_over} - NOT_YET_SUFFIXES))
        print(f"  {rest:,} file{'s are' if rest > 1 else ' is'} no picture ({kinds}).")
    for error in arrival.unreadable:
        print(f"✕ {error}", file=sys.stderr)


class Progress:
    """A bar on standard error when that is a terminal; silent otherwise."""

    def __init__(self, title: str) -> None:
        self.title = title
        self.visible = sys.stderr.isatty()

    def __enter__(self) -> Progress:
        return self

    def show(self, share: float, doing: str) -> None:
        """Draw the bar."""
        if self.visible:
            filled = round(share * 24)
            sys.stderr.write(f"\r\x1b[K{self.title} {'▇' * filled}{'·' * (24 - filled)} {share:4.0%} {doing}")
            sys.stderr.flush()

    def __exit__(self, *_: object) -> None:
        if self.visible:
            sys.stderr.write("\r\x1b[K")
