"""Bringing in without a browser, without sending twice, and back to what was."""

from __future__ import annotations

import hashlib
import io
import os
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from django.contrib.auth import get_user_model
from django.test import Client

from tests.web.conftest import Caller, run_queued, zip_of
from tests.web.test_arrivals import BAD, item, outcome
from texelcli.main import run
from texelcli.server import Server, server_of
from texelcli.watch import watch
from texelcore.pixels.errors import TexelError
from texelweb.accounts.models import AccessToken
from texelweb.jobs.models import Job
from texelweb.sets.models import Arrival, SourceFile, TextureSet

Body = Callable[..., bytes]


def sha256(body: bytes) -> str:
    return hashlib.sha256(body).hexdigest()


@pytest.fixture
def token(artist: Caller) -> str:
    return str(artist.ask("POST", "/account/tokens", {"name": "export folder", "project": "weir"})["secret"])


def test_a_token_is_shown_once_kept_hashed_and_revoked(artist: Caller, guest: Caller, token: str) -> None:
    (listed,) = artist.get("/account")["tokens"]
    kept = AccessToken.objects.get()
    assert token.startswith(listed["begins"]) and token not in str(vars(kept)) and kept.digest == sha256(token.encode())
    program = Client(enforce_csrf_checks=True, headers={"Authorization": f"Bearer {token}"})
    assert program.post("/api/projects/weir/arrivals").status_code == 200
    assert AccessToken.objects.get().used is not None
    # It opens nothing but bringing in, and no other project.
    assert program.get("/api/projects/weir/board").status_code in (401, 403)
    assert program.get("/api/account").status_code in (401, 403)
    assert program.post("/api/projects/other/arrivals").status_code == 404
    # Nobody revokes another's.
    assert guest("DELETE", f"/account/tokens/{listed['id']}").status_code == 404
    assert artist("DELETE", f"/account/tokens/{listed['id']}").status_code == 204
    assert program.post("/api/projects/weir/arrivals").status_code in (401, 403)


def test_a_token_of_somebody_who_left_opens_nothing(artist: Caller, token: str) -> None:
    get_user_model().objects.filter(username="artist").update(is_active=False)
    program = Client(headers={"Authorization": f"Bearer {token}"})
    assert program.post("/api/projects/weir/arrivals").status_code == 401


def test_what_is_known_by_hash_is_not_sent_again(artist: Caller, stranger: Caller, body: Body) -> None:
    colour, rough = body(), body(shape=(16, 16, 1), seed=2)
    artist.send("weir", {"oak_albedo.png": colour})
    hashes = [sha256(colour), sha256(rough)]
    assert artist.ask("POST", "/projects/weir/known", {"sha256": hashes}) == [sha256(colour)]
    assert stranger("POST", "/projects/weir/known", {"sha256": hashes}).status_code == 404
    arrival = artist.ask("POST", "/projects/weir/arrivals")["id"]
    refused = artist("POST", f"/arrivals/{arrival}/known-files", {"path": "b.png", "sha256": sha256(rough)})
    assert refused.status_code == 409
    artist.ask("POST", f"/arrivals/{arrival}/known-files", {"path": "elm/elm_albedo.png", "sha256": sha256(colour)})
    artist.ask("POST", f"/arrivals/{arrival}/sort")
    run_queued()
    assert outcome(artist.get(f"/arrivals/{arrival}")) == {"elm/elm_albedo.png": "accepted"}
    assert SourceFile.objects.get(path="elm/elm_albedo.png").blob_id == sha256(colour)


def test_an_upload_that_was_cut_off_goes_on(artist: Caller, guest: Caller, body: Body) -> None:
    arrival = artist.ask("POST", "/projects/weir/arrivals")["id"]
    artist.client.post(f"/api/arrivals/{arrival}/files", {"path": "oak_albedo.png", "file": io.BytesIO(body())})
    assert artist.get("/projects/weir/arrivals/open") == [], "somebody is sending it"
    artist("POST", f"/arrivals/{arrival}/leave")
    (cut,) = artist.get("/projects/weir/arrivals/open")
    assert cut["id"] == arrival and [entry["path"] for entry in cut["items"]] == ["oak_albedo.png"]
    assert guest.get("/projects/weir/arrivals/open") == []
    # The same path again replaces what came first.
    artist.client.post(f"/api/arrivals/{arrival}/files", {"path": "oak_albedo.png", "file": io.BytesIO(body(seed=5))})
    artist.ask("POST", f"/arrivals/{arrival}/sort")
    run_queued()
    assert outcome(artist.get(f"/arrivals/{arrival}")) == {"oak_albedo.png": "accepted"}
    assert artist.get("/projects/weir/arrivals/open") == []


