"""Projects as documents, and build machines: the same bytes from the page and from the command line."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.core.management import call_command
from django.test import Client

from tests.conftest import EXPLORE
from tests.web.conftest import Caller, run_queued
from texelcli import main as command_line
from texelcli.machine import pull, push, rebuild
from texelcli.server import Server
from texelcore.pixels.errors import TexelError
from texelcore.targets.document import Target
from texeldemo.crate import export_crate
from texeldemo.export import export_world
from texelweb.builds.models import Build
from texelweb.library.models import StudioTarget, TargetVersion
from texelweb.library.targets import TARGETS
from texelweb.library.targets import install_shipped as install_targets
from texelweb.masters.models import MasterVersion, SetVariant, StudioMaster
from texelweb.masters.publish import install_shipped as install_masters
from texelweb.projects.models import Membership, Project, Role
from texelweb.sets.models import SourceFile, TextureSet

SIZE = 64


def whole(caller: Caller, slug: str = "weir") -> bytes:
    answer = caller("GET", f"/projects/{slug}/document")
    assert answer.status_code == 200, answer.content
    return bytes(answer.content)


def give(caller: Caller, text: bytes | str, slug: str = "weir") -> Any:
    body = text.encode() if isinstance(text, str) else text
    form = {"file": SimpleUploadedFile("weir.project.json", body)}
    return caller.client.post(f"/api/projects/{slug}/document", form)


def rows(project: str) -> dict[str, Any]:
    """What each set of a project decides, with files by their paths."""
    paths = {str(file.pk): file.path for file in SourceFile.objects.filter(project__slug=project)}
    found = {}
    for entry in TextureSet.objects.filter(project__slug=project):
        text = json.dumps({key: value for key, value in entry.ledger_json.items() if key != "name"}, sort_keys=True)
        for key, path in sorted(paths.items(), key=lambda pair: -len(pair[0])):
            text = text.replace(f'"file": "{key}"', f'"file": "{path}"')
        found[entry.code] = (entry.name, entry.target, sorted(entry.tags), json.loads(text))
    return found


@pytest.fixture
def world(transactional_db: None, tmp_path: Path) -> Path:
    """The demo world with sources on disk as they came: gives the folder with one folder for each project."""
    call_command("load_demo", size=SIZE, verbosity=0)
    export_world(tmp_path / "sources", SIZE, lambda _: None)
    export_crate(tmp_path / "sources" / "tidewheel" / "crate of old files", 128)
    return tmp_path / "sources"


def test_every_demo_set_is_the_same_from_page_and_command_line_with_what_was_decided_by_hand(
    world: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    lead = Caller(Membership.objects.get(project__slug="tidewheel", role=Role.LEAD).user)
    for slug in ("glasshouse-nine", "tidewheel") if EXPLORE else ("tidewheel",):
        decide_by_hand(lead, slug)
        # A second engine for every set that has no target of its own.
        usual = Project.objects.get(slug=slug).target
        second = "pocket-mill" if slug == "tidewheel" else usual
        lead.ask("PUT", f"/projects/{slug}/targets/{second}", {"for_all": True})
        sets = [entry["id"] for entry in lead.get(f"/projects/{slug}/board")["sets"]]
        lead.ask("POST", f"/projects/{slug}/bulk", {"action": "build", "sets": sets})
        run_queued()
        document = tmp_path / f"{slug}.project.json"
        document.write_bytes(whole(lead, slug))
        out = tmp_path / f"{slug}-out"
        code = command_line.run(["build", str(world / slug), "--project-document", str(document), "--out", str(out)])
        assert code in (0, 1), capsys.readouterr().err
        built = 0
        for build in Build.objects.filter(set__project__slug=slug).exclude(manifest="").select_related("set", "version__target"):
            several = second != usual and not build.set.target
            home = out / build.set.code / build.version.target.name if several else out / build.set.code
            for output in build.outputs.all():
                made = home / output.file_name
                assert hashlib.sha256(made.read_bytes()).hexdigest() == output.blob_id, made
                built += 1
        assert built >= (3 if second == usual else 5) * len(sets) - 8, slug


def decide_by_hand(lead: Caller, slug: str) -> None:
    """Decisions that names and pixels alone do not give: rows, storage, names, targets, and answers to questions."""
    for entry in lead.get(f"/projects/{slug}/questions")["open"][:2]:
        lead.ask("POST", f"/projects/{slug}/questions/{entry['question']['key']}/answer", {})
    sets = lead.get(f"/projects/{slug}/board")["sets"]
    first, second = sets[0]["id"], sets[1]["id"]
    rough = next((line for line in lead.get(f"/sets/{first}")["lines"] if line["property"] == "roughness" and line["file"]), None)
    if rough:
        body = {"file": rough["file"]["id"], "channels": rough["row"]["channels"], "inverted": not rough["row"]["inverted"]}
        lead.ask("PUT", f"/sets/{first}/rows/roughness", body)
    lead.ask("PATCH", f"/sets/{second}", {"name": "Renamed by hand", "target": "orbit-desktop"})
    planned = lead.get(f"/sets/{second}")["planned"][0]["key"]
    lead.ask("PUT", f"/sets/{second}/storage/{planned}", {"format": "bc1", "srgb": True, "mips": True})


def test_a_document_brings_a_project_to_another_studio_and_one_undo_takes_it_back(
    lead: Caller, artist: Caller, body: Callable[..., bytes]
) -> None:
    files = {f"{name}/{name}_{word}.png": body(seed=len(name + word)) for name in ("oak", "elm") for word in ("albedo", "rough")}
    artist.send("weir", files)
    oak = TextureSet.objects.get(name="oak")
    artist.ask("PATCH", f"/sets/{oak.pk}", {"name": "Old oak", "target": "millrace-handheld"})
    artist.ask("DELETE", f"/sets/{oak.pk}/rows/roughness")
    artist.ask("POST", "/projects/weir/sets/change", {"sets": [{"id": oak.pk}], "add_tags": ["hero"]})
    artist.ask("POST", f"/sets/{oak.pk}/variants", {"master": "solid-surface"})
    lead.ask("PUT", "/projects/weir/tolerances", {"base": 0, "tolerances": {"normal_mean": 1.25}})
    text = whole(lead)
    other = lead.ask("POST", "/projects", {"title": "Mill", "target": "orbit-desktop"})["slug"]
    # In other folders, under one name more, with one file of its own.
    lead.send(other, {f"sent/{path}": content for path, content in files.items()} | {"fir_albedo.png": body(seed=77)})
    before = rows(other)
    taken = give(lead, text, other).json()
    assert (taken["left"], taken["variants"]) == ([], 1)
    after = rows(other)
    assert after["old_oak"][:3] == ("Old oak", "millrace-handheld", ["hero"]) and "fir" in after
    assert [row["property"] for row in after["old_oak"][3]["rows"]] == ["base_colour"]
    assert Project.objects.get(slug=other).tolerances.normal_mean == 1.25
    assert SetVariant.objects.filter(project__slug=other).count() == 1
    # The same again changes nothing.
    assert give(lead, text, other).json()["changed"] == 0
    # Rules take a lead, and so does an act that holds them, by whichever of its steps it is taken back.
    Membership.objects.create(project=Project.objects.get(slug=other), user=artist.user, role=Role.ARTIST)
    steps = artist.get(f"/projects/{other}/steps")["steps"]
    assert not any(step["may_undo"] for step in steps if step["by"] == "lead")
    a_set = next(step["id"] for step in steps if step["kind"] == "set")
    assert artist("POST", f"/projects/{other}/steps/{a_set}/undo").status_code == 403
    assert Project.objects.get(slug=other).code == "we"
    lead.ask("POST", f"/projects/{other}/undo")
    assert Project.objects.get(slug=other).code == "mill" and Project.objects.get(slug=other).tolerances.normal_mean != 1.25
    assert rows(other) == before and not SetVariant.objects.filter(project__slug=other).exists()


def test_sets_whose_files_are_not_here_are_left_and_named(lead: Caller, artist: Caller, body: Callable[..., bytes]) -> None:
    artist.send("weir", {"oak_albedo.png": body(seed=1), "elm_albedo.png": body(seed=2)})
    text = whole(lead)
    other = lead.ask("POST", "/projects", {"title": "Mill", "target": "orbit-desktop"})["slug"]
    lead.send(other, {"oak_albedo.png": body(seed=1)})
    assert give(lead, text, other).json()["left"] == [{"name": "elm", "why": "elm_albedo.png is not in this project."}]


def test_a_document_of_others_is_refused_and_changes_nothing(lead: Caller, artist: Caller, body: Callable[..., bytes]) -> None:
    artist.send("weir", {"oak_albedo.png": body()})
    artist.ask("POST", f"/sets/{TextureSet.objects.get().pk}/variants", {"master": "solid-surface"})
    good = json.loads(whole(lead))
    masters = StudioMaster.objects.count()
    target = next(entry for entry in good["targets"] if entry["name"] == "orbit-desktop")
    unlike = good | {"targets": [target | {"title": "Ours"}]}
    master = good["masters"][0]
    other_master = good | {"masters": [master | {"title": "Theirs"}]}
    before = rows("weir")
    for document, said in (
        (unlike, "v2 is not in this studio as the document has it"),
        (other_master, "v1 is not in this studio as the document has it"),
        (good | {"version": 7}, "is of version 7"),
        ({"format": "x"}, "is no project document"),
    ):
        refused = give(lead, json.dumps(document | {"code": "stolen"} if "code" in document else document))
        assert refused.status_code == 409, said
        assert said in refused.json()["subject"] + refused.json()["problem"]
    assert give(lead, b"\x00\xff").status_code == 409
    assert give(artist, whole(lead)).status_code == 403
    assert rows("weir") == before and Project.objects.get().code == "we" and StudioMaster.objects.count() == masters


def test_a_document_brings_targets_into_the_studio_where_its_lead_imports_it(
    lead: Caller, artist: Caller, body: Callable[..., bytes], users: dict[str, Any]
) -> None:
    """Numbers are the studio's own: nobody takes a shipped target over by claiming its next number, or the last of all."""
    artist.send("weir", {"oak_albedo.png": body()})
    artist.ask("POST", f"/sets/{TextureSet.objects.get().pk}/variants", {"master": "solid-surface"})
    good = json.loads(whole(lead))
    target = next(entry for entry in good["targets"] if entry["name"] == "orbit-desktop")
    theirs, later = target | {"name": "theirs", "version": 4}, target | {"version": 2**31 - 1, "title": "Orbit"}
    master = good["masters"][0] | {"version": 9, "title": "Theirs"}
    document = good | {"targets": [theirs, later], "target": "theirs", "masters": [master]}
    document["variants"] = [good["variants"][0] | {"version": 9}]
    text = json.dumps(document)

    def held() -> dict[str, tuple[int, bool, bool]]:
        lines = lead.get("/projects/weir/targets")["targets"]
        return {line["name"]: (line["version"], line["usual"], line["for_all"]) for line in lines}

    before = held()
    assert give(lead, text).status_code == 409 and held() == before, "a lead of the project alone"
    users["lead"].is_staff = True
    users["lead"].save()
    secret = lead.ask("POST", "/account/tokens", {"name": "nightly", "project": "weir", "writes": True})["secret"]
    with_token = Client().post(
        "/api/projects/weir/document",
        {"file": SimpleUploadedFile("a.json", text.encode())},
        headers={"Authorization": f"Bearer {secret}"},
    )
    assert with_token.status_code == 409 and held() == before, "a program, whosever it is"
    assert give(lead, text).status_code == 200
    assert held()["theirs"] == (1, True, True) and held()["orbit-desktop"] == (3, False, True)
    assert SetVariant.objects.get().version.number == 2
    noted = [step["what"].split(":")[0] for step in lead.get("/studio/record")["steps"]]
    assert noted == ["Version 2 published", "Version 3 published", "Version 1 published"]
    for act, expected in (("undo", before), ("redo", held()), ("undo", before)):
        lead.ask("POST", f"/projects/weir/{act}")
        assert held() == expected
    assert not StudioTarget.objects.filter(name="theirs").exists()
    assert SetVariant.objects.get().version.number == 1
    # A release that ships a version whose number is taken: what ships is the next one, and the studio's own stays.
    own = Target.model_validate(target | {"version": 3, "title": "Written here"})
    shipping = own.model_copy(update={"title": "Orbit as shipped"})
    assert [TARGETS.add(version, "Shipped", None).number for version in (own, shipping, own)] == [3, 4, 3]


