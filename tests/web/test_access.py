"""Who may do what, asked of every endpoint that the API has."""

from __future__ import annotations

import io
import re
from typing import Any
from urllib.parse import quote

import pytest
from django.test import Client
from django.test.client import FakePayload
from PIL import Image as Pillow

from tests.web.conftest import Caller
from texelcore.materials.sheets.folding import fold
from texelcore.materials.sheets.masters import shipped_masters
from texelcore.materials.shipped.pieces import wetted
from texelcore.targets.library import shipped
from texeldemo.meshes import bay, planter
from texelweb.api.main import api
from texelweb.jobs.models import Job
from texelweb.projects.models import Project
from texelweb.sets.models import Arrival, SourceFile, TextureSet

OPEN_TO_ALL = {
    ("GET", "/api/session"),
    ("POST", "/api/session"),
    # Ways in: what they take is said in test_studio.py.
    ("GET", "/api/setup"),
    ("POST", "/api/setup"),
    ("POST", "/api/invitations/look"),
    ("POST", "/api/invitations/take"),
}
# A user's own things, whatever the project.
OPEN_TO_USERS = {
    ("DELETE", "/api/session"),
    ("GET", "/api/projects"),
    ("GET", "/api/account"),
    ("GET", "/api/checks"),
    ("GET", "/api/beginnings"),
    ("GET", "/api/environments"),
    ("GET", "/api/environments/{name}"),
    # Who may bring and remove the studio's light, and whose liking it is: `test_stage.py`.
    ("POST", "/api/environments"),
    ("DELETE", "/api/environments/{name}"),
    ("GET", "/api/account/stage"),
    ("PUT", "/api/account/stage"),
    ("POST", "/api/account/tokens"),
    ("PUT", "/api/account/password"),
    ("DELETE", "/api/account/sessions"),
    ("PUT", "/api/account/depot-key"),
    ("DELETE", "/api/account/depot-key"),
}
# What studio leads alone may.
FOR_THE_STUDIO = "/api/studio/"
# Nothing of the project is changed by trying names, or by keeping a view of one's own: a guest may.
LOOKING = {
    ("POST", "/api/projects/{slug}/saved-views"),
    ("POST", "/api/projects/{slug}/rules/try"),
    # Nor by trying a target's document, or by repacking what is sent along.
    ("POST", "/api/targets/meaning"),
    ("POST", "/api/sets/{set_id}/draft"),
    ("POST", "/api/sets/{set_id}/draft/picture"),
    ("POST", "/api/projects/{slug}/targets/{name}/try"),
    ("POST", "/api/projects/{slug}/targets/{name}/lacks"),
    ("POST", "/api/projects/{slug}/repack"),
    ("POST", "/api/projects/{slug}/repack/look"),
    # Nor by trying a master's.
    ("POST", "/api/projects/{slug}/masters/try"),
    ("POST", "/api/projects/{slug}/masters/rows"),
    ("POST", "/api/sheets/fold"),
    # Nor by asking where layers are seen.
    ("POST", "/api/variants/{variant_id}/seen"),
    ("POST", "/api/sheets/apart"),
    ("POST", "/api/sheets/gltf"),
}
PUBLISHING = (("POST", "/publish"), ("PUT", "/deprecation"), ("DELETE", ""))
# What takes the role lead; an artist may not.
FOR_LEADS = {
    ("PUT", "/api/projects/{slug}/tolerances"),
    ("POST", "/api/masters"),
    ("DELETE", "/api/masters/{name}"),
    ("POST", "/api/masters/{name}/draft"),
    ("PUT", "/api/masters/{name}/draft"),
    ("DELETE", "/api/masters/{name}/draft"),
    ("POST", "/api/masters/{name}/publish"),
    ("PUT", "/api/masters/{name}/deprecation"),
    ("POST", "/api/blocks"),
    ("DELETE", "/api/blocks/{name}"),
    ("PUT", "/api/projects/{slug}/rules"),
    ("PATCH", "/api/projects/{slug}"),
    ("POST", "/api/projects/{slug}/archive"),
    ("POST", "/api/projects/{slug}/document"),
    ("POST", "/api/projects/{slug}/bring-back"),
    ("POST", "/api/projects/{slug}/delete"),
    ("POST", "/api/projects/{slug}/invitations"),
    ("DELETE", "/api/projects/{slug}/invitations/{invitation_id}"),
    ("PUT", "/api/projects/{slug}/people/{user_id}"),
    ("DELETE", "/api/projects/{slug}/people/{user_id}"),
    ("POST", "/api/targets"),
    ("POST", "/api/targets/import"),
    ("POST", "/api/targets/example"),
    ("DELETE", "/api/targets/{name}"),
    ("POST", "/api/targets/{name}/draft"),
    ("PUT", "/api/targets/{name}/draft"),
    ("DELETE", "/api/targets/{name}/draft"),
    ("POST", "/api/targets/{name}/publish"),
    ("PUT", "/api/targets/{name}/deprecation"),
    ("PUT", "/api/projects/{slug}/targets/{name}"),
    ("DELETE", "/api/projects/{slug}/targets/{name}"),
}
# What is there for the whole studio: a lead of a project alone makes none of it.
FOR_STUDIO_LEADS = {
    ("POST", "/api/blocks"),
    ("DELETE", "/api/blocks/{name}"),
    *((method, f"/api/{kind}/{{name}}{act}") for kind in ("targets", "masters") for method, act in PUBLISHING),
}
# What whoever leads nothing is refused, whatever the project.
FOR_ANY_LEAD = {("POST", "/api/projects")}
PAINTED = shipped()["painted"].model_dump(mode="json")
TERRAIN, WETTED = shipped_masters()["terrain"], wetted()
BLOCKED = fold(TERRAIN, [TERRAIN.strands[0].name], "Mine").model_dump(mode="json")
BODIES: dict[str, Any] = {
    "/api/targets": {"title": "Mine"},
    "/api/targets/meaning": {"said": "r"},
    "/api/targets/{name}/draft": {"document": PAINTED, "seen": 1},
    "/api/targets/{name}/publish": {"seen": 1},
    "/api/targets/{name}/deprecation": {"deprecated": True},
    "/api/projects/{slug}/targets/{name}": {},
    "/api/projects/{slug}/targets/{name}/try": {"document": PAINTED, "sets": []},
    "/api/projects/{slug}/targets/{name}/lacks": {},
    "/api/sets/{set_id}/draft": {"document": PAINTED},
    "/api/sets/{set_id}/draft/picture": {"document": PAINTED, "place": 0},
    "/api/projects": {"title": "Mine", "target": "orbit-desktop"},
    "/api/projects/{slug}": {"title": "Renamed"},
    "/api/projects/{slug}/delete": {"title": "Weir"},
    "/api/projects/{slug}/invitations": {"role": "artist"},
    "/api/projects/{slug}/people/{user_id}": {"role": "guest"},
    "/api/projects/{slug}/folders": {"name": "Mill"},
    "/api/projects/{slug}/folders/{folder_id}/name": {"name": "Lock"},
    "/api/projects/{slug}/folders/{folder_id}/place": {"parent": None},
    "/api/projects/{slug}/open-files/assign": {"property": "height", "files": [{"file": 1, "set": {"id": 1}}]},
    "/api/projects/{slug}/sets/change": {"sets": [{"id": 1}], "add_tags": ["hero"]},
    "/api/projects/{slug}/saved-views": {"name": "Wrong ones", "query": "state=wrong"},
    "/api/projects/{slug}/bulk": {"action": "build", "sets": [1]},
    "/api/sets/{set_id}/merge": {"other": 1},
    "/api/sets/{set_id}/split": {"rows": ["roughness"], "name": "Rough"},
    "/api/sets/{set_id}/copy": {"project": "weir"},
    "/api/sets/{set_id}/notes": {"text": "Bake again"},
    "/api/studio/retention": {"builds": 1, "days": 30, "deliveries": 0},
    "/api/studio/invitations": {"note": "somebody"},
    "/api/studio/people/{user_id}": {"active": False},
    "/api/projects/{slug}/sets": {"name": "New"},
    "/api/sets/{set_id}": {"name": "Other"},
    "/api/sets/{set_id}/rows/{key}": {"file": 1, "channels": ["Y"]},
    "/api/sets/{set_id}/rows/{key}/name": {"name": "wear"},
    "/api/sets/{set_id}/builds": {"target": "orbit-desktop"},
    "/api/sets/{set_id}/proofs": {"target": "orbit-desktop"},
    "/api/sets/{set_id}/storage/{output}": {"format": "bc1", "srgb": True, "mips": True},
    "/api/sets/{set_id}/variants": {"master": "solid-surface"},
    "/api/variants/{variant_id}": {"name": "Other"},
    "/api/models/{model_id}": {"name": "Other"},
    "/api/masters": {"title": "Mine"},
    "/api/variants/{variant_id}/seen": {},
    "/api/masters/{name}/deprecation": {"deprecated": True},
    "/api/blocks": {"block": WETTED.model_dump(mode="json") | {"name": "mine"}},
    "/api/sheets/fold": {"document": TERRAIN.model_dump(mode="json"), "strands": [TERRAIN.strands[0].name], "title": "Mine"},
    "/api/sheets/apart": {"document": BLOCKED, "strand": "mine"},
    "/api/masters/{name}/draft": {"document": {}, "seen": 1},
    "/api/masters/{name}/publish": {"seen": 1},
    "/api/projects/{slug}/masters/try": {"document": {}},
    "/api/projects/{slug}/masters/rows": {"document": {"name": "x", "title": "X", "summary": "", "version": 1}},
    "/api/projects/{slug}/tolerances": {"base": 1, "tolerances": {"normal_mean": 1}},
    "/api/projects/{slug}/rules": {"base": 1, "rules": {}},
    "/api/projects/{slug}/rules/try": {"rules": {}, "names": ["elm_albedo.png"]},
    "/api/projects/{slug}/renames": {"stamp": "x"},
    "/api/projects/{slug}/known": {"sha256": []},
    "/api/files/{file_id}/take": {},
    "/api/projects/{slug}/questions/prepared": {"questions": []},
    "/api/projects/{slug}/questions/{key}/answer": {"answer": None},
    "/api/arrivals/{arrival_id}/known-files": {"path": "a.png", "sha256": "0" * 64},
    "/api/sets/{set_id}/origin": {"way": "by hand", "source": "a friend", "came": "2026-11-01"},
    "/api/account/tokens": {"name": "watcher", "project": "weir"},
    "/api/account/password": {"old": "x", "new": "y"},
    "/api/account/depot-key": {"key": "x"},
    "/api/projects/{slug}/depot/orders": {"material": "slate-roof", "size": "1K", "file_format": "png"},
    "/api/projects/{slug}/deliveries": {"targets": ["orbit-desktop"], "sets": [1]},
}

