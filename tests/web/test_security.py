"""Who may: tokens that open one thing for a time, passwords that are guessed, addresses behind proxies."""

from __future__ import annotations

import io
import json
from collections.abc import Callable
from datetime import timedelta
from typing import Any

import pytest
from django.http import HttpResponse
from django.test import Client, RequestFactory
from django.utils import timezone

from tests.web.conftest import Caller
from texelweb.accounts import events
from texelweb.accounts.addresses import client_address
from texelweb.accounts.models import AccessToken, DepotKey, Sitting
from texelweb.accounts.sessions import OwnSession
from texelweb.projects.models import Membership, Project, Role


def program(artist: Caller, **asked: Any) -> Client:
    secret = artist.ask("POST", "/account/tokens", {"name": "export folder", "project": "weir"} | asked)["secret"]
    return Client(headers={"Authorization": f"Bearer {secret}"})


def test_a_token_opens_one_project_for_a_time_and_may_only_read_if_so_made(artist: Caller, users: dict[str, Any]) -> None:
    other = Project.objects.create(slug="quay", code="qu", title="Quay", target="orbit-desktop")
    Membership.objects.create(project=other, user=users["artist"], role=Role.ARTIST)
    writer, reader = program(artist), program(artist, writes=False)
    assert artist("POST", "/account/tokens", {"name": "x", "project": "nowhere"}).status_code == 404
    arrival = writer.post("/api/projects/weir/arrivals").json()["id"]
    assert writer.post("/api/projects/quay/arrivals").status_code == 404
    assert reader.get(f"/api/arrivals/{arrival}").status_code == 200
    refused = reader.post(f"/api/arrivals/{arrival}/files", {"path": "a.png", "file": io.BytesIO(b"x")})
    assert refused.status_code == 403 and "may only read" in refused.json()["problem"]
    assert all(entry["expires"] and not entry["over"] for entry in artist.get("/account")["tokens"])
    AccessToken.objects.update(expires=timezone.now() - timedelta(days=1))
    late = writer.post("/api/projects/weir/arrivals")
    assert late.status_code == 401 and "was good until" in late.json()["problem"]
    assert all(entry["over"] for entry in artist.get("/account")["tokens"])
    assert program(artist, days=None).post("/api/projects/weir/arrivals").status_code == 200


def test_tokens_end_with_the_password(artist: Caller) -> None:
    writer = program(artist)
    changed = artist("PUT", "/account/password", {"old": "artist-password", "new": "heron-over-weir"})
    assert changed.status_code == 204
    assert writer.post("/api/projects/weir/arrivals").status_code == 401


def test_wrong_old_passwords_are_limited(artist: Caller) -> None:
    def tried() -> int:
        return int(artist("PUT", "/account/password", {"old": "wrong", "new": "heron-over-weir"}).status_code)

    assert [tried() for _ in range(8)].count(429) >= 2
    # The right one is not asked about any more either, until the door opens again.
    assert artist("PUT", "/account/password", {"old": "artist-password", "new": "heron-over-weir"}).status_code == 429


def test_one_address_is_stopped_whatever_names_it_tries(users: dict[str, Any], settings: Any) -> None:
    settings.MOST_FAILURES_OF_AN_ADDRESS = 5
    client = Client()

    def signs_in(name: str, password: str, address: str = "10.0.0.1") -> int:
        body = {"name": name, "password": password}
        return int(client.post("/api/session", body, content_type="application/json", REMOTE_ADDR=address).status_code)

    assert [signs_in(f"nobody{number}", "guess") for number in range(5)] == [401] * 5
    assert signs_in("artist", "artist-password") == 429
    assert signs_in("artist", "artist-password", "10.0.0.2") == 200


@pytest.mark.parametrize(
    ("proxies", "header", "address"),
    [
        (0, "1.1.1.1", "9.9.9.9"),
        (1, "1.1.1.1", "1.1.1.1"),
        (1, "6.6.6.6, 1.1.1.1", "1.1.1.1"),
        (2, "6.6.6.6, 1.1.1.1, 8.8.8.8", "1.1.1.1"),
    ],
)
def test_behind_proxies_the_address_is_the_one_that_ours_noted(settings: Any, proxies: int, header: str, address: str) -> None:
    settings.PROXIES = proxies
    request = RequestFactory().get("/", REMOTE_ADDR="9.9.9.9", headers={"X-Forwarded-For": header})
    assert client_address(request) == address


