"""The record: the last steps of a project, taken back and done again."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import Literal
from uuid import UUID

from django.db.models import Q, QuerySet
from django.http import HttpRequest
from ninja import Field, Query, Router, Schema

from texelweb.accounts.access import Access, enter, enter_studio
from texelweb.api.schemas import ErrorBody
from texelweb.projects.models import RANK, Role
from texelweb.record import steps
from texelweb.record.kinds import KINDS
from texelweb.record.models import Step
from texelweb.refusals import Refused, not_found

router = Router(tags=["record"])
MOST_STEPS, PAGE = 100, 60
StepKind = Literal[tuple(KINDS)]


class StepView(Schema):
    """One step. `thing` is the id of what it is about, and `undone` when it was taken back; `may_undo` says whether the asking
    person may take it back. What is on record alone nobody can. A step that was done in one `act` with `others` is taken back
    with them."""

    id: int
    kind: StepKind
    thing: str
    # The set that it is about, where it is about one.
    set_id: int | None
    name: str
    what: str
    by: str
    mine: bool
    at: datetime
    undone: datetime | None
    may_undo: bool
    act: UUID | None
    others: int


class Steps(Schema):
    """The last steps of a project, newest first, one for each act; and the asking person's own to undo and to redo."""

    steps: list[StepView]
    undo: StepView | None
    redo: StepView | None


class StepDone(Schema):
    """A step that was just taken back or done again, and the steps as they stand now."""

    step: StepView
    steps: Steps


class RecordAsked(Schema):
    """Which part of the record: of these kinds, by this person, about this set, with these words, done in one act; older than a
    step. What was done to many in one act is one step, unless it was asked for by its set, words or act."""

    kinds: list[StepKind] = Field(default=[], max_length=len(KINDS))
    by: str = Field(default="", max_length=150)
    set: int | None = None
    words: str = Field(default="", max_length=200)
    act: UUID | None = None
    before: int | None = None


class RecordPage(Schema):
    """Steps, newest first; with more of them before the last. `people` are all that the record knows of."""

    steps: list[StepView]
    more: bool
    people: list[str]


ANSWERS = {200: StepDone, 403: ErrorBody, 404: ErrorBody, 409: ErrorBody}


@router.get("/projects/{slug}/steps", response={200: Steps, 404: ErrorBody}, operation_id="list_steps")
def list_steps(request: HttpRequest, slug: str) -> Steps:
    """The last steps of a project."""
    return _steps(enter(request, slug))


@router.get("/projects/{slug}/record", response={200: RecordPage, 404: ErrorBody}, operation_id="get_record")
def get_record(request: HttpRequest, slug: str, asked: Query[RecordAsked]) -> RecordPage:
    """Who did what when in a project."""
    access = enter(request, slug)
    return _page(access.project.steps.all(), asked, access)


@router.get("/studio/record", response={200: RecordPage, 403: ErrorBody}, operation_id="get_studio_record")
def get_studio_record(request: HttpRequest, asked: Query[RecordAsked]) -> RecordPage:
    """Who did what when in the studio, beside its projects: people, masters, projects made and deleted. For studio leads."""
    enter_studio(request)
    return _page(Step.objects.filter(project=None), asked, None)


def _page(rows: QuerySet[Step], asked: RecordAsked, access: Access | None) -> RecordPage:
    people = rows.exclude(by=None).values_list("by__username", flat=True).distinct().order_by("by__username")
    wanted = rows.select_related("by").defer("before_json", "after_json")
    if asked.kinds:
        wanted = wanted.filter(kind__in=asked.kinds)
    if asked.by:
        wanted = wanted.filter(by__username=asked.by)
    if asked.set is not None:
        wanted = wanted.filter(about=asked.set)
    if asked.act is not None:
        wanted = wanted.filter(act=asked.act)
    elif asked.set is None and not asked.words.strip():
        wanted = steps.heads(wanted)
    if asked.before is not None:
        wanted = wanted.filter(pk__lt=asked.before)
    for word in asked.words.split():
        wanted = wanted.filter(Q(what__icontains=word) | Q(name__icontains=word))
    found = list(wanted.order_by("-pk")[: PAGE + 1])
    return RecordPage(steps=_views(found[:PAGE], access), more=len(found) > PAGE, people=list(people))


@router.post("/projects/{slug}/undo", response=ANSWERS, operation_id="undo")
def undo(request: HttpRequest, slug: str) -> StepDone:
    """Take back the last step of the asking person that stands."""
    access = enter(request, slug, Role.ARTIST)
    return _taken_back(request, access, steps.last_step(access.project, access.user))


@router.post("/projects/{slug}/redo", response=ANSWERS, operation_id="redo")
def redo(request: HttpRequest, slug: str) -> StepDone:
    """Do the step again that the asking person has undone last."""
    access = enter(request, slug, Role.ARTIST)
    step = steps.next_step(access.project, access.user)
    if step is None:
        raise Refused(409, "You", "have nothing to redo here.", "Undo something first.")
    enter(request, access.project, steps.least_role(step))
    return _done(access, steps.redo(access.project, step, access.user))


@router.post("/projects/{slug}/steps/{step_id}/undo", response=ANSWERS, operation_id="undo_step")
def undo_step(request: HttpRequest, slug: str, step_id: int) -> StepDone:
    """Take back any step of a project, whoever did it: others that changed other parts stay."""
    access = enter(request, slug, Role.ARTIST)
    step = access.project.steps.filter(pk=step_id).first()
    if step is None:
        raise not_found("The step")
    return _taken_back(request, access, step)


def _taken_back(request: HttpRequest, access: Access, step: Step | None) -> StepDone:
    if step is None:
        raise Refused(409, "You", "have nothing to undo here.", "Look at the list of steps.")
    enter(request, access.project, steps.least_role(step))
    return _done(access, steps.undo(access.project, step, access.user))


def _done(access: Access, step: Step) -> StepDone:
    return StepDone(step=_views([step], access)[0], steps=_steps(access))


def _steps(access: Access) -> Steps:
    project, user = access.project, access.user
    rows = steps.heads(project.steps.filter(undoable=True)).select_related("by").defer("before_json", "after_json")
    found = rows.order_by("-pk")[:MOST_STEPS]
    last, following = steps.last_step(project, user), steps.next_step(project, user)
    return Steps(
        steps=_views(list(found), access),
        undo=_views([last], access)[0] if last else None,
        redo=_views([following], access)[0] if following else None,
    )


def _views(found: Sequence[Step], access: Access | None) -> list[StepView]:
    roles, others = steps.least_roles(found), steps.others_of(found)
    return [_view(step, access, roles[step.pk], others[step.pk]) for step in found]


def _view(step: Step, access: Access | None, least: Role, others: int) -> StepView:
    may = access is not None and step.undoable and RANK[access.role] >= RANK[least]
    return StepView(
        id=step.pk,
        kind=step.kind,
        thing=step.thing,
        name=step.name,
        what=step.what,
        by=step.by.get_username() if step.by else "",
        mine=access is not None and step.by_id == access.user.pk,
        set_id=step.about,
        at=step.at,
        undone=step.undone,
        may_undo=may and step.undone is None,
        act=step.act,
        others=others,
    )
