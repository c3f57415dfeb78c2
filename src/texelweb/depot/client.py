"""Asking the depot. Its answers are as untrusted as any upload: bounded in size, checked in shape, and never a path."""

from __future__ import annotations

import json
import re
import urllib.error
import urllib.parse
import urllib.request
from collections.abc import Callable
from datetime import date
from http.client import HTTPException
from pathlib import Path
from typing import Any

from django.conf import settings
from pydantic import BaseModel, ConfigDict, Field, ValidationError

from texelcore.pixels.errors import TexelError

NAME = "The depot"
SECONDS_TO_ANSWER = 20
LARGEST_ANSWER = 4 * 1024**2
LARGEST_DOWNLOAD = 4 * 1024**3
TRIES = 4
_CHUNK = 1 << 16
_ID = r"^[a-z-]{1,40}$"


class _Answer(BaseModel):
    model_config = ConfigDict(frozen=True, extra="ignore")


class DepotLicence(_Answer):
    """The depot's terms in a few facts."""

    key: str = Field(max_length=40)
    name: str = Field(min_length=1, max_length=120)
    text: str = Field(max_length=4000)
    targets: tuple[str, ...] | None = None
    projects: int | None = None
    until: date | None = None
    credit: str = Field(default="", max_length=400)


class DepotMaterial(_Answer):
    """One material on offer."""

    id: str = Field(pattern=_ID)
    title: str = Field(min_length=1, max_length=120)
    category: str = Field(max_length=40)
    words: tuple[str, ...] = ()
    sizes: tuple[str, ...]
    formats: tuple[str, ...]
    licence: DepotLicence


class DepotFound(_Answer):
    """What a search found, and all categories."""

    categories: tuple[str, ...]
    materials: tuple[DepotMaterial, ...]


def search(text: str, category: str) -> DepotFound:
    """Search the depot. Raises TexelError when it cannot be reached or answers nonsense."""
    query = urllib.parse.urlencode({"q": text, "category": category})
    try:
        return DepotFound.model_validate_json(_get(f"/v1/materials?{query}"))
    except ValidationError as error:
        raise TexelError(NAME, "answered something that is no list of materials.", "Try again later.") from error


def material(material_id: str) -> DepotMaterial:
    """One material by its id. Raises TexelError when the depot has none of this name."""
    found = next((material for material in search("", "").materials if material.id == material_id), None)
    if found is None:
        raise TexelError(material_id[:40], "is not in the depot.", "Search again: it may have gone.")
    return found


def preview(material_id: str) -> bytes:
    """A material's picture as PNG. Raises TexelError as `search` does, and for an id or answer that is none."""
    if not re.match(_ID, material_id):
        raise TexelError(material_id[:40], "is not in the depot.", "Search again.")
    body = _get(f"/v1/materials/{material_id}/preview")
    if not body.startswith(b"\x89PNG\r\n\x1a\n"):
        raise TexelError(NAME, "answered something that is no picture.", "Try again later.")
    return body


def sign_in(key: str) -> None:
    """Try a key. Raises TexelError when it opens nothing."""
    _get("/v1/sign-in", key, method="POST")


def download(material_id: str, size: str, file_format: str, key: str, place: Path, tell: Callable[[int, int], None]) -> None:
    """Fetch a material's zip into a file, going on where the connection broke off.

    `tell` hears bytes so far and in all, and may raise to stop. Raises TexelError when it broke off too often.
    """
    query = urllib.parse.urlencode({"size": size, "format": file_format})
    address = f"/v1/materials/{material_id}/download?{query}"
    total, done = 0, 0
    for _ in range(TRIES):
        done = place.stat().st_size if place.exists() else 0
        try:
            total = _fetch(address, key, place, done, tell)
        except (OSError, HTTPException) as error:
            if isinstance(error, urllib.error.HTTPError):
                raise _refused(error) from error
            continue
        done = place.stat().st_size
        if done == total:
            return
    how_far = f" after {done / 1e6:.1f} of {total / 1e6:.1f} MB" if total else ""
    raise TexelError(NAME, f"broke off {TRIES} times{how_far}.", "Nothing was taken in. Try again later.")


def _fetch(address: str, key: str, place: Path, done: int, tell: Callable[[int, int], None]) -> int:
    """One attempt; gives how many bytes there are in all, whether or not all came."""
    headers = {"Range": f"bytes={done}-"} if done else {}
    with _open(address, key, headers) as answer, place.open("ab") as file:
        length = int(answer.headers.get("Content-Length") or 0)
        if answer.status != 206:
            file.truncate(0)
            done = 0
        total = done + length
        if total > LARGEST_DOWNLOAD:
            raise TexelError(NAME, f"wants to send {total / 1e9:.1f} GB.", "Take a smaller size.")
        while chunk := answer.read(_CHUNK):
            done += len(chunk)
            if done > total:
                raise TexelError(NAME, "sent more than it promised.", "Nothing was taken in. Try again later.")
            file.write(chunk)
            tell(done, total)
        return total


def _open(path: str, key: str = "", headers: dict[str, str] | None = None, method: str = "GET") -> Any:
    sent = {**(headers or {}), **({"Authorization": f"Bearer {key}"} if key else {})}
    request = urllib.request.Request(settings.DEPOT_URL + path, headers=sent, method=method)  # noqa: S310 - ours, by setting
    return urllib.request.urlopen(request, timeout=SECONDS_TO_ANSWER)  # noqa: S310


def _get(path: str, key: str = "", method: str = "GET") -> bytes:
    try:
        with _open(path, key, method=method) as answer:
            body: bytes = answer.read(LARGEST_ANSWER + 1)
    except urllib.error.HTTPError as error:
        raise _refused(error) from error
    except OSError as error:
        raise TexelError(NAME, "cannot be reached.", "See that it runs (./start starts it), then try again.") from error
    if len(body) > LARGEST_ANSWER:
        raise TexelError(NAME, "answered more than can be.", "Try again later.")
    return body


def _refused(error: urllib.error.HTTPError) -> TexelError:
    if error.code == 401:
        return TexelError("Your key", "opens nothing at the depot.", "Put in the right one on your account page.")
    try:
        reason = str(json.loads(error.read(2000)).get("error", ""))[:200]
    except (ValueError, AttributeError):
        reason = ""
    return TexelError(NAME, f"refused ({error.code}{': ' + reason if reason else ''}).", "Choose something else, or try later.")
