"""One change of many sets at once: their folder, tags or target, whether they are surfaces, or their removal. It is one act,
which one undo takes back."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from django.db import transaction
from django.utils import timezone

from texelcore.pixels.errors import TexelError
from texelcore.targets.document import Target
from texelweb.library.pins import pins_of
from texelweb.projects.models import Project
from texelweb.record.steps import Noted, note_steps, together
from texelweb.sets.answering import questions
from texelweb.sets.changing.ledgers import KINDS, keep_revisions
from texelweb.sets.changing.removal import let_go
from texelweb.sets.changing.writing import SET, document_of, lock_project, note_all, refuse_if_overtaken
from texelweb.sets.models import Folder, TextureSet
from texelweb.storage.rows import update_many

MOST_TAGS, LONGEST_TAG = 30, 40


@dataclass(frozen=True)
class SetsChange:
    """What is to change about sets. `moves` says that they move into `folder` (None: the project itself); tags are added and
    taken away; `removes` removes them."""

    moves: bool = False
    folder: int | None = None
    add_tags: Sequence[str] = ()
    drop_tags: Sequence[str] = ()
    target: Target | None = None
    # Made for all targets that are for every set, not for one of their own.
    every_target: bool = False
    # Whether they are surfaces; None leaves that.
    surface: bool | None = None
    removes: bool = False


@transaction.atomic
def change_sets(project: Project, sets: Mapping[int, int | None], change: SetsChange, user: Any) -> int:
    """Change many sets of a project: by id, each with the number of the newest edit that the person has seen (None asks for no
    such promise). Gives how many changed.

    Raises Overtaken when somebody else has changed one of them since, and TexelError for a set or folder that is gone and a tag
    that will not do; then nothing is changed.
    """
    lock_project(project.pk)
    folder = _folder(project, change.folder) if change.moves else None
    add, drop = plain_tags(change.add_tags), {tag.casefold() for tag in change.drop_tags}
    found = list(TextureSet.objects.select_for_update(no_key=True).filter(project=project, pk__in=sets).order_by("pk"))
    if len(found) != len(sets):
        raise TexelError(f"{len(sets) - len(found)} of the sets", "were removed meanwhile.", "Reload the page, and choose again.")
    for entry in found:
        seen = sets[entry.pk]
        if seen is not None and seen < entry.edit:
            refuse_if_overtaken(entry, seen, user)
    for_all = len(pins_of(project).for_all) if change.target else 0
    changed: list[tuple[TextureSet, dict[str, Any]]] = []
    revised: list[TextureSet] = []
    for entry in found:
        before = document_of(entry)
        if change.moves:
            entry.folder = folder
        entry.tags = _tags(entry, add, drop)
        if change.target is not None or change.every_target:
            # Where every set is made for the usual target alone, that is none of its own.
            alone = change.target is not None and change.target.name == project.target and for_all < 2
            entry.target = "" if change.target is None or alone else change.target.name
        if change.surface is not None and entry.ledger.surface != change.surface:
            entry.ledger_json = entry.ledger.model_copy(update={"surface": change.surface}).model_dump(mode="json")
            entry.revision += 1
            revised.append(entry)
        if change.removes:
            entry.removed = timezone.now()
        if document_of(entry) != before:
            changed.append((entry, before))
    what = _said(change, folder, add)
    rows = [entry for entry, _ in changed]
    if change.removes:
        let_go(rows)
    note_all(rows, what, user)
    update_many(rows, ["folder", "tags", "target", "removed", "edit", "touched", "touched_by"])
    update_many(revised, ["ledger_json", "revision"])
    keep_revisions(revised, what, user)
    with together():
        note_steps(
            project,
            SET,
            [Noted(entry.pk, entry.name, before, document_of(entry), about=entry.pk) for entry, before in changed],
            what,
            user,
        )
    if change.removes or change.target is not None or change.every_target or revised:
        questions.refresh(project, questions.Touched({row.pk for row in rows} if not change.removes else set()))
    return len(changed)


def _folder(project: Project, key: int | None) -> Folder | None:
    if key is None:
        return None
    found = Folder.objects.filter(project=project, pk=key, removed=None).first()
    if found is None:
        raise TexelError("The folder", "is not there any more.", "Reload the page.")
    return found


def plain_tags(tags: Sequence[str]) -> list[str]:
    """Tags without stray spaces, each once. Raises TexelError for an empty or overlong one."""
    found: dict[str, str] = {}
    for tag in tags:
        plain = " ".join(tag.split())
        if not 1 <= len(plain) <= LONGEST_TAG or "," in plain:
            problem = f"will not do as a tag: 1–{LONGEST_TAG} characters without commas."
            raise TexelError(f"“{plain[:60]}”", problem, "Choose another.")
        found.setdefault(plain.casefold(), plain)
    return list(found.values())


def _tags(texture_set: TextureSet, add: Sequence[str], drop: set[str]) -> list[str]:
    kept = {tag.casefold(): tag for tag in texture_set.tags if tag.casefold() not in drop}
    for tag in add:
        kept.setdefault(tag.casefold(), tag)
    if len(kept) > MOST_TAGS:
        raise TexelError(texture_set.name, f"would have {len(kept)} tags; {MOST_TAGS} is the limit.", "Take some away first.")
    return sorted(kept.values(), key=str.casefold)


def _said(change: SetsChange, folder: Folder | None, add: Sequence[str]) -> str:
    parts = []
    if change.moves:
        parts.append(f"Moved to {folder.name}" if folder else "Moved out of its folder")
    if add:
        parts.append(f"Tagged {', '.join(add)}")
    if change.drop_tags:
        parts.append(f"Tag {', '.join(change.drop_tags)} taken away")
    if change.target is not None:
        parts.append(f"Target {change.target.title}")
    if change.every_target:
        parts.append("All targets of the project")
    if change.surface is not None:
        parts.append(KINDS[change.surface])
    if change.removes:
        parts.append("Removed")
    return "; ".join(parts) or "Changed"
