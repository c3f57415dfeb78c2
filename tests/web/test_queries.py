"""The number of queries does not grow with what a project holds: pages with one set and with many ask alike."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import pytest
from django.db import connection
from django.test.utils import CaptureQueriesContext

from tests.web.conftest import Caller, run_queued
from texelweb.board import overview
from texelweb.builds import planning
from texelweb.deliveries.models import DeliveredSet, Delivery
from texelweb.jobs import control
from texelweb.jobs.models import Job
from texelweb.library.pins import newest_version
from texelweb.masters.models import SetVariant
from texelweb.projects.models import Project
from texelweb.sets.changing import renames
from texelweb.sets.models import TextureSet

pytestmark = pytest.mark.usefixtures("leads_the_studio")

# What another version of a target would do is asked of all sets.
UPGRADE = "targets/orbit-desktop/upgrade?version=2"
PAGES = (
    "board",
    "questions",
    "renames",
    "maps",
    "open-files",
    "variants",
    "deliveries",
    "arrivals",
    "jobs",
    "rules",
    "endings",
    UPGRADE,
)


def grown(artist: Caller, body: Callable[..., bytes], names: tuple[str, ...]) -> None:
    """More sets, each dressed, delivered and with a job."""
    paths = [f"{name}/{name}_{word}.png" for name in names for word in ("albedo", "rough", "mystery")]
    artist.send("weir", {path: body(seed=seed_of(path)) for path in paths})
    project = Project.objects.get(slug="weir")
    for name in names:
        made = TextureSet.objects.get(name=name)
        artist.ask("POST", f"/sets/{made.pk}/variants", {"master": "solid-surface"})
        control.enqueue(project, Job.Kind.BUILD, "A build", "1", None)
        delivery = Delivery.objects.create(project=project, version=newest_version("orbit-desktop"))
        DeliveredSet.objects.create(delivery=delivery, set=made, made_from="x")


def seed_of(text: str) -> int:
    return sum(ord(sign) * 31**place for place, sign in enumerate(text)) % 2**31


def test_a_page_of_many_sets_asks_no_more_than_a_page_of_one(artist: Caller, body: Callable[..., bytes]) -> None:
    def queries(page: str) -> int:
        for kept in (planning._judged, overview._kept, renames._plans):
            kept.clear()
        with CaptureQueriesContext(connection) as captured:
            answer: Any = artist.get(f"/projects/weir/{page}")
        assert answer is not None
        return len(captured)

    grown(artist, body, ("oak",))
    one = {page: min(queries(page), queries(page)) for page in PAGES}
    grown(artist, body, ("elm", "ash", "yew", "box"))
    assert SetVariant.objects.count() == 5
    assert {page: count for page in PAGES if (count := queries(page)) > one[page]} == {}


def test_maps_come_in_pages_and_are_found_by_words(artist: Caller, body: Callable[..., bytes]) -> None:
    grown(artist, body, ("oak", "elm", "ash"))
    first = artist.get("/projects/weir/maps?limit=2")
    assert (first["total"], len(first["lines"])) == (9, 2)
    rest = artist.get("/projects/weir/maps?limit=500&offset=2")["lines"]
    paths = [line["path"] for line in first["lines"] + rest]
    assert paths == sorted(paths) and len(set(paths)) == 9
    found = {"oak": 3, "oak rough": 1, "16 rough": 3, "u8 ASH": 3, "512": 0, "nothing": 0}
    assert {words: artist.get(f"/projects/weir/maps?q={words}")["total"] for words in found} == found
    assert artist("GET", "/projects/weir/maps?limit=501").status_code == 422


def test_the_board_is_sent_anew_only_when_something_changed_and_judges_only_that(
    artist: Caller, lead: Caller, body: Callable[..., bytes], monkeypatch: pytest.MonkeyPatch
) -> None:
    grown(artist, body, ("oak", "elm", "ash"))
    judged: list[list[str]] = []
    whole = overview.states_of
    monkeypatch.setattr(
        overview, "states_of", lambda project, sets: judged.append([entry.name for entry, _ in sets]) or whole(project, sets)
    )

    def look(tag: str = "") -> Any:
        return artist.client.get("/api/projects/weir/board", headers={"If-None-Match": tag} if tag else {})

    first = look()
    again = look(first["ETag"])
    assert again.status_code == 304 and again.content == b"" and len(judged) == 1

    oak = TextureSet.objects.get(name="oak")
    variant = SetVariant.objects.get(set=oak)
    # Whatever a set's line depends on, a change of it is seen at once, and only that set is judged.
    for what in (
        lambda: artist.ask("DELETE", f"/sets/{oak.pk}/rows/roughness"),
        lambda: artist.ask("POST", "/projects/weir/undo"),
        lambda: artist.ask("PATCH", f"/variants/{variant.pk}", {"values": {"tiling": 2}}),
        lambda: artist.send("weir", {"oak/oak_rough.png": body(seed=77)}),
        lambda: Delivery.objects.filter(sets__set=oak).update(manifest_json=None),
        lambda: artist.ask("POST", f"/sets/{oak.pk}/proofs", {"target": "orbit-desktop"}) and run_queued(),
    ):
        judged.clear()
        what()
        assert look(first["ETag"]).status_code == 200
        assert judged and {name for names in judged for name in names} == {"oak"}
    tiling = next(entry for entry in lead.get("/masters/solid-surface")["parameters"] if entry["name"] == "tiling")
    # Rules, tolerances and masters may change every line.
    for what in (
        lambda: lead.ask("PUT", "/projects/weir/tolerances", {"base": 0, "tolerances": {"normal_mean": 1}}),
        lambda: lead.publish("solid-surface", "Larger", parameters=[tiling | {"default": 2.0}]),
    ):
        judged.clear()
        what()
        look()
        assert [sorted(names) for names in judged] == [["ash", "elm", "oak"]]
    # What is kept is what would be judged from nothing.
    kept = look().json()
    overview._kept.clear()
    planning._judged.clear()
    assert look().json() == kept