# What takes a form with a file in it.
UPLOADS = {
    "/api/projects/{slug}/document": {},
    "/api/arrivals/{arrival_id}/files": {"path": "a.png"},
    "/api/sets/{set_id}/mesh": {"name": "a.obj"},
    "/api/projects/{slug}/models": {"name": "a.obj"},
    "/api/variants/{variant_id}/flattenings": {"name": "flat"},
    "/api/targets/import": {},
    "/api/targets/example": {},
    "/api/sheets/gltf": {"name": "a.gltf"},
    "/api/projects/{slug}/repack": {"source": "RGB=base_colour"},
    "/api/projects/{slug}/repack/look": {},
}


def asked(caller: Caller, method: str, path: str, ids: dict[str, Any]) -> Any:
    """Ask an endpoint with a body that it understands."""
    if method == "POST" and path in UPLOADS:
        packed = io.BytesIO()
        Pillow.effect_noise((16, 16), 60).convert("RGB").save(packed, "png")
        content = packed.getvalue() if "/repack" in path else planter().encode()
        content = b'{"materials": [{}]}' if path.endswith("/gltf") else content
        content = bay() if path.endswith("/flattenings") else content
        form = UPLOADS[path] | {"files" if path.endswith("/example") else "file": io.BytesIO(content)}
        return caller.client.post(f"/api{address(path, ids)}", form)
    return caller(method, address(path, ids), BODIES.get(path))


