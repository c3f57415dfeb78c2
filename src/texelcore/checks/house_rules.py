"""Rules that the house has written: names, places, sizes and memory."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from texelcore.building.plan import Plan, PlannedOutput
from texelcore.naming.judge import judge_name, subject_of
from texelcore.naming.rules import HouseRules, SizeRules
from texelcore.surface.files import FileFacts
from texelcore.surface.findings import Finding, Severity, Stage
from texelcore.surface.formats import memory_of
from texelcore.surface.ledger import Ledger
from texelcore.surface.sources import Source

MEGABYTE = 1_000_000


def check_house(
    rules: HouseRules, ledger: Ledger, files: Mapping[Source, FileFacts], project: str = "", plan: Plan | None = None
) -> tuple[Finding, ...]:
    """All breaks of the house rules in one set. Memory is held against the set's budget when there is a plan."""
    if not rules.hold:
        return ()
    found: list[Finding] = []
    for file in ledger.files():
        facts = files[file]
        found += check_name(rules, facts, ledger, project)
        found += _sizes(rules.sizes, facts)
    if plan and rules.sizes.set_budget:
        found += _budget(memory_of_plan(plan), rules.sizes.set_budget, ledger.name, "set-budget")
    return tuple(found)


def check_name(rules: HouseRules, facts: FileFacts, ledger: Ledger | None, project: str = "") -> Iterator[Finding]:
    """The breaks of the naming rules by one file; without a ledger only the general rules are asked."""
    subject = subject_of(ledger, facts, project) if ledger else None
    for broken in judge_name(rules, facts.path, subject):
        rule = f"name-{broken.rule.replace(' ', '-')}"
        yield _finding(rule, facts, broken.message, "Rename it, or let the rename plan do it.", stage="named")


def check_project_budget(rules: HouseRules, memory: int, title: str) -> tuple[Finding, ...]:
    """Whether all sets together keep the project's memory budget; nothing without one. `memory`: bytes of all their outputs."""
    if not rules.hold or not rules.sizes.project_budget:
        return ()
    return tuple(_budget(memory, rules.sizes.project_budget, title, "project-budget"))


def memory_of_plan(plan: Plan) -> int:
    """The bytes that a set's outputs take in the engine, as they are to be stored."""
    return sum(memory_of_output(planned) for planned in plan.outputs)


def memory_of_output(planned: PlannedOutput) -> int:
    """The bytes that one output takes in the engine, all levels; 0 where it cannot be made."""
    if planned.problem:
        return 0
    return memory_of(planned.storage.format, planned.width, planned.height, planned.storage.mips)


def _budget(taken: int, budget: float, subject: str, rule: str) -> Iterator[Finding]:
    if taken > budget * MEGABYTE:
        message = f"The outputs take {taken / MEGABYTE:.1f} MB in the engine; the budget is {budget:g} MB."
        yield _finding(rule, subject, message, "Use smaller sizes or cheaper formats, or raise the budget.", stage="packed")


def _sizes(rules: SizeRules, facts: FileFacts) -> Iterator[Finding]:
    said = f"{facts.width} × {facts.height}"
    long, short = max(facts.width, facts.height), min(facts.width, facts.height)
    if long > rules.largest:
        yield _finding("size-too-large", facts, f"{said} is larger than {rules.largest}.", "Export it smaller.")
    if short < rules.smallest:
        yield _finding("size-too-small", facts, f"{said} is smaller than {rules.smallest}.", "Export it larger.")
    if rules.square and long != short:
        yield _finding("size-not-square", facts, f"{said} is not square.", "Export it square.")
    if rules.power_of_two and any(edge & (edge - 1) for edge in (long, short)):
        yield _finding("size-power-of-two", facts, f"{said} is no power of two.", "Resize it to one.")


def _finding(
    rule: str, about: FileFacts | str, message: str, way_out: str, *, severity: Severity = "warning", stage: Stage = "sorted"
) -> Finding:
    """A finding about a file, or about what is named."""
    subject, file = (about, None) if isinstance(about, str) else (about.name, about.id)
    return Finding(rule=rule, severity=severity, stage=stage, subject=subject, file=file, message=message, way_out=way_out)
