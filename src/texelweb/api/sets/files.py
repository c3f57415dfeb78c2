"""A source file by itself: what was measured on it, and its revisions."""

from __future__ import annotations

from datetime import datetime

from django.http import HttpRequest
from ninja import Field, Query, Router, Schema, Status
from pydantic import BaseModel

from texelcore.checks.figures import Figure, figures_of
from texelcore.surface.files import FileFacts
from texelweb.accounts.access import Access, enter
from texelweb.api.schemas import ErrorBody, SetView
from texelweb.api.sets import views
from texelweb.projects.models import Role
from texelweb.refusals import not_found
from texelweb.sets.arrivals import gathering, sorting
from texelweb.sets.changing import removal
from texelweb.sets.models import SourceFile, TextureSet
from texelweb.sets.search import search

router = Router(tags=["files"])
TAKEN = {200: SetView, 403: ErrorBody, 404: ErrorBody, 409: ErrorBody}


class RevisionView(Schema):
    """A revision of a source file."""

    number: int
    sha256: str
    width: int
    height: int
    bytes: int
    what: str
    by: str
    at: datetime
    current: bool


class FileDetail(Schema):
    """A source file with all that was measured on it, and its revisions, newest first. `siblings` are the paths that would
    follow it into a set."""

    id: int
    facts: FileFacts
    figures: list[Figure]
    set_id: int | None
    set_name: str | None
    siblings: list[str]
    revisions: list[RevisionView]


class TakenInto(Schema):
    """Where a file goes: a set by its id, or null for a new one, which may be named. `siblings` follow it."""

    set: int | None = None
    name: str = ""
    siblings: bool = True


class MapLine(BaseModel):
    """A source file in a long list."""

    id: int
    path: str
    set_id: int | None
    set_name: str | None
    revision: int
    aside: bool
    stamp: str
    width: int
    height: int
    sample: str
    channels: str
    bytes: int


class MapsAsked(Schema):
    """Which maps: with all of these words in their path, their set's name or their size, so many, from a place on."""

    q: str = Field(default="", max_length=200)
    offset: int = Field(default=0, ge=0, le=10_000_000)
    limit: int = Field(default=200, ge=1, le=500)


class MapPage(BaseModel):
    """A page of a long list."""

    total: int
    offset: int
    lines: list[MapLine]


ANSWERS = {200: FileDetail, 403: ErrorBody, 404: ErrorBody, 409: ErrorBody}


def enter_file(request: HttpRequest, file_id: int, least: Role = Role.GUEST) -> tuple[SourceFile, Access]:
    """A source file and the asking user's access to its project. Raises Refused as `enter` does."""
    file = SourceFile.objects.filter(pk=file_id).select_related("project", "set").first()
    if file is None:
        raise not_found("The file")
    return file, enter(request, file.project, least)


@router.get("/projects/{slug}/maps", response={200: MapPage, 404: ErrorBody}, operation_id="list_maps")
def list_maps(request: HttpRequest, slug: str, asked: Query[MapsAsked]) -> MapPage:
    """A page of a project's source files by path, each in one short line, and how many there are in all."""
    project = enter(request, slug).project
    found = search(project, asked.q).order_by("path")
    columns = ("pk", "path", "set_id", "set__name", "revision", "set_aside", "blob_id")
    measures = ("facts_json__width", "facts_json__height", "facts_json__sample", "facts_json__channels", "facts_json__bytes")
    rows = found.values_list(*columns, *measures)[asked.offset : asked.offset + asked.limit]
    lines = [
        MapLine(
            id=pk,
            path=path,
            set_id=set_id,
            set_name=set_name,
            revision=revision,
            aside=aside,
            stamp=blob[:12],
            width=width,
            height=height,
            sample=sample,
            channels="".join(channels),
            bytes=size,
        )
        for pk, path, set_id, set_name, revision, aside, blob, width, height, sample, channels, size in rows
    ]
    return MapPage(total=found.count(), offset=asked.offset, lines=lines)


@router.get("/files/{file_id}", response={200: FileDetail, 404: ErrorBody}, operation_id="get_file")
def get_file(request: HttpRequest, file_id: int) -> FileDetail:
    """A file's measurements and revisions."""
    return _view(enter_file(request, file_id)[0])


@router.delete("/files/{file_id}", response={204: None, 403: ErrorBody, 409: ErrorBody}, operation_id="remove_file")
def remove_file(request: HttpRequest, file_id: int) -> Status[None]:
    """Remove a file that belongs to no set."""
    file, access = enter_file(request, file_id, Role.ARTIST)
    removal.remove_file(file, access.user)
    return Status(204, None)


@router.post("/files/{file_id}/revisions/{number}/bring-back", response=ANSWERS, operation_id="bring_back_revision")
def bring_back_revision(request: HttpRequest, file_id: int, number: int) -> FileDetail:
    """Make an older revision the newest; nothing is lost, and what depends on the file is stale."""
    file, access = enter_file(request, file_id, Role.ARTIST)
    return _view(sorting.bring_back(file, number, access.user))


@router.post("/files/{file_id}/take", response=TAKEN, operation_id="take_file")
def take_file(request: HttpRequest, file_id: int, body: TakenInto) -> SetView:
    """Take a file of no set, with its siblings or alone, into a set or a new one."""
    file, access = enter_file(request, file_id, Role.ARTIST)
    home = None
    if body.set is not None:
        home = TextureSet.objects.filter(pk=body.set, project=access.project).first()
        if home is None:
            raise not_found("The set")
    return views.set_view(gathering.take(file, body.siblings, home, body.name, access.user), access)


def _view(file: SourceFile) -> FileDetail:
    revisions = file.revisions.select_related("by").order_by("-number")
    return FileDetail(
        id=file.pk,
        facts=file.facts,
        figures=list(figures_of(file.facts.evidence)) if file.facts.evidence else [],
        set_id=file.set_id,
        set_name=file.set.name if file.set else None,
        siblings=[] if file.set else [other.path for other in gathering.siblings(file)],
        revisions=[
            RevisionView(
                number=entry.number,
                sha256=entry.blob_id,
                width=facts.width,
                height=facts.height,
                bytes=facts.bytes,
                what=entry.what,
                by=entry.by.get_username() if entry.by else "",
                at=entry.at,
                current=entry.number == file.revision,
            )
            for entry in revisions
            for facts in [FileFacts.model_validate(entry.facts_json)]
        ],
    )
