"""Proofs, masters, variants and deliveries through the API."""

from __future__ import annotations

import hashlib
import io
import json
import zipfile
from pathlib import Path
from typing import Any

import pytest
from django.core.files.storage import default_storage
from PIL import Image as Pillow

from tests.web.conftest import Caller, file_of, run_queued
from texelcore.codecs.dds import read_dds
from texelcore.delivery.package import MANIFEST_NAME
from texelweb.builds.models import Build, Proof
from texelweb.deliveries.models import Delivery
from texelweb.jobs import control, tasks
from texelweb.jobs.models import Job
from texelweb.masters.models import SetVariant
from texelweb.projects.models import Membership, Project, Role
from texelweb.sets.models import TextureSet

pytestmark = pytest.mark.usefixtures("leads_the_studio")

TARGET = {"target": "orbit-desktop"}
TARGETS = {"targets": ["orbit-desktop"]}


@pytest.fixture
def door(artist: Caller, world: Path) -> int:
    """The vault door, sorted and proved; gives the set's id."""
    folder = world / "glasshouse-nine" / "vault_door"
    artist.send("weir", {f"vault_door/{path.name}": path.read_bytes() for path in folder.iterdir()})
    texture_set = TextureSet.objects.get()
    artist.ask("POST", f"/sets/{texture_set.pk}/proofs", TARGET)
    run_queued()
    return texture_set.pk


def planned(view: Any, key: str) -> Any:
    return next(entry for entry in view["planned"] if entry["key"] == key)


def test_proving_builds_encodes_and_measures_once(artist: Caller, door: int) -> None:
    view = artist.get(f"/sets/{door}")
    assert view["build"]["current"] and view["proved"]
    proof = planned(view, "normal")["proof"]
    assert proof["figures"]["normal"]["mean"] < 3 and proof["figures"]["storage"]["format"] == "bc5"
    before = (Build.objects.exclude(manifest="").count(), Proof.objects.count())
    artist.ask("POST", f"/sets/{door}/proofs", TARGET)
    run_queued()
    assert (Build.objects.exclude(manifest="").count(), Proof.objects.count()) == before
    assert artist.get(f"/sets/{door}")["job"] is None
    answer = artist("GET", f"/sets/{door}/proofs/normal/dds")
    data = b"".join(answer.streaming_content)
    assert hashlib.sha256(data).hexdigest() == proof["sha256"] and read_dds(data, "x").format == "bc5"
    for side in ("after", "difference"):
        picture = artist("GET", f"/sets/{door}/proofs/normal/picture?side={side}&size=small")
        assert picture.status_code == 200 and picture.content.startswith(b"\x89PNG")
    # Each level's loss can be looked at, at the level's own size.
    levels = proof["figures"]["levels"]
    for level in (1, levels - 1):
        picture = artist("GET", f"/sets/{door}/proofs/normal/picture?side=difference&level={level}")
        size = Pillow.open(io.BytesIO(picture.content)).size
        assert size == (max(1, proof["figures"]["width"] >> level), max(1, proof["figures"]["height"] >> level))
    assert artist("GET", f"/sets/{door}/proofs/normal/picture?level={levels}").status_code == 404
    assert len(proof["figures"]["below"]) == levels - 1 and proof["figures"]["losses"] == []
    assert artist("GET", f"/sets/{door}/proofs/nothing/dds").status_code == 404


