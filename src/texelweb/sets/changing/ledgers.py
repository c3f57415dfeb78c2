"""Changing a set's ledger: every change is a revision, and a step of the record."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import Any

from django.db import transaction
from django.db.models import F

from texelcore.building.plan import asked_of
from texelcore.naming.templates import code_of
from texelcore.pixels.errors import TexelError
from texelcore.sorting.decide import row_for
from texelcore.sorting.merging import merged_with
from texelcore.surface.files import ChannelName
from texelcore.surface.ledger import Ledger, row_problem
from texelcore.surface.origin import Origin
from texelcore.surface.properties import Encoding, NormalY, Property, mask_key, property_of
from texelcore.surface.storage import Storage
from texelcore.targets.document import Target, without_tile
from texelweb.projects.models import Project
from texelweb.record.steps import note_step, together
from texelweb.sets.changing.removal import bring_files_back
from texelweb.sets.changing.writing import SET, lock_project, note, note_all, parts_of, writing
from texelweb.sets.models import LedgerRevision, SourceFile, TextureSet
from texelweb.storage.rows import update_many

# What is said of a set that becomes a surface, or none.
KINDS = {True: "A surface", False: "No surface: masks and details that masters read"}


def create_set(
    project: Project, ledger: Ledger, user: Any, what: str, origin: Any = None, folder: int | None = None
) -> TextureSet:
    """A new set with a code of its own, its origin (a core Origin as JSON), and the first revision of its ledger."""
    (made,) = create_sets(project, [ledger], user, what, origin, [folder])
    return made


@transaction.atomic
def make_set(project: Project, name: str, user: Any) -> TextureSet:
    """An empty set, made by hand. Raises TexelError for an empty or overlong name."""
    made = create_set(project, Ledger(name=plain_name(name)), user, "Made by hand")
    note_step(project, SET, made.pk, made.name, "Made by hand", user, {"there": False}, {"there": True}, about=made.pk)
    return made


@transaction.atomic
def create_sets(
    project: Project,
    ledgers: Sequence[Ledger],
    user: Any,
    what: str,
    origin: Any = None,
    folders: Sequence[int | None] | None = None,
) -> list[TextureSet]:
    """New sets for many ledgers at once, as `create_set` makes one, each in its folder."""
    lock_project(project.pk)
    taken = set(TextureSet.objects.filter(project=project).values_list("code", flat=True))
    sets = []
    for ledger, folder in zip(ledgers, folders or [None] * len(ledgers), strict=True):
        code = _code_beside(ledger.name, taken)
        taken.add(code)
        body = ledger.model_dump(mode="json")
        made = TextureSet(project=project, name=ledger.name[:200], code=code, ledger_json=body, origin_json=origin)
        made.folder_id, made.touched_by = folder, user
        sets.append(made)
    rows = TextureSet.objects.bulk_create(sets, batch_size=500)
    first = [LedgerRevision(set=row, number=1, ledger_json=row.ledger_json, what=what, by=user) for row in rows]
    LedgerRevision.objects.bulk_create(first, batch_size=500)
    return rows


def free_code(project: Project, name: str) -> str:
    """A code for a set's name that no other set of the project has."""
    taken = set(TextureSet.objects.filter(project=project).values_list("code", flat=True))
    return _code_beside(name, taken)


def _code_beside(name: str, taken: set[str]) -> str:
    code, number = code_of(name), 2
    while code in taken:
        code, number = f"{code_of(name)}_{number}", number + 1
    return code


def change(
    texture_set: TextureSet,
    edit: Callable[[Ledger], Ledger],
    what: str,
    user: Any,
    seen: int | None = None,
    *,
    names: bool = False,
    record: bool = True,
) -> TextureSet:
    """Apply an edit to a set's ledger as a new revision. Gives the set as saved.

    `names` says that the edit may change the set's name; `record`, `seen` and what is raised: as in `writing`.
    """
    with writing(texture_set.pk, seen, user, names=names, record=record) as current:
        edit_held(current, edit(current.ledger), what, user)
    return current


def edit_held(current: TextureSet, ledger: Ledger, what: str, user: Any) -> None:
    """Give a set that is held another ledger, as a new revision; nothing is written where it is the same."""
    body = ledger.model_dump(mode="json")
    if body == current.ledger_json:
        return
    # Undone revisions of the time when the number still went back.
    current.revisions.filter(number__gt=current.revision).delete()
    current.revision += 1
    renamed = current.name != ledger.name
    current.ledger_json, current.name = body, ledger.name
    note(current, what, user)
    if renamed:
        take_code(current)
    current.save()
    LedgerRevision.objects.create(set=current, number=current.revision, ledger_json=body, what=what[:300], by=user)
    claim_files(current, ledger)


