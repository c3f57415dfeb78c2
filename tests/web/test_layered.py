"""Masters that are written in the application, and variants with a set in each layer, through the API."""

from __future__ import annotations

import base64
import hashlib
import io
import json
from pathlib import Path
from typing import Any

import numpy as np
import pygltflib
import pytest
from django.contrib.auth import get_user_model
from PIL import Image as Pillow

from tests.web.conftest import Caller, run_queued
from texelcore.targets.library import shipped
from texeldock.receive import receive
from texelweb.masters.models import LayerSet, MasterDraft, StudioMaster
from texelweb.projects.models import Membership, Role
from texelweb.sets.models import TextureSet

pytestmark = pytest.mark.usefixtures("leads_the_studio")

TARGET = {"target": "orbit-desktop"}


@pytest.fixture
def two(artist: Caller, world: Path) -> tuple[int, int]:
    """A door and a planter, sorted and proved; their ids."""
    for name in ("vault_door", "fern_planter"):
        folder = world / "glasshouse-nine" / name
        artist.send("weir", {f"{name}/{path.name}": path.read_bytes() for path in folder.iterdir()})
    found = {entry.code.lower(): entry.pk for entry in TextureSet.objects.all()}
    for number in found.values():
        artist.ask("POST", f"/sets/{number}/proofs", TARGET)
    run_queued()
    door = next(number for code, number in found.items() if "vault" in code)
    planter = next(number for code, number in found.items() if "planter" in code)
    return door, planter


def ground(artist: Caller, door: int, planter: int) -> Any:
    """The door with the planter laid over it by a mask."""
    made = artist.ask("POST", f"/sets/{door}/variants", {"master": "two-layer-ground", "name": "Overgrown"})
    return lay(artist, made["id"], door, planter)


def lay(artist: Caller, number: int, door: int, planter: int) -> Any:
    layers = {"base": {"set": door}, "top": {"set": planter}}
    return artist.ask("PATCH", f"/variants/{number}", {"layers": layers})


def test_a_set_is_bound_to_each_layer_and_what_is_missing_is_said_there(
    artist: Caller, guest: Caller, two: tuple[int, int], world: Path
) -> None:
    door, planter = two
    made = artist.ask("POST", f"/sets/{door}/variants", {"master": "two-layer-ground", "name": "Overgrown"})
    by_name = {layer["name"]: layer for layer in made["layers"]}
    assert by_name["base"]["set_id"] == door and by_name["top"]["set_id"] is None
    assert "takes no set" in by_name["top"]["stands"] and by_name["blend mask"]["free"]
    view = lay(artist, made["id"], door, planter)
    assert {entry["holder"] for entry in view["outputs"]} == {"base", "top"} and view["ready"]
    assert all(not layer["stands"] for layer in view["layers"][:2])
    assert {entry["set_id"] for entry in view["outputs"]} == {door, planter}
    assert {entry["holder"] for entry in view["shader"]["samplers"]} == {"base", "top"}
    assert view["bindings"]["top colour map"] and "vertex colour" in view["shader"]["mesh"]
    # Another's set, an unknown layer and a guest are refused, and nothing is changed.
    layers = {"base": {"set": door}, "nowhere": {"set": planter}}
    assert artist("PATCH", f"/variants/{made['id']}", {"layers": layers}).status_code == 409
    assert artist("PATCH", f"/variants/{made['id']}", {"layers": {"top": {"set": 10**6}}}).status_code == 409
    assert guest("PATCH", f"/variants/{made['id']}", {"layers": {}}).status_code == 403
    assert artist.get(f"/variants/{made['id']}")["layers"] == view["layers"]
    # What is to be proved is the set that changed, and no other.
    picture = next(path for path in (world / "glasshouse-nine/fern_planter").iterdir() if "rough" in path.name.lower())
    turned = io.BytesIO()
    Pillow.open(picture).transpose(Pillow.Transpose.ROTATE_180).save(turned, picture.suffix[1:])
    artist.send("weir", {f"fern_planter/{picture.name}": turned.getvalue()})
    run_queued()
    now = artist.get(f"/variants/{made['id']}")
    assert not now["ready"] and [layer["proved"] for layer in now["layers"][:2]] == [True, False]