def test_a_cancelled_proof_keeps_what_was_proved(artist: Caller, door: int, monkeypatch: pytest.MonkeyPatch) -> None:
    kept = planned(artist.get(f"/sets/{door}"), "colour")["proof"]["sha256"]
    for output in ("normal", "packed"):
        artist.ask("PUT", f"/sets/{door}/storage/{output}", {"format": "rgba8"})
    job = Job.objects.get(pk=artist.ask("POST", f"/sets/{door}/proofs", TARGET)["id"])
    monkeypatch.setattr(tasks, "SECONDS_BETWEEN_REPORTS", 0)
    told = tasks.Reporter.progress

    def stop_in_the_second(self: Any, share: float, doing: str) -> None:
        if "orm" in doing:
            control.cancel(job)
        told(self, share, doing)

    monkeypatch.setattr(tasks.Reporter, "progress", stop_in_the_second)
    run_queued()
    job.refresh_from_db()
    view = artist.get(f"/sets/{door}")
    assert job.state == "cancelled" and not view["proved"]
    assert planned(view, "colour")["proof"]["sha256"] == kept and planned(view, "normal")["proof"]
    assert planned(view, "packed")["proof"] is None


def test_storage_is_chosen_judged_and_undone(artist: Caller, lead: Caller, door: int) -> None:
    view = artist.ask("PUT", f"/sets/{door}/storage/packed", {"format": "bc7", "srgb": True})
    assert "data-flagged-srgb" in {finding["rule"] for finding in view["findings"]}
    assert planned(view, "packed")["own_storage"] and not view["proved"] and view["build"]["current"]
    artist.ask("POST", f"/projects/{view['project']}/undo")
    view = artist.get(f"/sets/{door}")
    assert not planned(view, "packed")["own_storage"] and view["proved"]
    artist.ask("PUT", f"/sets/{door}/storage/packed", {"format": "bc1"})
    assert not planned(artist.ask("DELETE", f"/sets/{door}/storage/packed"), "packed")["own_storage"]
    assert artist("PUT", f"/sets/{door}/storage/packed", {"format": "bc5", "srgb": True}).status_code == 422
    assert artist("PUT", f"/sets/{door}/storage/nothing", {"format": "bc5"}).status_code == 409
    # House tolerances judge what was measured, at once.
    strict = lead.get("/projects/weir/tolerances")["tolerances"] | {"normal_mean": 0.01}
    assert lead.ask("PUT", "/projects/weir/tolerances", {"base": 0, "tolerances": strict})["version"] == 1
    # Whoever began from what was there before is told.
    late = lead("PUT", "/projects/weir/tolerances", {"base": 0, "tolerances": strict | {"normal_mean": 4}})
    assert late.status_code == 409 and late.json()["overtaken"] and "lead: Changed" in late.json()["problem"]
    assert "tolerance" in {finding["rule"] for finding in artist.get(f"/sets/{door}")["findings"]}
    (cell,) = (entry["cells"]["proved"] for entry in artist.get("/projects/weir/board")["sets"])
    assert cell["state"] == "look" and "0.01°" in cell["first"]
    assert lead("PUT", "/projects/weir/tolerances", {"base": 1, "tolerances": {"normal_mean": -1}}).status_code == 422


def test_a_variant_is_seen_from_its_sources_before_anything_is_proved(artist: Caller, world: Path) -> None:
    folder = world / "glasshouse-nine" / "vault_door"
    artist.send("weir", {f"vault_door/{path.name}": path.read_bytes() for path in folder.iterdir()})
    door = TextureSet.objects.get().pk
    made = artist.ask("POST", f"/sets/{door}/variants", {"master": "solid-surface"})
    assert not made["ready"] and made["outputs"] == []
    artist.ask("PATCH", f"/variants/{made['id']}", {"values": {"tiling": 3.0}})
    surface = artist.get(f"/variants/{made['id']}/surface")
    assert surface["values"]["tiling"] == 3.0 and "uniform vec3 p_tint;" in surface["shader"]["glsl"]
    assert {picture["output"] for picture in surface["pictures"]} >= {"colour", "normal", "data"}
    for picture in surface["pictures"]:
        assert artist("GET", picture["url"].removeprefix("/api")).status_code == 200
    told = [file["problem"] for file in artist.get(f"/variants/{made['id']}")["files"]]
    assert "is not built for" in told[0] and told[1] == ""


