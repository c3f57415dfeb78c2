"""The work of a build job."""

from __future__ import annotations

import tempfile
from collections.abc import Mapping
from pathlib import Path

from django.db import transaction

from texelcore.building.execute import Made, Progress, make_outputs
from texelcore.building.manifest import make_manifest
from texelcore.building.plan import Plan, PlannedOutput
from texelcore.pixels.errors import TexelError
from texelcore.surface.files import FileFacts
from texelcore.surface.sources import Source
from texelcore.targets.document import Target
from texelweb.builds.models import Build, Output, Product
from texelweb.builds.planning import judge_set
from texelweb.jobs.models import Job
from texelweb.jobs.tasks import Reporter
from texelweb.record.steps import note_deed
from texelweb.storage.blobs import keep
from texelweb.storage.sources import stored

# Builds in the record.
BUILD = "build"


def run(job: Job, reporter: Reporter) -> None:
    """Build a set for a target: reuse what was made before, make the rest, and record all of it in one transaction.

    Raises TexelError when an output cannot be made; nothing is recorded then.
    """
    build = Build.objects.select_related("set__project").get(pk=job.subject)
    target = build.target
    judged = judge_set(build.set, target)
    make_build(build, target, judged.plan, judged.files, reporter.progress)


def make_build(build: Build, target: Target, plan: Plan, files: Mapping[Source, FileFacts], progress: Progress) -> None:
    """Carry out what was planned for a build, and nothing that came since. Raises TexelError when an output cannot be made, and
    whatever `progress` raises to stop."""
    blocked = next((planned for planned in plan.outputs if planned.problem), None)
    if blocked:
        raise TexelError(blocked.file_name, blocked.problem or "", blocked.way_out or "")
    known = {product.content_key: product for product in _products(plan)}
    missing = plan.model_copy(update={"outputs": tuple(_first_of_each(plan, set(known)))})
    with tempfile.TemporaryDirectory(prefix="fairtexel-build-") as folder:
        made = make_outputs(missing, stored(files), Path(folder), progress)
        blobs = {item.planned.content_key: keep(item.path, item.sha256) for item in made}
    with transaction.atomic():
        for key, blob in blobs.items():
            known[key], _ = Product.objects.get_or_create(content_key=key, defaults={"blob": blob})
        for planned in plan.outputs:
            _record(build, planned, known[planned.content_key], reused=planned.content_key not in blobs)
        all_made = [_as_made(planned, known[planned.content_key]) for planned in plan.outputs]
        build.manifest = make_manifest(plan, target, files, all_made, build.set.project.code).to_json()
        build.save()
        made = len(blobs)
        what = f"Built for {target.title}: {made} made, {len(plan.outputs) - made} reused"
        note_deed(build.set.project, BUILD, what, build.by, build.set.name, build.pk, about=build.set_id)


def _products(plan: Plan) -> list[Product]:
    keys = [planned.content_key for planned in plan.outputs]
    return list(Product.objects.filter(content_key__in=keys).select_related("blob"))


def _first_of_each(plan: Plan, known: set[str]) -> list[PlannedOutput]:
    """The outputs whose bytes nobody has made yet, one for each content key."""
    todo = {planned.content_key: planned for planned in plan.outputs if planned.content_key not in known}
    return list(todo.values())


def _as_made(planned: PlannedOutput, product: Product) -> Made:
    return Made(planned, Path(planned.file_name), product.blob.bytes, product.blob.sha256)


def _record(build: Build, planned: PlannedOutput, product: Product, reused: bool) -> None:
    Output.objects.update_or_create(
        build=build,
        key=planned.key,
        defaults={
            "title": planned.title,
            "file_name": planned.file_name,
            "blob": product.blob,
            "content_key": planned.content_key,
            "width": planned.width,
            "height": planned.height,
            "sample": planned.output.sample,
            "encoding": planned.output.encoding,
            "channels": "".join(channel.channel for channel in planned.channels),
            "reused": reused,
        },
    )
