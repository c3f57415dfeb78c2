"""A project's own models: listed, brought in, fetched, dressed part by part, taken away."""

from __future__ import annotations

from datetime import datetime

from django.http import FileResponse, HttpRequest
from django.utils import timezone
from ninja import Field, File, Form, Router, Schema, Status, UploadedFile

from texelweb.accounts.access import Access, enter
from texelweb.accounts.receiving import receives
from texelweb.api.documenting import serves
from texelweb.api.schemas import ErrorBody, MeshRevisionLine, RoleName
from texelweb.api.sets.meshes import as_it_came, received, revision_line
from texelweb.masters.models import SetVariant
from texelweb.projects.models import Role
from texelweb.refusals import Refused, not_found
from texelweb.sets.geometry.meshes import LARGEST_MESH
from texelweb.sets.geometry.project_models import LONGEST_MTL, bring_model, changing_model, put_on, show_revision
from texelweb.sets.models import ProjectModel, TextureSet

router = Router(tags=["models"])


class Wears(Schema):
    """What a part of a model wears: a set, a variant, or what its own file says."""

    set: int | None = None
    variant: int | None = None
    own: bool | None = None


class ModelLine(Schema):
    """A model in a project's list, with how many of its parts are dressed."""

    id: int
    name: str
    file_name: str
    bytes: int
    revision: int
    dressed: int
    created: datetime


class ModelView(ModelLine):
    """A model: what each part wears by the part's name, where its file lies, and the materials that lay beside an OBJ. `edit` is
    the number of its newest edit."""

    role: RoleName
    project: str
    url: str
    mtl: str | None
    parts: dict[str, Wears]
    revisions: list[MeshRevisionLine]
    edit: int


class ModelChange(Schema):
    """A new name, or what some parts wear: null takes it off. What is left out stays."""

    name: str | None = Field(default=None, max_length=120)
    parts: dict[str, Wears | None] | None = Field(default=None, max_length=2000)


ANSWERS = {200: ModelView, 403: ErrorBody, 404: ErrorBody, 409: ErrorBody}


@router.get("/projects/{slug}/models", response={200: list[ModelLine], 404: ErrorBody}, operation_id="list_models")
def list_models(request: HttpRequest, slug: str) -> list[ModelLine]:
    """A project's models by name."""
    found = ProjectModel.objects.filter(project=enter(request, slug).project).select_related("blob")
    return [_line(model) for model in found.prefetch_related("revisions").order_by("name", "pk")]


@router.post("/projects/{slug}/models", response=ANSWERS, operation_id="put_model")
@receives(LARGEST_MESH + LONGEST_MTL, lambda request, slug: enter(request, slug, Role.ARTIST))
def put_model(
    request: HttpRequest,
    slug: str,
    file: File[UploadedFile],
    name: Form[str],
    beside: UploadedFile | None = File(None),  # noqa: B008
) -> ModelView:
    """Bring a model in: glTF, or OBJ with its .mtl beside it. One that came under the same file name before gets a new
    revision."""
    access = enter(request, slug, Role.ARTIST)
    # Whoever wrote it may have written it in any encoding; what is looked for in it is plain.
    mtl = beside.read(LONGEST_MTL + 1).decode("utf-8", "replace").replace("\0", "") if beside else ""
    with received(file, name) as copy:
        made = bring_model(access.project, copy, name.replace("\\", "/").rpartition("/")[2], access.user, mtl)
    return _view(made, access)


@router.get("/models/{model_id}", response={200: ModelView, 404: ErrorBody}, operation_id="get_model")
def get_model(request: HttpRequest, model_id: int) -> ModelView:
    """A model's page."""
    return _view(*_enter(request, model_id))


@router.get(
    "/models/{model_id}/file",
    operation_id="model_file",
    openapi_extra=serves("application/octet-stream"),
    response={404: ErrorBody},
)
def model_file(request: HttpRequest, model_id: int, revision: int | None = None) -> FileResponse:
    """A model's file as it came: the newest, or that of a revision."""
    model, _ = _enter(request, model_id)
    blob = model.blob_id
    if revision is not None:
        older = model.revisions.filter(number=revision).first()
        if older is None:
            raise not_found("The revision")
        blob = older.blob_id
    return as_it_came(request, blob)


