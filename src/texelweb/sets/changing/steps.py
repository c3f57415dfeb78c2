"""How changes of sets and files, answers and renames are taken back: the record's ways."""

from __future__ import annotations

import uuid
from collections.abc import Mapping, Sequence
from typing import Any

from django.db import transaction

from texelcore.pixels.errors import TexelError
from texelcore.surface.changes import differing
from texelcore.surface.ledger import Ledger
from texelcore.surface.properties import PROPERTIES
from texelweb.projects.models import Project
from texelweb.record.steps import OneWay, Way, one_by_one, register
from texelweb.sets.answering import answers, questions
from texelweb.sets.changing import renames
from texelweb.sets.changing.folders import FOLDER, read_folder, write_folder
from texelweb.sets.changing.ledgers import claim_files, edit_held, take_code
from texelweb.sets.changing.notes import NOTE, read_note, write_note
from texelweb.sets.changing.removal import FILE, bring_files_back, put_file_aside, take_away
from texelweb.sets.changing.writing import SET, document_of, lock_project, note, note_all, writing
from texelweb.sets.geometry.project_models import MODEL, read_model, write_model
from texelweb.sets.models import Folder, RenameAct, SourceFile, TextureSet
from texelweb.storage.rows import update_many

Json = Mapping[str, Any]
# Parts of a set's document of which nothing else follows but how it is judged.
LIGHT = {"folder", "tags", "target"}


def register_ways() -> None:
    """Tell the record of all ways of this room."""
    register(SET, Way(_read_sets, _write_sets, words=_part_of_set))
    register(FILE, one_by_one(_read_file, _write_file))
    register(FOLDER, one_by_one(read_folder, write_folder))
    register(NOTE, one_by_one(read_note, write_note))
    register(MODEL, one_by_one(read_model, write_model))
    take_back = OneWay(lambda project, act, user: answers.undo(project, uuid.UUID(act), user), leasts=answers.needs_a_lead)
    register(answers.ANSWERS, take_back)
    register(renames.RENAMES, OneWay(_undo_renames, do_again=_redo_renames))


def _read_sets(project: Project, keys: Sequence[str]) -> Mapping[str, Json]:
    return {str(found.pk): document_of(found) for found in TextureSet.everything.filter(project=project, pk__in=list(keys))}


def _write_sets(project: Project, documents: Mapping[str, Json], what: str, user: Any) -> None:
    """Make sets as their documents say: there or not, and all else about them. What changes nothing but where and as what they
    stand is written for all of them at once."""
    lock_project(project.pk)
    rows = TextureSet.everything.select_for_update(no_key=True).filter(project=project, pk__in=list(documents)).order_by("pk")
    light, touched = [], questions.Touched()
    for current in rows:
        now, document = document_of(current), documents[str(current.pk)]
        if {path[0] for path in differing(now, document)} <= LIGHT:
            current.folder_id, current.tags, current.target = _standing(document)
            light.append(current)
        else:
            _write_set(str(current.pk), document, what, user, touched)
    note_all(light, what, user)
    update_many(light, ["folder", "tags", "target", "edit", "touched", "touched_by"])
    touched.sets.update(entry.pk for entry in light)
    questions.refresh(project, touched)


def _write_set(key: str, document: Json, what: str, user: Any, all_touched: questions.Touched) -> None:
    with writing(int(key), None, user, names=True, record=False, removed=True) as current:
        before = set(current.ledger.files())
        if not document["there"]:
            take_away(current, user, what)
        else:
            _bring_back(current)
            _describe(current, document, what, user)
            edit_held(current, _ledger(current, document), what, user)
            claim_files(current, current.ledger)
        touched = {int(file) for file in before | set(current.ledger.files())}
        all_touched.sets.update({current.pk} if document["there"] else set())
        all_touched.files.update(touched)
        all_touched.moved.update(touched)


def _bring_back(current: TextureSet) -> None:
    if current.removed is not None:
        current.removed = None
        # Another set may have taken its code meanwhile.
        take_code(current)
        current.save(update_fields=["removed", "code"])


def _describe(current: TextureSet, document: Json, what: str, user: Any) -> None:
    mesh, mesh_name = document["mesh"] or (None, "")
    folder, tags, target = _standing(document)
    new = (target, document["origin"], mesh, mesh_name, folder, tags)
    if new != (current.target, current.origin_json, current.mesh_id, current.mesh_name, current.folder_id, current.tags):
        current.target, current.origin_json, current.mesh_id, current.mesh_name, current.folder_id, current.tags = new
        note(current, what, user)
        current.save()


def _standing(document: Json) -> tuple[int | None, list[str], str]:
    """The folder, the tags and the target that a set's document says. A folder that is gone meanwhile is the project itself."""
    folder = document["folder"]
    if folder is not None and not Folder.objects.filter(pk=folder, removed=None).exists():
        folder = None
    return folder, sorted(document["tags"], key=str.casefold), document["target"]


def _ledger(current: TextureSet, document: Json) -> Ledger:
    """The ledger that a set's document says. Rows that stay keep their order."""
    old = current.ledger_json
    parts = {
        "rows": _in_order(document["rows"], [row["property"] for row in old.get("rows", ())]),
        "left_out": _in_order(document["left_out"], [entry["file"] for entry in old.get("left_out", ())]),
        "storage": _in_order(document["storage"], [f"{entry['target']}/{entry['output']}" for entry in old.get("storage", ())]),
        "surface": document["surface"],
    }
    return Ledger.model_validate({**old, "name": document["name"], **parts})


def _in_order(entries: Json, before: list[str]) -> list[Any]:
    return [entries[key] for key in [*(key for key in before if key in entries), *sorted(set(entries) - set(before))]]


def _part_of_set(path: tuple[str, ...]) -> str:
    match path:
        case ("rows", key):
            return PROPERTIES[key].title if key in PROPERTIES else key
        case ("storage", key):
            return f"the storage of {key.rpartition('/')[2]}"
        case ("left_out", _):
            return "what is left out"
        case ("surface",):
            return "whether it is a surface"
        case ("there",):
            return "whether it is removed"
        case ("tags", tag):
            return f"the tag {tag}"
    return f"its {path[0]}"


def _read_file(project: Project, key: str) -> Json | None:
    found = SourceFile.everything.filter(project=project, pk=key).first()
    return {"there": found.removed is None} if found else None


def _write_file(project: Project, key: str, document: Json, what: str, user: Any) -> None:
    lock_project(project.pk)
    if document["there"]:
        back = bring_files_back(project, [key])
        questions.refresh(project, questions.Touched(files={file.pk for file in back}))
        return
    file = SourceFile.objects.filter(project=project, pk=key).first()
    if file is None or file.set_id is not None:
        raise TexelError(file.path if file else "The file", "is in use by now.", "Clear the rows that read it first.")
    put_file_aside(file)


@transaction.atomic
def _undo_renames(project: Project, key: str, user: Any) -> None:
    renames.undo(RenameAct.objects.get(project=project, pk=key), user)


@transaction.atomic
def _redo_renames(project: Project, key: str, user: Any) -> None:
    renames.do_again(RenameAct.objects.get(project=project, pk=key))
