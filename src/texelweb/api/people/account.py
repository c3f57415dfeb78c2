"""The signed-in user's own things: access tokens, the depot's key, the password."""

from __future__ import annotations

from datetime import datetime, timedelta

from axes.handlers.proxy import AxesProxyHandler
from django.contrib.auth import authenticate, logout, update_session_auth_hash
from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError
from django.http import HttpRequest
from django.utils import timezone
from ninja import Field, Router, Schema, Status

from texelweb.accounts.access import enter
from texelweb.accounts.events import note
from texelweb.accounts.models import AccessToken, DepotKey, Sitting
from texelweb.accounts.sessions import end_all
from texelweb.api.schemas import ErrorBody
from texelweb.refusals import Refused, not_found

router = Router(tags=["account"])
MOST_TOKENS = 50


class TokenView(Schema):
    """An access token, without its secret."""

    id: int
    name: str
    begins: str
    project: str | None
    writes: bool
    expires: datetime | None
    over: bool
    created: datetime
    used: datetime | None


class NewToken(Schema):
    """A name for a token, so that it can be told apart later, and what it opens: one project, to read or to write, for so many
    days (null is for good)."""

    name: str = Field(min_length=1, max_length=80)
    project: str = Field(max_length=50)
    writes: bool = True
    days: int | None = Field(default=90, ge=1, le=3660)


class TokenMade(Schema):
    """A token and its secret, which is shown once."""

    token: TokenView
    secret: str


class AccountView(Schema):
    """The signed-in user's own page."""

    name: str
    tokens: list[TokenView]
    depot_key: bool
    sessions: int


class PasswordChange(Schema):
    """The old password and a new one."""

    old: str = Field(max_length=4096)
    new: str = Field(max_length=4096)


@router.get("/account", response=AccountView, operation_id="get_account")
def get_account(request: HttpRequest) -> AccountView:
    """The asking user's tokens, newest first."""
    tokens = AccessToken.objects.filter(user=request.user).select_related("project").order_by("-pk")
    return AccountView(
        name=request.user.get_username(),
        tokens=[_token(token) for token in tokens],
        depot_key=DepotKey.of(request.user) is not None,
        sessions=Sitting.objects.filter(user=request.user, expire_date__gt=timezone.now()).count(),
    )


@router.post("/account/tokens", response={200: TokenMade, 404: ErrorBody, 409: ErrorBody}, operation_id="make_token")
def make_token(request: HttpRequest, body: NewToken) -> TokenMade:
    """Make a token. Its secret is in this answer and nowhere else."""
    if AccessToken.objects.filter(user=request.user).count() >= MOST_TOKENS:
        raise Refused(409, body.name, f"would be one token too many: {MOST_TOKENS} are kept.", "Revoke one first.")
    project = enter(request, body.project).project
    expires = timezone.now() + timedelta(days=body.days) if body.days else None
    name = body.name.strip() or "token"
    token, secret = AccessToken.make(request.user, name, project, writes=body.writes, expires=expires)
    note("token made", request, token=token.pk, project=project.slug, writes=body.writes)
    return TokenMade(token=_token(token), secret=secret)


@router.delete("/account/tokens/{token_id}", response={204: None, 404: ErrorBody}, operation_id="revoke_token")
def revoke_token(request: HttpRequest, token_id: int) -> Status[None]:
    """Revoke a token: from now on it opens nothing."""
    gone, _ = AccessToken.objects.filter(user=request.user, pk=token_id).delete()
    if not gone:
        raise not_found("The token")
    note("token revoked", request, token=token_id)
    return Status(204, None)


@router.put("/account/password", response={204: None, 409: ErrorBody, 429: ErrorBody}, operation_id="change_password")
def change_password(request: HttpRequest, body: PasswordChange) -> Status[None]:
    """Change the password; other sessions and all access tokens end, this session goes on. Wrong old passwords are counted as
    wrong sign-ins are."""
    user = request.user
    credentials = {"username": user.get_username()}
    if authenticate(request, password=body.old, **credentials) is None:
        note("wrong old password", request)
        if not AxesProxyHandler.is_allowed(request, credentials):
            raise Refused(429, "The old password", "was wrong too often.", "Wait ten minutes, then try again.")
        raise Refused(409, "The old password", "is wrong.", "Type it again.")
    try:
        validate_password(body.new, user)
    except ValidationError as error:
        raise Refused(409, "The new password", f"will not do: {error.messages[0]}", "Choose another.") from error
    user.set_password(body.new)
    user.save()
    AccessToken.objects.filter(user=user).delete()
    note("password changed", request)
    update_session_auth_hash(request, user)
    return Status(204, None)


@router.delete("/account/sessions", response={204: None}, operation_id="sign_out_everywhere")
def sign_out_everywhere(request: HttpRequest) -> Status[None]:
    """End every session of the asking user, this one too. Access tokens stay."""
    note("signed out everywhere", request, sessions=end_all(request.user))
    logout(request)
    return Status(204, None)


def _token(token: AccessToken) -> TokenView:
    return TokenView(
        id=token.pk,
        name=token.name,
        begins=token.begins,
        project=token.project.title if token.project else None,
        writes=token.writes,
        expires=token.expires,
        over=token.is_over,
        created=token.created,
        used=token.used,
    )
