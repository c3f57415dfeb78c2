"""The ledger by hand, and building: undo, reuse, downloads, pictures."""

from __future__ import annotations

import hashlib
import io
import json
import zipfile
from collections.abc import Callable
from typing import Any

import numpy as np
import pytest
from PIL import Image as Pillow

from tests.web.conftest import Caller, run_queued
from texelweb.builds.models import Output, Product
from texelweb.jobs.models import Job
from texelweb.sets.models import SourceFile, TextureSet

Body = Callable[..., bytes]


@pytest.fixture
def oak(artist: Caller, body: Body) -> int:
    artist.send(
        "weir",
        {"oak_albedo.png": body(), "oak_ARM.png": body(seed=2), "oak_normal_gl.png": body(seed=3), "scan.png": body(seed=4)},
    )
    return TextureSet.objects.get().pk


def line(page: Any, key: str) -> Any:
    return next(entry for entry in page["lines"] if entry["property"] == key)


def test_assigning_by_hand_channel_by_channel_updates_the_ledger_at_once(artist: Caller, oak: int) -> None:
    scan = SourceFile.objects.get(path="scan.png")
    page = artist.ask("PUT", f"/sets/{oak}/rows/height", {"file": scan.pk, "channels": ["B"]})
    height = line(page, "height")
    assert height["file"]["name"] == "scan.png" and height["row"]["channels"] == ["B"]
    assert height["to"][0]["file_name"] == "we_oak_h.png"
    assert page["open_files"] == [] and artist.get("/projects/weir/open-files") == []
    page = artist.ask("PUT", f"/sets/{oak}/rows/mask.01", {"file": scan.pk, "channels": ["G"]})
    assert line(page, "mask.01")["title"] == "Mask 01"


@pytest.mark.parametrize(
    ("key", "channels", "said"),
    [
        ("height", ["A"], "has no channel A"),
        ("height", ["R", "G"], "needs 1 channel"),
        ("normal", ["R", "R", "R"], "three different channels"),
        ("shine", ["R"], "is not a surface property"),
    ],
)
def test_what_does_not_fit_is_refused_with_the_reason(artist: Caller, oak: int, key: str, channels: list[str], said: str) -> None:
    scan = SourceFile.objects.get(path="scan.png")
    answer = artist("PUT", f"/sets/{oak}/rows/{key}", {"file": scan.pk, "channels": channels})
    assert answer.status_code == 409 and said in answer.json()["problem"]
    assert TextureSet.objects.get().revision == 1


def test_changes_are_undone_and_done_again(artist: Caller, oak: int) -> None:
    first = artist.get(f"/sets/{oak}")
    scan = SourceFile.objects.get(path="scan.png")
    artist.ask("PUT", f"/sets/{oak}/rows/height", {"file": scan.pk, "channels": ["R"]})
    artist.ask("PATCH", f"/sets/{oak}", {"name": "Old oak"})
    changed = artist.ask("DELETE", f"/sets/{oak}/rows/occlusion")
    steps = artist.get("/projects/weir/steps")
    assert steps["undo"]["what"] == "Occlusion cleared" and steps["redo"] is None
    for _ in range(3):
        artist.ask("POST", "/projects/weir/undo")
    page = artist.get(f"/sets/{oak}")
    assert page["lines"] == first["lines"] and page["name"] == "oak" and page["code"] == "oak"
    assert SourceFile.objects.get(path="scan.png").set is None
    assert artist("POST", "/projects/weir/undo").status_code == 409
    for _ in range(3):
        artist.ask("POST", "/projects/weir/redo")
    page = artist.get(f"/sets/{oak}")
    assert page["lines"] == changed["lines"] and page["code"] == "old_oak"
    artist.ask("POST", "/projects/weir/undo")
    artist.ask("PUT", f"/sets/{oak}/rows/emissive", {"file": scan.pk, "channels": ["R", "G", "B"]})
    assert artist.get("/projects/weir/steps")["redo"] is None and artist("POST", "/projects/weir/redo").status_code == 409


def test_a_set_is_made_by_hand_and_names_do_not_collide(artist: Caller, oak: int) -> None:
    made = artist.ask("POST", "/projects/weir/sets", {"name": "oak"})
    assert made["name"] == "oak" and made["code"] == "oak_2"
    assert artist("PATCH", f"/sets/{oak}", {"name": " "}).status_code == 409
    assert artist("PATCH", f"/sets/{oak}", {"target": "nowhere"}).status_code == 409


def build(artist: Caller, set_id: int, target: str = "orbit-desktop") -> Any:
    artist.ask("POST", f"/sets/{set_id}/builds", {"target": target})
    run_queued()
    return artist.get(f"/sets/{set_id}")


def test_a_build_is_downloaded_right_to_the_last_bit(artist: Caller, oak: int, body: Body) -> None:
    page = build(artist, oak)
    assert page["build"]["current"] and page["job"] is None
    outputs = {output["file_name"]: output for output in page["build"]["outputs"]}
    assert set(outputs) == {"we_oak_c.png", "we_oak_n.png", "we_oak_orm.png"}
    packed = artist.client.get(f"/api/outputs/{outputs['we_oak_orm.png']['id']}/file")
    data = b"".join(packed.streaming_content)
    assert hashlib.sha256(data).hexdigest() == outputs["we_oak_orm.png"]["sha256"]
    np.testing.assert_array_equal(np.asarray(Pillow.open(io.BytesIO(data))), np.asarray(Pillow.open(io.BytesIO(body(seed=2)))))
    bundle = artist.client.get(f"/api/builds/{page['build']['id']}/zip")
    with zipfile.ZipFile(io.BytesIO(b"".join(bundle.streaming_content))) as archive:
        assert archive.testzip() is None
        manifest = json.loads(archive.read("oak.manifest.json"))
        for entry in manifest["outputs"]:
            assert hashlib.sha256(archive.read(entry["file"])).hexdigest() == entry["sha256"]
    assert json.loads(artist.client.get(f"/api/builds/{page['build']['id']}/manifest").content) == manifest


