"""The depot, asked through the server: pages talk to nobody else."""

from __future__ import annotations

from django.db import transaction
from django.http import HttpRequest, HttpResponse
from ninja import Router, Schema, Status

from texelweb.accounts.access import enter
from texelweb.accounts.models import DepotKey
from texelweb.api.documenting import serves
from texelweb.api.schemas import ErrorBody, JobView
from texelweb.depot import client
from texelweb.depot.client import DepotFound
from texelweb.depot.models import DepotOrder
from texelweb.jobs.control import enqueue
from texelweb.jobs.models import Job
from texelweb.projects.models import Role
from texelweb.refusals import Refused

router = Router(tags=["depot"])


class DepotView(Schema):
    """What the depot has, and whether the asking user has put in a key."""

    found: DepotFound
    signed_in: bool


class OrderAsked(Schema):
    """A material at a size in a format."""

    material: str
    size: str
    file_format: str


class KeyGiven(Schema):
    """A key to the depot."""

    key: str


@router.get("/projects/{slug}/depot", response={200: DepotView, 404: ErrorBody, 409: ErrorBody}, operation_id="search_depot")
def search_depot(request: HttpRequest, slug: str, q: str = "", category: str = "") -> DepotView:
    """Search the depot."""
    access = enter(request, slug)
    return DepotView(found=client.search(q, category), signed_in=DepotKey.of(access.user) is not None)


@router.get(
    "/projects/{slug}/depot/{material}/preview",
    response={404: ErrorBody},
    operation_id="depot_preview",
    openapi_extra=serves("image/png"),
)
def depot_preview(request: HttpRequest, slug: str, material: str) -> HttpResponse:
    """A material's picture."""
    enter(request, slug)
    answer = HttpResponse(client.preview(material), content_type="image/png")
    answer["Cache-Control"] = "private, max-age=3600"
    return answer


@router.post(
    "/projects/{slug}/depot/orders", response={200: JobView, 403: ErrorBody, 409: ErrorBody}, operation_id="order_material"
)
def order_material(request: HttpRequest, slug: str, body: OrderAsked) -> Job:
    """Fetch a material into the project, as a job."""
    access = enter(request, slug, Role.ARTIST)
    if DepotKey.of(access.user) is None:
        raise Refused(409, "Your key to the depot", "is missing.", "Put it in first.")
    offer = client.material(body.material)
    if body.size not in offer.sizes or body.file_format not in offer.formats:
        raise Refused(409, offer.title, f"is not offered as {body.size} {body.file_format}.", "Choose another size or format.")
    with transaction.atomic():
        order = DepotOrder.objects.create(
            project=access.project,
            material=offer.id,
            title=offer.title,
            size=body.size,
            file_format=body.file_format,
            licence_json=offer.licence.model_dump(mode="json"),
            by=access.user,
        )
        title = f"Fetching {offer.title}, {body.size} {body.file_format.upper()}"
        return enqueue(access.project, Job.Kind.FETCH, title, str(order.pk), access.user)


@router.put("/account/depot-key", response={204: None, 409: ErrorBody}, operation_id="give_depot_key")
def give_depot_key(request: HttpRequest, body: KeyGiven) -> Status[None]:
    """Keep the asking user's key to the depot, when it opens it."""
    key = body.key.strip()
    if not 1 <= len(key) <= 120 or not key.isascii() or not key.isprintable():
        raise Refused(409, "The key", "is none: it has 1 to 120 plain characters.", "Copy it again.")
    client.sign_in(key)
    DepotKey.keep(request.user, key)
    return Status(204, None)


@router.delete("/account/depot-key", response={204: None}, operation_id="forget_depot_key")
def forget_depot_key(request: HttpRequest) -> Status[None]:
    """Forget the asking user's key."""
    DepotKey.objects.filter(user=request.user).delete()
    return Status(204, None)
