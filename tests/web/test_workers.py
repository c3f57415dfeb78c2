"""Workers that are killed, and databases that hang up: each job is taken up once, and none is stuck."""

from __future__ import annotations

import io
import os
import signal
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from datetime import timedelta
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from django.db import connection, connections
from django.utils import timezone
from PIL import Image
from procrastinate.contrib.django.models import ProcrastinateJob

from tests.web.conftest import Caller, zip_of
from texelweb.jobs import control
from texelweb.jobs.leases import Lease, Lost
from texelweb.jobs.models import Job
from texelweb.jobs.tasks import Reporter, run_job
from texelweb.projects.models import Project
from texelweb.sets.models import SourceFile

STALLED, PATIENCE = 4, 90
FILES, EDGE = 60, 512


@pytest.fixture
def job(project: Project, users: dict[str, Any]) -> Job:
    return control.enqueue(project, Job.Kind.BUILD, "A build", "1", users["artist"])


def runs_for_nobody(job: Job, **values: Any) -> None:
    """What a kill leaves behind."""
    Job.objects.filter(pk=job.pk).update(state=Job.State.RUNNING, attempt=1, beat=timezone.now() - timedelta(hours=1), **values)


def test_a_job_that_nobody_beats_for_is_taken_up_and_one_that_is_beaten_for_is_not(job: Job) -> None:
    Job.objects.filter(pk=job.pk).update(state=Job.State.RUNNING, beat=timezone.now())
    assert control.recover() == 0
    runs_for_nobody(job)
    assert control.recover() == 1
    job.refresh_from_db()
    assert job.state == Job.State.QUEUED and control.recover() == 0


def test_a_stuck_job_is_cancelled_and_tried_again_at_once(job: Job) -> None:
    runs_for_nobody(job)
    control.cancel(job)
    job.refresh_from_db()
    assert job.state == Job.State.CANCELLED
    runs_for_nobody(job)
    control.retry(job)
    job.refresh_from_db()
    assert job.state == Job.State.QUEUED


def test_a_stuck_job_is_never_what_a_new_request_is_answered_with(artist: Caller, body: Callable[..., bytes]) -> None:
    artist.send("weir", {"oak/oak_albedo.png": body()})
    where = f"/sets/{SourceFile.objects.get().set_id}/builds"
    first = artist.ask("POST", where, {"target": "orbit-desktop"})["id"]
    assert artist.ask("POST", where, {"target": "orbit-desktop"})["id"] == first
    runs_for_nobody(Job.objects.get(pk=first))
    assert artist.ask("POST", where, {"target": "orbit-desktop"})["id"] != first


def test_a_job_that_waits_without_an_entry_in_the_queue_gets_one(job: Job) -> None:
    with connection.cursor() as cursor:
        cursor.execute("DELETE FROM procrastinate_jobs WHERE args ->> 'job_id' = %s", [str(job.pk)])
    assert control.recover() == 0, "a worker may just be about to begin"
    Job.objects.filter(pk=job.pk).update(queued=timezone.now() - timedelta(minutes=1))
    assert control.recover() == 1 and ProcrastinateJob.objects.filter(args__job_id=str(job.pk), status="todo").count() == 1


def test_who_was_given_up_changes_nothing_any_more(job: Job) -> None:
    """A worker that was only slow finds that its job is another's."""
    lease = Lease(job.pk)
    Job.objects.filter(pk=job.pk).update(state=Job.State.RUNNING, lease=Lease(job.pk).key)
    with pytest.raises(Lost):
        Reporter(job, lease).hold()
    lease.lost = True
    with pytest.raises(Lost):
        Reporter(job, lease).progress(0.5, "late")


