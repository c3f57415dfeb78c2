"""Arrivals: what comes is sorted; what is bad is named, with the way out, and leaves everything else as it was."""

from __future__ import annotations

import io
import struct
import zipfile
import zlib
from collections.abc import Callable
from typing import Any

import pytest
from django.core.files.storage import default_storage

from tests.web.conftest import Caller, run_queued, zip_of
from texelweb.jobs import control
from texelweb.jobs.models import Job
from texelweb.jobs.tasks import Reporter
from texelweb.sets.arrivals import arrive
from texelweb.sets.models import Arrival, ArrivalItem, SourceFile, TextureSet

Body = Callable[..., bytes]


def outcome(report: Any) -> dict[str, str]:
    return {item["path"]: item["outcome"] for item in report["items"]}


def item(report: Any, path: str) -> Any:
    return next(entry for entry in report["items"] if entry["path"] == path)


def test_a_folder_becomes_a_set_and_what_says_nothing_stays_open(artist: Caller, body: Body) -> None:
    report = artist.send(
        "weir",
        {"oak/oak_albedo.png": body(), "oak/oak_ORM.tga": body("b.tga", seed=2), "oak/scan.png": body(seed=3)},
    )
    assert report["state"] == "done" and report["job"]["state"] == "done"
    assert set(outcome(report).values()) == {"accepted"}
    (texture_set,) = artist.get("/projects/weir/board")["sets"]
    lines = {line["property"]: line["file"] for line in artist.get(f"/sets/{texture_set['id']}")["lines"]}
    assert lines["base_colour"]["name"] == "oak_albedo.png" and lines["metallic"]["name"] == "oak_ORM.tga"
    (left,) = artist.get("/projects/weir/open-files")
    assert left["name"] == "scan.png" and "lies beside oak" in left["why_open"]
    # Nothing waits in storage once it has been sorted.
    assert default_storage.listdir("staged")[1] == []


def test_every_phase_of_a_sort_is_told_and_progress_goes_forward(
    artist: Caller, body: Body, monkeypatch: pytest.MonkeyPatch
) -> None:
    told: list[tuple[float, str]] = []
    monkeypatch.setattr(Reporter, "phase", lambda self, share, doing: told.append((share, doing)))
    artist.send("weir", {"oak/oak_albedo.png": body(), "oak/oak_normal.png": body(seed=2)})
    assert [doing for _, doing in told][-4:] == ["taking in 2 files", "sorting into sets", "writing sets", "asking what is open"]
    assert [share for share, _ in told] == sorted(share for share, _ in told)


def huge_png(body: Body) -> bytes:
    head = struct.pack(">IIBBBBB", 60000, 60000, 8, 6, 0, 0, 0)
    return body()[:8] + struct.pack(">I", 13) + b"IHDR" + head + struct.pack(">I", zlib.crc32(b"IHDR" + head)) + body()[33:]


def locked_zip(body: Body) -> bytes:
    data = bytearray(zip_of({"oak_rough.png": body()}))
    for mark, offset in ((b"PK\x03\x04", 6), (b"PK\x01\x02", 8)):
        data[data.index(mark) + offset] |= 1
    return bytes(data)


BAD: dict[str, tuple[Callable[[Body], bytes], str]] = {
    "empty.png": (lambda body: b"", "is empty"),
    "words.png": (lambda body: b"these are words", "not a picture"),
    "cut.png": (lambda body: body(shape=(64, 64, 3))[:5000], "damaged or cut short"),
    "cut.tga": (lambda body: body("c.tga", shape=(64, 64, 3))[:5000], "damaged or cut short"),
    "cut.exr": (lambda body: body("c.exr", shape=(64, 64, 3), dtype="float32")[:9000], "damaged or cut short"),
    "huge.png": (huge_png, "60000 × 60000"),
    "x" * 300 + ".png": (lambda body: body(), "304 characters"),
    "../climb_albedo.png": (lambda body: body(), "no plain file name"),
    "climbs.zip": (lambda body: zip_of({"../../oak_rough.png": body()}), "leads out of the zip"),
    "absolute.zip": (lambda body: zip_of({"/etc/oak_rough.png": body()}), "leads out of the zip"),
    "drive.zip": (lambda body: zip_of({"C:\\oak_rough.png": body()}), "leads out of the zip"),
    "many.zip": (lambda body: zip_of({f"{n}.png": b"" for n in range(10_000)}), "10,000 files"),
    "bomb.zip": (lambda body: zip_of({"oak_rough.png": b"\0" * 3_000_000}), "would unpack to"),
    "locked.zip": (locked_zip, "locked with a password"),
    "broken.zip": (lambda body: zip_of({"oak_rough.png": body()})[:-30], "damaged zip"),
}


