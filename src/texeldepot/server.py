"""The depot's HTTP side: a small WSGI application. Searching is open to all; taking needs a key.

GET  /v1/materials?q=&category=       what there is
GET  /v1/materials/ID/preview         a picture
GET  /v1/materials/ID/download?size=&format=     a zip, with Range (RFC 9110, 14.2); Authorization: Bearer KEY
POST /v1/sign-in                      whether a key opens it
PUT  /v1/fault                        for tests: {"fault": "slow" | "break" | "damage" | "none"}, with the key
"""

from __future__ import annotations

import hmac
import json
import os
import re
import time
from collections.abc import Callable, Iterable, Iterator
from dataclasses import asdict
from functools import cache, lru_cache
from typing import Any
from urllib.parse import parse_qs

from texeldepot.catalogue import BY_ID, FORMATS, LICENCES, OFFERS, SIZES, Offer, search
from texeldepot.export import damaged, preview, zip_of

CHUNK = 1 << 16
SLOW_SECONDS = 0.05
FAULTS = ("none", "slow", "break", "damage")
StartResponse = Callable[..., Any]
Environ = dict[str, Any]


class Answer(Exception):
    """An answer that ends the request early: status and reason."""

    def __init__(self, status: str, reason: str) -> None:
        super().__init__(reason)
        self.status, self.reason = status, reason


class Depot:
    """The WSGI application. `key` opens downloads; `fault` is what goes wrong on purpose."""

    def __init__(self, key: str, fault: str = "none") -> None:
        self.key = key
        self.fault = fault

    def __call__(self, environ: Environ, start: StartResponse) -> Iterable[bytes]:
        """Answer one request (PEP 3333)."""
        try:
            return self._route(environ, start)
        except Answer as answer:
            return _json(start, answer.status, {"error": answer.reason})

    def _route(self, environ: Environ, start: StartResponse) -> Iterable[bytes]:
        method, path = environ["REQUEST_METHOD"], environ["PATH_INFO"]
        query = {key: values[0] for key, values in parse_qs(environ.get("QUERY_STRING", "")).items()}
        if (method, path) == ("GET", "/v1/materials"):
            found = search(query.get("q", ""), query.get("category", ""))
            return _json(start, "200 OK", {"categories": _categories(), "materials": [_line(offer) for offer in found]})
        if (method, path) == ("POST", "/v1/sign-in"):
            self._enter(environ)
            return _json(start, "200 OK", {"sizes": SIZES, "formats": FORMATS})
        if (method, path) == ("PUT", "/v1/fault"):
            self._enter(environ)
            fault = json.loads(environ["wsgi.input"].read(int(environ.get("CONTENT_LENGTH") or 0))).get("fault")
            if fault not in FAULTS:
                raise Answer("400 Bad Request", f"faults are {', '.join(FAULTS)}")
            self.fault = fault
            return _json(start, "200 OK", {"fault": fault})
        match = re.fullmatch(r"/v1/materials/([a-z-]{1,40})/(preview|download)", path)
        if method == "GET" and match and match.group(1) in BY_ID:
            offer = BY_ID[match.group(1)]
            if match.group(2) == "preview":
                return _bytes(start, "200 OK", _preview(offer.id), "image/png")
            self._enter(environ)
            return self._download(offer, query, environ, start)
        raise Answer("404 Not Found", "there is nothing here")

    def _enter(self, environ: Environ) -> None:
        given = environ.get("HTTP_AUTHORIZATION", "").removeprefix("Bearer ")
        if not hmac.compare_digest(given.encode(), self.key.encode()):
            raise Answer("401 Unauthorized", "the key opens nothing")

    def _download(self, offer: Offer, query: dict[str, str], environ: Environ, start: StartResponse) -> Iterable[bytes]:
        size, file_format = query.get("size", "1K"), query.get("format", "png")
        if size not in SIZES or file_format not in FORMATS:
            raise Answer("400 Bad Request", f"sizes are {', '.join(SIZES)}, formats {', '.join(FORMATS)}")
        body = _zip(offer.id, size, file_format)
        if self.fault == "damage":
            body = damaged(body)
        begin = 0
        asked = re.fullmatch(r"bytes=(\d+)-", environ.get("HTTP_RANGE", ""))
        headers = [("Content-Type", "application/zip"), ("Accept-Ranges", "bytes")]
        status = "200 OK"
        if asked and int(asked.group(1)) < len(body):
            begin, status = int(asked.group(1)), "206 Partial Content"
            headers.append(("Content-Range", f"bytes {begin}-{len(body) - 1}/{len(body)}"))
        headers.append(("Content-Length", str(len(body) - begin)))
        start(status, headers)
        return self._stream(body, begin)

    def _stream(self, body: bytes, begin: int) -> Iterator[bytes]:
        half = begin + (len(body) - begin) // 2
        for place in range(begin, len(body), CHUNK):
            if self.fault == "break" and place >= half:
                # Fewer bytes than promised: the connection is closed in the middle.
                raise ConnectionAbortedError("told to break off")
            if self.fault == "slow":
                time.sleep(SLOW_SECONDS)
            yield body[place : place + CHUNK]


def _categories() -> list[str]:
    return sorted({offer.category for offer in OFFERS})


def _line(offer: Offer) -> dict[str, Any]:
    return {
        "id": offer.id,
        "title": offer.title,
        "category": offer.category,
        "words": offer.words,
        "sizes": SIZES,
        "formats": FORMATS,
        "licence": asdict(LICENCES[offer.licence]),
    }


@cache
def _preview(offer: str) -> bytes:
    return preview(BY_ID[offer])


@lru_cache(maxsize=4)
def _zip(offer: str, size: str, file_format: str) -> bytes:
    return zip_of(BY_ID[offer], LICENCES[BY_ID[offer].licence], size, file_format)


def _json(start: StartResponse, status: str, body: Any) -> list[bytes]:
    return _bytes(start, status, json.dumps(body).encode(), "application/json")


def _bytes(start: StartResponse, status: str, body: bytes, kind: str) -> list[bytes]:
    start(status, [("Content-Type", kind), ("Content-Length", str(len(body)))])
    return [body]


def app() -> Depot:
    """The application as a server starts it, with its key and fault from the environment."""
    return Depot(os.environ["FAIRTEXEL_DEPOT_KEY"], os.environ.get("FAIRTEXEL_DEPOT_FAULT", "none"))