def endpoints() -> list[tuple[str, str]]:
    paths = api.get_openapi_schema()["paths"]
    return [(method.upper(), path) for path, methods in paths.items() for method in methods]


def address(path: str, ids: dict[str, Any]) -> str:
    queries = {"/tile": "?column=0&row=0", "/texel": "?x=0&y=0", "/compare": "?old=1&new=draft", "/upgrade": "?version=1"}
    query = next((said for end, said in queries.items() if path.endswith(end)), "")
    return re.sub(r"{(\w+)}", lambda match: str(ids[match.group(1)]), path).removeprefix("/api") + query


def test_every_endpoint_refuses_who_is_not_signed_in(filled: dict[str, Any]) -> None:
    nobody = Caller(None)
    for method, path in endpoints():
        if (method, path) in OPEN_TO_ALL:
            continue
        answer = nobody(method, address(path, filled), BODIES.get(path))
        assert answer.status_code in (401, 403), (method, path, answer.status_code)


def test_nobody_sees_a_project_that_is_not_theirs(filled: dict[str, Any], stranger: Caller) -> None:
    for method, path in endpoints():
        if (method, path) in OPEN_TO_ALL | OPEN_TO_USERS:
            continue
        answer = asked(stranger, method, path, filled)
        if path.startswith(FOR_THE_STUDIO) or (method, path) in FOR_ANY_LEAD:
            assert answer.status_code == 403 and "lead" in answer.json()["problem"]
            continue
        assert answer.status_code == 404, (method, path, answer.status_code, answer.content)
        assert b"oak" not in answer.content.lower()
    assert stranger.get("/projects") == []


