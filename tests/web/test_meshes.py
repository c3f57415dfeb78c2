"""A set's own mesh: kept as it came, and looked over before it is."""

from __future__ import annotations

import io
import json
import struct
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pygltflib
import pytest

from tests.web.conftest import Caller
from texelcore.pixels.errors import TexelError
from texeldemo.meshes import planter
from texelweb.sets.geometry.meshes import look_over
from texelweb.sets.models import TextureSet

Body = Callable[..., bytes]
TRIANGLE = b"v 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nf 1/1 2/1 3/1\n"


def glb(document: dict[str, Any], tail: bytes = b"") -> bytes:
    """A GLB by hand, as glTF 2.0 lays it out: a header of 12 bytes, then the JSON chunk."""
    text = json.dumps(document).encode()
    text += b" " * (-len(text) % 4)
    chunk = struct.pack("<I4s", len(text), b"JSON") + text + tail
    return struct.pack("<4sII", b"glTF", 2, 12 + len(chunk)) + chunk


def by_pygltflib() -> bytes:
    return b"".join(pygltflib.GLTF2(asset=pygltflib.Asset(version="2.0")).save_to_bytes())


GOOD = {"pot.obj": TRIANGLE, "pot.glb": by_pygltflib(), "pot.gltf": b'{"asset": {"version": "2.0"}, "meshes": []}'}
BAD = {
    "pot.fbx": (TRIANGLE, "no glTF or OBJ file"),
    "text.obj": (b"a letter home", "no OBJ with points"),
    "bytes.obj": (TRIANGLE + b"\0", "no OBJ with points"),
    "short.glb": (by_pygltflib()[:-4], "damaged or no GLB"),
    "tiny.glb": (b"glTF", "damaged, or no glTF"),
    "old.glb": (glb({"asset": {"version": "1.0"}}), "not glTF 2.0"),
    "list.gltf": (b"[]", "no glTF"),
    "deep.gltf": (b"[" * 100_000, "no glTF"),
    "leans.glb": (glb({"asset": {"version": "2.0"}, "buffers": [{"uri": "../../etc/passwd"}]}), "leans on other files"),
    "calls.gltf": (b'{"asset": {"version": "2.0"}, "images": [{"uri": "https://x.test/a.png"}]}', "leans on other files"),
}


@pytest.mark.parametrize("name", GOOD)
def test_a_mesh_is_kept_with_its_set_and_taken_away(artist: Caller, guest: Caller, body: Body, name: str) -> None:
    artist.send("weir", {"oak_albedo.png": body()})
    where = f"/sets/{TextureSet.objects.get().pk}"
    assert artist.get(where)["mesh"] is None and guest("GET", f"{where}/mesh").status_code == 404
    form = {"name": f"shapes/{name}", "file": io.BytesIO(GOOD[name])}
    assert artist.client.post(f"/api{where}/mesh", form).json()["mesh"]["name"] == name
    answer = guest("GET", f"{where}/mesh")
    assert b"".join(answer.streaming_content) == GOOD[name]
    assert answer["Content-Type"] == "application/octet-stream" and "attachment" in answer["Content-Disposition"]
    assert artist.ask("DELETE", f"{where}/mesh")["mesh"] is None


