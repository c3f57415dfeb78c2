"""What has already been done in the demo world, so that a newcomer sees sets in every state of their lives: delivered with a
receipt, proved, built, changed since; and a draft of a target and of a master."""

from __future__ import annotations

import tempfile
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

from texelcore.pixels.image import Image
from texelcore.pixels.read import read
from texelcore.pixels.strips import of_image
from texelcore.pixels.write import write
from texelweb.bulk.models import Bulk
from texelweb.bulk.run import ask_for
from texelweb.jobs.tasks import run_job
from texelweb.library.targets import TARGETS
from texelweb.masters.publish import MASTERS
from texelweb.projects.models import Project
from texelweb.sets.models import SourceFile, TextureSet
from texelweb.storage.blobs import local_file

# By project: what was done with which sets, by the part of their code that says what they are. The rest stands as it came.
DONE: Mapping[str, tuple[tuple[Bulk.Action, tuple[str, ...]], ...]] = {
    "glasshouse-nine": (
        (Bulk.Action.DELIVER, ("copper_mister", "grow_lamp", "lattice_pane")),
        (Bulk.Action.PROVE, ("moss_bed",)),
        (Bulk.Action.BUILD, ("fern_planter",)),
    ),
    "tidewheel": ((Bulk.Action.PROVE, ("planks", "sailcloth")),),
}


# What came anew after it was delivered: a set's property, painted so many times as bright.
REPAINTED = ("glasshouse-nine", "grow_lamp", "base_colour", 0.85)


def live(users: Mapping[str, Any], take_in: Callable[[Project, Path], None], tell: Callable[[str], None]) -> None:
    """Do what was done, here and now: each as a job that the record names. `take_in` takes the files of a folder into a
    project."""
    artist = users["artist"]
    for slug, deeds in DONE.items():
        project = Project.objects.get(slug=slug)
        for action, parts in deeds:
            sets = [_named(project, part).pk for part in parts]
            bulk = ask_for(project, action, sets, artist)
            tell(f"{bulk.job.title if bulk.job else action} in {project.title}")
            run_job(job_id=str(bulk.job_id))
    _repaint(take_in)
    TARGETS.begin(TARGETS.owners.objects.get(name="weir-console"), users["lead"])
    MASTERS.begin(MASTERS.owners.objects.get(name="wet-surface"), users["lead"])


def _repaint(take_in: Callable[[Project, Path], None]) -> None:
    slug, part, key, bright = REPAINTED
    project = Project.objects.get(slug=slug)
    row = _named(project, part).ledger.row(key)
    if row is None:
        return
    file = SourceFile.objects.get(pk=row.file)
    with tempfile.TemporaryDirectory(prefix="fairtexel-demo-") as folder, local_file(file.blob.place) as old:
        place = Path(folder) / file.path
        place.parent.mkdir(parents=True)
        picture = read(old, file.path)
        darker = Image((picture.data * bright).astype(picture.data.dtype), picture.channels)
        write(of_image(darker), "png", "srgb", place)
        take_in(project, Path(folder))


def _named(project: Project, part: str) -> TextureSet:
    return next(entry for entry in project.sets.order_by("code") if part in entry.code.lower())
