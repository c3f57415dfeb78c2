"""Removing what nothing refers to. What was delivered, and every revision of every file, stays for good.

Safe beside running servers and workers: rows and bytes that are young are left alone, and bytes are taken out only while nobody
puts any in (storage.blobs.removing).
"""

from __future__ import annotations

import re
import shutil
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from pathlib import Path

from axes.models import AccessAttempt, AccessFailureLog, AccessLog
from django.core.files.storage import default_storage
from django.db.models import F, Q, Window
from django.db.models.functions import RowNumber
from django.db.models.query import QuerySet
from django.utils import timezone

from texelcore.proof.prove import proof_key
from texelweb.accounts.models import Sitting
from texelweb.builds.models import Build, Output, Product, Proof
from texelweb.builds.planning import states_of
from texelweb.deliveries.models import PLACES, Delivery
from texelweb.jobs.models import Job
from texelweb.library.pins import pins_of
from texelweb.masters.models import Flattening, SetVariant
from texelweb.projects.models import Project
from texelweb.sets.models import (
    Arrival,
    ArrivalItem,
    FileRevision,
    MeshRevision,
    ModelRevision,
    ProjectModel,
    SourceFile,
    TextureSet,
)
from texelweb.storage.blobs import PART, removing
from texelweb.storage.models import Blob
from texelweb.studio.models import Retention, StudioEnvironment

# How long what somebody removed can be brought back from the record.
DAYS_OF_REMOVED = 30
DAYS_OF_ARRIVALS = 14
DAYS_OF_JOBS = 30
DAYS_OF_SIGN_INS = 90
# What may belong to work that is going on is left alone.
HOURS_OF_GRACE = 24
STAGED = "staged"
_HASH = re.compile(r"^([0-9a-f]{64})")


@dataclass
class Swept:
    """What was removed, or would be: how many of each kind, and how many bytes were freed."""

    counts: dict[str, int] = field(default_factory=dict)
    bytes: int = 0
    # Bytes could not be taken out, since work was going on.
    waits: bool = False

    def add(self, kind: str, count: int = 1) -> None:
        """Count some."""
        if count:
            self.counts[kind] = self.counts.get(kind, 0) + count

    @property
    def total(self) -> int:
        """How many of all kinds."""
        return sum(self.counts.values())


def tidy(*, alone: bool = False, dry: bool = False) -> Swept:
    """Remove what nobody needs. `alone`: neither server nor worker runs, so that what is half done is nobody's and goes at once.
    `dry`: only say what would go."""
    swept, now = Swept(), timezone.now()
    young = now if alone else now - timedelta(hours=HOURS_OF_GRACE)
    _rows(swept, "sessions", Sitting.objects.filter(expire_date__lt=now), dry)
    _sign_ins(swept, now - timedelta(days=DAYS_OF_SIGN_INS), dry)
    _rows(swept, "jobs", _old_jobs(now), dry)
    _rows(swept, "arrivals that were never finished", _abandoned(now), dry)
    _removed(swept, now - timedelta(days=DAYS_OF_REMOVED), dry)
    _deleted_projects(swept, dry)
    kept = Retention.now()
    old = now - timedelta(days=kept.days)
    _rows(swept, "builds", _superseded(old, kept.builds), dry)
    _rows(swept, "deliveries", _old_deliveries(old, kept.deliveries), dry)
    _products(swept, old, dry)
    _staged(swept, young, dry)
    with removing() as mine:
        if mine:
            _bytes(swept, young, dry)
        else:
            swept.waits = True
    return swept


def _rows(swept: Swept, kind: str, rows: QuerySet, dry: bool) -> None:  # type: ignore[type-arg]
    swept.add(kind, rows.count())
    if not dry:
        rows.delete()


def _sign_ins(swept: Swept, old: datetime, dry: bool) -> None:
    for table in (AccessAttempt, AccessLog, AccessFailureLog):
        _rows(swept, "records of sign-ins", table.objects.filter(attempt_time__lt=old), dry)


def _old_jobs(now: datetime) -> QuerySet[Job]:
    """Jobs that ended long ago, but for those that an arrival which stopped still shows."""
    ended = Job.objects.filter(ended__lt=now - timedelta(days=DAYS_OF_JOBS))
    return ended.exclude(pk__in=Arrival.objects.exclude(state=Arrival.State.DONE).exclude(job=None).values("job"))


