"""Folders of maps: sorted and built, with a report for people or for machines."""

from __future__ import annotations

import json
import sys
from collections.abc import Sequence
from dataclasses import asdict, replace
from pathlib import Path
from typing import Any

from texelcli.arrange import arrange, targets_of, wanted
from texelcli.exits import DONE, FOUND, UNUSABLE
from texelcli.memory import Memory
from texelcli.reading import Progress, SortedFolder, codes_of, read_folder, refuse_overlap
from texelcore.building.execute import make_outputs
from texelcore.building.manifest import make_manifest
from texelcore.building.plan import Plan, plan_build
from texelcore.building.sources import in_folder
from texelcore.naming.habits import Habit
from texelcore.naming.house import Reader
from texelcore.pixels.inspect import NOT_YET_SUFFIXES
from texelcore.pixels.write import write_whole
from texelcore.sorting.ask import ask
from texelcore.sorting.classes import classes_asked
from texelcore.sorting.prepared import Prepared, take_prepared
from texelcore.sorting.questions import Question, Scene
from texelcore.sorting.sort import SINGLE, Sorting
from texelcore.surface.files import FileFacts
from texelcore.surface.findings import Finding
from texelcore.surface.ledger import Ledger
from texelcore.surface.properties import property_of
from texelcore.surface.sources import Source
from texelcore.targets.document import Target

GLYPHS = {"error": "✕", "warning": "◆", "note": "·"}


def sort_folder(folder: Path, document: Path | None, as_json: bool, prepared: bool = False) -> int:
    """Sort a folder, print what was found and what is open, and give the exit code. What a project document has decided is not
    asked again. With `prepared` every prepared answer is taken, until nothing is open.

    Raises TexelError for a folder or document that cannot be used.
    """
    arrival = read_folder(folder)
    arranged = arrange(arrival, document, None, "")

    def sort(habits: tuple[Habit, ...]) -> Scene:
        nonlocal arranged
        arranged = arrange(arrival, document, None, "", habits=habits) if habits else arranged
        (_, fresh), loose = arranged.split(), arranged.sorting.open
        # What the document has decided about is not asked about, whatever lies beside it.
        asked = {file for ledger in fresh for file in ledger.files()} | {open_file.file for open_file in loose}
        files = {key: facts for key, facts in arrival.files.items() if key in asked}
        return Scene(dict(zip(codes_of(fresh), fresh, strict=True)), files, loose, Reader(arranged.rules, arranged.code))

    settled = take_prepared(sort) if prepared else None
    sorting, questions = arranged.sorting, settled.left if settled else ask(sort(()))
    if settled:
        decided, _ = arranged.split()
        sorting = replace(sorting, ledgers=(*decided, *settled.ledgers), open=settled.open)
    if as_json:
        body = _sorting_json(arrival, sorting) | {"questions": [question.model_dump(mode="json") for question in questions]}
        if settled:
            habits = [habit.model_dump(mode="json") for habit in settled.habits]
            body |= {"answers": [asdict(taken) for taken in settled.taken], "aside": settled.aside, "habits": habits}
        print(json.dumps(body, indent=2, ensure_ascii=False))
    else:
        for ledger in sorting.ledgers:
            _print_ledger(ledger, arrival.files)
        _print_endings(sorting)
        print_rest(arrival, sorting)
        _print_questions(questions)
        if settled:
            _print_taken(settled)
    return UNUSABLE if arrival.unreadable else DONE


