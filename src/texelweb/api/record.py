"""The record: the last steps of a project, taken back and done again."""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from django.http import HttpRequest
from ninja import Router, Schema

from texelweb.accounts.access import Access, enter
from texelweb.api.schemas import ErrorBody
from texelweb.projects.models import RANK, Role
from texelweb.record import steps
from texelweb.record.models import Step
from texelweb.refusals import Refused, not_found

router = Router(tags=["record"])
MOST_STEPS = 100


class StepView(Schema):
    """One step. `thing` is the id of what it is about, and `undone` when it was taken back; `may_undo` says whether the asking
    person may take it back (or, once undone, nobody has to)."""

    id: int
    kind: Literal["set", "file", "variant", "rules", "tolerances", "answers", "renames"]
    thing: str
    name: str
    what: str
    by: str
    mine: bool
    at: datetime
    undone: datetime | None
    may_undo: bool


class Steps(Schema):
    """The last steps of a project, newest first; and of the asking person's own the ones to undo and to redo."""

    steps: list[StepView]
    undo: StepView | None
    redo: StepView | None


class StepDone(Schema):
    """A step that was just taken back or done again, and the steps as they stand now."""

    step: StepView
    steps: Steps


ANSWERS = {200: StepDone, 403: ErrorBody, 404: ErrorBody, 409: ErrorBody}


@router.get("/projects/{slug}/steps", response={200: Steps, 404: ErrorBody}, operation_id="list_steps")
def list_steps(request: HttpRequest, slug: str) -> Steps:
    """The last steps of a project."""
    return _steps(enter(request, slug))


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
    return StepDone(step=_view(step, access), steps=_steps(access))


def _steps(access: Access) -> Steps:
    project, user = access.project, access.user
    found = project.steps.select_related("by").order_by("-pk").defer("before_json", "after_json")[:MOST_STEPS]
    last, following = steps.last_step(project, user), steps.next_step(project, user)
    return Steps(
        steps=[_view(step, access) for step in found],
        undo=_view(last, access) if last else None,
        redo=_view(following, access) if following else None,
    )


def _view(step: Step, access: Access) -> StepView:
    return StepView(
        id=step.pk,
        kind=step.kind,
        thing=step.thing,
        name=step.name,
        what=step.what,
        by=step.by.get_username() if step.by else "",
        mine=step.by_id == access.user.pk,
        at=step.at,
        undone=step.undone,
        may_undo=step.undone is None and RANK[access.role] >= RANK[steps.least_role(step)],
    )
