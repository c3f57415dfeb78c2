"""Many sets at once: folders, one change of many that one undo takes back, and long work with an outcome for each set."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import pytest
from django.db import connection
from django.test.utils import CaptureQueriesContext

from tests.web.conftest import Caller, run_queued
from texelcore.pixels.errors import Cancelled, TexelError
from texelcore.targets.library import find_target
from texelweb.builds.models import Build
from texelweb.bulk import run as bulk_run
from texelweb.bulk.models import Bulk, BulkItem
from texelweb.deliveries.models import Delivery
from texelweb.jobs import control
from texelweb.jobs.models import Job
from texelweb.projects.models import Project
from texelweb.sets.changing import folders
from texelweb.sets.models import Folder, TextureSet


@pytest.fixture
def trees(artist: Caller, body: Callable[..., bytes]) -> dict[str, int]:
    """Six sets in nested folders, as their files came; gives their ids by name."""
    paths = ("town/mill/oak", "town/mill/elm", "town/ash", "town/lock/yew", "town/lock/box", "fir")
    files = {}
    for number, path in enumerate(paths):
        name = path.rpartition("/")[2]
        files[f"{path}/{name}_albedo.png"] = body(seed=number)
        files[f"{path}/{name}_rough.png"] = body(shape=(16, 16, 1), seed=number)
    artist.send("weir", files)
    return {entry["name"]: entry["id"] for entry in artist.get("/projects/weir/board")["sets"]}


def places(caller: Caller) -> dict[str, str]:
    """The folder that each set lies in, by the set's name."""
    board = caller.get("/projects/weir/board")
    paths = {entry["id"]: entry["path"] for entry in board["folders"]}
    return {entry["name"]: paths.get(entry["folder"], "") for entry in board["sets"]}


def folder(caller: Caller, path: str) -> int:
    return int(next(entry["id"] for entry in caller.get("/projects/weir/folders") if entry["path"] == path))


def change(caller: Caller, sets: list[int], **what: Any) -> Any:
    return caller("POST", "/projects/weir/sets/change", {"sets": [{"id": key} for key in sets], **what})


# Folders


def test_sets_lie_in_the_folders_that_their_files_came_in(artist: Caller, trees: dict[str, int]) -> None:
    towns = {"oak": "town/mill", "elm": "town/mill", "ash": "town", "yew": "town/lock", "box": "town/lock", "fir": ""}
    assert places(artist) == towns
    assert [entry["path"] for entry in artist.get("/projects/weir/folders")] == ["town", "town/lock", "town/mill"]


def test_a_folder_for_each_set_is_no_folder_of_the_board() -> None:
    alone = [(f"stones/quarry b{n}", f"stone_{n}") for n in range(5)]
    assert folders.folders_of_sets(alone) == ["stones"] * 5
    # Named after its set, it is one however few there are; and what holds several is one.
    assert folders.folders_of_sets([("stones/oak", "Oak")]) == ["stones"]
    assert folders.folders_of_sets([("town/lock", "gate"), ("town/mill", "axle"), ("town/mill", "wheel")]) == [
        "town/lock",
        "town/mill",
        "town/mill",
    ]
    assert folders.folders_of_sets([(f"b{n}", f"stone_{n}") for n in range(5)]) == [f"b{n}" for n in range(5)]


def test_folders_are_renamed_moved_and_removed_and_each_is_undone(artist: Caller, trees: dict[str, int]) -> None:
    before = places(artist)
    mill, lock = folder(artist, "town/mill"), folder(artist, "town/lock")
    artist.ask("PUT", f"/projects/weir/folders/{mill}/name", {"name": "old mill"})
    artist.ask("PUT", f"/projects/weir/folders/{mill}/place", {"parent": lock})
    assert places(artist)["oak"] == "town/lock/old mill"
    artist.ask("DELETE", f"/projects/weir/folders/{lock}")
    assert (places(artist)["oak"], places(artist)["yew"]) == ("town/old mill", "town")
    for _ in range(3):
        artist.ask("POST", "/projects/weir/undo")
    assert places(artist) == before
    artist.ask("POST", "/projects/weir/redo")
    assert places(artist)["oak"] == "town/old mill"


