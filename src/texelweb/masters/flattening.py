"""Flattening a variant into a set of maps, as a job: over a mesh with its paint, or over a flat square. The set is one as any
other from then on: built for every target, proved, delivered. Flattened again, its files have new revisions."""

from __future__ import annotations

import tempfile
from math import ceil, isqrt
from pathlib import Path
from typing import Any

from django.db import transaction
from django.utils import timezone

from texelcore.materials.dressing.binding import not_taken
from texelcore.materials.dressing.flatten import FlatMap, flat_ledger, flat_maps, write_flat
from texelcore.materials.dressing.textures import samplers_of
from texelcore.materials.gltf.meshes import Spread, read_mesh, spread
from texelcore.materials.gltf.placing import stretch_of
from texelcore.materials.sheets.typing import check_master
from texelcore.naming.templates import code_of
from texelcore.pixels.errors import TexelError
from texelcore.surface.ledger import Ledger
from texelcore.surface.origin import Origin
from texelcore.targets.document import Target
from texelweb.jobs.models import Job
from texelweb.jobs.tasks import Reporter
from texelweb.masters.baking import FINEST, BakePlan, largest_of, plan_bake, read_outputs
from texelweb.masters.models import Flattening, SetVariant
from texelweb.projects.models import Project
from texelweb.record.steps import note_step
from texelweb.sets.answering import questions
from texelweb.sets.arrivals.sorting import Looked, take_all
from texelweb.sets.changing.ledgers import change, claim_files, create_set
from texelweb.sets.changing.writing import SET, lock_project
from texelweb.sets.geometry.meshes import look_over
from texelweb.sets.models import ArrivalItem, SourceFile, TextureSet
from texelweb.storage.blobs import keep, keep_bytes, local_file
from texelweb.storage.guard import Guard
from texelweb.storage.pictures import EDGES, keep_small

EDGES_OF_SQUARES = (512, 1024, 2048, 4096)
USUAL_EDGE = 1024
# The most places at which a master is read for one set, and at which a mesh is laid out.
MOST_READ, MOST_LAID = 1 << 28, 1 << 24
# As a set’s name.
LONGEST_NAME = 80
_READ, _LAID, _BAKED, _LOOKED = 0.2, 0.4, 0.8, 0.95


@transaction.atomic
def plan_flattening(
    variant: SetVariant, name: str, mesh: Path | None, mesh_name: str, edge: int, user: Any
) -> tuple[Flattening, bool]:
    """Ask for a variant to be flattened into a set called `name`, over a mesh in GLB or over a flat square, of `edge` texels (0:
    as its maps). One of the same name is renewed. Gives it, and whether something else is asked for than before: a job that is
    at work on that has begun too early. Raises TexelError for a set that is not built, and for what is no glTF."""
    plan_bake(variant)
    said = " ".join(name.split())[:LONGEST_NAME] or f"{variant.name} flat"[:LONGEST_NAME]
    blob = None
    if mesh is not None:
        # Its numbers are read by the worker alone.
        look_over(mesh, f"{mesh_name}.glb")
        blob = keep(mesh)
    # Two that are called alike, of different variants, have files of their own: what they are called by is settled here.
    lock_project(variant.set.project_id)
    values = {"mesh": blob, "edge": edge, "by": user}
    before = Flattening.objects.filter(variant=variant, name=said).values_list("mesh", "edge").first()
    found, _ = Flattening.objects.update_or_create(variant=variant, name=said, defaults=values)
    if not found.stem:
        found.stem = _free_stem(found)
        found.save(update_fields=["stem"])
    return found, before != (blob.pk if blob else None, edge)


def run(job: Job, reporter: Reporter) -> None:
    """Flatten a variant. Raises TexelError as `plan_flattening` and `read_mesh` do; nothing of the set has changed then."""
    asked = Flattening.objects.select_related("variant__set__project", "variant__version__master", "mesh").filter(pk=job.subject)
    flattening = asked.first()
    if flattening is None or flattening.variant.removed is not None:
        raise TexelError("The variant", "was removed meanwhile.", "Choose another.")
    plan = plan_bake(flattening.variant)
    maps, told = _maps(flattening, plan, reporter)
    stem = flattening.stem
    with tempfile.TemporaryDirectory(prefix="fairtexel-") as folder, Guard() as guard:
        looked: dict[str, tuple[FlatMap, Looked]] = {}
        for number, entry in enumerate(maps):
            name = entry.file_name(stem)
            reporter.progress(_BAKED + (_LOOKED - _BAKED) * number / len(maps), f"writing {name}")
            place, path = Path(folder) / name, f"flattened/{stem}/{name}"
            write_flat(entry, place)
            facts, small = guard.look(place, path, EDGES["small"])
            keep_bytes(place, facts.sha256)
            keep_small(facts.sha256, small)
            looked[entry.property] = (entry, Looked(ArrivalItem(path=path), path, facts))
    reporter.phase(_LOOKED, "making the set")
    with transaction.atomic():
        project = lock_project(flattening.variant.set.project_id)
        _into_set(project, flattening, looked, told)
        reporter.hold()


