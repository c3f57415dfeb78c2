"""The one task of the queue: run a job by id."""

from __future__ import annotations

import errno
import logging
import time
from collections.abc import Callable
from importlib import import_module

from django.db import DatabaseError, InterfaceError, OperationalError, close_old_connections, connection
from django.db.models import F
from django.db.models.functions import Now
from django.utils import timezone
from procrastinate.contrib.django import app

from texelcore.pixels.errors import Cancelled, TexelError
from texelweb.jobs.leases import Lease, Lost
from texelweb.jobs.models import Job
from texelweb.storage.blobs import keeping

log = logging.getLogger(__name__)
SECONDS_BETWEEN_REPORTS = 0.2
_TELL = "UPDATE jobs_job SET progress = %s, doing = %s WHERE id = %s RETURNING cancel_asked"

# The work of each kind: a module's function that takes the job and a Reporter. Named, so that jobs import no other app.
WORK = {
    Job.Kind.SORT: "texelweb.sets.arrivals.arrive:run",
    Job.Kind.BUILD: "texelweb.builds.run:run",
    Job.Kind.PROVE: "texelweb.builds.prove:run",
    Job.Kind.DELIVER: "texelweb.deliveries.run:run",
    Job.Kind.RECEIVE: "texelweb.deliveries.run:receive_again",
    Job.Kind.FETCH: "texelweb.depot.fetch:run",
    Job.Kind.BAKE: "texelweb.masters.baking:run",
    Job.Kind.WRITE: "texelweb.masters.materialx:run",
    Job.Kind.FLATTEN: "texelweb.masters.flattening:run",
    Job.Kind.BULK: "texelweb.bulk.run:run",
}


class Reporter:
    """What work tells while it runs. It looks at the job at most five times a second, and whenever a phase begins.

    Inside a transaction of the work nobody would see what it tells before the end, so it tells over a connection of its own.
    """

    def __init__(self, job: Job, lease: Lease | None = None) -> None:
        self._id = job.id
        self._lease = lease
        self._looked = 0.0
        self._share = 0.0
        self._stop = False
        self._began_inside = connection.in_atomic_block

    def progress(self, share: float, doing: str) -> None:
        """Say how far the work is (0–1) and what it is doing. Raises Cancelled when somebody asked to stop, and Lost when
        another worker has taken the job up."""
        if time.monotonic() - self._looked >= SECONDS_BETWEEN_REPORTS:
            self.phase(share, doing)
        elif self._stop:
            raise Cancelled

    def phase(self, share: float, doing: str) -> None:
        """The same, said at once: a new phase has begun. The share never goes back."""
        self._looked = time.monotonic()
        if self._lease and self._lease.lost:
            raise Lost
        self._share = share = max(self._share, share)
        inside = connection.in_atomic_block and not self._began_inside
        self._stop = self._tell_beside(share, doing) if inside else self._tell(share, doing)
        if self._stop:
            raise Cancelled

    def hold(self) -> None:
        """Make sure that the job is this worker's still, until the transaction ends: called last in it, since nobody can beat
        for the job from then on. Raises Lost when it is not."""
        if self._lease and not Job.objects.select_for_update(no_key=True).filter(self._lease.mine()).exists():
            raise Lost

    def _tell(self, share: float, doing: str) -> bool:
        mine = Job.objects.filter(id=self._id)
        mine.update(progress=share, doing=doing[:300])
        return mine.values_list("cancel_asked", flat=True).get()

    def _tell_beside(self, share: float, doing: str) -> bool:
        beside = connection.copy()
        try:
            with beside.cursor() as cursor:
                # The work's own transaction must never be waited for.
                cursor.execute("SET lock_timeout = '1s'")
                cursor.execute(_TELL, [share, doing[:300], self._id])
                row = cursor.fetchone()
            return bool(row and row[0])
        except DatabaseError:
            log.warning("job %s could not tell how far it is", self._id, exc_info=True)
            return False
        finally:
            beside.close()


@app.task(name="run_job", queue="texel")
def run_job(job_id: str) -> None:
    """Run a queued job to its end and record how it ended. A job that is not queued any more is left alone.

    Where the database is lost on the way the job is left as it is: nobody beats for it any more, and any worker takes it up.
    """
    _refresh_connections()
    lease = Lease(job_id)
    taken = Job.objects.filter(id=job_id, state=Job.State.QUEUED).update(
        state=Job.State.RUNNING, started=timezone.now(), beat=Now(), lease=lease.key, attempt=F("attempt") + 1
    )
    if not taken:
        return
    job = Job.objects.get(id=job_id)
    with lease:
        try:
            with keeping():
                _run(job, lease)
        except (OperationalError, InterfaceError):
            log.exception("job %s lost the database; it will be taken up again", job_id)
            if connection.in_atomic_block:
                raise
            connection.close()
        except Lost:
            log.warning("job %s was taken up by another worker", job_id)
    _refresh_connections()


def _run(job: Job, lease: Lease) -> None:
    try:
        _work_of(job)(job, Reporter(job, lease))
        _end(lease, Job.State.DONE, progress=1.0)
    except Cancelled:
        _end(lease, Job.State.CANCELLED)
    except TexelError as error:
        _end(lease, Job.State.FAILED, problem=error.sentence, way_out=error.way_out)
    except (OperationalError, InterfaceError, Lost):
        raise
    except Exception as error:
        log.exception("job %s failed", job.id)
        _end(lease, Job.State.FAILED, **_reason(error, str(job.id)))


def _reason(error: Exception, job_id: str) -> dict[str, str]:
    """A fault in words for whoever waits for the job; what it was is for the log alone."""
    if isinstance(error, OSError) and error.errno in (errno.ENOSPC, errno.EDQUOT):
        return {"problem": "The server's disk is full.", "way_out": "Free some space on it, then try again."}
    way_out = f"Try again; if it fails again, give job {job_id[:8]} to your administrator."
    return {"problem": "Internal error; the server's log has the details.", "way_out": way_out}


def _refresh_connections() -> None:
    """A worker lives long: connections that went bad are closed between jobs, but never a caller's own transaction."""
    if not connection.in_atomic_block:
        close_old_connections()


def _work_of(job: Job) -> Callable[[Job, Reporter], None]:
    module, _, function = WORK[Job.Kind(job.kind)].partition(":")
    work: Callable[[Job, Reporter], None] = getattr(import_module(module), function)
    return work


def _end(lease: Lease, state: Job.State, **values: object) -> None:
    Job.objects.filter(lease.mine()).update(state=state, ended=timezone.now(), doing="", lease=None, **values)
