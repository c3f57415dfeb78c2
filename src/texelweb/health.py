"""Whether the server is well: for those who watch over it, without a session."""

from __future__ import annotations

import logging

from django.core.files.storage import default_storage
from django.db import connection
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.views.decorators.cache import never_cache
from django.views.decorators.http import require_safe

log = logging.getLogger(__name__)
PROBE = "health/probe"


@require_safe
@never_cache
def alive(request: HttpRequest) -> HttpResponse:
    """The process answers."""
    return JsonResponse({"alive": True})


@require_safe
@never_cache
def ready(request: HttpRequest) -> HttpResponse:
    """What a request needs is there: the database, the storage, and the table of the queue. 503 names what is not."""
    found = {"database": _holds(_database), "storage": _holds(_storage), "queue": _holds(_queue)}
    return JsonResponse(found, status=200 if all(found.values()) else 503)


def _holds(look: object) -> bool:
    try:
        look()  # type: ignore[operator]
    except Exception:
        log.warning("not ready", exc_info=True)
        return False
    return True


def _database() -> None:
    with connection.cursor() as cursor:
        cursor.execute("SELECT 1")


def _storage() -> None:
    default_storage.exists(PROBE)


def _queue() -> None:
    with connection.cursor() as cursor:
        cursor.execute("SELECT 1 FROM procrastinate_jobs LIMIT 1")
