"""The ways in for people without a session: the studio's first lead, and links that work once."""

from __future__ import annotations

import secrets
from typing import Literal

from django.conf import settings
from django.contrib.auth import login
from django.http import HttpRequest
from django.middleware.csrf import get_token
from ninja import Field, Router, Schema

from texelcore.pixels.errors import TexelError
from texelweb.accounts.addresses import is_closed, note_failure
from texelweb.accounts.events import note
from texelweb.accounts.receiving import is_out_of_step
from texelweb.api.people.session import Session, session_of
from texelweb.api.schemas import ErrorBody, RoleName
from texelweb.refusals import STALE_PAGE, Refused
from texelweb.studio import people

router = Router(tags=["joining"])
BACKEND = "django.contrib.auth.backends.ModelBackend"


class Setup(Schema):
    """Whether the studio waits for its first lead, and whether that takes the code that the start command printed."""

    empty: bool
    code: bool


class FirstLead(Schema):
    """The first lead's name and password, and the code that the start command printed, where it did."""

    name: str = Field(max_length=150)
    password: str = Field(max_length=4096)
    code: str = Field(default="", max_length=200)


class Secret(Schema):
    """What stands in a link."""

    secret: str = Field(max_length=200)


class Offered(Schema):
    """What a link offers: membership of a project, a place in the studio, or a new password for somebody."""

    kind: Literal["project", "studio", "password"]
    project: str | None
    role: RoleName | None
    studio: bool
    name: str | None
    by: str


class Taking(Secret):
    """A link taken: with a new name and password, or (signed in) as oneself."""

    name: str = Field(default="", max_length=150)
    password: str = Field(default="", max_length=4096)


class Joined(Schema):
    """Who is signed in now, and the project that they came into."""

    session: Session
    project: str | None


REFUSALS = {403: ErrorBody, 409: ErrorBody, 429: ErrorBody}


@router.get("/setup", response=Setup, auth=None, operation_id="get_setup")
def get_setup(request: HttpRequest) -> Setup:
    """Whether the studio waits for its first lead."""
    get_token(request)
    return Setup(empty=people.is_empty(), code=bool(settings.SETUP_CODE))


@router.post("/setup", response={200: Session, **REFUSALS}, auth=None, operation_id="set_up")
def set_up(request: HttpRequest, body: FirstLead) -> Session:
    """Make the first account of all, who leads the studio, and sign in."""
    _guarded(request)
    if settings.SETUP_CODE and not secrets.compare_digest(body.code.encode(), settings.SETUP_CODE.encode()):
        note_failure(request, "setup")
        raise Refused(403, "The code", "is not the one that the start command printed.", "Open the address that it printed.")
    user = people.first_lead(body.name, body.password)
    return _signed_in(request, user)


@router.post("/invitations/look", response={200: Offered, **REFUSALS}, auth=None, operation_id="look_at_invitation")
def look_at_invitation(request: HttpRequest, body: Secret) -> Offered:
    """What a link offers, before it is taken."""
    _guarded(request)
    found = _found(request, body.secret)
    return Offered(
        kind="password" if found.user else "project" if found.project else "studio",
        project=found.project.title if found.project else None,
        role=found.role or None,
        studio=found.studio,
        name=found.user.get_username() if found.user else None,
        by=found.by.get_username(),
    )


@router.post("/invitations/take", response={200: Joined, **REFUSALS}, auth=None, operation_id="take_invitation")
def take_invitation(request: HttpRequest, body: Taking) -> Joined:
    """Take a link: whoever is signed in becomes a member, anybody else makes an account and is signed in. A link for a new
    password gives it, and ends all other sessions of its owner."""
    _guarded(request)
    found = _found(request, body.secret)
    me = request.user if request.user.is_authenticated and found.user is None else None
    user = people.take(body.secret, me, body.name, body.password)
    note("invitation taken", request, invitation=found.pk)
    session = session_of(me) if me else _signed_in(request, user)
    return Joined(session=session, project=found.project.slug if found.project else None)


def _found(request: HttpRequest, secret: str) -> people.Invitation:
    try:
        return people.look_at(secret)
    except TexelError:
        # Whoever tries many is stopped as whoever tries many passwords is.
        note_failure(request, "invitation")
        raise


def _guarded(request: HttpRequest) -> None:
    if is_out_of_step(request):
        raise Refused(403, *STALE_PAGE)
    if is_closed(request):
        raise Refused(429, "This address", "has failed to come in too often.", "Wait ten minutes, then try again.")


def _signed_in(request: HttpRequest, user: object) -> Session:
    request.session.flush()
    login(request, user, backend=BACKEND)
    note("signed in", request)
    return session_of(user)