class Workers:
    """Two workers on the test's database, started again when they end, as `./start` does."""

    def __init__(self, environment: dict[str, str], folder: Path) -> None:
        self._environment, self._folder = environment, folder
        self.running = {name: self._start(name) for name in ("one", "two")}

    def _start(self, name: str) -> subprocess.Popen[bytes]:
        with (self._folder / f"{name}.log").open("ab") as log:
            command = [sys.executable, "-m", "texelweb", "work", "--concurrency", "1"]
            return subprocess.Popen(command, env=self._environment, stdout=log, stderr=log)

    def kill(self, name: str) -> None:
        os.kill(self.running[name].pid, signal.SIGKILL)
        self.running[name].wait()

    def until(self, holds: Callable[[], bool]) -> None:
        """Look after the workers until something holds."""
        deadline = time.monotonic() + PATIENCE
        while not holds():
            assert time.monotonic() < deadline, list(Job.objects.values("state", "attempt", "beat", "doing", "problem"))
            for name, child in self.running.items():
                if child.poll() is not None:
                    self.running[name] = self._start(name)
            time.sleep(0.05)


@pytest.fixture
def workers(transactional_db: None, settings: Any, tmp_path: Path) -> Iterator[Workers]:
    database = connections["default"].settings_dict
    environment = os.environ | {
        "DJANGO_SETTINGS_MODULE": "texelweb.settings",
        "FAIRTEXEL_DATA": str(settings.DATA),
        "FAIRTEXEL_JOB_STALLED_SECONDS": str(STALLED),
        **{f"FAIRTEXEL_DB_{key}": str(database[key]) for key in ("NAME", "USER", "PASSWORD", "HOST", "PORT")},
    }
    both = Workers(environment, tmp_path)
    yield both
    for child in both.running.values():
        child.kill()
        child.wait()


def many(seed: int) -> bytes:
    rng = np.random.default_rng(seed)
    entries = {}
    for number in range(FILES):
        file = io.BytesIO()
        Image.fromarray(rng.integers(0, 256, (EDGE, EDGE, 3), np.uint8)).save(file, "PNG", compress_level=0)
        entries[f"planks_{seed}/Plank {number:03d} Albedo.png"] = file.getvalue()
    return zip_of(entries)


@pytest.mark.django_db(transaction=True)
def test_a_killed_workers_job_and_one_whose_connections_were_cut_go_on(artist: Caller, workers: Workers) -> None:
    def sort(seed: int) -> Job:
        arrival = artist.ask("POST", "/projects/weir/arrivals")["id"]
        artist.client.post(f"/api/arrivals/{arrival}/files", {"path": "many.zip", "file": io.BytesIO(many(seed))})
        return Job.objects.get(pk=artist.ask("POST", f"/arrivals/{arrival}/sort")["job"]["id"])

    def is_half_done(job: Job) -> bool:
        return Job.objects.filter(pk=job.pk, state=Job.State.RUNNING, progress__gt=0.1).exists()

    def is_done(job: Job) -> bool:
        return Job.objects.filter(pk=job.pk, state=Job.State.DONE).exists()

    first = sort(1)
    workers.until(lambda: is_half_done(first))
    # Which of the two has it is not known, and does not matter.
    workers.kill("one")
    workers.until(lambda: is_done(first))
    assert SourceFile.objects.count() == FILES
    second = sort(2)
    workers.until(lambda: is_half_done(second))
    with connection.cursor() as cursor:
        others = "FROM pg_stat_activity WHERE datname = current_database() AND pid <> pg_backend_pid()"
        cursor.execute(f"SELECT pg_terminate_backend(pid) {others}")
    workers.until(lambda: is_done(second))
    assert SourceFile.objects.count() == 2 * FILES
    mine = [str(first.pk), str(second.pk)]
    workers.until(lambda: not ProcrastinateJob.objects.filter(args__job_id__in=mine).exists())


@pytest.mark.django_db(transaction=True)
def test_a_slow_worker_beats_and_keeps_its_job(
    project: Project, users: dict[str, Any], settings: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    settings.JOB_STALLED_SECONDS = 0.5
    job = control.enqueue(project, Job.Kind.BUILD, "A build", "1", users["artist"])
    from texelweb.builds import run as building

    def work(job: Job, reporter: Reporter) -> None:
        deadline = time.monotonic() + 1.5
        while time.monotonic() < deadline:
            assert control.recover() == 0
            time.sleep(0.1)

    monkeypatch.setattr(building, "run", work)
    run_job(job_id=str(job.pk))
    job.refresh_from_db()
    assert job.state == Job.State.DONE and job.attempt == 1
