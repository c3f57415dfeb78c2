"""A set's own mesh: put, fetched, taken away."""

from __future__ import annotations

import tempfile
from pathlib import Path

from django.core.files.storage import default_storage
from django.http import FileResponse, HttpRequest
from ninja import File, Form, Router, UploadedFile

from texelweb.api import views
from texelweb.api.documenting import serves
from texelweb.api.schemas import ErrorBody, SetView
from texelweb.api.sets import ANSWERS, enter_set
from texelweb.projects.models import Role
from texelweb.refusals import Refused, not_found
from texelweb.sets import meshes
from texelweb.storage.blobs import keeping
from texelweb.storage.models import place_of

router = Router(tags=["sets"])


@router.post("/sets/{set_id}/mesh", response=ANSWERS, operation_id="put_mesh")
def put_mesh(request: HttpRequest, set_id: int, file: File[UploadedFile], name: Form[str]) -> SetView:
    """Keep a glTF or OBJ mesh with the set, in place of the one before."""
    texture_set, access = enter_set(request, set_id, Role.ARTIST)
    if (file.size or 0) > meshes.LARGEST_MESH:
        raise Refused(409, name[:80], "is larger than 64 MB.", "Export a lighter mesh: it is only there to look at maps.")
    with tempfile.NamedTemporaryFile(prefix="fairtexel-") as copy:
        for chunk in file.chunks():
            copy.write(chunk)
        copy.flush()
        with keeping():
            kept = meshes.put_mesh(texture_set, Path(copy.name), name.rpartition("/")[2], access.user)
    return views.set_view(kept, access)


@router.get(
    "/sets/{set_id}/mesh", response={404: ErrorBody}, operation_id="get_mesh", openapi_extra=serves("application/octet-stream")
)
def get_mesh(request: HttpRequest, set_id: int) -> FileResponse:
    """The set's own mesh, as it came."""
    texture_set, _ = enter_set(request, set_id)
    if texture_set.mesh_id is None:
        raise not_found("The mesh")
    answer = FileResponse(default_storage.open(place_of(texture_set.mesh_id)), as_attachment=True, filename="mesh")
    # Nothing that somebody uploaded is ever shown as a page.
    answer["Content-Type"] = "application/octet-stream"
    answer["Cache-Control"] = "private, no-cache"
    return answer


@router.delete("/sets/{set_id}/mesh", response=ANSWERS, operation_id="remove_mesh")
def remove_mesh(request: HttpRequest, set_id: int) -> SetView:
    """Take the mesh away from the set."""
    texture_set, access = enter_set(request, set_id, Role.ARTIST)
    return views.set_view(meshes.remove_mesh(texture_set, access.user), access)
