"""Errors as the API tells them: what, which rule, and the way out."""

from __future__ import annotations

import errno
import logging
import sys
import uuid
from typing import Any

from django.conf import settings
from django.core.exceptions import RequestDataTooBig, SuspiciousOperation
from django.db import DataError, IntegrityError
from django.http import HttpRequest, HttpResponse, JsonResponse, UnreadablePostError
from django.http.multipartparser import MultiPartParserError
from ninja import NinjaAPI
from ninja.errors import AuthenticationError, HttpError, ValidationError

from texelcore.pixels.errors import TexelError
from texelcore.surface.mistakes import in_words
from texelweb.refusals import STALE_PAGE, Overtaken, Refused

log = logging.getLogger(__name__)
# PostgreSQL: a deadlock, or two transactions that cannot both be.
AT_ONCE = ("40P01", "40001")
# PostgreSQL: a lock that was not free in time.
NOT_FREE = "55P03"
FULL = (errno.ENOSPC, errno.EDQUOT)


def install(api: NinjaAPI) -> None:
    """Give every error of the API the same shape."""

    answer = _answer

    @api.exception_handler(Refused)
    def _refused(request: HttpRequest, error: Refused) -> HttpResponse:
        return JsonResponse(error.body, status=error.status)

    @api.exception_handler(TexelError)
    def _texel(request: HttpRequest, error: TexelError) -> HttpResponse:
        return answer(409, error.subject, error.problem, error.way_out)

    @api.exception_handler(Overtaken)
    def _overtaken(request: HttpRequest, error: Overtaken) -> HttpResponse:
        body = {"subject": error.subject, "problem": error.problem, "way_out": error.way_out, "overtaken": True}
        return JsonResponse(body, status=409)

    @api.exception_handler(AuthenticationError)
    def _unknown(request: HttpRequest, error: AuthenticationError) -> HttpResponse:
        return answer(401, "You", "are not signed in.", "Sign in and try again.")

    @api.exception_handler(ValidationError)
    def _invalid(request: HttpRequest, error: ValidationError) -> HttpResponse:
        first = error.errors[0] if error.errors else {}
        field = str(first.get("loc", ["request"])[-1])
        return answer(422, field, f"does not fit: {in_words(first)}.", "Correct it and try again.")

    @api.exception_handler(HttpError)
    def _http(request: HttpRequest, error: HttpError) -> HttpResponse:
        if isinstance(error.__cause__, Refused):
            return JsonResponse(error.__cause__.body, status=error.__cause__.status)
        if error.status_code == 403:
            return answer(403, *STALE_PAGE)
        return answer(error.status_code, "The request", f"was refused: {error.message}.", "Reload the page and try again.")

    @api.exception_handler(Exception)
    def _fault(request: HttpRequest, error: Exception) -> HttpResponse:
        return _unforeseen(request, error)


def _unforeseen(request: HttpRequest, error: BaseException | None) -> HttpResponse:
    """What nobody foresaw: said as such, with a number under which the log tells more."""
    if isinstance(error, RequestDataTooBig):
        most = settings.DATA_UPLOAD_MAX_MEMORY_SIZE / 1024**2
        return _answer(413, "The request", f"is larger than {most:.0f} MB, the most that is taken here.", "Send less at once.")
    if isinstance(error, (SuspiciousOperation, MultiPartParserError, UnreadablePostError)):
        return _answer(400, "The request", "does not hold together: it was cut off, or is damaged.", "Send it again.")
    if isinstance(error, DataError):
        return _answer(422, "The request", "holds a text that is too long, or a number that is too large.", "Shorten it.")
    state = getattr(getattr(error, "__cause__", None), "sqlstate", "")
    if state == NOT_FREE:
        problem = f"waited {settings.LOCK_SECONDS} s for another that changes the same, and was given up."
        return _answer(503, "The request", problem, "Look at what stands, then try again.")
    if isinstance(error, IntegrityError) or state in AT_ONCE:
        return _answer(409, "The request", "met another one at the same moment.", "Reload to see what stands, then try again.")
    if isinstance(error, OSError) and error.errno in FULL:
        return _answer(507, "The server's disk", "is full.", "Free some space on it, look at what stands, then try again.")
    reference = uuid.uuid4().hex[:10]
    log.error("fault %s at %s %s", reference, request.method, request.path, exc_info=error)
    problem = f"met an internal error ({reference})."
    way_out = f"Try again; if it fails again, give {reference} to your administrator."
    return _answer(500, "The server", problem, way_out, reference=reference)


def _answer(status: int, subject: str, problem: str, way_out: str, **more: str) -> HttpResponse:
    return JsonResponse({"subject": subject, "problem": problem, "way_out": way_out} | more, status=status)


def csrf_failure(request: HttpRequest, reason: str = "", **_: Any) -> HttpResponse:
    """Django's own CSRF failure, in the same shape."""
    return _answer(403, *STALE_PAGE)


def no_such_address(request: HttpRequest, exception: Exception | None = None) -> HttpResponse:
    """Django's own 404, in the same shape."""
    return _answer(404, "The address", "is none of this application's.", "Go back to your projects.")


def bad_request(request: HttpRequest, exception: Exception | None = None) -> HttpResponse:
    """Django's own 400, in the same shape."""
    return _answer(400, "The request", "does not hold together, or is too large.", "Reload the page and try again.")


def fault(request: HttpRequest) -> HttpResponse:
    """Django's own 500, in the same shape."""
    return _unforeseen(request, sys.exc_info()[1])
