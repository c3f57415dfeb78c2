"""A set's own mesh: put, fetched, taken away, and its revisions."""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from django.core.files.storage import default_storage
from django.http import FileResponse, HttpRequest
from ninja import File, Form, Router, UploadedFile

from texelweb.accounts.receiving import receives
from texelweb.api.documenting import serves
from texelweb.api.parsing import number_in_address
from texelweb.api.schemas import ErrorBody, MeshRevisionLine, SetView
from texelweb.api.sets import views
from texelweb.api.sets.sets import ANSWERS, enter_set
from texelweb.projects.models import Role
from texelweb.refusals import Refused, not_found
from texelweb.sets.geometry import meshes
from texelweb.sets.models import MeshRevision, ModelRevision
from texelweb.storage.blobs import keeping
from texelweb.storage.models import place_of

router = Router(tags=["sets"])


@contextmanager
def received(file: UploadedFile, name: str) -> Iterator[Path]:
    """An uploaded mesh or model as a file of its own while it is looked over and kept. Raises Refused for one too large."""
    if (file.size or 0) > meshes.LARGEST_MESH:
        raise Refused(409, name[:80], "is larger than 64 MB.", "Export a lighter model: it is only there to look at maps.")
    with tempfile.NamedTemporaryFile(prefix="fairtexel-") as copy:
        for chunk in file.chunks():
            copy.write(chunk)
        copy.flush()
        with keeping():
            yield Path(copy.name)


def as_it_came(request: HttpRequest, sha256: str) -> FileResponse:
    """The bytes of a mesh or model. Whoever says `v`, a part of their hash, may keep them: other bytes have another address."""
    answer = FileResponse(default_storage.open(place_of(sha256)), as_attachment=True, filename="mesh")
    # Nothing that somebody uploaded is ever shown as a page.
    answer["Content-Type"] = "application/octet-stream"
    answer["Cache-Control"] = "private, max-age=3600" if request.GET.get("v") else "private, no-cache"
    return answer


def revision_line(row: MeshRevision | ModelRevision, name: str, shown: bool) -> MeshRevisionLine:
    """A revision of a mesh or model, under the name that its file came by."""
    by = row.by.get_username() if row.by else ""
    return MeshRevisionLine(number=row.number, name=name, bytes=row.blob.bytes, by=by, created=row.created, shown=shown)


@router.post("/sets/{set_id}/mesh", response=ANSWERS, operation_id="put_mesh")
@receives(meshes.LARGEST_MESH, lambda request, set_id: enter_set(request, number_in_address(set_id), Role.ARTIST))
def put_mesh(request: HttpRequest, set_id: int, file: File[UploadedFile], name: Form[str]) -> SetView:
    """Keep a glTF or OBJ mesh with the set, as a new revision, which is shown."""
    texture_set, access = enter_set(request, set_id, Role.ARTIST)
    with received(file, name) as copy:
        kept = meshes.put_mesh(texture_set, copy, name.rpartition("/")[2], access.user)
    return views.set_view(kept, access)


@router.get(
    "/sets/{set_id}/mesh", response={404: ErrorBody}, operation_id="get_mesh", openapi_extra=serves("application/octet-stream")
)
def get_mesh(request: HttpRequest, set_id: int, revision: int | None = None) -> FileResponse:
    """The set's own mesh, as it came: the one that is shown, or a revision of it. `v` is as for a model's file."""
    texture_set, _ = enter_set(request, set_id)
    blob = texture_set.mesh_id
    if revision is not None:
        blob = texture_set.meshes.filter(number=revision).values_list("blob", flat=True).first()
    if blob is None:
        raise not_found("The mesh")
    return as_it_came(request, blob)


@router.get("/sets/{set_id}/meshes", response={200: list[MeshRevisionLine], 404: ErrorBody}, operation_id="list_mesh_revisions")
def list_mesh_revisions(request: HttpRequest, set_id: int) -> list[MeshRevisionLine]:
    """The revisions of the set's own mesh, newest first; none of them is shown where it was taken away."""
    texture_set, _ = enter_set(request, set_id)
    return [revision_line(row, row.name, shown) for row, shown in meshes.mesh_revisions(texture_set)]


@router.post("/sets/{set_id}/meshes/{number}/show", response=ANSWERS, operation_id="show_mesh")
def show_mesh(request: HttpRequest, set_id: int, number: int) -> SetView:
    """Show the set on a revision of its mesh."""
    texture_set, access = enter_set(request, set_id, Role.ARTIST)
    if not texture_set.meshes.filter(number=number).exists():
        raise not_found("The revision")
    return views.set_view(meshes.show_mesh(texture_set, number, access.user), access)


@router.delete("/sets/{set_id}/mesh", response=ANSWERS, operation_id="remove_mesh")
def remove_mesh(request: HttpRequest, set_id: int) -> SetView:
    """Take the mesh away from the set."""
    texture_set, access = enter_set(request, set_id, Role.ARTIST)
    return views.set_view(meshes.remove_mesh(texture_set, access.user), access)
