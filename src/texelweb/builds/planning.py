"""A set's plan, proofs and findings, from the database's rows to the core's documents."""

from __future__ import annotations

from dataclasses import dataclass

from django.utils import timezone

from texelcore.build.plan import Plan, plan_build
from texelcore.checks.house_rules import check_house
from texelcore.checks.ledger_rules import check_set, worst_first
from texelcore.checks.origin_rules import check_origin
from texelcore.proof.prove import proof_key
from texelcore.proof.tolerances import judge
from texelcore.surface.ledger import FileFacts, Finding, Ledger
from texelcore.targets.document import Target
from texelweb.builds.models import Build, Proof
from texelweb.sets.models import SourceFile, TextureSet


@dataclass(frozen=True)
class State:
    """How a set stands for a target: its plan, findings, last good build and whether that is still current, and the proofs
    of its outputs as they are planned now, by output key."""

    ledger: Ledger
    files: dict[str, FileFacts]
    plan: Plan
    findings: tuple[Finding, ...]
    build: Build | None
    current: bool
    proofs: dict[str, Proof]

    @property
    def proved(self) -> bool:
        """Whether every output, as it is planned now, has a proof."""
        return bool(self.plan.outputs) and all(planned.key in self.proofs for planned in self.plan.outputs)

    def provides(self) -> set[str]:
        """The properties that the set has maps for."""
        provided = {row.property for row in self.ledger.rows}
        return provided | {"metallic", "base_colour"} if self.ledger.workflow == "specular" else provided


def plan_of(texture_set: TextureSet, target: Target) -> tuple[Ledger, dict[str, FileFacts], Plan]:
    """The ledger, the facts of the files it names, and the plan for a target."""
    ledger = texture_set.ledger
    files = {str(file.pk): file.facts for file in SourceFile.objects.filter(pk__in=ledger.files())}
    return ledger, files, plan_build(ledger, target, files, texture_set.project.code, texture_set.code)


def proofs_of(plan: Plan) -> dict[str, Proof]:
    """The proofs of a plan's outputs, by output key; outputs without one are left out."""
    wanted = {planned.key: proof_key(planned) for planned in plan.outputs if planned.content_key}
    found = Proof.objects.filter(proof_key__in=wanted.values()).select_related("blob").in_bulk()
    return {key: found[wanted_key] for key, wanted_key in wanted.items() if wanted_key in found}


def state_of(texture_set: TextureSet, target: Target) -> State:
    """How a set stands for a target."""
    ledger, files, plan = plan_of(texture_set, target)
    build = texture_set.builds.filter(target=target.name).exclude(manifest="").order_by("-pk").first()
    current = False
    if build:
        wanted = {(planned.file_name, planned.content_key) for planned in plan.outputs}
        current = wanted == set(build.outputs.values_list("file_name", "content_key"))
    proofs = proofs_of(plan)
    project = texture_set.project
    findings = list(check_set(ledger, files, target, plan))
    findings += check_house(project.rules, ledger, files, project.code, plan)
    findings += check_origin(texture_set.origin, texture_set.name, project.slug, target.name, timezone.now().date())
    tolerances = project.tolerances
    for planned in plan.outputs:
        if planned.key in proofs:
            findings += judge(proofs[planned.key].figures, tolerances, planned.file_name)
    return State(ledger, files, plan, worst_first(findings), build, current, proofs)
