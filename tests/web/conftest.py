from __future__ import annotations

import io
import json
import re
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any
from urllib.parse import quote

import pytest
from django.contrib.auth import get_user_model
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client

from texelcore.materials.shipped.pieces import wetted
from texelcore.naming.rules import HouseRules
from texelcore.proof.tolerances import Tolerances
from texelcore.targets.library import shipped
from texeldemo.meshes import planter
from texelweb.accounts.models import AccessToken
from texelweb.builds.models import Build, Output
from texelweb.bulk.models import Bulk
from texelweb.bulk.run import ask_for
from texelweb.deliveries.models import Delivery
from texelweb.depot.client import DepotFound
from texelweb.jobs import tasks
from texelweb.jobs.models import Job
from texelweb.library.pins import newest_version, take
from texelweb.library.targets import TARGETS
from texelweb.masters.blocks import publish_block
from texelweb.masters.models import SetVariant
from texelweb.projects.models import Membership, Project, Role, SavedView
from texelweb.record.models import Step
from texelweb.sets.changing.folders import make_folder, tree_of
from texelweb.sets.changing.notes import write
from texelweb.sets.geometry.project_models import bring_model
from texelweb.sets.models import Arrival, ArrivalItem, OpenQuestion, ProjectModel, RenameAct, Settled, SourceFile, TextureSet
from texelweb.storage.guard import Guard
from texelweb.studio.models import Invitation
from texelweb.studio.projects import stamp_of


class Caller:
    """A signed-in browser's requests, as JSON."""

    def __init__(self, user: Any) -> None:
        self.client, self.user = Client(), user
        if user is not None:
            self.client.force_login(user)

    def __call__(self, method: str, path: str, body: Any = None) -> Any:
        if method != "GET" and "seen=" not in path and (known := newest_edit(path)) is not None:
            # A page that has just looked. What follows from having looked earlier is for tests that say so.
            path += f"?seen={known}"
        data = json.dumps(body) if body is not None else ""
        return self.client.generic(method, f"/api{path}", data, content_type="application/json")

    def get(self, path: str) -> Any:
        answer = self("GET", path)
        assert answer.status_code == 200, answer.content
        return answer.json()

    def ask(self, method: str, path: str, body: Any = None) -> Any:
        answer = self(method, path, body)
        assert answer.status_code == 200, answer.content
        return answer.json()

    def publish(self, name: str, note: str, **changes: Any) -> Any:
        """Publish a master's next version, with other things in its document, in place of those of that name."""
        draft = self.ask("POST", f"/masters/{name}/draft")["draft"]
        document = {
            **draft["document"],
            **{
                key: [{entry["name"]: entry for entry in change}.get(old["name"], old) for old in draft["document"][key]]
                for key, change in changes.items()
            },
        }
        kept = self.ask("PUT", f"/masters/{name}/draft", {"document": document, "seen": draft["edit"]})
        return self.ask("POST", f"/masters/{name}/publish", {"seen": kept["edit"], "note": note})

    def send(self, slug: str, files: dict[str, bytes]) -> Any:
        """Drop files into a project, run the sorting, and give the arrival's report."""
        arrival = self.ask("POST", f"/projects/{slug}/arrivals")["id"]
        for path, body in files.items():
            form = {"path": path, "file": SimpleUploadedFile("upload", body)}
            answer = self.client.post(f"/api/arrivals/{arrival}/files", form)
            assert answer.status_code == 200, answer.content
        self.ask("POST", f"/arrivals/{arrival}/sort")
        run_queued()
        return self.get(f"/arrivals/{arrival}")


EDITED = {"sets": TextureSet, "variants": SetVariant, "models": ProjectModel}
EDITS = re.compile(
    r"^/(sets|variants|models)/(\d+)(/rows/[\w.]+(?:/name)?|/storage/\w+|/revisions/\d+/show|/origin|/merge|/split)?$"
)


FOLDERS = re.compile(r"^/projects/([\w-]+)/folders/(\d+)")
PROJECTS = re.compile(r"^/projects/([\w-]+)$")