def test_a_layer_that_is_nowhere_says_why(artist: Caller, guest: Caller, stranger: Caller, two: tuple[int, int]) -> None:
    door, planter = two
    made = artist.ask("POST", f"/sets/{door}/variants", {"master": "two-layer-ground", "name": "Overgrown"})
    address = f"/variants/{made['id']}/seen"
    base, top = guest.ask("POST", address, {})
    assert base["share"] > 0.2 and base["reason"] == ""
    # The stage's shapes are painted in stripes: what takes no set is seen as its default there.
    assert top["share"] > 0.2
    lay(artist, made["id"], door, planter)
    bare = {"low": [0, 0, 0, 0], "high": [0, 0, 0, 0]}
    _, top = guest.ask("POST", address, bare)
    assert top["share"] == 0 and "Nothing is painted on the mesh" in top["reason"] and top["way_out"]
    _, top = guest.ask("POST", address, {"low": [0, 0, 0, 0], "high": [1, 0, 0, 0]})
    assert top["share"] > 0
    assert stranger("POST", address, {}).status_code == 404


def test_layers_go_back_and_a_removed_set_leaves_its_layer_empty(artist: Caller, two: tuple[int, int]) -> None:
    door, planter = two
    made = ground(artist, door, planter)
    artist.ask("POST", "/projects/weir/undo")
    assert artist.get(f"/variants/{made['id']}")["layers"][1]["set_id"] is None
    artist.ask("POST", "/projects/weir/redo")
    assert artist.get(f"/variants/{made['id']}")["layers"][1]["set_id"] == planter
    assert artist("DELETE", f"/sets/{planter}").status_code == 204
    view = artist.get(f"/variants/{made['id']}")
    assert view["layers"][1]["set_id"] is None and "takes no set" in view["layers"][1]["stands"]
    assert artist("GET", f"/variants/{made['id']}/lit").status_code == 200
    # It comes back with its set.
    artist.ask("POST", "/projects/weir/undo")
    assert artist.get(f"/variants/{made['id']}")["layers"][1]["set_id"] == planter
    assert LayerSet.objects.count() == 1


def test_a_delivery_carries_every_layer_and_the_dock_blends_them(artist: Caller, two: tuple[int, int]) -> None:
    door, planter = two
    ground(artist, door, planter)
    (made,) = artist.ask("POST", "/projects/weir/deliveries", {"targets": ["orbit-desktop"], "sets": [door, planter]})
    run_queued()
    view = artist.get(f"/deliveries/{made['id']}")
    assert view["receipt"]["holds"], view["receipt"]["findings"]
    folder = Path(view["folder"])
    manifest = json.loads((folder / "delivery.json").read_text())
    (variant,) = manifest["variants"]
    codes = {entry.pk: entry.code for entry in TextureSet.objects.all()}
    assert variant["layers"] == {"base": codes[door], "top": codes[planter]} and variant["surface"]["base_colour"]
    # Without the second set there is nothing to blend with, and the dock says which set it needs.
    (alone,) = artist.ask("POST", "/projects/weir/deliveries", {"targets": ["orbit-desktop"], "sets": [door]})
    run_queued()
    receipt = artist.get(f"/deliveries/{alone['id']}")["receipt"]
    assert receipt["holds"] and f"needs the set {codes[planter]}" in receipt["findings"][0]["message"]


