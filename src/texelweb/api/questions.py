"""Open questions: listed worst first, answered, taught, undone."""

from __future__ import annotations

import uuid

from django.http import HttpRequest
from ninja import Router

from texelweb.accounts.access import Access, enter
from texelweb.api.errors import not_found
from texelweb.api.schemas import ErrorBody
from texelweb.api.schemas_arrivals import AnswerGiven, AnswersTaken, QuestionFile, Questions, QuestionView, SettledView
from texelweb.projects.models import Role
from texelweb.sets import questions
from texelweb.sets.models import OpenQuestion, Settled, SourceFile, TextureSet

router = Router(tags=["questions"])
ANSWERS = {200: Questions, 403: ErrorBody, 404: ErrorBody, 409: ErrorBody}
PAGE = 100
MOST_SETTLED = 20


@router.get("/projects/{slug}/questions", response={200: Questions, 404: ErrorBody}, operation_id="list_questions")
def list_questions(request: HttpRequest, slug: str) -> Questions:
    """The open questions of a project, worst first."""
    return _view(enter(request, slug))


@router.post("/questions/{question_id}/answer", response=ANSWERS, operation_id="answer_question")
def answer_question(request: HttpRequest, question_id: int, body: AnswerGiven) -> Questions:
    """Settle one question. Teaching a habit changes the house rules, which takes a lead."""
    row = OpenQuestion.objects.filter(pk=question_id).select_related("project").first()
    if row is None:
        raise not_found("The question")
    access = enter(request, row.project, Role.LEAD if body.teach else Role.ARTIST)
    questions.settle(access.project, [row], body.answer, access.user, body.teach)
    return _view(access)


@router.post("/projects/{slug}/questions/prepared", response=ANSWERS, operation_id="take_prepared")
def take_prepared(request: HttpRequest, slug: str, body: AnswersTaken) -> Questions:
    """Take the prepared answers of some questions, or of all, as one act."""
    access = enter(request, slug, Role.ARTIST)
    rows = OpenQuestion.objects.filter(project=access.project).order_by("rank", "pk")
    if body.questions is not None:
        rows = rows.filter(pk__in=body.questions)
    questions.settle(access.project, list(rows), None, access.user, teach=False)
    return _view(access)


@router.post("/projects/{slug}/settled/{act}/undo", response=ANSWERS, operation_id="undo_answer")
def undo_answer(request: HttpRequest, slug: str, act: uuid.UUID) -> Questions:
    """Take back an answer, or all that were given with it."""
    access = enter(request, slug, Role.ARTIST)
    questions.undo(access.project, act, access.user)
    return _view(access)


def _view(access: Access) -> Questions:
    found = OpenQuestion.objects.filter(project=access.project)
    rows = list(found.order_by("rank", "pk")[:PAGE])
    asked = [(row, row.question) for row in rows]
    wanted = {file for _, question in asked for file in question.files}
    files = {str(file.pk): file for file in SourceFile.objects.filter(project=access.project, pk__in=wanted)}
    names = dict(TextureSet.objects.filter(project=access.project).values_list("pk", "name"))
    return Questions(
        total=found.count(),
        open=[
            QuestionView(
                id=row.pk,
                question=question,
                set_name=names.get(row.set_id) if row.set_id else None,
                files=[_file(files[key]) for key in question.files if key in files],
            )
            for row, question in asked
        ],
        settled=_settled(access),
    )


def _file(file: SourceFile) -> QuestionFile:
    facts = file.facts
    return QuestionFile(
        id=file.pk, name=facts.name, path=file.path, width=facts.width, height=facts.height, channels=list(facts.channels)
    )


def _settled(access: Access) -> list[SettledView]:
    acts: dict[uuid.UUID, SettledView] = {}
    newest = Settled.objects.filter(project=access.project).select_related("by").order_by("-pk")
    for row in newest[:2000]:
        if row.act in acts:
            acts[row.act].count += 1
        elif len(acts) < MOST_SETTLED:
            by = row.by.get_username() if row.by else ""
            acts[row.act] = SettledView(act=row.act, text=row.text, answer=row.answer, count=1, by=by, at=row.at)
    return list(acts.values())