def newest_edit(path: str) -> int | str | None:
    """The number of the newest edit of what an address changes, or what else says how it stands; None where nothing does."""
    if held := FOLDERS.match(path):
        tree = tree_of(Project.objects.get(slug=held[1]))
        return quote(tree.paths.get(int(held[2]), ""))
    if held := PROJECTS.match(path):
        project = Project.objects.filter(slug=held[1]).first()
        return stamp_of(project) if project else ""
    found = EDITS.match(path)
    return EDITED[found[1]].objects.filter(pk=found[2]).values_list("edit", flat=True).first() if found else None


def file_of(caller: Caller, variant: int, form: str) -> Any:
    """What the page is told of a file that is made of a variant."""
    return next(file for file in caller.get(f"/variants/{variant}")["files"] if file["form"] == form)


def run_queued() -> None:
    """What the worker does, at once: every queued job, in order."""
    for job in Job.objects.filter(state=Job.State.QUEUED).order_by("created"):
        tasks.run_job(job_id=str(job.id))


@pytest.fixture(scope="session")
def helpers() -> Iterator[list[Any]]:
    """Processes that look at files, and are between two tests."""
    kept: list[Any] = []
    yield kept
    for process in kept:
        process.kill()
        process.communicate()


@pytest.fixture(autouse=True)
def one_helper(helpers: list[Any], monkeypatch: pytest.MonkeyPatch) -> None:
    """The process that looks at files takes a second to start, and knows nothing of who asks: all tests share it."""

    def enter(guard: Guard) -> Guard:
        guard._process = helpers.pop() if helpers else None
        return guard

    def leave(guard: Guard, *_: object) -> None:
        if guard._process is not None:
            helpers.append(guard._process)
        guard._process = None

    monkeypatch.setattr(Guard, "__enter__", enter)
    monkeypatch.setattr(Guard, "__exit__", leave)


@pytest.fixture(autouse=True)
def quick_passwords(settings: Any) -> None:
    settings.PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]


@pytest.fixture(autouse=True)
def delivery_folder(settings: Any, tmp_path: Path) -> None:
    settings.DELIVERIES = tmp_path / "deliveries"


@pytest.fixture
def elsewhere(settings: Any, tmp_path: Path) -> None:
    """Storage without paths, and no folder for deliveries: as on many machines."""
    store = {"BACKEND": "tests.web.elsewhere.Elsewhere", "OPTIONS": {"location": str(tmp_path / "elsewhere")}}
    settings.STORAGES = settings.STORAGES | {"default": store}
    settings.DELIVERIES = None


@pytest.fixture
def users(db: None) -> dict[str, Any]:
    names = ("lead", "artist", "guest", "stranger")
    return {name: get_user_model().objects.create_user(name, password=f"{name}-password") for name in names}


@pytest.fixture
def project(users: dict[str, Any]) -> Project:
    made = Project.objects.create(slug="weir", code="we", title="Weir", target="orbit-desktop")
    take(made, newest_version("orbit-desktop"), None, for_all=True)
    take(made, newest_version("millrace-handheld"), None)
    Step.objects.all().delete()
    for name in ("lead", "artist", "guest"):
        Membership.objects.create(project=made, user=users[name], role=Role(name))
    return made


@pytest.fixture
def lead(users: dict[str, Any], project: Project) -> Caller:
    return Caller(users["lead"])


@pytest.fixture
def leads_the_studio(users: dict[str, Any]) -> None:
    """The lead of the project leads the studio too, and so makes what is there for all."""
    users["lead"].is_staff = True
    users["lead"].save()


@pytest.fixture
def artist(users: dict[str, Any], project: Project) -> Caller:
    return Caller(users["artist"])


@pytest.fixture
def guest(users: dict[str, Any], project: Project) -> Caller:
    return Caller(users["guest"])


@pytest.fixture
def stranger(users: dict[str, Any], project: Project) -> Caller:
    return Caller(users["stranger"])


@pytest.fixture
def body(picture: Callable[..., Path]) -> Callable[..., bytes]:
    """The bytes of a small picture; `name` gives the format, other arguments go to `picture`."""

    def make(name: str = "a.png", **options: Any) -> bytes:
        return picture(f"made/{name}", **options).read_bytes()

    return make


