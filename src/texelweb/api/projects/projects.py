"""Projects: the list, the board, open files."""

from __future__ import annotations

import hashlib

from django.http import HttpRequest, HttpResponse, HttpResponseNotModified
from ninja import Field, Query, Router, Schema
from pydantic import BaseModel

from texelweb.accounts.access import enter
from texelweb.api.schemas import ErrorBody, FileView, ProjectView, SetView, TargetView
from texelweb.api.sets import views
from texelweb.board.cells import STAGES
from texelweb.board.overview import Overview, overview
from texelweb.board.pulse import pulse
from texelweb.library.pins import pins_of
from texelweb.projects.models import Role
from texelweb.sets.changing.ledgers import make_set

router = Router(tags=["projects"])


class NewSet(Schema):
    """A set made by hand."""

    name: str = Field(max_length=1000)


class PulseAsked(Schema):
    """The set or the variant whose page asks, if it is one's."""

    set: int | None = None
    variant: int | None = None


class BoardHead(BaseModel):
    """Whose board it is."""

    project: ProjectView
    target: TargetView
    stages: list[str]


class Board(Overview, BoardHead):
    """A project's home."""


@router.get("/projects/{slug}/board", response={200: Board, 404: ErrorBody}, operation_id="get_board")
def get_board(request: HttpRequest, slug: str) -> HttpResponse:
    """A project's home."""
    access = enter(request, slug)
    # The sets' part is kept as JSON: a thousand rows are not checked and written anew for each look.
    sets = overview(access.project, access.looks_at)
    head = BoardHead(
        project=views.project_view(access),
        target=views.target_view(pins_of(access.project).seen("", access.looks_at)),
        stages=list(STAGES),
    ).model_dump_json()
    body = f"{head[:-1]},{sets[1:]}"
    tag = f'"{hashlib.sha256(body.encode()).hexdigest()[:32]}"'
    if request.headers.get("If-None-Match") == tag:
        return HttpResponseNotModified()
    answer = HttpResponse(body, content_type="application/json")
    answer["ETag"], answer["Cache-Control"] = tag, "private, no-cache"
    return answer


@router.get("/projects/{slug}/pulse", response={200: dict[str, str], 404: ErrorBody}, operation_id="get_pulse")
def get_pulse(request: HttpRequest, slug: str, asked: Query[PulseAsked]) -> dict[str, str]:
    """A stamp for each kind of thing in a project, which changes when something of that kind does: open pages ask for it, and
    then only for what has changed."""
    return pulse(enter(request, slug).project, asked.set, asked.variant)


@router.get("/projects/{slug}/open-files", response={200: list[FileView], 404: ErrorBody}, operation_id="list_open_files")
def list_open_files(request: HttpRequest, slug: str) -> list[FileView]:
    """Files that belong to no set, each with the reason."""
    return views.open_files(enter(request, slug).project)


@router.post("/projects/{slug}/sets", response={200: SetView, 403: ErrorBody}, operation_id="create_set")
def post_set(request: HttpRequest, slug: str, body: NewSet) -> SetView:
    """Make an empty set by hand."""
    access = enter(request, slug, Role.ARTIST)
    return views.set_view(make_set(access.project, body.name, access.user), access)