def test_a_folder_cannot_lie_in_itself_nor_where_its_name_is_taken(artist: Caller, trees: dict[str, int]) -> None:
    town, mill = folder(artist, "town"), folder(artist, "town/mill")
    for parent in (town, mill):
        refused = artist("PUT", f"/projects/weir/folders/{town}/place", {"parent": parent})
        assert refused.status_code == 409 and "in itself" in refused.json()["problem"]
    for name in ("LOCK", "", "a/b", "..", "x" * 81):
        assert artist("PUT", f"/projects/weir/folders/{mill}/name", {"name": name}).status_code == 409, name
    assert artist("PUT", f"/projects/weir/folders/{mill}/place", {"parent": 999_999}).status_code == 409
    parent = None
    for _ in range(folders.DEEPEST):
        parent = Folder.objects.create(project=Project.objects.get(), parent_id=parent, name="deep").pk
    deep = artist("POST", "/projects/weir/folders", {"name": "deeper", "parent": parent})
    assert deep.status_code == 409 and "13 folders deep; 12 is the limit" in deep.json()["problem"]
    assert artist("PUT", f"/projects/weir/folders/{town}/place", {"parent": parent}).status_code == 409


def test_another_projects_folder_is_not_to_be_had(artist: Caller, trees: dict[str, int]) -> None:
    other = Project.objects.create(slug="other", code="ot", title="Other", target="orbit-desktop")
    theirs = Folder.objects.create(project=other, name="theirs")
    assert artist("POST", "/projects/weir/folders", {"name": "x", "parent": theirs.pk}).status_code == 409
    assert artist("DELETE", f"/projects/weir/folders/{theirs.pk}").status_code == 404
    assert change(artist, [trees["oak"]], place={"folder": theirs.pk}).status_code == 409


# One change of many


def test_many_sets_are_moved_tagged_and_given_a_target_as_one_act(artist: Caller, trees: dict[str, int]) -> None:
    chosen = [trees[name] for name in ("oak", "yew", "fir")]
    lock = folder(artist, "town/lock")
    done = change(artist, chosen, place={"folder": lock}, add_tags=["hero", "Hero", "wet"], target="millrace-handheld")
    # The third was there already in no folder, and has other tags all the same.
    assert done.json() == {"changed": 3}
    board = {entry["name"]: entry for entry in artist.get("/projects/weir/board")["sets"]}
    assert board["oak"]["tags"] == ["hero", "wet"] and board["oak"]["folder"] == lock
    assert board["fir"]["target_name"] == "millrace-handheld" and board["elm"]["target_name"] == "orbit-desktop"
    assert board["fir"]["touched_by"] == "artist"
    change(artist, [trees["fir"]], drop_tags=["WET"])
    # Each act is one step of the list and of the undo, however many sets it changed, and opens into them.
    one, act = artist.get("/projects/weir/steps")["steps"][:2]
    assert (one["others"], act["others"]) == (0, 2) and act["name"] in ("oak", "yew", "fir")
    opened = artist.get(f"/projects/weir/record?act={act['act']}")["steps"]
    assert sorted(step["name"] for step in opened) == ["fir", "oak", "yew"]
    artist.ask("POST", "/projects/weir/undo")
    artist.ask("POST", "/projects/weir/undo")
    board = {entry["name"]: entry for entry in artist.get("/projects/weir/board")["sets"]}
    assert [board[name]["tags"] for name in ("oak", "yew", "fir")] == [[]] * 3
    assert (places(artist)["oak"], board["fir"]["target_name"]) == ("town/mill", "orbit-desktop")


def test_many_sets_are_masks_and_details_as_one_act(artist: Caller, trees: dict[str, int]) -> None:
    first, second, *_ = trees.values()
    before = [entry.revision for entry in TextureSet.objects.filter(pk__in=(first, second)).order_by("pk")]
    artist.ask("PATCH", f"/sets/{first}", {"surface": False})
    assert change(artist, [first, second], surface=False).json() == {"changed": 1}
    found = list(TextureSet.objects.filter(pk__in=(first, second)).order_by("pk"))
    assert [entry.ledger.surface for entry in found] == [False, False]
    assert [entry.revision for entry in found] == [number + 1 for number in before]
    assert all(entry.revisions.get(number=entry.revision).ledger == entry.ledger for entry in found)
    artist.ask("POST", "/projects/weir/undo")
    assert [entry.ledger.surface for entry in TextureSet.objects.filter(pk__in=(first, second)).order_by("pk")] == [False, True]


