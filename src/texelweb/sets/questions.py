"""Open questions of a project: kept with it, answered one or many at a time, undone, and taught as habits."""

from __future__ import annotations

import uuid
from typing import Any

from django.db import transaction

from texelcore.naming.habits import Habit
from texelcore.naming.rules import HouseRules
from texelcore.pixels.errors import TexelError
from texelcore.sorting.ask import SET_KINDS, ask, ask_about_set
from texelcore.sorting.decide import likely_property
from texelcore.sorting.questions import Action, Answer, Question, Scene, actions_by_set, with_action
from texelcore.sorting.sort import OpenFile
from texelcore.surface.ledger import Ledger
from texelweb.projects.models import Project, RulesVersion
from texelweb.sets import ledgers
from texelweb.sets.models import OpenQuestion, Settled, SourceFile, TextureSet


def scene_of(project: Project) -> Scene:
    """All sets and files of a project as the core asks about them; files that were set aside take no part."""
    files = {str(file.pk): file for file in SourceFile.objects.filter(project=project)}
    sets = {str(entry.pk): entry.ledger for entry in TextureSet.objects.filter(project=project)}
    named = {file for ledger in sets.values() for file in ledger.files()}
    facts = {key: file.facts for key, file in files.items() if key in named or not file.set_aside}
    still_open = tuple(
        OpenFile(key, file.why_open or "It belongs to no set.", likely_property(facts[key]))
        for key, file in files.items()
        if file.set_id is None and not file.set_aside
    )
    return Scene(sets, facts, still_open, project.rules.habits)


def refresh(project: Project) -> None:
    """Ask anew: questions that are gone go, new ones come, and those that somebody settled stay settled."""
    settled = set(Settled.objects.filter(project=project).values_list("key", flat=True))
    asked = {entry.key: entry for entry in ask(scene_of(project)) if entry.key not in settled}
    kept = {row.key: row for row in OpenQuestion.objects.filter(project=project)}
    OpenQuestion.objects.filter(project=project).exclude(key__in=asked).delete()
    rows = {key: _row(project, entry) for key, entry in asked.items()}
    OpenQuestion.objects.bulk_create([row for key, row in rows.items() if key not in kept])
    changed = []
    for key, row in rows.items():
        if key in kept and kept[key].question_json != row.question_json:
            row.pk = kept[key].pk
            changed.append(row)
    OpenQuestion.objects.bulk_update(changed, ["question_json", "set", "rank", "kind"])


def refresh_set(texture_set: TextureSet) -> None:
    """Ask anew about one set, after its ledger was changed by hand; files that it took in are not asked about any more."""
    ledger = texture_set.ledger
    project = texture_set.project
    files = {str(file.pk): file.facts for file in SourceFile.objects.filter(pk__in=ledger.files())}
    key = str(texture_set.pk)
    scene = Scene({key: ledger}, files, habits=project.rules.habits)
    settled = set(Settled.objects.filter(project=project).values_list("key", flat=True))
    asked = {entry.key: entry for entry in ask_about_set(scene, key) if entry.key not in settled}
    mine = OpenQuestion.objects.filter(project=project, set=texture_set, kind__in=SET_KINDS)
    mine.delete()
    OpenQuestion.objects.bulk_create([_row(project, entry) for entry in asked.values()])
    for row in OpenQuestion.objects.filter(project=project, kind="unnamed"):
        if row.question.files[0] in files:
            row.delete()


def _row(project: Project, question: Question) -> OpenQuestion:
    return OpenQuestion(
        project=project,
        key=question.key,
        kind=question.kind,
        rank=question.rank,
        set_id=int(question.set) if question.set else None,
        question_json=question.model_dump(mode="json"),
    )


def settle(project: Project, rows: list[OpenQuestion], answer_key: str | None, user: Any, teach: bool) -> uuid.UUID:
    """Answer questions, each with `answer_key` or with its prepared answer, as one act that is undone as one.

    With `teach`, what the answer would teach becomes a habit of the house, and every other open question that it answers
    is answered too. Raises TexelError for an answer that a question does not have, or that does not fit any more.
    """
    act = uuid.uuid4()
    with transaction.atomic():
        Project.objects.select_for_update().get(pk=project.pk)
        taught: list[Habit] = []
        for row in rows:
            question = row.question
            answer = _answer(question, answer_key or question.prepared)
            if teach and answer.habit and answer.habit not in taught:
                taught.append(answer.habit)
            _carry_out(project, row, answer, user, act)
        if taught:
            teach_habits(project, taught, user)
            done = {row.pk for row in rows}
            for row in OpenQuestion.objects.filter(project=project).exclude(pk__in=done):
                fitting = next((entry for entry in row.question.answers if entry.habit in taught), None)
                if fitting:
                    _carry_out(project, row, fitting, user, act)
            body = [habit.model_dump(mode="json") for habit in taught]
            for settled in Settled.objects.filter(act=act):
                settled.undo_json = settled.undo_json | {"taught": body}
                settled.save(update_fields=["undo_json"])
        refresh(project)
    return act