def test_zips_in_zips_are_opened_and_a_bad_one_costs_only_itself(artist: Caller, body: Body) -> None:
    inner = zip_of({"oak_albedo.png": body(), "deeper.zip": zip_of({"oak_rough.png": body(shape=(16, 16, 1))})})
    hostile = zip_of({"../escape.png": body()})
    fourth = zip_of({"a.zip": zip_of({"b.zip": zip_of({"oak_ao.png": body()})})})
    report = artist.send("weir", {"all.zip": zip_of({"oak.zip": inner, "bad.zip": hostile, "deep.zip": fourth})})
    outcomes = outcome(report)
    assert outcomes["oak/oak_albedo.png"] == outcomes["oak/deeper/oak_rough.png"] == "accepted"
    assert outcomes["bad.zip"] == "refused" and "leads out" in item(report, "bad.zip")["problem"]
    assert [path for path in outcomes if outcomes[path] == "refused" and path.startswith("deep")]
    assert SourceFile.objects.count() == 2


def test_a_zip_bomb_of_zips_is_refused(artist: Caller) -> None:
    """Each layer alone is within the ratio; together they are not more than one may hold."""
    flat = zip_of({"a.png": bytes(40_000_000)})
    report = artist.send("weir", {"bomb.zip": zip_of({"inner.zip": flat})})
    assert outcome(report)["inner.zip"] == "refused" and "unpack to" in item(report, "inner.zip")["problem"]


@pytest.mark.parametrize("name", sorted(BAD))
def test_every_bad_input_also_through_a_zip(artist: Caller, body: Body, name: str) -> None:
    make, said = BAD[name]
    report = artist.send("weir", {"pack.zip": zip_of({name: make(body), "oak_rough.png": body(shape=(16, 16, 1))})})
    bad = [entry for entry in report["items"] if entry["outcome"] == "refused"]
    # A name that climbs out makes the whole zip hostile; any other fault costs one file.
    climbs = name.startswith("..")
    assert len(bad) == 1 and ("leads out" if climbs else said) in bad[0]["problem"] + bad[0]["way_out"]
    assert SourceFile.objects.filter(path__endswith="oak_rough.png").exists() is not climbs


def test_a_revision_is_looked_at_and_brought_back(artist: Caller, guest: Caller, body: Body) -> None:
    first, second = body(), body(seed=4)
    artist.send("weir", {"oak_albedo.png": first, "oak_rough.png": body(shape=(32, 32, 1))})
    texture_set = TextureSet.objects.get()
    artist.ask("POST", f"/sets/{texture_set.pk}/builds", {"target": "orbit-desktop"})
    run_queued()
    artist.send("weir", {"oak_albedo.png": second})
    file = SourceFile.objects.get(path="oak_albedo.png")
    assert artist.get(f"/sets/{texture_set.pk}")["build"]["current"] is False
    detail = artist.get(f"/files/{file.pk}")
    assert [(entry["number"], entry["sha256"], entry["current"]) for entry in detail["revisions"]] == [
        (2, sha256(second), True),
        (1, sha256(first), False),
    ]
    assert detail["figures"][0]["what"] == "looks like"
    old, new = (artist.client.get(f"/api/files/{file.pk}/picture?revision={number}").content for number in (1, 2))
    assert old != new and artist("GET", f"/files/{file.pk}/picture?revision=9").status_code == 404
    assert guest("POST", f"/files/{file.pk}/revisions/1/bring-back").status_code == 403
    back = artist.ask("POST", f"/files/{file.pk}/revisions/1/bring-back")
    assert [entry["number"] for entry in back["revisions"]] == [3, 2, 1] and back["facts"]["sha256"] == sha256(first)
    # The same bytes as before: the old build is current again, and nothing needs building.
    assert artist.get(f"/sets/{texture_set.pk}")["build"]["current"] is True
    assert artist("POST", f"/files/{file.pk}/revisions/3/bring-back").status_code == 409


def test_use_outside_the_terms_is_a_finding(artist: Caller, body: Body) -> None:
    artist.send("weir", {"oak_albedo.png": body()})
    texture_set = TextureSet.objects.get()
    origin = artist.get(f"/sets/{texture_set.pk}")["origin"]
    assert (origin["way"], origin["source"]) == ("dropped", "by artist")
    licence = {"name": "One engine", "projects": ["weir"], "targets": ["millrace-handheld"], "until": "2020-01-01"}
    view = artist.ask("PUT", f"/sets/{texture_set.pk}/origin", origin | {"licence": licence})
    said = [finding["message"] for finding in view["findings"] if finding["rule"] == "outside-licence"]
    assert len(said) == 2 and any("orbit-desktop" in message for message in said) and any("2020" in message for message in said)


@pytest.fixture
def served(live_server: Any, token: str, monkeypatch: pytest.MonkeyPatch) -> str:
    monkeypatch.setenv("FAIRTEXEL_TOKEN", token)
    return str(live_server.url)


