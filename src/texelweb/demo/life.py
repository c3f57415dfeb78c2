"""What has already been done in the demo world, so that a newcomer sees sets in every state of their lives: delivered with a
receipt, proved, built, changed since; and a draft of a target and of a master."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from texelweb.bulk.models import Bulk
from texelweb.bulk.run import ask_for
from texelweb.jobs.tasks import run_job
from texelweb.library.targets import TARGETS
from texelweb.masters.publish import MASTERS
from texelweb.projects.models import Project
from texelweb.sets.changing import ledgers
from texelweb.sets.models import TextureSet

# By project: what was done with which sets, by the part of their code that says what they are. The rest stands as it came.
DONE: Mapping[str, tuple[tuple[Bulk.Action, tuple[str, ...]], ...]] = {
    "glasshouse-nine": (
        (Bulk.Action.DELIVER, ("copper_mister", "grow_lamp", "lattice_pane")),
        (Bulk.Action.PROVE, ("moss_bed",)),
        (Bulk.Action.BUILD, ("fern_planter",)),
    ),
    "tidewheel": ((Bulk.Action.PROVE, ("planks", "sailcloth")),),
}


def live(users: Mapping[str, Any], tell: Callable[[str], None]) -> None:
    """Do what was done, here and now: each as a job that the record names."""
    artist = users["artist"]
    for slug, deeds in DONE.items():
        project = Project.objects.get(slug=slug)
        for action, parts in deeds:
            sets = [_named(project, part).pk for part in parts]
            bulk = ask_for(project, action, sets, artist)
            tell(f"{bulk.job.title if bulk.job else action} in {project.title}")
            run_job(job_id=str(bulk.job_id))
    # Delivered, and changed since.
    lamp = _named(Project.objects.get(slug="glasshouse-nine"), "grow_lamp")
    ledgers.clear(lamp, "occlusion", artist)
    TARGETS.begin(TARGETS.owners.objects.get(name="weir-console"), users["lead"])
    MASTERS.begin(MASTERS.owners.objects.get(name="wet-surface"), users["lead"])


def _named(project: Project, part: str) -> TextureSet:
    return next(entry for entry in project.sets.order_by("code") if part in entry.code.lower())