def _abandoned(now: datetime) -> QuerySet[Arrival]:
    """Arrivals that nobody ever sent off, or that stopped and were left so."""
    old = Arrival.objects.filter(created__lt=now - timedelta(days=DAYS_OF_ARRIVALS)).exclude(state=Arrival.State.DONE)
    return old.exclude(job__state__in=[Job.State.QUEUED, Job.State.RUNNING])


def _removed(swept: Swept, old: datetime, dry: bool) -> None:
    """What was removed so long ago that nobody can bring it back any more."""
    _rows(swept, "removed variants", SetVariant.everything.filter(Q(removed__lt=old) | Q(set__removed__lt=old)), dry)
    _rows(swept, "removed models", ProjectModel.everything.filter(removed__lt=old), dry)
    _rows(swept, "removed sets", TextureSet.everything.filter(removed__lt=old), dry)
    _rows(swept, "removed files", _removed_files(old), dry)


def _removed_files(old: datetime) -> QuerySet[SourceFile]:
    """Files that were removed long ago, but for those that a set would take with it when it is brought back."""
    waiting = TextureSet.everything.exclude(removed=None)
    named = {file for entry in waiting for file in entry.ledger.files()}
    return SourceFile.everything.filter(removed__lt=old).exclude(pk__in=named)


def _deleted_projects(swept: Swept, dry: bool) -> None:
    """Projects that were deleted, once nothing works on them."""
    busy = Job.objects.filter(state__in=[Job.State.QUEUED, Job.State.RUNNING]).values("project")
    _rows(swept, "deleted projects", Project.everything.exclude(deleted=None).exclude(pk__in=busy), dry)


def _last(rows: QuerySet, keep: int, order: str, *by: str) -> QuerySet:  # type: ignore[type-arg]
    """The ids of the last so many rows for each value of some fields."""
    place = Window(RowNumber(), partition_by=[F(name) for name in by], order_by=F(order).desc())
    return rows.annotate(place=place).filter(place__lte=keep).values("pk")


def _old_deliveries(old: datetime, keep: int) -> QuerySet[Delivery]:
    """Old deliveries beyond the last so many of each project and target; none where all are kept."""
    if not keep:
        return Delivery.objects.none()
    whole = Delivery.objects.exclude(manifest_json=None)
    return whole.filter(created__lt=old).exclude(pk__in=_last(whole, keep, "created", "project", "version__target"))


def _superseded(old: datetime, keep: int) -> QuerySet[Build]:
    """Old builds beyond the last so many of the same set for the same target; and old ones that never ended well."""
    newest = _last(Build.objects.exclude(manifest=""), keep, "pk", "set", "version__target")
    past = Build.objects.filter(created__lt=old).exclude(pk__in=newest)
    return past.exclude(job__state__in=[Job.State.QUEUED, Job.State.RUNNING])


def _products(swept: Swept, old: datetime, dry: bool) -> None:
    """Made pictures and proofs that no build holds, that no set would be given as it is now, and that were not delivered."""
    content, proofs = _wanted_now()
    outputs = Output.objects.values_list("content_key", flat=True)
    content.update(outputs.iterator())
    delivered = delivered_hashes()
    for kind, table, wanted in (("products", Product, content), ("proofs", Proof, proofs)):
        past = table.objects.filter(created__lt=old).exclude(blob__in=delivered).values_list("pk", flat=True)
        gone = [key for key in past.iterator() if key not in wanted]
        swept.add(kind, len(gone))
        if not dry:
            table.objects.filter(pk__in=gone).delete()


def _wanted_now() -> tuple[set[str], set[str]]:
    """The keys of all that builds and proofs of all sets as they are now would take from what is kept."""
    content: set[str] = set()
    proofs: set[str] = set()
    for project in Project.objects.all():
        pins = pins_of(project)
        own = {texture_set: pins.of_set(texture_set.target) for texture_set in project.sets.select_related("project")}
        wanted = [(texture_set, target) for texture_set, targets in own.items() for target in targets]
        for state in states_of(project, wanted):
            for planned in state.plan.outputs:
                if planned.content_key:
                    content.add(planned.content_key)
                    proofs.add(proof_key(planned))
    return content, proofs


def delivered_hashes() -> set[str]:
    """The hashes of all that deliveries hold, and of the files that it was made from."""
    found: set[str] = set()
    for delivery in Delivery.objects.exclude(manifest_json=None).iterator():
        manifest = delivery.manifest
        if manifest:
            found.update(file.sha256 for file in manifest.files())
            found.update(source.sha256 for texture_set in manifest.sets for source in texture_set.sources)
    return found


