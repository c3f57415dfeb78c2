"""The studio's targets: drafted, published, compared, taken into projects and taken back; and what they do to sets."""

from __future__ import annotations

import io
import json
import zipfile
from collections.abc import Callable
from typing import Any

import numpy as np
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from PIL import Image as Pillow

from tests.web.conftest import Caller, run_queued
from texelcore.targets.library import shipped
from texelweb.builds.models import Build
from texelweb.deliveries.models import Delivery
from texelweb.library.models import StudioTarget, TargetVersion
from texelweb.projects.models import Project
from texelweb.sets.models import TextureSet

pytestmark = pytest.mark.usefixtures("leads_the_studio")

Body = Callable[..., bytes]


def output(**more: Any) -> dict[str, Any]:
    channels = [{"channel": "R", "property": "roughness"}, {"channel": "G", "property": "occlusion", "inverted": True}]
    channels.append({"channel": "B", "property": "constant", "constant": 0.5})
    body = {"key": "pack", "title": "Pack", "suffix": "p", "file_format": "png", "sample": "u8", "encoding": "linear"}
    return body | {"channels": channels, "storage": {"format": "bc7"}} | more


def drafted(lead: Caller, title: str = "Barge engine", **more: Any) -> tuple[str, dict[str, Any]]:
    """A target with one output as a draft that holds: its name, and the draft."""
    made = lead.ask("POST", "/targets", {"title": title})
    document = made["draft"]["document"] | {"outputs": [output()]} | more
    draft = lead.ask("PUT", f"/targets/{made['name']}/draft", {"document": document, "seen": made["draft"]["edit"]})
    return made["name"], draft


def published(lead: Caller, title: str = "Barge engine", **more: Any) -> str:
    name, draft = drafted(lead, title, **more)
    lead.ask("POST", f"/targets/{name}/publish", {"seen": draft["edit"], "note": "First"})
    return name


@pytest.fixture
def oak(artist: Caller, body: Body) -> TextureSet:
    maps = {
        "oak_albedo.png": body(),
        "oak_rough.png": body(shape=(16, 16, 1), seed=2),
        "oak_ao.png": body(shape=(16, 16, 1), seed=3),
    }
    artist.send("weir", maps)
    return TextureSet.objects.get()


def test_a_target_goes_from_nothing_to_a_second_version_that_a_project_takes_and_takes_back(
    lead: Caller, artist: Caller, oak: TextureSet
) -> None:
    name = published(lead)
    lead.ask("PUT", f"/projects/weir/targets/{name}", {"for_all": True})
    artist.ask("POST", f"/sets/{oak.pk}/builds", {"target": name})
    run_queued()
    first = Build.objects.get()
    assert (first.target.reference, first.outputs.get().file_name) == ("barge-engine@1", "oak_p.png")
    begun = lead.ask("POST", f"/targets/{name}/draft")["draft"]
    document = begun["document"]
    assert (document["version"], begun["base"]) == (2, 1)
    document["outputs"][0]["suffix"] = "packed"
    document["outputs"][0]["channels"][2] = {"channel": "B", "property": "metallic"}
    edit = lead.ask("PUT", f"/targets/{name}/draft", {"document": document, "seen": begun["edit"]})["edit"]
    lead.ask("POST", f"/targets/{name}/publish", {"seen": edit, "note": "Metallic in blue"})
    # The project stays on its version until it takes the other, and is told what that would do.
    pin = next(line for line in artist.get("/projects/weir/targets")["targets"] if line["name"] == name)
    assert (pin["version"], pin["newest"]) == (1, 2)
    offer = artist.get(f"/projects/weir/targets/{name}/upgrade?version=2")
    assert (offer["effect"]["sets"], offer["effect"]["built_again"], offer["effect"]["renamed"]) == (1, 1, 1)
    assert {change["part"]: change["becomes"] for change in offer["changes"]} == {"Channel B": "metallic", "Suffix": "packed"}
    assert artist("PUT", f"/projects/weir/targets/{name}", {"version": 2}).status_code == 403
    lead.ask("PUT", f"/projects/weir/targets/{name}", {"version": 2})
    artist.client.defaults["HTTP_X_TARGET"] = name
    page = artist.get(f"/sets/{oak.pk}")
    assert page["planned"][0]["file_name"] == "oak_packed.png" and not page["build"]["current"]
    assert [entry["name"] for entry in page["made_for"]] == ["orbit-desktop", name]
    lead.ask("POST", "/projects/weir/undo")
    page = artist.get(f"/sets/{oak.pk}")
    assert page["target"]["version"] == 1 and page["build"]["current"]
    lines = {line["name"]: line for line in lead.get("/targets")["targets"]}
    assert (lines[name]["version"], lines[name]["projects"], lines[name]["behind"]) == (2, 1, 1)
    # Versions never change.
    assert [entry.document_json["version"] for entry in TargetVersion.objects.filter(target__name=name).order_by("number")] == [
        1,
        2,
    ]


