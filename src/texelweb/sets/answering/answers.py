"""Answers to open questions: given to all members or to some, kept as habits of the house, undone as one act."""

from __future__ import annotations

import uuid
from collections import defaultdict
from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass, field
from typing import Any

from django.db import transaction

from texelcore.naming.habits import Habit
from texelcore.pixels.errors import TexelError
from texelcore.sorting.decide import ledger_alone
from texelcore.sorting.layouts import answer_by_channel
from texelcore.sorting.questions import Action, ActionKind, Answer, Question, actions_by_set, moved_by, with_action
from texelcore.surface.files import FileFacts
from texelcore.surface.ledger import Ledger
from texelcore.surface.sources import Source
from texelweb.projects.models import Project, Role
from texelweb.record.steps import mark_undone, note_step
from texelweb.sets.answering.questions import CLASS_KINDS, Touched, refresh, save_rules, shown
from texelweb.sets.arrivals.sorting import sort_by_habit
from texelweb.sets.changing import ledgers
from texelweb.sets.changing.writing import lock_project
from texelweb.sets.models import OpenQuestion, Settled, SourceFile, TextureSet
from texelweb.storage.rows import update_many

BATCH = 500
# Answers in the record.
ANSWERS = "answers"
# What makes a file a set of its own, and what the record says of it.
_FOUND: dict[ActionKind, str] = {"found": "A set of its own, by hand", "found masks": "A set of masks, by hand"}


@dataclass(frozen=True)
class Given:
    """An answer as it was given: to which question, which answer (None is the prepared one), to which of its members by their
    keys or folders (None is all), and whether it becomes a habit of the house. `channels` is an answer by channel: what each
    holds."""

    question: str
    answer: str | None = None
    members: Collection[str] | None = None
    places: Collection[str] | None = None
    teach: bool = False
    channels: Mapping[str, str] | None = None


@dataclass
class _Deed:
    """What an act has done so far, so that it can be undone; `about` are the files that its question named."""

    about: set[int]
    sets: list[tuple[int, int, int]] = field(default_factory=list)
    made: list[int] = field(default_factory=list)
    files: list[tuple[int, int | None, bool, str, Any]] = field(default_factory=list)
    taught: list[Habit] = field(default_factory=list)

    def remember(self, files: Collection[SourceFile]) -> None:
        """Note how files stood before."""
        self.files += [(file.pk, file.set_id, file.set_aside, file.why_open, file.open_json) for file in files]

    def classes(self) -> set[str]:
        """The kinds of classes that these files were in before, or are in now."""
        before = {opened["kind"] for *_, opened in self.files if opened}
        waiting = SourceFile.objects.filter(pk__in=[file[0] for file in self.files], open_json__isnull=False)
        return CLASS_KINDS & (before | set(waiting.values_list("open_json__kind", flat=True)))

    def as_json(self) -> dict[str, Any]:
        """As it is kept."""
        taught = [habit.model_dump(mode="json") for habit in self.taught]
        return {"about": sorted(self.about), "sets": self.sets, "made": self.made, "files": self.files, "taught": taught}


def settle(project: Project, given: list[Given], user: Any) -> uuid.UUID:
    """Answer questions as one act that is undone as one.

    Raises TexelError for a question that is not open any more, or an answer that it does not have or that does not fit any more.
    """
    act = uuid.uuid4()
    touched = Touched(classes=set(), names=False)
    with transaction.atomic():
        lock_project(project.pk)
        moved: set[Source] = set()
        for entry in given:
            moved |= _settle_one(project, entry, user, act, touched, moved)
        refresh(project, touched)
        first = Settled.objects.filter(project=project, act=act).order_by("pk").first()
        more = f" and {len(given) - 1:,} more" if len(given) > 1 else ""
        if first:
            note_step(project, ANSWERS, act, first.text, f"Answered: {first.answer}{more}", user)
    return act


def _settle_one(
    project: Project, given: Given, user: Any, act: uuid.UUID, touched: Touched, moved: Collection[Source]
) -> set[Source]:
    """Carry out one answer and give the files that it moved. One about files that an answer before it has `moved` is left alone:
    it is asked anew about where they are now."""
    found = shown(project, [given.question])
    if not found:
        raise TexelError("The question", "is not open any more.", "Reload the page.")
    question = found[0]
    answer = _by_channel(project, question, given) or _answer(question, given.answer or question.prepared)
    chosen = _chosen(question, given)
    steps = answer.steps(question, chosen)
    going = moved_by(steps)
    if not going.isdisjoint(moved):
        return set()
    deed = _Deed({int(file) for part in (question, *question.members) for file in part.files})
    if given.teach and answer.habit and chosen is None:
        teach_habits(project, [answer.habit], user)
        deed.taught.append(answer.habit)
    _carry_out(project, steps, answer, f"{question.text} {answer.label}", user, deed)
    touched.sets |= {texture_set[0] for texture_set in deed.sets} | set(deed.made)
    touched.moved |= deed.about
    touched.classes |= deed.classes()
    touched.names |= question.kind == "same name"
    keys = chosen if chosen is not None else [member.key for member in question.members] or [question.key]
    Settled.objects.create(
        project=project,
        key=question.key,
        text=question.text[:400],
        answer=answer.label[:200],
        members_json=sorted(keys),
        act=act,
        undo_json=deed.as_json(),
        by=user,
    )
    OpenQuestion.objects.filter(project=project, group=given.question, key__in=keys).delete()
    return going


