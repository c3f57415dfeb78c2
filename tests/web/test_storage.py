"""Bytes by hash: kept once, never changed, and just as well in a store that is not a disk."""

from __future__ import annotations

import hashlib
import io
import unicodedata
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from django.core.files.storage import InMemoryStorage, default_storage
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image as Pillow

from tests.web.conftest import Caller, run_queued
from texelcore.naming.templates import code_of
from texelcore.pixels.errors import TexelError
from texelweb.sets.arrivals.names import LONGEST_NAME, clean_path, remark_on
from texelweb.sets.models import TextureSet
from texelweb.storage.blobs import keep, local_file, put
from texelweb.storage.models import Blob


def test_the_same_bytes_are_kept_once_and_cannot_be_written_over(db: None, tmp_path: Path) -> None:
    path = tmp_path / "a"
    path.write_bytes(b"bytes of no picture")
    blob = keep(path)
    assert blob.sha256 == hashlib.sha256(b"bytes of no picture").hexdigest()
    stored = Path(default_storage.path(blob.place))
    before = stored.stat()
    assert keep(path) == blob and Blob.objects.count() == 1
    assert stored.stat().st_mtime_ns == before.st_mtime_ns and before.st_mode & 0o222 == 0
    assert blob.place == f"blobs/{blob.sha256[:2]}/{blob.sha256}"
    assert [entry.name for entry in stored.parent.iterdir() if entry.name.startswith(".part")] == []


def test_a_derived_picture_is_stored_once(db: None) -> None:
    for _ in range(2):
        put("pictures/zz/a.png", b"one")
    with local_file("pictures/zz/a.png") as path:
        assert path.read_bytes() == b"one"
        assert [entry.name for entry in path.parent.iterdir()] == ["a.png"]


class ObjectStore(InMemoryStorage):
    """A store whose objects have no path, as in an object store."""

    def _relative_path(self, name: str) -> str:
        return name.lstrip("/")

    def path(self, name: str) -> str:
        raise NotImplementedError


@pytest.fixture
def store_elsewhere(settings: Any) -> None:
    settings.STORAGES = settings.STORAGES | {"default": {"BACKEND": "tests.web.test_storage.ObjectStore"}}


def test_the_whole_way_without_a_disk(store_elsewhere: None, artist: Caller, body: Callable[..., bytes]) -> None:
    report = artist.send("weir", {"oak_albedo.png": body(), "oak_ORM.tga": body("b.tga", seed=2), "bad.png": b"words"})
    assert sorted(item["outcome"] for item in report["items"]) == ["accepted", "accepted", "refused"]
    texture_set = TextureSet.objects.get()
    artist.ask("POST", f"/sets/{texture_set.pk}/builds", {"target": "orbit-desktop"})
    run_queued()
    page = artist.get(f"/sets/{texture_set.pk}")
    assert page["build"]["current"], page["job"]
    colour = next(output for output in page["build"]["outputs"] if output["key"] == "colour")
    data = b"".join(artist.client.get(f"/api/outputs/{colour['id']}/file").streaming_content)
    np.testing.assert_array_equal(np.asarray(Pillow.open(io.BytesIO(data))), np.asarray(Pillow.open(io.BytesIO(body()))))
    picture = artist.client.get(f"/api/outputs/{colour['id']}/picture?view=G&size=small")
    assert picture.status_code == 200 and picture.content.startswith(b"\x89PNG")
    with pytest.raises(NotImplementedError):
        default_storage.path("anything")


@given(st.text(max_size=300))
def test_any_uploaded_name_is_cleaned_or_refused(given_name: str) -> None:
    try:
        path = clean_path(given_name)
    except TexelError as refused:
        assert refused.way_out and len(refused.subject) <= 80
        return
    parts = path.split("/")
    assert all(part not in ("", ".", "..") for part in parts)
    assert "\\" not in path and not path.startswith("/")
    assert len(parts[-1]) <= LONGEST_NAME
    assert not any(unicodedata.category(letter).startswith("C") for letter in path)
    assert clean_path(path) == path


@pytest.mark.parametrize(
    ("name", "said"),
    [
        ("oak_albedo.png", ""),
        ("CON.png", "devices"),
        ("lpt1.tga", "devices"),
        ("水車_albedo.png", code_of("水車_albedo")),
        ("chêne_albedo.png", "chene_albedo"),
    ],
)
def test_a_person_is_told_what_becomes_of_an_odd_name(name: str, said: str) -> None:
    remark = remark_on(name)
    assert (said in remark) if said else remark == ""
