"""Files put together by hand: a picked one, with or without its siblings, into a new set or one that is there."""

from __future__ import annotations

from typing import Any

from django.db import transaction

from texelcore.naming.house import Reader
from texelcore.pixels.errors import TexelError
from texelcore.sorting.gather import gather, siblings_of
from texelweb.record.steps import note_step
from texelweb.sets.answering import questions
from texelweb.sets.changing.folders import ensure, folder_of_sets
from texelweb.sets.changing.ledgers import create_set, merge_rows
from texelweb.sets.changing.writing import SET, lock_project
from texelweb.sets.models import SourceFile, TextureSet


def siblings(file: SourceFile) -> list[SourceFile]:
    """The files of no set that would follow this one."""
    free = {str(other.pk): other for other in SourceFile.objects.filter(project=file.project, set__isnull=True)}
    reader = Reader(file.project.rules, file.project.code)
    found = siblings_of(file.facts, (other.facts for other in free.values()), reader)
    return [free[facts.id] for facts in found]


def take(file: SourceFile, follow: bool, home: TextureSet | None, name: str, user: Any) -> TextureSet:
    """Take a file, and with `follow` its siblings, into `home` or a new set. Decisions that `home` has made stay.

    Raises TexelError for a file that belongs to a set already, or a name that is too long.
    """
    plain = " ".join(name.split())
    if len(plain) > 80:
        raise TexelError(plain[:80], "is too long for a set's name.", "Use at most 80 characters.")
    with transaction.atomic():
        lock_project(file.project_id)
        current = SourceFile.objects.select_for_update().get(pk=file.pk)
        if current.set_id is not None:
            raise TexelError(current.facts.name, "belongs to a set already.", "Take it out of that one first.")
        files = [current, *(siblings(current) if follow else [])]
        reader = Reader(file.project.rules, file.project.code)
        ledger = gather([file.facts for file in files], reader, plain)
        if home is None:
            path = folder_of_sets(current.home, plain)
            place = ensure(file.project, [path])[path]
            home = create_set(file.project, ledger, user, "Gathered by hand", folder=place)
            there = {"there": True}
            note_step(file.project, SET, home.pk, home.name, "Gathered by hand", user, {"there": False}, there, about=home.pk)
        else:
            home = merge_rows(home, ledger, [str(file.pk) for file in files], user, "Gathered by hand")
        SourceFile.objects.filter(pk__in=[file.pk for file in files]).update(
            set=home, set_aside=False, why_open="", open_json=None
        )
        questions.refresh(file.project, questions.Touched({home.pk}))
    return home