def test_a_start_adds_nothing_to_what_ships(db: None) -> None:
    def versions() -> list[Any]:
        rows = [TargetVersion.objects.values_list("target__name", "number"), MasterVersion.objects.values_list("pk", "number")]
        return [sorted(known) for known in rows]

    before = versions()
    terrain = MasterVersion.objects.get(master__name="terrain")
    # As an older release wrote it: the same strands in another order.
    terrain.document_json["strands"].reverse()
    terrain.save()
    install_targets()
    install_masters()
    assert versions() == before and all(before)


# Build machines


@pytest.fixture
def machine(live_server: Any, artist: Caller) -> Server:
    secret = artist.ask("POST", "/account/tokens", {"name": "build machine", "project": "weir"})["secret"]
    return Server(str(live_server.url), "weir", secret)


def worker(_: float) -> None:
    """Instead of waiting: what the worker does."""
    run_queued()


@pytest.mark.django_db(transaction=True)
def test_a_build_machine_pushes_pulls_and_has_built_what_is_not(
    machine: Server, artist: Caller, tmp_path: Path, body: Callable[..., bytes], capsys: pytest.CaptureFixture[str]
) -> None:
    sources = tmp_path / "sources"
    sources.mkdir()
    (sources / "oak_albedo.png").write_bytes(body())
    (sources / "oak_rough.png").write_bytes(body(shape=(16, 16, 1)))
    assert push(sources, machine, False, worker) == 0
    assert "Weir: 1 sets, 1 not built as they are now." in capsys.readouterr().out
    # A file that belongs nowhere, and one that is none, are findings.
    (sources / "scan.png").write_bytes(body(seed=9))
    (sources / "broken.png").write_bytes(b"no picture")
    assert push(sources, machine, True, worker) == 1
    said = capsys.readouterr()
    assert json.loads(said.out)["open_files"] == 1 and "refused" in said.err
    assert rebuild(machine, "build", worker) == 0
    assert "1 done, 0 already as they should be, 0 failed." in capsys.readouterr().out
    assert rebuild(machine, "build", worker) == 0
    assert "is built as it is now" in capsys.readouterr().out
    assert rebuild(machine, "prove", worker) == 0
    assert artist.get("/projects/weir/board")["sets"][0]["proved"]
    out = tmp_path / "weir.project.json"
    assert pull(machine, out) == 0
    assert out.read_bytes() == whole(artist)


@pytest.mark.django_db(transaction=True)
def test_a_token_that_only_reads_pulls_and_does_not_build(live_server: Any, artist: Caller, tmp_path: Path) -> None:
    secret = artist.ask("POST", "/account/tokens", {"name": "reader", "project": "weir", "writes": False})["secret"]
    reader = Server(str(live_server.url), "weir", secret)
    assert pull(reader, tmp_path / "weir.json") == 0
    with pytest.raises(TexelError, match="may only read"):
        reader.ask("POST", "/projects/weir/bulk", {"action": "build", "sets": None})
    with pytest.raises(TexelError):
        Server(str(live_server.url), "mill", secret).fetch("/projects/mill/document")
