"""Folders of sets inside a project: they nest, are named, moved and removed as steps of the record, and sets lie in them."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from django.db import transaction
from django.utils import timezone

from texelcore.naming.tokens import key_of_stem
from texelcore.pixels.errors import TexelError
from texelweb.projects.models import Project
from texelweb.record.steps import note_step, together
from texelweb.refusals import Overtaken
from texelweb.sets.changing.bulk import SetsChange, change_sets
from texelweb.sets.changing.writing import lock_project
from texelweb.sets.models import Folder, TextureSet

# Folders in the record.
FOLDER = "folder"
LONGEST_NAME, DEEPEST, MOST = 80, 12, 5000
# So many folders with one set each, side by side, are folders for each set.
MANY_ALONE = 4
_FORBIDDEN = frozenset("/\\")


@dataclass(frozen=True)
class Tree:
    """A project's folders as they lie: each by its id, and each one's path, names joined by “/”."""

    rows: Mapping[int, Folder]
    paths: Mapping[int, str]

    def inside(self, folder: int) -> set[int]:
        """A folder and all that lie in it."""
        found = {folder}
        while more := {key for key, row in self.rows.items() if row.parent_id in found} - found:
            found |= more
        return found


def tree_of(project: Project) -> Tree:
    """A project's folders, in one query."""
    rows = {row.pk: row for row in project.folders.filter(removed=None)}
    paths: dict[int, str] = {}

    def path(key: int) -> str:
        if key not in paths:
            row = rows[key]
            above = path(row.parent_id) + "/" if row.parent_id in rows else ""
            paths[key] = above + row.name
        return paths[key]

    for key in rows:
        path(key)
    return Tree(rows, paths)


def folder_of_sets(home: str, name: str) -> str:
    """The folder for a set whose files came in `home`: of a folder for each set, the one around it."""
    own = home.rpartition("/")[2]
    alone = own and _letters(own) in _letters(name)
    return home.rpartition("/")[0] if alone else home


def folders_of_sets(sets: Sequence[tuple[str, str]]) -> list[str]:
    """The folder for each of many sets, by the folder that its files came in and its name. Where a folder has many folders with
    one set each, those are folders for each set, whatever they are called."""
    held = Counter(home for home, _ in sets)
    alone = Counter(home.rpartition("/")[0] for home, count in held.items() if count == 1 and "/" in home)
    found = []
    for home, name in sets:
        around = home.rpartition("/")[0]
        many = held[home] == 1 and "/" in home and alone[around] >= MANY_ALONE
        found.append(around if many else folder_of_sets(home, name))
    return found


def _letters(name: str) -> str:
    return key_of_stem(name).replace("_", "")


def ensure(project: Project, paths: Collection[str]) -> dict[str, int | None]:
    """The folders of some paths, made where they are not there; "" is the project itself, and is None. The project is held by the
    caller. Names that are too long are cut, and what lies too deep lies as deep as it may."""
    tree = tree_of(project)
    known = {(row.parent_id, row.name.casefold()): key for key, row in tree.rows.items()}
    found: dict[str, int | None] = {}
    for path in paths:
        at: int | None = None
        for part in _parts(path):
            key = (at, part.casefold())
            if key not in known:
                if len(known) >= MOST:
                    break
                known[key] = Folder.objects.create(project=project, parent_id=at, name=part).pk
            at = known[key]
        found[path] = at
    return found


def _parts(path: str) -> list[str]:
    parts = (" ".join(part.split())[:LONGEST_NAME] for part in path.split("/"))
    return [part for part in parts if part][:DEEPEST]


@transaction.atomic
def make_folder(project: Project, name: str, parent: int | None, user: Any) -> Folder:
    """A new folder. Raises TexelError for a name that will not do or is taken there, and a parent that is not there."""
    lock_project(project.pk)
    tree = tree_of(project)
    if len(tree.rows) >= MOST:
        raise TexelError("The folder", f"would be one too many: a project has {MOST:,} at most.", "Remove some first.")
    plain = plain_name(name)
    _refuse_misplaced(tree, None, parent, plain)
    made = Folder.objects.create(project=project, parent_id=parent, name=plain)
    note_step(project, FOLDER, made.pk, plain, "Folder made", user, {"there": False}, {"there": True})
    return made


@transaction.atomic
def rename_folder(project: Project, folder: int, name: str, seen: str, user: Any) -> None:
    """Give a folder another name; `seen` is the path that it had then. Raises TexelError as `make_folder` does, and Overtaken for
    one that lies elsewhere, or is called otherwise, by now."""
    row = _held(project, folder, seen)
    _put(project, row, plain_name(name), row.parent_id, user)


@transaction.atomic
def move_folder(project: Project, folder: int, parent: int | None, seen: str, user: Any) -> None:
    """Move a folder, with all in it, into another; None is the project itself. Raises as `rename_folder` does, and for a folder
    that would lie in itself."""
    row = _held(project, folder, seen)
    _put(project, row, row.name, parent, user)


def _held(project: Project, folder: int, seen: str) -> Folder:
    lock_project(project.pk)
    tree = tree_of(project)
    row = _there(tree, folder)
    if tree.paths[folder] != seen:
        last = project.steps.filter(kind=FOLDER, thing=str(folder), undone=None).select_related("by").order_by("-pk").first()
        by = f" ({last.by.get_username()}: {last.what})" if last and last.by else ""
        raise Overtaken(f"The folder {seen}"[:120], f"is {tree.paths[folder]} by now{by}.", "Look at it as it is, then go on.")
    return row