def model(painted: bool) -> bytes:
    """A triangle as GLB, with vertex colours or without."""
    points = np.float32([[0, 0, 0], [1, 0, 0], [0, 1, 0]]).tobytes()
    colours = np.float32([[1, 0, 0, 1]] * 3).tobytes()
    parts = [points, colours] if painted else [points]
    attributes = pygltflib.Attributes(POSITION=0, COLOR_0=1 if painted else None)
    views = [pygltflib.BufferView(buffer=0, byteOffset=36 * at, byteLength=len(part)) for at, part in enumerate(parts)]
    accessors = [pygltflib.Accessor(bufferView=0, componentType=5126, count=3, type="VEC3", min=[0, 0, 0], max=[1, 1, 0])]
    accessors += [pygltflib.Accessor(bufferView=1, componentType=5126, count=3, type="VEC4")] if painted else []
    made = pygltflib.GLTF2(
        scene=0,
        scenes=[pygltflib.Scene(nodes=[0])],
        nodes=[pygltflib.Node(mesh=0, name="deck")],
        meshes=[pygltflib.Mesh(primitives=[pygltflib.Primitive(attributes=attributes)])],
        accessors=accessors,
        bufferViews=views,
        buffers=[pygltflib.Buffer(byteLength=sum(map(len, parts)))],
    )
    made.set_binary_blob(b"".join(parts))
    return b"".join(made.save_to_bytes())


def test_a_painted_model_goes_along_and_the_dock_misses_paint(artist: Caller, two: tuple[int, int]) -> None:
    door, planter = two
    variant = ground(artist, door, planter)
    orders = {"targets": ["orbit-desktop"], "sets": [door, planter]}

    def deliver(painted: bool) -> tuple[Any, Path]:
        form = {"name": "deck.glb", "file": io.BytesIO(model(painted))}
        made = artist.client.post("/api/projects/weir/models", form).json()
        parts = {"deck": {"variant": variant["id"]}, "rail": {"set": door}, "sky": {"own": True}}
        artist.ask("PATCH", f"/models/{made['id']}", {"parts": parts})
        (ordered,) = artist.ask("POST", "/projects/weir/deliveries", orders)
        run_queued()
        view = artist.get(f"/deliveries/{ordered['id']}")
        assert (view["variants"], view["models"]) == (["Overgrown"], ["deck"])
        return view["receipt"], Path(view["folder"])

    receipt, _ = deliver(painted=False)
    assert receipt["holds"] and ["Overgrown is blended by them" in entry["message"] for entry in receipt["findings"]] == [True]
    receipt, folder = deliver(painted=True)
    assert receipt["holds"] and receipt["findings"] == []
    manifest = json.loads((folder / "delivery.json").read_text())
    (carried,) = manifest["models"]
    code = next(entry.code for entry in TextureSet.objects.all() if entry.pk == door)
    assert carried["parts"] == {"deck": {"variant": "Overgrown", "set": ""}, "rail": {"variant": "", "set": code}}
    assert (folder / carried["file"]["file"]).read_bytes() == model(painted=True)

    # Painted anew, the sets that it wears are out of date; those that it does not are not.
    def delivered() -> list[str]:
        lines = {line["id"]: line for line in artist.get("/projects/weir/board")["sets"]}
        return [lines[key]["cells"]["delivered"]["state"] for key in (door, planter)]

    assert delivered() == ["holds", "holds"]
    artist.client.post("/api/projects/weir/models", {"name": "deck.glb", "file": io.BytesIO(model(painted=False))})
    assert delivered() == ["look", "holds"]
    step = artist.get("/projects/weir/steps")["undo"]["id"]
    artist.ask("POST", f"/projects/weir/steps/{step}/undo")
    assert delivered() == ["holds", "holds"]
    # What is no model, and what wears something that is not there, is said.
    target = shipped()["orbit-desktop"]
    carried["parts"]["rail"] = {"variant": "Nobody's", "set": "Nowhere"}
    carried["file"]["bytes"], carried["file"]["sha256"] = 3, hashlib.sha256(b"abc").hexdigest()
    (folder / carried["file"]["file"]).write_bytes(b"abc")
    (folder / "delivery.json").write_text(json.dumps(manifest))
    said = [finding.message for finding in receive(folder, target).findings if finding.severity == "error"]
    assert [any(words in message for message in said) for words in ("wears Nobody's", "wears the set Nowhere", "no model")] == [
        True
    ] * 3


def test_layers_travel_with_the_project_document(artist: Caller, lead: Caller, two: tuple[int, int]) -> None:
    door, planter = two
    ground(artist, door, planter)
    document = json.loads(lead("GET", "/projects/weir/document").content)
    (variant,) = document["variants"]
    codes = {entry.pk: entry.code for entry in TextureSet.objects.all()}
    assert variant["others"] == {"top": {"set": codes[planter], "property": ""}}


