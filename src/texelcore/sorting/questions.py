"""What a person has to settle: questions with their answers, as documents, and what an answer does to a ledger."""

from __future__ import annotations

import hashlib
from collections import defaultdict
from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass, field
from typing import Literal

from texelcore.naming.habits import Habit
from texelcore.naming.house import Reader
from texelcore.naming.lexicon import Reading
from texelcore.sorting.sort import OpenFile
from texelcore.surface.documents import Document
from texelcore.surface.files import FileFacts
from texelcore.surface.ledger import Ledger, LeftOut, Row, row_problem
from texelcore.surface.sources import Source

QuestionKind = Literal[
    "ending",
    "disagrees",
    "direction",
    "unnamed",
    "alone",
    "same name",
    "shared",
    "rivals",
    "both directions",
    "resolutions",
    "double",
    "near double",
    "copy",
]
ActionKind = Literal["assign", "leave out", "set aside", "join", "rename", "keep", "sort", "found", "found masks"]
# What settles most comes first, then what is worst.
_RANKS: dict[QuestionKind, int] = {
    "ending": 0,
    "disagrees": 1,
    "direction": 2,
    "unnamed": 3,
    "alone": 4,
    "same name": 5,
    "shared": 6,
    "rivals": 7,
    "both directions": 8,
    "resolutions": 9,
    "double": 10,
    "copy": 11,
    "near double": 12,
}


class Action(Document):
    """One step of an answer. "assign" puts `row` into set `set`; "leave out" takes a file's rows away and notes `why`; "set
    aside" takes a file out of sorting; "join" puts an open file into a set; "rename" names a set; "keep" marks a row as
    looked at by a person; "sort" sorts an open file by the answer's habit; "found" makes `file` a set of its own called after its
    name, and "found masks" one that is no surface and holds its channels as masks. `member` is the part of a folded question
    that the step belongs to."""

    kind: ActionKind
    set: str | None = None
    file: Source | None = None
    row: Row | None = None
    property: str | None = None
    name: str | None = None
    why: str = ""
    member: str = ""


class Answer(Document):
    """One way to settle a question: a label for its button, what it does, and the habit that it would teach, if any. `each` is
    what is done to every member's file, where that is the same for all."""

    key: str
    label: str
    actions: tuple[Action, ...] = ()
    each: ActionKind | None = None
    habit: Habit | None = None

    def steps(self, question: Question, members: Collection[str] | None = None) -> tuple[Action, ...]:
        """What the answer does: for all of a question, or for the members with these keys alone."""
        if self.each is None:
            return tuple(action for action in self.actions if members is None or action.member in members)
        why = "Set aside by hand: it belongs to no set." if self.each == "set aside" else ""
        return tuple(
            Action(kind=self.each, file=file, why=why, member=member.key)
            for member in question.members
            if members is None or member.key in members
            for file in member.files
        )


class Member(Document):
    """One part of a folded question, which may be answered otherwise than the rest: a set or a file of it. `place` is the folder
    that it is listed under, and `unlike` says that it looks unlike the others."""

    key: str
    files: tuple[Source, ...]
    set: str | None = None
    place: str = ""
    unlike: bool = False


class Question(Document):
    """Something open. `set` is the id of the set that it is about, if one; `files` are file ids, the telling one first;
    `prepared` is the key of the sensible answer; `about` is the row or the ending that it is about, if one.

    Questions of one kind with the same `fold` are one question with `members`; `many` is its text then, with {n} for how many.
    """

    key: str
    kind: QuestionKind
    set: str | None
    about: str | None = None
    files: tuple[Source, ...]
    text: str
    why: str
    answers: tuple[Answer, ...]
    prepared: str
    fold: str = ""
    many: str = ""
    members: tuple[Member, ...] = ()

    @property
    def rank(self) -> int:
        """Where it stands among others: 0 for endings, which settle most."""
        return _RANKS[self.kind]

    def answer(self, key: str) -> Answer:
        """The answer with this key. Raises KeyError when there is none."""
        return next((answer for answer in self.answers if answer.key == key), None) or _no_answer(key)


def _no_answer(key: str) -> Answer:
    raise KeyError(key)


@dataclass(frozen=True)
class Use:
    """What a file is used for: the id of a set, and the property of its row."""

    set: str
    property: str


@dataclass(frozen=True)
class Scene:
    """All that questions are asked about: ledgers by set id, facts by file id, open files, and how the house reads names."""

    ledgers: Mapping[str, Ledger]
    files: Mapping[Source, FileFacts]
    open: tuple[OpenFile, ...] = ()
    reader: Reader = field(default_factory=Reader)

    def uses(self) -> dict[Source, Use]:
        """What each file is used for by the rows of the ledgers."""
        return {row.file: Use(key, row.property) for key, ledger in self.ledgers.items() for row in ledger.parts()}

    def reading(self, file: Source) -> Reading | None:
        """What a file's name says, habits included."""
        facts = self.files[file]
        return self.reader.read(facts.path, max(facts.width, facts.height))


