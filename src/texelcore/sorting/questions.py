"""What a person has to settle: questions with their answers, as documents, and what an answer does to a ledger."""

from __future__ import annotations

import hashlib
from collections import defaultdict
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

from texelcore.naming.habits import Habit
from texelcore.naming.lexicon import Reading, read_name
from texelcore.sorting.sort import OpenFile
from texelcore.surface.ledger import Document, FileFacts, Ledger, LeftOut, Row, row_problem

Kind = Literal["disagrees", "unnamed", "both directions", "rivals", "resolutions", "double", "near double", "shared", "same name"]
ActionKind = Literal["assign", "leave out", "set aside", "join", "rename", "keep"]
_WORST_FIRST: dict[Kind, int] = {
    "disagrees": 0,
    "unnamed": 1,
    "same name": 2,
    "shared": 3,
    "rivals": 4,
    "both directions": 5,
    "resolutions": 6,
    "double": 7,
    "near double": 8,
}


class Action(Document):
    """One step of an answer. "assign" puts `row` into set `set`; "leave out" takes a file's rows away and notes `why`; "set
    aside" takes a file out of sorting; "join" puts an open file into a set; "rename" names a set; "keep" marks a row as
    looked at by a person."""

    kind: ActionKind
    set: str | None = None
    file: str | None = None
    row: Row | None = None
    property: str | None = None
    name: str | None = None
    why: str = ""


class Answer(Document):
    """One way to settle a question: a label for its button, what it does, and the habit it would teach, if any."""

    key: str
    label: str
    actions: tuple[Action, ...] = ()
    habit: Habit | None = None


class Question(Document):
    """Something open. `set` is the id of the set that it is about, if one; `files` are file ids, the telling one first;
    `prepared` is the key of the sensible answer; `about` is the row that it is about, if one."""

    key: str
    kind: Kind
    set: str | None
    about: str | None = None
    files: tuple[str, ...]
    text: str
    why: str
    answers: tuple[Answer, ...]
    prepared: str

    @property
    def rank(self) -> int:
        """Worst first: 0 for names and pixels that disagree."""
        return _WORST_FIRST[self.kind]

    def answer(self, key: str) -> Answer:
        """The answer with this key. Raises KeyError when there is none."""
        return next((answer for answer in self.answers if answer.key == key), None) or _no_answer(key)


def _no_answer(key: str) -> Answer:
    raise KeyError(key)


@dataclass(frozen=True)
class Scene:
    """All that questions are asked about: ledgers by set id, facts by file id, open files, and the habits of the house."""

    ledgers: Mapping[str, Ledger]
    files: Mapping[str, FileFacts]
    open: tuple[OpenFile, ...] = ()
    habits: tuple[Habit, ...] = ()

    def reading(self, file: str) -> Reading | None:
        """What a file's name says, habits included."""
        return read_name(self.files[file].path, self.habits)


def with_action(ledger: Ledger, action: Action, files: Mapping[str, FileFacts]) -> Ledger:
    """A ledger after one action of an answer. Raises ValueError when its row does not fit the files any more."""
    if action.kind == "assign" and action.row:
        problem = row_problem(action.row, files)
        if problem:
            raise ValueError(problem)
        return ledger.with_row(action.row)
    if action.kind == "keep" and action.property and (row := ledger.row(action.property)):
        return ledger.with_row(row.model_copy(update={"sure": "by hand", "why": action.why or row.why}))
    if action.kind in ("leave out", "set aside") and action.file:
        rows = tuple(row for row in ledger.rows if row.file != action.file)
        left = tuple(entry for entry in ledger.left_out if entry.file != action.file)
        kept = (LeftOut(file=action.file, why=action.why),) if action.kind == "leave out" else ()
        return ledger.model_copy(update={"rows": rows, "left_out": (*left, *kept)})
    if action.kind == "rename" and action.name:
        return ledger.model_copy(update={"name": action.name})
    return ledger


def actions_by_set(answer: Answer) -> dict[str | None, list[Action]]:
    """An answer's actions by the set that they change; None for those that change a file alone."""
    grouped: dict[str | None, list[Action]] = defaultdict(list)
    for action in answer.actions:
        grouped[action.set].append(action)
    return dict(grouped)


def question(
    kind: Kind,
    home: str | None,
    files: tuple[str, ...],
    text: str,
    why: str,
    answers: tuple[Answer, ...],
    *,
    about: str | None = None,
    prepared: str | None = None,
) -> Question:
    """A question named by what it is about; without `prepared` its first answer is the sensible one."""
    name = "\n".join([kind, about or "", *files])
    return Question(
        key=hashlib.sha256(name.encode()).hexdigest()[:16],
        kind=kind,
        set=home,
        about=about,
        files=files,
        text=text,
        why=why,
        answers=answers,
        prepared=prepared or answers[0].key,
    )