def drafted(lead: Caller, title: str = "Ours") -> tuple[str, dict[str, Any]]:
    """A master begun from nothing: its address and its draft."""
    made = lead.ask("POST", "/masters", {"title": title})
    return f"/masters/{made['name']}", made["draft"]


def written(document: dict[str, Any]) -> dict[str, Any]:
    """A draft with a texture, a row that reads it, and a surface."""
    return document | {
        "textures": [{"name": "colour map", "property": "base_colour", "layer": "surface"}],
        "strands": [{"name": "paint", "group": "", "operation": "read", "inputs": {"texture": "colour map"}}],
        "surface": {"base_colour": "paint"},
    }


def test_a_master_is_written_from_nothing_published_and_taken(lead: Caller, artist: Caller, two: tuple[int, int]) -> None:
    address, draft = drafted(lead)
    assert draft["edit"] == 1 and draft["problems"] == []
    # Nobody can take what was never published, and an artist does not see its draft.
    assert artist("POST", f"/sets/{two[0]}/variants", {"master": address.split("/")[-1]}).status_code == 404
    assert artist.get(address)["draft"] is None and artist.get(address)["version"] == 0
    wrong = written(draft["document"]) | {"surface": {"base_colour": "nobody"}}
    kept = lead.ask("PUT", f"{address}/draft", {"document": wrong, "seen": 1})
    assert kept["edit"] == 2 and kept["problems"][0]["place"] == ["surface", "base_colour"]
    refused = lead("POST", f"{address}/publish", {"seen": 2})
    assert refused.status_code == 409 and "does not hold yet" in refused.json()["problem"]
    lead.ask("PUT", f"{address}/draft", {"document": written(draft["document"]), "seen": 2})
    made = lead.ask("POST", f"{address}/publish", {"seen": 3, "note": "First"})
    assert (made["version"], made["versions"][0]["note"], made["draft"]) == (1, "First", None)
    variant = artist.ask("POST", f"/sets/{two[0]}/variants", {"master": made["name"]})
    assert variant["bindings"]["colour map"] == "colour.rgb"
    assert lead("DELETE", address).status_code == 409 and "is used by Weir" in lead("DELETE", address).json()["problem"]


def test_two_leads_in_one_draft_lose_nothing(lead: Caller, artist: Caller, users: Any) -> None:
    address, draft = drafted(lead)
    Membership.objects.filter(user=users["artist"]).update(role=Role.LEAD)
    get_user_model().objects.update(is_staff=True)
    mine = written(draft["document"])
    lead.ask("PUT", f"{address}/draft", {"document": mine, "seen": 1})
    late = artist("PUT", f"{address}/draft", {"document": draft["document"] | {"summary": "Mine"}, "seen": 1})
    assert late.status_code == 409 and late.json()["overtaken"] and "changed by lead" in late.json()["problem"]
    assert MasterDraft.objects.get().document_json["strands"] == mine["strands"]
    # The same once more is no change, whoever sends it.
    assert artist.ask("PUT", f"{address}/draft", {"document": mine, "seen": 1})["edit"] == 2
    assert artist("POST", f"{address}/publish", {"seen": 1}).status_code == 409
    # A default outside of its hard range is no version.
    wrong = lead.ask("POST", "/masters/solid-surface/draft")["draft"]["document"]
    wrong["parameters"] = [entry | {"default": -2.0} if entry["name"] == "tiling" else entry for entry in wrong["parameters"]]
    kept = lead.ask("PUT", "/masters/solid-surface/draft", {"document": wrong, "seen": 1})
    assert kept["problems"]
    assert lead("POST", "/masters/solid-surface/publish", {"seen": kept["edit"]}).status_code == 409
    assert lead("DELETE", f"{address}/draft").status_code == 204 and not StudioMaster.objects.filter(title="Ours").exists()
    assert lead("DELETE", "/masters/solid-surface/draft").status_code == 204
    assert StudioMaster.objects.filter(name="solid-surface").exists()


