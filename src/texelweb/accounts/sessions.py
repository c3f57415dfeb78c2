"""Sessions that know whose they are, so that all of a user's can be ended at once, and that end when nobody uses them.

Source of the way: Django's manual, "Extending database-backed session engines".
"""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import Any

from django.conf import settings
from django.contrib.auth import SESSION_KEY, logout
from django.contrib.sessions.backends.db import SessionStore as DatabaseStore
from django.contrib.sessions.exceptions import SessionInterrupted
from django.contrib.sessions.middleware import SessionMiddleware
from django.http import HttpRequest, HttpResponse
from django.http.response import HttpResponseBase

from texelweb.accounts.events import note
from texelweb.accounts.models import Sitting

SINCE, SEEN = "since", "seen"
SECONDS_BETWEEN_NOTES = 60
# What a page asks by itself, whether anybody sits before it or not.
LOOKING_ON = "/pulse"


class SessionStore(DatabaseStore):
    """Django's sessions in the database, with the user in a column of their own; `ended` says that it was ended here."""

    ended = False

    def flush(self) -> None:
        """End it."""
        super().flush()
        self.ended = True

    @classmethod
    def get_model_class(cls) -> type[Sitting]:
        """The table."""
        return Sitting

    def create_model_instance(self, data: dict[str, Any]) -> Sitting:
        """One row of it."""
        row: Sitting = super().create_model_instance(data)
        row.user_id = int(data[SESSION_KEY]) if SESSION_KEY in data else None
        return row


class OwnSession(SessionMiddleware):
    """Django's middleware, which leaves alone what another request has made of the session meanwhile.

    A page asks by itself all the time. What it asked before somebody signed in again may be answered after that: its session is
    gone by then, and Django would take the new cookie away with the old one, or refuse the answer.
    """

    def process_response(self, request: HttpRequest, response: HttpResponseBase) -> HttpResponseBase:
        """Keep the session and its cookie; the cookie is taken away by the request that ended the session, and by no other."""
        try:
            answered = super().process_response(request, response)
        except SessionInterrupted:
            return response
        cookie = answered.cookies.get(settings.SESSION_COOKIE_NAME)
        if cookie is not None and not cookie.value and not request.session.ended:
            del answered.cookies[settings.SESSION_COOKIE_NAME]
        return answered


class IdleLimit:
    """End a session that nobody used for longer than `SESSION_IDLE_SECONDS`, or that is older than `SESSION_MOST_SECONDS`."""

    def __init__(self, answer: Callable[[HttpRequest], HttpResponse]) -> None:
        self.answer = answer

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Answer the request, as nobody's when the session's time is over."""
        if request.user.is_authenticated:
            now, session = time.time(), request.session
            idle = now - session.get(SEEN, now) > settings.SESSION_IDLE_SECONDS
            if idle or now - session.get(SINCE, now) > settings.SESSION_MOST_SECONDS:
                note("session over", request, why="idle" if idle else "old")
                logout(request)
            elif now - session.get(SEEN, 0) > SECONDS_BETWEEN_NOTES and not request.path.endswith(LOOKING_ON):
                # That a page is open is no use. It asks often: that it is used is noted once a minute, and the row and the cookie
                # end when nobody uses them.
                session[SEEN] = now
                session.setdefault(SINCE, now)
                session.set_expiry(int(settings.SESSION_IDLE_SECONDS))
        return self.answer(request)


def end_all(user: Any) -> int:
    """End every session of a user; how many there were."""
    gone, _ = Sitting.objects.filter(user=user).delete()
    return gone