def _chosen(question: Question, given: Given) -> set[str] | None:
    """The keys of the members that an answer is for; None for all."""
    if given.members is None and given.places is None:
        return None
    known = {member.key for member in question.members}
    chosen = set(given.members or ()) | {member.key for member in question.members if member.place in (given.places or ())}
    if not chosen or not chosen <= known:
        raise TexelError(question.text, "has no such members.", "Reload the page: it may have changed.")
    return None if chosen == known else chosen


def _carry_out(project: Project, steps: tuple[Action, ...], answer: Answer, what: str, user: Any, deed: _Deed) -> None:
    by_kind: dict[str, list[Action]] = defaultdict(list)
    for step in steps:
        by_kind[step.kind if step.kind in ("sort", *_FOUND, "set aside") else "edit"].append(step)
    named = {int(step.file) for step in steps if step.file} | {int(step.row.file) for step in steps if step.row}
    files = {str(file.pk): file for file in SourceFile.objects.filter(project=project, pk__in=named)}
    deed.remember(files.values())  # type: ignore[arg-type]
    leaving = [*by_kind["found"], *by_kind["found masks"], *by_kind["set aside"]]
    edits = [*by_kind["edit"], *(step for step in leaving if step.set)]
    deed.sets += _edit(project, edits, {key: file.facts for key, file in files.items()}, what, user)
    _claim(project, by_kind["edit"])
    if by_kind["sort"] and answer.habit:
        done = sort_by_habit(project, [files[step.file] for step in by_kind["sort"] if step.file in files], answer.habit, user)
        deed.sets += done.grown
        deed.made += [entry.pk for entry in done.made]
    for kind in _FOUND:
        deed.made += _found(project, [files[step.file] for step in by_kind[kind] if step.file in files], kind, user)
    for step in by_kind["set aside"]:
        if step.file in files:
            file = files[step.file]
            file.set_id, file.set_aside, file.why_open, file.open_json = None, True, step.why, None
    aside = [files[step.file] for step in by_kind["set aside"] if step.file in files]
    update_many(aside, ["set", "set_aside", "why_open", "open_json"])


def _edit(
    project: Project, steps: list[Action], files: dict[Source, FileFacts], what: str, user: Any
) -> list[tuple[int, int, int]]:
    """Change sets' ledgers. One whose name changes takes a code after it, which is done one by one."""
    edits: dict[int, Callable[[Ledger], Ledger]] = {}
    done: list[tuple[int, int, int]] = []
    for key, actions in actions_by_set(tuple(steps)).items():
        if key is None:
            continue
        edit = _all_of(actions, files)
        if any(action.kind == "rename" for action in actions):
            current = TextureSet.objects.get(pk=int(key), project=project)
            after = _checked(
                current.name, lambda edit=edit, current=current: ledgers.change(current, edit, what, user, record=False)
            )
            done.append((current.pk, current.revision, after.revision))
        else:
            edits[int(key)] = edit
    return [*done, *_checked("The set", lambda: ledgers.change_many(project, edits, what, user))]


def _all_of(actions: list[Action], files: dict[Source, FileFacts]) -> Callable[[Ledger], Ledger]:
    def edit(ledger: Ledger) -> Ledger:
        for action in actions:
            # A file that becomes a set of its own, or is set aside, leaves this one.
            step = action.model_copy(update={"kind": "set aside"}) if action.kind in _FOUND else action
            ledger = with_action(ledger, step, files)
        return ledger

    return edit


def _checked(name: str, work: Callable[[], Any]) -> Any:
    try:
        return work()
    except ValueError as error:
        raise TexelError(name, str(error), "Reload the page: a file may have changed.") from error


def _claim(project: Project, steps: list[Action]) -> None:
    """Files that steps put into a set belong to it from now on."""
    homes: dict[str, set[int]] = defaultdict(set)
    for step in steps:
        if step.set and step.kind in ("assign", "leave out"):
            homes[step.set] |= {int(file) for file in (step.file, step.row.file if step.row else None) if file}
    for key, files in homes.items():
        loose = SourceFile.objects.filter(project=project, pk__in=files, set__isnull=True)
        loose.update(set=int(key), set_aside=False, why_open="", open_json=None)


