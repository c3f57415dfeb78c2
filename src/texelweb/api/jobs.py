"""Jobs: watched, cancelled, tried again."""

from __future__ import annotations

import uuid
from datetime import timedelta

from django.db.models import Q
from django.http import HttpRequest
from django.utils import timezone
from ninja import Router

from texelweb.accounts.access import enter
from texelweb.api.schemas import ErrorBody, JobView
from texelweb.jobs import control
from texelweb.jobs.models import Job
from texelweb.projects.models import Role
from texelweb.refusals import not_found

router = Router(tags=["jobs"])
MOST_OPEN, MOST_ENDED = 200, 20
ANSWERS = {200: JobView, 403: ErrorBody, 404: ErrorBody, 409: ErrorBody}


@router.get("/projects/{slug}/jobs", response={200: list[JobView], 404: ErrorBody}, operation_id="list_jobs")
def list_jobs(request: HttpRequest, slug: str) -> list[Job]:
    """Open jobs, and those that ended within the last hour, newest first."""
    access = enter(request, slug)
    recent = Q(state__in=[Job.State.QUEUED, Job.State.RUNNING]) | Q(ended__gte=timezone.now() - timedelta(hours=1))
    found = access.project.jobs.filter(recent).order_by("-created")
    # Whatever waits or runs is shown, however much came after it.
    open_ones = Q(state__in=[Job.State.QUEUED, Job.State.RUNNING])
    return [*found.filter(open_ones)[:MOST_OPEN], *found.exclude(open_ones)[:MOST_ENDED]]


@router.get("/jobs/{job_id}", response={200: JobView, 404: ErrorBody}, operation_id="get_job")
def get_job(request: HttpRequest, job_id: uuid.UUID) -> Job:
    """One job."""
    return _enter(request, job_id, Role.GUEST)


@router.post("/jobs/{job_id}/cancel", response=ANSWERS, operation_id="cancel_job")
def cancel_job(request: HttpRequest, job_id: uuid.UUID) -> Job:
    """Ask a job to stop."""
    job = _enter(request, job_id, Role.ARTIST)
    control.cancel(job)
    job.refresh_from_db()
    return job


@router.post("/jobs/{job_id}/retry", response=ANSWERS, operation_id="retry_job")
def retry_job(request: HttpRequest, job_id: uuid.UUID) -> Job:
    """Try a failed or cancelled job again."""
    job = _enter(request, job_id, Role.ARTIST)
    control.retry(job)
    job.refresh_from_db()
    return job


def _enter(request: HttpRequest, job_id: uuid.UUID, least: Role) -> Job:
    job = Job.objects.filter(pk=job_id).select_related("project").first()
    if job is None:
        raise not_found("The job")
    enter(request, job.project, least)
    return job
