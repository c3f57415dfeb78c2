"""Arrivals: files come one by one, then are sorted as a job. Programs may bring files in with an access token."""

from __future__ import annotations

import uuid
from datetime import timedelta

from django.conf import settings
from django.core.files.storage import default_storage
from django.db import transaction
from django.db.models import Q
from django.http import HttpRequest
from django.utils import timezone
from ninja import Field, File, Form, Query, Router, Schema, Status, UploadedFile

from texelcore.surface.origin import Origin
from texelweb.accounts.access import Access, enter
from texelweb.accounts.receiving import ProgramAuth, page_auth, receives
from texelweb.api.parsing import id_in_address
from texelweb.api.schemas import ErrorBody
from texelweb.api.sets.arrival_views import ArrivalItemView, ArrivalView, arrival_view, arrival_views
from texelweb.jobs.control import enqueue
from texelweb.jobs.leases import is_alive
from texelweb.jobs.models import Job
from texelweb.projects.models import Project, Role
from texelweb.refusals import Refused, not_found
from texelweb.sets.models import Arrival, ArrivalItem, FileRevision

router = Router(tags=["arrivals"], auth=[ProgramAuth(), page_auth])
MOST_FILES = 5000


# A page that sends files beats every few seconds; what has not been heard of for this long was cut off.
SECONDS_UNHEARD = 15


class NewArrival(Schema):
    """Who sends, and how much: the page's own id, which is needed as long as it is alive, and the number of files."""

    page: str = Field(default="", max_length=64)
    files: int = Field(default=0, ge=0, le=1_000_000)


class Hashes(Schema):
    """SHA-256 of files that somebody is about to send."""

    sha256: list[str] = Field(max_length=5000)


class KnownFile(Schema):
    """A file that need not be sent: its bytes are here."""

    path: str = Field(max_length=1024)
    sha256: str = Field(pattern=r"^[0-9a-f]{64}$")


def _enter(request: HttpRequest, arrival_id: uuid.UUID, least: Role = Role.GUEST) -> tuple[Arrival, Access]:
    arrival = Arrival.objects.filter(pk=arrival_id).select_related("project", "job", "by").first()
    if arrival is None:
        raise not_found("The arrival")
    return arrival, enter(request, arrival.project, least)


@router.get("/projects/{slug}/arrivals", response={200: list[ArrivalView], 404: ErrorBody}, operation_id="list_arrivals")
def list_arrivals(request: HttpRequest, slug: str) -> list[ArrivalView]:
    """The latest arrivals of a project, newest first; those still open for upload are left out."""
    access = enter(request, slug)
    found = access.project.arrivals.exclude(state=Arrival.State.OPEN).select_related("job", "by").order_by("-created")
    return arrival_views(found[:10])


@router.post("/projects/{slug}/arrivals", response={200: ArrivalView, 403: ErrorBody}, operation_id="open_arrival")
def open_arrival(request: HttpRequest, slug: str, said: Query[NewArrival]) -> ArrivalView:
    """Open an arrival that files can be put into."""
    access = enter(request, slug, Role.ARTIST)
    by_program = "Authorization" in request.headers
    origin = Origin(
        way="watched" if by_program else "dropped", source=f"by {access.user.get_username()}", came=timezone.now().date()
    )
    made = Arrival.objects.create(
        project=access.project,
        by=access.user,
        page=said.page,
        announced=said.files,
        origin_json=origin.model_dump(mode="json"),
    )
    return arrival_view(made)


@router.get("/projects/{slug}/arrivals/open", response={200: list[ArrivalView], 404: ErrorBody}, operation_id="cut_off_arrivals")
def cut_off_arrivals(request: HttpRequest, slug: str) -> list[ArrivalView]:
    """The asking user's uploads that were begun and neither sorted nor discarded, newest first: they can be resumed. What a page
    is still sending is that page's."""
    access = enter(request, slug)
    begun = access.project.arrivals.filter(state=Arrival.State.OPEN, by=access.user).exclude(_sending())
    begun = begun.filter(Q(items__isnull=False) | Q(announced__gt=0)).distinct()
    return [arrival_view(arrival) for arrival in begun.order_by("-created")[:3]]