def test_two_leads_who_write_one_draft_are_told_of_each_other(lead: Caller) -> None:
    name, draft = drafted(lead)
    document = draft["document"]
    lead.ask("PUT", f"/targets/{name}/draft", {"document": document | {"summary": "Mine"}, "seen": draft["edit"]})
    late = lead("PUT", f"/targets/{name}/draft", {"document": document | {"summary": "Theirs"}, "seen": draft["edit"]})
    assert late.status_code == 409 and late.json()["overtaken"] and "lead" in late.json()["problem"]
    stale = lead("POST", f"/targets/{name}/publish", {"seen": draft["edit"], "note": ""})
    assert stale.status_code == 409 and stale.json()["overtaken"]
    assert lead.get(f"/targets/{name}")["draft"]["document"]["summary"] == "Mine"


def test_a_draft_need_not_hold_and_says_every_mistake_at_its_cell(lead: Caller, oak: TextureSet) -> None:
    name, draft = drafted(lead)
    wrong = output(key="two", suffix="P")
    wrong["channels"] = [{"channel": "R", "property": "shine"}, *wrong["channels"][1:]]
    document = draft["document"] | {"outputs": [output(), wrong, output(key="three", suffix="q")]}
    kept = lead.ask("PUT", f"/targets/{name}/draft", {"document": document, "seen": draft["edit"]})
    assert [problem["place"] for problem in kept["problems"]] == [["outputs", 1, "channels", 0]]
    refused = lead("POST", f"/targets/{name}/publish", {"seen": kept["edit"], "note": ""})
    assert refused.status_code == 409 and "Shine" in refused.json()["problem"]
    tried = lead.ask("POST", f"/sets/{oak.pk}/draft", {"document": document})
    assert [(entry["place"], entry["file_name"]) for entry in tried["outputs"]] == [(0, "oak_p.png"), (2, "oak_q.png")]
    picture = lead("POST", f"/sets/{oak.pk}/draft/picture", {"document": document, "place": 2})
    with Pillow.open(io.BytesIO(picture.content)) as shown:
        assert shown.size == (64, 16) and np.asarray(shown)[:, 48:].std() == 0
    assert lead("POST", f"/sets/{oak.pk}/draft/picture", {"document": document, "place": 1}).status_code == 409


def test_what_sets_lack_for_a_target_is_counted_beforehand(artist: Caller, body: Body) -> None:
    for stem in ("elm", "fir"):
        artist.send("weir", {f"{stem}/{stem}_normal.png": body(), f"{stem}/{stem}_rough.png": body()})
    artist.send("weir", {"ash/ash_albedo.png": body(), "ash/ash_rough.png": body()})
    lacks = artist.ask("POST", "/projects/weir/targets/orbit-desktop/lacks", {})
    (stops,) = [lack for lack in lacks if lack["stops"]]
    assert stops["count"] == 2 and stops["first"] == ["elm", "fir"] and "Base colour" in stops["says"]
    ash = TextureSet.objects.get(name="ash")
    assert artist.ask("POST", "/projects/weir/targets/orbit-desktop/lacks", {"sets": [ash.pk]}) == []