def test_a_mesh_has_revisions_and_an_older_one_is_shown_again(
    artist: Caller, guest: Caller, lead: Caller, body: Body, monkeypatch: pytest.MonkeyPatch
) -> None:
    artist.send("weir", {"oak_albedo.png": body()})
    where = f"/sets/{TextureSet.objects.get().pk}"
    finer = TRIANGLE + b"# finer\n"
    for name, content in (("pot.obj", TRIANGLE), ("pot.obj", finer), ("pot.obj", finer), ("jug.obj", finer)):
        artist.client.post(f"/api{where}/mesh", {"name": name, "file": io.BytesIO(content)})

    def told() -> list[tuple[int, str, bool]]:
        return [(row["number"], row["name"], row["shown"]) for row in guest.get(f"{where}/meshes")]

    # The same file under the same name is no new revision.
    assert told() == [(3, "jug.obj", True), (2, "pot.obj", False), (1, "pot.obj", False)]
    assert b"".join(guest("GET", f"{where}/mesh?revision=1").streaming_content) == TRIANGLE
    assert guest("POST", f"{where}/meshes/1/show").status_code == 403
    assert artist("POST", f"{where}/meshes/9/show").status_code == guest("GET", f"{where}/mesh?revision=9").status_code == 404
    assert artist.ask("POST", f"{where}/meshes/1/show")["mesh"]["name"] == "pot.obj"
    assert told() == [(3, "jug.obj", False), (2, "pot.obj", False), (1, "pot.obj", True)]
    assert b"".join(guest("GET", f"{where}/mesh").streaming_content) == TRIANGLE
    # Showing it is a step as any other, and so is taking it away: no revision is lost by either.
    artist.ask("DELETE", f"{where}/mesh")
    assert not any(shown for *_, shown in told())
    for name in ("pot.obj", "jug.obj"):
        step = artist.get("/projects/weir/steps")["undo"]["id"]
        artist.ask("POST", f"/projects/weir/steps/{step}/undo")
        assert artist.get(where)["mesh"]["name"] == name
    # There is an end to them, which loses nothing and says the way out.
    monkeypatch.setattr("texelweb.sets.geometry.meshes.MOST_REVISIONS", 3)
    refused = artist.client.post(f"/api{where}/mesh", {"name": "last.obj", "file": io.BytesIO(TRIANGLE)})
    assert refused.status_code == 409 and "has 3 revisions" in refused.json()["problem"] and refused.json()["way_out"]
    # A copy in another project begins with what is shown.
    assert lead("POST", "/projects", {"title": "Mill", "target": "orbit-desktop"}).status_code in (200, 201)
    copied = lead("POST", f"{where}/copy", {"project": "mill"}).json()["id"]
    assert [row["name"] for row in lead.get(f"/sets/{copied}/meshes")] == ["jug.obj"]


@pytest.mark.parametrize("name", BAD)
def test_what_is_no_mesh_is_refused_and_the_old_one_stays(artist: Caller, body: Body, name: str) -> None:
    artist.send("weir", {"oak_albedo.png": body()})
    where = f"/api/sets/{TextureSet.objects.get().pk}/mesh"
    artist.client.post(where, {"name": "pot.obj", "file": io.BytesIO(TRIANGLE)})
    refused = artist.client.post(where, {"name": name, "file": io.BytesIO(BAD[name][0])})
    assert refused.status_code == 409 and BAD[name][1] in refused.json()["problem"] and refused.json()["way_out"]
    assert TextureSet.objects.get().mesh_name == "pot.obj"


def test_the_demo_mesh_is_whole(tmp_path: Path) -> None:
    """Every face names points that are there, and no edge of the turned shape is left open but at its two poles."""
    place = tmp_path / "planter.obj"
    place.write_text(planter())
    look_over(place, place.name)
    lines = [line.split() for line in planter().splitlines()]
    points = np.array([line[1:] for line in lines if line[0] == "v"], float)
    faces = [[int(corner.split("/")[0]) for corner in line[1:]] for line in lines if line[0] == "f"]
    assert len(points) == sum(line[0] == "vt" for line in lines) == max(max(face) for face in faces)
    assert np.ptp(points[:, 0]) == pytest.approx(np.ptp(points[:, 2])) and points[:, 1].min() == 0
    with pytest.raises(TexelError, match="larger than 64 MB"):
        with place.open("ab") as file:
            file.truncate(64 * 1024**2 + 1)
        look_over(place, place.name)