def test_removed_sets_come_back_together_with_their_files(artist: Caller, trees: dict[str, int]) -> None:
    before = places(artist)
    assert change(artist, [trees["oak"], trees["elm"]], remove=True).json() == {"changed": 2}
    assert set(places(artist)) == set(before) - {"oak", "elm"}
    assert len(artist.get("/projects/weir/open-files")) == 4
    artist.ask("POST", "/projects/weir/undo")
    assert places(artist) == before
    assert artist.get("/projects/weir/open-files") == []


def test_files_of_no_set_go_into_many_sets_as_one_act(artist: Caller, trees: dict[str, int]) -> None:
    change(artist, [trees["oak"], trees["elm"]], remove=True)
    lone = [entry["id"] for entry in artist.get("/projects/weir/open-files") if "rough" in entry["name"]]
    asked = {"property": "height", "files": [{"file": lone[0], "set": {"id": trees["ash"]}}]}
    twice = {**asked, "files": [{"file": file, "set": {"id": trees["ash"]}} for file in lone]}
    refused = artist("POST", "/projects/weir/open-files/assign", twice)
    assert refused.status_code == 409 and "oak_rough.png" in refused.json()["problem"]
    assert len(artist.get("/projects/weir/open-files")) == 4
    asked["files"] = [{"file": file, "set": {"id": trees[name]}} for file, name in zip(lone, ("ash", "yew"), strict=True)]
    assert artist.ask("POST", "/projects/weir/open-files/assign", asked) == {"changed": 2}
    ash, yew = (TextureSet.objects.get(pk=trees[name]).ledger.row("height") for name in ("ash", "yew"))
    assert ash is not None and yew is not None and [ash.file, yew.file] == [str(file) for file in lone]
    newest = artist.get("/projects/weir/steps")["undo"]
    assert newest["what"] == "Height from 2 files of no set" and newest["others"] == 1
    artist.ask("POST", "/projects/weir/undo")
    assert len(artist.get("/projects/weir/open-files")) == 4
    assert artist("POST", "/projects/weir/open-files/assign", {**asked, "property": "glaze"}).status_code == 409


def test_a_change_of_many_meets_what_somebody_else_did(artist: Caller, lead: Caller, trees: dict[str, int]) -> None:
    seen = {entry["id"]: entry["edit"] for entry in artist.get("/projects/weir/board")["sets"]}
    lead.ask("PATCH", f"/sets/{trees['elm']}", {"name": "old elm"})
    body = {"sets": [{"id": key, "seen": edit} for key, edit in seen.items()], "add_tags": ["hero"]}
    refused = artist("POST", "/projects/weir/sets/change", body)
    assert refused.status_code == 409 and refused.json()["overtaken"]
    assert "lead: Renamed from elm to old elm" in refused.json()["problem"]
    assert not TextureSet.objects.exclude(tags=[]).exists()
    for tags in ([""], ["a,b"], ["x" * 41]):
        assert change(artist, [trees["oak"]], add_tags=tags).status_code == 409


def test_hundreds_of_sets_are_changed_in_as_many_queries_as_six(artist: Caller, trees: dict[str, int]) -> None:
    def queries(sets: list[int], **what: Any) -> int:
        with CaptureQueriesContext(connection) as captured:
            assert change(artist, sets, **what).json() == {"changed": len(sets)}
        return len(captured)

    project = Project.objects.get(slug="weir")
    rows = [TextureSet(project=project, name=f"s{n}", code=f"s{n}", ledger_json={"name": f"s{n}"}) for n in range(206)]
    keys = [entry.pk for entry in TextureSet.objects.bulk_create(rows)]
    for what in ({"add_tags": ["hero"]}, {"remove": True}):
        six = queries(keys[:6] if "remove" in what else list(trees.values()), **what)
        assert queries(keys[6:], **what) <= six


