"""A server of Fair Texel, asked over HTTP with an access token."""

from __future__ import annotations

import json
import os
import urllib.error
import urllib.parse
import urllib.request
import uuid
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from texelcore.pixels.errors import TexelError

SECONDS_TO_ANSWER = 120
CONFLICT = 409
_BOUNDARY_PREFIX = "fairtexel"
_CHUNK = 1 << 20


@dataclass(frozen=True)
class Server:
    """Where files go: the server's address, the project's slug, and the access token."""

    address: str
    project: str
    token: str

    def ask(self, method: str, path: str, body: Any = None) -> Any:
        """Send JSON and give the JSON answer. Raises TexelError with what the server says, or that it cannot be reached."""
        data = json.dumps(body).encode() if body is not None else None
        return self._send(method, path, data, {"Content-Type": "application/json"})

    def fetch(self, path: str) -> bytes:
        """The bytes of an address. Raises TexelError as `ask` does."""
        return self._bytes("GET", path, None, {})

    def put_file(self, arrival: str, shown: str, file: Path) -> Any:
        """Send one file into an open arrival, read from disk as it goes."""
        boundary = f"{_BOUNDARY_PREFIX}{uuid.uuid4().hex}"
        part = f'--{boundary}\r\nContent-Disposition: form-data; name="%s"%s\r\n\r\n'
        head = (part % ("path", "")).encode() + shown.encode() + b"\r\n" + (part % ("file", '; filename="upload"')).encode()
        tail = f"\r\n--{boundary}--\r\n".encode()
        size = file.stat().st_size

        def body() -> Iterator[bytes]:
            yield head
            left = size
            with file.open("rb") as source:
                # No more than was promised, should the file grow meanwhile.
                while left and (chunk := source.read(min(_CHUNK, left))):
                    left -= len(chunk)
                    yield chunk
            yield tail

        headers = {
            "Content-Type": f"multipart/form-data; boundary={boundary}",
            "Content-Length": str(len(head) + size + len(tail)),
        }
        return self._send("POST", f"/arrivals/{arrival}/files", body(), headers)

    def _send(self, method: str, path: str, data: Any, headers: dict[str, str]) -> Any:
        text = self._bytes(method, path, data, headers)
        return json.loads(text) if text else None

    def _bytes(self, method: str, path: str, data: Any, headers: dict[str, str]) -> bytes:
        request = urllib.request.Request(  # noqa: S310 - the address was checked to be http(s)
            f"{self.address}/api{path}", data, {**headers, "Authorization": f"Bearer {self.token}"}, method=method
        )
        try:
            with urllib.request.urlopen(request, timeout=SECONDS_TO_ANSWER) as answer:  # noqa: S310
                return bytes(answer.read())
        except urllib.error.HTTPError as error:
            raise _refused(error) from error
        except OSError as error:
            reason = getattr(error, "reason", error)
            raise Unreachable(self.address, f"cannot be reached ({reason}).", "See that it runs; files are sent then.") from error


class Unreachable(TexelError):
    """The server cannot be reached: to be tried again, unlike a refusal."""


class ServerRefused(TexelError):
    """The server refuses one file, or one arrival: others may still be sent."""


def server_of(address: str, project: str, token_file: Path | None) -> Server:
    """A server from what the command line says. The token comes from a file or from FAIRTEXEL_TOKEN, never from an argument,
    which other users of the machine could read. Raises TexelError for a missing token or an address that is none."""
    parts = urllib.parse.urlsplit(address)
    if parts.scheme not in ("http", "https") or not parts.hostname:
        raise TexelError(address, "is no server's address.", "Write it like http://127.0.0.1:8400.")
    try:
        token = token_file.read_text("utf-8").strip() if token_file else os.environ.get("FAIRTEXEL_TOKEN", "").strip()
    except OSError as error:
        raise TexelError(str(token_file), f"cannot be read ({error.strerror}).", "Write the access token into it.") from error
    if not token:
        raise TexelError("The access token", "is missing.", "Make one on the account page; set FAIRTEXEL_TOKEN or --token-file.")
    return Server(address.rstrip("/"), project, token)


def _refused(error: urllib.error.HTTPError) -> TexelError:
    try:
        body = json.loads(error.read())
        kind = ServerRefused if error.code == CONFLICT else TexelError
        return kind(body["subject"], body["problem"], body["way_out"])
    except (ValueError, KeyError):
        return TexelError("The server", f"answered {error.code}.", "See that the address is a Fair Texel server.")
