"""Open questions: listed, answered whole or in part, taught, undone; and the table of endings that most of them come from."""

from __future__ import annotations

import uuid
from collections import Counter
from collections.abc import Iterable

from django.http import HttpRequest
from ninja import Router

from texelcore.sorting.questions import Member, Question
from texelweb.accounts.access import Access, enter
from texelweb.api.schemas import ErrorBody
from texelweb.api.schemas_arrivals import (
    AnswerGiven,
    AnswersTaken,
    Endings,
    EndingView,
    MemberView,
    Placed,
    QuestionFile,
    Questions,
    QuestionView,
    SettledView,
)
from texelweb.projects.models import Role
from texelweb.sets import questions
from texelweb.sets.answers import Given, settle, undo
from texelweb.sets.endings import Table, endings_of
from texelweb.sets.models import Settled, SourceFile, TextureSet

router = Router(tags=["questions"])
ANSWERS = {200: Questions, 403: ErrorBody, 404: ErrorBody, 409: ErrorBody}
PAGE = 100
MOST_MEMBERS = 60
MOST_SETTLED = 20


@router.get("/projects/{slug}/questions", response={200: Questions, 404: ErrorBody}, operation_id="list_questions")
def list_questions(request: HttpRequest, slug: str) -> Questions:
    """The open questions of a project, those that settle most first."""
    return _view(enter(request, slug))


@router.post("/projects/{slug}/questions/{key}/answer", response=ANSWERS, operation_id="answer_question")
def answer_question(request: HttpRequest, slug: str, key: str, body: AnswerGiven) -> Questions:
    """Settle one question, or some of its members. Teaching a habit changes the house rules, which takes a lead."""
    access = enter(request, slug, Role.LEAD if body.teach else Role.ARTIST)
    given = Given(key, body.answer, body.members, body.places, body.teach)
    settle(access.project, [given], access.user)
    return _view(access)


@router.post("/projects/{slug}/questions/prepared", response=ANSWERS, operation_id="take_prepared")
def take_prepared(request: HttpRequest, slug: str, body: AnswersTaken) -> Questions:
    """Take the prepared answers of some questions, or of all, as one act."""
    access = enter(request, slug, Role.LEAD if body.teach else Role.ARTIST)
    wanted = None if body.questions is None else set(body.questions)
    keys = [entry.key for entry in questions.shown(access.project) if wanted is None or entry.key in wanted]
    settle(access.project, [Given(key, teach=body.teach) for key in keys], access.user)
    return _view(access)


@router.post("/projects/{slug}/settled/{act}/undo", response=ANSWERS, operation_id="undo_answer")
def undo_answer(request: HttpRequest, slug: str, act: uuid.UUID) -> Questions:
    """Take back an answer, or all that were given with it."""
    access = enter(request, slug, Role.ARTIST)
    undo(access.project, act, access.user)
    return _view(access)


@router.get("/projects/{slug}/endings", response={200: Endings, 404: ErrorBody}, operation_id="list_endings")
def list_endings(request: HttpRequest, slug: str) -> Endings:
    """The table of endings: what every class of files was taken for, and why."""
    project = enter(request, slug).project
    table = endings_of(project)
    asked = {entry.about: entry.key for entry in questions.shown(project) if entry.kind == "ending"}
    shown = {file for line in table.lines for file in (*line.samples, *line.outliers)}
    files = {str(file.pk): _file(file) for file in SourceFile.objects.filter(project=project, pk__in=shown)}
    return Endings(endings=_lines(table, files, asked), alone=table.alone, files=table.files)


def _lines(table: Table, files: dict[str, QuestionFile], asked: dict[str | None, str]) -> list[EndingView]:
    return [
        EndingView(
            ending=line.ending,
            written=line.written,
            files=line.files,
            stems=line.stems,
            looks=line.looks,
            meanings=list(line.meanings),
            asked=line.asked,
            question=asked.get(line.ending) if line.asked else None,
            guess=line.guess,
            why=line.why,
            habit=line.habit,
            samples=[files[file] for file in line.samples if file in files],
            outliers=[files[file] for file in line.outliers if file in files],
        )
        for line in table.lines
    ]


def _view(access: Access) -> Questions:
    # Not checked here: a page of questions holds thousands of members, and all are checked once as they go out.
    asked = questions.shown(access.project)
    page = asked[:PAGE]
    named = {file for entry in page for file in (*entry.files[:MOST_MEMBERS], *_first_files(entry.members))}
    files = {str(file.pk): _file(file) for file in SourceFile.objects.filter(project=access.project, pk__in=named)}
    names = {str(key): name for key, name in TextureSet.objects.filter(project=access.project).values_list("pk", "name")}
    return Questions.model_construct(
        total=len(asked),
        open=[_question(entry, files, names) for entry in page],
        settled=_settled(access),
    )


def _first_files(members: Iterable[Member]) -> list[str]:
    return [file for member in list(members)[:MOST_MEMBERS] for file in member.files]


def _question(entry: Question, files: dict[str, QuestionFile], names: dict[str, str]) -> QuestionView:
    places = Counter(member.place for member in entry.members)
    lean = entry.model_copy(
        update={
            "members": (),
            "files": entry.files[:MOST_MEMBERS],
            # What an answer does is the server's to know; the page shows what it is called.
            "answers": tuple(answer.model_copy(update={"actions": answer.actions[:4]}) for answer in entry.answers),
        }
    )
    return QuestionView.model_construct(
        question=lean,
        set_name=names.get(entry.set) if entry.set else None,
        files=[files[key] for key in entry.files[:MOST_MEMBERS] if key in files],
        members=[
            MemberView.model_construct(
                key=member.key,
                files=[files[key] for key in member.files if key in files],
                set_name=names.get(member.set) if member.set else None,
                place=member.place,
                unlike=member.unlike,
            )
            for member in entry.members[:MOST_MEMBERS]
        ],
        total=len(entry.members) or 1,
        places=[Placed.model_construct(place=place, count=count) for place, count in sorted(places.items())],
    )


def _file(file: SourceFile) -> QuestionFile:
    facts = file.facts_json
    name = file.path.rpartition("/")[2]
    return QuestionFile.model_construct(
        id=file.pk, name=name, path=file.path, width=facts["width"], height=facts["height"], channels=list(facts["channels"])
    )


def _settled(access: Access) -> list[SettledView]:
    acts: dict[uuid.UUID, SettledView] = {}
    newest = Settled.objects.filter(project=access.project).defer("undo_json").select_related("by").order_by("-pk")
    for row in newest[:2000]:
        if row.act in acts:
            acts[row.act].count += len(row.members_json)
        elif len(acts) < MOST_SETTLED:
            by = row.by.get_username() if row.by else ""
            acts[row.act] = SettledView(
                act=row.act, text=row.text, answer=row.answer, count=len(row.members_json), by=by, at=row.at
            )
    return list(acts.values())
