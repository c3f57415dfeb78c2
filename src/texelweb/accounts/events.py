"""A log of what matters for security: one JSON object a line, for whoever watches over the server."""

from __future__ import annotations

import json
import logging
from typing import Literal

from django.http import HttpRequest
from django.utils import timezone

from texelweb.accounts.addresses import client_address

log = logging.getLogger("texelweb.security")
Event = Literal[
    "signed in",
    "sign-in refused",
    "signed out",
    "signed out everywhere",
    "session over",
    "password changed",
    "wrong old password",
    "token made",
    "token revoked",
    "token refused",
    "role refused",
    "invited",
    "invitation taken",
    "role changed",
    "member removed",
    "account changed",
    "password link made",
    "sessions ended",
]


def note(event: Event, request: HttpRequest, **more: object) -> None:
    """Write an event down: when, who (where somebody is signed in), from where, and what else is known. Never a secret."""
    user = getattr(request, "user", None)
    name = user.get_username() if user is not None and user.is_authenticated else None
    line = {"at": timezone.now().isoformat(), "event": event, "user": name, "address": client_address(request)}
    said = json.dumps(line | more, ensure_ascii=True, default=str)
    try:
        log.info(said)
    except OSError:
        # A log that cannot be written must not lock people out; the server's own log has the line then.
        logging.getLogger(__name__).exception("the log of security events cannot be written: %s", said)