def assign(
    texture_set: TextureSet,
    key: str,
    file: SourceFile,
    channels: tuple[ChannelName, ...] | None,
    user: Any,
    *,
    inverted: bool = False,
    normal_y: NormalY | None = None,
    encoding: Encoding | None = None,
    seen: int | None = None,
    said: str = "",
) -> TextureSet:
    """Fill a property's row by hand; without channels the file is taken whole. `said` is what the record says of it, where that
    is not the file's name.

    Raises TexelError when file, channels and property do not fit together.
    """
    facts = file.facts
    prop = _property(key)
    if key.startswith("mask.") and texture_set.ledger.row(key) is None:
        named_mask(key.removeprefix("mask."))
    whole = row_for(facts, key, inverted=inverted, normal_y=normal_y)
    row = whole.model_copy(
        update={
            "channels": whole.channels if channels is None else channels,
            "encoding": encoding or whole.encoding,
            "sure": "by hand",
            "why": "Assigned by hand.",
        }
    )
    problem = row_problem(row, {facts.id: facts})
    if problem:
        raise TexelError(facts.name, problem, "Choose other channels or another property.")
    what = said or f"{prop.title} from {facts.name} {''.join(dict.fromkeys(row.channels))}"
    return change(texture_set, lambda ledger: ledger.with_row(row), what, user, seen)


@transaction.atomic
def assign_many(
    pairs: Sequence[tuple[SourceFile, TextureSet, int | None]], key: str, user: Any, *, inverted: bool = False
) -> list[TextureSet]:
    """Fill one property's row in many sets, each from a file of its own: (file, set, the newest edit of it that was seen). It is
    one act: all of it or nothing, and one undo takes it back.

    Raises TexelError as `assign` does, and for two files that go into one set.
    """
    taken: dict[int, str] = {}
    for file, texture_set, _ in pairs:
        if texture_set.pk in taken:
            problem = f"would get {taken[texture_set.pk]} and {file.facts.name} as one property."
            raise TexelError(texture_set.name, problem, "Choose another set for one of them, or leave it.")
        taken[texture_set.pk] = file.facts.name
    count = len(pairs)
    said = f"{_property(key).title} from {count} {'file' if count == 1 else 'files'} of no set"
    with together():
        return [
            assign(texture_set, key, file, None, user, inverted=inverted, seen=seen, said=said)
            for file, texture_set, seen in pairs
        ]


def _property(key: str) -> Property:
    try:
        return property_of(key)
    except KeyError:
        raise TexelError(key, "is not a surface property.", "Choose one from the ledger.") from None


def named_mask(name: str) -> str:
    """The key of a mask of a name. Raises TexelError for a name that no mask has."""
    try:
        return mask_key(name)
    except ValueError as wrong:
        shown = f"“{name[:60]}”" if name.strip() else "The mask"
        raise TexelError(shown, f"cannot be its name: {wrong}.", "Enter another name.") from None


def clear(texture_set: TextureSet, key: str, user: Any, seen: int | None = None) -> TextureSet:
    """Empty a property's row."""
    title = property_of(key).title
    return change(texture_set, lambda ledger: ledger.without_row(key), f"{title} cleared", user, seen)


def store(
    texture_set: TextureSet, target: Target, output: str, storage: Storage | None, user: Any, seen: int | None = None
) -> TextureSet:
    """Store an output otherwise than its target says; None goes back to the target's. Raises TexelError for no such output."""
    output, _ = without_tile(output)
    entry = next((entry for entry in asked_of(texture_set.ledger, target).outputs if entry.key == output), None)
    if entry is None:
        raise TexelError(output, f"is no output of {target.title}.", "Choose one from the set's page.")
    said = f"{storage.format.upper()}{', sRGB' if storage.srgb else ''}" if storage else "as the target says"
    what = f"{entry.title} stored {said}"
    return change(texture_set, lambda ledger: ledger.with_storage(target.name, output, storage), what, user, seen)


def describe(
    texture_set: TextureSet,
    user: Any,
    *,
    name: str | None,
    target: Target | None,
    every: bool = False,
    surface: bool | None = None,
    seen: int | None,
) -> TextureSet:
    """Give a set another name, a target of its own (or none: it is made for `every` one that is for all sets), or say whether it
    is a surface, as one change. Raises TexelError for an empty or overlong name; then nothing is changed."""
    with writing(texture_set.pk, seen, user, names=name is not None) as current:
        if target is not None and target.name != current.target_name:
            current.target = target.name
            note(current, f"Target {target.title}", user)
            current.save()
        elif every and current.target:
            current.target = ""
            note(current, "All targets of the project", user)
            current.save()
        if surface is not None:
            edit_held(current, current.ledger.model_copy(update={"surface": surface}), KINDS[surface], user)
        if name is not None:
            _rename_held(current, name, user)
    return current


def set_origin(texture_set: TextureSet, origin: Origin, user: Any, seen: int | None) -> TextureSet:
    """Write down where a set came from."""
    with writing(texture_set.pk, seen, user) as current:
        current.origin_json = origin.model_dump(mode="json")
        note(current, "Origin written down", user)
        current.save()
    return current


def _rename_held(current: TextureSet, name: str, user: Any) -> None:
    plain = plain_name(name)
    if plain != current.name:
        what = f"Renamed from {current.name} to {plain}"
        edit_held(current, current.ledger.model_copy(update={"name": plain}), what, user)


