"""The record: what was done is taken back, by everyone in their own order, and what was removed comes back."""

from __future__ import annotations

import io
from collections.abc import Callable
from datetime import timedelta
from itertools import pairwise
from typing import Any

import pytest
from django.utils import timezone

from tests.web.conftest import Caller
from texeldemo.meshes import planter
from texelweb.masters.models import SetVariant
from texelweb.projects.models import Project
from texelweb.record import steps
from texelweb.record.models import Step
from texelweb.sets.models import SourceFile, TextureSet
from texelweb.storage.models import Blob
from texelweb.upkeep.tidy import tidy

pytestmark = pytest.mark.django_db
Body = Callable[..., bytes]
STEPS, UNDO, REDO = "/projects/weir/steps", "/projects/weir/undo", "/projects/weir/redo"


@pytest.fixture
def oak(artist: Caller, body: Body) -> int:
    artist.send("weir", {"oak/oak_albedo.png": body(), "oak/oak_rough.png": body(seed=2), "scan.png": body(seed=9)})
    return TextureSet.objects.get().pk


def said(caller: Caller) -> list[str]:
    return [step["what"] for step in caller.get(STEPS)["steps"]]


def shorter(lead: Caller) -> Any:
    now = lead.get("/projects/weir/rules")
    body = {"base": now["version"], "what": "Shorter", "rules": now["rules"] | {"longest": 40}}
    return lead.ask("PUT", "/projects/weir/rules", body)


def test_every_kind_of_change_is_undone_in_its_order_and_redone(artist: Caller, lead: Caller, oak: int, body: Body) -> None:
    where = f"/sets/{oak}"
    origin = {"way": "by hand", "source": "a quarry", "came": "2026-11-02", "licence": None}
    scan = SourceFile.objects.get(path="scan.png")
    variant = lead.ask("POST", f"{where}/variants", {"master": "solid-surface"})["id"]

    def everything() -> Any:
        view = lead.get(where)
        kept = {key: view[key] for key in ("name", "code", "lines", "origin", "target", "mesh", "variants")}
        dressed = lead("GET", f"/variants/{variant}")
        more = dressed.json()["values"] if dressed.status_code == 200 else None
        rules = lead.get("/projects/weir/rules")["rules"]
        files = sorted(SourceFile.objects.values_list("path", flat=True))
        return kept, more, rules, lead.get("/projects/weir/tolerances")["tolerances"], files

    limits = lead.get("/projects/weir/tolerances")
    limits["tolerances"]["normal_mean"] = 1
    acts: list[Callable[[], Any]] = [
        lambda: lead.ask("PATCH", where, {"target": "millrace-handheld"}),
        lambda: lead.ask("PATCH", where, {"name": "Old oak", "target": "orbit-desktop"}),
        lambda: lead.ask("PUT", f"{where}/origin", origin),
        lambda: lead.ask("DELETE", f"{where}/rows/roughness"),
        lambda: lead("DELETE", f"/files/{scan.pk}"),
        lambda: lead.ask("PATCH", f"/variants/{variant}", {"values": {"tiling": 2}}),
        lambda: lead.ask("PATCH", f"/variants/{variant}", {"values": {"tiling": 2, "brightness": 0.25}}),
        lambda: lead("DELETE", f"/variants/{variant}"),
        lambda: lead.ask("PUT", "/projects/weir/tolerances", limits | {"base": limits.pop("version")}),
        lambda: shorter(lead),
    ]
    states = [everything()]
    for act in acts:
        act()
        states.append(everything())
    assert all(first != second for first, second in pairwise(states)), "every act is seen"
    for state in reversed(states[:-1]):
        lead.ask("POST", UNDO)
        assert everything() == state
    for state in states[1:]:
        lead.ask("POST", REDO)
        assert everything() == state
    assert lead("POST", REDO).status_code == 409
    # The artist did nothing here but drop files, and undoes none of it.
    assert artist.get(STEPS)["undo"] is None and artist("POST", UNDO).status_code == 409


