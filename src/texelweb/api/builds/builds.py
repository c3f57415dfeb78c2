"""Builds: asked for, looked at, downloaded."""

from __future__ import annotations

import tempfile
import zipfile

from django.core.files.storage import default_storage
from django.db import transaction
from django.http import FileResponse, HttpRequest, HttpResponse
from ninja import Router

from texelcore.building.manifest import Manifest
from texelweb.accounts.access import enter
from texelweb.api.documenting import serves
from texelweb.api.schemas import ErrorBody, JobView, NewBuild
from texelweb.api.sets.sets import enter_set
from texelweb.builds.models import Build, Output
from texelweb.jobs.control import enqueue
from texelweb.jobs.leases import is_alive
from texelweb.jobs.models import Job
from texelweb.library.pins import row_of, target_of
from texelweb.projects.models import Role
from texelweb.refusals import not_found
from texelweb.sets.models import TextureSet

router = Router(tags=["builds"])
# Zip entries carry a fixed date, so that the same build gives the same bytes.
ZIP_DATE = (2000, 1, 1, 0, 0, 0)


@router.post(
    "/sets/{set_id}/builds", response={200: JobView, 403: ErrorBody, 404: ErrorBody, 409: ErrorBody}, operation_id="start_build"
)
def start_build(request: HttpRequest, set_id: int, body: NewBuild) -> Job:
    """Build a set for a target, as a job. A build of this set that is still open is given instead of a second one."""
    return start(request, set_id, body.target, Job.Kind.BUILD, "Building")


def start(request: HttpRequest, set_id: int, target_name: str, kind: Job.Kind, doing: str) -> Job:
    """Queue a job of a kind that works on a build of a set for a target, or give the one that is still open.

    Raises Refused as `enter_set` does for an artist, TexelError for a target that is not known.
    """
    texture_set, access = enter_set(request, set_id, Role.ARTIST)
    target = target_of(access.project, target_name)
    same = Job.objects.filter(build__set=texture_set, build__version__target__name=target.name, kind=kind)
    with transaction.atomic():
        # Two who ask at the same moment get one job.
        TextureSet.objects.select_for_update(no_key=True).get(pk=texture_set.pk)
        if running := same.filter(is_alive()).first():
            return running
        build = Build.objects.create(set=texture_set, version=row_of(target), by=access.user)
        title = f"{doing} {texture_set.name} for {target.title}"
        build.job = enqueue(access.project, kind, title, str(build.pk), access.user)
        build.save()
    return build.job


@router.get(
    "/outputs/{output_id}/file",
    operation_id="download_output",
    openapi_extra=serves("application/octet-stream"),
    response={404: ErrorBody},
)
def download_output(request: HttpRequest, output_id: int) -> FileResponse:
    """One output's bytes."""
    output = enter_output(request, output_id)
    stored = default_storage.open(output.blob.place)
    return FileResponse(stored, as_attachment=True, filename=output.file_name, content_type="application/octet-stream")


@router.get("/builds/{build_id}/manifest", operation_id="download_manifest", response={200: Manifest, 404: ErrorBody})
def download_manifest(request: HttpRequest, build_id: int) -> HttpResponse:
    """A build's manifest."""
    build = _enter_build(request, build_id)
    answer = HttpResponse(build.manifest, content_type="application/json")
    answer["Content-Disposition"] = f'attachment; filename="{build.set.code}.manifest.json"'
    return answer


@router.get(
    "/builds/{build_id}/zip", operation_id="download_zip", openapi_extra=serves("application/zip"), response={404: ErrorBody}
)
def download_zip(request: HttpRequest, build_id: int) -> FileResponse:
    """All outputs of a build and its manifest, as one zip."""
    build = _enter_build(request, build_id)
    bundle = tempfile.TemporaryFile()  # noqa: SIM115 - the answer closes it when it has been sent
    with zipfile.ZipFile(bundle, "w", zipfile.ZIP_STORED) as archive:
        archive.writestr(zipfile.ZipInfo(f"{build.set.code}.manifest.json", ZIP_DATE), build.manifest)
        for output in build.outputs.select_related("blob").order_by("pk"):
            with (
                default_storage.open(output.blob.place) as source,
                archive.open(zipfile.ZipInfo(output.file_name, ZIP_DATE), "w", force_zip64=True) as entry,
            ):
                for chunk in source.chunks():
                    entry.write(chunk)
    bundle.seek(0)
    return FileResponse(bundle, as_attachment=True, filename=f"{build.set.code}-{build.target.name}.zip")


def enter_output(request: HttpRequest, output_id: int) -> Output:
    """An output that the asking user may see. Raises Refused 404 otherwise."""
    output = Output.objects.filter(pk=output_id).select_related("blob", "build__set__project").first()
    if output is None:
        raise not_found("The output")
    enter(request, output.build.set.project)
    return output


def _enter_build(request: HttpRequest, build_id: int) -> Build:
    build = Build.objects.filter(pk=build_id).exclude(manifest="").select_related("set__project").first()
    if build is None:
        raise not_found("The build")
    enter(request, build.set.project)
    return build
