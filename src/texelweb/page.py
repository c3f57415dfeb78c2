"""The one page of the front end, with the nonce that lets its component library add styles."""

from __future__ import annotations

from functools import cache

from django.conf import settings
from django.http import HttpRequest, HttpResponse
from django.views.decorators.cache import never_cache
from django.views.decorators.csrf import ensure_csrf_cookie
from django.views.decorators.http import require_safe

NONCE_MARK = "__CSP_NONCE__"


@cache
def _built_page() -> str:
    return (settings.WEB_DIST / "index.html").read_text("utf-8")


@require_safe
@never_cache
@ensure_csrf_cookie
def page(request: HttpRequest) -> HttpResponse:
    """The built index.html, with this answer's nonce in its meta tag."""
    return HttpResponse(_built_page().replace(NONCE_MARK, str(request.csp_nonce)))  # type: ignore[attr-defined]
