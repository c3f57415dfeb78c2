"""Blocks of the studio through the API: made of rows, kept as versions, used in masters, and taken out again."""

from __future__ import annotations

import io
import json
from typing import Any

import pytest

from tests.web.conftest import Caller
from texelweb.masters.models import BlockVersion, MasterVersion, SetVariant, StudioBlock

pytestmark = pytest.mark.usefixtures("leads_the_studio")

ROWS = ["grain", "grain centred", "grain counted", "worn raw", "worn from", "worn to", "worn"]


def folded(lead: Caller, title: str = "Eaten edge") -> dict[str, Any]:
    """Painted metal with its wear as a block."""
    document = lead.get("/masters/painted-metal")["document"]
    made: dict[str, Any] = lead.ask("POST", "/sheets/fold", {"document": document, "strands": ROWS, "title": title})["document"]
    return made


def keep(lead: Caller, block: dict[str, Any], **more: Any) -> Any:
    return lead("POST", "/blocks", {"block": block, **more})


def test_a_master_with_a_block_is_published_worn_and_looks_as_before(
    lead: Caller, artist: Caller, filled: dict[str, Any]
) -> None:
    sorted_set = filled["set_id"]
    plain = artist.ask("POST", f"/sets/{sorted_set}/variants", {"master": "painted-metal", "name": "Plain"})
    made = lead.ask("POST", "/masters", {"title": "Eaten metal", "copy_of": "painted-metal@1"})
    address = f"/masters/{made['name']}"
    document = made["draft"]["document"]
    own = lead.ask("POST", "/sheets/fold", {"document": document, "strands": ROWS, "title": "Eaten edge"})["document"]
    kept = lead.ask("PUT", f"{address}/draft", {"document": own, "seen": 1})
    assert kept["problems"] == []
    published = lead.ask("POST", f"{address}/publish", {"seen": 2})
    # The document keeps its block; what is read of it is unfolded.
    assert [entry["name"] for entry in published["document"]["blocks"]] == ["eaten-edge"]
    assert "eaten edge: worn" in {row["name"] for row in published["strands"]}
    assert MasterVersion.objects.get(master__name=made["name"]).document.blocks[0].outputs == ("worn",)
    blocked = artist.ask("POST", f"/sets/{sorted_set}/variants", {"master": made["name"], "name": "Blocked"})
    looks = [artist("GET", f"/variants/{entry['id']}/lit").content for entry in (plain, blocked)]
    assert looks[0] == looks[1]
    # A next version keeps it, and the project document has all that it needs.
    parameter = next(entry for entry in published["parameters"] if entry["name"] == "wear amount")
    again = lead.publish(made["name"], "Worn more", parameters=[parameter | {"default": 0.9}])
    assert again["version"] == 2 and again["document"]["blocks"] == published["document"]["blocks"]
    travels = lead.get("/projects/weir/document")
    assert any(master["blocks"] for master in travels["masters"])
    assert SetVariant.objects.filter(set=sorted_set).count() == 3


def test_rows_come_back_and_what_cannot_be_folded_is_said(lead: Caller, stranger: Caller) -> None:
    own = folded(lead)
    whole = lead.ask("POST", "/sheets/apart", {"document": own, "strand": "eaten edge"})["document"]
    before = lead.get("/masters/painted-metal")["document"]
    assert not whole["blocks"] and len(whole["strands"]) == len(before["strands"])
    refused = lead("POST", "/sheets/apart", {"document": own, "strand": "grain"})
    assert refused.status_code == 409 and "is no block" in refused.json()["problem"]
    between = lead("POST", "/sheets/fold", {"document": before, "strands": ["worn from", "worn"], "title": "Ends"})
    assert between.status_code == 409 and "lies between the rows" in between.json()["problem"]
    broken = {"document": own | {"blocks": []}, "strands": [], "title": "x"}
    assert "not in this master" in lead("POST", "/sheets/fold", broken).json()["problem"]
    assert stranger("POST", "/sheets/fold", {"document": before, "strands": ROWS, "title": "x"}).status_code == 404