def test_a_projects_model_is_dressed_part_by_part_and_each_change_goes_back(
    artist: Caller, guest: Caller, stranger: Caller, body: Body
) -> None:
    artist.send("weir", {"oak_albedo.png": body()})
    texture_set = TextureSet.objects.get().pk
    form = {"name": "deep/folder/pot.obj", "file": io.BytesIO(TRIANGLE)}
    made = artist.client.post("/api/projects/weir/models", form).json()
    where = f"/models/{made['id']}"
    assert made["name"] == "pot" and made["file_name"] == "pot.obj" and made["revision"] == 1
    worn = {"parts": {"lid": {"set": texture_set}, "foot": {"set": texture_set}}}
    assert artist.ask("PATCH", f"{where}?seen=1", worn)["parts"]["lid"] == {"set": texture_set, "variant": None, "own": None}
    # Somebody who looked before that is told, and takes nothing away.
    assert artist("PATCH", f"{where}?seen=1", {"name": "Jug"}).status_code == 409
    assert artist("PATCH", f"{where}?seen=2", {"parts": {"lid": {"set": texture_set, "variant": 1}}}).status_code == 409
    assert artist("PATCH", f"{where}?seen=2", {"parts": {"lid": {"set": texture_set + 99}}}).status_code == 404
    assert guest("PATCH", f"{where}?seen=2", {"name": "Jug"}).status_code == 403
    assert stranger("GET", where).status_code == 404
    assert artist("PATCH", f"{where}?seen=2", {"parts": {"lid": {"set": texture_set, "own": True}}}).status_code == 409
    artist.ask("PATCH", f"{where}?seen=2", {"parts": {"lid": None}})
    assert set(guest.get(where)["parts"]) == {"foot"}
    # The same file name is a revision of the same model, and what its parts wear stays.
    again = {"name": "pot.obj", "file": io.BytesIO(TRIANGLE + b"# finer\n")}
    revised = artist.client.post("/api/projects/weir/models", again).json()
    assert revised["id"] == made["id"] and revised["revision"] == 2 and set(revised["parts"]) == {"foot"}
    files = [b"".join(guest("GET", f"{where}/file{asked}").streaming_content) for asked in ("?revision=1", "")]
    assert files == [TRIANGLE, TRIANGLE + b"# finer\n"]
    assert artist("DELETE", where).status_code == 204 and guest.get("/projects/weir/models") == []
    steps = artist.get("/projects/weir/steps")
    for _ in range(3):
        artist.ask("POST", f"/projects/weir/steps/{steps['undo']['id']}/undo")
        steps = artist.get("/projects/weir/steps")
    assert set(guest.get(where)["parts"]) == {"foot", "lid"}
    # Undone, it is the first revision that is shown, and said.
    assert guest.get(where)["revision"] == 1
    edit = guest.get(where)["edit"]
    shown = artist.ask("POST", f"{where}/revisions/2/show?seen={edit}")
    assert shown["revision"] == 2 and [row["shown"] for row in shown["revisions"]] == [True, False]
    assert artist("POST", f"{where}/revisions/1/show?seen={edit}").status_code == 409
    assert artist("POST", f"{where}/revisions/9/show?seen={edit + 1}").status_code == 404
    artist.ask("POST", f"{where}/revisions/1/show?seen={edit + 1}")
    beside = {"name": "pot.obj", "file": io.BytesIO(TRIANGLE), "beside": io.BytesIO(b"newmtl clay\nKd 1 0 0\n\xff")}
    with_mtl = artist.client.post("/api/projects/weir/models", beside).json()
    assert with_mtl["revision"] == 3 and with_mtl["mtl"].startswith("newmtl clay")
    own = artist.ask("PATCH", f"{where}?seen={with_mtl['edit']}", {"parts": {"lid": {"own": True}}})
    assert own["parts"]["lid"]["own"] and own["parts"]["foot"]["set"] == texture_set
    for name, content in (("a.exe", TRIANGLE), ("bad.obj", b"nothing"), ("bad.glb", b"glTF")):
        answer = artist.client.post("/api/projects/weir/models", {"name": name, "file": io.BytesIO(content)})
        assert answer.status_code == 409 and name in answer.json()["subject"]
