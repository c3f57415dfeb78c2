"""Noting what people do, and taking back what can be taken back, in the order in which each person did it.

Every kind of thing (`kinds`) that can be changed has a Way, which its room registers: how its document is read and written. A
step keeps the parts of the document that it changed, so that it is taken back also after others have changed other parts.
"""

from __future__ import annotations

import uuid
from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass
from typing import Any

from django.db import transaction
from django.db.models import Count, Exists, Min, OuterRef, QuerySet
from django.utils import timezone

from texelcore.pixels.errors import TexelError
from texelcore.surface.changes import Conflict, carried_over, differing, narrowed
from texelweb.projects.models import RANK, Project, Role
from texelweb.record.kinds import KINDS
from texelweb.record.models import Step

Json = Mapping[str, Any]
# Steps that are looked through for the one that is meant.
MOST_LOOKED_AT = 50


@dataclass(frozen=True)
class Way:
    """How things of one kind go back and forth. `read` gives the documents of things by their ids, without those that are gone
    for good; `write` makes them so, all of them together, or raises TexelError. The role is the least that either takes. What a
    part is called is said by its path."""

    read: Callable[[Project, Sequence[str]], Mapping[str, Json]]
    write: Callable[[Project, Mapping[str, Json], str, Any], None]
    least: Role = Role.ARTIST
    words: Callable[[tuple[str, ...]], str] = lambda path: path[-1].replace("_", " ")


def one_by_one(
    read: Callable[[Project, str], Json | None], write: Callable[[Project, str, Json, str, Any], None], **more: Any
) -> Way:
    """A way for things that are read and written one at a time."""

    def read_all(project: Project, things: Sequence[str]) -> Mapping[str, Json]:
        return {thing: document for thing in things if (document := read(project, thing)) is not None}

    def write_all(project: Project, documents: Mapping[str, Json], what: str, user: Any) -> None:
        for thing, document in documents.items():
            write(project, thing, document, what, user)

    return Way(read_all, write_all, **more)


@dataclass(frozen=True)
class OneWay:
    """How steps of a kind are taken back whose way back lies in a room of its own, and, where the room can, done again. `leasts`
    says of which things more than the least role is needed: what took a lead to do takes a lead to undo."""

    take_back: Callable[[Project, str, Any], None]
    do_again: Callable[[Project, str, Any], None] | None = None
    least: Role = Role.ARTIST
    leasts: Callable[[Collection[str]], Mapping[str, Role]] = lambda things: {}


_ways: dict[str, Way | OneWay] = {}
_act: ContextVar[uuid.UUID | None] = ContextVar("act", default=None)


def register(kind: str, way: Way | OneWay) -> None:
    """Say how things of a kind go back and forth; each room does that once, when the application begins. Raises KeyError for a
    kind that is not declared."""
    _ways[KINDS[kind].key] = way


def note_step(
    project: Project,
    kind: str,
    thing: object,
    name: str,
    what: str,
    user: Any,
    before: Json | None = None,
    after: Json | None = None,
    about: int | None = None,
) -> Step | None:
    """Note what somebody did to a thing, in the transaction that does it; `about` is the set that it concerns. Documents that are
    alike make no step."""
    old, new = (None, None) if before is None or after is None else narrowed(before, after)
    if before is not None and old == new:
        return None
    return Step.objects.create(
        project=project,
        kind=KINDS[kind].key,
        thing=str(thing),
        name=name[:200],
        what=what[:300],
        by=user,
        before_json=old,
        after_json=new,
        about=about,
        act=_act.get(),
    )


@dataclass(frozen=True)
class Noted:
    """A thing that was changed among many: its id, what it is called, its document before and after, and the set that it
    concerns."""

    thing: object
    name: str
    before: Json
    after: Json
    about: int | None = None


def note_steps(project: Project, kind: str, things: Sequence[Noted], what: str, user: Any) -> None:
    """Note the same deed of many things, as `note_step` does of one."""
    rows, kind = [], KINDS[kind].key
    for entry in things:
        old, new = narrowed(entry.before, entry.after)
        if old != new:
            row = Step(project=project, kind=kind, thing=str(entry.thing), name=entry.name[:200], what=what[:300], by=user)
            row.before_json, row.after_json, row.about, row.act = old, new, entry.about, _act.get()
            rows.append(row)
    Step.objects.bulk_create(rows, batch_size=500)


