"""Saved views of the board: somebody's own, and those that they share."""

from __future__ import annotations

from django.db.models import Q
from django.http import HttpRequest
from ninja import Field, Router, Schema

from texelweb.accounts.access import Access, enter
from texelweb.api.schemas import ErrorBody
from texelweb.projects.models import Role, SavedView
from texelweb.refusals import Refused, not_found

router = Router(tags=["projects"])
MOST = 60


class SavedViewLine(Schema):
    """A view under its name: what stands in the board's address. `by` is whose it is."""

    id: int
    name: str
    query: str
    shared: bool
    by: str
    mine: bool


class NewSavedView(Schema):
    """A view to be kept; one of the same name of the asking person is replaced."""

    name: str = Field(min_length=1, max_length=60)
    query: str = Field(max_length=2000, pattern=r"^[^#\s]*$")
    shared: bool = False


VIEWS = {200: list[SavedViewLine], 403: ErrorBody, 404: ErrorBody, 409: ErrorBody}


@router.get("/projects/{slug}/saved-views", response=VIEWS, operation_id="list_saved_views")
def list_saved_views(request: HttpRequest, slug: str) -> list[SavedViewLine]:
    """The asking person's views, and those that others share."""
    return _views(enter(request, slug))


@router.post("/projects/{slug}/saved-views", response=VIEWS, operation_id="save_view")
def save_view(request: HttpRequest, slug: str, body: NewSavedView) -> list[SavedViewLine]:
    """Keep a view under a name. Sharing it takes the role artist: others see it."""
    access = enter(request, slug, Role.ARTIST if body.shared else Role.GUEST)
    name = " ".join(body.name.split())
    mine = SavedView.objects.filter(project=access.project, user=access.user)
    if not name:
        raise Refused(409, "The view", "has no name.", "Enter a name, 1–60 characters.")
    if mine.exclude(name=name).count() >= MOST:
        raise Refused(409, name, f"would be one view too many: {MOST} are kept.", "Remove one first.")
    values = {"query": body.query, "shared": body.shared}
    SavedView.objects.update_or_create(project=access.project, user=access.user, name=name, defaults=values)
    return _views(access)


@router.delete("/projects/{slug}/saved-views/{view_id}", response=VIEWS, operation_id="remove_saved_view")
def remove_saved_view(request: HttpRequest, slug: str, view_id: int) -> list[SavedViewLine]:
    """Remove a view of one's own."""
    access = enter(request, slug)
    gone, _ = SavedView.objects.filter(project=access.project, user=access.user, pk=view_id).delete()
    if not gone:
        raise not_found("The view")
    return _views(access)


def _views(access: Access) -> list[SavedViewLine]:
    found = SavedView.objects.filter(Q(user=access.user) | Q(shared=True), project=access.project).select_related("user")
    return [
        SavedViewLine(
            id=entry.pk,
            name=entry.name,
            query=entry.query,
            shared=entry.shared,
            by=entry.user.get_username(),
            mine=entry.user_id == access.user.pk,
        )
        for entry in found.order_by("name", "pk")
    ]
