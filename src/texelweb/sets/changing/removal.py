"""Removing sets and files: they are kept aside, nowhere to be seen, and can be brought back from the record for 30 days."""

from __future__ import annotations

from collections.abc import Collection, Iterable
from typing import Any

from django.db import transaction
from django.db.models import OuterRef, Subquery, Value
from django.db.models.functions import Concat
from django.utils import timezone

from texelcore.pixels.errors import TexelError
from texelweb.projects.models import Project
from texelweb.record.steps import note_step
from texelweb.sets.changing.writing import lock_project, note, writing
from texelweb.sets.models import OpenQuestion, SourceFile, TextureSet

FILE = "file"


def remove_set(texture_set: TextureSet, user: Any) -> None:
    """Remove a set. Its files stay, belong to no set, and are not sorted again by themselves."""
    with writing(texture_set.pk, None, user) as current:
        take_away(current, user, "Removed")


def take_away(current: TextureSet, user: Any, what: str) -> None:
    """Remove a set that is held."""
    let_go([current])
    current.removed = timezone.now()
    note(current, what, user)
    current.save()


def let_go(sets: Collection[TextureSet]) -> None:
    """The files of sets that are being removed belong to none, and are not sorted again by themselves; nothing is asked about the
    sets any more."""
    keys = [texture_set.pk for texture_set in sets]
    name = Subquery(TextureSet.everything.filter(pk=OuterRef("set_id")).values("name")[:1])
    why = Concat(Value("Its set "), name, Value(" was removed."))
    SourceFile.objects.filter(set__in=keys).update(set=None, set_aside=True, why_open=why, open_json=None)
    OpenQuestion.objects.filter(set__in=keys).delete()


def remove_file(file: SourceFile, user: Any) -> None:
    """Remove a file that no set uses. Raises TexelError for one that a set's ledger names."""
    with transaction.atomic():
        lock_project(file.project_id)
        key = str(file.pk)
        naming = [entry.name for entry in TextureSet.objects.filter(project=file.project) if key in entry.ledger.files()]
        if naming:
            raise TexelError(file.facts.name, f"is used by {', '.join(naming[:3])}.", "Clear the rows that read it first.")
        put_file_aside(file)
        note_step(file.project, FILE, file.pk, file.facts.name, "Removed", user, {"there": True}, {"there": False})


def put_file_aside(file: SourceFile) -> None:
    """Remove a file, in the caller's transaction."""
    file.removed, file.set = timezone.now(), None
    file.save(update_fields=["removed", "set"])
    # What was asked about it is asked no more.
    OpenQuestion.objects.filter(project=file.project_id, kind="unnamed", question_json__files=[str(file.pk)]).delete()


def bring_files_back(project: Project, files: Iterable[int | str]) -> list[SourceFile]:
    """Bring back those of some files that were removed; they are set aside until somebody uses them. The project is held by the
    caller. Raises TexelError where another file has the path by now."""
    aside = list(SourceFile.everything.filter(project=project, pk__in=list(files)).exclude(removed=None))
    taken = set(
        SourceFile.objects.filter(project=project, path_key__in=[file.path_key for file in aside]).values_list("path_key")
    )
    for file in aside:
        if (file.path_key,) in taken:
            raise TexelError(file.path, "cannot come back: another file has its path by now.", "Rename or remove that one first.")
        file.removed, file.set_aside, file.why_open = None, True, "It was removed, and brought back."
        file.save(update_fields=["removed", "set_aside", "why_open"])
    return aside
