"""What OpenAPI says of every endpoint beyond its own answers: the errors that any of them may give, and files."""

from __future__ import annotations

from http import HTTPStatus
from typing import Any

from ninja import NinjaAPI
from ninja.openapi.schema import OpenAPISchema

_ERROR = {"$ref": "#/components/schemas/ErrorBody"}


def serves(*media_types: str) -> dict[str, Any]:
    """The `openapi_extra` of an endpoint that answers with a file: of what media types it may be."""
    content = {media: {"schema": {"type": "string", "format": "binary"}} for media in media_types}
    return {"responses": {HTTPStatus.OK: {"description": "The file.", "content": content}}}


def common_errors(method: str, path: str, needs_session: bool, takes_files: bool) -> list[HTTPStatus]:
    """What an endpoint of this kind may refuse with, whatever it is about: nobody is signed in, nothing of that id that this
    person may see, a request that does not fit. What changes something may come from a page that is out of step, or meet another
    change."""
    found = [HTTPStatus.UNPROCESSABLE_ENTITY]
    if needs_session:
        found.append(HTTPStatus.UNAUTHORIZED)
    if "{" in path:
        found.append(HTTPStatus.NOT_FOUND)
    if method != "get":
        found += [HTTPStatus.FORBIDDEN, HTTPStatus.CONFLICT, HTTPStatus.BAD_REQUEST]
    if takes_files:
        found.append(HTTPStatus.REQUEST_ENTITY_TOO_LARGE)
    return found


class DocumentedAPI(NinjaAPI):
    """The API, whose description names every status that it answers with."""

    def get_openapi_schema(self, *args: Any, **kwargs: Any) -> OpenAPISchema:
        """The OpenAPI document."""
        schema = super().get_openapi_schema(*args, **kwargs)
        for path, methods in schema["paths"].items():
            for method, operation in methods.items():
                said = operation["responses"]
                takes_files = "multipart/form-data" in operation.get("requestBody", {}).get("content", {})
                for status in common_errors(method, path, "security" in operation, takes_files):
                    answer = {"description": status.phrase, "content": {"application/json": {"schema": _ERROR}}}
                    if not {status, status.value, str(status.value)} & set(said):
                        said[status.value] = answer
        return schema
