from __future__ import annotations

import io
import json
import re
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from django.contrib.auth import get_user_model
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client

from texelweb.jobs import tasks
from texelweb.jobs.models import Job
from texelweb.masters.models import SetVariant
from texelweb.projects.models import Membership, Project, Role
from texelweb.sets.models import TextureSet


class Caller:
    """A signed-in browser's requests, as JSON."""

    def __init__(self, user: Any) -> None:
        self.client = Client()
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


EDITED = {"sets": TextureSet, "variants": SetVariant}
EDITS = re.compile(r"^/(sets|variants)/(\d+)(/rows/[\w.]+|/storage/\w+|/origin|/undo|/redo)?$")


def newest_edit(path: str) -> int | None:
    """The number of the newest edit of what an address changes; None where it changes nothing that has one."""
    found = EDITS.match(path)
    return EDITED[found[1]].objects.filter(pk=found[2]).values_list("edit", flat=True).first() if found else None


def run_queued() -> None:
    """What the worker does, at once: every queued job, in order."""
    for job in Job.objects.filter(state=Job.State.QUEUED).order_by("created"):
        tasks.run_job(job_id=str(job.id))


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
    for name in ("lead", "artist", "guest"):
        Membership.objects.create(project=made, user=users[name], role=Role(name))
    return made


@pytest.fixture
def lead(users: dict[str, Any], project: Project) -> Caller:
    return Caller(users["lead"])


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
