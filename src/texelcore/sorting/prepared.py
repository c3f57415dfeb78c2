"""Sorting without anybody to ask: every prepared answer is taken, and what that opens is asked anew, until nothing is open."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass, replace

from texelcore.naming.habits import Habit
from texelcore.sorting.ask import ask
from texelcore.sorting.decide import ledger_alone
from texelcore.sorting.questions import Action, Question, Scene, moved_by, with_action
from texelcore.sorting.sort import OpenFile
from texelcore.surface.ledger import Ledger
from texelcore.surface.sources import Source

# Answers lead to questions, and those to others: what is still asked after so many rounds is left to a person.
MOST_ROUNDS = 12


@dataclass(frozen=True)
class Taken:
    """One prepared answer that was taken: the question's kind and text, the answer's label, and the files that it was about."""

    kind: str
    question: str
    answer: str
    files: tuple[Source, ...]


@dataclass(frozen=True)
class Prepared:
    """What comes of taking every prepared answer: the ledgers, the files that are of no set still, those that were set aside with
    the reason, what was taught, the answers in their order, and the questions that are left to a person."""

    ledgers: tuple[Ledger, ...]
    open: tuple[OpenFile, ...]
    aside: Mapping[Source, str]
    habits: tuple[Habit, ...]
    taken: tuple[Taken, ...]
    left: tuple[Question, ...]


def take_prepared(sort: Callable[[tuple[Habit, ...]], Scene]) -> Prepared:
    """Take every prepared answer. `sort` sorts files, with some habits beside those of the house, into a scene.

    An answer about an ending is taught and everything sorted by it, since one ending shows what another is; all else is done to
    the sets and the files that it is about.
    """
    taught: dict[str, Habit] = {}
    taken: list[Taken] = []
    scene = sort(())
    for _ in range(MOST_ROUNDS):
        fresh = [question for question in ask(scene) if (habit := _taught_by(question)) and habit.words not in taught]
        if not fresh:
            break
        for question in fresh:
            if habit := _taught_by(question):
                taught[habit.words] = habit
                taken.append(_told(question, {*question.files}))
        scene = sort(tuple(taught.values()))
    return _settled(scene, tuple(taught.values()), taken)


def _settled(scene: Scene, habits: tuple[Habit, ...], taken: list[Taken]) -> Prepared:
    aside: dict[Source, str] = {}
    done: set[str] = set()
    left: list[Question] = []
    for _ in range(MOST_ROUNDS):
        fresh = [(question, open_) for question in ask(_without(scene, aside)) if (open_ := _open_of(question, done))]
        if not fresh:
            break
        moved: set[Source] = set()
        for question, keys in fresh:
            members = keys if question.members else None
            steps = question.answer(question.prepared).steps(question, members)
            if moved & moved_by(steps):
                # What was asked before the file had a place is asked anew now that it has.
                continue
            done |= keys
            moved |= moved_by(steps)
            try:
                scene = _carried_out(scene, steps, aside)
            except ValueError:
                left.append(question)
                continue
            about = {file for member in question.members if member.key in keys for file in member.files}
            taken.append(_told(question, about or {*question.files}))
    else:
        left += [question for question in ask(_without(scene, aside)) if _open_of(question, done)]
    # What has given all its files away is no set any more.
    ledgers = tuple(ledger for ledger in scene.ledgers.values() if ledger.files())
    return Prepared(ledgers, scene.open, aside, habits, tuple(taken), tuple(left))


def _taught_by(question: Question) -> Habit | None:
    """The habit that the prepared answer about an ending teaches, where it says what the ending holds."""
    answer = question.answer(question.prepared)
    return answer.habit if question.kind == "ending" and answer.each == "sort" else None


def _told(question: Question, files: Collection[Source]) -> Taken:
    return Taken(question.kind, question.text, question.answer(question.prepared).label, tuple(sorted(files)))


def _open_of(question: Question, done: Collection[str]) -> set[str]:
    """The keys of a question's members, or its own, that were not answered yet."""
    return {member.key for member in question.members or (question,)} - set(done)


def _without(scene: Scene, aside: Collection[Source]) -> Scene:
    return replace(scene, files={key: facts for key, facts in scene.files.items() if key not in aside})


def _carried_out(scene: Scene, steps: Sequence[Action], aside: dict[Source, str]) -> Scene:
    """A scene after an answer's steps. Raises ValueError, and changes nothing, when one does not fit any more."""
    ledgers, gone = dict(scene.ledgers), dict[Source, str]()
    moved: set[Source] = set()
    for step in steps:
        found = step.kind in ("found", "found masks")
        if step.set in ledgers:
            edit = step.model_copy(update={"kind": "set aside"}) if found else step
            ledgers[step.set] = with_action(ledgers[step.set], edit, scene.files)
        if found and step.file:
            ledgers[f"alone {step.file}"] = ledger_alone(scene.files[step.file], step.kind == "found")
        elif step.kind == "set aside" and step.file:
            gone[step.file] = step.why
        moved |= {file for file in (step.file, step.row.file if step.row else None) if file}
    aside |= gone
    return replace(scene, ledgers=ledgers, open=tuple(open_file for open_file in scene.open if open_file.file not in moved))
