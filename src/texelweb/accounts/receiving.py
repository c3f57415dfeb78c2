"""Who may send a file, and how large: asked before any of its body is read.

A body of several parts is written to the temporary disk as it is read. An endpoint that takes files says with `receives` who may
send how much; the two ways of signing in ask that as soon as they know who is there, and nothing reads a body before."""

from __future__ import annotations

import copy
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial, wraps
from typing import Any, TypeVar

from django.http import HttpRequest, QueryDict
from django.http.response import HttpResponseBase
from django.utils.datastructures import MultiValueDict
from ninja.decorators import decorate_view
from ninja.security import SessionAuth
from ninja.utils import check_csrf

from texelweb.accounts.tokens import TokenAuth
from texelweb.refusals import STALE_PAGE, Refused

View = TypeVar("View", bound=Callable[..., Any])
# What names, borders and small fields of a form may add to its files.
FORM_BYTES = 1024**2
_SEND_AGAIN = "Reload the page and send it again."


@dataclass(frozen=True)
class Receiving:
    """What an endpoint takes: at most so many bytes, from whom `who` lets in, or it raises Refused."""

    most: int
    who: Callable[[], object]


def receives(most: int, who: Callable[..., object]) -> Callable[[View], View]:
    """Let an endpoint take files of `most` bytes together, from whoever `who` lets in: it is called with the request and what
    stands in the address, as text. Stands below the endpoint's route."""

    def asking_first(run: Callable[..., HttpResponseBase]) -> Callable[..., HttpResponseBase]:
        @wraps(run)
        def answer(request: HttpRequest, **address: Any) -> HttpResponseBase:
            request.receiving = Receiving(most, partial(who, request, **address))  # type: ignore[attr-defined]
            return run(request, **address)

        return answer

    return decorate_view(asking_first)


def is_out_of_step(request: HttpRequest) -> bool:
    """Whether a request lacks its page's security token, which stands in its head: the body is not read for it."""
    head = copy.copy(request)
    head._post, head._files = QueryDict(), MultiValueDict()  # type: ignore[attr-defined]
    return check_csrf(head) is not None


def admit(request: HttpRequest) -> None:
    """Ask who may send what a signed-in request has in its body of several parts. Raises Refused 413 for
    too much, 422 for one without a border between its parts, and what the endpoint's `who` raises."""
    receiving: Receiving | None = getattr(request, "receiving", None)
    if receiving is None:
        # Nothing reads it: where no file is taken, a body is JSON, and is held to what fits into memory.
        return
    receiving.who()
    if request.content_type != "multipart/form-data":
        return
    if not (request.content_params or {}).get("boundary"):
        raise Refused(422, "The request", "does not say what lies between its parts (multipart without a boundary).", _SEND_AGAIN)
    length = request.META.get("CONTENT_LENGTH") or ""
    if not (length.isascii() and length.isdigit()):
        raise Refused(400, "The request", "does not say how long it is.", _SEND_AGAIN)
    if int(length) > receiving.most + FORM_BYTES:
        held, most = int(length) / 1024**2, receiving.most / 1024**2
        raise Refused(413, "The upload", f"has {held:,.0f} MB; here are taken {most:,.0f} MB.", "Send less at once.")


class PageAuth(SessionAuth):
    """A page's session: who is there is asked first, then the page's token, then what may be sent."""

    def __call__(self, request: HttpRequest) -> Any:
        """The signed-in user, or None. Raises Refused as `admit` does, and 403 for a page that is out of step."""
        if not request.user.is_authenticated:
            return None
        if is_out_of_step(request):
            raise Refused(403, *STALE_PAGE)
        admit(request)
        return request.user


class ProgramAuth(TokenAuth):
    """A program's access token, and then what may be sent with it."""

    def authenticate(self, request: HttpRequest, token: str) -> Any:
        """The token's user. Raises Refused as `TokenAuth` and `admit` do."""
        user = super().authenticate(request, token)
        admit(request)
        return user


page_auth = PageAuth()
