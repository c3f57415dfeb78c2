"""A project at one look: its sets by stage, and what is found over all of them."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime
from threading import Lock
from typing import Any

from django.db.models import Count, Max, Prefetch
from django.db.models.query import QuerySet
from django.utils import timezone
from pydantic import BaseModel

from texelcore.building.filling import lacks, provides
from texelcore.checks.house_rules import check_project_budget, memory_of_plan
from texelcore.materials.dressing.stage import look_stamp
from texelcore.surface.findings import Finding
from texelcore.surface.properties import property_of
from texelweb.board.cells import Cell, cells_of, worst_of
from texelweb.builds.models import Build, Proof
from texelweb.builds.planning import states_of
from texelweb.deliveries.models import DeliveredSet, Delivery
from texelweb.deliveries.worn import models_of, worn_by
from texelweb.library.models import TargetVersion
from texelweb.library.pins import pins_of
from texelweb.masters.models import MasterVersion, SetVariant, StudioMaster
from texelweb.projects.models import Project
from texelweb.sets.changing.folders import tree_of
from texelweb.sets.models import SetNote
from texelweb.storage.stamps import stamp_of_rows, stamps_by

# Looks at all targets at once.
ALL = "*"
_MOST_FINDINGS = 40
_MOST_NAMED = 200


class BoardSet(BaseModel):
    """A row of the board."""

    id: int
    name: str
    code: str
    target: str
    target_name: str
    # The target that it is made for alone; "" of one that is made for all that are for every set.
    own_target: str
    # The number of its newest edit, which changes carry.
    edit: int
    proved: bool
    questions: int
    # What its lit picture shows, as a stamp; "" of a set without maps.
    picture: str
    # The folder that it lies in; none is the project itself.
    folder: int | None
    tags: list[str]
    # Who changed it last, and when.
    touched: datetime
    touched_by: str
    # How many notes stand beside it, and the newest.
    notes: int
    note: str
    # The properties that its maps provide, and those that its target has a place for and it lacks.
    has: list[str]
    lacks: list[str]
    # Whether it is a surface, and not masks and details that masters read beside one.
    surface: bool
    # The kinds of its findings.
    rules: list[str]
    # Bytes of its outputs as its target stores them.
    memory: int
    cells: dict[str, Cell]


class Wanted(BaseModel):
    """A property that a target has a place for."""

    property: str
    title: str


class BoardFolder(BaseModel):
    """A folder of sets; `path` is its name after those of the folders around it."""

    id: int
    parent: int | None
    name: str
    path: str


class NamedSet(BaseModel):
    """A set by its id and name."""

    id: int
    name: str


class BoardFinding(BaseModel):
    """A finding with the set that it belongs to; of findings of one kind over many sets the first, with how many there are and
    where."""

    set_id: int
    set_name: str
    finding: Finding
    count: int = 1
    sets: list[NamedSet] = []


class Overview(BaseModel):
    """What the board shows of a project's sets."""

    sets: list[BoardSet]
    folders: list[BoardFolder]
    # The properties that each target of these sets has a place for.
    wants: dict[str, list[Wanted]]
    findings: list[BoardFinding]
    # How many files have names that break the house rules.
    names: int
    # Bytes of all sets' outputs as their targets store them, and what that breaks.
    memory: int
    project_findings: list[Finding]


@dataclass(frozen=True)
class SetOnBoard:
    """A set as the board judged it, for as long as nothing that it depends on changes."""

    stamps: tuple[str | None, ...]
    line: BoardSet
    findings: tuple[Finding, ...]
    names: int
    proof_keys: frozenset[str]


@dataclass
class KeptBoard:
    """A project's board as it was judged last, and the stamps by which it is seen what has changed since."""

    # Of all rows that it depends on; where it is as it was, nothing else is asked.
    stamp: str = ""
    general: str = ""
    folders: str = ""
    proofs: tuple[int, datetime | None] = (0, None)
    rows: dict[int, SetOnBoard] = field(default_factory=dict)
    body: str = ""
    # Whoever asks while somebody judges waits for that.
    lock: Lock = field(default_factory=Lock)