def test_a_variant_breaks_off_into_a_master_of_its_own(lead: Caller, artist: Caller, two: tuple[int, int]) -> None:
    door, planter = two
    made = ground(artist, door, planter)
    artist.ask("PATCH", f"/variants/{made['id']}", {"values": {"top tiling": 3.0, "base rough map": 0.2}})
    own = lead.ask("POST", "/masters", {"title": "Overgrown deck", "variant": made["id"]})["draft"]["document"]
    tiling = next(entry for entry in own["parameters"] if entry["name"] == "top tiling")
    rough = next(entry for entry in own["textures"] if entry["name"] == "base rough map")
    assert (tiling["default"], rough["constant"], len(own["layers"])) == (3.0, 0.2, 2)
    assert lead("POST", "/masters", {"title": "x", "variant": 10**6}).status_code == 404


def test_a_sheet_is_tried_on_sets_and_its_rows_are_pictured(lead: Caller, guest: Caller, two: tuple[int, int]) -> None:
    door, planter = two
    document = lead.get("/masters/two-layer-ground")["document"]
    asked = {"document": document, "sets": {"base": door, "top": planter}}
    tried = guest.ask("POST", "/projects/weir/masters/try", asked)
    assert tried["problems"] == [] and tried["kinds"]["blended bump"] == "direction"
    shader = tried["surface"]["shader"]
    assert len(shader["rows"]) == len(document["strands"]) and "shown_row" in shader["glsl"]
    assert {entry["holder"] for entry in tried["surface"]["pictures"]} == {"base", "top"}
    rows = guest.ask("POST", "/projects/weir/masters/rows", asked)
    by_name = {entry["strand"]: entry for entry in rows["rows"]}
    # The tile is painted in stripes: the share goes from one layer to the other.
    assert by_name["share"]["low"] == 0 and by_name["share"]["high"] == 1 and 0 < by_name["share"]["mean"] < 1
    picture = np.asarray(Pillow.open(io.BytesIO(base64.b64decode(rows["picture"]))))
    assert picture.shape == (rows["edge"] * len(rows["rows"]), rows["edge"], 3)
    # What does not hold is said, with the kinds that can be told.
    document["strands"][0]["inputs"]["uv"] = "nobody"
    broken = guest.ask("POST", "/projects/weir/masters/try", asked)
    assert broken["surface"] is None and broken["cost"] is None and broken["kinds"]["mask read"] == "number"
    assert broken["problems"][0]["place"] == ["strands", 0, "inputs", "uv"]
    assert guest("POST", "/projects/weir/masters/rows", asked).status_code == 409
    # Sets of other projects are nobody's to look at.
    assert guest.ask("POST", "/projects/weir/masters/try", asked | {"sets": {"base": 10**6}})["surface"] is None


def test_a_master_is_deprecated_and_offered_again(lead: Caller, artist: Caller) -> None:
    body = {"deprecated": True, "successor": "two-layer-ground"}
    assert artist("PUT", "/masters/terrain/deprecation", body).status_code == 403
    told = lead.ask("PUT", "/masters/terrain/deprecation", body)
    for view in (told, artist.get("/masters/terrain")):
        assert view["deprecated"] and view["successor"] == "Two-layer ground"
    assert {line["name"] for line in artist.get("/masters") if line["deprecated"]} == {"terrain"}
    itself = lead("PUT", "/masters/terrain/deprecation", {"deprecated": True, "successor": "terrain"})
    assert itself.status_code == 409 and "its own successor" in itself.json()["problem"]
    lead("PUT", "/masters/terrain/deprecation", {"deprecated": False})
    assert not artist.get("/masters/terrain")["deprecated"]


def test_what_may_stand_in_a_sheet_is_told(guest: Caller, stranger: Caller) -> None:
    words = guest.get("/sheets/vocabulary")
    assert len(words["operations"]) > 80 and {"uv", "vertex colour", "time"} <= {entry["name"] for entry in words["mesh"]}
    assert "clear_coat" in {entry["key"] for entry in words["given"] if entry["extended"]}
    assert stranger("GET", "/sheets/vocabulary").status_code == 404