@pytest.mark.parametrize("name", BAD, ids=lambda name: name[:24])
def test_one_bad_file_stops_one_file(artist: Caller, body: Body, name: str) -> None:
    artist.send("weir", {"oak_albedo.png": body()})
    before = TextureSet.objects.values().get()
    make, said = BAD[name]
    report = artist.send("weir", {name: make(body), "elm_albedo.png": body(seed=5)})
    refused = [entry for entry in report["items"] if entry["outcome"] == "refused"]
    assert len(refused) == 1 and refused[0]["path"] == name[:1024]
    assert said in refused[0]["problem"] and refused[0]["way_out"]
    assert item(report, "elm_albedo.png")["outcome"] == "accepted"
    assert TextureSet.objects.values().get(code="oak") == before
    assert set(SourceFile.objects.values_list("path", flat=True)) == {"oak_albedo.png", "elm_albedo.png"}


def test_odd_names_are_taken_and_the_person_told_what_happens_to_them(artist: Caller, body: Body) -> None:
    files = {"水車_albedo.png": body(seed=1), "two words albedo.png": body(seed=2), "CON.png": body(seed=3)}
    report = artist.send("weir", files)
    assert set(outcome(report).values()) == {"accepted"}
    assert "plain letters" in item(report, "水車_albedo.png")["problem"]
    assert "devices" in item(report, "CON.png")["problem"]
    codes = set(TextureSet.objects.values_list("code", flat=True))
    assert "two_words" in codes and all(code.isascii() for code in codes)


def test_two_files_of_one_name_are_both_kept_and_asked_about(artist: Caller, body: Body) -> None:
    """Names that differ in letter case alone would be one file on many systems; one path may also come twice."""
    files = {"oak/oak_albedo.png": body(), "oak/oak_rough.png": body(shape=(16, 16, 1))}
    artist.send("weir", files)
    report = artist.send("weir", {"oak/Oak_Albedo.png": body(seed=2)})
    assert "letter case aside" in item(report, "oak/Oak_Albedo.png")["problem"]
    assert SourceFile.objects.get(path="oak/double/Oak_Albedo.png").set == TextureSet.objects.get()
    (question,) = (
        entry["question"] for entry in artist.get("/projects/weir/questions")["open"] if entry["question"]["kind"] == "rivals"
    )
    assert "two maps of base colour" in question["text"] and question["prepared"] == "first"
    # The same two again are known, and nothing is kept a third time.
    again = artist.send("weir", {"oak/Oak_Albedo.png": body(seed=2), "OAK/oak_albedo.png": body()})
    assert set(outcome(again).values()) == {"known"} and SourceFile.objects.count() == 3
    # The second one exported again is a revision of itself, not a third file.
    renewed = artist.send("weir", {"oak/Oak_Albedo.png": body(seed=8)})
    assert set(outcome(renewed).values()) == {"replaced"} and SourceFile.objects.count() == 3
    assert SourceFile.objects.get(path="oak/double/Oak_Albedo.png").revision == 2
    twice = artist.send("weir", {"elm.zip": zip_of({"elm_albedo.png": body(seed=3), "ELM_albedo.png": body(seed=4)})})
    assert sorted(entry["outcome"] for entry in twice["items"]) == ["accepted", "accepted", "passed over"]


def test_maps_of_different_sizes_are_packed_together_and_it_is_said(artist: Caller, body: Body) -> None:
    artist.send("weir", {"oak_albedo.png": body(), "oak_rough.png": body(shape=(8, 8, 1)), "oak_ao.png": body(shape=(4, 4, 1))})
    page = artist.get(f"/sets/{TextureSet.objects.get().pk}")
    finding = next(entry for entry in page["findings"] if entry["rule"] == "brought-to-size")
    assert "oak_ao.png (4 × 4) is enlarged" in finding["message"] and finding["severity"] == "note"
    artist.ask("POST", f"/sets/{page['id']}/builds", {"target": "orbit-desktop"})
    run_queued()
    page = artist.get(f"/sets/{page['id']}")
    assert {output["key"]: output["width"] for output in page["build"]["outputs"]}["packed"] == 8


