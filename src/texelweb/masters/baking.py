"""Baking a variant into a glTF file, as a job. What was baked is kept by all that it was baked from, and never baked twice."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import partial
from math import ceil
from pathlib import Path

from texelcore.materials.dressing.binding import Bindings, bind, opacity_use
from texelcore.materials.dressing.textures import samplers_of
from texelcore.materials.gltf.placing import placement_of, stretch_of
from texelcore.materials.sheets.document import Master
from texelcore.materials.sheets.typing import check_master
from texelcore.pixels.errors import TexelError
from texelcore.pixels.image import Image
from texelcore.pixels.read import read
from texelcore.targets.document import Target
from texelweb.builds.models import Output
from texelweb.builds.planning import State, maps_of, state_of
from texelweb.jobs.models import Job
from texelweb.jobs.tasks import Reporter
from texelweb.library.pins import target_of
from texelweb.masters.making import make_file
from texelweb.masters.models import SetVariant
from texelweb.sets.models import TextureSet
from texelweb.storage.blobs import local_file

# What baking makes of the same things changes with this number.
BAKING_VERSION = 5
# The most places that a texel is averaged of, along an edge.
FINEST = 16
_READ, _BAKED = 0.3, 0.8


@dataclass(frozen=True)
class BakePlan:
    """What a variant is baked from, as it is now, and the content key of the result."""

    variant: SetVariant
    master: Master
    target: Target
    bindings: Bindings
    # The outputs of each layer's and free texture's set, by its name.
    outputs: Mapping[str, Mapping[str, Output]]
    key: str


def plan_bake(variant: SetVariant) -> BakePlan:
    """Plan the baking of a variant. Raises TexelError when its set is not built as it is now."""
    target = target_of(variant.project, variant.set.target_name)
    master, document = variant.version.document, variant.document
    sets = variant.sets()
    once = {held.pk: held for held in sets.values()}
    states = {pk: state_of(held, target) for pk, held in once.items()}
    _refuse_unbuilt([(held, states[pk]) for pk, held in once.items()], target)
    maps, built = {}, {}
    for holder, held in sets.items():
        known = states[held.pk]
        other = document.others.get(holder)
        maps[holder] = replace(maps_of(known), property=other.property if other else "")
        built[holder] = known.build
    bindings = bind(master, target, maps)
    used = {(bound.holder, bound.output) for bound in bindings.values() if bound}
    outputs = {
        holder: {output.key: output for output in build.outputs.select_related("blob") if (holder, output.key) in used}
        for holder, build in built.items()
    }
    parts = [f"gltf {BAKING_VERSION}", document.model_dump_json(), master.model_dump_json(), target.model_dump_json()]
    parts += [f"{holder} {key} {output.content_key}" for holder, held in outputs.items() for key, output in sorted(held.items())]
    return BakePlan(variant, master, target, bindings, outputs, hashlib.sha256("\n".join(parts).encode()).hexdigest())


def _refuse_unbuilt(sets: Sequence[tuple[TextureSet, State]], target: Target) -> None:
    """Raise TexelError that names all sets that are not built for a target as they are now, and says which were never."""
    never = [held.name for held, state in sets if not state.build]
    stale = [held.name for held, state in sets if state.build and not state.current]
    if not never and not stale:
        return
    parts = []
    if never:
        parts.append(f"{'is' if len(never) == 1 else 'are'} not built for {target.title}")
    if stale:
        changed = f"{'was' if len(stale) == 1 else 'were'} changed after the last build for {target.title}"
        parts.append(f"{', '.join(stale)} {changed}" if never else changed)
    names = never or stale
    it = "it" if len(never) + len(stale) == 1 else "them"
    raise TexelError(", ".join(names), f"{'; '.join(parts)}.", f"Build {it}, then export again.")


def run(job: Job, reporter: Reporter) -> None:
    """Bake a variant, unless it is baked as it is now. Raises TexelError as `plan_bake` does."""
    make_file(job, plan_bake, partial(_bake, reporter))


def _bake(reporter: Reporter, plan: BakePlan, place: Path) -> None:
    # The library behind it takes its time to be imported.
    from texelcore.materials.gltf.variant import LARGEST_BAKE, bake, export_glb

    variant = plan.variant
    images = read_outputs(plan, lambda share, name: reporter.progress(_READ * share, f"reading {name}"))
    # What glTF can say of the placement is not baked: the textures keep their own texels.
    checked, placement = placement_of(check_master(plan.master), variant.values)
    stretch = 1.0 if placement else stretch_of(checked, variant.values)
    wide, high = (edge * stretch for edge in largest_of(images))
    width, height = min(LARGEST_BAKE, ceil(wide)), min(LARGEST_BAKE, ceil(high))
    finer = min(FINEST, ceil(max(wide / width, high / height)))
    reporter.progress(_READ, f"baking {width} × {height} texels")
    samplers = samplers_of(plan.master, plan.bindings, images, plan.target)

    def tell(share: float) -> None:
        reporter.progress(_READ + (_BAKED - _READ) * share, f"baking {width} × {height} texels")

    surface = bake(checked, variant.values, samplers, width, height, finer, tell=tell)
    reporter.progress(_BAKED, "writing the glTF file")
    # What is mixed by hand is as the master says; where that leaves it to the target, as the target has it.
    held = {texture.property for texture in plan.master.textures if plan.bindings[texture.name]}
    place.write_bytes(export_glb(variant.name, surface, opacity_use(plan.target, held, plan.master), placement))


def read_outputs(plan: BakePlan, tell: Callable[[float, str], None]) -> dict[str, dict[str, Image]]:
    """The built outputs that a plan reads, by holder and key. Raises TexelError for one that cannot be read."""
    images: dict[str, dict[str, Image]] = {}
    wanted = [(holder, key, output) for holder, held in plan.outputs.items() for key, output in held.items()]
    for number, (holder, key, output) in enumerate(wanted):
        tell(number / len(wanted), output.file_name)
        with local_file(output.blob.place) as path:
            images.setdefault(holder, {})[key] = read(path, output.file_name)
    return images


def largest_of(images: Mapping[str, Mapping[str, Image]]) -> tuple[int, int]:
    """The width and the height of the largest of some pictures; 4 × 4 where there are none."""
    pictures = [image for held in images.values() for image in held.values()]
    return max((image.width for image in pictures), default=4), max((image.height for image in pictures), default=4)