def _found(project: Project, files: list[SourceFile], kind: ActionKind, user: Any) -> list[int]:
    """Make each file a set of its own, called after the file: a surface, or one of masks."""
    made = [ledger_alone(file.facts, kind == "found") for file in files]
    sets = ledgers.create_sets(project, made, user, _FOUND[kind])
    for file, texture_set in zip(files, sets, strict=True):
        file.set_id, file.set_aside, file.why_open, file.open_json = texture_set.pk, False, "", None
    update_many(files, ["set", "set_aside", "why_open", "open_json"])
    return [texture_set.pk for texture_set in sets]


def needs_a_lead(acts: Collection[str]) -> dict[str, Role]:
    """Those of some acts that taught the house a habit: who takes them back changes the house rules."""
    taught = Settled.objects.filter(act__in=acts, undo_json__taught__0__isnull=False).values_list("act", flat=True)
    return {str(act): Role.LEAD for act in taught}


def undo(project: Project, act: uuid.UUID, user: Any) -> None:
    """Take back an act: ledgers, files and taught habits go back to where they were, and the questions are open again.

    Raises TexelError when there is no such act, or when a set has been changed since.
    """
    with transaction.atomic():
        lock_project(project.pk)
        settled = list(Settled.objects.filter(project=project, act=act).order_by("-pk"))
        if not settled:
            raise TexelError("The answer", "is not here any more.", "Reload the page.")
        touched = Touched()
        for row in settled:
            _undo_one(project, row, touched, user)
        forget = [Habit.model_validate(body) for row in settled for body in row.undo_json.get("taught", [])]
        if forget:
            rules = project.rules
            left = tuple(habit for habit in rules.habits if habit not in forget)
            save_rules(project, rules.model_copy(update={"habits": left}), "Habits forgotten with an answer", user)
        Settled.objects.filter(project=project, act=act).delete()
        mark_undone(project, ANSWERS, act, user)
        # Of acts that did not keep what they were about, everything is asked anew.
        refresh(project, touched if all("about" in row.undo_json for row in settled) else None)


def _undo_one(project: Project, row: Settled, touched: Touched, user: Any) -> None:
    done: dict[str, Any] = row.undo_json
    changed = {set_id: (before, after) for set_id, before, after in done["sets"]}
    held = TextureSet.objects.select_for_update(no_key=True).filter(project=project, pk__in=changed).order_by("pk")
    found = {entry.pk: entry for entry in held}
    made = list(TextureSet.objects.filter(project=project, pk__in=done.get("made", ())))
    kept = ledgers.as_at({key: after for key, (_, after) in changed.items()} | {entry.pk: 1 for entry in made})
    later = [entry for entry in made if entry.pk not in kept or entry.variants.exists() or entry.builds.exists()]
    later += [entry for key, entry in found.items() if key not in kept]
    if later or len(found) < len(changed):
        name = later[0].name if later else "A set"
        raise TexelError(name, "has been changed since.", "Undo that first, on the set's page.")
    TextureSet.objects.filter(pk__in=[entry.pk for entry in made]).delete()
    back = {key: before for key, (before, after) in changed.items() if before != after}
    ledgers.go_back(back, f"Taken back: {row.text} {row.answer}", user)
    touched.sets |= set(found)
    touched.files |= set(done.get("about", ()))
    files = {file.pk: file for file in SourceFile.objects.filter(project=project, pk__in=[entry[0] for entry in done["files"]])}
    homes = {entry[1] for entry in done["files"] if entry[1]}
    alive = set(TextureSet.objects.filter(project=project, pk__in=homes).values_list("pk", flat=True))
    for key, set_id, aside, why, opened in done["files"]:
        if file := files.get(key):
            file.set_id = set_id if set_id in alive else None
            file.set_aside, file.why_open, file.open_json = aside, why, opened
    update_many(files.values(), ["set", "set_aside", "why_open", "open_json"])


def teach_habits(project: Project, habits: list[Habit], user: Any) -> None:
    """Add habits to the house rules as a new version; an older habit about the same words gives way."""
    rules = project.rules
    words = {habit.words for habit in habits}
    kept = tuple(habit for habit in rules.habits if habit.words not in words)
    said = ", ".join(f"“{habit.words}”" for habit in habits)
    save_rules(project, rules.model_copy(update={"habits": (*kept, *habits)}), f"Taught: {said}", user)


def _by_channel(project: Project, question: Question, given: Given) -> Answer | None:
    if given.channels is None:
        return None
    files = () if question.kind == "ending" else question.files
    held = SourceFile.objects.filter(project=project, pk__in=[int(file) for file in files])
    try:
        return answer_by_channel(question, given.channels, {str(file.pk): file.facts for file in held})
    except (ValueError, KeyError) as error:
        way_out = "Say for each channel what it holds, or nothing."
        raise TexelError(question.text, f"cannot be answered so: {error}.", way_out) from error


def _answer(question: Question, key: str) -> Answer:
    try:
        return question.answer(key)
    except KeyError:
        raise TexelError(question.text, "has no such answer.", "Reload the page: it may have changed.") from None