def test_what_is_used_is_not_deleted_but_deprecated(lead: Caller, artist: Caller, oak: TextureSet) -> None:
    name = published(lead)
    lead.ask("PUT", f"/projects/weir/targets/{name}", {"for_all": True})
    refused = lead("DELETE", f"/targets/{name}")
    assert refused.status_code == 409 and "Weir" in refused.json()["problem"]
    artist.ask("POST", f"/sets/{oak.pk}/builds", {"target": name})
    run_queued()
    lead.ask("DELETE", f"/projects/weir/targets/{name}")
    assert "builds" in lead("DELETE", f"/targets/{name}").json()["problem"]
    lead.ask("PUT", f"/targets/{name}/deprecation", {"deprecated": True, "successor": "weir-console"})
    held = artist.get("/projects/weir/targets")
    assert name not in {entry["name"] for entry in held["others"]}
    assert lead("DELETE", "/projects/weir/targets/orbit-desktop").status_code == 409, "the usual one stays"
    fresh = published(lead, "Nobody’s engine")
    assert lead("DELETE", f"/targets/{fresh}").status_code == 204 and not StudioTarget.objects.filter(name=fresh).exists()


def test_a_target_goes_out_as_a_file_and_comes_back_as_a_draft(lead: Caller, guest: Caller) -> None:
    name = published(lead)
    text = lead("GET", f"/targets/{name}/document").content

    def bring(body: bytes) -> Any:
        return lead.client.post("/api/targets/import", {"file": SimpleUploadedFile("t.json", body)})

    assert bring(text).json()["draft"] is None, "the studio has it just so"
    other = json.loads(text) | {"summary": "Of another studio"}
    assert bring(json.dumps(other).encode()).json()["draft"]["document"]["version"] == 2
    assert bring(json.dumps(other | {"summary": "Again"}).encode()).status_code == 409, "it is being drafted"
    assert bring(json.dumps(other | {"name": "theirs"}).encode()).json()["draft"]["document"]["version"] == 1
    for bad, said in ((b"{", "no JSON"), (json.dumps(other | {"format_version": 9}).encode(), "newer"), (b"[]", "no target")):
        answer = bring(bad)
        assert answer.status_code == 409 and said in answer.json()["problem"]
    copy = lead.ask("POST", "/targets", {"title": "Barge two", "copy_of": f"{name}@1"})
    assert copy["name"] == "barge-two" and len(copy["draft"]["document"]["outputs"]) == 1


@pytest.mark.parametrize("who", ["artist", "guest"])
def test_targets_are_looked_at_by_members_and_changed_by_leads(who: str, request: pytest.FixtureRequest, lead: Caller) -> None:
    caller = request.getfixturevalue(who)
    name, draft = drafted(lead)
    assert caller.get("/targets")["may_edit"] is False and caller.get(f"/targets/{name}")["may_edit"] is False
    body = {"document": draft["document"], "seen": draft["edit"]}
    for method, path, sent in (
        ("POST", "/targets", {"title": "Mine"}),
        ("PUT", f"/targets/{name}/draft", body),
        ("DELETE", f"/targets/{name}/draft", None),
        ("POST", f"/targets/{name}/publish", {"seen": draft["edit"]}),
        ("PUT", f"/targets/{name}/deprecation", {"deprecated": True}),
        ("DELETE", f"/targets/{name}", None),
        ("PUT", "/projects/weir/targets/gltf-2", {}),
    ):
        assert caller(method, path, sent).status_code == 403, path