def test_each_undoes_their_own_and_is_told_who_stands_in_the_way(artist: Caller, lead: Caller, oak: int) -> None:
    where = f"/sets/{oak}"
    scan = SourceFile.objects.get(path="scan.png")
    artist.ask("PUT", f"{where}/rows/height", {"file": scan.pk, "channels": ["R"]})
    lead.ask("PUT", f"{where}/rows/height", {"file": scan.pk, "channels": ["G"]})
    lead.ask("DELETE", f"{where}/rows/roughness")
    refused = artist("POST", UNDO)
    assert refused.status_code == 409
    assert "Height" in refused.json()["problem"] and "(lead: Height from scan.png G)" in refused.json()["problem"]
    # Any step may be taken back by itself, also somebody else's.
    step = next(step for step in artist.get(STEPS)["steps"] if step["what"].endswith("scan.png G"))
    assert not step["mine"] and artist.ask("POST", f"{STEPS}/{step['id']}/undo")["step"]["undone"]
    assert artist("POST", f"{STEPS}/{step['id']}/undo").status_code == 409
    artist.ask("POST", UNDO)
    lines = {line["property"]: line["row"] for line in artist.get(where)["lines"]}
    assert lines["height"] is None and lines["roughness"] is None, "what the lead did since stays"


def test_what_was_removed_comes_back_with_all_that_it_had(artist: Caller, lead: Caller, oak: int, body: Body) -> None:
    artist.ask("POST", f"/sets/{oak}/variants", {"master": "solid-surface"})
    before, board = artist.get(f"/sets/{oak}"), artist.get("/projects/weir/board")
    assert artist("DELETE", f"/sets/{oak}").status_code == 204
    assert artist("GET", f"/sets/{oak}").status_code == 404 and artist.get("/projects/weir/board")["sets"] == []
    assert artist.get("/projects/weir/variants") == [] and artist("DELETE", f"/sets/{oak}").status_code == 404
    # Its files may go meanwhile, and its code may be taken; both come back with it, as far as they can.
    rough = SourceFile.objects.get(path="oak/oak_rough.png")
    assert artist("DELETE", f"/files/{rough.pk}").status_code == 204
    artist.send("weir", {"grove/oak_albedo.png": body(seed=5)})
    removal = next(step for step in lead.get(STEPS)["steps"] if step["what"] == "Removed" and step["kind"] == "set")
    lead.ask("POST", f"{STEPS}/{removal['id']}/undo")
    after = artist.get(f"/sets/{oak}")
    assert [line["row"] for line in after["lines"]] == [line["row"] for line in before["lines"]]
    assert after["variants"] == before["variants"] and after["code"] != before["code"]
    assert {file["name"] for file in after["files"]} == {file["name"] for file in before["files"]}
    assert len(artist.get("/projects/weir/board")["sets"]) == len(board["sets"]) + 1
    # What another file's path is by now cannot come back, and says so.
    albedo = SourceFile.objects.get(path="grove/oak_albedo.png")
    artist("DELETE", f"/sets/{albedo.set_id}")
    artist("DELETE", f"/files/{albedo.pk}")
    artist.send("weir", {"grove/oak_albedo.png": body(seed=6)})
    gone = next(step for step in artist.get(STEPS)["steps"] if step["kind"] == "file")
    refused = artist("POST", f"{STEPS}/{gone['id']}/undo")
    assert refused.status_code == 409 and "another file has its path" in refused.json()["problem"]


def test_what_was_removed_is_kept_for_thirty_days(artist: Caller, oak: int) -> None:
    artist.ask("POST", f"/sets/{oak}/variants", {"master": "solid-surface"})
    scan = SourceFile.objects.get(path="scan.png")
    artist("DELETE", f"/files/{scan.pk}")
    artist("DELETE", f"/sets/{oak}")
    assert not any(kind.startswith("removed") for kind in tidy(alone=True).counts)
    for table in (TextureSet, SourceFile):
        table.everything.exclude(removed=None).update(removed=timezone.now() - timedelta(days=31))
    swept = tidy(alone=True).counts
    assert [swept[f"removed {kind}"] for kind in ("variants", "sets", "files")] == [1, 1, 1]
    assert not TextureSet.everything.exists() and not SetVariant.everything.exists()
    refused = artist("POST", UNDO)
    assert refused.status_code == 409 and "30 days" in refused.json()["problem"]