def test_a_variant_keeps_its_own_values_as_they_were_set(artist: Caller, guest: Caller, door: int) -> None:
    made = artist.ask("POST", f"/sets/{door}/variants", {"master": "solid-surface"})
    assert made["ready"] and made["name"] == "T_VaultDoor, Solid surface" and made["values"] == {}
    assert made["bindings"]["roughness map"] == "packed.g" and made["bindings"]["emissive map"] is None
    assert "uniform vec3 p_tint;" in made["shader"]["glsl"]
    # The master's brightness is 1 today, and may be another tomorrow.
    values = {"tint": [0.5, 0.25, 1.0], "tiling": 4.0, "brightness": 1.0}
    changed = artist.ask("PATCH", f"/variants/{made['id']}", {"values": values})
    assert changed["values"]["tint"] == [0.5, 0.25, 1.0]
    assert SetVariant.objects.get().values_json == values
    for wrong in ({"tiling": -3}, {"nothing": 1}, {"normal flip": 0.5}):
        assert artist("PATCH", f"/variants/{made['id']}", {"values": wrong}).status_code == 409
    second = artist.ask("POST", f"/sets/{door}/variants", {"master": "solid-surface"})
    assert second["name"] == "T_VaultDoor, Solid surface 2"
    assert artist("PATCH", f"/variants/{second['id']}", {"name": "T_VaultDoor, Solid surface"}).status_code == 409
    # A glTF file is baked by a job, once, and anew after a change.
    gltf = f"/variants/{made['id']}/files/gltf"
    assert artist("GET", gltf).status_code == 409 and guest("POST", gltf).status_code == 403
    asked = [artist.ask("POST", gltf)["id"] for _ in range(2)]
    assert asked[0] == asked[1] == file_of(artist, made["id"], "gltf")["job"]["id"]
    run_queued()
    file = file_of(guest, made["id"], "gltf")
    assert file["made"] and file["job"] is None
    assert b"".join(guest("GET", gltf).streaming_content)[:4] == b"glTF"
    artist.ask("PATCH", f"/variants/{made['id']}", {"values": values | {"tiling": 2.0}})
    assert not file_of(artist, made["id"], "gltf")["made"] and artist("GET", gltf).status_code == 409
    # A base colour that reflects more than falls on it is said.
    bright = artist.ask("PATCH", f"/variants/{made['id']}", {"values": {"brightness": 1.5}})
    assert [entry["message"][:26] for entry in bright["findings"] if entry["rule"] == "base-colour-above-one"] == [
        "Base colour goes up to 1.5"
    ]
    assert artist("DELETE", f"/variants/{second['id']}").status_code == 204


def behind(artist: Caller) -> int:
    """How many variants of the usual master are not at its newest version."""
    return next(entry["behind"] for entry in artist.get("/masters") if entry["name"] == "solid-surface")  # type: ignore[no-any-return]


def test_publishing_leaves_variants_on_theirs(artist: Caller, lead: Caller, users: Any, door: int) -> None:
    made = artist.ask("POST", f"/sets/{door}/variants", {"master": "solid-surface"})
    sheet = lead.get("/masters/solid-surface")
    tiling = next(entry for entry in sheet["parameters"] if entry["name"] == "tiling")
    published = lead.publish("solid-surface", "Larger grounds", parameters=[tiling | {"default": 2.0, "soft_high": 40.0}])
    assert (published["version"], published["versions"][0]["note"]) == (2, "Larger grounds")
    assert published["variants"][0]["version"] == 1 and published["variants"][0]["latest"] == 2
    by_name = {entry["name"]: entry for entry in artist.get(f"/variants/{made['id']}")["parameters"]}
    assert by_name["tiling"]["default"] == 1.0
    # An own value that is the new version's default stays its own.
    artist.ask("PATCH", f"/variants/{made['id']}", {"values": {"tiling": 2.0}})
    assert artist.ask("PATCH", f"/variants/{made['id']}", {"version": 2})["values"] == {"tiling": 2.0}
    artist.ask("PATCH", f"/variants/{made['id']}", {"version": 1})
    assert behind(artist) == 1
    (cell,) = (entry["cells"]["dressed"] for entry in artist.get("/projects/weir/board")["sets"])
    assert cell["state"] == "look" and "v2 is out" in cell["first"]
    moved = artist.ask("PATCH", f"/variants/{made['id']}", {"version": 2})
    assert moved["values"]["tiling"] == 2.0 and behind(artist) == 0
    assert lead.get("/masters/solid-surface?version=1")["version"] == 1
    # A lead of another project sees that the master is used, and not where.
    other = Project.objects.create(slug="other", code="ot", title="Other", target="orbit-desktop")
    Membership.objects.create(project=other, user=users["stranger"], role=Role.LEAD)
    seen = Caller(users["stranger"]).get("/masters/solid-surface")
    assert seen["variants"] == [] and seen["hidden_variants"] == 1


