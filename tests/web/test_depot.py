"""The depot over real HTTP: searched, signed in to, fetched from, and all that it can do wrong."""

from __future__ import annotations

import io
import json
import threading
import urllib.request
import zipfile
from collections.abc import Callable, Iterator
from typing import Any
from wsgiref.simple_server import WSGIRequestHandler, make_server

import pytest

from tests.core.test_sort import facts
from tests.web.conftest import Caller, run_queued
from tests.web.conftest import zip_of as zip_of_files
from tests.web.test_arrivals import BAD
from texelcore.sorting.sort import sort_files
from texeldepot import server as depot_server
from texeldepot.catalogue import LICENCES, OFFERS
from texeldepot.export import damaged, zip_of
from texeldepot.server import Depot
from texelweb.depot import client
from texelweb.sets.models import ArrivalItem, SourceFile, TextureSet

KEY = "a-test-key"


class Quiet(WSGIRequestHandler):
    def log_message(self, *_: object) -> None:
        """Tests read assertions, not access logs."""


@pytest.fixture
def depot(settings: Any, monkeypatch: pytest.MonkeyPatch) -> Iterator[Depot]:
    """A depot on a port of its own. Materials are made small: what is tested is how they travel."""
    monkeypatch.setattr("texeldepot.export.EDGES", {"512": 64, "1K": 128, "2K": 128})
    depot_server._zip.cache_clear()
    app = Depot(KEY)
    with make_server("127.0.0.1", 0, app, handler_class=Quiet) as http:
        thread = threading.Thread(target=http.serve_forever, kwargs={"poll_interval": 0.01})
        thread.start()
        settings.DEPOT_URL = f"http://127.0.0.1:{http.server_port}"
        yield app
        http.shutdown()
        thread.join()


@pytest.fixture
def keyed(artist: Caller, depot: Depot) -> Caller:
    assert artist("PUT", "/account/depot-key", {"key": KEY}).status_code == 204
    return artist


def order(caller: Caller, material: str, size: str = "512", file_format: str = "png") -> Any:
    body = {"material": material, "size": size, "file_format": file_format}
    job = caller.ask("POST", "/projects/weir/depot/orders", body)
    run_queued()
    return caller.get(f"/jobs/{job['id']}")


def test_it_is_searched_by_words_and_category_and_shows_pictures(guest: Caller, depot: Depot) -> None:
    everything = guest.get("/projects/weir/depot")
    assert len(everything["found"]["materials"]) == len(OFFERS) and not everything["signed_in"]
    found = guest.get("/projects/weir/depot?q=grey&category=roofs")["found"]
    assert [entry["id"] for entry in found["materials"]] == ["slate-roof"] and "metal" in found["categories"]
    picture = guest("GET", "/projects/weir/depot/slate-roof/preview")
    assert picture.content.startswith(b"\x89PNG")
    for hostile in ("..", "a%2F..%2F..%2Fetc", "SLATE", "x" * 99):
        assert guest("GET", f"/projects/weir/depot/{hostile}/preview").status_code in (404, 409)


def test_a_key_is_tried_before_it_is_kept(artist: Caller, depot: Depot) -> None:
    refused = artist("PUT", "/account/depot-key", {"key": "wrong"})
    assert refused.status_code == 409 and "opens nothing" in refused.json()["problem"]
    asked = {"material": "slate-roof", "size": "1K", "file_format": "png"}
    assert artist("POST", "/projects/weir/depot/orders", asked).status_code == 409
    assert artist("PUT", "/account/depot-key", {"key": KEY}).status_code == 204
    assert artist.get("/account")["depot_key"] and KEY not in json.dumps(artist.get("/account"))
    artist("DELETE", "/account/depot-key")
    assert not artist.get("/account")["depot_key"]


@pytest.mark.parametrize("offer", OFFERS, ids=lambda offer: offer.id)
def test_every_naming_style_is_sorted_whole(offer: Any) -> None:
    with zipfile.ZipFile(io.BytesIO(zip_of(offer, LICENCES[offer.licence], "512", "png"))) as archive:
        names = [name for name in archive.namelist() if name.endswith(".png")]
    sorting = sort_files(facts(f"{offer.id}/{name}") for name in names)
    (ledger,) = sorting.ledgers
    assert not sorting.open
    assert {"base_colour", "normal", "roughness", "occlusion", "height"} <= {row.property for row in ledger.rows}
    assert len(ledger.left_out) == 1


@pytest.mark.parametrize("file_format", ["png", "jpeg", "exr"])
def test_what_is_fetched_becomes_a_set_with_its_terms(keyed: Caller, file_format: str) -> None:
    job = order(keyed, "slate-roof", "512", file_format)
    assert job["state"] == "done", job
    texture_set = TextureSet.objects.get()
    view = keyed.get(f"/sets/{texture_set.pk}")
    assert view["name"] == "SlateRoof01"
    assert view["origin"]["way"] == "depot" and view["origin"]["licence"]["targets"] == ["orbit-desktop"]
    lines = {line["property"]: line["row"] for line in view["lines"] if line["row"]}
    assert lines["normal"]["normal_y"] == "+Y"
    questions = [entry["question"]["kind"] for entry in keyed.get("/projects/weir/questions")["open"]]
    assert "both directions" in questions