# Long work


def test_many_sets_are_built_and_one_that_cannot_be_says_why(artist: Caller, trees: dict[str, int]) -> None:
    artist.ask("DELETE", f"/sets/{trees['elm']}/rows/base_colour")
    asked = artist.ask("POST", "/projects/weir/bulk", {"action": "build", "sets": list(trees.values())})
    assert [item["state"] for item in asked["items"]] == ["waiting"] * 6
    run_queued()
    done = artist.get(f"/bulk/{asked['id']}")
    assert done["job"]["state"] == "done" and done["job"]["progress"] == 1
    by_name = {item["name"]: item for item in done["items"]}
    assert by_name["elm"]["state"] == "failed" and "base colour" in by_name["elm"]["problem"].lower()
    assert by_name["elm"]["way_out"]
    assert {item["state"] for name, item in by_name.items() if name != "elm"} == {"done"}
    cells = {entry["name"]: entry["cells"]["built"]["state"] for entry in artist.get("/projects/weir/board")["sets"]}
    assert cells["oak"] == "holds" and cells["elm"] == "none"
    # What holds is not made again.
    again = artist.ask("POST", "/projects/weir/bulk", {"action": "build", "sets": [trees["oak"]]})
    run_queued()
    assert artist.get(f"/bulk/{again['id']}")["items"][0]["state"] == "skipped"
    assert Build.objects.filter(set=trees["oak"]).count() == 1


def test_what_is_stale_is_built_and_nothing_else(artist: Caller, trees: dict[str, int]) -> None:
    first = artist.ask("POST", "/projects/weir/bulk", {"action": "build"})
    assert len(first["items"]) == 6
    run_queued()
    artist.ask("DELETE", f"/sets/{trees['oak']}/rows/roughness")
    second = artist.ask("POST", "/projects/weir/bulk", {"action": "build"})
    assert [item["name"] for item in second["items"]] == ["oak"]
    run_queued()
    none = artist("POST", "/projects/weir/bulk", {"action": "build"})
    assert none.status_code == 409 and "nothing to build" in none.json()["problem"]


def test_work_that_is_cancelled_in_the_middle_leaves_what_is_done_and_goes_on_later(
    artist: Caller, trees: dict[str, int], monkeypatch: pytest.MonkeyPatch
) -> None:
    real, begun = bulk_run.make_build, []

    def build(*args: Any) -> None:
        begun.append(args)
        if len(begun) == 3:
            control.cancel(Job.objects.get(kind="bulk"))
            raise Cancelled
        real(*args)

    monkeypatch.setattr(bulk_run, "make_build", build)
    bulk = artist.ask("POST", "/projects/weir/bulk", {"action": "build", "sets": list(trees.values())})
    run_queued()
    stopped = artist.get(f"/bulk/{bulk['id']}")
    assert stopped["job"]["state"] == "cancelled"
    assert [item["state"] for item in stopped["items"]] == ["done", "done", *["waiting"] * 4]
    assert Build.objects.exclude(manifest="").count() == 2
    artist.ask("POST", f"/jobs/{stopped['job']['id']}/retry")
    run_queued()
    assert {item["state"] for item in artist.get(f"/bulk/{bulk['id']}")["items"]} == {"done"}
    assert Build.objects.exclude(manifest="").count() == 6


def test_a_fault_in_one_set_stops_one_set(artist: Caller, trees: dict[str, int], monkeypatch: pytest.MonkeyPatch) -> None:
    real = bulk_run.make_build

    def build(made: Build, *args: Any) -> None:
        if made.set_id == trees["ash"]:
            raise ZeroDivisionError
        real(made, *args)

    monkeypatch.setattr(bulk_run, "make_build", build)
    bulk = artist.ask("POST", "/projects/weir/bulk", {"action": "build", "sets": list(trees.values())})
    TextureSet.objects.filter(pk=trees["box"]).update(removed="2026-11-01T00:00Z")
    run_queued()
    said = {item["name"]: item["problem"] for item in artist.get(f"/bulk/{bulk['id']}")["items"] if item["state"] == "failed"}
    assert said == {"ash": "Internal error; the server's log has the details.", "box": "box was removed meanwhile."}


