"""Asking for jobs, stopping them, trying again, and picking up what a killed worker left."""

from __future__ import annotations

from typing import Any

from django.db import transaction
from django.utils import timezone

from texelcore.pixels.errors import TexelError
from texelweb.jobs.models import Job
from texelweb.projects.models import Project

MOST_ATTEMPTS = 3


def enqueue(project: Project, kind: Job.Kind, title: str, subject: str, user: Any) -> Job:
    """Make a job and queue it in the same transaction as the data that it works on."""
    from texelweb.jobs.tasks import run_job

    with transaction.atomic():
        job = Job.objects.create(project=project, kind=kind, title=title, subject=subject, created_by=user)
        run_job.defer(job_id=str(job.id))
    return job


def cancel(job: Job) -> None:
    """Stop a job: at once when it waits, at its next step when it runs. Ended jobs stay as they are."""
    stopped = Job.objects.filter(id=job.id, state=Job.State.QUEUED).update(
        state=Job.State.CANCELLED, ended=timezone.now(), cancel_asked=True
    )
    if not stopped:
        Job.objects.filter(id=job.id, state=Job.State.RUNNING).update(cancel_asked=True)


def retry(job: Job) -> None:
    """Queue a failed or cancelled job again. Raises TexelError for one that is still open or has succeeded."""
    from texelweb.jobs.tasks import run_job

    with transaction.atomic():
        again = Job.objects.filter(id=job.id, state__in=[Job.State.FAILED, Job.State.CANCELLED]).update(
            state=Job.State.QUEUED, progress=0.0, doing="", problem="", way_out="", cancel_asked=False, attempt=0, ended=None
        )
        if not again:
            raise TexelError(job.title, "has not failed and was not cancelled.", "Start a new one instead.")
        run_job.defer(job_id=str(job.id))


def recover() -> int:
    """Queue again what was running when the last worker died; give up on what died three times. Gives their number.

    To be called while no worker runs.
    """
    from texelweb.jobs.tasks import run_job

    recovered = 0
    for job in Job.objects.filter(state=Job.State.RUNNING):
        with transaction.atomic():
            if job.attempt >= MOST_ATTEMPTS:
                job.state, job.ended = Job.State.FAILED, timezone.now()
                job.problem = f"was cut off {job.attempt} times."
                job.way_out = "Look for a file that is too large, then try again."
            else:
                job.state, job.doing = Job.State.QUEUED, "waiting after a restart"
                run_job.defer(job_id=str(job.id))
            job.save()
        recovered += 1
    return recovered