def test_terms_are_held_against_the_use(keyed: Caller) -> None:
    order(keyed, "rusted-plate")
    view = keyed.get(f"/sets/{TextureSet.objects.get().pk}")
    assert any(
        finding["rule"] == "outside-licence" and "ended on 2025-12-21" in finding["message"] for finding in view["findings"]
    )
    assert next(line["row"] for line in view["lines"] if line["property"] == "roughness")["inverted"]


def test_a_damaged_file_costs_that_file_and_is_said(keyed: Caller, depot: Depot) -> None:
    depot.fault = "damage"
    assert order(keyed, "ochre-plaster")["state"] == "done"
    (bad,) = ArrivalItem.objects.filter(outcome="refused")
    assert "rough" in bad.path and "damaged or cut short" in bad.problem and bad.way_out
    assert SourceFile.objects.count() == 6


@pytest.mark.parametrize("name", sorted(BAD))
def test_every_bad_input_also_through_the_depot(
    keyed: Caller, body: Callable[..., bytes], monkeypatch: pytest.MonkeyPatch, name: str
) -> None:
    make, said = BAD[name]
    served = zip_of_files({name: make(body), "roof_rough.png": body(shape=(16, 16, 1))})
    monkeypatch.setattr(depot_server, "_zip", lambda *_: served)
    assert order(keyed, "slate-roof")["state"] == "done"
    (bad,) = ArrivalItem.objects.filter(outcome="refused")
    # A name that climbs out makes the whole zip hostile; any other fault costs one file.
    climbs = name.startswith("..")
    assert ("leads out" if climbs else said) in f"{bad.problem} {bad.way_out}"
    assert SourceFile.objects.filter(path__endswith="roof_rough.png").exists() is not climbs


def test_what_is_no_zip_at_all_is_refused_and_said(keyed: Caller, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(depot_server, "_zip", lambda *_: b"<h1>Out of office</h1>")
    assert order(keyed, "slate-roof")["state"] == "done"
    (bad,) = ArrivalItem.objects.all()
    assert bad.outcome == "refused" and bad.way_out and not SourceFile.objects.exists()


def test_a_connection_that_breaks_off_goes_on_where_it_was(keyed: Caller, depot: Depot, monkeypatch: pytest.MonkeyPatch) -> None:
    """It breaks off at half of what is left, each time: the first half comes, then a quarter, and so on."""
    monkeypatch.setattr(depot_server, "CHUNK", 256)
    depot.fault = "break"
    job = order(keyed, "river-gravel")
    assert job["state"] == "failed" and "broke off 4 times" in job["problem"] and not SourceFile.objects.exists()
    fetched = client._fetch
    attempts = []

    def mended(*arguments: Any) -> int:
        attempts.append(arguments[3])
        if len(attempts) == 2:
            depot.fault = "none"
        return fetched(*arguments)

    monkeypatch.setattr(client, "_fetch", mended)
    keyed.ask("POST", f"/jobs/{job['id']}/retry")
    run_queued()
    assert keyed.get(f"/jobs/{job['id']}")["state"] == "done"
    assert attempts[0] == 0 < attempts[1] and TextureSet.objects.count() == 1


def test_a_slow_depot_is_waited_for_and_can_be_cancelled(keyed: Caller, depot: Depot, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(depot_server, "SLOW_SECONDS", 0.001)
    depot.fault = "slow"
    assert order(keyed, "felted-wool")["state"] == "done"


def test_a_depot_that_is_gone_is_said_to_be(artist: Caller, settings: Any) -> None:
    settings.DEPOT_URL = "http://127.0.0.1:9"
    answer = artist("GET", "/projects/weir/depot")
    assert answer.status_code == 409 and "cannot be reached" in answer.json()["problem"]


def test_nonsense_from_the_depot_is_refused(artist: Caller, depot: Depot, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(depot_server, "_line", lambda offer: {"id": "../../etc", "title": ""})
    answer = artist("GET", "/projects/weir/depot")
    assert answer.status_code == 409 and "no list of materials" in answer.json()["problem"]
    monkeypatch.setattr(depot_server, "_preview", lambda offer: b"<svg onload=alert(1)>")
    assert artist("GET", "/projects/weir/depot/slate-roof/preview").status_code == 409


def test_faults_are_set_with_the_key_alone(depot: Depot, settings: Any) -> None:
    def put(key: str, fault: str) -> int:
        request = urllib.request.Request(
            f"{settings.DEPOT_URL}/v1/fault",
            json.dumps({"fault": fault}).encode(),
            {"Authorization": f"Bearer {key}"},
            method="PUT",
        )
        try:
            return int(urllib.request.urlopen(request).status)
        except urllib.error.HTTPError as error:
            return error.code

    assert put("wrong", "slow") == 401 and put(KEY, "nonsense") == 400 and depot.fault == "none"
    assert put(KEY, "slow") == 200 and depot.fault == "slow"


def test_a_damaged_zip_is_still_a_zip() -> None:
    body = zip_of(OFFERS[0], LICENCES["open-hand"], "512", "jpeg")
    with zipfile.ZipFile(io.BytesIO(damaged(body))) as archive:
        assert archive.testzip() is None
