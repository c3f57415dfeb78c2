"""Errors as the API tells them: what, which rule, and the way out."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse, JsonResponse
from ninja import NinjaAPI
from ninja.errors import AuthenticationError, HttpError, ValidationError

from texelcore.pixels.errors import TexelError
from texelweb.refusals import Overtaken, Refused

STALE_PAGE = ("This page", "is out of step with the server (its security token is missing or wrong).", "Reload it and try again.")


def install(api: NinjaAPI) -> None:
    """Give every error of the API the same shape."""

    def answer(status: int, subject: str, problem: str, way_out: str) -> HttpResponse:
        return JsonResponse({"subject": subject, "problem": problem, "way_out": way_out}, status=status)

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
        return answer(422, field, f"does not fit: {first.get('msg', 'invalid')}.", "Correct it and try again.")

    @api.exception_handler(HttpError)
    def _http(request: HttpRequest, error: HttpError) -> HttpResponse:
        if error.status_code == 403:
            return answer(403, *STALE_PAGE)
        return answer(error.status_code, "The request", f"was refused: {error.message}.", "Reload the page and try again.")


def csrf_failure(request: HttpRequest, reason: str = "", **_: Any) -> HttpResponse:
    """Django's own CSRF failure, in the same shape."""
    return JsonResponse(dict(zip(("subject", "problem", "way_out"), STALE_PAGE, strict=True)), status=403)
