"""Variants and masters as MaterialX through the API, read back by its own library."""

from __future__ import annotations

import io
import zipfile
from pathlib import Path

import MaterialX as mx
import numpy as np
from PIL import Image as Pillow

from tests.web.conftest import Caller, file_of, run_queued
from tests.web.test_layered import ground, lay
from texelcore.materials.mtlx.writing import standard_library
from texelweb.sets.models import TextureSet


def sorted_sets(artist: Caller, world: Path) -> tuple[int, int]:
    for name in ("vault_door", "fern_planter"):
        folder = world / "glasshouse-nine" / name
        artist.send("weir", {f"{name}/{path.name}": path.read_bytes() for path in folder.iterdir()})
    door, planter = (entry.pk for entry in TextureSet.objects.order_by("code"))
    return door, planter


def test_a_variant_is_written_once_with_the_pictures_of_its_sets(artist: Caller, guest: Caller, world: Path) -> None:
    door, planter = sorted_sets(artist, world)
    made = ground(artist, door, planter)
    address = f"/variants/{made['id']}/files/materialx"
    early = guest("GET", address)
    assert early.status_code == 409 and "Have it made first" in early.json()["way_out"]
    assert guest("POST", address).status_code == 403
    jobs = {artist.ask("POST", address)["id"] for _ in range(2)}
    assert len(jobs) == 1
    run_queued()
    file = file_of(artist, made["id"], "materialx")
    assert file["made"] and file["job"] is None and file["problem"] == ""
    first = b"".join(guest("GET", address).streaming_content)
    archive = zipfile.ZipFile(io.BytesIO(first))
    document = mx.createDocument()
    mx.readFromXmlString(document, archive.read("material.mtlx").decode())
    document.setDataLibrary(standard_library())
    assert document.validate() == (True, "")
    graph = document.getNodeGraph("NG_two_layer_ground")
    files = {node.getInput("file").getValueString() for node in graph.getNodes() if node.getCategory() == "image"}
    # Each picture is there, each set's once, and is a picture.
    pictures = {name for name in archive.namelist() if name.endswith(".png")}
    assert files == pictures and any("set01" in name for name in files) and any("set02" in name for name in files)
    assert np.asarray(Pillow.open(io.BytesIO(archive.read(sorted(pictures)[0])))).ndim == 3
    (shader,) = (node for node in document.getNodes() if node.getCategory() == "gltf_pbr")
    assert {"base_color", "normal", "roughness"} <= {entry.getName() for entry in shader.getInputs()}
    # The same set in both layers is written once; what was written is not it any more.
    lay(artist, made["id"], door, door)
    assert not file_of(artist, made["id"], "materialx")["made"] and artist("GET", address).status_code == 409
    artist.ask("POST", address)
    run_queued()
    again = zipfile.ZipFile(io.BytesIO(b"".join(artist("GET", address).streaming_content)))
    assert not any("set02" in name for name in again.namelist())


def test_what_looks_otherwise_there_is_said_on_the_page_and_in_the_zip(artist: Caller, world: Path) -> None:
    door, _ = sorted_sets(artist, world)
    made = artist.ask("POST", f"/sets/{door}/variants", {"master": "large-ground"})
    told = [entry["message"] for entry in made["findings"] if entry["rule"] == "nearest-in-materialx"]
    assert len(told) == 2 and "Each of “colour”, “rough”, “shade”, “bump” reads its texture once" in told[1]
    artist.ask("POST", f"/variants/{made['id']}/files/materialx")
    run_queued()
    body = b"".join(artist("GET", f"/variants/{made['id']}/files/materialx").streaming_content)
    notes = zipfile.ZipFile(io.BytesIO(body)).read("notes.txt").decode().splitlines()
    assert [entry.removeprefix("In MaterialX it looks otherwise: ") for entry in told] == notes
    plain = artist.ask("POST", f"/sets/{door}/variants", {"master": "solid-surface"})
    assert not [entry for entry in plain["findings"] if entry["rule"] == "nearest-in-materialx"]


def test_a_master_is_a_document_with_its_parameters(guest: Caller, stranger: Caller) -> None:
    answer = guest("GET", "/masters/large-ground/materialx")
    assert answer.headers["Content-Disposition"] == 'attachment; filename="large-ground-v1.mtlx"'
    document = mx.createDocument()
    mx.readFromXmlString(document, answer.content.decode())
    asked = {entry["label"] for entry in guest.get("/masters/large-ground")["parameters"]}
    shown = {entry.getAttribute("uiname") for entry in document.getNodeGraph("NG_large_ground").getInputs()}
    assert asked <= shown
    assert stranger("GET", "/masters/large-ground/materialx").status_code == 404
    assert guest("GET", "/masters/large-ground/materialx?version=9").status_code == 404
