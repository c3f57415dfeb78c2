"""What has changed in a project since a page last looked: one short stamp for each kind of thing that pages show."""

from __future__ import annotations

import hashlib
import time
from collections import OrderedDict
from collections.abc import Iterator
from datetime import timedelta
from threading import Lock
from typing import Any

from django.db.models.query import QuerySet
from django.utils import timezone

from texelweb.builds.models import Build, Proof
from texelweb.deliveries.models import DeliveredSet, Delivery
from texelweb.jobs.models import Job
from texelweb.masters.models import MasterVersion, SetVariant
from texelweb.projects.models import Project
from texelweb.sets.models import SetNote, TextureSet
from texelweb.storage.stamps import stamp_of_rows

# However many pages ask, a process looks at the rows no more often than this.
SECONDS_KEPT = 0.7
MOST_KEPT = 200
# What shows something of proofs.
SHOW_PROOFS = ("board", "variant", "set")
# Jobs that ended longer ago do not change any more.
DAYS_OF_JOBS = 2
_kept: OrderedDict[tuple[int, int | None, int | None], tuple[float, dict[str, str]]] = OrderedDict()
_lock = Lock()


def pulse(project: Project, set_id: int | None = None, variant_id: int | None = None) -> dict[str, str]:
    """A stamp for each kind of thing, the same as long as nothing of that kind changes; with a set or a variant also one for all
    that its page shows."""
    key = (project.pk, set_id, variant_id)
    with _lock:
        known = _kept.get(key)
    if known and time.monotonic() - known[0] < SECONDS_KEPT:
        return known[1]
    taken = time.monotonic()
    proofs = {kind: [Proof.objects.all()] for kind in SHOW_PROOFS}
    kinds = _kinds(project, set_id, variant_id)
    stamps = {kind: _short(stamp_of_rows(*rows, added=proofs.get(kind, []))) for kind, rows in kinds}
    with _lock:
        _kept[key] = (taken, stamps)
        _kept.move_to_end(key)
        while len(_kept) > MOST_KEPT:
            _kept.popitem(last=False)
    return stamps


def _kinds(project: Project, set_id: int | None, variant_id: int | None) -> Iterator[tuple[str, list[QuerySet[Any]]]]:
    jobs = Job.objects.filter(project=project, created__gt=timezone.now() - timedelta(days=DAYS_OF_JOBS))
    rules = [Project.objects.filter(pk=project.pk), project.rules_versions.all(), project.tolerances_versions.all()]
    builds = Build.objects.filter(set__project=project)
    yield "jobs", [jobs]
    yield "questions", [project.questions.all(), project.settled.all()]
    yield "arrivals", [project.arrivals.all(), project.files.all()]
    yield "rules", rules
    yield "steps", [project.steps.all()]
    yield "deliveries", [Delivery.objects.filter(project=project)]
    yield "variants", [project.variants.all(), MasterVersion.objects.all()]
    board = [
        *rules,
        project.sets.all(),
        project.files.all(),
        builds,
        project.variants.all(),
        project.models.all(),
    ]
    yield "board", [*board, project.folders.all(), SetNote.objects.filter(set__project=project)]
    yield "people", [project.memberships.all(), project.invitations.all()]
    if variant_id is not None:
        variant = SetVariant.objects.filter(pk=variant_id, project=project)
        set_id = variant.values_list("set", flat=True).first()
        yield "variant", [variant, MasterVersion.objects.all(), *_of_set(project, set_id, jobs)]
    elif set_id is not None:
        yield "set", [*rules, *_of_set(project, set_id, jobs)]


def _of_set(project: Project, set_id: int | None, jobs: QuerySet[Job]) -> list[QuerySet[Any]]:
    """All rows that a set's page shows something of."""
    return [
        TextureSet.objects.filter(pk=set_id, project=project),
        project.files.filter(set=set_id),
        Build.objects.filter(set=set_id),
        project.variants.filter(set=set_id),
        DeliveredSet.objects.filter(set=set_id),
        SetNote.objects.filter(set=set_id),
        jobs.filter(build__set=set_id),
    ]


def _short(stamp: str) -> str:
    return hashlib.sha256(stamp.encode()).hexdigest()[:12]
