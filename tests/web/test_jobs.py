"""Jobs: what goes wrong is told, what is cancelled stops, what a transaction takes back was never queued."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import closing
from typing import Any

import pytest
from django.db import connection, transaction
from procrastinate.contrib.django.models import ProcrastinateJob

from tests.web.conftest import Caller, run_queued
from texelcore.pixels.errors import Cancelled, TexelError
from texelweb.builds import run as building
from texelweb.jobs import control, tasks
from texelweb.jobs.models import Job
from texelweb.jobs.tasks import Reporter, run_job
from texelweb.projects.models import Project
from texelweb.sets.models import TextureSet


@pytest.fixture
def job(project: Project, users: dict[str, Any]) -> Job:
    return control.enqueue(project, Job.Kind.BUILD, "A build", "1", users["artist"])


def works(monkeypatch: pytest.MonkeyPatch, work: Callable[[Job, Reporter], None]) -> None:
    monkeypatch.setattr(building, "run", work)


def test_a_job_and_its_queue_entry_are_made_together_or_not_at_all(project: Project, users: dict[str, Any]) -> None:
    class Changed(Exception):
        pass

    # Tests that run a real server leave entries in the queue, which is not flushed with the application's own tables.
    before = ProcrastinateJob.objects.count()
    with pytest.raises(Changed), transaction.atomic():
        control.enqueue(project, Job.Kind.SORT, "Never", "1", users["artist"])
        assert ProcrastinateJob.objects.count() == before + 1
        raise Changed
    assert Job.objects.count() == 0 and ProcrastinateJob.objects.count() == before


def test_a_failure_says_what_and_the_way_out_and_can_be_tried_again(
    job: Job, artist: Caller, monkeypatch: pytest.MonkeyPatch
) -> None:
    def fails(job: Job, reporter: Reporter) -> None:
        raise TexelError("oak.png", "has gone.", "Bring it back.")

    works(monkeypatch, fails)
    run_queued()
    seen = artist.get(f"/jobs/{job.pk}")
    assert (seen["state"], seen["problem"], seen["way_out"]) == ("failed", "oak.png has gone.", "Bring it back.")
    works(monkeypatch, lambda job, reporter: None)
    assert artist.ask("POST", f"/jobs/{job.pk}/retry")["problem"] == ""
    run_queued()
    assert artist.get(f"/jobs/{job.pk}")["state"] == "done"


def test_a_fault_of_ours_ends_the_job_without_telling_secrets(job: Job, artist: Caller, monkeypatch: pytest.MonkeyPatch) -> None:
    def breaks(job: Job, reporter: Reporter) -> None:
        raise RuntimeError("password=hunter2")

    works(monkeypatch, breaks)
    run_queued()
    seen = artist.get(f"/jobs/{job.pk}")
    assert seen["state"] == "failed" and "hunter2" not in str(seen) and "log" in seen["problem"]


def test_a_job_that_is_queued_twice_runs_once(job: Job, monkeypatch: pytest.MonkeyPatch) -> None:
    ran: list[str] = []
    works(monkeypatch, lambda job, reporter: ran.append(job.title))
    run_job(job_id=str(job.pk))
    run_job(job_id=str(job.pk))
    assert ran == ["A build"]


def test_progress_is_written_and_a_running_job_stops_when_asked(
    job: Job, artist: Caller, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(tasks, "SECONDS_BETWEEN_REPORTS", 0)
    seen: list[Any] = []

    def work(job: Job, reporter: Reporter) -> None:
        reporter.progress(0.25, "first")
        seen.append(artist.get(f"/jobs/{job.pk}"))
        assert artist.ask("POST", f"/jobs/{job.pk}/cancel")["cancel_asked"]
        with pytest.raises(Cancelled):
            reporter.progress(0.5, "second")
        reporter.progress(0.75, "never")

    works(monkeypatch, work)
    run_queued()
    assert (seen[0]["state"], seen[0]["progress"], seen[0]["doing"]) == ("running", 0.25, "first")
    assert artist.get(f"/jobs/{job.pk}")["state"] == "cancelled"


def test_reports_between_looks_do_not_reach_the_database(job: Job, django_assert_num_queries: Any) -> None:
    reporter = Reporter(job)
    reporter.progress(0.1, "a")
    with django_assert_num_queries(0):
        for _ in range(1000):
            reporter.progress(0.2, "b")


@pytest.mark.django_db(transaction=True)
def test_work_in_a_transaction_is_seen_and_can_be_stopped_and_then_leaves_nothing(
    project: Project, users: dict[str, Any], monkeypatch: pytest.MonkeyPatch
) -> None:
    job = control.enqueue(project, Job.Kind.BUILD, "A build", "1", users["artist"])
    seen: list[tuple[float, str]] = []

    def elsewhere(command: str) -> list[Any]:
        beside = connection.copy()
        with closing(beside), beside.cursor() as cursor:
            cursor.execute(command, [job.pk])
            return cursor.fetchall()

    def work(job: Job, reporter: Reporter) -> None:
        with transaction.atomic():
            Project.objects.filter(pk=project.pk).update(title="Half")
            reporter.phase(0.5, "half")
            seen.extend(elsewhere("SELECT progress, doing FROM jobs_job WHERE id = %s"))
            elsewhere("UPDATE jobs_job SET cancel_asked = true WHERE id = %s RETURNING id")
            reporter.phase(0.6, "never")

    works(monkeypatch, work)
    run_job(job_id=str(job.pk))
    job.refresh_from_db()
    assert seen == [(0.5, "half")] and job.state == "cancelled"
    assert Project.objects.get(pk=project.pk).title == project.title


def test_the_list_shows_open_and_recent_jobs(job: Job, artist: Caller, guest: Caller) -> None:
    assert [entry["title"] for entry in guest.get("/projects/weir/jobs")] == ["A build"]
    control.cancel(job)
    assert guest.get("/projects/weir/jobs")[0]["state"] == "cancelled"
    Job.objects.update(ended="2020-01-01T00:00:00Z")
    assert guest.get("/projects/weir/jobs") == []


def test_the_board_says_what_keeps_each_set_from_delivery(artist: Caller, body: Callable[..., bytes]) -> None:
    artist.send(
        "weir",
        {
            "oak_albedo.png": body(),
            "oak_rough.png": body(shape=(16, 16, 1)),
            "elm_albedo.png": body(seed=2),
            "elm_normal.png": body(seed=3),
            "ash_roughness.png": body(shape=(16, 16, 1), seed=4),
            "who knows.png": body(seed=5),
        },
    )
    board = artist.get("/projects/weir/board")
    begun = ("sorted", "converted", "packed", "built")
    states = {entry["name"]: {key: entry["cells"][key]["state"] for key in begun} for entry in board["sets"]}
    later = {entry["cells"][key]["state"] for entry in board["sets"] for key in ("proved", "dressed", "delivered")}
    assert later == {"none"}
    assert states["oak"] == {"sorted": "holds", "converted": "holds", "packed": "holds", "built": "none"}
    assert states["elm"] == {"sorted": "look", "converted": "holds", "packed": "holds", "built": "none"}
    # What cannot be sorted is not judged any further.
    assert states["ash"] == {"sorted": "wrong", "converted": "none", "packed": "none", "built": "none"}
    assert board["findings"][0]["set_name"] == "ash" and board["findings"][0]["finding"]["severity"] == "error"
    assert board["project"]["open_files"] == 1
    oak = TextureSet.objects.get(code="oak")
    artist.ask("POST", f"/sets/{oak.pk}/builds", {"target": "orbit-desktop"})
    run_queued()
    (cell,) = (entry["cells"]["built"] for entry in artist.get("/projects/weir/board")["sets"] if entry["name"] == "oak")
    assert cell["state"] == "holds" and "2 outputs" in cell["first"]
