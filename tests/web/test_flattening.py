"""Variants flattened into sets of plain maps, with a mask or with what is painted on a mesh."""

from __future__ import annotations

import io
from collections.abc import Callable
from typing import Any

import numpy as np
from django.core.files.storage import default_storage
from django.utils import timezone
from PIL import Image as Pillow

from tests.core.test_meshes import CORNERS, glb
from tests.web.conftest import Caller, run_queued
from tests.web.test_layered import ground, two
from texelweb.builds.models import Build, Output
from texelweb.jobs.models import Job
from texelweb.masters.models import Flattening
from texelweb.sets.models import SourceFile, TextureSet
from texelweb.storage.models import place_of

__all__ = ["two"]
RED, BARE = [1, 0, 0, 1], [0, 0, 0, 0]


def quad(*paint: list[float]) -> bytes:
    """A square with four numbers painted on each corner: upper left, upper right, lower left, lower right."""
    return glb(CORNERS | {"COLOR_0": np.float32(paint)}, [0, 1, 2, 1, 3, 2])


def flatten(artist: Caller, variant: int, name: str, edge: int = 0, mesh: bytes | None = None) -> Any:
    form: dict[str, Any] = {"name": name, "edge": edge} | ({"file": io.BytesIO(mesh)} if mesh else {})
    answer = artist.client.post(f"/api/variants/{variant}/flattenings", form)
    assert answer.status_code == 200, answer.content
    run_queued()
    found = {entry["name"]: entry for entry in artist.get(f"/variants/{variant}/flattenings")}
    assert found[name]["job"]["state"] == "done", found[name]["job"]
    return found[name]


def pixels(blob: str) -> np.ndarray[Any, Any]:
    with default_storage.open(place_of(blob)) as file:
        return np.asarray(Pillow.open(file).convert("RGB"), float)


def flat_colour(set_id: int) -> np.ndarray[Any, Any]:
    return pixels(SourceFile.objects.get(set=set_id, path__endswith="_base_colour.png").blob_id)


def built_colour(set_id: int) -> np.ndarray[Any, Any]:
    return pixels(Output.objects.filter(build__set=set_id, key="colour").latest("pk").blob_id)


def test_a_plain_variant_flattened_is_its_set_again(artist: Caller, two: tuple[int, int]) -> None:
    door, _ = two
    variant = artist.ask("POST", f"/sets/{door}/variants", {"master": "solid-surface", "name": "Plain"})
    made = flatten(artist, variant["id"], "Plain flat")
    flat, built = flat_colour(made["set_id"]), built_colour(door)
    assert flat.shape == built.shape and np.abs(flat - built).max() <= 1
    view = artist.get(f"/sets/{made['set_id']}")
    rows = {line["row"]["property"]: line["row"] for line in view["lines"] if line["row"]}
    assert {"base_colour", "normal", "roughness", "metallic", "occlusion"} <= rows.keys()
    assert rows["normal"]["normal_y"] == "+Y" and rows["base_colour"]["encoding"] == "srgb"
    assert view["origin"]["way"] == "flattened" and "Plain" in view["origin"]["source"]


def test_what_is_painted_decides_and_painted_anew_renews_the_same_set(
    artist: Caller, guest: Caller, two: tuple[int, int], body: Callable[..., bytes]
) -> None:
    door, planter = two
    variant = ground(artist, door, planter)["id"]
    painted = flatten(artist, variant, "Deck", 512, quad(RED, BARE, RED, BARE))
    flat = flat_colour(painted["set_id"])
    assert flat.shape == (512, 512, 3)
    base, top = (
        flat_colour(flatten(artist, variant, name, 512, quad(*[paint] * 4))["set_id"])
        for name, paint in (("All bare", BARE), ("All red", RED))
    )
    assert np.abs(base - top).mean() > 10
    # At the painted edge it is all the one, at the bare edge all the other, and each texel lies between them.
    assert np.abs(flat[:, :4] - top[:, :4]).mean() < 1 and np.abs(flat[:, -4:] - base[:, -4:]).mean() < 1
    # What an artist has added to the set meanwhile stays.
    artist.send("weir", {"loose/zzz.png": body()})
    own = SourceFile.objects.get(path="loose/zzz.png")
    artist.ask("PUT", f"/sets/{painted['set_id']}/rows/mask.edge", {"file": own.pk, "channels": ["R"]})
    own.refresh_from_db()
    assert own.set_id == painted["set_id"]
    again = flatten(artist, variant, "Deck", 512, quad(BARE, RED, BARE, RED))
    kept = {line["property"] for line in artist.get(f"/sets/{again['set_id']}")["lines"] if line["row"]}
    own.refresh_from_db()
    assert {"mask.edge", "base_colour"} <= kept and own.set_id == painted["set_id"]
    # A constant map equals the one that it was made from: nobody is asked about that.
    assert not any(entry["question"]["kind"] in ("shared", "double") for entry in artist.get("/projects/weir/questions")["open"])
    assert again["set_id"] == painted["set_id"] and Flattening.objects.count() == 3
    turned = flat_colour(again["set_id"])
    assert np.abs(turned[:, :4] - base[:, :4]).mean() < 1 and np.abs(turned[:, -4:] - top[:, -4:]).mean() < 1
    file = SourceFile.objects.get(set=again["set_id"], path__endswith="_base_colour.png")
    assert file.revision == 2
    # It is a set as any other: built and proved for a target, whatever that packs.
    artist.ask("POST", f"/sets/{again['set_id']}/proofs", {"target": "pocket-mill"})
    run_queued()
    assert Build.objects.filter(set=again["set_id"]).exclude(manifest="").exists()
    form = {"name": "Deck", "edge": 512}
    assert guest.client.post(f"/api/variants/{variant}/flattenings", form).status_code == 403
    assert artist.client.post(f"/api/variants/{variant}/flattenings", form | {"edge": 500}).status_code == 409


