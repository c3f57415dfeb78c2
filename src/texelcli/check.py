"""A folder held against house rules: for people, as JSON, and as reports that build machines read."""

from __future__ import annotations

import itertools
import json
from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from importlib.metadata import version
from pathlib import Path

from texelcli.arrange import Arrangement, arrange, missing_files
from texelcli.exits import DONE, FOUND, UNUSABLE
from texelcli.folders import GLYPHS
from texelcli.reading import SortedFolder, read_folder
from texelcore.building.plan import Plan, plan_build
from texelcore.checks.house_rules import check_house, check_name, check_project_budget, memory_of_plan
from texelcore.checks.ledger_rules import check_set, worst_first
from texelcore.checks.picture_rules import check_pictures
from texelcore.checks.reports import ReportEntry, fails, junit_xml, sarif
from texelcore.naming.judge import awaits_answer, subject_of
from texelcore.naming.renames import Named, plan_renames
from texelcore.naming.rules import HouseRules, read_rules
from texelcore.pixels.errors import TexelError
from texelcore.pixels.write import write_whole
from texelcore.sorting.sort import Sorting
from texelcore.surface.findings import Finding, Severity
from texelcore.surface.ledger import Ledger
from texelcore.targets.document import Target

_Plans = Sequence[tuple[Plan, Target]]
_NO_TARGET: Sequence[tuple[Plan | None, Target | None]] = ((None, None),)
UNREADABLE = "cannot-be-read"
OPEN = "not-recognised"


def check_folder(
    folder: Path,
    rules_file: Path | None,
    document: Path | None,
    target_name: str | None,
    project: str,
    fail_on: Severity,
    reports: Mapping[str, Path],
    as_json: bool,
) -> int:
    """Sort a folder, check every file and set, print and write what was found, and give the exit code.

    `reports` are paths by kind: "junit", "sarif", "renames" (a CSV). Raises TexelError for a folder, rules or target that
    cannot be used.
    """
    if rules_file is None and document is None:
        raise TexelError("The rules", "are not named.", "Name them with --rules, or a project with --project-document.")
    arrival = read_folder(folder)
    arranged = arrange(arrival, document, target_name, project, read_rules(rules_file) if rules_file else None)
    rules, sorting, project = arranged.rules, arranged.sorting, arranged.code
    plans = _plans(arranged, arrival)
    checked = [*_sets(arrival, arranged, plans), *_rest(arrival, sorting, rules)]
    checked += _over_budget(rules, plans, folder.name)
    if (rules.sizes.set_budget or rules.sizes.project_budget) and not any(plans):
        raise TexelError(rules.title, "sets a memory budget, which goes by a target.", "Name one with --target.")
    _write(reports, checked, fail_on, folder, _renames_csv(arrival, sorting, rules, project))
    if as_json:
        print(json.dumps([entry.model_dump(mode="json") for entry in checked], indent=2, ensure_ascii=False))
    else:
        _print(checked)
    if arrival.unreadable:
        return UNUSABLE
    return FOUND if any(fails(finding, fail_on) for entry in checked for finding in entry.findings) else DONE


def _plans(arranged: Arrangement, arrival: SortedFolder) -> list[_Plans]:
    """For each set its plan for each target that it is made for."""
    return [
        [
            (plan_build(texture_set.ledger, target, arrival.files, arranged.code, texture_set.code), target)
            for target in texture_set.targets
        ]
        for texture_set in arranged.sets
    ]


def _over_budget(rules: HouseRules, plans: Sequence[_Plans], title: str) -> Iterator[ReportEntry]:
    """The project's memory budget, held for each target by itself: no engine loads what is made for another."""
    taken: dict[str, int] = defaultdict(int)
    for plan, target in itertools.chain(*plans):
        taken[target.title] += memory_of_plan(plan)
    for name, memory in sorted(taken.items()):
        if found := check_project_budget(rules, memory, title if len(taken) == 1 else f"{title}, {name}"):
            yield ReportEntry(name=title, group="Project", findings=found)