MOST_KEPT = 30
_kept: OrderedDict[tuple[int, str], KeptBoard] = OrderedDict()
_keeping = Lock()


def overview(project: Project, looks_at: str = "") -> str:
    """Every set of a project against every stage, and what is open, worst first: an Overview as JSON. A set is judged anew when
    something has changed that it depends on.

    It is shown for its own target, or for the one that `looks_at` names, or else for the usual one; ALL shows for each stage how
    it stands over all targets that the set is made for.
    """
    if looks_at:
        pins = pins_of(project)
        names = [name for name in pins.targets if name in pins.for_all]
        if looks_at == ALL and len(names) > 1:
            boards = {pins.of(name).title: Overview.model_validate_json(overview(project, name)) for name in names}
            return over_all(boards).model_dump_json()
        looks_at = pins.seen("", looks_at).name
    looks_at = looks_at or project.target
    with _keeping:
        kept = _kept.setdefault((project.pk, looks_at), KeptBoard())
        _kept.move_to_end((project.pk, looks_at))
        while len(_kept) > MOST_KEPT:
            _kept.popitem(last=False)
    with kept.lock:
        # Stamps are taken before anything is read: what changes meanwhile is seen the next time.
        stamp = f"{stamp_of_rows(*_all_rows(project), added=[Proof.objects.all()])} {timezone.now().date()}"
        if stamp == kept.stamp:
            return kept.body
        on_models = worn_by(project, models_of(project))
        general, stamps = _general(project), _stamps(project, on_models)
        proofs, proved = _new_proofs(kept)
        if general != kept.general:
            kept.rows = {}
        rows = {
            key: row
            for key, row in kept.rows.items()
            if stamps.get(key) == row.stamps and (proved is None or not proved & row.proof_keys)
        }
        if proved is None:
            rows = {}
        stale = [key for key in stamps if key not in rows]
        folders = stamp_of_rows(project.folders.all())
        if stale or len(rows) != len(kept.rows) or general != kept.general or folders != kept.folders:
            rows |= _judge(project, stale, stamps, on_models, looks_at)
            kept.rows, kept.general, kept.folders = rows, general, folders
            kept.body = _whole(project, rows).model_dump_json()
        kept.proofs, kept.stamp = proofs, stamp
        return kept.body


def _all_rows(project: Project) -> list[QuerySet[Any]]:
    by_set = [rows for rows, _ in _rows_by_set(project)]
    delivered = Delivery.objects.filter(project=project)
    return [*_general_rows(project), *by_set, delivered, project.folders.all(), project.models.all()]


def _general_rows(project: Project) -> list[QuerySet[Any]]:
    """What all lines depend on: the project, its rules and targets, and masters."""
    own = [
        Project.objects.filter(pk=project.pk),
        project.rules_versions.all(),
        project.tolerances_versions.all(),
        project.targets.all(),
    ]
    return [*own, MasterVersion.objects.all(), StudioMaster.objects.all(), TargetVersion.objects.all()]


def _rows_by_set(project: Project) -> list[tuple[QuerySet[Any], str]]:
    """What each set's line depends on by itself, and the field that says whose it is: the set's own row, files, builds, variants,
    deliveries and questions."""
    return [
        (project.sets.all(), "pk"),
        (project.files.exclude(set=None), "set"),
        (Build.objects.filter(set__project=project), "set"),
        (project.variants.all(), "set"),
        (DeliveredSet.objects.filter(delivery__project=project), "set"),
        (project.questions.exclude(set=None), "set"),
        (SetNote.objects.filter(set__project=project), "set"),
    ]


def _general(project: Project) -> str:
    # Licences end with a day.
    return f"{stamp_of_rows(*_general_rows(project))} {timezone.now().date()}"