def zip_of(entries: dict[str, bytes]) -> bytes:
    import zipfile

    file = io.BytesIO()
    with zipfile.ZipFile(file, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, content in entries.items():
            archive.writestr(name, content)
    return file.getvalue()


@pytest.fixture
def filled(
    project: Project, artist: Caller, body: Callable[..., bytes], monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> dict[str, Any]:
    """A project in which there is one of everything; gives the ids. The depot has nothing and answers."""
    monkeypatch.setattr("texelweb.depot.client.search", lambda text, category: DepotFound(categories=(), materials=()))
    monkeypatch.setattr("texelweb.depot.client.preview", lambda material: b"")
    artist.send("weir", {"oak_albedo.png": body(), "oak_rough.png": body(shape=(16, 16, 1)), "scan.png": body(seed=9)})
    project.rules_versions.create(number=1, document_json=HouseRules().model_dump(mode="json"), what="Written")
    project.tolerances_versions.create(number=1, document_json=Tolerances().model_dump(mode="json"), what="Written")
    RenameAct.objects.create(project=project, lines_json=[])
    undo: dict[str, list[Any]] = {"sets": [], "files": []}
    settled = Settled.objects.create(project=project, key="s", text="Oak?", answer="Yes", members_json=["s"], undo_json=undo)
    token, _ = AccessToken.make(get_user_model().objects.get(username="lead"), "watcher", project)
    texture_set = TextureSet.objects.get()
    mesh = {"name": "a.obj", "file": io.BytesIO(planter().encode())}
    artist.client.post(f"/api/sets/{texture_set.pk}/mesh", mesh)
    artist.ask("POST", f"/sets/{texture_set.pk}/proofs", {"target": "orbit-desktop"})
    artist.ask("POST", f"/sets/{texture_set.pk}/variants", {"master": "solid-surface"})
    artist.ask("POST", "/projects/weir/deliveries", {"targets": ["orbit-desktop"], "sets": [texture_set.pk]})
    run_queued()
    for made in ("gltf", "materialx"):
        artist.ask("POST", f"/variants/{SetVariant.objects.get().pk}/files/{made}")
    run_queued()
    lead = get_user_model().objects.get(username="lead")
    folder = make_folder(project, "Mill", None, lead)
    bulk = ask_for(project, Bulk.Action.BUILD, [texture_set.pk], lead)
    run_queued()
    # It is called as a master is, since both stand under “name” in addresses.
    painted = shipped()["painted"].model_dump(mode="json")
    target = TARGETS.make("Solid surface", painted, lead)
    take(project, TARGETS.publish(target, 1, "First", lead), lead)
    TARGETS.begin(target, lead)
    block = wetted()
    publish_block(block.model_copy(update={"name": "solid-surface"}), "", 0, "First", lead)
    return {
        "channel": "R",
        "folder_id": folder.pk,
        "bulk_id": bulk.pk,
        "view_id": SavedView.objects.create(project=project, user=lead, name="Wrong ones", query="state=wrong").pk,
        "note_id": write(texture_set, "Bake again", lead).pk,
        "slug": "weir",
        "set_id": texture_set.pk,
        "key": "roughness",
        "form": "gltf",
        "file_id": SourceFile.objects.first().pk,
        "arrival_id": Arrival.objects.get().pk,
        "build_id": Build.objects.get().pk,
        "output_id": Output.objects.first().pk,
        "job_id": Job.objects.first().pk,
        "output": "colour",
        "name": "solid-surface",
        "variant_id": SetVariant.objects.get().pk,
        "delivery_id": Delivery.objects.get().pk,
        "number": 1,
        "question_id": OpenQuestion.objects.first().pk,
        "act": settled.act,
        "rename_id": RenameAct.objects.get().pk,
        "token_id": token.pk,
        "step_id": Step.objects.first().pk,
        "item_id": ArrivalItem.objects.first().pk,
        "material": "slate-roof",
        "user_id": get_user_model().objects.get(username="guest").pk,
        "invitation_id": Invitation.make(get_user_model().objects.get(username="lead"), project=project, role="guest")[0].pk,
        "kind": "clipping",
        "part": "data",
        "model_id": _model(project, lead, tmp_path).pk,
    }


def _model(project: Project, user: Any, folder: Path) -> ProjectModel:
    place = folder / "pot.obj"
    place.write_text(planter())
    return bring_model(project, place, place.name, user)
