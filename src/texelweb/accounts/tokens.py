"""Signing in with an access token, for programs: only where files are brought in."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

from django.http import HttpRequest
from django.utils import timezone
from ninja.security import HttpBearer

from texelweb.accounts.events import note
from texelweb.accounts.models import AccessToken, digest_of
from texelweb.refusals import Refused

SECONDS_BETWEEN_NOTES = 60


class TokenAuth(HttpBearer):
    """`Authorization: Bearer …`. A token that is unknown, revoked or over, or whose user is no longer active, is refused. What it
    opens is for `access.enter` to say."""

    def authenticate(self, request: HttpRequest, token: str) -> Any:
        """The token's user, who is the request's user from then on. Raises Refused 401 when the token is not good."""
        found = AccessToken.objects.filter(digest=digest_of(token), user__is_active=True).select_related("user").first()
        if found is None:
            note("token refused", request, why="unknown")
            raise Refused(401, "The access token", "is unknown or was revoked.", "Make a new one on the account page.")
        if found.is_over:
            note("token refused", request, token=found.pk, why="over")
            raise Refused(
                401, "The access token", f"was good until {found.expires:%Y-%m-%d}.", "Make a new one on the account page."
            )
        now = timezone.now()
        # A watcher asks often; its last use is noted once a minute.
        if found.used is None or now - found.used > timedelta(seconds=SECONDS_BETWEEN_NOTES):
            AccessToken.objects.filter(pk=found.pk).update(used=now)
        request.user = found.user
        request.access_token = found  # type: ignore[attr-defined]
        return found.user
