"""Answers are compressed where that helps: JSON and tables, not pictures and containers, which are compressed or do not yield."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.http.response import HttpResponseBase
from django.middleware.gzip import GZipMiddleware

YIELDING = ("application/json", "text/")


class CompressText(GZipMiddleware):
    """Django's gzip, for text alone. It adds bytes of random length to each answer against guessing secrets by size (BREACH)."""

    def process_response(self, request: HttpRequest, response: HttpResponseBase) -> HttpResponseBase:
        """Compress what yields, for a browser that takes it."""
        if not isinstance(response, HttpResponse) or not response.get("Content-Type", "").startswith(YIELDING):
            return response
        return super().process_response(request, response)