def test_a_mesh_that_was_taken_away_is_kept_as_long_as_its_set(artist: Caller, oak: int) -> None:
    form = {"name": "a.obj", "file": io.BytesIO(planter().encode())}
    assert artist.client.post(f"/api/sets/{oak}/mesh", form).status_code == 200
    artist.ask("DELETE", f"/sets/{oak}/mesh")
    Blob.objects.update(created=timezone.now() - timedelta(days=2))
    tidy(alone=True)
    artist.ask("POST", UNDO)
    assert artist.get(f"/sets/{oak}")["mesh"]["name"] == "a.obj"
    artist.ask("DELETE", f"/sets/{oak}/mesh")
    # It is a revision of the set's mesh: as long as there is the set, it goes back, however old it is.
    Step.objects.update(at=timezone.now() - timedelta(days=31))
    tidy(alone=True)
    artist.ask("POST", UNDO)
    assert artist.get(f"/sets/{oak}")["mesh"]["name"] == "a.obj"


def test_the_record_is_the_projects_own_and_asks_for_the_right_role(
    artist: Caller, lead: Caller, guest: Caller, stranger: Caller, oak: int
) -> None:
    rules = lead.get("/projects/weir/rules")
    shorter(lead)
    step = Step.objects.get(kind="rules")
    # A guest looks; rules are a lead's, whoever asks; and nobody else knows of any of it.
    assert guest.get(STEPS)["steps"][0]["what"] == "Shorter" and not guest.get(STEPS)["steps"][0]["may_undo"]
    for caller in (guest, artist):
        assert caller("POST", f"{STEPS}/{step.pk}/undo").status_code == 403
    assert stranger("GET", STEPS).status_code == 404 and stranger("POST", f"{STEPS}/{step.pk}/undo").status_code == 404
    other = Project.objects.exclude(slug="weir").first()
    if other:
        assert lead("POST", f"/projects/{other.slug}/steps/{step.pk}/undo").status_code == 404
    lead.ask("POST", f"{STEPS}/{step.pk}/undo")
    assert lead.get("/projects/weir/rules")["rules"] == rules["rules"]


def test_answers_and_renames_stand_in_the_same_order(artist: Caller, lead: Caller, body: Body) -> None:
    artist.send("weir", {"oak/oak_albedo.png": body(), "oak/elf 17.png": body(seed=9), "oak/elf 18.png": body(seed=12)})
    first = artist.get("/projects/weir/questions")
    artist.ask("POST", f"/projects/weir/questions/{first['open'][0]['question']['key']}/answer", {})
    oak = TextureSet.objects.get(name="oak").pk
    artist.ask("PATCH", f"/sets/{oak}", {"name": "Elm"})
    assert said(artist)[0] == "Renamed from oak to Elm" and said(artist)[1].startswith("Answered: ")
    artist.ask("POST", UNDO)
    artist.ask("POST", UNDO)
    again = artist.get("/projects/weir/questions")
    assert again["open"] == first["open"] and again["settled"] == []
    # An answer is given again by answering: redo goes on to what can be done again.
    assert artist.get(STEPS)["redo"]["what"] == "Renamed from oak to Elm"


def test_a_kind_that_is_not_declared_is_never_on_record(project: Project) -> None:
    """The record's filter and the links of its lines come from one table; what is not in it would be found nowhere."""
    with pytest.raises(KeyError):
        steps.note_deed(project, "gate", "Opened", None)
    with pytest.raises(KeyError):
        steps.register("gate", steps.OneWay(lambda project, thing, user: None))
