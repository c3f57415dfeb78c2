"""Proofs: asked for, looked at, and the tolerances that judge them."""

from __future__ import annotations

from typing import Literal

from django.core.files.storage import default_storage
from django.http import FileResponse, HttpRequest, HttpResponse
from ninja import Field, Query, Router, Schema

from texelcore.building.plan import PlannedOutput
from texelcore.proof.tolerances import Tolerances
from texelweb.accounts.access import enter
from texelweb.api.builds.builds import start
from texelweb.api.documenting import serves
from texelweb.api.schemas import ErrorBody, JobView, NewBuild
from texelweb.api.sets.sets import enter_set
from texelweb.api.versions import Difference, VersionLine, differences, document_of, version_lines
from texelweb.builds import pictures
from texelweb.builds.models import Proof
from texelweb.builds.planning import judge_set, proofs_of
from texelweb.jobs.models import Job
from texelweb.library.pins import pins_of
from texelweb.projects.models import Project, Role, TolerancesVersion
from texelweb.projects.versions import newest_number
from texelweb.refusals import not_found
from texelweb.sets.answering.house import change_tolerances

router = Router(tags=["proofs"])


@router.post("/sets/{set_id}/proofs", response={200: JobView, 403: ErrorBody, 404: ErrorBody}, operation_id="start_proof")
def start_proof(request: HttpRequest, set_id: int, body: NewBuild) -> Job:
    """Build what is not current, encode and measure, as a job. A job of this set that is still open is given instead."""
    return start(request, set_id, body.target, Job.Kind.PROVE, "Proving")


@router.get(
    "/sets/{set_id}/proofs/{output}/dds",
    operation_id="download_dds",
    openapi_extra=serves("image/vnd-ms.dds"),
    response={404: ErrorBody},
)
def download_dds(request: HttpRequest, set_id: int, output: str) -> FileResponse:
    """The encoded texture of an output, as it is planned now."""
    planned, proof = _proof(request, set_id, output)
    name = f"{planned.file_name.rsplit('.', 1)[0]}.dds"
    return FileResponse(
        default_storage.open(proof.blob.place), as_attachment=True, filename=name, content_type="image/vnd-ms.dds"
    )


@router.get(
    "/sets/{set_id}/proofs/{output}/picture",
    operation_id="proof_picture",
    openapi_extra=serves("image/png"),
    response={404: ErrorBody},
)
def proof_picture(
    request: HttpRequest,
    set_id: int,
    output: str,
    side: pictures.Side = "after",
    view: Literal["RGB", "R", "G", "B", "A"] = "RGB",
    size: Literal["small", "whole"] = "whole",
    level: int = Query(default=0, ge=0, le=20),
) -> HttpResponse:
    """A level of an output after the blocks, or its difference from before, as a PNG."""
    planned, proof = _proof(request, set_id, output)
    try:
        answer = HttpResponse(pictures.proof_picture(planned, proof, side, view, size, level), content_type="image/png")
    except KeyError:
        raise not_found("The channel or level") from None
    answer["Cache-Control"] = "private, max-age=86400"
    return answer


class TolerancesView(Schema):
    """The house tolerances, and the number of their version; 0 while they are the defaults."""

    version: int
    tolerances: Tolerances
    versions: list[VersionLine]


class TolerancesSaved(Schema):
    """New house tolerances. `base` is the version that they were made from: another one in between is not overwritten."""

    base: int
    tolerances: Tolerances
    what: str = Field(default="Changed", max_length=200)


@router.get("/projects/{slug}/tolerances", response={200: TolerancesView, 404: ErrorBody}, operation_id="get_tolerances")
def get_tolerances(request: HttpRequest, slug: str) -> TolerancesView:
    """A project's house tolerances."""
    return _tolerances(enter(request, slug).project)


@router.get(
    "/projects/{slug}/tolerances/{number}/differences",
    response={200: list[Difference], 404: ErrorBody},
    operation_id="compare_tolerances",
)
def compare_tolerances(request: HttpRequest, slug: str, number: int) -> list[Difference]:
    """What an older version of the tolerances has otherwise than the newest; version 0 is the default."""
    project = enter(request, slug).project
    return differences(project.tolerances, document_of(project, TolerancesVersion, number, Tolerances()))


@router.get("/projects/{slug}/tolerances/{number}", response={200: Tolerances, 404: ErrorBody}, operation_id="export_tolerances")
def export_tolerances(request: HttpRequest, slug: str, number: int) -> Tolerances:
    """One version of the tolerances as a document; version 0 is the default."""
    return document_of(enter(request, slug).project, TolerancesVersion, number, Tolerances())


@router.put(
    "/projects/{slug}/tolerances",
    response={200: TolerancesView, 403: ErrorBody, 404: ErrorBody, 409: ErrorBody},
    operation_id="set_tolerances",
)
def set_tolerances(request: HttpRequest, slug: str, body: TolerancesSaved) -> TolerancesView:
    """Keep new house tolerances as the newest version; proofs are judged by them from now on."""
    access = enter(request, slug, Role.LEAD)
    change_tolerances(access.project, body.tolerances, body.what, access.user, body.base)
    return _tolerances(access.project)


def _tolerances(project: Project) -> TolerancesView:
    return TolerancesView(
        version=newest_number(project, TolerancesVersion),
        tolerances=project.tolerances,
        versions=version_lines(project.tolerances_versions),
    )


def _proof(request: HttpRequest, set_id: int, output: str) -> tuple[PlannedOutput, Proof]:
    texture_set, access = enter_set(request, set_id)
    judged = judge_set(texture_set, pins_of(access.project).seen(texture_set.target, access.looks_at))
    planned = next((entry for entry in judged.plan.outputs if entry.key == output), None)
    proof = proofs_of(judged.proof_keys).get(output)
    if planned is None or proof is None:
        raise not_found("The proof")
    return planned, proof