def build_folder(folder: Path, document: Path | None, target_name: str | None, out: Path, project: str, as_json: bool) -> int:
    """Sort a folder, build every set for a target into `out`, print what was made, and give the exit code. With a project
    document each set is built for its own targets, unless one is named.

    Raises TexelError for a folder or target that cannot be used, or an `out` inside the folder or on a full disk.
    """
    refuse_overlap(folder, out)
    memory = Memory(folder, out)
    arrival = read_folder(folder, memory)
    arranged = arrange(arrival, document, target_name, project)
    results, worst, sorting = [], DONE, arranged.sorting
    for entry, target in [(here, target) for here in arranged.sets for target in wanted(here)]:
        plan = plan_build(entry.ledger, target, arrival.files, arranged.code, entry.code)
        findings = arranged.findings(entry, target, plan, arrival)
        if any(finding.severity == "error" for finding in findings):
            worst = FOUND
        if entry.missing:
            # What was decided cannot be made: half of it is not what was meant.
            plan = plan.model_copy(update={"outputs": ()})
        home, name = entry.home(out, target), f"{entry.code}.manifest.json"
        results.append(_build_set(arrival, plan, target, findings, home, name, arranged.code, memory))
    memory.save()
    if as_json:
        names = [target.name for target in targets_of(arranged.sets)]
        report = _sorting_json(arrival, sorting) | {"target": " ".join(names), "builds": results}
        print(json.dumps(report, indent=2, ensure_ascii=False))
    else:
        for result in results:
            _print_build(result)
        print_rest(arrival, sorting)
    return UNUSABLE if arrival.unreadable else worst


def _build_set(
    arrival: SortedFolder,
    plan: Plan,
    target: Target,
    findings: tuple[Finding, ...],
    folder: Path,
    name: str,
    project: str,
    memory: Memory,
) -> dict[str, Any]:
    sources = in_folder(arrival.files, arrival.folder)
    found = {planned.key: memory.made(planned, folder / planned.file_name) for planned in plan.outputs}
    missing = plan.model_copy(update={"outputs": tuple(planned for planned in plan.outputs if not found[planned.key])})
    with Progress(plan.set_name) as progress:
        for item in make_outputs(missing, sources, folder, progress.show):
            found[item.planned.key] = item
            memory.keep(item)
    made = [item for item in found.values() if item]
    manifest = make_manifest(plan, target, arrival.files, made, project)
    if made:
        write_whole(folder / name, lambda part: _write_text(part, manifest.to_json()))
    return {
        "set": plan.set_name,
        "folder": str(folder),
        "unchanged": len(plan.outputs) - len(missing.outputs),
        "manifest": json.loads(manifest.to_json()),
        "findings": [finding.model_dump(mode="json") for finding in findings],
    }


def _write_text(path: Path, text: str) -> None:
    path.write_text(text, "utf-8")


def _sorting_json(arrival: SortedFolder, sorting: Sorting) -> dict[str, Any]:
    return {
        "sets": [ledger.model_dump(mode="json") for ledger in sorting.ledgers],
        "open": [
            {"file": open_file.file, "why": open_file.why, "kind": open_file.kind, "ending": open_file.ending}
            for open_file in sorting.open
        ],
        "endings": [asdict(line) for line in sorting.endings],
        "unreadable": [
            {"file": error.subject, "problem": error.problem, "way_out": error.way_out} for error in arrival.unreadable
        ],
        "passed_over": arrival.passed_over,
    }


def _print_ledger(ledger: Ledger, files: dict[Source, FileFacts]) -> None:
    print(f"{ledger.name}  ({len(ledger.files())} files)")
    for row in ledger.rows:
        facts = files[row.file]
        channels = "".join(row.channels)
        read = " inverted" if row.inverted else f" {row.normal_y.replace('-', '−')}" if row.normal_y else ""
        title = property_of(row.property).title
        print(f"  {title:<15} {facts.path} [{channels}]{read}  {facts.width}×{facts.height} {facts.sample}  {row.why}")
    for left_out in ledger.left_out:
        print(f"  {'left out':<15} {left_out.file}  {left_out.why}")
    print()


def _print_questions(questions: Sequence[Question]) -> None:
    if questions:
        print("Open questions:")
    for question in questions:
        print(f"  {question.text} {question.why}")
        print(f"    Most likely: {question.answer(question.prepared).label}.")


def _print_taken(settled: Prepared) -> None:
    if settled.taken:
        print("Answers that were taken as prepared:")
    for taken in settled.taken:
        print(f"  {taken.question} {taken.answer}.")
    for file, why in sorted(settled.aside.items()):
        print(f"  {'set aside':<15} {file}  {why}")


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
    unclear = [open_file for open_file in sorting.open if open_file.kind in SINGLE]
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