@pytest.fixture
def log(caplog: pytest.LogCaptureFixture, monkeypatch: pytest.MonkeyPatch) -> Callable[[], list[dict[str, Any]]]:
    """What the log of security events holds so far."""
    monkeypatch.setattr(events.log, "handlers", [caplog.handler])
    return lambda: [json.loads(record.message) for record in caplog.records if record.name == events.log.name]


def test_what_matters_for_security_is_written_down_and_no_secret_is(
    artist: Caller, guest: Caller, users: dict[str, Any], log: Callable[[], list[dict[str, Any]]]
) -> None:
    client = Client()
    for password in ("wrong-one", "lead-password"):
        client.post("/api/session", {"name": "lead", "password": password}, content_type="application/json")
    client.delete("/api/session")
    secret = artist.ask("POST", "/account/tokens", {"name": "export", "project": "weir"})
    Client(headers={"Authorization": "Bearer fxt_nothing"}).post("/api/projects/weir/arrivals")
    guest("POST", "/projects/weir/sets", {"name": "oak"})
    artist("DELETE", f"/account/tokens/{secret['token']['id']}")
    lines = log()
    assert [(line["event"], line["user"]) for line in lines] == [
        ("sign-in refused", None),
        ("signed in", "lead"),
        ("signed out", "lead"),
        ("token made", "artist"),
        ("token refused", None),
        ("role refused", "guest"),
        ("token revoked", "artist"),
    ]
    said = json.dumps(lines)
    assert all(line["address"] == "127.0.0.1" and line["at"] for line in lines)
    assert not any(word in said for word in ("wrong-one", "lead-password", "fxt_nothing", secret["secret"]))


def test_a_session_that_nobody_uses_ends_and_all_of_a_user_end_at_once(
    artist: Caller, users: dict[str, Any], settings: Any, log: Callable[[], list[dict[str, Any]]]
) -> None:
    elsewhere, guest = Caller(users["artist"]), Caller(users["guest"])
    assert artist.get("/account")["sessions"] == elsewhere.get("/account")["sessions"] == 2
    settings.SESSION_IDLE_SECONDS = -1
    assert elsewhere("GET", "/account").status_code == 401
    settings.SESSION_IDLE_SECONDS = 3600
    assert artist.get("/account")["sessions"] == 1
    # What the row and the cookie say is what the limit says: nobody counts sessions that are over.
    ends = Sitting.objects.get(user=users["artist"]).expire_date - timezone.now()
    assert timedelta(hours=11) < ends <= timedelta(hours=12)

    elsewhere = Caller(users["artist"])
    assert artist("DELETE", "/account/sessions").status_code == 204
    assert [caller("GET", "/account").status_code for caller in (artist, elsewhere, guest)] == [401, 401, 200]
    assert [(line["event"], line["user"]) for line in log()] == [("session over", "artist"), ("signed out everywhere", "artist")]


def test_what_was_asked_before_somebody_signed_in_again_takes_no_cookie_away(users: dict[str, Any]) -> None:
    """A page asks by itself: its answer may come after another tab of the browser has a session of its own."""
    client, name = Client(), "sessionid"

    def sign_in(who: str) -> str:
        body = {"name": who, "password": f"{who}-password"}
        assert client.post("/api/session", body, content_type="application/json").status_code == 200
        return str(client.cookies[name].value)

    before = sign_in("lead")
    after = sign_in("artist")
    late = Client()
    late.cookies[name] = before
    answer = late.get("/api/projects")
    assert answer.status_code == 401 and name not in answer.cookies
    client.cookies[name] = after
    assert client.get("/api/projects").status_code == 200

    # One that was under way meanwhile, and has noted something in the session, is answered all the same.
    def ends_elsewhere(request: Any) -> HttpResponse:
        request.session["seen"] = 1
        Sitting.objects.all().delete()
        return HttpResponse("answered")

    request = RequestFactory().get("/api/projects")
    request.COOKIES[name] = after
    assert OwnSession(ends_elsewhere)(request).content == b"answered"

    # Who signs out has no cookie any more.
    sign_in("lead")
    assert client.delete("/api/session").cookies[name].value == ""


def test_a_key_to_the_depot_lies_encrypted_and_outlives_a_new_secret_key(users: dict[str, Any], settings: Any) -> None:
    DepotKey.keep(users["artist"], "marsh-marigold")
    assert "marsh" not in DepotKey.objects.get().concealed
    settings.SECRET_KEY, settings.SECRET_KEY_FALLBACKS = "another", [settings.SECRET_KEY]
    assert DepotKey.of(users["artist"]) == "marsh-marigold"
    settings.SECRET_KEY_FALLBACKS = []
    assert DepotKey.of(users["artist"]) is None