@router.post("/arrivals/{arrival_id}/beat", response={204: None, 404: ErrorBody, 409: ErrorBody}, operation_id="beat_arrival")
def beat_arrival(request: HttpRequest, arrival_id: uuid.UUID, page: str = "") -> Status[None]:
    """Say that a page is still sending an arrival; one that was cut off is that page's from then on."""
    arrival, _ = _enter(request, arrival_id, Role.ARTIST)
    _refuse_of_others(arrival, page)
    Arrival.objects.filter(pk=arrival.pk).update(beat=timezone.now(), page=page[:64])
    return Status(204, None)


@router.post("/arrivals/{arrival_id}/leave", response={204: None, 404: ErrorBody, 409: ErrorBody}, operation_id="leave_arrival")
def leave_arrival(request: HttpRequest, arrival_id: uuid.UUID, page: str = "") -> Status[None]:
    """Say that a page has stopped sending an arrival: it was cut off, and can be resumed by any page at once."""
    arrival, _ = _enter(request, arrival_id, Role.ARTIST)
    _refuse_of_others(arrival, page)
    Arrival.objects.filter(pk=arrival.pk).update(beat=timezone.now() - timedelta(seconds=SECONDS_UNHEARD))
    return Status(204, None)


def _sending() -> Q:
    """Those that a page is sending just now."""
    return Q(beat__gt=timezone.now() - timedelta(seconds=SECONDS_UNHEARD))


def _refuse_of_others(arrival: Arrival, page: str) -> None:
    """Raise Refused for an arrival that another page is sending."""
    if (
        arrival.state == Arrival.State.OPEN
        and arrival.page != page
        and Arrival.objects.filter(_sending(), pk=arrival.pk).exists()
    ):
        raise Refused(409, "The upload", "is still running in another page.", "Let it end there, or cancel it there.")


@router.post("/projects/{slug}/known", response={200: list[str], 403: ErrorBody}, operation_id="known_hashes")
def known_hashes(request: HttpRequest, slug: str, body: Hashes) -> list[str]:
    """Which of these SHA-256 need not be sent, since this project has the bytes. Other projects' bytes are not told of."""
    return sorted(_known(enter(request, slug, Role.ARTIST).project, body.sha256))


@router.post("/arrivals/{arrival_id}/known-files", response={200: ArrivalItemView, 409: ErrorBody}, operation_id="put_known_file")
def put_known_file(request: HttpRequest, arrival_id: uuid.UUID, body: KnownFile) -> ArrivalItemView:
    """Put a file into an open arrival without sending it: its bytes are in the project already."""
    arrival, access = _enter(request, arrival_id, Role.ARTIST)
    _refuse_closed(arrival, body.path)
    if not _known(access.project, [body.sha256]):
        raise Refused(409, body.path[:80], "is not known by its hash.", "Send the file itself.")
    item, _ = ArrivalItem.objects.get_or_create(arrival=arrival, path=body.path, sha256=body.sha256)
    return _waiting(item)


def _known(project: Project, hashes: list[str]) -> set[str]:
    held = FileRevision.objects.filter(file__project=project, blob_id__in=hashes)
    return set(held.values_list("blob_id", flat=True))


@router.get("/arrivals/{arrival_id}", response={200: ArrivalView, 404: ErrorBody}, operation_id="get_arrival")
def get_arrival(request: HttpRequest, arrival_id: uuid.UUID) -> ArrivalView:
    """An arrival and what became of each file."""
    return arrival_view(_enter(request, arrival_id)[0])


@router.post("/arrivals/{arrival_id}/files", response={200: ArrivalItemView, 409: ErrorBody}, operation_id="put_file")
@receives(settings.LARGEST_UPLOAD, lambda request, arrival_id: _enter(request, id_in_address(arrival_id), Role.ARTIST))
def put_file(request: HttpRequest, arrival_id: uuid.UUID, file: File[UploadedFile], path: Form[str]) -> ArrivalItemView:
    """Put one file, of any kind, into an open arrival. It is stored under a name of ours and not looked into yet."""
    arrival, _ = _enter(request, arrival_id, Role.ARTIST)
    _refuse_closed(arrival, path)
    if arrival.items.count() >= MOST_FILES:
        raise Refused(409, path[:80], f"is one file too many: {MOST_FILES:,} at once are taken.", "Drop the rest afterwards.")
    if (file.size or 0) > settings.LARGEST_UPLOAD:
        raise Refused(409, path[:80], "is larger than 2 GB.", "Export it smaller.")
    staged = default_storage.save(f"staged/{uuid.uuid4().hex}", file)
    # The same path sent again after a cut replaces what came first.
    for old in arrival.items.filter(path=path[:1024]):
        if old.staged:
            default_storage.delete(old.staged)
        old.delete()
    Arrival.objects.filter(pk=arrival.pk).update(beat=timezone.now())
    return _waiting(ArrivalItem.objects.create(arrival=arrival, path=path[:1024], bytes=file.size or 0, staged=staged))