def undo(project: Project, act: uuid.UUID, user: Any) -> None:
    """Take back an act: ledgers, files and taught habits go back to where they were, and the questions are open again.

    Raises TexelError when there is no such act, or when a set has been changed since.
    """
    with transaction.atomic():
        Project.objects.select_for_update().get(pk=project.pk)
        settled = list(Settled.objects.filter(project=project, act=act).order_by("-pk"))
        if not settled:
            raise TexelError("The answer", "is not here any more.", "Reload the page.")
        for row in settled:
            for set_id, _, after in reversed(row.undo_json["sets"]):
                texture_set = TextureSet.objects.filter(pk=set_id, project=project).first()
                if texture_set is None or texture_set.revision != after:
                    name = texture_set.name if texture_set else "The set"
                    raise TexelError(name, "has been changed since.", "Undo that first, on the set's page.")
                ledgers.step(texture_set, -1)
            for file_id, set_id, aside, why in row.undo_json["files"]:
                home = set_id if set_id and TextureSet.objects.filter(pk=set_id).exists() else None
                SourceFile.objects.filter(pk=file_id, project=project).update(set=home, set_aside=aside, why_open=why)
        forget = [Habit.model_validate(body) for body in settled[0].undo_json.get("taught", [])]
        if forget:
            rules = project.rules
            left = tuple(habit for habit in rules.habits if habit not in forget)
            save_rules(project, rules.model_copy(update={"habits": left}), "Habits forgotten with an answer", user)
        Settled.objects.filter(project=project, act=act).delete()
        refresh(project)


def teach_habits(project: Project, habits: list[Habit], user: Any) -> None:
    """Add habits to the house rules as a new version; an older habit about the same words gives way."""
    rules = project.rules
    words = {habit.words for habit in habits}
    kept = tuple(habit for habit in rules.habits if habit.words not in words)
    said = ", ".join(f"“{habit.words}”" for habit in habits)
    save_rules(project, rules.model_copy(update={"habits": (*kept, *habits)}), f"Taught: {said}", user)


def save_rules(project: Project, rules: HouseRules, what: str, user: Any) -> RulesVersion:
    """Keep house rules as the project's newest version."""
    newest = project.rules_versions.order_by("-number").values_list("number", flat=True).first() or 0
    return RulesVersion.objects.create(
        project=project, number=newest + 1, rules_json=rules.model_dump(mode="json"), what=what[:300], by=user
    )


def _carry_out(project: Project, row: OpenQuestion, answer: Answer, user: Any, act: uuid.UUID) -> None:
    question = row.question
    touched = {action.file or (action.row.file if action.row else None) for action in answer.actions}
    files = SourceFile.objects.filter(project=project, pk__in=[key for key in touched if key])
    before = [[file.pk, file.set_id, file.set_aside, file.why_open] for file in files]
    changed = []
    for key, actions in actions_by_set(answer).items():
        if key is not None:
            texture_set = TextureSet.objects.get(pk=int(key), project=project)
            after = _change(texture_set, actions, f"{question.text} {answer.label}", user)
            if after.revision != texture_set.revision:
                changed.append([texture_set.pk, texture_set.revision, after.revision])
    for action in answer.actions:
        if action.kind == "set aside" and action.file:
            aside = SourceFile.objects.filter(project=project, pk=action.file)
            aside.update(set=None, set_aside=True, why_open=action.why)
    Settled.objects.create(
        project=project,
        key=row.key,
        text=question.text[:400],
        answer=answer.label[:200],
        act=act,
        undo_json={"sets": changed, "files": before},
        by=user,
    )


def _change(texture_set: TextureSet, actions: list[Action], what: str, user: Any) -> TextureSet:
    named = [action.row.file for action in actions if action.row] + [action.file for action in actions if action.file]
    files = {str(file.pk): file.facts for file in SourceFile.objects.filter(project=texture_set.project, pk__in=named)}

    def edit(ledger: Ledger) -> Ledger:
        for action in actions:
            ledger = with_action(ledger, action, files)
        return ledger

    try:
        return ledgers.change(texture_set, edit, what, user)
    except ValueError as error:
        raise TexelError(texture_set.name, str(error), "Reload the page: a file may have changed.") from error


def _answer(question: Question, key: str) -> Answer:
    try:
        return question.answer(key)
    except KeyError:
        raise TexelError(question.text, "has no such answer.", "Reload the page: it may have changed.") from None