def _staged(swept: Swept, young: datetime, dry: bool) -> None:
    """Uploads that no arrival waits for any more."""
    unsorted = ArrivalItem.objects.exclude(staged="").exclude(arrival__state=Arrival.State.DONE)
    waiting = set(unsorted.values_list("staged", flat=True))
    for place in _listed(STAGED):
        if place not in waiting:
            _remove(swept, "staged uploads", place, young, dry)


def _bytes(swept: Swept, young: datetime, dry: bool) -> None:
    """Stored bytes without a row, rows that nothing refers to, pictures of both, zips that no delivery knows, and halves."""
    for blob in _unreferenced(young):
        swept.add("stored files")
        swept.bytes += blob.bytes
        if not dry:
            place = blob.place
            blob.delete()
            default_storage.delete(place)
    known = set(Blob.objects.values_list("sha256", flat=True).iterator())
    for place in _deep("blobs"):
        if place.rpartition("/")[2] not in known and not place.rpartition("/")[2].startswith(PART):
            _remove(swept, "stored files", place, young, dry)
    _pictures(swept, "pictures", known, young, dry)
    _pictures(swept, "proofs", set(Proof.objects.values_list("proof_key", flat=True).iterator()), young, dry)
    finished = {delivery.place for delivery in Delivery.objects.exclude(manifest_json=None)}
    for place in _listed(PLACES):
        if place not in finished:
            _remove(swept, "unfinished deliveries", place, young, dry)
    _folders(swept, young, dry)
    _halves(swept, young, dry)


def _unreferenced(young: datetime) -> Iterator[Blob]:
    referring = (
        SourceFile.everything.values("blob"),
        FileRevision.objects.values("blob"),
        MeshRevision.objects.values("blob"),
        Flattening.objects.exclude(mesh=None).values("mesh"),
        ModelRevision.objects.values("blob"),
        StudioEnvironment.objects.values("blob"),
        Product.objects.values("blob"),
        Output.objects.values("blob"),
        Proof.objects.values("blob"),
    )
    used = Q()
    for rows in referring:
        used |= Q(pk__in=rows)
    delivered = delivered_hashes()
    for blob in Blob.objects.filter(created__lt=young).exclude(used):
        if blob.sha256 not in delivered:
            yield blob


def _pictures(swept: Swept, folder: str, known: set[str], young: datetime, dry: bool) -> None:
    """Pictures that were painted of something, named by its hash; they can be painted again at any time."""
    for place in _deep(folder):
        of = _HASH.match(place.rpartition("/")[2])
        if of and of[1] not in known:
            _remove(swept, "pictures", place, young, dry)


def _folders(swept: Swept, young: datetime, dry: bool) -> None:
    """Folders of deliveries that were never finished. What the application does not know it does not touch."""
    for delivery in Delivery.objects.filter(manifest_json=None, created__lt=young).select_related("project", "job"):
        if delivery.folder and delivery.folder.exists() and not (delivery.job and delivery.job.is_open):
            swept.add("unfinished deliveries")
            if not dry:
                shutil.rmtree(delivery.folder, ignore_errors=True)


def _halves(swept: Swept, young: datetime, dry: bool) -> None:
    """Files that a killed process was writing."""
    try:
        root = Path(default_storage.path(""))
    except NotImplementedError:
        # Elsewhere objects appear whole or not at all.
        return
    for part in root.rglob(f"{PART}*"):
        _remove(swept, "halves of files", part.relative_to(root).as_posix(), young, dry)


def _remove(swept: Swept, kind: str, place: str, young: datetime, dry: bool) -> None:
    try:
        if default_storage.get_modified_time(place) > young:
            return
        size = default_storage.size(place)
        if not dry:
            default_storage.delete(place)
    except FileNotFoundError:
        # Somebody was quicker.
        return
    swept.add(kind)
    swept.bytes += size


def _listed(folder: str) -> Iterable[str]:
    if not _is_there(folder):
        return []
    return [f"{folder}/{name}" for name in default_storage.listdir(folder)[1]]


def _deep(folder: str) -> Iterator[str]:
    """The objects of a folder's folders: what goes by hash is spread over its first two signs."""
    if _is_there(folder):
        for inner in default_storage.listdir(folder)[0]:
            yield from _listed(f"{folder}/{inner}")


def _is_there(folder: str) -> bool:
    try:
        default_storage.listdir(folder)
    except FileNotFoundError:
        return False
    return True
