"""Open questions: listed, answered whole or in part, taught, undone; and the table of endings that most of them come from."""

from __future__ import annotations

import uuid
from collections import Counter
from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from datetime import datetime
from typing import Literal
from uuid import UUID

from django.http import HttpRequest
from ninja import Field, Router, Schema

from texelcore.checks.figures import look_words
from texelcore.sorting.layouts import can_by_channel
from texelcore.sorting.orders import sure_order
from texelcore.sorting.questions import Member, Question
from texelweb.accounts.access import Access, enter
from texelweb.api.schemas import ErrorBody
from texelweb.projects.models import Project, Role
from texelweb.sets.answering import questions
from texelweb.sets.answering.answers import Given, needs_a_lead, settle, undo
from texelweb.sets.answering.endings import Table, endings_of
from texelweb.sets.models import OpenQuestion, Settled, SourceFile, TextureSet

router = Router(tags=["questions"])
PAGE = 100
MOST_MEMBERS = 60
MOST_SETTLED = 20


class QuestionFile(Schema):
    """A file that a question is about."""

    id: int
    name: str
    path: str
    width: int
    height: int
    channels: list[str]


class Placed(Schema):
    """A folder that members of a question lie in, and how many."""

    place: str
    count: int


class MemberView(Schema):
    """A member of a question as its gallery shows it: its key, its files, and the set that it is about."""

    key: str
    files: list[QuestionFile]
    set_name: str | None
    place: str
    unlike: bool


class ChannelLook(Schema):
    """A channel of a question's first file: what it looks like, and what it most likely holds; "" where it does not say."""

    channel: str
    looks: str
    guess: str


class QuestionView(Schema):
    """An open question: the core's document without its members, of which the first are shown; `total` counts all, `places` the
    folders that they lie in. Questions are listed by `rank`, then those with most members first, then by key. Where it may be
    answered by channel, `channels` are those of its first file."""

    question: Question
    rank: int
    set_name: str | None
    files: list[QuestionFile]
    members: list[MemberView]
    total: int
    places: list[Placed]
    channels: list[ChannelLook]


class SettledView(Schema):
    """An act that settled questions, and may be undone as one."""

    act: UUID
    text: str
    answer: str
    count: int
    by: str
    at: datetime


class Questions(Schema):
    """A project's open questions, worst first, and what was settled last. `total` counts those beyond the page too; `stamp`
    stands for all of them as they are."""

    stamp: str
    total: int
    open: list[QuestionView]
    settled: list[SettledView]


class QuestionsChanged(Schema):
    """What an act changed: keys of questions that are `gone`, and those that are `open` anew or otherwise than before. It goes
    from the questions with the stamp `before` to those with the stamp `after`; whoever has others has to ask for all."""

    before: str
    after: str
    total: int
    gone: list[str]
    open: list[QuestionView]
    settled: list[SettledView]


class AnswerGiven(Schema):
    """An answer by its key; null takes the prepared one. `channels` answers by channel instead: what each holds, "" for nothing.
    `members` and `places` (folders) give it to some members only. `teach` makes it a habit of the house."""

    answer: str | None = None
    members: list[str] | None = Field(default=None, max_length=20000)
    places: list[str] | None = Field(default=None, max_length=5000)
    teach: bool = False
    channels: dict[Literal["R", "G", "B", "A"], str] | None = None


class AnswersTaken(Schema):
    """The questions whose prepared answers are taken; null takes all that are open. `teach` keeps the habits of answers."""

    questions: list[str] | None = Field(default=None, max_length=5000)
    teach: bool = False


class EndingView(Schema):
    """A class of files with one ending: as written, how many files over how many stems, what they look like, what was decided or
    would be most likely, samples and outliers."""

    ending: str
    written: str
    files: int
    stems: int
    looks: dict[str, int]
    meanings: list[str]
    asked: bool
    question: str | None
    guess: str | None
    why: str
    habit: bool
    samples: list[QuestionFile]
    outliers: list[QuestionFile]


class Endings(Schema):
    """The table of a project's endings, those that are asked first; and how many pictures stand alone."""

    endings: list[EndingView]
    alone: int
    files: int


ANSWERS = {200: QuestionsChanged, 403: ErrorBody, 404: ErrorBody, 409: ErrorBody}


@router.get("/projects/{slug}/questions", response={200: Questions, 404: ErrorBody}, operation_id="list_questions")
def list_questions(request: HttpRequest, slug: str) -> Questions:
    """The open questions of a project, those that settle most first."""
    access = enter(request, slug)
    # The stamp is taken first: what changes meanwhile is then seen as unknown, and asked for again.
    stamp = questions.stamp_of(sorted(questions.standing(access.project).values()))
    asked = questions.shown(access.project)
    return Questions.model_construct(
        stamp=stamp, total=len(asked), open=_views(access.project, asked[:PAGE]), settled=_settled(access)
    )


@router.post("/projects/{slug}/questions/{key}/answer", response=ANSWERS, operation_id="answer_question")
def answer_question(request: HttpRequest, slug: str, key: str, body: AnswerGiven) -> QuestionsChanged:
    """Settle one question, or some of its members. Teaching a habit changes the house rules, which takes a lead."""
    access = enter(request, slug, Role.LEAD if body.teach else Role.ARTIST)
    given = Given(key, body.answer, body.members, body.places, body.teach, body.channels)
    return _changed(access, lambda: settle(access.project, [given], access.user))


