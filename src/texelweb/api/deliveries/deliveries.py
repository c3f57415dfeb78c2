"""Deliveries: asked for, read back, downloaded."""

from __future__ import annotations

import uuid
from datetime import datetime
from uuid import UUID

from django.core.files.storage import default_storage
from django.db import transaction
from django.http import FileResponse, HttpRequest
from ninja import Field, Router, Schema

from texelcore.delivery.documents import Receipt
from texelcore.targets.document import Target
from texelweb.accounts.access import Access, enter
from texelweb.api.documenting import serves
from texelweb.api.schemas import ErrorBody, JobView
from texelweb.api.sets import views
from texelweb.deliveries.models import DeliveredSet, Delivery
from texelweb.jobs.control import enqueue
from texelweb.jobs.models import Job
from texelweb.library.pins import pins_of, row_of
from texelweb.projects.models import Role
from texelweb.record.steps import note_deed
from texelweb.refusals import Refused, not_found
from texelweb.sets.models import TextureSet

router = Router(tags=["deliveries"])
MOST_LISTED = 30


class DeliveryLine(Schema):
    """A delivery in the list, with its receipt."""

    id: UUID
    target: str
    target_title: str
    target_version: int
    created: datetime
    by: str
    sets: list[str]
    # The variants that went along, and the models that wear them.
    variants: list[str]
    models: list[str]
    files: int
    bytes: int
    folder: str
    receipt: Receipt | None
    job: JobView | None


class NewDelivery(Schema):
    """Targets, and the sets to deliver: one delivery for each target."""

    targets: list[str] = Field(min_length=1, max_length=16)
    sets: list[int]


ANSWERS = {200: DeliveryLine, 403: ErrorBody, 404: ErrorBody, 409: ErrorBody}


@router.get("/projects/{slug}/deliveries", response={200: list[DeliveryLine], 404: ErrorBody}, operation_id="list_deliveries")
def list_deliveries(request: HttpRequest, slug: str) -> list[DeliveryLine]:
    """The latest deliveries of a project, newest first, each with its receipt."""
    found = enter(request, slug).project.deliveries.select_related("job", "by", "project", "version").order_by("-created")
    return [_line(delivery) for delivery in found.prefetch_related("sets__set")[:MOST_LISTED]]


@router.post("/projects/{slug}/deliveries", response={**ANSWERS, 200: list[DeliveryLine]}, operation_id="start_delivery")
def start_delivery(request: HttpRequest, slug: str, body: NewDelivery) -> list[DeliveryLine]:
    """Deliver sets for one target or several, each as a delivery and a job of its own; the dock reads the results back."""
    access = enter(request, slug, Role.ARTIST)
    pins = pins_of(access.project)
    targets = [pins.of(name) for name in dict.fromkeys(body.targets)]
    sets = list(access.project.sets.filter(pk__in=body.sets))
    if not sets or len(sets) != len(set(body.sets)):
        raise not_found("One of the sets")
    for target in targets:
        others = [texture_set.name for texture_set in sets if target not in pins.of_set(texture_set.target)]
        if others:
            problem = f"is not made for {target.title}: {', '.join(others)}."
            raise Refused(409, "The delivery", problem, "Choose that target in the set, and prove it.")
    with transaction.atomic():
        return [_line(_begin(access, target, sets)) for target in targets]


def _begin(access: Access, target: Target, sets: list[TextureSet]) -> Delivery:
    delivery = Delivery.objects.create(project=access.project, version=row_of(target), by=access.user)
    DeliveredSet.objects.bulk_create(DeliveredSet(delivery=delivery, set=texture_set) for texture_set in sets)
    title = f"Delivering {sets[0].name if len(sets) == 1 else f'{len(sets)} sets'} for {target.title}"
    delivery.job = enqueue(access.project, Job.Kind.DELIVER, title, str(delivery.pk), access.user)
    delivery.save()
    return delivery


@router.get("/deliveries/{delivery_id}", response={200: DeliveryLine, 404: ErrorBody}, operation_id="get_delivery")
def get_delivery(request: HttpRequest, delivery_id: uuid.UUID) -> DeliveryLine:
    """One delivery."""
    return _line(_enter(request, delivery_id)[0])


@router.post("/deliveries/{delivery_id}/receive", response=ANSWERS, operation_id="receive_again")
def receive_again(request: HttpRequest, delivery_id: uuid.UUID) -> DeliveryLine:
    """Have the dock read a delivered folder once more, as a job."""
    delivery, access = _enter(request, delivery_id, Role.ARTIST)
    if delivery.manifest_json is None:
        raise Refused(409, "The delivery", "was never finished.", "Deliver again.")
    if delivery.job and delivery.job.is_open:
        return _line(delivery)
    with transaction.atomic():
        delivery.job = enqueue(access.project, Job.Kind.RECEIVE, "Reading a delivery back", str(delivery.pk), access.user)
        delivery.save(update_fields=["job"])
    return _line(delivery)


@router.get(
    "/deliveries/{delivery_id}/zip",
    operation_id="download_delivery",
    openapi_extra=serves("application/zip"),
    response={404: ErrorBody},
)
def download_delivery(request: HttpRequest, delivery_id: uuid.UUID) -> FileResponse:
    """A delivery as one zip."""
    delivery, access = _enter(request, delivery_id)
    if delivery.manifest_json is None or not default_storage.exists(delivery.place):
        raise not_found("The zip")
    note_deed(
        delivery.project, "download", f"Delivery for {delivery.target.name} downloaded", access.user, "Delivery", delivery.pk
    )
    name = f"{delivery.project.slug}-{delivery.target.name}.zip"
    return FileResponse(default_storage.open(delivery.place), as_attachment=True, filename=name)


def _enter(request: HttpRequest, delivery_id: uuid.UUID, least: Role = Role.GUEST) -> tuple[Delivery, Access]:
    delivery = Delivery.objects.filter(pk=delivery_id).select_related("project", "job", "by").first()
    if delivery is None:
        raise not_found("The delivery")
    return delivery, enter(request, delivery.project, least)


def _line(delivery: Delivery) -> DeliveryLine:
    manifest = delivery.manifest
    files = manifest.files() if manifest else ()
    names = (
        [texture_set.name for texture_set in manifest.sets]
        if manifest
        else [texture_set.set.name for texture_set in delivery.sets.all()]
    )
    return DeliveryLine(
        id=delivery.pk,
        target=delivery.target.name,
        target_title=delivery.target.title,
        target_version=delivery.target.version,
        created=delivery.created,
        by=delivery.by.get_username() if delivery.by else "",
        sets=sorted(names),
        variants=[variant.name for variant in manifest.variants] if manifest else [],
        models=[model.name for model in manifest.models] if manifest else [],
        files=len(files),
        bytes=sum(file.bytes for file in files),
        folder=str(delivery.folder) if manifest and delivery.folder and delivery.folder.is_dir() else "",
        receipt=delivery.receipt,
        job=views.job_view(delivery.job),
    )