def deliver(artist: Caller, door: int) -> Any:
    (made,) = artist.ask("POST", "/projects/weir/deliveries", TARGETS | {"sets": [door]})
    run_queued()
    return artist.get(f"/deliveries/{made['id']}")


def test_a_delivery_is_read_back_and_goes_stale_with_its_set(artist: Caller, door: int) -> None:
    variant = artist.ask("POST", f"/sets/{door}/variants", {"master": "solid-surface"})
    made = deliver(artist, door)
    assert made["receipt"]["holds"] and made["job"]["state"] == "done"
    folder = Path(made["folder"])
    answer = artist("GET", f"/deliveries/{made['id']}/zip")
    with zipfile.ZipFile(io.BytesIO(b"".join(answer.streaming_content))) as archive:
        names = set(archive.namelist())
    assert names == {path.relative_to(folder).as_posix() for path in folder.rglob("*") if path.is_file()}
    assert {"variants/t_vault_door_solid_surface.variant.json", "masters/solid-surface-v1.master.json", MANIFEST_NAME} < names

    def cell() -> Any:
        (entry,) = artist.get("/projects/weir/board")["sets"]
        return entry["cells"]["delivered"]

    assert cell()["state"] == "holds"
    artist.ask("PATCH", f"/variants/{variant['id']}", {"values": {"brightness": 1.5}})
    assert cell()["state"] == "look" and "before the last change" in cell()["first"]
    assert deliver(artist, door)["receipt"]["holds"] and cell()["state"] == "holds"
    # Somebody edits a delivered file: the dock names it when it is asked again.
    latest = Delivery.objects.order_by("-created")[0]
    victim = next(latest.folder.rglob("*_n.dds"))
    victim.write_bytes(victim.read_bytes()[:-1] + b"?")
    artist.ask("POST", f"/deliveries/{latest.pk}/receive")
    run_queued()
    receipt = artist.get(f"/deliveries/{latest.pk}")["receipt"]
    assert not receipt["holds"] and victim.name in receipt["findings"][0]["subject"]
    assert cell()["state"] == "wrong"


def test_what_a_targets_materials_do_not_take_is_left_out_and_said(artist: Caller, door: int) -> None:
    """Pocket mill's materials are the plain ones: a wet surface loses its clear coat there, on the stage and at the dock."""
    variant = artist.ask("POST", f"/sets/{door}/variants", {"master": "wet-surface"})
    assert "clear_coat" in variant["shader"]["extended"]
    artist.ask("PATCH", f"/sets/{door}", {"target": "pocket-mill"})
    plain = artist.get(f"/variants/{variant['id']}")
    assert plain["shader"]["extended"] == []
    (said,) = [entry for entry in plain["findings"] if entry["rule"] == "extension-not-taken"]
    assert "Pocket mill take no clear coat" in said["message"] and said["way_out"]
    artist.ask("POST", f"/sets/{door}/proofs", {"target": "pocket-mill"})
    run_queued()
    artist.ask("POST", "/projects/weir/deliveries", {"targets": ["pocket-mill"], "sets": [door]})
    run_queued()
    receipt = artist.get(f"/deliveries/{Delivery.objects.get().pk}")["receipt"]
    (told,) = [entry for entry in receipt["findings"] if "gives clear coat" in entry["message"]]
    assert receipt["holds"] and told["severity"] == "warning"


