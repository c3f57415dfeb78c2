"""One writer at a time: a set is locked for each change, and whoever changes it says what they have seen of it."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping
from contextlib import contextmanager
from typing import Any

from django.db import transaction
from django.utils import timezone

from texelcore.pixels.errors import TexelError
from texelweb.projects.models import Project
from texelweb.record.steps import note_step
from texelweb.refusals import Overtaken
from texelweb.sets.models import SetEdit, TextureSet

MOST_TOLD = 3
# Sets in the record.
SET = "set"


def lock_project(project_id: int) -> Project:
    """A project held until the transaction ends, by whoever gives names, codes or paths that no two may have. It is always held
    before any set or file, so that two writers never wait for each other. Jobs and files may still be added to it."""
    return Project.objects.select_for_update(no_key=True).get(pk=project_id)


@contextmanager
def writing(
    set_id: int, seen: int | None, user: Any, *, names: bool = False, record: bool = True, removed: bool = False
) -> Iterator[TextureSet]:
    """A set held for one change, in one transaction. With `names` its project is held too: for changes of its name. What was done
    becomes a step of the record, unless `record` is False. `removed` finds it among removed sets as well.

    `seen` is the number of the newest edit that the person has seen; None asks for no such promise. Raises Overtaken when
    somebody else has changed the set since, and TexelError when it is gone.
    """
    with transaction.atomic():
        rows = TextureSet.everything if removed else TextureSet.objects
        if names:
            project_id = rows.filter(pk=set_id).values_list("project", flat=True).first()
            if project_id is not None:
                lock_project(project_id)
        current = rows.select_for_update(no_key=True, of=("self",)).select_related("project").filter(pk=set_id).first()
        if current is None:
            raise TexelError("The set", "was removed meanwhile.", "Go back to the board, or take its removal back there.")
        if seen is not None and seen < current.edit:
            refuse_if_overtaken(current, seen, user)
        before, begun = document_of(current), current.edit
        yield current
        if record and user is not None and current.edit > begun:
            done = current.edits.filter(number__gt=begun).order_by("number").values_list("what", flat=True)
            said, after = "; ".join(done), document_of(current)
            note_step(current.project, SET, current.pk, current.name, said, user, before, after, about=current.pk)


def document_of(texture_set: TextureSet) -> dict[str, Any]:
    """All that may be changed about a set, in parts that are changed one by one."""
    return {
        "there": texture_set.removed is None,
        "target": texture_set.target,
        "folder": texture_set.folder_id,
        "tags": dict.fromkeys(texture_set.tags, True),
        "origin": texture_set.origin_json,
        "mesh": [texture_set.mesh_id, texture_set.mesh_name] if texture_set.mesh_id else None,
        **parts_of(texture_set.ledger_json),
    }


def parts_of(ledger: Mapping[str, Any]) -> dict[str, Any]:
    """A ledger in parts that are changed one by one, whatever order they stand in."""
    return {
        "name": ledger["name"],
        "rows": {row["property"]: row for row in ledger.get("rows", ())},
        "left_out": {entry["file"]: entry for entry in ledger.get("left_out", ())},
        "storage": {f"{entry['target']}/{entry['output']}": entry for entry in ledger.get("storage", ())},
        "surface": ledger.get("surface", True),
    }


def refuse_if_overtaken(current: TextureSet, seen: int, user: Any) -> None:
    """Raise Overtaken when somebody else has changed a set since the edit that a person has seen."""
    others = current.edits.filter(number__gt=seen).exclude(by=user).select_related("by").order_by("-number")[:MOST_TOLD]
    if others:
        said = "; ".join(f"{name_of(edit.by)}: {edit.what}" for edit in others)
        raise Overtaken(
            current.name, f"was changed meanwhile. {said}.", "It is shown as it is now: make your change again if it still fits."
        )


def name_of(user: Any) -> str:
    """What somebody is called in such an answer."""
    return user.get_username() if user else "somebody"


def note(texture_set: TextureSet, what: str, user: Any) -> None:
    """Note a change of a set that is held; the caller saves the set."""
    _touch(texture_set, user)
    SetEdit.objects.create(set=texture_set, number=texture_set.edit, what=what[:300], by=user)


def note_all(sets: Collection[TextureSet], what: str, user: Any) -> None:
    """As `note`, for many sets that are held."""
    for texture_set in sets:
        _touch(texture_set, user)
    SetEdit.objects.bulk_create(
        [SetEdit(set=texture_set, number=texture_set.edit, what=what[:300], by=user) for texture_set in sets]
    )


def _touch(texture_set: TextureSet, user: Any) -> None:
    texture_set.edit += 1
    texture_set.touched, texture_set.touched_by = timezone.now(), user
