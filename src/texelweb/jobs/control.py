"""Asking for jobs, stopping them, trying again, and picking up what a killed worker left."""

from __future__ import annotations

import uuid
from typing import Any

from django.conf import settings
from django.db import connection, transaction
from django.db.models import Q
from django.db.models.functions import Now
from django.utils import timezone

from texelcore.pixels.errors import TexelError
from texelweb.jobs.leases import is_stalled
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
    """Stop a job: at once when it waits or nobody beats for it, at its next step when it runs. Ended jobs stay as they are."""
    stopped = Job.objects.filter(Q(state=Job.State.QUEUED) | is_stalled(), id=job.id).update(
        state=Job.State.CANCELLED, ended=timezone.now(), cancel_asked=True, lease=None
    )
    if not stopped:
        Job.objects.filter(id=job.id, state=Job.State.RUNNING).update(cancel_asked=True)


def retry(job: Job) -> None:
    """Queue a failed or cancelled job again, or one for which nobody beats. Raises TexelError for one that is still open or has
    succeeded."""
    ended = Q(state__in=[Job.State.FAILED, Job.State.CANCELLED])
    with transaction.atomic():
        again = Job.objects.filter(ended | is_stalled(), id=job.id).update(
            progress=0.0, problem="", way_out="", cancel_asked=False, attempt=0, ended=None
        )
        if not again:
            raise TexelError(job.title, "has not failed and was not cancelled.", "Start a new one instead.")
        _queue(job.id, "")


def _queue(job_id: uuid.UUID, doing: str) -> None:
    from texelweb.jobs.tasks import run_job

    Job.objects.filter(id=job_id).update(state=Job.State.QUEUED, doing=doing, lease=None, beat=None, queued=Now())
    run_job.defer(job_id=str(job_id))


def recover() -> int:
    """Take up what nobody works on any more: running jobs that nobody beats for, and waiting ones that no worker will be given.
    What died three times is given up. Gives the number of jobs. Any number of workers may ask at once: each job is taken up once.
    """
    with transaction.atomic():
        stalled = list(Job.objects.select_for_update(skip_locked=True, no_key=True).filter(is_stalled()))
        for job in stalled:
            if job.cancel_asked:
                _end(job, Job.State.CANCELLED)
            elif job.attempt >= MOST_ATTEMPTS:
                way_out = "Look for a file that is too large, then try again."
                _end(job, Job.State.FAILED, problem=f"was cut off {job.attempt} times.", way_out=way_out)
            else:
                _queue(job.id, "waiting for another worker")
    with transaction.atomic():
        forgotten = _forgotten()
        for job_id in forgotten:
            _queue(job_id, "")
    return len(stalled) + len(forgotten)


def _end(job: Job, state: Job.State, **values: str) -> None:
    Job.objects.filter(id=job.id).update(state=state, ended=timezone.now(), doing="", lease=None, **values)


def _forgotten() -> list[uuid.UUID]:
    """Waiting jobs without an entry in the queue: a worker took the entry and was killed before it began. They are held."""
    command = """
        SELECT job.id FROM jobs_job job
        WHERE job.state = 'queued' AND job.queued < now() - make_interval(secs => %s) AND NOT EXISTS (
            SELECT 1 FROM procrastinate_jobs entry WHERE entry.status = 'todo' AND entry.args ->> 'job_id' = job.id::text)
        FOR NO KEY UPDATE OF job SKIP LOCKED"""
    with connection.cursor() as cursor:
        cursor.execute(command, [settings.JOB_STALLED_SECONDS])
        return [row[0] for row in cursor.fetchall()]


def clear_queue() -> int:
    """Remove entries of the queue that nobody needs: ended ones, and those that a worker never closed though their job ended some
    time ago. Gives their number."""
    command = """
        DELETE FROM procrastinate_jobs entry
        WHERE entry.status IN ('succeeded', 'failed', 'cancelled', 'aborted')
        OR (entry.status = 'doing' AND EXISTS (
            SELECT 1 FROM jobs_job job WHERE job.id::text = entry.args ->> 'job_id'
            AND job.state IN ('done', 'failed', 'cancelled') AND job.ended < now() - make_interval(secs => %s)))"""
    with connection.cursor() as cursor:
        cursor.execute(command, [settings.JOB_STALLED_SECONDS])
        return int(cursor.rowcount)