def test_strangers_see_nothing(stranger: Caller, oak: TextureSet) -> None:
    assert stranger("GET", "/targets").status_code == 404 and stranger("GET", "/targets/orbit-desktop").status_code == 404
    assert stranger("GET", "/projects/weir/targets").status_code == 404
    assert stranger("POST", f"/sets/{oak.pk}/draft", {"document": {}}).status_code == 404


# Several targets at once


def test_a_set_is_built_shown_and_delivered_for_every_target_of_the_project(
    lead: Caller, artist: Caller, oak: TextureSet
) -> None:
    lead.ask("PUT", "/projects/weir/targets/lantern-room", {"for_all": True})
    asked = {"action": "prove", "sets": [oak.pk]}
    artist.ask("POST", "/projects/weir/bulk", asked)
    run_queued()
    assert {build.target.name for build in Build.objects.exclude(manifest="")} == {"orbit-desktop", "lantern-room"}
    boards = {}
    for looks_at in ("", "lantern-room", "*"):
        artist.client.defaults["HTTP_X_TARGET"] = looks_at
        (boards[looks_at],) = artist.get("/projects/weir/board")["sets"]
    assert boards[""]["target"] == "Orbit desktop" and boards["lantern-room"]["target"] == "Lantern room"
    assert boards["*"]["target"] == "Orbit desktop, Lantern room" and boards["*"]["cells"]["built"]["state"] == "holds"
    assert boards["*"]["memory"] == boards[""]["memory"] + boards["lantern-room"]["memory"]
    assert set(boards["*"]["lacks"]) == {*boards[""]["lacks"], *boards["lantern-room"]["lacks"]}
    both = {"targets": ["orbit-desktop", "lantern-room"], "sets": [oak.pk]}
    assert len(artist.ask("POST", "/projects/weir/deliveries", both)) == 2
    run_queued()
    assert {entry.target.name for entry in Delivery.objects.all() if entry.receipt} == {"orbit-desktop", "lantern-room"}
    # A set with a target of its own is made for that alone; the board over all targets says which lags behind.
    artist.client.defaults["HTTP_X_TARGET"] = ""
    artist.ask("PATCH", f"/sets/{oak.pk}", {"target": "lantern-room"})
    assert artist("POST", "/projects/weir/deliveries", both).status_code == 409
    # ... and counts once, where all others count for each target.
    own = artist.get("/projects/weir/board")["memory"]
    artist.client.defaults["HTTP_X_TARGET"] = "*"
    assert artist.get("/projects/weir/board")["memory"] == own > 0
    artist.client.defaults["HTTP_X_TARGET"] = ""
    assert artist.get(f"/sets/{oak.pk}")["own_target"] == "lantern-room"
    artist.ask("PATCH", f"/sets/{oak.pk}", {"target": ""})
    assert [entry["name"] for entry in artist.get(f"/sets/{oak.pk}")["made_for"]] == ["orbit-desktop", "lantern-room"]


def test_files_that_are_delivered_as_built_go_the_whole_way(lead: Caller, artist: Caller, oak: TextureSet) -> None:
    lead.ask("PUT", "/projects/weir/targets/gltf-2", {"for_all": True})
    artist.ask("POST", f"/sets/{oak.pk}/proofs", {"target": "gltf-2"})
    run_queued()
    artist.ask("POST", "/projects/weir/deliveries", {"targets": ["gltf-2"], "sets": [oak.pk]})
    run_queued()
    delivery = Delivery.objects.get()
    manifest = delivery.manifest
    assert manifest and delivery.receipt and delivery.receipt.holds
    assert {output.container for output in manifest.sets[0].outputs} == {"png"}
    whole = io.BytesIO(artist("GET", f"/deliveries/{delivery.pk}/zip").getvalue())
    with zipfile.ZipFile(whole) as archive, Pillow.open(archive.open("oak/oak_occlusionRoughnessMetallic.png")) as packed:
        assert packed.size == (16, 16) and packed.mode == "RGB"


# Repacking


