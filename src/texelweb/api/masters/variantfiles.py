"""What is made of a variant: a glTF file, a MaterialX document, a set of plain maps; and where its layers are seen."""

from __future__ import annotations

from contextlib import ExitStack

from django.core.files.storage import default_storage
from django.db import transaction
from django.db.models import Q
from django.http import FileResponse, HttpRequest
from ninja import File, Form, Router, Schema, UploadedFile

from texelcore.materials.dressing.unseen import LayerSeen, Paint
from texelcore.naming.templates import code_of
from texelcore.pixels.errors import TexelError
from texelweb.accounts.access import Access
from texelweb.accounts.receiving import receives
from texelweb.api import schemas
from texelweb.api.documenting import serves
from texelweb.api.masters.variants import enter_variant
from texelweb.api.parsing import number_in_address
from texelweb.api.sets import views
from texelweb.api.sets.meshes import received
from texelweb.jobs.control import enqueue
from texelweb.jobs.leases import is_alive
from texelweb.jobs.models import Job
from texelweb.masters.files import VARIANT_FILES, FileForm
from texelweb.masters.flattening import EDGES_OF_SQUARES, plan_flattening
from texelweb.masters.layers import layers_of_variant
from texelweb.masters.making import made_by
from texelweb.masters.models import SetVariant
from texelweb.projects.models import Role
from texelweb.refusals import Refused
from texelweb.sets.geometry.meshes import LARGEST_MESH

router = Router(tags=["variants"])


class SeenOn(Schema):
    """What is painted on the mesh that a variant is looked at on: the smallest and the largest red, green, blue and alpha;
    without them it is one of the stage's own shapes."""

    low: tuple[float, float, float, float] | None = None
    high: tuple[float, float, float, float] | None = None


class FlatSet(Schema):
    """A set that a variant was flattened into. `set_id` is null until it is made, and when it was removed; `job` is the newest
    that makes it."""

    name: str
    edge: int
    on_mesh: bool
    set_id: int | None
    job: schemas.JobView | None


@router.post(
    "/variants/{variant_id}/files/{form}",
    response={200: schemas.JobView, 403: schemas.ErrorBody, 404: schemas.ErrorBody, 409: schemas.ErrorBody},
    operation_id="make_variant_file",
)
def make_variant_file(request: HttpRequest, variant_id: int, form: FileForm) -> Job:
    """Make a file of a variant, as a job. A job for it that is still open is given instead."""
    variant, access = enter_variant(request, variant_id, Role.ARTIST)
    file = VARIANT_FILES[form]
    file.plan(variant)
    return _started(variant, access, file.kind, file.doing.format(variant.name))


@router.get(
    "/variants/{variant_id}/files/{form}",
    operation_id="download_variant_file",
    openapi_extra=serves(*(file.mime for file in VARIANT_FILES.values())),
    response={404: schemas.ErrorBody, 409: schemas.ErrorBody},
)
def download_variant_file(request: HttpRequest, variant_id: int, form: FileForm) -> FileResponse:
    """A file of a variant, once it is made of what the variant is now."""
    variant, _ = enter_variant(request, variant_id)
    file = VARIANT_FILES[form]
    product = made_by(file.plan(variant))
    if product is None:
        raise TexelError(variant.name, f"was changed after its {file.title} file was last made.", "Have it made first.")
    stored = default_storage.open(product.blob.place)
    return FileResponse(stored, as_attachment=True, filename=f"{code_of(variant.name)}{file.ending}", content_type=file.mime)


@router.post(
    "/variants/{variant_id}/seen",
    response={200: list[LayerSeen], 404: schemas.ErrorBody, 409: schemas.ErrorBody},
    operation_id="look_for_layers",
)
def look_for_layers(request: HttpRequest, variant_id: int, body: SeenOn) -> list[LayerSeen]:
    """How much of a variant each of its layers is, on the stage's shapes or on a mesh that is painted so; and why one is
    nowhere."""
    variant, _ = enter_variant(request, variant_id)
    return layers_of_variant(variant, Paint(body.low, body.high) if body.low and body.high else None)


@router.get(
    "/variants/{variant_id}/flattenings",
    response={200: list[FlatSet], 404: schemas.ErrorBody},
    operation_id="list_flattenings",
)
def list_flattenings(request: HttpRequest, variant_id: int) -> list[FlatSet]:
    """The sets that a variant was flattened into, or is being, by name."""
    variant, _ = enter_variant(request, variant_id)
    rows = list(variant.flattenings.select_related("set").order_by("name"))
    subjects = [str(row.pk) for row in rows]
    jobs = Job.objects.filter(project=variant.project_id, kind=Job.Kind.FLATTEN, subject__in=subjects).order_by("created")
    newest = {job.subject: job for job in jobs}
    return [
        FlatSet(
            name=row.name,
            edge=row.edge,
            on_mesh=row.mesh_id is not None,
            set_id=row.set_id if row.set and row.set.removed is None else None,
            job=views.job_view(newest.get(str(row.pk))),
        )
        for row in rows
    ]


@router.post(
    "/variants/{variant_id}/flattenings",
    response={200: schemas.JobView, 403: schemas.ErrorBody, 404: schemas.ErrorBody, 409: schemas.ErrorBody},
    operation_id="flatten_variant",
)
@receives(LARGEST_MESH, lambda request, variant_id: enter_variant(request, number_in_address(variant_id), Role.ARTIST))
def flatten_variant(
    request: HttpRequest,
    variant_id: int,
    name: Form[str] = "",
    edge: Form[int] = 0,
    file: UploadedFile | None = File(None),  # noqa: B008
) -> Job:
    """Flatten a variant into a set of plain maps, as a job: over a mesh with its paint (.glb), or over a flat square. `edge` is
    the longer edge in texels, 0 as large as its maps. Under a name that was flattened before, that set's files are renewed."""
    variant, access = enter_variant(request, variant_id, Role.ARTIST)
    if edge not in (0, *EDGES_OF_SQUARES):
        known = ", ".join(map(str, EDGES_OF_SQUARES))
        raise Refused(409, str(edge)[:20], "is no size of a flat surface.", f"Choose {known}, or 0 for that of its maps.")
    with ExitStack() as held:
        mesh = held.enter_context(received(file, "The mesh")) if file else None
        flattening, anew = plan_flattening(variant, name, mesh, "mesh", edge, access.user)
    title = f"Flattening {variant.name} into {flattening.name}"
    return _started(variant, access, Job.Kind.FLATTEN, title, str(flattening.pk), anew=anew)


def _started(variant: SetVariant, access: Access, kind: Job.Kind, title: str, subject: str = "", *, anew: bool = False) -> Job:
    """A job that makes something of a variant, or of the `subject`: one that is open already, or a new one. Where it is to be
    made `anew`, of something else, one that runs has begun too early, and only one that waits is as good."""
    subject = subject or str(variant.pk)
    with transaction.atomic():
        # Two who ask at the same moment get one job.
        SetVariant.objects.select_for_update(no_key=True, of=("self",)).get(pk=variant.pk)
        open_ones = Q(state=Job.State.QUEUED) if anew else is_alive()
        waiting = Job.objects.filter(open_ones, project=access.project, kind=kind, subject=subject)
        if running := waiting.order_by("-created").first():
            return running
        return enqueue(access.project, kind, title, subject, access.user)
