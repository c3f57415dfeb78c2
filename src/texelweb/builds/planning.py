"""A set's plan, proofs and findings, from the database's rows to the core's documents."""

from __future__ import annotations

import hashlib
import json
from collections import OrderedDict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from threading import Lock
from typing import Any

from django.utils import timezone

from texelcore.building.plan import Plan, plan_build
from texelcore.checks.house_rules import check_house
from texelcore.checks.ledger_rules import check_set, worst_first
from texelcore.checks.origin_rules import check_origin
from texelcore.materials.dressing.binding import SetMaps
from texelcore.materials.dressing.set_maps import set_maps
from texelcore.naming.rules import HouseRules
from texelcore.proof.prove import proof_key
from texelcore.proof.tolerances import judge
from texelcore.surface.documents import packed_tight
from texelcore.surface.files import FileFacts
from texelcore.surface.findings import Finding
from texelcore.surface.ledger import Ledger
from texelcore.surface.sources import Source
from texelcore.targets.document import Target
from texelweb.builds.models import Build, Proof
from texelweb.projects.models import Project
from texelweb.sets.models import SourceFile, TextureSet


@dataclass(frozen=True)
class State:
    """How a set stands for a target: its plan, findings, last good build and whether that is still current, and the proofs
    of its outputs as they are planned now, by output key."""

    ledger: Ledger
    files: dict[Source, FileFacts]
    plan: Plan
    findings: tuple[Finding, ...]
    build: Build | None
    current: bool
    proofs: dict[str, Proof]
    proof_keys: Mapping[str, str]

    @property
    def proved(self) -> bool:
        """Whether every output, as it is planned now, has a proof."""
        return bool(self.plan.outputs) and all(planned.key in self.proofs for planned in self.plan.outputs)


def maps_of(state: State) -> SetMaps:
    """The maps of a set as its target keeps them, to bind textures of masters to."""
    return set_maps(state.ledger, state.plan.outputs)


@dataclass(frozen=True)
class Judged:
    """What follows from a set's ledger, its files, a target and the house rules alone."""

    ledger: Ledger
    files: dict[Source, FileFacts]
    plan: Plan
    findings: tuple[Finding, ...]
    # The proof key of each output that can be made, by the output's key.
    proof_keys: Mapping[str, str]


# A board asks about hundreds of sets again and again, and few of them have changed. Kept by all that the answer depends on.
MOST_JUDGED = 1500
MOST_NAMED = 100
_judged: OrderedDict[str, Judged] = OrderedDict()
_lock = Lock()


def judge_set(texture_set: TextureSet, target: Target) -> Judged:
    """A set's plan for a target, and what is found about it; proofs are not looked at."""
    (judged,) = judge_sets(texture_set.project, [(texture_set, target)])
    return judged


def judge_sets(project: Project, wanted: Sequence[tuple[TextureSet, Target]]) -> list[Judged]:
    """As `judge_set`, for sets of one project, each for a target: from what is at hand where nothing has changed. Rows are
    fetched for all at once."""
    rules = project.rules
    house = f"{rules.model_dump_json()}\n{project.code}"
    named = {id(texture_set): _files_named(texture_set.ledger_json) for texture_set, _ in wanted}
    every = set().union(*named.values()) if named else set()
    stamps = {str(pk): _stamp(pk, sha256, path) for pk, sha256, path in _stamps(project, every)}
    # Sets share their targets, and a target is a long document.
    texts = {id(target): target.model_dump_json() for target in {id(target): target for _, target in wanted}.values()}
    keys = []
    for texture_set, target in wanted:
        files = "\n".join(stamps.get(file, "") for file in sorted(named[id(texture_set)]))
        parts = (house, texts[id(target)], texture_set.code, json.dumps(texture_set.ledger_json, sort_keys=True), files)
        keys.append(hashlib.sha256("\n\n".join(parts).encode()).hexdigest())
    with _lock:
        found = {key: _judged[key] for key in keys if key in _judged}
    missing = {file for key, (entry, _) in zip(keys, wanted, strict=True) if key not in found for file in named[id(entry)]}
    rows = {str(file.pk): file for file in SourceFile.objects.filter(pk__in=missing)}
    known = {key: file.facts for key, file in rows.items()}
    # What came again between the two looks is judged as it is now, and not kept under what it was.
    late = {key for key, file in rows.items() if _stamp(file.pk, file.blob_id, file.path) != stamps.get(key)}
    for key, (texture_set, target) in zip(keys, wanted, strict=True):
        if key not in found:
            found[key] = _judge_one(texture_set, target, project, rules, known)
    with _lock:
        for key, (texture_set, _) in zip(keys, wanted, strict=True):
            if late & named[id(texture_set)]:
                continue
            _judged[key] = found[key]
            _judged.move_to_end(key)
        while len(_judged) > MOST_JUDGED:
            _judged.popitem(last=False)
    return [found[key] for key in keys]


