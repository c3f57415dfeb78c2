"""What keeps an installation well over years: tidying, backing up and restoring, moving old data forward."""

from __future__ import annotations

import gzip
import json
import os
import subprocess
import uuid
from collections.abc import Callable, Iterator
from datetime import timedelta
from pathlib import Path
from typing import Any

import pytest
from django.contrib.auth import get_user_model
from django.core.files.base import ContentFile
from django.core.files.storage import default_storage
from django.core.management import call_command
from django.db import connection
from django.utils import timezone

from tests.web.conftest import Caller, run_queued
from texelcore.pixels.errors import TexelError
from texelweb.accounts.models import DepotKey, Sitting
from texelweb.builds.models import Build, Product, Proof
from texelweb.deliveries.models import Delivery
from texelweb.jobs.models import Job
from texelweb.sets.models import Arrival, SourceFile, TextureSet
from texelweb.storage.blobs import keeping, local_file, put_file
from texelweb.storage.models import Blob
from texelweb.upkeep.archive import back_up, damaged, restore
from texelweb.upkeep.tidy import delivered_hashes, tidy

TARGET = {"target": "orbit-desktop"}
TARGETS = {"targets": ["orbit-desktop"]}
PREVIOUS = Path(__file__).parent / "previous" / "release_0_1.sql.gz"


@pytest.fixture(autouse=True)
def storage(settings: Any, tmp_path: Path) -> None:
    """Storage of the test's own: what other tests left would be swept up."""
    options = {"location": str(tmp_path / "storage")}
    settings.STORAGES = settings.STORAGES | {"default": settings.STORAGES["default"] | {"OPTIONS": options}}


@pytest.fixture
def studio(storage: None, artist: Caller, world: Path) -> Caller:
    """The vault door sorted, proved and delivered, then changed and proved again."""
    folder = world / "glasshouse-nine" / "vault_door"
    artist.send("weir", {f"vault_door/{path.name}": path.read_bytes() for path in folder.iterdir()})
    door = TextureSet.objects.get().pk
    for step in ("prove", "deliver", "change", "prove"):
        match step:
            case "prove":
                artist.ask("POST", f"/sets/{door}/proofs", TARGET)
            case "deliver":
                artist.ask("POST", "/projects/weir/deliveries", TARGETS | {"sets": [door]})
            case "change":
                artist.ask("DELETE", f"/sets/{door}/rows/normal")
        run_queued()
    return artist


def everything_is_a_year_old() -> None:
    past = timezone.now() - timedelta(days=365)
    for table in (Blob, Product, Proof, Build, Arrival):
        table.objects.update(created=past)
    Job.objects.update(ended=past)
    TextureSet.everything.exclude(removed=None).update(removed=past)


def test_tidying_takes_what_nothing_refers_to_and_never_what_was_delivered(studio: Caller) -> None:
    delivery = Delivery.objects.get()
    delivered = delivered_hashes()
    everything_is_a_year_old()
    before = set(Blob.objects.values_list("sha256", flat=True))
    board, whole = studio.get("/projects/weir/board"), studio.get(f"/sets/{TextureSet.objects.get().pk}")
    said = tidy(alone=True, dry=True)
    assert set(Blob.objects.values_list("sha256", flat=True)) == before
    swept = tidy(alone=True)
    assert swept.counts["jobs"] > 0 and said.counts.keys() <= swept.counts.keys()
    left = set(Blob.objects.values_list("sha256", flat=True))
    # The delivered base colour was made of a file that no row names any more; its encoded bytes stay.
    assert {output.file.sha256 for output in delivery.manifest.sets[0].outputs} <= left and delivered & before <= left
    assert list(damaged()) == [] and default_storage.exists(delivery.place) and delivery.folder.is_dir()
    # What is there now is shown as it was.
    now = studio.get(f"/sets/{TextureSet.objects.get().pk}")
    assert now["proved"] == whole["proved"] and now["lines"] == whole["lines"]
    assert studio.get("/projects/weir/board")["sets"][0]["cells"] == board["sets"][0]["cells"]
    assert tidy(alone=True).total == 0, "a second time there is nothing left to do"


def test_what_a_removed_set_leaves_goes_once_it_is_old_and_nobody_puts_anything_in(studio: Caller) -> None:
    Delivery.objects.all().delete()
    studio("DELETE", f"/sets/{TextureSet.objects.get().pk}")
    sources = set(SourceFile.objects.values_list("blob_id", flat=True))
    assert "products" not in tidy().counts, "what is young stays"
    everything_is_a_year_old()
    other = connection.copy()
    try:
        with other.cursor() as cursor:
            cursor.execute("SELECT pg_advisory_lock_shared(%s)", [0x7E8E1])
        assert tidy(alone=True).waits and Blob.objects.count() > len(sources)
    finally:
        other.close()
    with keeping():
        swept = tidy(alone=True)
    assert not swept.waits and swept.counts["stored files"] > 0 and swept.bytes > 0
    assert set(Blob.objects.values_list("sha256", flat=True)) == sources and Product.objects.count() == 0