def test_a_zip_is_taken_in_with_its_folders(artist: Caller, body: Body) -> None:
    entries = {"oak/oak_albedo.png": body(), "oak/notes.txt": b"x", "__MACOSX/oak/._oak_albedo.png": b"x"}
    report = artist.send("weir", {"drop.zip": zip_of(entries)})
    # Every entry is named, also what is no picture.
    passed = dict.fromkeys(("drop.zip", "oak/notes.txt", "__MACOSX/oak/._oak_albedo.png"), "passed over")
    assert outcome(report) == passed | {"oak/oak_albedo.png": "accepted"}
    assert SourceFile.objects.get().path == "drop/oak/oak_albedo.png"


def damage(data: bytearray) -> None:
    """Turn bytes over in the middle of the first entry's data."""
    for place in range(60, 120):
        data[place] ^= 0xFF


def claim_less(data: bytearray) -> None:
    """Say in both headers that the first entry unpacks to 10 bytes."""
    for mark, offset in ((b"PK\x03\x04", 22), (b"PK\x01\x02", 24)):
        place = data.index(mark) + offset
        data[place : place + 4] = struct.pack("<I", 10)


@pytest.mark.parametrize("spoil", [damage, claim_less])
@pytest.mark.parametrize("method", [zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED])
def test_one_bad_entry_of_a_zip_stops_one_entry(
    artist: Caller, body: Body, spoil: Callable[[bytearray], None], method: int
) -> None:
    file = io.BytesIO()
    with zipfile.ZipFile(file, "w", method) as archive:
        archive.writestr("oak_rough.png", body(shape=(16, 16, 1)))
        archive.writestr("oak_albedo.png", body(seed=2))
    data = bytearray(file.getvalue())
    spoil(data)
    report = artist.send("weir", {"drop.zip": bytes(data)})
    assert outcome(report) == {"drop.zip": "passed over", "oak_rough.png": "refused", "oak_albedo.png": "accepted"}
    assert item(report, "oak_rough.png")["way_out"]
    assert report["job"]["state"] == "done"


def test_a_reexport_becomes_a_revision_and_the_ledger_keeps_its_decisions(artist: Caller, body: Body) -> None:
    artist.send("weir", {"oak_albedo.png": body(), "oak_normal.png": body(seed=2)})
    texture_set = TextureSet.objects.get()
    file = SourceFile.objects.get(path="oak_normal.png")
    row = {"file": file.pk, "channels": ["R", "G", "B"], "normal_y": "-Y"}
    artist.ask("PUT", f"/sets/{texture_set.pk}/rows/normal", row)
    report = artist.send("weir", {"oak_normal.png": body(seed=9), "oak_albedo.png": body()})
    assert outcome(report) == {"oak_normal.png": "replaced", "oak_albedo.png": "known"}
    page = artist.get(f"/sets/{texture_set.pk}")
    normal = next(line for line in page["lines"] if line["property"] == "normal")
    assert normal["row"]["normal_y"] == "-Y" and normal["file"]["revision"] == 2
    assert default_storage.exists(file.blob.place)


def test_a_reexport_that_lost_a_channel_is_a_finding_and_not_a_fault(artist: Caller, body: Body) -> None:
    artist.send("weir", {"oak_albedo.png": body(), "oak_ORM.png": body(seed=2)})
    artist.send("weir", {"oak_ORM.png": body(shape=(16, 16, 1), seed=3)})
    page = artist.get(f"/sets/{TextureSet.objects.get().pk}")
    assert page["findings"][0]["rule"] == "channel-missing"
    assert "oak_ORM.png has no channel R any more" in page["findings"][0]["message"]
    artist.ask("POST", f"/sets/{page['id']}/builds", {"target": "orbit-desktop"})
    run_queued()
    assert "no channel R any more" in artist.get(f"/sets/{page['id']}")["job"]["problem"]


def test_new_files_join_their_set_and_never_undo_a_decision(artist: Caller, body: Body) -> None:
    artist.send("weir", {"oak_albedo.png": body(), "oak_rough.png": body(shape=(16, 16, 1))})
    texture_set = TextureSet.objects.get()
    artist.ask("DELETE", f"/sets/{texture_set.pk}/rows/roughness")
    artist.send("weir", {"oak_ao.png": body(shape=(16, 16, 1), seed=4), "oak_diffuse.png": body(seed=6)})
    ledger = TextureSet.objects.get().ledger
    assert {row.property for row in ledger.rows} == {"base_colour", "occlusion"}
    assert ledger.row("base_colour").file == str(SourceFile.objects.get(path="oak_albedo.png").pk)
    (left,) = artist.get("/projects/weir/open-files")
    assert left["name"] == "oak_rough.png" and "taken out" in left["why_open"]


