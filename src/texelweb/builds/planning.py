"""A set's plan, proofs and findings, from the database's rows to the core's documents."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from django.utils import timezone

from texelcore.build.plan import Plan, PlannedOutput, plan_build
from texelcore.checks.house_rules import check_house
from texelcore.checks.ledger_rules import check_set, worst_first
from texelcore.checks.origin_rules import check_origin
from texelcore.proof.prove import proof_key
from texelcore.proof.tolerances import judge
from texelcore.surface.ledger import FileFacts, Finding, Ledger
from texelcore.targets.document import Target
from texelweb.builds.models import Build, Proof
from texelweb.projects.models import Project
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


def plan_of(
    texture_set: TextureSet, target: Target, known: Mapping[str, FileFacts] | None = None
) -> tuple[Ledger, dict[str, FileFacts], Plan]:
    """The ledger, the facts of the files it names, and the plan for a target. `known` spares asking for facts."""
    ledger = texture_set.ledger
    if known is None:
        known = {str(file.pk): file.facts for file in SourceFile.objects.filter(pk__in=ledger.files())}
    files = {file: known[file] for file in ledger.files() if file in known}
    return ledger, files, plan_build(ledger, target, files, texture_set.project.code, texture_set.code)


def state_of(texture_set: TextureSet, target: Target) -> State:
    """How a set stands for a target."""
    (state,) = states_of(texture_set.project, [(texture_set, target)])
    return state


def states_of(project: Project, wanted: Sequence[tuple[TextureSet, Target]]) -> list[State]:
    """How sets of one project stand, each for a target. Rows are fetched for all at once: a board has hundreds of sets."""
    ledgers = [texture_set.ledger for texture_set, _ in wanted]
    named = {file for ledger in ledgers for file in ledger.files()}
    known = {str(file.pk): file.facts for file in SourceFile.objects.filter(pk__in=named)}
    planned = [plan_of(texture_set, target, known) for texture_set, target in wanted]
    proofs = _proofs_of([plan for _, _, plan in planned])
    builds = _builds_of([texture_set for texture_set, _ in wanted])
    rules, tolerances, today = project.rules, project.tolerances, timezone.now().date()
    states = []
    for (texture_set, target), (ledger, files, plan) in zip(wanted, planned, strict=True):
        build, made = builds.get((texture_set.pk, target.name), (None, set()))
        current = build is not None and made == {(entry.file_name, entry.content_key) for entry in plan.outputs}
        mine = _by_output(plan, proofs)
        findings = list(check_set(ledger, files, target, plan))
        findings += check_house(rules, ledger, files, project.code, plan)
        findings += check_origin(texture_set.origin, texture_set.name, project.slug, target.name, today)
        for entry in plan.outputs:
            if entry.key in mine:
                findings += judge(mine[entry.key].figures, tolerances, entry.file_name)
        states.append(State(ledger, files, plan, worst_first(findings), build, current, mine))
    return states


def proofs_of(plan: Plan) -> dict[str, Proof]:
    """The proofs of a plan's outputs, by output key; outputs without one are left out."""
    return _by_output(plan, _proofs_of([plan]))


def _by_output(plan: Plan, proofs: Mapping[str, Proof]) -> dict[str, Proof]:
    return {planned.key: proofs[key] for planned in plan.outputs if (key := _proof_key(planned)) in proofs}


def _proof_key(planned: PlannedOutput) -> str:
    return proof_key(planned) if planned.content_key else ""


def _proofs_of(plans: Sequence[Plan]) -> dict[str, Proof]:
    """The proofs of all outputs of plans, by proof key; what has none is not there."""
    wanted = {key for plan in plans for planned in plan.outputs if (key := _proof_key(planned))}
    return Proof.objects.filter(proof_key__in=wanted).select_related("blob").in_bulk()


def _builds_of(sets: Sequence[TextureSet]) -> dict[tuple[int, str], tuple[Build, set[tuple[str, str]]]]:
    """Each set's last good build for each target, with the names and content keys of its outputs."""
    found: dict[tuple[int, str], tuple[Build, set[tuple[str, str]]]] = {}
    good = Build.objects.filter(set__in=sets).exclude(manifest="").order_by("pk").prefetch_related("outputs")
    for build in good:
        outputs = {(output.file_name, output.content_key) for output in build.outputs.all()}
        found[build.set_id, build.target] = (build, outputs)
    return found
