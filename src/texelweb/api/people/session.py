"""Signing in and out."""

from __future__ import annotations

from typing import Any

from axes.handlers.proxy import AxesProxyHandler
from django.contrib.auth import authenticate, login, logout
from django.http import HttpRequest
from django.middleware.csrf import get_token
from ninja import Field, Router, Schema

from texelweb.accounts.addresses import is_closed
from texelweb.accounts.events import note
from texelweb.accounts.receiving import is_out_of_step
from texelweb.api.schemas import ErrorBody
from texelweb.refusals import STALE_PAGE, Refused

router = Router(tags=["session"])


class SignIn(Schema):
    """A name and a password, no longer than any that were ever made."""

    name: str = Field(max_length=150)
    password: str = Field(max_length=4096)


class Session(Schema):
    """Who is signed in; `user` is null when nobody is. `studio` says whether they lead the studio."""

    user: str | None
    studio: bool = False


def session_of(user: Any) -> Session:
    """What a page is told of whoever is signed in."""
    return Session(user=user.get_username(), studio=user.is_staff)


@router.get("/session", response=Session, auth=None, operation_id="get_session")
def get_session(request: HttpRequest) -> Session:
    """Who is signed in. Also sets the CSRF cookie that a first sign-in needs."""
    get_token(request)
    return session_of(request.user) if request.user.is_authenticated else Session(user=None)


@router.post("/session", response={200: Session, 401: ErrorBody, 429: ErrorBody}, auth=None, operation_id="sign_in")
def sign_in(request: HttpRequest, body: SignIn) -> Session:
    """Sign in. Six wrong passwords for a name from one address close the door for ten minutes."""
    if is_out_of_step(request):
        raise Refused(403, *STALE_PAGE)
    if is_closed(request):
        note("sign-in refused", request, name=body.name, why="address")
        raise Refused(429, "This address", "has failed to sign in too often.", "Wait ten minutes, then try again.")
    credentials = {"username": body.name}
    user = authenticate(request, username=body.name, password=body.password)
    if user is None:
        note("sign-in refused", request, name=body.name)
        if not AxesProxyHandler.is_allowed(request, credentials):
            raise Refused(429, body.name, "has failed to sign in too often.", "Wait ten minutes, then try again.")
        raise Refused(401, "Name or password", "is wrong.", "Check both and try again.")
    # Whatever session there was, a known one above all, ends here.
    request.session.flush()
    login(request, user)
    note("signed in", request)
    return session_of(user)


@router.delete("/session", response=Session, operation_id="sign_out")
def sign_out(request: HttpRequest) -> Session:
    """Sign out."""
    note("signed out", request)
    logout(request)
    return Session(user=None)
