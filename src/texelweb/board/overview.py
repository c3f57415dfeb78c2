"""A project at one look: its sets by stage, and what is found over all of them."""

from __future__ import annotations

from django.db.models import Count, Prefetch
from pydantic import BaseModel

from texelcore.checks.house_rules import check_project_budget, memory_of_plan
from texelcore.naming.tokens import key_of_stem
from texelcore.sorting.cuts import home_folder
from texelcore.surface.ledger import Finding
from texelcore.targets.document import find_target
from texelweb.board.cells import Cell, cells_of
from texelweb.builds.planning import State, states_of
from texelweb.deliveries.models import DeliveredSet
from texelweb.masters.models import SetVariant
from texelweb.projects.models import Project

_MOST_FINDINGS = 40
_MOST_NAMED = 200


class BoardSet(BaseModel):
    """A row of the board."""

    id: int
    name: str
    code: str
    target: str
    target_name: str
    # The number of its newest edit, which changes carry.
    edit: int
    proved: bool
    questions: int
    picture: int | None
    # The folder that its files came in, or the one around a folder of its own.
    folder: str = ""
    cells: dict[str, Cell]


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
    findings: list[BoardFinding]
    # How many files have names that break the house rules.
    names: int
    # Bytes of all sets' outputs as their targets store them, and what that breaks.
    memory: int
    project_findings: list[Finding]


def overview(project: Project) -> Overview:
    """Every set of a project against every stage, and what is open, worst first."""
    sets, findings, names, plans = [], [], 0, []
    asked = project.questions.exclude(set=None).values_list("set").annotate(count=Count("pk"))
    waiting = dict(asked)
    found = project.sets.select_related("project").prefetch_related(Prefetch("variants", SetVariant.objects.as_lines()))
    wanted = [(texture_set, find_target(texture_set.target_name)) for texture_set in found.order_by("name")]
    delivered = _last_deliveries(project)
    for (texture_set, target), state in zip(wanted, states_of(project, wanted), strict=True):
        first = state.ledger.row("base_colour") or next(iter(state.ledger.rows), None)
        sets.append(
            BoardSet(
                id=texture_set.pk,
                name=texture_set.name,
                code=texture_set.code,
                target=target.title,
                target_name=target.name,
                edit=texture_set.edit,
                proved=state.proved,
                questions=waiting.get(texture_set.pk, 0),
                picture=int(first.file) if first else None,
                folder=_folder_of(state),
                cells=cells_of(texture_set, state, delivered.get((texture_set.pk, target.name))),
            )
        )
        findings += [
            BoardFinding(set_id=texture_set.pk, set_name=texture_set.name, finding=finding)
            for finding in state.findings
            # Names are put right all at once, by the rename plan: one line speaks for them.
            if finding.severity != "note" and finding.stage != "named"
        ]
        plans.append(state.plan)
        names += len({finding.subject for finding in state.findings if finding.stage == "named"})
    return Overview(
        sets=sets,
        findings=_by_kind(findings)[:_MOST_FINDINGS],
        names=names,
        memory=sum(memory_of_plan(plan) for plan in plans),
        project_findings=list(check_project_budget(project.rules, plans, project.title)),
    )


def _by_kind(findings: list[BoardFinding]) -> list[BoardFinding]:
    """Findings worst first, those of one kind over many sets as one line with their number."""
    groups: dict[tuple[str, str, str | None], list[BoardFinding]] = {}
    # What is said of several outputs of a set in the same words is said once.
    once = {(entry.set_id, entry.finding.message): entry for entry in reversed(findings)}
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


def _letters(name: str) -> str:
    return key_of_stem(name).replace("_", "")


def _folder_of(state: State) -> str:
    """The folder that a set's files came in; of a folder for each set, the one around it."""
    first = next((state.files[file] for file in state.ledger.files() if file in state.files), None)
    home = home_folder(first.path) if first else ""
    own = home.rpartition("/")[2]
    alone = own and _letters(own) in _letters(state.ledger.name)
    return home.rpartition("/")[0] if alone else home


def _last_deliveries(project: Project) -> dict[tuple[int, str], DeliveredSet]:
    """The last whole delivery of each set for each target."""
    entries = DeliveredSet.objects.filter(delivery__project=project, delivery__manifest_json__isnull=False)
    newest = entries.select_related("delivery").order_by("delivery__created")
    return {(entry.set_id, entry.delivery.target): entry for entry in newest}
