"""Proofs: asked for, looked at, and the tolerances that judge them."""

from __future__ import annotations

import io
from typing import Literal

from django.core.files.storage import default_storage
from django.db import transaction
from django.http import FileResponse, HttpRequest, HttpResponse
from ninja import Router

from texelcore.build.plan import PlannedOutput
from texelcore.codecs.dds import read_dds
from texelcore.pixels.display import display, shrink
from texelcore.pixels.image import Image
from texelcore.pixels.png import write_png
from texelcore.pixels.read import read
from texelcore.pixels.strips import of_image
from texelcore.proof.compare import difference, read_back
from texelcore.proof.tolerances import Tolerances
from texelcore.targets.document import find_target
from texelweb.accounts.access import enter
from texelweb.api.errors import not_found
from texelweb.api.schemas import ErrorBody, JobView, NewBuild
from texelweb.api.sets import enter_set
from texelweb.builds.models import Build, Proof
from texelweb.builds.planning import plan_of, proofs_of
from texelweb.jobs.control import enqueue
from texelweb.jobs.models import Job
from texelweb.projects.models import Role
from texelweb.storage.blobs import local_file, put
from texelweb.storage.pictures import EDGES

router = Router(tags=["proofs"])
Side = Literal["after", "difference"]


@router.post("/sets/{set_id}/proofs", response={200: JobView, 403: ErrorBody, 404: ErrorBody}, operation_id="start_proof")
def start_proof(request: HttpRequest, set_id: int, body: NewBuild) -> Job:
    """Build what is not current, encode and measure, as a job. A job of this set that is still open is given instead."""
    texture_set, access = enter_set(request, set_id, Role.ARTIST)
    target = find_target(body.target)
    still_open = [Job.State.QUEUED, Job.State.RUNNING]
    running = Job.objects.filter(
        build__set=texture_set, build__target=target.name, kind=Job.Kind.PROVE, state__in=still_open
    ).first()
    if running:
        return running
    with transaction.atomic():
        build = Build.objects.create(set=texture_set, target=target.name, by=access.user)
        title = f"Proving {texture_set.name} for {target.title}"
        build.job = enqueue(access.project, Job.Kind.PROVE, title, str(build.pk), access.user)
        build.save()
    return build.job


@router.get("/sets/{set_id}/proofs/{output}/dds", operation_id="download_dds", response={404: ErrorBody})
def download_dds(request: HttpRequest, set_id: int, output: str) -> FileResponse:
    """The encoded texture of an output, as it is planned now."""
    planned, proof = _proof(request, set_id, output)
    name = f"{planned.file_name.rsplit('.', 1)[0]}.dds"
    return FileResponse(
        default_storage.open(proof.blob.place), as_attachment=True, filename=name, content_type="image/vnd-ms.dds"
    )


@router.get("/sets/{set_id}/proofs/{output}/picture", operation_id="proof_picture", response={404: ErrorBody})
def proof_picture(
    request: HttpRequest,
    set_id: int,
    output: str,
    side: Side = "after",
    view: Literal["RGB", "R", "G", "B", "A"] = "RGB",
    size: Literal["small", "whole"] = "whole",
) -> HttpResponse:
    """An output after the blocks, or its difference from before, as a PNG."""
    planned, proof = _proof(request, set_id, output)
    place = f"proofs/{proof.proof_key[:2]}/{proof.proof_key}-{side}-{view}-{size}.png"
    if not default_storage.exists(place):
        try:
            put(place, _paint(set_id, planned, proof, side, view, size))
        except KeyError:
            raise not_found("The channel") from None
    with default_storage.open(place) as file:
        answer = HttpResponse(file.read(), content_type="image/png")
    answer["Cache-Control"] = "private, max-age=86400"
    return answer


@router.get("/projects/{slug}/tolerances", response={200: Tolerances, 404: ErrorBody}, operation_id="get_tolerances")
def get_tolerances(request: HttpRequest, slug: str) -> Tolerances:
    """A project's house tolerances."""
    return enter(request, slug).project.tolerances


@router.put(
    "/projects/{slug}/tolerances", response={200: Tolerances, 403: ErrorBody, 404: ErrorBody}, operation_id="set_tolerances"
)
def set_tolerances(request: HttpRequest, slug: str, body: Tolerances) -> Tolerances:
    """Set a project's house tolerances."""
    access = enter(request, slug, Role.LEAD)
    access.project.tolerances_json = body.model_dump(mode="json")
    access.project.save(update_fields=["tolerances_json"])
    return body


def _proof(request: HttpRequest, set_id: int, output: str) -> tuple[PlannedOutput, Proof]:
    texture_set, _ = enter_set(request, set_id)
    _, _, plan = plan_of(texture_set, find_target(texture_set.target_name))
    planned = next((entry for entry in plan.outputs if entry.key == output), None)
    proof = proofs_of(plan).get(output)
    if planned is None or proof is None:
        raise not_found("The proof")
    return planned, proof


def _paint(set_id: int, planned: PlannedOutput, proof: Proof, side: Side, view: str, size: str) -> bytes:
    """Decode the blocks beside what went into them. Raises KeyError for a channel that is not there."""
    with default_storage.open(proof.blob.place) as file:
        texture = read_dds(file.read(), planned.file_name)
    built = Build.objects.filter(set=set_id, outputs__content_key=planned.content_key).order_by("-pk").first()
    if built is None:
        raise not_found("The build")
    output = built.outputs.select_related("blob").filter(content_key=planned.content_key)[0]
    with local_file(output.blob.place) as path:
        pair = read_back(planned, texture, read(path, output.file_name))
    if side == "difference":
        pixels = difference(pair)
    else:
        light = planned.output.encoding == "linear" and pair.after.sample == "f16"
        pixels = display(pair.after, view, light)
    file_out = io.BytesIO()
    write_png(of_image(Image.of(shrink(pixels, EDGES[size]))), file_out, "srgb")
    return file_out.getvalue()
