"""The one table of the files that are made of a variant."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Literal

from texelweb.jobs.models import Job
from texelweb.masters.baking import plan_bake
from texelweb.masters.making import FilePlan
from texelweb.masters.materialx import plan_materialx
from texelweb.masters.models import SetVariant

FileForm = Literal["gltf", "materialx"]


@dataclass(frozen=True)
class VariantFile:
    """A file that is made of a variant: what it is called, what is in it, the work that makes it, how that is planned (it raises
    TexelError while it cannot be made), and what it is to a browser."""

    title: str
    holds: str
    kind: Job.Kind
    doing: str
    plan: Callable[[SetVariant], FilePlan]
    ending: str
    mime: str


VARIANT_FILES: Mapping[FileForm, VariantFile] = {
    "gltf": VariantFile(
        title="glTF",
        holds="The variant baked into a glTF 2.0 file: a square of one metre, at most 2048 texels wide.",
        kind=Job.Kind.BAKE,
        doing="Baking {} into glTF",
        plan=plan_bake,
        ending=".glb",
        mime="model/gltf-binary",
    ),
    "materialx": VariantFile(
        title="MaterialX",
        holds="The variant as a MaterialX 1.39 document with its parameters, and the pictures of its sets.",
        kind=Job.Kind.WRITE,
        doing="Writing {} as MaterialX",
        plan=plan_materialx,
        ending=".mtlx.zip",
        mime="application/zip",
    ),
}