def test_blocks_of_the_studio_have_versions_and_say_who_uses_them(lead: Caller, artist: Caller, guest: Caller) -> None:
    own = folded(lead)
    (block,) = own["blocks"]
    assert artist("POST", "/blocks", {"block": block}).status_code == 403
    line = keep(lead, block, note="First").json()
    assert (line["name"], line["latest"], line["document"]["version"], line["used"]) == ("eaten-edge", 1, 1, [])
    assert line["gives"] == {"worn": "number"} and line["versions"][0]["note"] == "First"
    # A second of that name is not the same block; the next version of it is said to be that.
    assert "has the name of a block" in keep(lead, block).json()["problem"]
    changed = block | {"name": "worn-again", "title": "Eaten edge", "summary": "Softer."}
    second = keep(lead, changed, of="eaten-edge", base=1, note="Softer").json()
    assert (second["name"], second["latest"], second["document"]["name"]) == ("eaten-edge", 2, "eaten-edge")
    late = keep(lead, changed | {"summary": "Late."}, of="eaten-edge", base=1)
    assert late.status_code == 409 and late.json()["overtaken"] and "version 2 by now" in late.json()["problem"]
    # A draft that holds the first is behind.
    made = lead.ask("POST", "/masters", {"title": "Eaten metal"})
    held = own | {"blocks": [line["document"]]}
    lead.ask("PUT", f"/masters/{made['name']}/draft", {"document": held, "seen": 1})
    (found,) = (entry for entry in guest.get("/blocks") if entry["name"] == "eaten-edge")
    assert found["used"] == [{"master": made["name"], "title": "Eaten metal", "version": 1, "drafted": True}]
    assert found["may_publish"] is False and {entry["name"] for entry in guest.get("/blocks")} > {"ragged-edge", "wetted"}
    assert BlockVersion.objects.filter(block__name="eaten-edge").count() == 2


def test_a_block_is_taken_out_and_masters_keep_it(lead: Caller, artist: Caller) -> None:
    own = folded(lead)
    keep(lead, own["blocks"][0])
    made = lead.ask("POST", "/masters", {"title": "Eaten metal"})
    lead.ask("PUT", f"/masters/{made['name']}/draft", {"document": own, "seen": 1})
    assert artist("DELETE", "/blocks/eaten-edge").status_code == 403
    assert lead("DELETE", "/blocks/eaten-edge").status_code == 204 and lead("DELETE", "/blocks/eaten-edge").status_code == 404
    assert not StudioBlock.objects.filter(name="eaten-edge").exists()
    assert lead.get(f"/masters/{made['name']}")["draft"]["problems"] == []
    hollow = own["blocks"][0] | {"outputs": ["nobody"]}
    assert "does not hold" in keep(lead, hollow).json()["problem"]


def test_a_master_begins_from_a_gltf_material(lead: Caller, guest: Caller) -> None:
    body = {"materials": [{"name": "Glaze", "pbrMetallicRoughness": {"roughnessFactor": 0.2, "baseColorTexture": {"index": 0}}}]}
    sent = {"file": io.BytesIO(json.dumps(body).encode()), "name": "pot.gltf"}
    (found,) = lead.client.post("/api/sheets/gltf", sent).json()
    assert (found["name"], found["left"]) == ("Glaze", [])
    made = lead.ask("POST", "/masters", {"title": "Glazed pot", "document": found["document"]})
    assert made["name"] == "glazed-pot" and made["draft"]["problems"] == []
    factor = next(entry for entry in made["draft"]["document"]["parameters"] if entry["name"] == "roughness factor")
    assert factor["default"] == 0.2 and made["draft"]["document"]["title"] == "Glazed pot"
    assert guest("POST", "/masters", {"title": "x", "document": found["document"]}).status_code == 403
    damaged = {"file": io.BytesIO(b"glTF"), "name": "C:\\models\\pot.glb"}
    refused = lead.client.post("/api/sheets/gltf", damaged)
    assert refused.status_code == 409 and refused.json()["subject"] == "pot.glb"
