"""What an open page asks again and again: what has changed, and who is still sending."""

from __future__ import annotations

from collections.abc import Callable
from datetime import timedelta
from typing import Any

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.utils import timezone

from tests.web.conftest import Caller, run_queued
from texelweb.board import pulse
from texelweb.sets.models import Arrival, TextureSet

Body = Callable[..., bytes]


def beat(caller: Caller, query: str = "") -> dict[str, str]:
    pulse._kept.clear()
    return caller.get(f"/projects/weir/pulse{query}")


def moved(before: dict[str, str], after: dict[str, str]) -> set[str]:
    return {kind for kind in before if before[kind] != after[kind]}


def test_a_pulse_says_of_what_kind_the_change_is_and_whose(artist: Caller, lead: Caller, body: Body) -> None:
    artist.send("weir", {f"{name}/{name}_albedo.png": body(seed=seed) for seed, name in enumerate(("oak", "elm"))})
    oak, elm = (TextureSet.objects.get(name=name).pk for name in ("oak", "elm"))
    variant = artist.ask("POST", f"/sets/{oak}/variants", {"master": "solid-surface"})["id"]
    pages = ("", f"?set={oak}", f"?set={elm}", f"?variant={variant}")

    def all_pages() -> list[dict[str, str]]:
        return [beat(artist, page) for page in pages]

    before = all_pages()
    assert all_pages() == before, "nothing changes by looking"
    lead.ask("PATCH", f"/variants/{variant}", {"values": {"tiling": 2}})
    after = all_pages()
    seen = [moved(*pair) for pair in zip(before, after, strict=True)]
    assert {"variants", "board", "steps"} <= seen[0] and not {"questions", "jobs", "rules", "arrivals"} & seen[0]
    assert "set" in seen[1] and "set" not in seen[2] and "variant" in seen[3]
    artist.ask("POST", f"/sets/{oak}/proofs", {"target": "orbit-desktop"})
    waits = all_pages()
    assert "jobs" in moved(after[0], waits[0]) and "set" in moved(after[1], waits[1])
    run_queued()
    proved = all_pages()
    assert "set" in moved(waits[1], proved[1]) and "variant" in moved(waits[3], proved[3])
    # A re-export is seen by the set's page and the variant's.
    artist.send("weir", {"oak/oak_albedo.png": body(seed=77)})
    again = all_pages()
    assert (
        "set" in moved(proved[1], again[1])
        and "set" not in moved(proved[2], again[2])
        and "variant" in moved(proved[3], again[3])
    )
    rules = lead.get("/projects/weir/rules")
    lead.ask("PUT", "/projects/weir/rules", {"base": rules["version"], "rules": rules["rules"] | {"longest": 40}})
    assert {"rules", "board"} <= moved(again[0], beat(artist)) and "set" in moved(again[2], beat(artist, f"?set={elm}"))


def test_looking_on_is_no_use_of_a_session(artist: Caller, project: Any) -> None:
    artist.get("/projects/weir/board")
    session = artist.client.session
    session["seen"] -= 3600
    session.save()
    artist.get("/projects/weir/pulse")
    assert artist.client.session["seen"] == session["seen"]
    artist.get("/projects/weir/board")
    assert artist.client.session["seen"] > session["seen"]


@pytest.fixture
def sending(artist: Caller, body: Body) -> str:
    """An upload that a page has begun: one file of three has come."""
    arrival = artist.ask("POST", "/projects/weir/arrivals?page=first&files=3")["id"]
    form = {"path": "oak_albedo.png", "file": SimpleUploadedFile("upload", body())}
    assert artist.client.post(f"/api/arrivals/{arrival}/files", form).status_code == 200
    return str(arrival)


def cut_off() -> None:
    Arrival.objects.update(beat=timezone.now() - timedelta(minutes=1))


def test_an_upload_belongs_to_its_page_for_as_long_as_that_is_heard_of(artist: Caller, sending: str) -> None:
    assert artist.get("/projects/weir/arrivals/open") == []
    for method, path in (("DELETE", ""), ("POST", "/sort"), ("POST", "/beat"), ("POST", "/leave")):
        refused = artist(method, f"/arrivals/{sending}{path}?page=second")
        assert refused.status_code == 409 and "another page" in refused.json()["problem"]
    cut_off()
    (shown,) = artist.get("/projects/weir/arrivals/open")
    assert shown["announced"] == 3 and len(shown["items"]) == 1
    # Whoever resumes it has it; the first page, should it wake, is told.
    assert artist("POST", f"/arrivals/{sending}/beat?page=second").status_code == 204
    assert artist("POST", f"/arrivals/{sending}/beat?page=first").status_code == 409
    assert artist.get("/projects/weir/arrivals/open") == []
    # A page that says that it leaves gives it up at once.
    assert artist("POST", f"/arrivals/{sending}/leave?page=second").status_code == 204
    assert artist("DELETE", f"/arrivals/{sending}?page=first").status_code == 204


def test_what_was_cut_off_before_any_file_was_whole_is_told_of(artist: Caller, project: Any) -> None:
    artist.ask("POST", "/projects/weir/arrivals?page=first&files=300")
    artist.ask("POST", "/projects/weir/arrivals?page=idle&files=0")
    cut_off()
    (shown,) = artist.get("/projects/weir/arrivals/open")
    assert shown["announced"] == 300 and shown["items"] == []
