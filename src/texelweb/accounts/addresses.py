"""Where a request comes from, behind proxies too, and whether too many wrong passwords came from there."""

from __future__ import annotations

from axes.models import AccessAttempt
from django.conf import settings
from django.db.models import F, Sum
from django.http import HttpRequest
from django.utils import timezone


def client_address(request: HttpRequest) -> str:
    """The address that asks. Behind proxies of ours (the setting PROXIES says how many) it is the one that the first of them
    noted; what a client writes itself into the header is never believed."""
    noted = [part.strip() for part in request.headers.get("X-Forwarded-For", "").split(",") if part.strip()]
    if settings.PROXIES and len(noted) >= settings.PROXIES:
        return noted[-settings.PROXIES]
    return str(request.META.get("REMOTE_ADDR", ""))


def note_failure(request: HttpRequest, what: str) -> None:
    """Count a wrong secret from an address as a wrong password is counted."""
    place = {"ip_address": client_address(request), "username": f"({what})", "user_agent": ""}
    attempt, made = AccessAttempt.objects.get_or_create(
        **place, defaults={"failures_since_start": 1, "get_data": "", "post_data": "", "path_info": request.path[:255]}
    )
    if not made:
        AccessAttempt.objects.filter(pk=attempt.pk).update(
            failures_since_start=F("failures_since_start") + 1, attempt_time=timezone.now()
        )


def is_closed(request: HttpRequest) -> bool:
    """Whether so many sign-ins failed from this address, whatever the names, that no more are tried for a while."""
    since = timezone.now() - settings.AXES_COOLOFF_TIME
    mine = AccessAttempt.objects.filter(ip_address=client_address(request), attempt_time__gte=since)
    return (mine.aggregate(failed=Sum("failures_since_start"))["failed"] or 0) >= settings.MOST_FAILURES_OF_AN_ADDRESS