def test_a_guest_looks_and_changes_nothing(filled: dict[str, Any], guest: Caller) -> None:
    before = (TextureSet.objects.get().ledger_json, Job.objects.count(), Arrival.objects.count())
    for method, path in endpoints():
        if (method, path) in OPEN_TO_ALL | OPEN_TO_USERS:
            continue
        answer = asked(guest, method, path, filled)
        if path in ("/api/account/tokens/{token_id}", "/api/projects/{slug}/saved-views/{view_id}"):
            assert answer.status_code == 404
            continue
        if path.startswith(FOR_THE_STUDIO) or (method, path) in FOR_ANY_LEAD:
            assert answer.status_code == 403 and "lead" in answer.json()["problem"]
            continue
        expected = 200 if method == "GET" or (method, path) in LOOKING else 403
        assert answer.status_code == expected, (method, path, answer.status_code)
        if expected == 403:
            assert ("lead" if (method, path) in FOR_LEADS else "artist") in answer.json()["problem"]
    assert (TextureSet.objects.get().ledger_json, Job.objects.count(), Arrival.objects.count()) == before


def test_what_takes_a_lead_is_refused_to_an_artist(filled: dict[str, Any], artist: Caller) -> None:
    for method, path in FOR_LEADS | FOR_ANY_LEAD:
        assert asked(artist, method, path, filled).status_code == 403


def test_what_is_there_for_all_is_made_by_leads_of_the_studio(filled: dict[str, Any], lead: Caller) -> None:
    for method, path in FOR_STUDIO_LEADS:
        refused = asked(lead, method, path, filled)
        assert refused.status_code == 403 and "studio lead" in refused.json()["problem"], (method, path)


def test_another_projects_file_cannot_be_assigned(filled: dict[str, Any], artist: Caller) -> None:
    other = Project.objects.create(slug="other", code="ot", title="Other", target="orbit-desktop")
    SourceFile.objects.filter(pk=filled["file_id"]).update(project=other)
    body = {"file": filled["file_id"], "channels": ["R"]}
    assert artist("PUT", f"/sets/{filled['set_id']}/rows/height", body).status_code == 404


class Unread(FakePayload):
    """A body that nobody may read."""

    def read(self, *_: Any) -> bytes:
        raise AssertionError("somebody read the body")

    readline = read


def sent_unread(client: Client, method: str, path: str, kind: str = "multipart/form-data; boundary=x", length: int = 900) -> Any:
    """Send a body that must not be looked at, with the page's token."""
    client.get("/api/session")
    head = {"wsgi.input": Unread(), "CONTENT_LENGTH": str(length), "CONTENT_TYPE": kind}
    return client.generic(method, f"/api{path}", **head, HTTP_X_CSRFTOKEN=client.cookies["csrftoken"].value)