def test_what_is_not_proved_or_not_ours_is_not_delivered(artist: Caller, door: int) -> None:
    artist.ask("PUT", f"/sets/{door}/storage/packed", {"format": "bc1"})
    failed = deliver(artist, door)
    assert (
        failed["job"]["state"] == "failed"
        and "up-to-date compression results" in failed["job"]["problem"]
        and failed["files"] == 0
    )
    assert not Delivery.objects.get(pk=failed["id"]).folder.exists()
    assert artist("GET", f"/deliveries/{failed['id']}/zip").status_code == 404
    other = Project.objects.create(slug="other", code="ot", title="Other", target="orbit-desktop")
    TextureSet.objects.filter(pk=door).update(project=other)
    assert artist("POST", "/projects/weir/deliveries", TARGETS | {"sets": [door]}).status_code == 404


def test_a_cancelled_delivery_leaves_nothing(artist: Caller, door: int, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(tasks, "SECONDS_BETWEEN_REPORTS", 0)
    told = tasks.Reporter.progress
    for moment in ("we_t_vault_door_orm", "writing the zip"):
        (made,) = artist.ask("POST", "/projects/weir/deliveries", TARGETS | {"sets": [door]})
        job = Job.objects.get(pk=made["job"]["id"])

        def stop(self: Any, share: float, doing: str, moment: str = moment, job: Job = job) -> None:
            if moment in doing:
                control.cancel(job)
            told(self, share, doing)

        monkeypatch.setattr(tasks.Reporter, "progress", stop)
        run_queued()
        delivery = Delivery.objects.get(pk=made["id"])
        assert delivery.manifest_json is None and not delivery.folder.exists() and not default_storage.exists(delivery.place)
        assert not list(delivery.folder.parent.glob(".*"))


def test_with_storage_elsewhere_a_delivery_is_whole_without_any_folder(elsewhere: None, artist: Caller, door: int) -> None:
    made = deliver(artist, door)
    assert made["receipt"]["holds"] and made["folder"] == ""
    body = b"".join(artist.client.get(f"/api/deliveries/{made['id']}/zip").streaming_content)
    manifest = json.loads(zipfile.ZipFile(io.BytesIO(body)).read(MANIFEST_NAME))
    assert [entry["code"] for entry in manifest["sets"]] == ["t_vault_door"]
    # Any worker can have it read back, and finds what storage holds.
    artist.ask("POST", f"/deliveries/{made['id']}/receive")
    run_queued()
    assert artist.get(f"/deliveries/{made['id']}")["receipt"]["holds"]
    default_storage.delete(Delivery.objects.get().place)
    artist.ask("POST", f"/deliveries/{made['id']}/receive")
    run_queued()
    assert "not in storage" in artist.get(f"/deliveries/{made['id']}")["job"]["problem"]


def test_a_wrong_flag_is_delivered_when_asked_for_and_caught_by_the_dock(artist: Caller, door: int) -> None:
    artist.ask("PUT", f"/sets/{door}/storage/packed", {"format": "bc7", "srgb": True})
    artist.ask("POST", f"/sets/{door}/proofs", TARGET)
    run_queued()
    receipt = deliver(artist, door)["receipt"]
    assert not receipt["holds"] and "flagged sRGB" in json.dumps(receipt["findings"])
    wrong = {entry["property"]: entry["reading"] for entry in receipt["properties"] if not entry["holds"]}
    assert wrong["roughness"] == "without the sRGB flag"
