"""The signed-in user's own things: access tokens, the depot's key, the password."""

from __future__ import annotations

from django.contrib.auth import update_session_auth_hash
from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError
from django.http import HttpRequest
from ninja import Router, Status

from texelweb.accounts.models import AccessToken, DepotKey
from texelweb.api.schemas import ErrorBody
from texelweb.api.schemas_arrivals import AccountView, NewToken, PasswordChange, TokenMade, TokenView
from texelweb.refusals import Refused, not_found

router = Router(tags=["account"])
MOST_TOKENS = 50


@router.get("/account", response=AccountView, operation_id="get_account")
def get_account(request: HttpRequest) -> AccountView:
    """The asking user's tokens, newest first."""
    tokens = AccessToken.objects.filter(user=request.user).order_by("-pk")
    return AccountView(
        name=request.user.get_username(),
        tokens=[_token(token) for token in tokens],
        depot_key=DepotKey.objects.filter(user=request.user).exists(),
    )


@router.post("/account/tokens", response={200: TokenMade, 409: ErrorBody}, operation_id="make_token")
def make_token(request: HttpRequest, body: NewToken) -> TokenMade:
    """Make a token. Its secret is in this answer and nowhere else."""
    if AccessToken.objects.filter(user=request.user).count() >= MOST_TOKENS:
        raise Refused(409, body.name, f"would be one token too many: {MOST_TOKENS} are kept.", "Revoke one first.")
    token, secret = AccessToken.make(request.user, body.name.strip() or "token")
    return TokenMade(token=_token(token), secret=secret)


@router.delete("/account/tokens/{token_id}", response={204: None, 404: ErrorBody}, operation_id="revoke_token")
def revoke_token(request: HttpRequest, token_id: int) -> Status[None]:
    """Revoke a token: from now on it opens nothing."""
    gone, _ = AccessToken.objects.filter(user=request.user, pk=token_id).delete()
    if not gone:
        raise not_found("The token")
    return Status(204, None)


@router.put("/account/password", response={204: None, 409: ErrorBody}, operation_id="change_password")
def change_password(request: HttpRequest, body: PasswordChange) -> Status[None]:
    """Change the password; other sessions end, this one goes on."""
    user = request.user
    if not user.check_password(body.old):
        raise Refused(409, "The old password", "is wrong.", "Type it again.")
    try:
        validate_password(body.new, user)
    except ValidationError as error:
        raise Refused(409, "The new password", f"will not do: {error.messages[0]}", "Choose another.") from error
    user.set_password(body.new)
    user.save()
    update_session_auth_hash(request, user)
    return Status(204, None)


def _token(token: AccessToken) -> TokenView:
    return TokenView(id=token.pk, name=token.name, begins=token.begins, created=token.created, used=token.used)