def _put(project: Project, row: Folder, name: str, parent: int | None, user: Any) -> None:
    tree = tree_of(project)
    before, was = document_of(row), tree.paths[row.pk]
    _refuse_misplaced(tree, row.pk, parent, name)
    row.name, row.parent_id = name, parent
    row.save(update_fields=["name", "parent"])
    said = f"Folder {was} is now {tree_of(project).paths[row.pk]}"
    note_step(project, FOLDER, row.pk, row.name, said, user, before, document_of(row))


@transaction.atomic
def remove_folder(project: Project, folder: int, seen: str, user: Any) -> None:
    """Remove a folder; the sets and folders in it lie in the one around it from then on. All of it is one act of the record.
    Raises Overtaken as `rename_folder` does."""
    row = _held(project, folder, seen)
    tree = tree_of(project)
    with together():
        inside = list(TextureSet.objects.filter(project=project, folder=row).values_list("pk", flat=True))
        if inside:
            change_sets(project, dict.fromkeys(inside), SetsChange(folder=row.parent_id, moves=True), user)
        for child in [row for row in tree.rows.values() if row.parent_id == folder]:
            taken = {entry.name.casefold() for entry in tree.rows.values() if entry.parent_id == row.parent_id and entry != row}
            name = _free(child.name, taken)
            before = document_of(child)
            child.parent_id, child.name = row.parent_id, name
            child.save(update_fields=["name", "parent"])
            note_step(project, FOLDER, child.pk, child.name, "Moved out of a removed folder", user, before, document_of(child))
        row.removed = timezone.now()
        row.save(update_fields=["removed"])
        note_step(project, FOLDER, row.pk, row.name, "Removed", user, {"there": True}, {"there": False})


def document_of(row: Folder) -> dict[str, Any]:
    """All that may be changed about a folder."""
    return {"there": row.removed is None, "name": row.name, "parent": row.parent_id}


def read_folder(project: Project, key: str) -> dict[str, Any] | None:
    """A folder's document, for the record; None where it is gone."""
    found = Folder.objects.filter(project=project, pk=key).first()
    return document_of(found) if found else None


def write_folder(project: Project, key: str, document: Mapping[str, Any], what: str, user: Any) -> None:
    """Make a folder as its document says, for the record. Raises TexelError where it cannot lie there any more."""
    lock_project(project.pk)
    row = Folder.objects.get(project=project, pk=key)
    tree = tree_of(project)
    if document["there"]:
        parent = document["parent"] if document["parent"] in tree.rows else None
        _refuse_misplaced(tree, row.pk if row.pk in tree.rows else None, parent, document["name"])
        row.removed, row.name, row.parent_id = None, document["name"], parent
    else:
        if TextureSet.objects.filter(folder=row).exists() or any(entry.parent_id == row.pk for entry in tree.rows.values()):
            raise TexelError(row.name, "holds sets or folders by now.", "Move them elsewhere first, or remove the folder.")
        row.removed = timezone.now()
    row.save()


def plain_name(name: str) -> str:
    """A folder's name without stray spaces. Raises TexelError for one that is empty, too long, or holds a slash."""
    plain = " ".join(name.split())
    if not 1 <= len(plain) <= LONGEST_NAME or _FORBIDDEN & set(plain) or plain in (".", ".."):
        shown = f"“{plain[:60]}”" if plain else "The name"
        problem = f"will not do as a folder's name: 1–{LONGEST_NAME} characters without slashes."
        raise TexelError(shown, problem, "Choose another.")
    return plain


def _there(tree: Tree, folder: int) -> Folder:
    if folder not in tree.rows:
        raise TexelError("The folder", "is not there any more.", "Reload the page.")
    return tree.rows[folder]


def _refuse_misplaced(tree: Tree, folder: int | None, parent: int | None, name: str) -> None:
    """Raise TexelError unless a folder (None: a new one) may lie in `parent` under a name."""
    if parent is not None:
        _there(tree, parent)
        if folder is not None and parent in tree.inside(folder):
            raise TexelError(name, "cannot lie in itself, or in a folder inside it.", "Choose another place.")
        below = max((tree.paths[key].count("/") for key in tree.inside(folder)), default=0) if folder in tree.rows else 0
        depth = tree.paths[parent].count("/") + 2 + (below - tree.paths[folder].count("/") if folder in tree.rows else 0)
        if depth > DEEPEST:
            raise TexelError(name, f"would lie {depth} folders deep; {DEEPEST} is the limit.", "Choose a place further up.")
    if name.casefold() in _names(tree.rows.values(), parent, folder):
        raise TexelError(name, "is the name of another folder there.", "Choose another name.")


def _names(rows: Iterable[Folder], parent: int | None, without: int | None) -> set[str]:
    return {row.name.casefold() for row in rows if row.parent_id == parent and row.pk != without}


def _free(name: str, taken: set[str]) -> str:
    wanted, number = name, 2
    while wanted.casefold() in taken:
        wanted, number = f"{name[: LONGEST_NAME - 4]} {number}", number + 1
    return wanted