def test_only_what_changed_is_made_again_and_stale_builds_are_called_so(artist: Caller, oak: int) -> None:
    build(artist, oak)
    made = Product.objects.count()
    page = build(artist, oak)
    assert Product.objects.count() == made and all(output["reused"] for output in page["build"]["outputs"])
    normal = line(page, "normal")
    flipped = {"file": normal["file"]["id"], "channels": ["R", "G", "B"], "normal_y": "-Y"}
    page = artist.ask("PUT", f"/sets/{oak}/rows/normal", flipped)
    assert page["build"]["current"] is False
    (board,) = artist.get("/projects/weir/board")["sets"]
    assert board["cells"]["built"]["state"] == "look"
    page = build(artist, oak)
    assert {output["key"]: output["reused"] for output in page["build"]["outputs"]} == {
        "colour": True,
        "normal": False,
        "packed": True,
    }
    # Going back makes nothing new: the earlier bytes are still known by their key.
    artist.ask("POST", "/projects/weir/undo")
    count = Product.objects.count()
    assert build(artist, oak)["build"]["current"] and Product.objects.count() == count


def test_a_build_asked_for_twice_runs_once_and_a_cancelled_one_records_nothing(artist: Caller, oak: int) -> None:
    first = artist.ask("POST", f"/sets/{oak}/builds", {"target": "orbit-desktop"})
    again = artist.ask("POST", f"/sets/{oak}/builds", {"target": "orbit-desktop"})
    assert first["id"] == again["id"]
    # A job that is cancelled while it runs stops at its next step.
    Job.objects.filter(pk=first["id"]).update(cancel_asked=True)
    run_queued()
    assert artist.get(f"/jobs/{first['id']}")["state"] == "cancelled"
    assert not Output.objects.exists() and artist.get(f"/sets/{oak}")["build"] is None


def test_pictures_show_the_whole_each_channel_and_tiles(artist: Caller, body: Body) -> None:
    artist.send("weir", {"oak_albedo.png": body(shape=(700, 600, 4), seed=8)})
    file = SourceFile.objects.get()
    data = np.asarray(Pillow.open(io.BytesIO(body(shape=(700, 600, 4), seed=8))))

    def shown(query: str) -> np.ndarray:
        answer = artist.client.get(f"/api/files/{file.pk}/{query}")
        assert answer.status_code == 200
        return np.asarray(Pillow.open(io.BytesIO(answer.content)))

    np.testing.assert_array_equal(shown("picture?view=RGB"), data[:, :, :3])
    for index, view in enumerate("RGBA"):
        np.testing.assert_array_equal(shown(f"picture?view={view}"), data[:, :, index])
    np.testing.assert_array_equal(shown("tile?view=G&column=1&row=1"), data[512:, 512:, 1])
    assert max(shown("picture?view=RGB&size=small").shape) <= 96
    assert artist.client.get(f"/api/files/{file.pk}/tile?column=2&row=0").status_code == 404
    first = artist.client.get(f"/api/files/{file.pk}/picture")
    again = artist.client.get(f"/api/files/{file.pk}/picture", headers={"If-None-Match": first["ETag"]})
    assert again.status_code == 304


def test_a_removed_set_leaves_its_files_and_a_file_goes_only_when_nothing_names_it(artist: Caller, oak: int, body: Body) -> None:
    build(artist, oak)
    scan, normal = (SourceFile.objects.get(path=name) for name in ("scan.png", "oak_normal_gl.png"))
    assert artist("DELETE", f"/files/{normal.pk}").status_code == 409
    artist.ask("DELETE", f"/sets/{oak}/rows/normal")
    assert artist("DELETE", f"/files/{normal.pk}").status_code == 204
    # Undo of what names it brings it back; in what order both went is no matter.
    step = next(step for step in artist.get("/projects/weir/steps")["steps"] if step["what"] == "Normal cleared")
    artist.ask("POST", f"/projects/weir/steps/{step['id']}/undo")
    assert line(artist.get(f"/sets/{oak}"), "normal")["file"]["id"] == normal.pk
    artist.ask("DELETE", f"/sets/{oak}/rows/normal")
    assert artist("DELETE", f"/files/{scan.pk}").status_code == 204
    assert artist("DELETE", f"/sets/{oak}").status_code == 204
    left = artist.get("/projects/weir/open-files")
    assert {file["name"] for file in left} == {"oak_albedo.png", "oak_ARM.png", "oak_normal_gl.png"}
    assert any("was removed" in file["why_open"] for file in left)
    # The next arrival does not put together again what was taken apart.
    artist.send("weir", {"oak_height.png": body(shape=(16, 16, 1), seed=11)})
    again = TextureSet.objects.get()
    assert [row.property for row in again.ledger.rows] == ["height"] and again.files.count() == 1
    assert artist("DELETE", f"/files/{normal.pk}").status_code == 204
