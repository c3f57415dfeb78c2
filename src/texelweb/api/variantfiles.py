"""What is made of a variant: a glTF file, a MaterialX document; and where its layers are seen."""

from __future__ import annotations

from django.core.files.storage import default_storage
from django.db import transaction
from django.http import FileResponse, HttpRequest
from ninja import Router, Schema

from texelcore.materials.unseen import LayerSeen, Paint
from texelcore.naming.templates import code_of
from texelcore.pixels.errors import TexelError
from texelweb.accounts.access import Access
from texelweb.api import schemas
from texelweb.api.documenting import serves
from texelweb.api.variants import enter_variant, jobs_of
from texelweb.jobs.control import enqueue
from texelweb.jobs.leases import is_alive
from texelweb.jobs.models import Job
from texelweb.masters.baking import baked, plan_bake
from texelweb.masters.layers import layers_of_variant
from texelweb.masters.materialx import plan_materialx, written
from texelweb.masters.models import SetVariant
from texelweb.projects.models import Role

router = Router(tags=["variants"])


class SeenOn(Schema):
    """What is painted on the mesh that a variant is looked at on: the smallest and the largest red, green, blue and alpha;
    without them it is one of the stage's own shapes."""

    low: tuple[float, float, float, float] | None = None
    high: tuple[float, float, float, float] | None = None


@router.post(
    "/variants/{variant_id}/gltf",
    response={200: schemas.JobView, 403: schemas.ErrorBody, 404: schemas.ErrorBody, 409: schemas.ErrorBody},
    operation_id="start_gltf",
)
def start_gltf(request: HttpRequest, variant_id: int) -> Job:
    """Bake a variant into a glTF 2.0 binary, as a job. A job of this variant that is still open is given instead."""
    variant, access = enter_variant(request, variant_id, Role.ARTIST)
    plan_bake(variant)
    return _started(variant, access, Job.Kind.BAKE, f"Baking {variant.name} into glTF")


@router.get(
    "/variants/{variant_id}/gltf",
    operation_id="download_gltf",
    openapi_extra=serves("model/gltf-binary"),
    response={404: schemas.ErrorBody, 409: schemas.ErrorBody},
)
def download_gltf(request: HttpRequest, variant_id: int) -> FileResponse:
    """A variant as a glTF 2.0 binary, once it is baked."""
    variant, _ = enter_variant(request, variant_id)
    product = baked(plan_bake(variant))
    if product is None:
        raise TexelError(variant.name, "was changed after its last glTF was made.", "Have its glTF made first.")
    name = f"{code_of(variant.name)}.glb"
    stored = default_storage.open(product.blob.place)
    return FileResponse(stored, as_attachment=True, filename=name, content_type="model/gltf-binary")


@router.post(
    "/variants/{variant_id}/materialx",
    response={200: schemas.JobView, 403: schemas.ErrorBody, 404: schemas.ErrorBody, 409: schemas.ErrorBody},
    operation_id="start_materialx",
)
def start_materialx(request: HttpRequest, variant_id: int) -> Job:
    """Write a variant as MaterialX with its pictures, as a job. A job of this variant that is still open is given instead."""
    variant, access = enter_variant(request, variant_id, Role.ARTIST)
    plan_materialx(variant)
    return _started(variant, access, Job.Kind.WRITE, f"Writing {variant.name} as MaterialX")


@router.get(
    "/variants/{variant_id}/materialx",
    operation_id="download_materialx",
    openapi_extra=serves("application/zip"),
    response={404: schemas.ErrorBody, 409: schemas.ErrorBody},
)
def download_materialx(request: HttpRequest, variant_id: int) -> FileResponse:
    """A variant as a zip of its MaterialX document and its pictures, once it is written."""
    variant, _ = enter_variant(request, variant_id)
    product = written(plan_materialx(variant))
    if product is None:
        raise TexelError(variant.name, "was changed after it was last written as MaterialX.", "Have it written first.")
    stored = default_storage.open(product.blob.place)
    name = f"{code_of(variant.name)}.mtlx.zip"
    return FileResponse(stored, as_attachment=True, filename=name, content_type="application/zip")


@router.post(
    "/variants/{variant_id}/seen",
    response={200: list[LayerSeen], 404: schemas.ErrorBody, 409: schemas.ErrorBody},
    operation_id="look_for_layers",
)
def look_for_layers(request: HttpRequest, variant_id: int, body: SeenOn) -> list[LayerSeen]:
    """How much of a variant each of its layers is, on the stage's shapes or on a mesh that is painted so; and why one is
    nowhere."""
    variant, _ = enter_variant(request, variant_id)
    return layers_of_variant(variant, Paint(body.low, body.high) if body.low and body.high else None)


def _started(variant: SetVariant, access: Access, kind: Job.Kind, title: str) -> Job:
    """A job that makes something of a variant: one that is open already, or a new one."""
    with transaction.atomic():
        # Two who ask at the same moment get one job.
        SetVariant.objects.select_for_update(no_key=True, of=("self",)).get(pk=variant.pk)
        if running := jobs_of(variant, kind).filter(is_alive()).first():
            return running
        return enqueue(access.project, kind, title, str(variant.pk), access.user)
