"""Projects: made, renamed, archived, brought back and deleted."""

from __future__ import annotations

from datetime import datetime

from django.http import HttpRequest
from ninja import Field, Router, Schema, Status

from texelcore.naming.presets import PRESETS
from texelweb.accounts.access import Access, enter
from texelweb.accounts.events import note
from texelweb.api.schemas import ErrorBody, ProjectView, TargetView
from texelweb.api.sets import views
from texelweb.library.pins import offered
from texelweb.projects.models import Membership, Role
from texelweb.refusals import Refused
from texelweb.studio import people, projects

router = Router(tags=["projects"])
MOST_SHOWN = 8
ANSWERS = {200: ProjectView, 403: ErrorBody, 404: ErrorBody, 409: ErrorBody}


class ProjectLine(ProjectView):
    """A project in the list: with its newest sets, lit, and what was delivered last."""

    # The sets whose lit pictures are shown, by id, with the number of their newest edit.
    pictures: dict[int, int]
    delivered: datetime | None
    delivered_for: str | None


class NewProject(Schema):
    """A project to be made. `rules` says what its house rules begin as: "" none, “preset:NAME”, or “project:SLUG” to copy."""

    title: str = Field(max_length=200)
    code: str = Field(default="", max_length=40)
    target: str = Field(max_length=100)
    rules: str = Field(default="", max_length=100)


class ProjectChange(Schema):
    """A new title, code or default target; null leaves it."""

    title: str | None = Field(default=None, max_length=200)
    code: str | None = Field(default=None, max_length=40)
    target: str | None = Field(default=None, max_length=100)


class Typed(Schema):
    """The project's title, typed by whoever means to delete it."""

    title: str = Field(max_length=200)


class PresetView(Schema):
    """House rules that a project may begin with."""

    name: str
    title: str
    about: str


class Beginnings(Schema):
    """What a new project can be made of, and whether the asking user may make one."""

    may_make: bool
    targets: list[TargetView]
    presets: list[PresetView]


@router.get("/beginnings", response=Beginnings, operation_id="get_beginnings")
def get_beginnings(request: HttpRequest) -> Beginnings:
    """Targets and presets of house rules for a new project."""
    return Beginnings(
        may_make=people.leads_something(request.user),
        targets=[views.target_view(target) for target in offered()],
        presets=[PresetView(name=preset.name, title=preset.title, about=preset.about) for preset in PRESETS],
    )


@router.get("/projects", response=list[ProjectLine], operation_id="list_projects")
def list_projects(request: HttpRequest) -> list[ProjectLine]:
    """The asking user's projects, archived ones too."""
    found = Membership.objects.filter(user=request.user).select_related("project")
    return [_line(Access(request.user, entry.project, Role(entry.role))) for entry in found.order_by("project__title")]


def _line(access: Access) -> ProjectLine:
    project = access.project
    newest = project.sets.filter(ledger_json__rows__0__isnull=False).order_by("-pk").values_list("pk", "edit")[:MOST_SHOWN]
    last = project.deliveries.exclude(manifest_json=None).order_by("-created").select_related("version").first()
    return ProjectLine(
        **views.project_view(access).dict(),
        pictures=dict(newest),
        delivered=last.created if last else None,
        delivered_for=last.target.title if last else None,
    )


@router.post("/projects", response=ANSWERS, operation_id="make_project")
def make_project(request: HttpRequest, body: NewProject) -> ProjectView:
    """Make a project; its maker leads it. Studio leads may, and whoever leads a project."""
    if not people.leads_something(request.user):
        note("role refused", request, needed="lead")
        raise Refused(403, "You", "lead no project, and projects are made by leads.", "Ask a lead to make it and invite you.")
    rules = projects.rules_to_begin_with(body.rules, request.user)
    made = projects.make_project(body.title, body.code, body.target, rules, request.user)
    return views.project_view(Access(request.user, made, Role.LEAD))


@router.patch("/projects/{slug}", response=ANSWERS, operation_id="change_project")
def change_project(request: HttpRequest, slug: str, body: ProjectChange, seen: str) -> ProjectView:
    """Give a project another title, code or default target. Its address stays. `seen` is the stamp that the page has; where
    somebody else has changed it since, nothing is done."""
    access = enter(request, slug, Role.LEAD)
    wanted = {"title": body.title, "code": body.code, "target": body.target}
    changed = projects.change_project(access.project, access.user, **wanted, seen=seen)
    return views.project_view(Access(access.user, changed, access.role))


@router.post("/projects/{slug}/archive", response=ANSWERS, operation_id="archive_project")
def archive_project(request: HttpRequest, slug: str) -> ProjectView:
    """Archive a project: it is only looked at from now on."""
    access = enter(request, slug, Role.LEAD)
    projects.archive(access.project, access.user)
    return _again(access)


@router.post("/projects/{slug}/bring-back", response=ANSWERS, operation_id="bring_project_back")
def bring_project_back(request: HttpRequest, slug: str) -> ProjectView:
    """End a project's archiving."""
    access = enter(request, slug, Role.LEAD, archived=True)
    projects.bring_back(access.project, access.user)
    return _again(access)


@router.post(
    "/projects/{slug}/delete",
    response={204: None, 403: ErrorBody, 404: ErrorBody, 409: ErrorBody},
    operation_id="delete_project",
)
def delete_project(request: HttpRequest, slug: str, body: Typed) -> Status[None]:
    """Delete a project for good, archived or not. Its title has to be typed."""
    access = enter(request, slug, Role.LEAD, archived=True)
    projects.delete_project(access.project, body.title, access.user)
    return Status(204, None)


def _again(access: Access) -> ProjectView:
    access.project.refresh_from_db()
    return views.project_view(access)
