"""Notes beside a set: written and removed by people, as steps of the record."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django.db import transaction
from django.utils import timezone

from texelcore.pixels.errors import TexelError
from texelweb.projects.models import Project
from texelweb.record.steps import note_step
from texelweb.sets.models import SetNote, TextureSet

# Notes in the record.
NOTE = "note"
LONGEST, MOST = 1000, 200


@transaction.atomic
def write(texture_set: TextureSet, text: str, user: Any) -> SetNote:
    """Write a note beside a set. Raises TexelError for an empty or overlong one."""
    plain = text.strip()
    if not 1 <= len(plain) <= LONGEST:
        problem = f"has {len(plain):,} characters; a note has 1 to {LONGEST:,}."
        raise TexelError("The note", problem, "Write something shorter." if plain else "Write something.")
    if texture_set.notes.filter(removed=None).count() >= MOST:
        raise TexelError(texture_set.name, f"has {MOST} notes, and no room for more.", "Remove some that are done.")
    made = SetNote.objects.create(set=texture_set, text=plain, by=user)
    said = f"Note: {plain}"
    project = texture_set.project
    note_step(project, NOTE, made.pk, texture_set.name, said, user, {"there": False}, {"there": True}, about=texture_set.pk)
    return made


@transaction.atomic
def remove(note: SetNote, user: Any) -> None:
    """Remove a note; the record can bring it back."""
    if SetNote.objects.filter(pk=note.pk, removed=None).update(removed=timezone.now()):
        said, project = f"Note removed: {note.text}", note.set.project
        note_step(project, NOTE, note.pk, note.set.name, said, user, {"there": True}, {"there": False}, about=note.set_id)


def read_note(project: Project, key: str) -> Mapping[str, Any] | None:
    """A note's document, for the record; None where it is gone."""
    found = SetNote.objects.filter(set__project=project, pk=key).first()
    return {"there": found.removed is None} if found else None


def write_note(project: Project, key: str, document: Mapping[str, Any], what: str, user: Any) -> None:
    """Make a note there or not, for the record."""
    SetNote.objects.filter(set__project=project, pk=key).update(removed=None if document["there"] else timezone.now())
