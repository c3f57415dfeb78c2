"""What all documents of the studio have in common at their addresses: who may, and how one is drafted, published and ended."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from django.http import HttpRequest
from ninja import Field, Router, Schema, Status

from texelweb.accounts.access import enter_studio, leads_studio
from texelweb.accounts.events import note
from texelweb.api.schemas import ErrorBody
from texelweb.library.drafting import Drafting
from texelweb.projects.models import Membership, Role
from texelweb.refusals import Refused, not_found


class DraftChange(Schema):
    """A draft as it is to be, made from edit `seen`."""

    document: dict[str, Any]
    seen: int


class DraftPublished(Schema):
    """What to publish: the edit that was looked at, and what is new in it."""

    seen: int
    note: str = Field(default="", max_length=300)


class Deprecation(Schema):
    """Whether a document is deprecated, and what is taken instead, by name."""

    deprecated: bool
    successor: str | None = Field(default=None, max_length=80)


def may_draft(request: HttpRequest) -> bool:
    """Whether somebody may draft documents of the studio: leads of a project may, and leads of the studio."""
    return leads_studio(request) or Membership.objects.filter(user=request.user, role=Role.LEAD).exists()


def enter_library(request: HttpRequest, drafts: bool = False, publishes: bool = False) -> None:
    """The studio's documents are seen by whoever belongs to a project of the studio and drafted by leads of projects; what is
    there for all is made by leads of the studio. Raises Refused for all others; access tokens open nothing here."""
    if getattr(request, "access_token", None) or not (
        leads_studio(request) or Membership.objects.filter(user=request.user).exists()
    ):
        raise not_found("The studio")
    if drafts and not may_draft(request):
        note("role refused", request, needed="lead")
        problem = "may look at what the studio shares and use it, but not draft: that takes the role lead in a project."
        raise Refused(403, "You", problem, "Ask a lead.")
    if publishes:
        enter_studio(request)


def find_document(kind: Drafting, request: HttpRequest, name: str, drafts: bool = False, publishes: bool = False) -> Any:
    """A document of the studio, for whoever may look at it, or change it. Raises Refused for all others, and where there is
    none."""
    enter_library(request, drafts, publishes)
    return named(kind, name)


def named(kind: Drafting, name: str) -> Any:
    """A document of the studio, for whoever may use it in a project. Raises Refused 404 where there is none."""
    owner = kind.owners.objects.select_related("successor").filter(name=name).first()
    if owner is None:
        raise not_found(f"The {kind.kind}")
    return owner


def version_of(owner: Any, number: int | None = None) -> Any:
    """A version of a document, the newest where none is asked for. Raises Refused 404 where there is none."""
    version = owner.latest if number is None else owner.versions.filter(number=number).first()
    if version is None:
        raise not_found("The version")
    return version


def add_drafting(
    router: Router,
    kind: Drafting,
    page: tuple[type[Schema], Callable[[HttpRequest, Any], Any]],
    draft: tuple[type[Schema], Callable[[Any], Any]],
) -> None:
    """Give documents of a kind their addresses: for the draft, for publishing, deprecating and deleting. `page` and `draft` are
    what a document and its draft are told as, and how."""
    word = kind.kind
    (page_schema, page_of), (draft_schema, draft_of) = page, draft
    refused = {403: ErrorBody, 404: ErrorBody, 409: ErrorBody}
    answers = {200: page_schema, **refused}
    address = f"/{word}s/{{name}}"

    @router.post(f"{address}/draft", response=answers, operation_id=f"begin_{word}_draft")
    def begin_draft(request: HttpRequest, name: str) -> Any:
        """Begin the next version, or go on with the draft that is there."""
        owner = find_document(kind, request, name, drafts=True)
        kind.begin(owner, request.user)
        return page_of(request, owner)

    @router.put(f"{address}/draft", response={**answers, 200: draft_schema}, operation_id=f"save_{word}_draft")
    def save_draft(request: HttpRequest, name: str, body: DraftChange) -> Any:
        """Keep a draft; it need not hold. Where somebody else has changed it since, nothing is kept."""
        owner = find_document(kind, request, name, drafts=True)
        return draft_of(kind.save(owner, body.document, body.seen, request.user))

    @router.delete(f"{address}/draft", response={204: None, **refused}, operation_id=f"discard_{word}_draft")
    def discard_draft(request: HttpRequest, name: str) -> Status[None]:
        """Throw a draft away; what was never published goes with it."""
        kind.discard(find_document(kind, request, name, drafts=True), request.user)
        return Status(204, None)

    @router.post(f"{address}/publish", response=answers, operation_id=f"publish_{word}")
    def publish(request: HttpRequest, name: str, body: DraftPublished) -> Any:
        """Publish the draft as the next version. Who uses another stays on it. It takes a lead of the studio."""
        kind.publish(find_document(kind, request, name, drafts=True, publishes=True), body.seen, body.note, request.user)
        return page_of(request, find_document(kind, request, name))

    @router.put(f"{address}/deprecation", response=answers, operation_id=f"deprecate_{word}")
    def deprecate(request: HttpRequest, name: str, body: Deprecation) -> Any:
        """Say that a document is no longer to be taken, and which is taken instead; or that it is offered again."""
        owner = find_document(kind, request, name, drafts=True, publishes=True)
        successor = find_document(kind, request, body.successor) if body.successor else None
        kind.deprecate(owner, body.deprecated, successor, request.user)
        return page_of(request, owner)

    @router.delete(address, response={204: None, **refused}, operation_id=f"delete_{word}")
    def delete(request: HttpRequest, name: str) -> Status[None]:
        """Delete a document that nobody uses."""
        kind.delete(find_document(kind, request, name, drafts=True, publishes=True), request.user)
        return Status(204, None)
