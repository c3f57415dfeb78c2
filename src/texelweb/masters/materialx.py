"""Writing a variant as MaterialX, as a job: its document and the pictures of its sets in one zip. What was written is kept by
all that it was written from, and never written twice."""

from __future__ import annotations

import hashlib
import zipfile
from collections.abc import Mapping
from dataclasses import dataclass
from functools import partial
from pathlib import Path

from texelcore.materials.dressing.binding import Bindings, bind, opacity_use
from texelcore.materials.dressing.stage import STAGE_TARGET
from texelcore.materials.sheets.document import Master, OpacityUse
from texelcore.materials.sheets.typing import check_master
from texelweb.builds.stage import Staged, plain_picture, staged
from texelweb.jobs.models import Job
from texelweb.jobs.tasks import Reporter
from texelweb.library.pins import target_of
from texelweb.masters.making import make_file
from texelweb.masters.models import SetVariant

# What is written of the same things changes with this number.
WRITING_VERSION = 1
# The same moment for every entry, so that the same things give the same bytes.
_MOMENT = (1980, 1, 1, 0, 0, 0)


@dataclass(frozen=True)
class WritePlan:
    """What a variant is written from, as it is now: which picture of which set each (layer or free texture, output) is, under
    which name; and the content key of the result."""

    variant: SetVariant
    master: Master
    bindings: Bindings
    stages: Mapping[str, Staged]
    files: Mapping[tuple[str, str], str]
    opacity: OpacityUse
    key: str


def plan_materialx(variant: SetVariant) -> WritePlan:
    """Plan the writing of a variant, from its sets' sources as they are now."""
    master, document, held = variant.version.document, variant.document, variant.sets()
    by_set = {texture_set.pk: staged(texture_set) for texture_set in held.values()}
    stages = {holder: by_set[texture_set.pk] for holder, texture_set in held.items()}
    others = document.others
    maps = {holder: stage.maps(others[holder].property if holder in others else "") for holder, stage in stages.items()}
    bindings = bind(master, STAGE_TARGET, maps)
    # A set that two layers take is written once.
    numbers = {pk: f"{at + 1:02}" for at, pk in enumerate(by_set)}
    files = {
        (bound.holder, bound.output): f"textures/set{numbers[held[bound.holder].pk]}_{bound.output}.png"
        for bound in bindings.values()
        if bound
    }
    bound_keys = {texture.property for texture in master.textures if bindings.get(texture.name)}
    opacity = opacity_use(target_of(variant.project, variant.set.target_name), bound_keys, master)
    parts = [f"materialx {WRITING_VERSION}", document.model_dump_json(), master.model_dump_json(), opacity.model_dump_json()]
    for holder, stage in sorted(stages.items()):
        parts += [f"{holder} {planned.key} {planned.content_key}" for planned in stage.planned]
    key = hashlib.sha256("\n".join(parts).encode()).hexdigest()
    return WritePlan(variant, master, bindings, stages, files, opacity, key)


def run(job: Job, reporter: Reporter) -> None:
    """Write a variant, unless it is written as it is now."""
    make_file(job, plan_materialx, partial(_write, reporter))


def _write(reporter: Reporter, plan: WritePlan, place: Path) -> None:
    # The library behind it takes its time to be imported.
    from texelcore.materials.mtlx.writing import write_materialx

    name, values = plan.variant.name, plan.variant.values
    made = write_materialx(check_master(plan.master), name, plan.bindings, plan.files, values, plan.opacity)
    pictures = {name: (holder, output) for (holder, output), name in plan.files.items()}
    with zipfile.ZipFile(place, "w") as archive:
        _put(archive, "material.mtlx", made.text.encode())
        if made.notes:
            _put(archive, "notes.txt", ("\n".join(made.notes) + "\n").encode())
        for number, (name, (holder, output)) in enumerate(sorted(pictures.items())):
            reporter.progress(number / len(pictures), f"writing {name}")
            _put(archive, name, plain_picture(plan.stages[holder], output))


def _put(archive: zipfile.ZipFile, name: str, content: bytes) -> None:
    # Pictures are packed already.
    packing = zipfile.ZIP_STORED if name.endswith(".png") else zipfile.ZIP_DEFLATED
    archive.writestr(zipfile.ZipInfo(name, _MOMENT), content, packing)