def with_action(ledger: Ledger, action: Action, files: Mapping[Source, FileFacts]) -> Ledger:
    """A ledger after one action of an answer. Raises ValueError when its row does not fit the files any more."""
    if action.kind == "assign" and action.row:
        problem = row_problem(action.row, files)
        if problem:
            raise ValueError(problem)
        return ledger.with_row(action.row)
    if action.kind == "keep" and action.property and (row := ledger.row(action.property)):
        return ledger.with_row(row.model_copy(update={"sure": "by hand", "why": action.why or row.why}))
    if action.kind in ("leave out", "set aside") and action.file:
        rows = tuple(row for row in ledger.rows if action.file not in row.files())
        left = tuple(left_out for left_out in ledger.left_out if left_out.file != action.file)
        kept = (LeftOut(file=action.file, why=action.why),) if action.kind == "leave out" else ()
        return ledger.model_copy(update={"rows": rows, "left_out": (*left, *kept)})
    if action.kind == "rename" and action.name:
        return ledger.model_copy(update={"name": action.name})
    return ledger


def moved_by(actions: Iterable[Action]) -> set[Source]:
    """The files that actions take to another place: to a set of their own, to where a habit says, or aside. What else was asked
    about such a file has to be asked anew."""
    return {action.file for action in actions if action.file and action.kind in ("found", "found masks", "sort", "set aside")}


def actions_by_set(actions: tuple[Action, ...]) -> dict[str | None, list[Action]]:
    """Actions by the set that they change; None for those that change a file alone."""
    grouped: dict[str | None, list[Action]] = defaultdict(list)
    for action in actions:
        grouped[action.set].append(action)
    return dict(grouped)


def name_of(kind: str, *about: str) -> str:
    """What a question is called: the same for the same kind and subject."""
    return hashlib.sha256("\n".join([kind, *about]).encode()).hexdigest()[:16]


def question(
    kind: QuestionKind,
    home: str | None,
    files: tuple[Source, ...],
    text: str,
    why: str,
    answers: tuple[Answer, ...],
    *,
    about: str | None = None,
    prepared: str | None = None,
    fold: str = "",
    many: str = "",
) -> Question:
    """A question named by what it is about; without `prepared` its first answer is the sensible one."""
    return Question(
        key=name_of(kind, about or "", *files),
        kind=kind,
        set=home,
        about=about,
        files=files,
        text=text,
        why=why,
        answers=answers,
        prepared=prepared or answers[0].key,
        fold=fold,
        many=many,
    )


def folded(questions: list[Question]) -> list[Question]:
    """Questions of one kind and fold as one each, worst first. Its answers are those that all its members have, and each action
    says whose it is."""
    groups: dict[tuple[str, str], list[Question]] = defaultdict(list)
    for question in questions:
        groups[question.kind, question.fold or question.key].append(question)
    made = [_fold(entries) if entries[0].fold else entries[0] for entries in groups.values()]
    return sorted(made, key=lambda entry: (entry.rank, -len(entry.members), entry.key))


def _fold(entries: list[Question]) -> Question:
    first = entries[0]
    shared = [key for key in (answer.key for answer in first.answers) if all(_has(entry, key) for entry in entries)]
    prepared = [entry.prepared for entry in entries]
    usual = max(shared, key=prepared.count) if shared else first.prepared
    return first.model_copy(
        update={
            "key": group_of(first),
            "set": first.set if all(entry.set == first.set for entry in entries) else None,
            "files": tuple(dict.fromkeys(file for entry in entries for file in entry.files)),
            "text": first.many.replace("{n}", f"{len(entries):,}") if len(entries) > 1 else first.text,
            "answers": tuple(_merged(key, entries) for key in shared) or first.answers,
            "prepared": usual,
            "members": tuple(Member(key=entry.key, files=entry.files, set=entry.set) for entry in entries),
            "why": first.why if len({entry.why for entry in entries}) == 1 else "",
        }
    )


def group_of(question: Question) -> str:
    """The key of the question that this one is folded into; its own where it stands alone."""
    return name_of(question.kind, "fold", question.fold) if question.fold else question.key


def _has(question: Question, key: str) -> bool:
    return any(answer.key == key for answer in question.answers)


def _merged(key: str, entries: list[Question]) -> Answer:
    answers = [entry.answer(key) for entry in entries]
    labels = {answer.label for answer in answers}
    habits = {answer.habit for answer in answers}
    return Answer(
        key=key,
        label=answers[0].label if len(labels) == 1 else _GENERAL.get(key, answers[0].label),
        actions=tuple(
            action.model_copy(update={"member": entry.key})
            for entry, answer in zip(entries, answers, strict=True)
            for action in answer.actions
        ),
        habit=habits.pop() if len(habits) == 1 else None,
    )


# What answers are called where the names of files and sets in their labels differ.
_GENERAL = {
    "first": "Keep what is used now",
    "second": "Use the others",
    "largest": "The largest of each",
    "smallest": "The smallest of each",
    "aside": "Set the copies aside",
    "rename": "They are different surfaces: add the folder to each name",
    "leave out": "Leave them out of their sets",
    "each": "A set each",
    "keep": "Keep them as their names say",
    "set aside": "Set them aside",
    "own": "Each needs its own: leave the shared ones out",
}
