"""A project's own models: brought in, with revisions; what each of their parts wears; taken away, and back by the record."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from django.db import transaction
from django.utils import timezone

from texelcore.pixels.errors import TexelError
from texelweb.projects.models import Project
from texelweb.record.steps import note_step
from texelweb.refusals import Overtaken
from texelweb.sets.changing.writing import lock_project
from texelweb.sets.geometry.meshes import look_over
from texelweb.sets.models import ModelRevision, ProjectModel
from texelweb.storage.blobs import keep

# Models in the record.
MODEL = "model"
MOST_MODELS, MOST_PARTS, LONGEST = 200, 2000, 120
# Letters of an MTL: a hundred materials take some twenty thousand.
LONGEST_MTL = 256 * 1024


@transaction.atomic
def bring_model(project: Project, path: Path, file_name: str, user: Any, mtl: str = "") -> ProjectModel:
    """Keep a model with a project: a new one, or a new revision of the one that came under the same file name, whose parts go on
    wearing what they wore. `mtl` holds the materials that lay beside an OBJ. Raises TexelError for a file that is no model, or
    one too many."""
    look_over(path, file_name)
    if len(mtl) > LONGEST_MTL:
        raise TexelError(file_name, f"has an .mtl of more than {LONGEST_MTL // 1024} KB beside it.", "Bring the .obj alone.")
    # Two who bring the same file at once have one model of it.
    lock_project(project.pk)
    blob, name = keep(path), file_name[-LONGEST:]
    found = ProjectModel.objects.select_for_update(no_key=True).filter(project=project, file_name=name).first()
    if found is None:
        if ProjectModel.objects.filter(project=project).count() >= MOST_MODELS:
            raise TexelError(name, f"would be one model too many: a project has {MOST_MODELS}.", "Remove one first.")
        found = ProjectModel.objects.create(project=project, name=Path(name).stem, blob=blob, file_name=name)
        ModelRevision.objects.create(model=found, number=1, blob=blob, file_name=name, mtl=mtl, by=user)
        note_step(project, MODEL, found.pk, found.name, "Model brought in", user, {"there": False}, {"there": True})
    elif found.blob_id != blob.pk or found.shown.mtl != mtl:
        number = found.revisions.count() + 1
        with _changing(found, f"Revision {number} of the model", user):
            ModelRevision.objects.create(model=found, number=number, blob=blob, file_name=name, mtl=mtl, by=user)
            found.blob = blob
    return found


@contextmanager
def changing_model(model_id: int, seen: int, what: str, user: Any) -> Iterator[ProjectModel]:
    """A model held for one change that becomes a step. Raises Overtaken when somebody else has changed it since `seen`, and
    TexelError when it is gone."""
    with transaction.atomic():
        found = ProjectModel.objects.select_for_update(no_key=True, of=("self",)).filter(pk=model_id).first()
        if found is None:
            raise TexelError("The model", "was removed meanwhile.", "Go back to the list of models.")
        if seen < found.edit:
            raise Overtaken(found.name, "was changed by somebody else meanwhile.", "Look at it as it is now, and do it again.")
        with _changing(found, what, user):
            yield found


def show_revision(model: ProjectModel, number: int) -> None:
    """Show a model, which the caller holds, as it came at a revision. Raises ModelRevision.DoesNotExist."""
    model.blob_id = model.revisions.get(number=number).blob_id


def put_on(model: ProjectModel, parts: Mapping[str, Mapping[str, Any] | None]) -> None:
    """Say what parts wear; None takes it off. Parts that are not named stay. Raises TexelError for too many parts."""
    worn = dict(model.parts_json)
    for part, wears in parts.items():
        if wears is None:
            worn.pop(part, None)
        else:
            worn[part] = dict(wears)
    if len(worn) > MOST_PARTS or any(len(part) > LONGEST for part in worn):
        problem = f"would have {len(worn)} dressed parts, or a part of a name above {LONGEST} letters; {MOST_PARTS} are the most."
        raise TexelError(model.name, problem, "Join parts that wear the same.")
    model.parts_json = worn


def read_model(project: Project, key: str) -> Mapping[str, Any] | None:
    """A model's document, for the record; None where it is gone."""
    found = ProjectModel.everything.filter(project=project, pk=key).first()
    return _document(found) if found else None


def write_model(project: Project, key: str, document: Mapping[str, Any], what: str, user: Any) -> None:
    """Bring a model back to a document, for the record."""
    found = ProjectModel.everything.select_for_update(no_key=True).get(project=project, pk=key)
    if "there" in document:
        found.removed = None if document["there"] else found.removed or timezone.now()
    if "name" in document:
        found.name = document["name"]
    if "parts" in document:
        found.parts_json = document["parts"]
    if "file" in document:
        found.blob_id = document["file"]
    found.edit += 1
    found.save()


def _document(model: ProjectModel) -> dict[str, Any]:
    return {"there": model.removed is None, "name": model.name, "parts": model.parts_json, "file": model.blob_id}


@contextmanager
def _changing(model: ProjectModel, what: str, user: Any) -> Iterator[None]:
    before = _document(model)
    yield
    after = _document(model)
    if after != before:
        model.edit += 1
        model.save()
        note_step(model.project, MODEL, model.pk, model.name, what, user, before, after)
