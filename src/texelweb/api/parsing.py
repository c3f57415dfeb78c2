"""What a request says, held against what can be kept: text that a database can hold, and numbers that are numbers."""

from __future__ import annotations

import json
import uuid
from collections.abc import Callable
from typing import Any

from django.http import HttpRequest, HttpResponse, JsonResponse
from ninja.parser import Parser

from texelcore.naming.hidden import hidden_character
from texelweb.refusals import Refused, not_found

# All whole numbers of so many digits are ones that a database holds as big integers.
MOST_DIGITS = 18
# Passwords are whatever somebody types, and paths of files as a disk has them: those are looked at one by one (sets.names).
AS_TYPED = frozenset({"password", "old", "new", "path"})
_WAY_OUT = "Correct it and try again."


def _bad_text(where: str) -> Refused:
    return Refused(422, where, "holds characters that are no text (a NUL, or half of a pair).", _WAY_OUT)


def _seen_text(value: str, where: str) -> str:
    """A text that is seen as it is. Raises Refused 422 for one with control or direction characters, and as `_bad_text`."""
    if not is_text(value):
        raise _bad_text(where)
    if where not in AS_TYPED and (sign := hidden_character(value)):
        raise Refused(422, where, f"holds a character that nobody sees ({sign}).", "Remove it, then try again.")
    return value


def is_text(value: str) -> bool:
    """Whether a database can hold some text: no NUL in it, and no half of a surrogate pair."""
    return "\0" not in value and not any("\ud800" <= sign <= "\udfff" for sign in value)


def number_in_address(text: str) -> int:
    """A number that stands in an address. Raises Refused 404 for what is none, as what it would name is not here."""
    if not is_number(text):
        raise not_found("The address")
    return int(text)


def is_number(text: str) -> bool:
    """Whether a text is a whole number that a database can hold, in plain digits: `isdigit` alone takes “²” for one."""
    return text.isascii() and text.isdigit() and len(text) <= MOST_DIGITS


def id_in_address(text: str) -> uuid.UUID:
    """A UUID that stands in an address. Raises as `number_in_address`."""
    try:
        return uuid.UUID(text)
    except ValueError:
        raise not_found("The address") from None


class StrictParser(Parser):
    """Reads bodies and forms. Raises Refused 422 for text or numbers that nothing could keep."""

    def parse_body(self, request: HttpRequest) -> Any:
        """A body's JSON."""
        try:
            body = json.loads(request.body, parse_constant=_no_number, parse_float=_finite)
        except (UnicodeDecodeError, json.JSONDecodeError, RecursionError) as error:
            raise Refused(422, "The request", "is no JSON.", _WAY_OUT) from error
        _hold(body, "The request")
        return body

    def parse_querydict(self, data: Any, list_fields: list[str], request: HttpRequest) -> Any:
        """A query or form as a dictionary."""
        for key, values in data.lists():
            if not is_text(key):
                raise _bad_text("The request")
            for value in values:
                if isinstance(value, str):
                    _seen_text(value, key)
        return super().parse_querydict(data, list_fields, request)


def _no_number(said: str) -> float:
    raise Refused(422, said, "is no number.", _WAY_OUT)


def _finite(said: str) -> float:
    value = float(said)
    if value in (float("inf"), float("-inf")):
        raise Refused(422, said[:40], "is larger than any number that is kept here.", _WAY_OUT)
    return value


def _hold(value: Any, where: str) -> None:
    """Walk a document without recursion: it is a stranger's, and may be deep."""
    waiting: list[tuple[Any, str]] = [(value, where)]
    while waiting:
        part, place = waiting.pop()
        if isinstance(part, str):
            _seen_text(part, place)
        if isinstance(part, dict):
            for key, inner in part.items():
                waiting.append((inner, _seen_text(key, place)))
        elif isinstance(part, list):
            waiting.extend((inner, place) for inner in part)


class PlainAddress:
    """Middleware: an address with a NUL or a line break in it is none of ours."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self._get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """The answer of what comes after, or the refusal."""
        if any(sign in request.path_info for sign in "\0\r\n"):
            refused = Refused(422, "The address", "holds signs that stand in none.", "Go back to your projects.")
            return JsonResponse(refused.body, status=refused.status)
        return self._get_response(request)