@router.post("/projects/{slug}/questions/prepared", response=ANSWERS, operation_id="take_prepared")
def take_prepared(request: HttpRequest, slug: str, body: AnswersTaken) -> QuestionsChanged:
    """Take the prepared answers of some questions, or of all, as one act."""
    access = enter(request, slug, Role.LEAD if body.teach else Role.ARTIST)
    wanted = None if body.questions is None else set(body.questions)
    keys = [key for key in questions.standing(access.project) if wanted is None or key in wanted]
    return _changed(access, lambda: settle(access.project, [Given(key, teach=body.teach) for key in keys], access.user))


@router.post("/projects/{slug}/settled/{act}/undo", response=ANSWERS, operation_id="undo_answer")
def undo_answer(request: HttpRequest, slug: str, act: uuid.UUID) -> QuestionsChanged:
    """Take back an answer, or all that were given with it. One that taught a habit takes a lead, as it did to give it."""
    access = enter(request, slug, needs_a_lead([str(act)]).get(str(act), Role.ARTIST))
    return _changed(access, lambda: undo(access.project, act, access.user))


@router.get("/projects/{slug}/endings", response={200: Endings, 404: ErrorBody}, operation_id="list_endings")
def list_endings(request: HttpRequest, slug: str) -> Endings:
    """The table of endings: what every class of files was taken for, and why."""
    project = enter(request, slug).project
    table = endings_of(project)
    asked = dict(OpenQuestion.objects.filter(project=project, kind="ending").values_list("question_json__about", "group"))
    shown = {file for line in table.lines for file in (*line.samples, *line.outliers)}
    return Endings(endings=_lines(table, _files(project, shown), asked), alone=table.alone, files=table.files)


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


def _changed(access: Access, act: Callable[[], object]) -> QuestionsChanged:
    """Carry out an act, and tell what it changed about the open questions: a person who answers many waits for nothing else."""
    before = questions.standing(access.project)
    act()
    after = questions.standing(access.project)
    other = [key for key, stamp in after.items() if before.get(key) != stamp]
    return QuestionsChanged.model_construct(
        before=questions.stamp_of(sorted(before.values())),
        after=questions.stamp_of(sorted(after.values())),
        total=len(after),
        gone=[key for key in before if key not in after],
        open=_views(access.project, questions.shown(access.project, other)) if other else [],
        settled=_settled(access),
    )


def _views(project: Project, asked: Sequence[Question]) -> list[QuestionView]:
    # Not checked here: a page of questions holds thousands of members, and all are checked once as they go out.
    named = {file for entry in asked for file in (*entry.files[:MOST_MEMBERS], *_first_files(entry.members))}
    files = _files(project, named)
    homes = {key for entry in asked for key in (entry.set, *(member.set for member in entry.members[:MOST_MEMBERS])) if key}
    names = {str(key): name for key, name in TextureSet.objects.filter(pk__in=homes).values_list("pk", "name")}
    packed = _packed(project, asked)
    return [_question(entry, files, names, packed) for entry in asked]


def _packed(project: Project, asked: Sequence[Question]) -> dict[str, list[ChannelLook]]:
    """What the channels of the first files look like, for questions that may be answered by channel, by the file."""
    first = [entry.files[0] for entry in asked if can_by_channel(entry)]
    rows = SourceFile.objects.filter(project=project, pk__in=first)
    told = {}
    for file in rows:
        seen = file.facts.evidence.channels if file.facts.evidence else {}
        letters = [name for name in file.facts.channels if name in "RGBA"]
        order = dict(zip(letters, sure_order(file.facts), strict=False))
        told[str(file.pk)] = [
            ChannelLook(channel=name, looks=look_words(seen[name]) if name in seen else "", guess=order.get(name, ""))
            for name in letters
        ]
    return told


def _first_files(members: Iterable[Member]) -> list[str]:
    return [file for member in list(members)[:MOST_MEMBERS] for file in member.files]


def _question(
    question: Question,
    files: dict[str, QuestionFile],
    names: dict[str, str],
    packed: Mapping[str, list[ChannelLook]],
) -> QuestionView:
    places = Counter(member.place for member in question.members)
    lean = question.model_copy(
        update={
            "members": (),
            "files": question.files[:MOST_MEMBERS],
            # What an answer does is the server's to know; the page shows what it is called.
            "answers": tuple(answer.model_copy(update={"actions": answer.actions[:4]}) for answer in question.answers),
        }
    )
    return QuestionView.model_construct(
        question=lean,
        rank=question.rank,
        set_name=names.get(question.set) if question.set else None,
        files=[files[key] for key in question.files[:MOST_MEMBERS] if key in files],
        members=[
            MemberView.model_construct(
                key=member.key,
                files=[files[key] for key in member.files if key in files],
                set_name=names.get(member.set) if member.set else None,
                place=member.place,
                unlike=member.unlike,
            )
            for member in question.members[:MOST_MEMBERS]
        ],
        total=len(question.members) or 1,
        places=[Placed.model_construct(place=place, count=count) for place, count in sorted(places.items())],
        channels=packed.get(question.files[0], []) if can_by_channel(question) else [],
    )


def _files(project: Project, ids: Collection[str]) -> dict[str, QuestionFile]:
    """What is said of some files, by their ids. Of their facts only what is shown is fetched: there may be a thousand."""
    shown = ("pk", "path", "facts_json__width", "facts_json__height", "facts_json__channels")
    rows = SourceFile.objects.filter(project=project, pk__in=ids).values_list(*shown)
    return {
        str(key): QuestionFile.model_construct(
            id=key, name=path.rpartition("/")[2], path=path, width=width, height=height, channels=channels
        )
        for key, path, width, height, channels in rows
    }


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