def test_a_bad_mesh_or_a_set_that_is_not_built_is_said_and_nothing_is_made(artist: Caller, two: tuple[int, int]) -> None:
    door, planter = two
    variant = ground(artist, door, planter)["id"]
    where = f"/api/variants/{variant}/flattenings"
    for mesh, said in ((b"glTF", "damaged"), (b"o pot", "no glTF")):
        answer = artist.client.post(where, {"name": "Deck", "file": io.BytesIO(mesh)})
        assert answer.status_code == 409 and said in answer.json()["problem"], answer.content
    assert not Flattening.objects.exists() and not Job.objects.filter(kind=Job.Kind.FLATTEN).exists()
    # What only the worker sees of a mesh fails its job, with words; no set is made.
    unwrapped = glb({"POSITION": CORNERS["POSITION"]})
    assert artist.client.post(where, {"name": "Deck", "file": io.BytesIO(unwrapped)}).status_code == 200
    run_queued()
    (told,) = artist.get(f"/variants/{variant}/flattenings")
    assert "no texture coordinates" in told["job"]["problem"] and told["job"]["way_out"] and told["set_id"] is None
    assert TextureSet.objects.count() == 2
    # A set that changed after its build is built first.
    artist.ask("DELETE", f"/sets/{planter}/rows/roughness")
    refused = artist.client.post(where, {"name": "Deck"})
    assert refused.status_code == 409 and "was changed after the last build for" in refused.json()["problem"]
    assert "Build it" in refused.json()["way_out"]
    artist.ask("POST", "/projects/weir/undo")
    # A variant that is removed meanwhile stops its job, with words.
    assert artist.client.post(where, {"name": "Deck"}).status_code == 200
    assert artist("DELETE", f"/variants/{variant}").status_code == 204
    run_queued()
    job = Job.objects.filter(kind=Job.Kind.FLATTEN).latest("created")
    assert job.state == "failed" and "removed meanwhile" in job.problem


def test_two_that_are_called_alike_have_files_of_their_own(artist: Caller, two: tuple[int, int]) -> None:
    """Asked for before either has run, as on a busy day: neither takes the other's files for an older export of its own."""
    made = [artist.ask("POST", f"/sets/{number}/variants", {"master": "solid-surface"})["id"] for number in two]
    for variant, name in zip(made, ("Deck", "deck"), strict=True):
        answer = artist.client.post(f"/api/variants/{variant}/flattenings", {"name": name, "edge": 512})
        assert answer.status_code == 200, answer.content
    run_queued()
    sets = [artist.get(f"/variants/{variant}/flattenings")[0]["set_id"] for variant in made]
    assert len(set(sets)) == 2 and np.abs(flat_colour(sets[0]) - flat_colour(sets[1])).mean() > 5
    assert {file.revision for file in SourceFile.objects.filter(set__in=sets)} == {1}


def test_what_maps_have_no_place_for_is_said_in_the_ledger(artist: Caller, two: tuple[int, int]) -> None:
    door, _ = two
    variant = artist.ask("POST", f"/sets/{door}/variants", {"master": "wet-surface", "name": "Wet"})
    made = flatten(artist, variant["id"], "Wet flat", 512)
    why = artist.get(f"/sets/{made['set_id']}")["lines"][0]["row"]["why"]
    assert "without clear coat" in why


def test_new_paint_is_flattened_though_a_job_of_that_name_runs_already(artist: Caller, two: tuple[int, int]) -> None:
    """One that runs has begun with the old paint: it is as good for the same again, and not for another."""
    door, planter = two
    variant = ground(artist, door, planter)["id"]

    def ask(*paint: list[float]) -> str:
        form = {"name": "Deck", "edge": 512, "file": io.BytesIO(quad(*paint))}
        return str(artist.client.post(f"/api/variants/{variant}/flattenings", form).json()["id"])

    first = ask(RED, RED, RED, RED)
    Job.objects.filter(pk=first).update(state=Job.State.RUNNING, beat=timezone.now())
    assert ask(RED, RED, RED, RED) == first
    second = ask(BARE, BARE, BARE, BARE)
    assert second != first
    # That one waits still, and takes up whatever is asked for until it begins.
    assert ask(RED, BARE, RED, BARE) == second and ask(RED, BARE, RED, BARE) == second
