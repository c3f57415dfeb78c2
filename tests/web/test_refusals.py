"""Whatever is asked, the answer is JSON in three parts: nothing ends as a page of HTML, and nothing as a fault of the server."""

from __future__ import annotations

import errno
import gzip
import json
from typing import Any

import pytest
from django.db import OperationalError
from django.test import Client

from tests.web.conftest import Caller
from texelweb.api.projects import projects
from texelweb.jobs import control
from texelweb.jobs.models import Job
from texelweb.projects.models import Project
from texelweb.sets.models import TextureSet

NUL, HALF = "\u0000", "\ud800"


def three_parts(answer: Any) -> dict[str, Any]:
    assert answer["Content-Type"] == "application/json", answer.content[:200]
    body: dict[str, Any] = answer.json()
    assert body["subject"] and body["problem"] and body["way_out"]
    return body


@pytest.mark.parametrize("text", [NUL, HALF, "oak" + NUL, HALF + "oak"], ids=ascii)
@pytest.mark.parametrize(
    "where",
    [
        ("POST", "/session", "name"),
        ("POST", "/session", "password"),
        ("POST", "/projects/weir/sets", "name"),
        ("POST", "/account/tokens", "name"),
        ("POST", "/projects/weir/depot/orders", "materials"),
    ],
    ids=lambda where: where[1],
)
def test_text_that_no_database_holds_is_refused(artist: Caller, where: tuple[str, str, str], text: str) -> None:
    method, path, field = where
    body = {"name": "oak", "password": "x"} | {field: [text] if field == "materials" else text}
    answer = artist(method, path, body)
    assert answer.status_code == 422
    three_parts(answer)


def test_a_stranger_without_a_session_is_answered_in_three_parts_too(project: Any) -> None:
    client = Client(raise_request_exception=False)
    for body in ('{"name": "a\\u0000", "password": "b"}', '{"name": 1e999}', "[[[", '{"a": NaN}', "{" * 5000, '"\\ud800"'):
        answer = client.post("/api/session", body, content_type="application/json")
        assert answer.status_code == 422, body[:30]
        three_parts(answer)
    assert client.post("/api/session", {"name": "x" * 300_000}, content_type="application/json").status_code == 422
    three_parts(client.get("/api/nothing/here"))
    three_parts(client.get("/api/projects/weir%0Aboard/board"))
    three_parts(client.get("/api/projects/%00/board"))
    assert client.get("/api/projects/weir%0A/board").status_code == 422


def test_long_names_and_large_numbers_are_refused_by_name(artist: Caller) -> None:
    for body in ({"name": "x" * 300_000}, {"name": ["x"]}, {"name": {"a": 1}}):
        assert three_parts(artist("POST", "/projects/weir/sets", body))["subject"] == "name"
    raw = artist.client.generic("POST", "/api/projects/weir/sets", '{"name": 1e999}', content_type="application/json")
    assert raw.status_code == 422 and "1e999" in raw.json()["subject"]
    assert artist("GET", "/sets/99999999999999999999999").status_code == 404
    assert artist("GET", f"/projects/{'x' * 5000}/board").status_code == 404
    assert artist("GET", "/projects/weir/depot?q=%00").status_code == 422


FAULTS: dict[str, tuple[Exception, int, str]] = {
    "unforeseen": (ZeroDivisionError("secret detail"), 500, "met an internal error"),
    "full": (OSError(errno.ENOSPC, "No space left on device"), 507, "is full"),
    "quota": (OSError(errno.EDQUOT, "Disk quota exceeded"), 507, "is full"),
}


@pytest.mark.parametrize("name", FAULTS)
def test_what_nobody_foresaw_has_a_number_and_tells_nothing_else(
    artist: Caller, name: str, monkeypatch: pytest.MonkeyPatch, caplog: pytest.LogCaptureFixture
) -> None:
    error, status, words = FAULTS[name]

    def fail(*_: Any, **__: Any) -> Any:
        raise error

    monkeypatch.setattr(projects, "make_set", fail)
    answer = artist("POST", "/projects/weir/sets", {"name": "oak"})
    body = three_parts(answer)
    assert answer.status_code == status and words in body["problem"] and "secret" not in str(body)
    if status == 500:
        assert body["reference"] in body["problem"] and body["reference"] in caplog.text and "secret detail" in caplog.text


def test_transactions_that_cannot_both_be_are_asked_to_try_again(artist: Caller, monkeypatch: pytest.MonkeyPatch) -> None:
    class Deadlock(Exception):
        sqlstate = "40P01"

    def fail(*_: Any, **__: Any) -> Any:
        raise OperationalError from Deadlock()

    monkeypatch.setattr(projects, "make_set", fail)
    answer = artist("POST", "/projects/weir/sets", {"name": "oak"})
    assert answer.status_code == 409 and "same moment" in three_parts(answer)["problem"]
    assert not TextureSet.objects.exists()


def test_who_watches_over_the_server_sees_whether_it_is_well(db: None, monkeypatch: pytest.MonkeyPatch) -> None:
    client = Client()
    assert client.get("/healthz").json() == {"alive": True}
    assert client.get("/readyz").json() == {"database": True, "storage": True, "queue": True}
    from texelweb import health

    monkeypatch.setattr(health, "_storage", lambda: 1 / 0)
    answer = client.get("/readyz")
    assert answer.status_code == 503 and answer.json()["storage"] is False and answer.json()["database"] is True


def test_signing_in_makes_a_new_session_whatever_there_was(users: Any) -> None:
    client = Client()
    keys = []
    for _ in range(2):
        body = {"name": "artist", "password": "artist-password"}
        assert client.post("/api/session", body, content_type="application/json").status_code == 200
        keys.append(client.session.session_key)
    assert keys[0] != keys[1]
    assert not client.session.exists(keys[0])


def test_a_password_is_not_the_users_name(artist: Caller) -> None:
    answer = artist("PUT", "/account/password", {"old": "artist-password", "new": "artist12"})
    assert answer.status_code == 409 and "similar" in answer.json()["problem"]


def test_the_description_of_the_api_needs_a_session(artist: Caller) -> None:
    assert three_parts(Client().get("/api/openapi.json"))["subject"] == "You"
    assert artist.get("/openapi.json")["info"]["title"] == "Fair Texel"


def test_text_is_sent_compressed_and_pictures_are_not(artist: Caller, body: Any) -> None:
    artist.send("weir", {f"oak_{word}.png": body(seed=seed) for seed, word in enumerate(("albedo", "rough", "height"))})
    page = artist.client.get("/api/projects/weir/board", headers={"Accept-Encoding": "gzip"})
    assert page["Content-Encoding"] == "gzip" and json.loads(gzip.decompress(page.content))["sets"]
    assert "Content-Encoding" not in artist.client.get("/api/projects/weir/board")
    file = artist.get("/projects/weir/maps")["lines"][0]["id"]
    picture = artist.client.get(f"/api/files/{file}/picture", headers={"Accept-Encoding": "gzip"})
    assert "Content-Encoding" not in picture and picture.content.startswith(b"\x89PNG")


def test_an_open_job_is_listed_however_many_came_after_it(artist: Caller, users: dict[str, Any]) -> None:
    project = Project.objects.get(slug="weir")
    first = control.enqueue(project, Job.Kind.BUILD, "The first", "1", users["artist"])
    for number in range(30):
        later = control.enqueue(project, Job.Kind.BUILD, f"Later {number}", "1", users["artist"])
        control.cancel(later)
    listed = artist.get("/projects/weir/jobs")
    assert listed[0]["id"] == str(first.id) and len(listed) == 21
