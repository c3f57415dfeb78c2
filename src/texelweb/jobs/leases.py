"""Who a running job belongs to: whoever beats for it. A worker that was killed beats no more, and another takes the job up."""

from __future__ import annotations

import logging
import uuid
from datetime import timedelta
from threading import Event, Thread
from types import TracebackType

from django.conf import settings
from django.db import DatabaseError, connection
from django.db.models import Q
from django.db.models.functions import Now

from texelweb.jobs.models import Job

log = logging.getLogger(__name__)
# Beats within the time after which a worker is given up: a few may be late. The database's clock counts, on every machine.
BEATS = 5


class Lost(Exception):
    """Another worker has taken the job up, since this one was not heard of: nothing that this one does counts any more."""


def is_stalled() -> Q:
    """Running jobs for which nobody beats."""
    return Q(state=Job.State.RUNNING) & (Q(beat__isnull=True) | Q(beat__lt=Now() - _patience()))


def is_alive() -> Q:
    """Jobs that wait, or run and are beaten for."""
    return Q(state=Job.State.QUEUED) | (Q(state=Job.State.RUNNING) & Q(beat__gte=Now() - _patience()))


def _patience() -> timedelta:
    return timedelta(seconds=settings.JOB_STALLED_SECONDS)


class Lease:
    """Beats for a job while it runs, over a connection of its own. Use as a context manager."""

    def __init__(self, job_id: uuid.UUID | str) -> None:
        self.key = uuid.uuid4()
        self.lost = False
        self._job_id = job_id
        self._over = Event()
        # Inside a caller's transaction nobody else sees the job, and nobody could take it up.
        self._thread = None if connection.in_atomic_block else Thread(target=self._run, name="heartbeat", daemon=True)

    def __enter__(self) -> Lease:
        if self._thread:
            self._thread.start()
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None) -> None:
        self._over.set()
        if self._thread:
            self._thread.join()

    def mine(self) -> Q:
        """The job, as long as it is this lease's."""
        return Q(id=self._job_id, lease=self.key)

    def _run(self) -> None:
        try:
            while not self._over.wait(settings.JOB_STALLED_SECONDS / BEATS):
                try:
                    if not Job.objects.filter(self.mine()).update(beat=Now()):
                        self.lost = True
                        return
                except DatabaseError:
                    # Cut off: tried again with a new connection. Whoever is not heard of for long enough has lost the job.
                    log.warning("job %s could not be beaten for", self._job_id, exc_info=True)
                    connection.close()
        finally:
            connection.close()