def _judge_one(
    texture_set: TextureSet, target: Target, project: Project, rules: HouseRules, known: Mapping[Source, FileFacts]
) -> Judged:
    ledger = texture_set.ledger
    files = {file: known[file] for file in ledger.files() if file in known}
    plan = plan_build(ledger, target, files, project.code, texture_set.code)
    findings = (*check_set(ledger, files, target, plan, rules.checks), *check_house(rules, ledger, files, project.code, plan))
    keys = {planned.key: proof_key(planned) for planned in plan.outputs if planned.content_key}
    packed_tight((ledger, files, plan, findings))
    return Judged(ledger, files, plan, findings, keys)


def _files_named(ledger_json: Any) -> set[str]:
    entries = [*ledger_json.get("rows", ()), *ledger_json.get("left_out", ())]
    return {part["file"] for entry in entries for part in (entry, *entry.get("tiles", ()))}


def _stamp(pk: int, sha256: str, path: str) -> str:
    return f"{pk} {sha256} {path}"


def _stamps(project: Project, files: set[str]) -> Iterable[tuple[int, str, str]]:
    # A long list of keys costs more to send than a project's rows to read.
    rows = SourceFile.objects.filter(project=project)
    return (rows if len(files) > MOST_NAMED else rows.filter(pk__in=files)).values_list("pk", "blob_id", "path")


def state_of(texture_set: TextureSet, target: Target) -> State:
    """How a set stands for a target."""
    (state,) = states_of(texture_set.project, [(texture_set, target)])
    return state


def states_of(project: Project, wanted: Sequence[tuple[TextureSet, Target]]) -> list[State]:
    """How sets of one project stand, each for a target. Rows are fetched for all at once: a board has hundreds of sets."""
    judged = judge_sets(project, wanted)
    proofs = _proofs_by_key(key for entry in judged for key in entry.proof_keys.values())
    builds = _builds_of([texture_set for texture_set, _ in wanted])
    tolerances, today = project.tolerances, timezone.now().date()
    states = []
    for (texture_set, target), entry in zip(wanted, judged, strict=True):
        build, made = builds.get((texture_set.pk, target.name), (None, set()))
        planned = {(output.file_name, output.content_key) for output in entry.plan.outputs}
        mine = _by_output(entry.proof_keys, proofs)
        findings = list(entry.findings)
        findings += check_origin(texture_set.origin, texture_set.name, project.slug, target.name, today)
        for output in entry.plan.outputs:
            if output.key in mine:
                findings += judge(mine[output.key].figures, tolerances, output.file_name)
        current = build is not None and made == planned
        keys = entry.proof_keys
        states.append(State(entry.ledger, entry.files, entry.plan, worst_first(findings), build, current, mine, keys))
    return states


def proofs_of(keys: Mapping[str, str]) -> dict[str, Proof]:
    """The proofs of outputs by output key, from their proof keys; outputs without one are left out."""
    return _by_output(keys, _proofs_by_key(keys.values()))


def _by_output(keys: Mapping[str, str], proofs: Mapping[str, Proof]) -> dict[str, Proof]:
    return {output: proofs[key] for output, key in keys.items() if key in proofs}


def _proofs_by_key(keys: Iterable[str]) -> dict[str, Proof]:
    """Proofs by their keys; what has none is not there."""
    return Proof.objects.filter(proof_key__in=set(keys)).select_related("blob").in_bulk()


def _builds_of(sets: Sequence[TextureSet]) -> dict[tuple[int, str], tuple[Build, set[tuple[str, str]]]]:
    """Each set's last good build for each target, with the names and content keys of its outputs."""
    found: dict[tuple[int, str], tuple[Build, set[tuple[str, str]]]] = {}
    good = (
        Build.objects.filter(set__in=sets)
        .exclude(manifest="")
        .order_by("pk")
        .select_related("version__target")
        .prefetch_related("outputs")
    )
    for build in good:
        outputs = {(output.file_name, output.content_key) for output in build.outputs.all()}
        found[build.set_id, build.version.target.name] = (build, outputs)
    return found