def _maps(flattening: Flattening, plan: BakePlan, reporter: Reporter) -> tuple[list[FlatMap], str]:
    """The maps of a flattened variant, and in words what they were made over."""
    # The library behind it takes its time to be imported.
    from texelcore.materials.gltf.variant import bake

    variant, checked = flattening.variant, check_master(plan.master)
    images = read_outputs(plan, lambda share, name: reporter.progress(_READ * share, f"reading {name}"))
    samplers = samplers_of(plan.master, plan.bindings, images, plan.target)
    stretch = stretch_of(checked, variant.values)
    wide, high = (size * stretch for size in largest_of(images))
    width, height = _size(flattening, wide, high)
    # As for glTF: each texel is the mean of all that falls into it, as far as there is time and, over a mesh, memory.
    most = MOST_LAID if flattening.mesh else MOST_READ
    finer = max(1, min(FINEST, ceil(max(wide / width, high / height)), isqrt(most // (width * height))))
    laid, over = None, "a flat square"
    if flattening.mesh is not None:
        reporter.phase(_READ, "laying the mesh out over its texture coordinates")
        with local_file(flattening.mesh.place) as path:
            laid = spread(read_mesh(path.read_bytes(), "The mesh"), width * finer, height * finer, checked.mesh_inputs())
        over = f"a mesh with its paint{_twice(laid)}"

    def tell(share: float) -> None:
        reporter.progress(_LAID + (_BAKED - _LAID) * share, f"baking {width} × {height} texels")

    tell(0.0)
    surface = bake(checked, variant.values, samplers, width, height, finer, laid.inputs if laid else None, tell)
    return flat_maps(surface), f"over {over}{_without(plan, plan.target)}"


def _twice(laid: Spread) -> str:
    """In words, what share of a mesh's square is used more than once."""
    return f"; {laid.twice:.0%} of its texture square is used more than once, where one face counts" if laid.twice > 0.01 else ""


def _size(flattening: Flattening, wide: float, high: float) -> tuple[int, int]:
    """Over a mesh a square of its edge. A flat one is as large as its largest maps, where they are repeated so much larger
    (`wide` and `high`), at most 4096; or it has its edge along its longer side."""
    if flattening.mesh is not None:
        return (flattening.edge or USUAL_EDGE,) * 2
    longest = flattening.edge or min(EDGES_OF_SQUARES[-1], max(wide, high))
    scale = longest / max(wide, high)
    return max(1, ceil(wide * scale)), max(1, ceil(high * scale))


def _without(plan: BakePlan, target: Target) -> str:
    """What a set has no place for, in words."""
    plain = target.model_copy(update={"material_extensions": ()})
    titles = [title.lower() for title in not_taken(plan.master, plain)]
    return f"; without {' and '.join(titles)}, for which maps have no place" if titles else ""


def _free_stem(flattening: Flattening) -> str:
    """What files are called by: as the set, with a number where another flattening or a folder is called so."""
    project = flattening.variant.set.project_id
    taken = {stem.casefold() for stem in Flattening.objects.filter(variant__project=project).values_list("stem", flat=True)}
    files = SourceFile.everything.filter(project=project)
    code, number = code_of(flattening.name), 2
    found = code
    while found.casefold() in taken or files.filter(path_key__startswith=_folder(found)).exists():
        found, number = f"{code}_{number}", number + 1
    return found


def _folder(stem: str) -> str:
    """Where files of a stem lie, letter case folded."""
    return f"flattened/{stem.casefold()}/"


def _into_set(project: Project, flattening: Flattening, looked: dict[str, tuple[FlatMap, Looked]], told: str) -> None:
    """Take the files in and give them to the set: the one that was made before, or a new one."""
    take_all(project, [entry for _, entry in looked.values()], flattening.by)
    files = {
        file.arrived_key: file
        for file in SourceFile.objects.filter(project=project, arrived_key__startswith=_folder(flattening.stem))
    }
    held = {key: (entry, files[found.path.casefold()].facts) for key, (entry, found) in looked.items()}
    variant = flattening.variant
    made = TextureSet.objects.filter(pk=flattening.set_id).first()
    what = f"Flattened from {variant.name}, {told}"[:300]
    ledger = flat_ledger(made.name if made else flattening.name, held, f"{what}.")
    if made is None:
        source = f"{variant.name}, a variant of {variant.version.master.title}"[:400]
        origin = Origin(way="flattened", source=source, came=timezone.now().date())
        made = create_set(project, ledger, flattening.by, what, origin.model_dump(mode="json"), variant.set.folder_id)
        note_step(project, SET, made.pk, made.name, what, flattening.by, {"there": False}, {"there": True}, about=made.pk)
    else:
        made = change(made, lambda known: _renewed(known, ledger), what, flattening.by)
    claim_files(made, made.ledger)
    flattening.set = made
    flattening.save(update_fields=["set"])
    ids = {file.pk for file in files.values()}
    questions.refresh(project, questions.Touched({made.pk}, files=ids, moved=ids))


def _renewed(known: Ledger, flat: Ledger) -> Ledger:
    """A set's ledger with the rows that were flattened anew; rows of other properties are the artist's, and stay."""
    own = {row.property for row in flat.rows}
    return known.model_copy(update={"rows": (*flat.rows, *(row for row in known.rows if row.property not in own))})