def test_who_may_send_a_file_is_asked_before_any_of_it_is_read(filled: dict[str, Any], stranger: Caller, guest: Caller) -> None:
    """Whatever has several parts is written to the disk as it is read: nobody fills that who may not send."""
    nobody = Client(enforce_csrf_checks=True)
    for method, path in endpoints():
        if method == "GET":
            continue
        place = address(path, filled)
        # Without an account, a body is read for JSON alone, and that is held to four megabytes.
        refused = 413 if (method, path) in OPEN_TO_ALL else 401
        assert sent_unread(nobody, method, place, length=2**31).status_code == refused, (method, path)
        takes_files = method == "POST" and path in UPLOADS
        if takes_files:
            assert sent_unread(stranger.client, method, place).status_code == 404, (method, path)
            expected = (403,) if (method, path) not in LOOKING else (413,)
            assert sent_unread(guest.client, method, place, length=2**33).status_code in expected, (method, path)


def test_a_body_is_held_to_what_its_address_takes(filled: dict[str, Any], lead: Caller) -> None:
    for path in [*UPLOADS, "/api/environments"]:
        place = address(path, filled)
        large = sent_unread(lead.client, "POST", place, length=2**33)
        assert large.status_code == 413 and "8,192 MB" in large.json()["problem"]
        borderless = sent_unread(lead.client, "POST", place, "multipart/form-data")
        assert borderless.status_code == 422 and "boundary" in borderless.json()["problem"]
    for text in ("²", "٣" * 3, "9" * 40):
        assert lead("GET", f"/targets/orbit-desktop/compare?old={quote(text)}&new=1").status_code == 404
        assert lead("POST", "/targets", {"title": "Mine", "copy_of": f"orbit-desktop@{text}"}).status_code == 404
        assert lead("POST", "/masters", {"title": "Mine", "copy_of": f"solid-surface@{text}"}).status_code == 404


@pytest.fixture
def visitor(users: dict[str, Any]) -> Client:
    return Client(enforce_csrf_checks=True)


def token(visitor: Client) -> str:
    visitor.get("/api/session")
    return visitor.cookies["csrftoken"].value


def sign_in(visitor: Client, name: str, password: str, csrf: str) -> Any:
    body = {"name": name, "password": password}
    return visitor.post("/api/session", body, content_type="application/json", headers={"X-CSRFToken": csrf})


def test_signing_in_and_out(visitor: Client) -> None:
    assert sign_in(visitor, "artist", "artist-password", token(visitor)).json() == {"user": "artist", "studio": False}
    assert visitor.get("/api/session").json()["user"] == "artist"
    csrf = visitor.cookies["csrftoken"].value
    assert visitor.delete("/api/session", headers={"X-CSRFToken": csrf}).json()["user"] is None
    assert visitor.get("/api/projects").status_code == 401


def test_a_wrong_csrf_token_changes_nothing_and_says_to_reload(visitor: Client, project: Project) -> None:
    sign_in(visitor, "artist", "artist-password", token(visitor))
    answer = visitor.post("/api/projects/weir/arrivals", headers={"X-CSRFToken": "wrong" * 8})
    assert answer.status_code == 403
    assert "Reload" in answer.json()["way_out"]
    assert not Arrival.objects.exists()
    fresh = Client(enforce_csrf_checks=True)
    assert sign_in(fresh, "artist", "artist-password", "").status_code == 403


def test_the_door_closes_after_too_many_wrong_passwords(visitor: Client) -> None:
    csrf = token(visitor)
    answers = [sign_in(visitor, "artist", f"guess {number}", csrf).status_code for number in range(7)]
    assert answers[:5] == [401] * 5 and answers[-1] == 429
    # The right password does not open it either, and other names are not locked out.
    assert sign_in(visitor, "artist", "artist-password", csrf).status_code == 429
    assert sign_in(visitor, "guest", "guest-password", csrf).status_code == 200


def test_the_page_carries_a_strict_policy(client: Client, db: None) -> None:
    answer = client.get("/projects/anything")
    policy = answer["Content-Security-Policy"]
    nonce = re.search(r"'nonce-([^']+)'", policy)
    assert nonce and nonce.group(1).encode() in answer.content
    # Tangents of models are made by WebAssembly, which runs no script.
    assert "script-src 'self' 'wasm-unsafe-eval';" in policy + ";" and "default-src 'none'" in policy
    assert "unsafe" not in policy.replace("'wasm-unsafe-eval'", "")
    assert answer["X-Frame-Options"] == "DENY" and answer["X-Content-Type-Options"] == "nosniff"