def sorting_meanwhile(_: float) -> None:
    """Instead of waiting: what the worker does."""
    run_queued()


@pytest.mark.django_db(transaction=True)
def test_watching_sends_what_is_new_and_changed(
    served: str, tmp_path: Path, body: Body, capsys: pytest.CaptureFixture[str]
) -> None:
    folder = tmp_path / "export"
    (folder / "oak").mkdir(parents=True)
    (folder / "oak" / "oak_albedo.png").write_bytes(body())
    (folder / "notes.txt").write_text("not a map")
    (folder / "empty.png").write_bytes(b"")
    server = server_of(served, "weir", None)
    assert watch(folder, server, once=True, rest=sorting_meanwhile) == 1
    out = capsys.readouterr().out
    assert "accepted    oak/oak_albedo.png → oak" in out and "refused" in out and "is empty" in out
    assert TextureSet.objects.get().origin_json["way"] == "watched"
    # Going on: what is still being written waits until two looks have found it the same.
    (folder / "empty.png").unlink()
    looks = iter(range(5))

    def next_look(seconds: float) -> None:
        run_queued()
        number = next(looks, None)
        if number is None:
            raise KeyboardInterrupt
        if number == 0:
            (folder / "oak" / "oak_rough.png").write_bytes(body(shape=(16, 16, 1)))
            os.utime(folder / "oak" / "oak_rough.png", ns=(1, 1))

    with pytest.raises(KeyboardInterrupt):
        watch(folder, server, once=False, rest=next_look)
    assert SourceFile.objects.filter(path="oak/oak_rough.png").exists()
    # What came before was known by its hash and not sent again.
    assert "known       oak/oak_albedo.png" in capsys.readouterr().out


@pytest.mark.django_db(transaction=True)
def test_every_bad_input_also_through_watching(
    served: str, tmp_path: Path, body: Body, capsys: pytest.CaptureFixture[str]
) -> None:
    names = [name for name in BAD if "/" not in name and len(name) < 200 and name.isprintable()]
    folder = tmp_path / "export"
    folder.mkdir()
    for name in names:
        (folder / name).write_bytes(BAD[name][0](body))
    assert len(names) > 6 and watch(folder, server_of(served, "weir", None), once=True, rest=sorting_meanwhile) == 1
    lines = capsys.readouterr().out.splitlines()
    for name in names:
        assert any(line.startswith("  refused") and name in line and BAD[name][1] in line for line in lines), name
    assert not SourceFile.objects.exists()


@pytest.mark.django_db(transaction=True)
def test_a_file_that_is_refused_or_gone_stops_no_other(
    served: str, tmp_path: Path, body: Body, capsys: pytest.CaptureFixture[str], settings: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    folder = tmp_path / "export"
    folder.mkdir()
    (folder / "a_albedo.png").write_bytes(body())
    (folder / "large_albedo.png").write_bytes(bytes(5000))
    (folder / "z_albedo.png").write_bytes(body(seed=2))
    settings.LARGEST_UPLOAD = 4000
    server = server_of(served, "weir", None)
    put = Server.put_file

    def put_one(self: Server, arrival: str, shown: str, file: Path) -> Any:
        if shown == "z_albedo.png":
            file.unlink()
        return put(self, arrival, shown, file)

    monkeypatch.setattr(Server, "put_file", put_one)
    assert watch(folder, server, once=True, rest=sorting_meanwhile) == 1
    out = capsys.readouterr().out
    assert "refused     large_albedo.png  is larger than" in out and "gone        z_albedo.png" in out
    assert list(SourceFile.objects.values_list("path", flat=True)) == ["a_albedo.png"]
    # When nothing at all is taken, no empty arrival is left behind.
    (folder / "a_albedo.png").unlink()
    count = Arrival.objects.count()
    assert watch(folder, server, once=True, rest=sorting_meanwhile) == 1 and Arrival.objects.count() == count


@pytest.mark.django_db(transaction=True)
def test_watching_says_what_stands_in_its_way(served: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    with pytest.raises(TexelError, match="not here, or not yours"):
        watch(tmp_path, server_of(served, "other", None), once=True)
    with pytest.raises(TexelError, match="cannot be reached"):
        watch(tmp_path, server_of("http://127.0.0.1:9", "weir", None), once=True)
    monkeypatch.setenv("FAIRTEXEL_TOKEN", "fxt_wrong")
    with pytest.raises(TexelError, match="unknown or was revoked"):
        watch(tmp_path, server_of(served, "weir", None), once=True)
    monkeypatch.delenv("FAIRTEXEL_TOKEN")
    assert run(["watch", str(tmp_path), "--project", "weir", "--once"]) == 2
    with pytest.raises(TexelError, match="no server's address"):
        server_of("file:///etc", "weir", None)
    assert not Arrival.objects.exists() and not Job.objects.exists()
