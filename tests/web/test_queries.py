"""The number of queries does not grow with what a project holds: pages with one set and with many ask alike."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import pytest
from django.db import connection
from django.test.utils import CaptureQueriesContext

from tests.web.conftest import Caller
from texelweb.board.overview import forget_overviews
from texelweb.builds.planning import forget_judged
from texelweb.deliveries.models import DeliveredSet, Delivery
from texelweb.jobs import control
from texelweb.jobs.models import Job
from texelweb.masters.models import SetVariant
from texelweb.projects.models import Project
from texelweb.sets.models import TextureSet

PAGES = ("board", "questions", "renames", "maps", "open-files", "variants", "deliveries", "arrivals", "jobs", "rules", "endings")


def grown(artist: Caller, body: Callable[..., bytes], names: tuple[str, ...]) -> None:
    """More sets, each dressed, delivered and with a job."""
    paths = [f"{name}/{name}_{word}.png" for name in names for word in ("albedo", "rough", "mystery")]
    artist.send("weir", {path: body(seed=seed_of(path)) for path in paths})
    project = Project.objects.get(slug="weir")
    for name in names:
        made = TextureSet.objects.get(name=name)
        artist.ask("POST", f"/sets/{made.pk}/variants", {"master": "solid-surface"})
        control.enqueue(project, Job.Kind.BUILD, "A build", "1", None)
        delivery = Delivery.objects.create(project=project, target="orbit-desktop")
        DeliveredSet.objects.create(delivery=delivery, set=made, made_from="x")


def seed_of(text: str) -> int:
    return sum(ord(sign) * 31**place for place, sign in enumerate(text)) % 2**31


@pytest.mark.parametrize("page", PAGES)
def test_a_page_of_many_sets_asks_no_more_than_a_page_of_one(artist: Caller, body: Callable[..., bytes], page: str) -> None:
    def queries() -> int:
        forget_judged()
        forget_overviews()
        with CaptureQueriesContext(connection) as captured:
            answer: Any = artist.get(f"/projects/weir/{page}")
        assert answer is not None
        return len(captured)

    grown(artist, body, ("oak",))
    queries()
    one = queries()
    grown(artist, body, ("elm", "ash", "yew", "box"))
    assert SetVariant.objects.count() == 5
    assert queries() <= one