@router.patch("/models/{model_id}", response=ANSWERS, operation_id="change_model")
def change_model(request: HttpRequest, model_id: int, body: ModelChange, seen: int) -> ModelView:
    """Rename a model, or say what parts of it wear. `seen` is the number of the newest edit that the page has."""
    model, access = _enter(request, model_id, Role.ARTIST)
    parts = body.parts or {}
    _check(access, parts)
    said = f"{', '.join(list(parts)[:3])}{' …' if len(parts) > 3 else ''} dressed" if parts else "Renamed"
    with changing_model(model.pk, seen, said, access.user) as current:
        if body.name is not None:
            current.name = " ".join(body.name.split()) or current.name
        put_on(current, {part: wears and wears.dict(exclude_defaults=True) for part, wears in parts.items()})
    return _view(current, access)


@router.post("/models/{model_id}/revisions/{number}/show", response=ANSWERS, operation_id="show_model_revision")
def show_model_revision(request: HttpRequest, model_id: int, number: int, seen: int) -> ModelView:
    """Show a model as it came at a revision; what its parts wear stays. `seen` is as for a change."""
    model, access = _enter(request, model_id, Role.ARTIST)
    if not model.revisions.filter(number=number).exists():
        raise not_found("The revision")
    with changing_model(model.pk, seen, f"Shown as at revision {number}", access.user) as current:
        show_revision(current, number)
    return _view(current, access)


@router.delete("/models/{model_id}", response={204: None, 403: ErrorBody, 404: ErrorBody}, operation_id="remove_model")
def remove_model(request: HttpRequest, model_id: int) -> Status[None]:
    """Take a model away; the record can bring it back."""
    model, access = _enter(request, model_id, Role.ARTIST)
    with changing_model(model.pk, model.edit, "Model removed", access.user) as current:
        current.removed = timezone.now()
    return Status(204, None)


def _check(access: Access, parts: dict[str, Wears | None]) -> None:
    """Refuse what is not of this project, and parts that wear two things or none."""
    worn = [wears for wears in parts.values() if wears]
    if any((wears.set is not None) + (wears.variant is not None) + bool(wears.own) != 1 for wears in worn):
        raise Refused(409, "A part", "wears a set, a variant or its own, one of the three.", "Choose one.")
    sets = {wears.set for wears in worn if wears.set is not None}
    variants = {wears.variant for wears in worn if wears.variant is not None}
    if TextureSet.objects.filter(project=access.project, pk__in=sets).count() != len(sets):
        raise not_found("The set")
    if SetVariant.objects.filter(project=access.project, pk__in=variants).count() != len(variants):
        raise not_found("The variant")


def _enter(request: HttpRequest, model_id: int, least: Role = Role.GUEST) -> tuple[ProjectModel, Access]:
    model = ProjectModel.objects.filter(pk=model_id).select_related("project", "blob").first()
    if model is None:
        raise not_found("The model")
    return model, enter(request, model.project, least)


def _line(model: ProjectModel) -> ModelLine:
    return ModelLine(
        id=model.pk,
        name=model.name,
        file_name=model.file_name,
        bytes=model.blob.bytes,
        revision=model.shown.number,
        dressed=len(model.parts_json),
        created=model.created,
    )


def _view(model: ProjectModel, access: Access) -> ModelView:
    # Sets and variants that are gone leave their parts bare.
    worn = model.parts_json
    sets, variants = (
        set(rows.filter(project=access.project, pk__in={wears.get(key) for wears in worn.values()}).values_list("pk", flat=True))
        for key, rows in (("set", TextureSet.objects), ("variant", SetVariant.objects))
    )
    there = {
        part: wears
        for part, wears in worn.items()
        if wears.get("own") or wears.get("set") in sets or wears.get("variant") in variants
    }
    revisions = model.revisions.select_related("by", "blob").order_by("-number")
    shown = model.shown.number
    return ModelView(
        **_line(model).dict(),
        role=access.role.value,
        project=access.project.slug,
        url=f"/api/models/{model.pk}/file?v={model.blob_id[:12]}",
        mtl=model.shown.mtl or None,
        parts={part: Wears(**wears) for part, wears in there.items()},
        revisions=[revision_line(row, row.file_name, row.number == shown) for row in revisions],
        edit=model.edit,
    )