def test_many_sets_are_dressed_and_delivered_each_for_its_own_target(artist: Caller, trees: dict[str, int]) -> None:
    chosen = [trees[name] for name in ("oak", "elm", "fir")]
    change(artist, [trees["fir"]], target="millrace-handheld")
    artist.ask("DELETE", f"/sets/{trees['elm']}/rows/base_colour")
    artist.ask("POST", "/projects/weir/bulk", {"action": "dress", "sets": chosen, "master": "solid-surface"})
    delivering = artist.ask("POST", "/projects/weir/bulk", {"action": "deliver", "sets": chosen})
    run_queued()
    said = {item["name"]: (item["state"], item["said"]) for item in artist.get(f"/bulk/{delivering['id']}")["items"]}
    titles = {name: find_target(name).title for name in ("orbit-desktop", "millrace-handheld")}
    assert said["oak"] == ("done", f"delivered for {titles['orbit-desktop']}")
    assert said["fir"] == ("done", f"delivered for {titles['millrace-handheld']}")
    assert said["elm"][0] == "failed"
    found = {entry.target.name: [part.set.name for part in entry.sets.all()] for entry in Delivery.objects.all()}
    assert found == {"orbit-desktop": ["oak"], "millrace-handheld": ["fir"]}
    assert all(entry.receipt for entry in Delivery.objects.all())
    assert artist("POST", "/projects/weir/bulk", {"action": "dress", "sets": chosen, "master": "none"}).status_code == 404
    assert Bulk.objects.count() == 2 and BulkItem.objects.count() == 6


def test_a_delivery_of_many_that_is_tried_again_delivers_nothing_twice(
    artist: Caller, trees: dict[str, int], monkeypatch: pytest.MonkeyPatch
) -> None:
    chosen = [trees[name] for name in ("oak", "fir")]
    change(artist, [trees["fir"]], target="millrace-handheld")
    delivering = artist.ask("POST", "/projects/weir/bulk", {"action": "deliver", "sets": chosen})
    real = bulk_run.deliver

    def full(delivery: Delivery, *rest: Any) -> Any:
        if delivery.target.name == "orbit-desktop":
            raise TexelError("The disk", "is full.", "Free some space.")
        return real(delivery, *rest)

    with monkeypatch.context() as broken:
        broken.setattr(bulk_run, "deliver", full)
        run_queued()
    job = artist.get(f"/bulk/{delivering['id']}")["job"]
    assert job["state"] == "failed"
    artist.ask("POST", f"/jobs/{job['id']}/retry")
    run_queued()
    done = Delivery.objects.exclude(manifest_json=None)
    assert sorted(entry.target.name for entry in done) == ["millrace-handheld", "orbit-desktop"]


# Notes, and the board


def test_a_note_stands_on_the_board_until_it_is_removed(artist: Caller, lead: Caller, trees: dict[str, int]) -> None:
    oak = trees["oak"]
    artist.ask("POST", f"/sets/{oak}/notes", {"text": "  Bake the occlusion again. "})
    lead.ask("POST", f"/sets/{oak}/notes", {"text": "Done on Monday"})
    line = next(entry for entry in artist.get("/projects/weir/board")["sets"] if entry["id"] == oak)
    assert (line["notes"], line["note"]) == (2, "Done on Monday")
    first = lead.get(f"/sets/{oak}/notes")[1]
    assert (first["text"], first["by"], first["mine"]) == ("Bake the occlusion again.", "artist", False)
    lead.ask("DELETE", f"/sets/{oak}/notes/{first['id']}")
    lead.ask("POST", "/projects/weir/undo")
    assert len(lead.get(f"/sets/{oak}/notes")) == 2
    for text in (" ", "x" * 1001):
        assert lead("POST", f"/sets/{oak}/notes", {"text": text}).status_code == 409


def test_the_board_asks_ten_times_at_most_whatever_it_holds(artist: Caller, trees: dict[str, int]) -> None:
    artist.get("/projects/weir/board")
    with CaptureQueriesContext(connection) as captured:
        artist.get("/projects/weir/board")
    assert len(captured) <= 10, [query["sql"][:90] for query in captured]