def note_deed(
    project: Project | None, kind: str, what: str, user: Any, name: str = "", thing: object = "", about: int | None = None
) -> Step:
    """Note what somebody did that is on record alone: it is not taken back from there. Without a project it is the studio's."""
    return Step.objects.create(
        project=project,
        kind=KINDS[kind].key,
        thing=str(thing)[:64],
        name=name[:200],
        what=what[:300],
        by=user,
        about=about,
        act=_act.get(),
        undoable=False,
    )


@contextmanager
def together() -> Iterator[None]:
    """What is noted inside was done as one act: one undo takes all of it back."""
    before = _act.set(_act.get() or uuid.uuid4())
    try:
        yield
    finally:
        _act.reset(before)


def least_role(step: Step) -> Role:
    """The least role that may take a step back, with all that was done in the same act."""
    return least_roles([step])[step.pk]


def least_roles(steps: Sequence[Step]) -> dict[int, Role]:
    """As `least_role`, for many steps by their ids: of what was done in one act the highest counts."""
    done: dict[uuid.UUID, set[tuple[str, str]]] = {}
    for act, kind, thing in _parts_of({step.act for step in steps if step.act}):
        done.setdefault(act, set()).add((kind, thing))
    own = {step.pk: {(step.kind, step.thing), *(done.get(step.act, ()) if step.act else ())} for step in steps}
    needed: dict[tuple[str, str], Role] = {}
    for kind in {kind for parts in own.values() for kind, _ in parts}:
        way = _ways.get(kind)
        things = {thing for parts in own.values() for other, thing in parts if other == kind}
        more = way.leasts(things) if isinstance(way, OneWay) else {}
        needed |= {(kind, thing): more.get(thing, way.least if way else Role.LEAD) for thing in things}
    return {key: max((needed[part] for part in parts), key=RANK.__getitem__) for key, parts in own.items()}


def _parts_of(acts: Collection[uuid.UUID]) -> Iterator[tuple[uuid.UUID, str, str]]:
    """Act, kind and thing of what was done in some acts; of what was done in one way to many things, one thing."""
    rows = Step.objects.filter(act__in=acts, undoable=True).values("act", "kind").annotate(thing=Min("thing"))
    several = [kind for kind, way in _ways.items() if isinstance(way, OneWay)]
    yield from rows.exclude(kind__in=several).values_list("act", "kind", "thing")
    yield from Step.objects.filter(act__in=acts, undoable=True, kind__in=several).values_list("act", "kind", "thing")


def heads(rows: QuerySet[Step]) -> QuerySet[Step]:
    """Of one deed that was done to many things of a kind in one act the newest step alone, which stands for all of them."""
    later = Step.objects.filter(act=OuterRef("act"), kind=OuterRef("kind"), what=OuterRef("what"), pk__gt=OuterRef("pk"))
    return rows.exclude(Exists(later))


def others_of(found: Sequence[Step]) -> dict[int, int]:
    """To how many other things of its kind the deed of each step was done in the same act, by the step's id."""
    acts = {step.act for step in found if step.act}
    counted = Step.objects.filter(act__in=acts).values("act", "kind", "what").annotate(count=Count("pk"))
    sizes = {(row["act"], row["kind"], row["what"]): row["count"] for row in counted}
    return {step.pk: sizes.get((step.act, step.kind, step.what), 1) - 1 for step in found}


def last_step(project: Project, user: Any) -> Step | None:
    """The step of a person that undo would take back: the last that stands."""
    return project.steps.filter(by=user, undone=None, undoable=True).select_related("by").order_by("-pk").first()


def next_step(project: Project, user: Any) -> Step | None:
    """The step of a person that redo would do again: the last undone, unless something else was done since."""
    undone = project.steps.filter(by=user, undone_by=user).exclude(undone=None).select_related("by").order_by("-undone", "pk")
    candidate = next((step for step in undone[:MOST_LOOKED_AT] if _goes_forth(step.kind)), None)
    stands = last_step(project, user)
    if candidate is None or candidate.undone is None or (stands and stands.at > candidate.undone):
        return None
    return candidate


def _goes_forth(kind: str) -> bool:
    way = _ways.get(kind)
    return isinstance(way, Way) or (way is not None and way.do_again is not None)