def plain_name(name: str) -> str:
    """A set's name without stray spaces. Raises TexelError for an empty or overlong one."""
    plain = " ".join(name.split())
    if not 1 <= len(plain) <= 80:
        shown = f"“{plain[:60]}”" if plain else "The name"
        raise TexelError(shown, f"has {len(plain)} characters; a set's name has 1 to 80.", "Enter a name, 1–80 characters.")
    return plain


def as_at(revisions: Mapping[int, int]) -> set[int]:
    """Which of some sets have the ledgers that they had at some revisions (both by the set's id), whatever came between."""
    rows = LedgerRevision.objects.filter(set__in=revisions, set__removed=None).select_related("set")
    held = (row for row in rows if row.number == revisions[row.set_id])
    return {row.set_id for row in held if parts_of(row.ledger_json) == parts_of(row.set.ledger_json)}


def go_back(revisions: Mapping[int, int], what: str, user: Any) -> None:
    """Give sets, which the caller holds, the ledgers that they had at older revisions (both by the set's id), as new revisions.
    Which files belong to which set is the caller's to say where no name changes."""
    found = {entry.pk: entry for entry in TextureSet.objects.filter(pk__in=revisions)}
    rows = LedgerRevision.objects.filter(set__in=found).order_by("number")
    older = {row.set_id: row.ledger_json for row in rows if row.number == revisions[row.set_id]}
    for entry in found.values():
        if entry.pk not in older:
            raise TexelError(entry.name, "has nothing to undo.", "Look at the set's page.")
    plain = [entry for entry in found.values() if older[entry.pk]["name"] == entry.name]
    for entry in found.values():
        if entry not in plain:
            edit_held(entry, Ledger.model_validate(older[entry.pk]), what, user)
    for entry in plain:
        entry.revision, entry.ledger_json = entry.revision + 1, older[entry.pk]
    _write_revisions(plain, what, user)


def _write_revisions(sets: Sequence[TextureSet], what: str, user: Any) -> None:
    """Write the ledgers of many sets, as they stand under their new revisions."""
    note_all(sets, what, user)
    update_many(sets, ["revision", "ledger_json", "edit", "touched", "touched_by"])
    keep_revisions(sets, what, user)


def keep_revisions(sets: Sequence[TextureSet], what: str, user: Any) -> None:
    """Keep the ledgers of many sets, which are written, as their newest revisions."""
    LedgerRevision.objects.filter(set__in=[texture_set.pk for texture_set in sets], number__gte=F("set__revision")).delete()
    rows = [
        LedgerRevision(
            set=texture_set, number=texture_set.revision, ledger_json=texture_set.ledger_json, what=what[:300], by=user
        )
        for texture_set in sets
    ]
    LedgerRevision.objects.bulk_create(rows, batch_size=500)


def take_code(texture_set: TextureSet) -> None:
    """Give a set that is held the code that its name asks for, or one beside it; the caller saves it."""
    others = TextureSet.objects.filter(project=texture_set.project, code=code_of(texture_set.name)).exclude(pk=texture_set.pk)
    texture_set.code = free_code(texture_set.project, texture_set.name) if others.exists() else code_of(texture_set.name)


def claim_files(texture_set: TextureSet, ledger: Ledger) -> None:
    """Files that nobody owned and that the ledger now names belong to this set, those that were removed too; the set's others
    become open again."""
    named = ledger.files()
    bring_files_back(texture_set.project, named)
    SourceFile.objects.filter(pk__in=named, set__isnull=True).update(
        set=texture_set, why_open="", open_json=None, set_aside=False
    )
    dropped = SourceFile.objects.filter(set=texture_set).exclude(pk__in=named)
    dropped.update(set=None, set_aside=True, why_open=f"It was taken out of {texture_set.name}.")


def merge_rows(
    texture_set: TextureSet, offered: Ledger, new_files: Iterable[str], user: Any, what: str = "Files arrived"
) -> TextureSet:
    """Add rows that new files offer for properties that the ledger lacks; decisions already made are never touched."""
    return change(texture_set, merged_with(offered, new_files), what, user)


def change_many(
    project: Project, edits: Mapping[int, Callable[[Ledger], Ledger]], what: str, user: Any
) -> list[tuple[int, int, int]]:
    """Apply an edit to each of many sets, as `change` does to one, in a few queries. Gives the id, and the revision before and
    after, of each set that changed. Which files belong to which set is the caller's to say."""
    changed = []
    with transaction.atomic():
        found = TextureSet.objects.select_for_update(no_key=True).filter(project=project, pk__in=edits).order_by("pk")
        for current in found:
            before = current.ledger
            ledger = edits[current.pk](before)
            body = ledger.model_dump(mode="json")
            if body == current.ledger_json:
                continue
            current.revision += 1
            current.ledger_json = body
            changed.append(current)
        _write_revisions(changed, what, user)
    return [(current.pk, current.revision - 1, current.revision) for current in changed]