def _refuse_closed(arrival: Arrival, path: str) -> None:
    if arrival.state != Arrival.State.OPEN:
        raise Refused(409, path[:80], "came after its arrival was closed.", "Drop it again.")


def _waiting(item: ArrivalItem) -> ArrivalItemView:
    return ArrivalItemView(
        id=item.pk, path=item.path, bytes=item.bytes, outcome="waiting", problem="", way_out="", set_id=None, set_name=None
    )


@router.post("/arrivals/{arrival_id}/sort", response={200: ArrivalView, 409: ErrorBody}, operation_id="sort_arrival")
def sort_arrival(request: HttpRequest, arrival_id: uuid.UUID, page: str = "") -> ArrivalView:
    """Close an arrival and sort what came, as a job."""
    arrival, access = _enter(request, arrival_id, Role.ARTIST)
    _refuse_of_others(arrival, page)
    count = arrival.items.count()
    if count == 0:
        raise Refused(409, "The arrival", "holds no files.", "Drop some first.")
    with transaction.atomic():
        closed = Arrival.objects.filter(pk=arrival.pk, state=Arrival.State.OPEN).update(state=Arrival.State.SORTING)
        if not closed:
            raise Refused(409, "The arrival", "is being sorted already.", "Wait for it to end.")
        title = f"Sorting {count} file{'s' if count > 1 else ''}"
        arrival.job = enqueue(access.project, Job.Kind.SORT, title, str(arrival.pk), access.user)
        arrival.state = Arrival.State.SORTING
        arrival.save()
    return arrival_view(arrival)


@router.delete("/arrivals/{arrival_id}", response={204: None, 409: ErrorBody}, operation_id="drop_arrival")
def drop_arrival(request: HttpRequest, arrival_id: uuid.UUID, page: str = "") -> Status[None]:
    """Forget an arrival whose upload was cancelled, or whose sorting failed or was stopped."""
    arrival, _ = _enter(request, arrival_id, Role.ARTIST)
    _refuse_of_others(arrival, page)
    with transaction.atomic():
        _hold_stopped(arrival)
        staged = list(arrival.items.exclude(staged="").values_list("staged", flat=True))
        arrival.delete()
    for place in staged:
        default_storage.delete(place)
    return Status(204, None)


@router.delete(
    "/arrivals/{arrival_id}/items/{item_id}",
    response={200: ArrivalView, 404: ErrorBody, 409: ErrorBody},
    operation_id="leave_out_item",
)
def leave_out_item(request: HttpRequest, arrival_id: uuid.UUID, item_id: int) -> ArrivalView:
    """Take one file out of an arrival that was not sorted, so that the rest can be."""
    arrival, _ = _enter(request, arrival_id, Role.ARTIST)
    with transaction.atomic():
        _hold_stopped(arrival)
        item = arrival.items.filter(pk=item_id).first()
        if item is None:
            raise not_found("The file")
        item.delete()
    if item.staged:
        default_storage.delete(item.staged)
    return arrival_view(arrival)


def _hold_stopped(arrival: Arrival) -> None:
    """Hold an arrival on which nothing works. Raises Refused for one that is being sorted, or was."""
    state = Arrival.objects.select_for_update().values_list("state", flat=True).get(pk=arrival.pk)
    if state == Arrival.State.DONE:
        raise Refused(409, "The arrival", "was already sorted.", "Change the sets instead.")
    if Job.objects.filter(is_alive(), pk=arrival.job_id).exists():
        raise Refused(409, "The arrival", "is being sorted.", "Cancel that first, or wait for it to end.")
