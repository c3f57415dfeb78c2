"""Files that are made of a variant: planned from what it wears now, made by a job, kept under the key of the plan."""

from __future__ import annotations

import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import Protocol, TypeVar

from texelcore.pixels.errors import TexelError
from texelweb.builds.models import Product
from texelweb.jobs.models import Job
from texelweb.masters.models import SetVariant
from texelweb.storage.blobs import keep


class FilePlan(Protocol):
    """What a file will be made of; `key` is a hash over all of that."""

    @property
    def key(self) -> str:
        """What the file is known by."""


P = TypeVar("P", bound=FilePlan)


def made_by(plan: FilePlan) -> Product | None:
    """What was made by this plan before."""
    return Product.objects.filter(content_key=plan.key).select_related("blob").first()


def make_file(job: Job, plan_of: Callable[[SetVariant], P], write: Callable[[P, Path], None]) -> None:
    """Make a file of the variant that a job is about, unless it is made as it is now; `write` puts it where it is told. Raises
    TexelError where the variant is gone, and what planning and writing raise."""
    variant = SetVariant.objects.select_related("set__project", "version__master").filter(pk=job.subject).first()
    if variant is None:
        raise TexelError("The variant", "was removed meanwhile.", "Choose another.")
    plan = plan_of(variant)
    if made_by(plan):
        return
    with tempfile.TemporaryDirectory(prefix="fairtexel-") as folder:
        place = Path(folder) / "made"
        write(plan, place)
        blob = keep(place)
    Product.objects.get_or_create(content_key=plan.key, defaults={"blob": blob})