def test_what_killed_processes_and_people_left_is_swept_up(artist: Caller, picture: Callable[..., Path], users: Any) -> None:
    body = picture("oak_albedo.png").read_bytes()
    arrival = artist.ask("POST", "/projects/weir/arrivals")["id"]
    artist.client.post(f"/api/arrivals/{arrival}/files", {"path": "oak_albedo.png", "file": ContentFile(body, "upload")})
    for place in ("staged/nobody-waits-for-this", "blobs/ab/" + "ab" * 32, "deliveries/" + "cd" * 16 + ".zip"):
        default_storage.save(place, ContentFile(b"left"))
    default_storage.save("pictures/ab/" + "ab" * 32 + "-R-small.png", ContentFile(b"left"))
    Path(default_storage.path("blobs/.part-0")).write_bytes(b"half a source")
    Sitting.objects.create(session_key="old", session_data="", expire_date=timezone.now() - timedelta(days=1))
    assert set(tidy().counts) == {"sessions"}, "beside running work, what is young may be somebody's"
    swept = tidy(alone=True)
    assert swept.counts == {
        "staged uploads": 1,
        "stored files": 1,
        "pictures": 1,
        "unfinished deliveries": 1,
        "halves of files": 1,
    }
    artist.ask("POST", f"/arrivals/{arrival}/sort")
    run_queued()
    assert SourceFile.objects.get().path == "oak_albedo.png" and tidy(alone=True).total == 0
    # An arrival that was begun and never sent off.
    artist.ask("POST", "/projects/weir/arrivals")
    Arrival.objects.filter(state=Arrival.State.OPEN).update(created=timezone.now() - timedelta(days=60))
    assert tidy().counts == {"arrivals that were never finished": 1}


@pytest.mark.django_db(transaction=True)
def test_a_backup_restores_the_installation_as_it_was(studio: Caller, tmp_path: Path, users: Any) -> None:
    backup = tmp_path / "backup"
    back_up(backup)
    before = {path: studio.get(path) for path in ("/projects/weir/board", "/projects/weir/deliveries", "/account")}
    stored = {
        sha256: default_storage.size(f"blobs/{sha256[:2]}/{sha256}") for sha256 in Blob.objects.values_list("pk", flat=True)
    }
    # A second backup copies nothing anew.
    lines: list[str] = []
    back_up(backup, lines.append)
    assert "0 of them new" in lines[-1] and json.loads((backup / "backup.json").read_text())["objects"] >= len(stored)

    # A delivery that was written once more, after a kill, lies under its name anew.
    place = Delivery.objects.get().place
    with local_file(place) as zipped:
        again = tmp_path / "again.zip"
        again.write_bytes(zipped.read_bytes())
    put_file(again, place)
    back_up(backup, lines.append)
    assert "1 of them new" in lines[-1]

    studio("DELETE", f"/sets/{TextureSet.objects.get().pk}")
    for sha256 in stored:
        default_storage.delete(f"blobs/{sha256[:2]}/{sha256}")
    assert len(list(damaged())) == len(stored)
    with pytest.raises(TexelError, match="holds an installation already"):
        restore(backup)
    restore(backup, replace=True)
    assert list(damaged()) == []
    assert {path: studio.get(path) for path in before} == before
    # A damaged backup says so, and names what is damaged.
    victim = next((backup / "storage" / "blobs").rglob("??*"))
    victim = next(path for path in victim.rglob("*") if path.is_file()) if victim.is_dir() else victim
    victim.chmod(0o600)
    victim.write_bytes(b"something else")
    with pytest.raises(TexelError, match=victim.name):
        restore(backup, replace=True)
    assert list(damaged()) == [] and {path: studio.get(path) for path in before} == before, "nothing was touched"
    (backup / "backup.json").unlink()
    with pytest.raises(TexelError, match="no whole backup"):
        restore(backup, replace=True)


@pytest.fixture
def previous(django_db_setup: None, django_db_blocker: Any) -> Iterator[None]:
    """The database of a small studio, as the release before this one left it."""
    known = connection.settings_dict
    name, own = f"{known['NAME']}_previous", known["NAME"]
    with django_db_blocker.unblock():
        with connection.cursor() as cursor:
            cursor.execute(f"DROP DATABASE IF EXISTS {name}")
            cursor.execute(f"CREATE DATABASE {name}")
        connection.close()
        command = [
            "psql",
            "-q",
            "-v",
            "ON_ERROR_STOP=1",
            "-h",
            known["HOST"],
            "-p",
            str(known["PORT"]),
            "-U",
            known["USER"],
            name,
        ]
        environment = os.environ | {"PGPASSWORD": known["PASSWORD"]}
        subprocess.run(command, input=gzip.decompress(PREVIOUS.read_bytes()), env=environment, check=True, capture_output=True)
        known["NAME"] = name
        try:
            yield
        finally:
            connection.close()
            known["NAME"] = own
            with connection.cursor() as cursor:
                cursor.execute(f"DROP DATABASE {name} WITH (FORCE)")