def _stamps(project: Project, on_models: Mapping[int, str]) -> dict[int, tuple[str | None, ...]]:
    """What each set's line depends on, stamped; `on_models` says by the set which models wear it."""
    parts = [stamps_by(rows, by, [Delivery] if rows.model is DeliveredSet else ()) for rows, by in _rows_by_set(project)]
    return {key: (*(part.get(key) for part in parts), on_models.get(key)) for key in parts[0]}


def _new_proofs(kept: KeptBoard) -> tuple[tuple[int, datetime | None], frozenset[str] | None]:
    """How many proofs there are and when the last was made, and the keys of those that came since the last look; None where some
    went, or nobody looked yet. Proofs belong to no set: whoever would be given the same bytes shares them."""
    count, last = kept.proofs
    now = Proof.objects.aggregate(count=Count("pk"), last=Max("created"))
    known = (now["count"], now["last"])
    if known == kept.proofs:
        return known, frozenset()
    new = Proof.objects.filter(created__gt=last) if last else Proof.objects.all()
    keys = frozenset(new.values_list("pk", flat=True))
    return known, keys if count + len(keys) == known[0] else None


def _judge(
    project: Project,
    keys: list[int],
    stamps: Mapping[int, tuple[str | None, ...]],
    on_models: Mapping[int, str],
    looks_at: str,
) -> dict[int, SetOnBoard]:
    """Judge some sets of a project."""
    asked = project.questions.filter(set__in=keys).values_list("set").annotate(count=Count("pk"))
    waiting = dict(asked)
    found = project.sets.filter(pk__in=keys).select_related("project", "touched_by")
    notes = Prefetch("notes", SetNote.objects.filter(removed=None).order_by("pk"))
    found = found.prefetch_related(Prefetch("variants", SetVariant.objects.as_lines()), notes)
    pins = pins_of(project)
    wanted = [(texture_set, pins.seen(texture_set.target, looks_at)) for texture_set in found]
    delivered = _last_deliveries(project, keys)
    rows = {}
    for (texture_set, target), state in zip(wanted, states_of(project, wanted), strict=True):
        line = BoardSet(
            id=texture_set.pk,
            name=texture_set.name,
            code=texture_set.code,
            target=target.title,
            target_name=target.name,
            own_target=texture_set.target,
            edit=texture_set.edit,
            proved=state.proved,
            questions=waiting.get(texture_set.pk, 0),
            picture=look_stamp(state.ledger, state.files) if state.ledger.rows else "",
            folder=texture_set.folder_id,
            tags=texture_set.tags,
            touched=texture_set.touched,
            touched_by=texture_set.touched_by.get_username() if texture_set.touched_by else "",
            notes=len(texture_set.notes.all()),
            note=next((note.text for note in reversed(texture_set.notes.all())), ""),
            has=sorted(provides(state.ledger)),
            lacks=list(lacks(state.ledger, target)),
            surface=state.ledger.surface,
            rules=sorted({finding.rule for finding in state.findings if finding.severity != "note"}),
            memory=memory_of_plan(state.plan),
            cells=cells_of(texture_set, state, delivered.get((texture_set.pk, target.name)), on_models.get(texture_set.pk, "")),
        )
        rows[texture_set.pk] = SetOnBoard(
            stamps=stamps[texture_set.pk],
            line=line,
            # Names are put right all at once, by the rename plan: one line speaks for them.
            findings=tuple(finding for finding in state.findings if finding.severity != "note" and finding.stage != "named"),
            names=len({finding.subject for finding in state.findings if finding.stage == "named"}),
            proof_keys=frozenset(state.proof_keys.values()),
        )
    return rows