def test_a_cancelled_sort_takes_nothing_and_can_be_tried_again(artist: Caller, body: Body) -> None:
    arrival = artist.ask("POST", "/projects/weir/arrivals")["id"]
    artist.client.post(f"/api/arrivals/{arrival}/files", {"path": "oak_albedo.png", "file": io.BytesIO(body())})
    job = artist.ask("POST", f"/arrivals/{arrival}/sort")["job"]["id"]
    assert artist.ask("POST", f"/jobs/{job}/cancel")["state"] == "cancelled"
    run_queued()
    assert not SourceFile.objects.exists()
    assert artist.ask("POST", f"/jobs/{job}/retry")["state"] == "queued"
    run_queued()
    assert SourceFile.objects.count() == 1
    assert artist("POST", f"/jobs/{job}/retry").status_code == 409


def test_an_arrival_that_failed_is_trimmed_tried_again_or_given_up(
    artist: Caller, body: Body, monkeypatch: pytest.MonkeyPatch
) -> None:
    arrival = artist.ask("POST", "/projects/weir/arrivals")["id"]
    for name in ("oak_albedo.png", "oak_rough.png"):
        artist.client.post(f"/api/arrivals/{arrival}/files", {"path": name, "file": io.BytesIO(body())})
    job = artist.ask("POST", f"/arrivals/{arrival}/sort")["job"]["id"]
    assert artist("DELETE", f"/arrivals/{arrival}").status_code == 409, "it is being sorted"
    with monkeypatch.context() as patch:
        patch.setattr(arrive, "take_all", lambda *_: 1 / 0)
        run_queued()
    report = artist.get(f"/arrivals/{arrival}")
    assert report["job"]["state"] == "failed" and {item["outcome"] for item in report["items"]} == {"waiting"}
    item = next(item for item in report["items"] if item["path"] == "oak_rough.png")
    assert len(artist.ask("DELETE", f"/arrivals/{arrival}/items/{item['id']}")["items"]) == 1
    assert artist("DELETE", f"/arrivals/{arrival}/items/{item['id']}").status_code == 404
    artist.ask("POST", f"/jobs/{job}/retry")
    run_queued()
    assert [file.path for file in SourceFile.objects.all()] == ["oak_albedo.png"]
    assert artist("DELETE", f"/arrivals/{arrival}").status_code == 409, "it was sorted"
    other = artist.ask("POST", "/projects/weir/arrivals")["id"]
    artist.client.post(f"/api/arrivals/{other}/files", {"path": "elm_albedo.png", "file": io.BytesIO(body(seed=3))})
    job = artist.ask("POST", f"/arrivals/{other}/sort")["job"]["id"]
    artist.ask("POST", f"/jobs/{job}/cancel")
    assert artist("DELETE", f"/arrivals/{other}").status_code == 204


def test_a_worker_that_died_in_the_middle_is_made_good(artist: Caller, body: Body) -> None:
    arrival = artist.ask("POST", "/projects/weir/arrivals")["id"]
    artist.client.post(f"/api/arrivals/{arrival}/files", {"path": "oak.zip", "file": io.BytesIO(zip_of({"oak_bc.png": body()}))})
    job = artist.ask("POST", f"/arrivals/{arrival}/sort")["job"]["id"]
    # What a kill leaves behind: the job runs for nobody, and an entry of the zip was listed already.
    Job.objects.filter(pk=job).update(state=Job.State.RUNNING, attempt=1)
    ArrivalItem.objects.create(arrival=Arrival.objects.get(), path="oak_bc.png", bytes=1)
    assert control.recover() == 1
    run_queued()
    report = artist.get(f"/arrivals/{arrival}")
    assert outcome(report) == {"oak.zip": "passed over", "oak_bc.png": "accepted"}
    Job.objects.filter(pk=job).update(state=Job.State.RUNNING, attempt=3, beat=None)
    control.recover()
    assert artist.get(f"/jobs/{job}")["state"] == "failed"


def test_an_upload_that_was_given_up_leaves_nothing(artist: Caller, body: Body) -> None:
    arrival = artist.ask("POST", "/projects/weir/arrivals")["id"]
    artist.client.post(f"/api/arrivals/{arrival}/files", {"path": "oak_albedo.png", "file": io.BytesIO(body())})
    staged = ArrivalItem.objects.get().staged
    assert artist("DELETE", f"/arrivals/{arrival}").status_code == 204
    assert not default_storage.exists(staged) and not Arrival.objects.exists()
    empty = artist.ask("POST", "/projects/weir/arrivals")["id"]
    assert artist("POST", f"/arrivals/{empty}/sort").status_code == 409
