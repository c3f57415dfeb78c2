"""A set's plan and findings, from the database's rows to the core's documents."""

from __future__ import annotations

from dataclasses import dataclass

from texelcore.build.plan import Plan, plan_build
from texelcore.checks.ledger_rules import check_set
from texelcore.surface.ledger import FileFacts, Finding, Ledger
from texelcore.targets.document import Target
from texelweb.builds.models import Build
from texelweb.sets.models import SourceFile, TextureSet


@dataclass(frozen=True)
class State:
    """How a set stands for a target: its plan, findings, last good build, and whether that is still current."""

    ledger: Ledger
    files: dict[str, FileFacts]
    plan: Plan
    findings: tuple[Finding, ...]
    build: Build | None
    current: bool


def plan_of(texture_set: TextureSet, target: Target) -> tuple[Ledger, dict[str, FileFacts], Plan]:
    """The ledger, the facts of the files it names, and the plan for a target."""
    ledger = texture_set.ledger
    files = {str(file.pk): file.facts for file in SourceFile.objects.filter(pk__in=ledger.files())}
    return ledger, files, plan_build(ledger, target, files, texture_set.project.code, texture_set.code)


def state_of(texture_set: TextureSet, target: Target) -> State:
    """How a set stands for a target."""
    ledger, files, plan = plan_of(texture_set, target)
    findings = check_set(ledger, files, target, plan)
    build = texture_set.builds.filter(target=target.name).exclude(manifest="").order_by("-pk").first()
    current = False
    if build:
        wanted = {(planned.file_name, planned.content_key) for planned in plan.outputs}
        current = wanted == set(build.outputs.values_list("file_name", "content_key"))
    return State(ledger, files, plan, findings, build, current)