def _whole(project: Project, rows: Mapping[int, SetOnBoard]) -> Overview:
    ordered = sorted(rows.values(), key=lambda row: row.line.name)
    findings = [
        BoardFinding(set_id=row.line.id, set_name=row.line.name, finding=finding) for row in ordered for finding in row.findings
    ]
    memory = sum(row.line.memory for row in ordered)
    tree = tree_of(project)
    folders = [BoardFolder(id=key, parent=row.parent_id, name=row.name, path=tree.paths[key]) for key, row in tree.rows.items()]
    pins = pins_of(project)
    targets = {row.line.target_name: pins.of(row.line.target_name) for row in ordered}
    return Overview(
        sets=[row.line for row in ordered],
        wants={
            name: [Wanted(property=key, title=property_of(key).title) for key in target.properties() if key != "constant"]
            for name, target in targets.items()
        },
        folders=sorted(folders, key=lambda folder: folder.path.casefold()),
        findings=_by_kind(findings)[:_MOST_FINDINGS],
        names=sum(row.names for row in ordered),
        memory=memory,
        project_findings=list(check_project_budget(project.rules, memory, project.title)),
    )


def _by_kind(findings: list[BoardFinding]) -> list[BoardFinding]:
    """Findings worst first, those of one kind over many sets as one line with their number."""
    groups: dict[tuple[str, str, str | None], list[BoardFinding]] = {}
    # What is said of several outputs of a set in the same words is said once.
    once = {(finding.set_id, finding.finding.message): finding for finding in reversed(findings)}
    for entry in reversed(once.values()):
        finding = entry.finding
        groups.setdefault((finding.severity, finding.rule, finding.property), []).append(entry)
    lines = [_one_line(entries) for entries in groups.values()]
    return sorted(lines, key=lambda line: (line.finding.severity != "error", -line.count))


def _one_line(entries: list[BoardFinding]) -> BoardFinding:
    sets = list(dict.fromkeys((entry.set_id, entry.set_name) for entry in entries))
    return entries[0].model_copy(
        update={"count": len(entries), "sets": [NamedSet(id=key, name=name) for key, name in sets[:_MOST_NAMED]]}
    )


def over_all(by_target: Mapping[str, Overview]) -> Overview:
    """One board of several that show the same sets, each by the title of the target that it is for. A set with a target of its
    own is the same on all of them, and counts once."""
    boards = list(by_target.values())
    first = boards[0]
    others = [{line.id: line for line in board.sets} for board in boards]
    lines, memory = [], 0
    for line in first.sets:
        lines_by_target = {held[line.id].target_name: held[line.id] for held in others if line.id in held}
        seen = lines_by_target.values()
        cells = {stage: worst_of([(entry.target, entry.cells[stage]) for entry in seen]) for stage in line.cells}
        update = {
            "target": ", ".join(entry.target for entry in seen),
            "proved": all(entry.proved for entry in seen),
            "cells": cells,
            "rules": sorted({rule for entry in seen for rule in entry.rules}),
            "lacks": list(dict.fromkeys(key for entry in seen for key in entry.lacks)),
            "memory": sum(entry.memory for entry in seen),
        }
        memory += update["memory"]
        lines.append(line.model_copy(update=update))
    findings = {(finding.set_id, finding.finding.message): finding for board in boards for finding in board.findings}
    over = [(title, finding) for title, board in by_target.items() for finding in board.project_findings]
    return first.model_copy(
        update={
            "sets": lines,
            "wants": {name: wanted for board in boards for name, wanted in board.wants.items()},
            "findings": sorted(findings.values(), key=lambda finding: (finding.finding.severity != "error", -finding.count)),
            "memory": memory,
            "project_findings": [said.model_copy(update={"message": f"{title}: {said.message}"}) for title, said in over],
        }
    )


def _last_deliveries(project: Project, keys: list[int]) -> dict[tuple[int, str], DeliveredSet]:
    """The last whole delivery of each of some sets for each target."""
    entries = DeliveredSet.objects.filter(delivery__project=project, delivery__manifest_json__isnull=False, set__in=keys)
    newest = entries.select_related("delivery__version__target").order_by("delivery__created")
    return {(entry.set_id, entry.delivery.version.target.name): entry for entry in newest}
