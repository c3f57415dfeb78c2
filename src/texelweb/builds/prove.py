"""The work of a proving job: build what is not current, then encode and measure what has no proof."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Callable
from functools import partial
from pathlib import Path

from texelcore.building.execute import Progress
from texelcore.building.plan import PlannedOutput
from texelcore.pixels.read import read
from texelcore.proof.prove import proof_key, prove
from texelcore.targets.document import Target
from texelweb.builds.models import Build, Proof
from texelweb.builds.pictures import paint_small
from texelweb.builds.planning import proofs_of, state_of
from texelweb.builds.run import make_build
from texelweb.jobs.models import Job
from texelweb.jobs.tasks import Reporter
from texelweb.record.steps import note_deed
from texelweb.storage.blobs import keep, local_file

# The share of a proving job that building takes, where there is something to build.
_BUILDING = 0.3
# Proofs in the record.
PROOF = "proof"


def run(job: Job, reporter: Reporter) -> None:
    """Prove every output of a set for a target. The job's subject is a Build that was made for it.

    Each proof is recorded when it is made, so that a job that is stopped loses only the one at hand. Raises TexelError when an
    output cannot be made or stored.
    """
    build = Build.objects.select_related("set__project").get(pk=job.subject)
    prove_build(build, build.target, reporter.progress)


def prove_build(build: Build, target: Target, progress: Progress) -> int:
    """Prove every output of a build's set, as `run` does. Gives how many were measured."""
    state = state_of(build.set, target)
    if state.current and state.build:
        # Nothing to build: the proofs belong to the build that is there already. This one stays without a manifest, so that
        # the set still knows its latest job.
        made, begun = state.build, 0.0
    else:
        make_build(build, target, state.plan, state.files, lambda share, doing: progress(share * _BUILDING, doing))
        made, begun = build, _BUILDING
    plan = state.plan
    known = proofs_of(state.proof_keys)
    todo = [planned for planned in plan.outputs if planned.key not in known]
    for index, planned in enumerate(todo):

        def tell(share: float, index: int = index, planned: PlannedOutput = planned) -> None:
            progress(begun + (1 - begun) * (index + share) / len(todo), f"encoding {planned.file_name}")

        _prove_one(made, planned, tell)
    what = f"Proved for {target.title}: {len(todo)} {'output' if len(todo) == 1 else 'outputs'} measured"
    note_deed(build.set.project, PROOF, what, build.by, build.set.name, build.pk, about=build.set_id)
    return len(todo)


def _prove_one(build: Build, planned: PlannedOutput, tell: Callable[[float], None]) -> None:
    # What the build recorded under the key that was planned: never the picture of another plan.
    output = build.outputs.select_related("blob").get(key=planned.key, content_key=planned.content_key)
    with local_file(output.blob.place) as path, tempfile.TemporaryDirectory(prefix="fairtexel-proof-") as folder:
        proved = prove(planned, partial(read, path, output.file_name), tell, os.cpu_count() or 1)
        encoded = Path(folder) / "encoded.dds"
        encoded.write_bytes(proved.dds)
        blob = keep(encoded)
    figures = proved.figures.model_dump(mode="json")
    proof, _ = Proof.objects.get_or_create(proof_key=proof_key(planned), defaults={"blob": blob, "figures_json": figures})
    paint_small(planned, proof)