def test_a_file_is_repacked_without_a_set(artist: Caller, guest: Caller, stranger: Caller, body: Body) -> None:
    sent = body(shape=(16, 16, 3), seed=5)
    pixels = np.asarray(Pillow.open(io.BytesIO(sent)))

    def ask(path: str, who: Caller = guest, **asked: str) -> Any:
        form = {"file": SimpleUploadedFile("../../x_packed.png", sent), **asked}
        return who.client.post(f"/api/projects/weir/repack{path}", form)

    layout = {"source": "R=occlusion,G=roughness,B=metallic", "result": "R=metallic,G=1-roughness,B=occlusion"}
    seen = ask("/look", **layout).json()
    assert [row["property"] for row in seen["rows"]] == ["occlusion", "roughness", "metallic"]
    assert seen["outputs"][0]["channels"]["G"] == "Roughness" and set(seen["pictures"]) == {"RGB", "R", "G", "B"}
    made = ask("", **layout)
    assert "/" not in made["Content-Disposition"].split("filename=")[1]
    found = np.asarray(Pillow.open(io.BytesIO(made.content)))
    assert np.array_equal(found, np.stack([pixels[..., 2], 255 - pixels[..., 1], pixels[..., 0]], -1))
    apart = ask("", source=layout["source"], result="apart")
    with zipfile.ZipFile(io.BytesIO(apart.getvalue())) as archive:
        assert len(archive.namelist()) == 3
    assert "is no surface property" in ask("/look", source="R=shine", result="apart").json()["problem"]
    assert ask("", source="orbit-desktop:nothing", result="apart").status_code == 409
    assert ask("", stranger, **layout).status_code == 404
    sent = b"\x89PNG\r\n\x1a\n" + b"x" * 90
    assert ask("/look", **layout).status_code == 409


def test_one_channel_of_a_file_is_saved_as_a_map(artist: Caller, stranger: Caller, oak: TextureSet) -> None:
    file = oak.files.get(path="oak_albedo.png")
    with Pillow.open(io.BytesIO(artist("GET", f"/files/{file.pk}/channels/G").content)) as grey:
        assert grey.mode == "L" and grey.size == (16, 16)
    assert artist("GET", f"/files/{file.pk}/channels/A").status_code == 409
    assert stranger("GET", f"/files/{file.pk}/channels/G").status_code == 404


def test_textures_of_an_engine_say_their_layout(lead: Caller, body: Body) -> None:
    names = [f"{stem}_{end}.png" for stem in ("wall", "floor") for end in ("col", "orm")]
    files = [SimpleUploadedFile(name, body(seed=place)) for place, name in enumerate(names)]
    answer = lead.client.post("/api/targets/example", {"files": [*files, SimpleUploadedFile("bad.dds", b"DDS x")]})
    read = answer.json()
    assert answer.status_code == 200 and len(read["refused"]) == 1 and "bad.dds" in read["refused"][0]
    suffixes = {entry["output"]["suffix"]: entry["output"]["channels"][0]["property"] for entry in read["outputs"]}
    assert suffixes["col"] == "base_colour" and suffixes["orm"] == "occlusion"
    made = lead.ask("POST", "/targets", {"title": "Found", "document": read["document"]})
    assert made["draft"]["problems"] == []


def test_projects_begin_with_the_newest_version(lead: Caller) -> None:
    made = lead.ask("POST", "/projects", {"title": "Mill", "target": "gltf-2"})
    (pin,) = lead.get(f"/projects/{made['slug']}/targets")["targets"]
    assert (pin["name"], pin["version"], pin["for_all"], pin["usual"]) == ("gltf-2", shipped()["gltf-2"].version, True, True)
    lead.ask("PATCH", f"/projects/{made['slug']}", {"target": "painted"})
    assert Project.objects.get(slug=made["slug"]).targets.count() == 2
    lead.ask("POST", f"/projects/{made['slug']}/undo")
    assert Project.objects.get(slug=made["slug"]).targets.count() == 1