def undo(project: Project, step: Step, user: Any) -> Step:
    """Take a step back, with all that was done in the same act. Raises TexelError when it was taken back already, when it is on
    record alone, or when what it changed has been changed again; nothing is taken back then."""
    with transaction.atomic():
        act = _held(step, undone=False)
        for held in act:
            if held.undone:
                raise TexelError(held.name, f"{_quoted(held)} was taken back already.", "Look at the list of steps.")
            if held.kind not in _ways or not held.undoable:
                raise TexelError(held.name, f"{_quoted(held)} cannot be taken back.", "It is on record alone.")
        for way, group in _alike(act):
            if isinstance(way, OneWay):
                way.take_back(project, group[0].thing, user)
            else:
                _carry(way, group, user, back=True)
        Step.objects.filter(pk__in=[held.pk for held in act]).update(undone=timezone.now(), undone_by=user)
        act[0].refresh_from_db()
    return act[0]


def _alike(act: Sequence[Step]) -> Iterator[tuple[Way | OneWay, list[Step]]]:
    """The steps of an act in their order, those that follow each other and did the same to different things together."""
    group: list[Step] = []
    for step in act:
        first = group[0] if group else None
        same = first and (step.kind, step.what) == (first.kind, first.what) and isinstance(_ways[step.kind], Way)
        if first and not (same and step.thing not in {other.thing for other in group}):
            yield _ways[first.kind], group
            group = []
        group.append(step)
    if group:
        yield _ways[group[0].kind], group


def _held(step: Step, *, undone: bool) -> list[Step]:
    """A step and those that were done in the same act and stand as it does (or, `undone`, are taken back as it is), newest first
    (or oldest first), held until the transaction ends."""
    rows = Step.objects.select_for_update(of=("self",)).select_related("by")
    if step.act is None:
        return [rows.get(pk=step.pk)]
    same = rows.filter(project=step.project, act=step.act, undoable=True, undone__isnull=not undone)
    return list(same.order_by("pk" if undone else "-pk")) or [rows.get(pk=step.pk)]


def redo(project: Project, step: Step, user: Any) -> Step:
    """Do a step again that was taken back, with all of its act. Raises TexelError as `undo` does."""
    with transaction.atomic():
        act = _held(step, undone=True)
        for held in act:
            if not held.undone or not _goes_forth(held.kind):
                raise TexelError(held.name, f"{_quoted(held)} cannot be done again.", "Do it by hand.")
        for way, group in _alike(act):
            if isinstance(way, Way):
                _carry(way, group, user, back=False)
            elif way.do_again:
                way.do_again(project, group[0].thing, user)
        Step.objects.filter(pk__in=[held.pk for held in act]).update(undone=None, undone_by=None)
        act[0].refresh_from_db()
    return act[0]


def mark_undone(project: Project, kind: str, thing: object, user: Any) -> None:
    """Note that something was taken back in its own room."""
    project.steps.filter(kind=kind, thing=str(thing), undone=None).update(undone=timezone.now(), undone_by=user)


def _carry(way: Way, steps: Sequence[Step], user: Any, *, back: bool) -> None:
    """Carry steps of one kind and deed back, or forth, on what their things are now."""
    project = steps[0].project
    now = way.read(project, [step.thing for step in steps])
    documents = {}
    for step in steps:
        if step.thing not in now:
            raise TexelError(step.name, "is gone for good: what is removed is kept for 30 days.", "Make it anew.")
        old, new = (step.after_json, step.before_json) if back else (step.before_json, step.after_json)
        try:
            documents[step.thing] = carried_over(now[step.thing], old or {}, new or {})
        except Conflict as conflict:
            part = way.words(conflict.path)
            problem = f"has been changed since: {part} is not as {_quoted(step)} left it{_by_whom(step, conflict.path)}."
            raise TexelError(step.name, problem, "Take that back first, or change it by hand.") from conflict
    way.write(project, documents, f"{'Undone' if back else 'Redone'}: {steps[0].what}", user)


def _quoted(step: Step) -> str:
    return f"“{step.what}”"


def _by_whom(step: Step, path: tuple[str, ...]) -> str:
    """Who was the last to change a part after a step did, where that is known."""
    later = step.project.steps.filter(kind=step.kind, thing=step.thing, pk__gt=step.pk, undone=None)
    for last in later.select_related("by").order_by("-pk")[:MOST_LOOKED_AT]:
        if last.by and path in differing(last.before_json or {}, last.after_json or {}):
            return f" ({last.by.get_username()}: {last.what})"
    return ""
