"""Merging two sets, splitting one, copying one to another project, and making one of a free file: each is one act, which one
undo takes back."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any

from django.db import transaction

from texelcore.naming.tokens import stem_of
from texelcore.pixels.errors import TexelError
from texelcore.sorting.decide import rows_of_helper
from texelcore.sorting.merging import merged_with
from texelcore.surface.ledger import LayoutTile, Ledger, Row
from texelcore.surface.properties import property_of
from texelweb.projects.models import Project
from texelweb.record.steps import note_step, together
from texelweb.sets.answering import questions
from texelweb.sets.arrivals.sorting import DOUBLE_FOLDER
from texelweb.sets.changing.ledgers import claim_files, create_set, edit_held, plain_name
from texelweb.sets.changing.removal import take_away
from texelweb.sets.changing.writing import SET, lock_project, note, writing
from texelweb.sets.models import FileRevision, SourceFile, TextureSet


@transaction.atomic
def merge(into: TextureSet, other: TextureSet, user: Any, seen: int | None) -> TextureSet:
    """Take another set of the project into this one: rows that this one lacks are the other's from now on, what both have stays
    as it is here, and the other's maps of those are left out. The other set is removed. Raises TexelError for a set merged with
    itself, and Overtaken where somebody has changed this one since."""
    if into.pk == other.pk:
        raise TexelError(into.name, "is one set already.", "Choose another to merge with it.")
    project = lock_project(into.project_id)
    with together():
        with writing(other.pk, None, user) as gone:
            offered = gone.ledger
            take_away(gone, user, f"Merged into {into.name}")
        with writing(into.pk, seen, user) as current:
            merged = merged_with(offered, offered.files())(current.ledger)
            edit_held(current, merged, f"Merged with {offered.name}", user)
    touched = {int(file) for file in offered.files()}
    questions.refresh(project, questions.Touched({current.pk}, files=touched, moved=touched))
    return current


@transaction.atomic
def split(
    texture_set: TextureSet, rows: Collection[str], left_out: Collection[str], name: str, user: Any, seen: int | None
) -> TextureSet:
    """Make a new set of some of a set's rows (by their properties) and left-out files (by their ids); gives the new one. A file
    that both read stays with the old one. Raises TexelError for nothing or everything, and a name that will not do."""
    plain = plain_name(name)
    project = lock_project(texture_set.project_id)
    with together():
        with writing(texture_set.pk, seen, user) as current:
            ledger = current.ledger
            going = tuple(row for row in ledger.rows if row.property in rows)
            staying = tuple(row for row in ledger.rows if row.property not in rows)
            away = tuple(entry for entry in ledger.left_out if entry.file in left_out)
            if not going or not staying:
                problem = "has nothing to split off." if not going else "would have no row left."
                raise TexelError(current.name, problem, "Choose some of its rows, not none and not all.")
            kept = tuple(left_out for left_out in ledger.left_out if left_out not in away)
            titles = ", ".join(property_of(row.property).title for row in going)
            edit_held(
                current, ledger.model_copy(update={"rows": staying, "left_out": kept}), f"{titles} split off to {plain}", user
            )
        fresh = Ledger(name=plain, rows=going, left_out=away, storage=ledger.storage, surface=ledger.surface)
        made = create_set(project, fresh, user, f"Split off from {current.name}", current.origin_json, current.folder_id)
        made.target, made.tags = current.target, current.tags
        made.save(update_fields=["target", "tags"])
        there = {"there": True}
        said = f"Split off from {current.name}"
        note_step(project, SET, made.pk, made.name, said, user, {"there": False}, there, about=made.pk)
        claim_files(made, fresh)
    touched = {int(file) for file in fresh.files()}
    questions.refresh(project, questions.Touched({current.pk, made.pk}, files=touched, moved=touched))
    return made


@transaction.atomic
def copy(texture_set: TextureSet, project: Project, user: Any) -> TextureSet:
    """Copy a set with its ledger, target, tags, origin and mesh into another project. Its files come along under their paths;
    one that has the same bytes there already is taken. No bytes are copied. Raises TexelError for the project that it is in."""
    if project.pk == texture_set.project_id:
        raise TexelError(texture_set.name, f"is in {project.title} already.", "Choose another project.")
    # Always in one order, so that two who copy against each other never wait for each other.
    for key in sorted((project.pk, texture_set.project_id)):
        lock_project(key)
    source = TextureSet.objects.select_related("project").get(pk=texture_set.pk)
    here = {str(file.pk): file for file in SourceFile.objects.filter(pk__in=source.ledger.files())}
    if missing := [file for file in source.ledger.files() if file not in here]:
        raise TexelError(source.name, f"names {len(missing)} file(s) that were removed.", "Clear the rows that read them first.")
    moved = {key: str(_bring(file, project, user).pk) for key, file in here.items()}
    ledger = source.ledger.model_copy(
        update={
            "rows": tuple(_with_files(row, moved) for row in source.ledger.rows),
            "left_out": tuple(left_out.model_copy(update={"file": moved[left_out.file]}) for left_out in source.ledger.left_out),
        }
    )
    said = f"Copied from {source.project.title}"
    made = create_set(project, ledger, user, said, source.origin_json)
    made.target = "" if source.target_name == project.target else source.target_name
    made.tags, made.mesh_id, made.mesh_name = source.tags, source.mesh_id, source.mesh_name
    made.save(update_fields=["target", "tags", "mesh", "mesh_name"])
    if made.mesh_id:
        made.meshes.create(number=1, blob_id=made.mesh_id, name=made.mesh_name, by=user)
    note_step(project, SET, made.pk, made.name, said, user, {"there": False}, {"there": True}, about=made.pk)
    claim_files(made, ledger)
    with writing(source.pk, None, user, record=False) as original:
        note(original, f"Copied to {project.title}", user)
        original.save(update_fields=["edit", "touched", "touched_by"])
    questions.refresh(project, questions.Touched({made.pk}, files={int(key) for key in moved.values()}))
    return made


@transaction.atomic
def make_helper(file: SourceFile, key: str, user: Any) -> TextureSet:
    """Make a set that is no surface of a file in no set, for masters to read it as a property: of what asks for a mask, one for
    each channel that says something. Raises TexelError for a file that a set has, and one that cannot give that."""
    project = lock_project(file.project_id)
    current = SourceFile.objects.select_related("set").get(pk=file.pk)
    if current.set is not None:
        raise TexelError(current.facts.name, f"belongs to {current.set.name} already.", f"Choose {current.set.name}.")
    rows = rows_of_helper(current.facts, key)
    if isinstance(rows, str):
        raise TexelError(
            current.facts.name, f"cannot be read as {property_of(key).title.lower()}: {rows}", "Choose another file."
        )
    taken = {name.casefold() for name in project.sets.values_list("name", flat=True)}
    stem = stem_of(current.path)[:70]
    name, number = stem, 2
    while name.casefold() in taken:
        name, number = f"{stem} {number}", number + 1
    ledger = Ledger(name=plain_name(name), rows=rows, surface=False)
    said = f"Made of {current.facts.name}, for masters to read"
    made = create_set(project, ledger, user, said)
    note_step(project, SET, made.pk, made.name, said, user, {"there": False}, {"there": True}, about=made.pk)
    claim_files(made, ledger)
    questions.refresh(project, questions.Touched({made.pk}, files={current.pk}, moved={current.pk}))
    return made


def _with_files(row: Row, moved: dict[str, str]) -> Row:
    tiles = tuple(LayoutTile(number=tile.number, file=moved[tile.file]) for tile in row.tiles)
    return row.model_copy(update={"file": moved[row.file], "tiles": tiles})


def _bring(file: SourceFile, project: Project, user: Any) -> SourceFile:
    """A file of another project, in this one: the one of the same path and bytes, or a new row beside what has its path."""
    path = file.path
    while True:
        there = SourceFile.objects.filter(project=project, path_key=path.casefold()).first()
        if there is None:
            break
        if there.blob_id == file.blob_id and there.set_id is None:
            return there
        folder, slash, name = path.rpartition("/")
        path = f"{folder}{slash}{DOUBLE_FOLDER}/{name}"
    body = {**file.facts_json, "path": path}
    made = SourceFile.objects.create(
        project=project,
        path=path,
        path_key=path.casefold(),
        arrived_key=path.casefold(),
        home=file.home,
        blob_id=file.blob_id,
        facts_json=body,
    )
    FileRevision.objects.create(file=made, number=1, blob_id=file.blob_id, facts_json=body, what="Copied", by=user)
    return made