def _sets(arrival: SortedFolder, arranged: Arrangement, plans: Sequence[_Plans]) -> Iterator[ReportEntry]:
    rules = arranged.rules
    for entry, planned in zip(arranged.sets, plans, strict=True):
        ledger = entry.ledger
        found: list[Finding] = []
        for plan, target in planned or _NO_TARGET:
            more = list(check_house(rules, ledger, arrival.files, arranged.code, plan))
            more += _content(ledger, arrival, plan, target, rules)
            # What holds of the sources is seen for every target, and said once.
            found += [finding for finding in more if finding not in found]
        found += missing_files(entry)
        by_file: dict[str | None, list[Finding]] = defaultdict(list)
        for finding in found:
            by_file[finding.file].append(finding)
        for file in ledger.files():
            facts = arrival.files[file]
            yield ReportEntry(name=facts.name, group=ledger.name, path=facts.path, findings=worst_first(by_file[file]))
        rest = by_file[None]
        if rest:
            yield ReportEntry(name=ledger.name, group=ledger.name, findings=worst_first(rest))


def _content(
    ledger: Ledger, arrival: SortedFolder, plan: Plan | None, target: Target | None, rules: HouseRules
) -> tuple[Finding, ...]:
    if plan is None or target is None:
        found = tuple(check_pictures(ledger, arrival.files, rules.checks))
    else:
        found = check_set(ledger, arrival.files, target, plan, rules.checks)
    # The house's own rule about sizes stands in for the general one.
    return tuple(finding for finding in found if not (rules.sizes.power_of_two and finding.rule == "not-power-of-two"))


def _rest(arrival: SortedFolder, sorting: Sorting, rules: HouseRules) -> Iterator[ReportEntry]:
    for open_file in sorting.open:
        facts = arrival.files[open_file.file]
        unknown = Finding(
            rule=OPEN,
            severity="warning",
            stage="sorted",
            subject=facts.name,
            message=open_file.why,
            way_out="Name it by the rules, or teach the rules a habit.",
        )
        yield ReportEntry(
            name=facts.name, group="Not recognised", path=facts.path, findings=(unknown, *check_name(rules, facts, None))
        )
    for error in arrival.unreadable:
        broken = Finding(
            rule=UNREADABLE, severity="error", stage="sorted", subject=error.subject, message=error.problem, way_out=error.way_out
        )
        yield ReportEntry(name=error.subject, group="Not readable", path=error.subject, findings=(broken,))


def _renames_csv(arrival: SortedFolder, sorting: Sorting, rules: HouseRules, project: str) -> str:
    homes = {file: ledger for ledger in sorting.ledgers for file in ledger.files()}
    named = []
    for facts in arrival.files.values():
        home = homes.get(facts.id)
        subject = subject_of(home, facts, project) if home else None
        named.append(Named(facts.id, facts.path, subject, home is not None and awaits_answer(home, facts)))
    return plan_renames(rules, named).to_csv()


def _write(reports: Mapping[str, Path], checked: list[ReportEntry], fail_on: Severity, folder: Path, renames: str) -> None:
    makers = {
        "junit": lambda: junit_xml(checked, fail_on, folder.name),
        "sarif": lambda: sarif(checked, version("fairtexel"), {}),
        "renames": lambda: renames,
    }
    for kind, path in reports.items():
        text = makers[kind]()
        write_whole(path, lambda part, text=text: _write_text(part, text))  # type: ignore[misc]


def _write_text(path: Path, text: str) -> None:
    path.write_text(text, "utf-8", newline="")


def _print(checked: list[ReportEntry]) -> None:
    group = ""
    for entry in checked:
        if not entry.findings:
            continue
        if entry.group != group:
            group = entry.group
            print(group)
        print(f"  {entry.path or entry.name}")
        for finding in entry.findings:
            print(f"    {GLYPHS[finding.severity]} {finding.message} {finding.way_out}")
    count = sum(len(entry.findings) for entry in checked)
    print(f"{len(checked)} checked, {count} finding{'' if count == 1 else 's'}.")