def test_the_data_of_the_previous_release_moves_forward(previous: None, settings: Any) -> None:
    call_command("migrate", verbosity=0)
    lead = Caller(get_user_model().objects.get(username="lead"))
    sets = list(TextureSet.objects.all())
    assert len(sets) == 10 and all(texture_set.ledger.rows for texture_set in sets)
    for slug in ("glasshouse-nine", "tidewheel"):
        board = lead.get(f"/projects/{slug}/board")
        for entry in board["sets"]:
            view = lead.get(f"/sets/{entry['id']}")
            assert view["lines"]
        for page in ("questions", "endings", "rules", "renames", "arrivals", "deliveries", "variants", "tolerances", "maps"):
            assert lead("GET", f"/projects/{slug}/{page}").status_code == 200, page
    # What was built and proved is so still, but for what newer encoders and operations make differently.
    door = lead.get(f"/sets/{TextureSet.objects.get(code='vault_door').pk}")
    assert door["build"] is not None
    receipts = [entry["receipt"] for entry in lead.get("/projects/glasshouse-nine/deliveries")]
    assert len(receipts) == 6 and all(receipt["holds"] for receipt in receipts)
    # Keys lie encrypted now, and what was open to one edit is open to the next.
    assert DepotKey.of(get_user_model().objects.get(username="artist")) == "thistledown-depot"
    lead.ask("DELETE", f"/sets/{door['id']}/rows/roughness")
    lead.ask("POST", f"/projects/{door['project']}/undo")
    assert lead.get(f"/sets/{door['id']}")["lines"] == door["lines"]


# What is kept, as the studio says


def test_retention_keeps_the_last_builds_and_deliveries_and_all_that_something_refers_to(
    studio: Caller, users: Any, project: Any
) -> None:
    get_user_model().objects.filter(username="lead").update(is_staff=True)
    chief = Caller(get_user_model().objects.get(username="lead"))
    door = TextureSet.objects.get().pk
    studio.ask("POST", "/projects/weir/deliveries", TARGETS | {"sets": [door]})
    run_queued()
    long_ago = timezone.now() - timedelta(days=100)
    for table in (Build, Delivery, Product, Proof):
        table.objects.update(created=long_ago)
    assert Delivery.objects.count() == 2
    # Everything that was delivered stays for as long as the studio says so.
    tidy(alone=True)
    assert Delivery.objects.count() == 2 and all(default_storage.exists(entry.place) for entry in Delivery.objects.all())
    chief.ask("PUT", "/studio/retention", {"builds": 1, "days": 200, "deliveries": 1})
    tidy(alone=True)
    assert Delivery.objects.count() == 2
    chief.ask("PUT", "/studio/retention", {"builds": 1, "days": 30, "deliveries": 1})
    places = {entry.pk: entry.place for entry in Delivery.objects.all()}
    tidy(alone=True)
    left = Delivery.objects.get()
    assert [key for key, place in places.items() if default_storage.exists(place)] == [left.pk]
    # What is there as it stands now is still built and proved.
    line = studio.get("/projects/weir/board")["sets"][0]
    assert line["cells"]["built"]["state"] == "holds" and line["proved"]


def test_space_says_what_each_kind_takes_and_tidying_is_asked_for_once(studio: Caller, users: Any) -> None:
    get_user_model().objects.filter(username="lead").update(is_staff=True)
    chief = Caller(get_user_model().objects.get(username="lead"))
    space = chief.get("/studio/space")
    sizes = {entry["key"]: entry["bytes"] for entry in space["kinds"]}
    assert all(sizes[key] > 0 for key in ("sources", "builds", "proofs", "deliveries", "pictures")), sizes
    assert space["projects"][0]["slug"] == "weir" and space["projects"][0]["bytes"] == sizes["sources"]
    chief.ask("POST", "/studio/tidy")
    again = chief("POST", "/studio/tidy")
    assert again.status_code == 409 and "waiting for a worker" in again.json()["problem"]
    assert chief("PUT", "/studio/retention", {"builds": 0, "days": 30, "deliveries": 0}).status_code == 422


def test_a_deleted_project_goes_when_nothing_works_on_it(studio: Caller, lead: Caller, project: Any) -> None:
    sources = list(SourceFile.objects.values_list("blob", flat=True))
    alive = {"state": Job.State.RUNNING, "beat": timezone.now(), "lease": uuid.uuid4()}
    job = Job.objects.create(project=project, kind="build", title="Building", subject="1", **alive)
    assert lead("POST", "/projects/weir/delete", {"title": "Weir"}).status_code == 204
    tidy(alone=True)
    assert TextureSet.everything.exists()
    Job.objects.filter(pk=job.pk).update(state=Job.State.CANCELLED)
    tidy(alone=True)
    assert not TextureSet.everything.exists() and not Delivery.objects.exists() and not SourceFile.everything.exists()
    assert not Blob.objects.filter(pk__in=sources).exists()
