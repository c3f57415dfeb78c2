"""Who may: tokens that open one thing for a time, passwords that are guessed, addresses behind proxies."""

from __future__ import annotations

import io
import json
from datetime import timedelta
from typing import Any

import pytest
from django.test import Client, RequestFactory
from django.utils import timezone

from tests.web.conftest import Caller
from texelweb.accounts import events
from texelweb.accounts.addresses import client_address
from texelweb.accounts.models import AccessToken
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


def test_what_matters_for_security_is_written_down_and_no_secret_is(
    artist: Caller, guest: Caller, users: dict[str, Any], caplog: pytest.LogCaptureFixture, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(events.log, "handlers", [caplog.handler])
    client = Client()
    for password in ("wrong-one", "lead-password"):
        client.post("/api/session", {"name": "lead", "password": password}, content_type="application/json")
    client.delete("/api/session")
    secret = artist.ask("POST", "/account/tokens", {"name": "export", "project": "weir"})
    Client(headers={"Authorization": "Bearer fxt_nothing"}).post("/api/projects/weir/arrivals")
    guest("POST", "/projects/weir/sets", {"name": "oak"})
    artist("DELETE", f"/account/tokens/{secret['token']['id']}")
    lines = [json.loads(record.message) for record in caplog.records if record.name == events.log.name]
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
