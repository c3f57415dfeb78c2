"""What the studio's data take, by what they are for."""

from __future__ import annotations

import os
import time
from dataclasses import dataclass
from pathlib import Path
from threading import Lock

from django.core.files.storage import default_storage
from django.db.models import Count, Sum

from texelweb.builds.models import Output, Product, Proof
from texelweb.deliveries.models import PLACES, Delivery
from texelweb.projects.models import Project
from texelweb.sets.models import FileRevision, MeshRevision, ModelRevision, SourceFile
from texelweb.storage.models import Blob
from texelweb.studio.models import StudioEnvironment

# Walking folders takes a while; nobody needs to know it to the second.
SECONDS_KEPT = 30
PICTURES = ("pictures", "proofs")
_kept: dict[str, tuple[float, int]] = {}
_lock = Lock()


@dataclass(frozen=True)
class Kind:
    """One kind of data: how many, how many bytes, and whether it can be made again. Bytes are None where storage does not say."""

    key: str
    count: int
    bytes: int | None
    again: bool


@dataclass(frozen=True)
class ProjectSpace:
    """What a project's sources take. What two projects share counts for both."""

    slug: str
    title: str
    sources: int
    bytes: int


def kinds() -> list[Kind]:
    """What is kept, by kind. Bytes that two kinds share count for both."""
    sources = Blob.objects.filter(pk__in=SourceFile.everything.values("blob").union(FileRevision.objects.values("blob")))
    meshes = Blob.objects.filter(pk__in=MeshRevision.objects.values("blob").union(ModelRevision.objects.values("blob")))
    built = Blob.objects.filter(pk__in=Product.objects.values("blob").union(Output.objects.values("blob")))
    proofs = Blob.objects.filter(pk__in=Proof.objects.values("blob"))
    found = [
        Kind(key, *_sum(blobs), again)
        for key, blobs, again in (
            ("sources", sources, False),
            ("meshes", meshes, False),
            ("environments", Blob.objects.filter(pk__in=StudioEnvironment.objects.values("blob")), False),
            ("builds", built, True),
            ("proofs", proofs, True),
        )
    ]
    delivered = Delivery.objects.exclude(manifest_json=None).count()
    found.append(Kind("deliveries", delivered, _folder(PLACES), False))
    pictures = [_folder(name) for name in PICTURES]
    found.append(Kind("pictures", 0, sum(size or 0 for size in pictures) if None not in pictures else None, True))
    return found


def projects() -> list[ProjectSpace]:
    """What each project's sources take, most first."""
    rows = Project.objects.annotate(count=Count("files"), size=Sum("files__blob__bytes"))
    found = [ProjectSpace(row.slug, row.title, row.count, row.size or 0) for row in rows]
    return sorted(found, key=lambda entry: -entry.bytes)


def _sum(blobs: object) -> tuple[int, int]:
    sums = blobs.aggregate(count=Count("pk"), size=Sum("bytes"))  # type: ignore[attr-defined]
    return sums["count"], sums["size"] or 0


def _folder(name: str) -> int | None:
    """The bytes below a folder of storage on this machine's disk; None for storage elsewhere."""
    try:
        root = Path(default_storage.path(name))
    except NotImplementedError:
        return None
    with _lock:
        at, size = _kept.get(str(root), (0.0, 0))
        if time.monotonic() - at > SECONDS_KEPT or not at:
            size = sum(_sizes(root))
            _kept[str(root)] = (time.monotonic(), size)
    return size


def _sizes(root: Path) -> list[int]:
    found = []
    for folder, _, names in os.walk(root):
        for name in names:
            try:
                found.append((Path(folder) / name).stat().st_size)
            except FileNotFoundError:
                continue
    return found
