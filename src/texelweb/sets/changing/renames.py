"""Rename plans over a project's files: made, applied as one step, undone as one step."""

from __future__ import annotations

import hashlib
from threading import Lock
from typing import Any

from django.db import transaction
from django.db.models import JSONField
from django.db.models.expressions import RawSQL
from django.utils import timezone

from texelcore.naming.judge import awaits_answer, subject_of
from texelcore.naming.renames import Named, Rename, RenamePlan, plan_renames
from texelcore.pixels.errors import TexelError
from texelcore.sorting.cuts import home_folder
from texelweb.projects.models import Project
from texelweb.record.steps import mark_undone, note_step
from texelweb.sets.changing.writing import lock_project
from texelweb.sets.facts import light
from texelweb.sets.models import RenameAct, SourceFile
from texelweb.storage.rows import update_many
from texelweb.storage.stamps import stamp_of_rows

# Plans that were made last, by project, with the stamp of what they were made from.
MOST_PLANS = 20
# Renames in the record.
RENAMES = "renames"
_plans: dict[int, tuple[str, RenamePlan]] = {}
_lock = Lock()


def rename_plan(project: Project) -> RenamePlan:
    """What the house rules would rename in a project."""
    stamp = stamp_of_rows(
        Project.objects.filter(pk=project.pk), project.sets.all(), project.files.all(), project.rules_versions.all()
    )
    with _lock:
        if (known := _plans.get(project.pk)) and known[0] == stamp:
            return known[1]
    plan = _plan(project)
    with _lock:
        _plans[project.pk] = (stamp, plan)
        while len(_plans) > MOST_PLANS:
            _plans.pop(next(iter(_plans)))
    return plan


def _plan(project: Project) -> RenamePlan:
    homes = {texture_set.pk: texture_set.ledger for texture_set in project.sets.all()}
    named = []
    # What the pixels say is most of what is known of a file, and its name does not depend on it.
    facts_json = RawSQL("facts_json - 'evidence' - 'ranges'", (), output_field=JSONField())
    rows = SourceFile.objects.filter(project=project).values_list("pk", "path", "set_id", "revision", facts_json)
    for pk, path, set_id, revision, body in rows:
        ledger = homes.get(set_id) if set_id else None
        facts = light(str(pk), path, body)
        waits = ledger is not None and awaits_answer(ledger, facts)
        subject = subject_of(ledger, facts, project.code, revision) if ledger else None
        named.append(Named(facts.id, path, subject, waits))
    return plan_renames(project.rules, named)


def stamp_of(plan: RenamePlan) -> str:
    """A plan's own name: whoever applies it has seen just this one."""
    return hashlib.sha256(plan.model_dump_json().encode()).hexdigest()[:24]


def apply(project: Project, stamp: str, files: list[int] | None, user: Any) -> RenameAct:
    """Apply the plan with this stamp, for all files or for some, in one transaction.

    Raises TexelError when the plan is another by now, or when leaving files out would make two paths one.
    """
    with transaction.atomic():
        lock_project(project.pk)
        plan = rename_plan(project)
        if stamp_of(plan) != stamp:
            raise TexelError(
                "The plan", "is not what you saw: files or rules have changed.", "Look at the new plan, then apply it."
            )
        chosen = None if files is None else {str(file) for file in files}
        lines = [line for line in plan.lines if line.new and (chosen is None or line.file in chosen)]
        if not lines:
            raise TexelError("The plan", "has nothing to rename.", "Choose some files.")
        _move(project, [(int(line.file), line.old, line.new or "") for line in lines])
        body = [line.model_dump(mode="json") for line in lines]
        act = RenameAct.objects.create(project=project, lines_json=body, by=user)
        count = f"{len(lines):,} file{'s' if len(lines) > 1 else ''}"
        note_step(project, RENAMES, act.pk, count, "Renamed by the rename plan", user)
        return act


def undo(act: RenameAct, user: Any) -> RenameAct:
    """Give every file its old path back. Raises TexelError when it was undone already or a file has moved since."""
    with transaction.atomic():
        lock_project(act.project_id)
        current = RenameAct.objects.select_for_update().get(pk=act.pk)
        if current.undone:
            raise TexelError("The rename", "was undone already.", "Look at the new plan.")
        lines = [Rename.model_validate(line) for line in current.lines_json]
        _move(current.project, [(int(line.file), line.new or "", line.old) for line in lines])
        current.undone = timezone.now()
        current.save()
        mark_undone(current.project, RENAMES, current.pk, user)
    return current


def do_again(act: RenameAct) -> None:
    """Rename as before what was undone. Raises TexelError when it was not undone, or a file has moved since."""
    with transaction.atomic():
        lock_project(act.project_id)
        current = RenameAct.objects.select_for_update().get(pk=act.pk)
        if not current.undone:
            raise TexelError("The rename", "stands already.", "Look at the plan.")
        lines = [Rename.model_validate(line) for line in current.lines_json]
        _move(current.project, [(int(line.file), line.old, line.new or "") for line in lines])
        current.undone = None
        current.save()


def _move(project: Project, moves: list[tuple[int, str, str]]) -> None:
    """Move files from path to path at once. Raises TexelError for one that is not where it should be, or a path in use."""
    files = {file.pk: file for file in SourceFile.objects.filter(project=project, pk__in=[pk for pk, _, _ in moves])}
    for pk, old, _ in moves:
        if pk not in files or files[pk].path != old:
            raise TexelError(old, "is not there any more.", "Look at the new plan.")
    taken = set(SourceFile.objects.filter(project=project).exclude(pk__in=files).values_list("path_key", flat=True))
    goals = [new.casefold() for _, _, new in moves]
    clash = next((new for new in goals if new in taken or goals.count(new) > 1), None)
    if clash:
        raise TexelError(clash, "is another file's path.", "Rename both, or leave both.")
    # Paths may change places: each is taken out of the way before any is given.
    for pk, file in files.items():
        file.path_key = f"//{pk}"
    update_many(files.values(), ["path_key"])
    for pk, _, new in moves:
        file = files[pk]
        file.path, file.path_key, file.home = new, new.casefold(), home_folder(new)
        file.facts_json = file.facts_json | {"path": new}
    update_many(files.values(), ["path", "path_key", "home", "facts_json"])
