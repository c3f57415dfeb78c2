"""Many sets at once: folders, changes of many sets, and long work on them; and notes beside a set."""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from django.http import HttpRequest
from ninja import Field, Router, Schema

from texelweb.accounts.access import Access, enter
from texelweb.accounts.receiving import ProgramAuth, page_auth
from texelweb.api.schemas import ErrorBody, JobView
from texelweb.api.sets.sets import enter_set
from texelweb.bulk.models import Bulk, BulkItem
from texelweb.bulk.run import MOST_SETS, ask_for, not_done
from texelweb.library.pins import ensure
from texelweb.projects.models import Role
from texelweb.refusals import Refused, not_found
from texelweb.sets.changing import folders, notes
from texelweb.sets.changing.bulk import SetsChange, change_sets
from texelweb.sets.changing.ledgers import assign_many
from texelweb.sets.models import Folder, SetNote

router = Router(tags=["many sets"])


class FolderView(Schema):
    """A folder of a project; `path` is its name after those of the folders around it."""

    id: int
    parent: int | None
    name: str
    path: str


class NewFolder(Schema):
    """A folder's name, and the folder that it is to lie in; null is the project itself."""

    name: str = Field(max_length=200)
    parent: int | None = None


class FolderName(Schema):
    """Another name."""

    name: str = Field(max_length=200)


class FolderPlace(Schema):
    """Another folder to lie in; null is the project itself."""

    parent: int | None


class Seen(Schema):
    """A set, with the number of its newest edit that the page has; null makes no such promise."""

    id: int
    seen: int | None = None


class Place(Schema):
    """Where sets move to: a folder, or null for the project itself."""

    folder: int | None


class SetsChanging(Schema):
    """What is to change about many sets; null leaves it."""

    sets: list[Seen] = Field(min_length=1, max_length=MOST_SETS)
    place: Place | None = None
    add_tags: list[str] = Field(default=[], max_length=30)
    drop_tags: list[str] = Field(default=[], max_length=30)
    target: str | None = Field(default=None, max_length=100)
    surface: bool | None = None
    remove: bool = False


class SetsChanged(Schema):
    """How many sets are not as they were."""

    changed: int


class OpenFileTaken(Schema):
    """A file of no set, and the set that it goes into with the newest edit of it that was seen."""

    file: int
    set: Seen


class OpenFilesTaken(Schema):
    """Files of no set that are one property each of a set that lacks it."""

    property: str = Field(max_length=64)
    inverted: bool = False
    files: list[OpenFileTaken] = Field(min_length=1, max_length=MOST_SETS)


class NewBulk(Schema):
    """Work on many sets; without sets it is on all that are not built as they are now."""

    action: Literal["build", "prove", "dress", "deliver"]
    sets: list[int] | None = Field(default=None, max_length=MOST_SETS)
    master: str = Field(default="", max_length=64)


class BulkLine(Schema):
    """How one set fares: what was done, why nothing was to be done, or what is wrong and the way out."""

    set_id: int
    name: str
    state: Literal["waiting", "running", "done", "skipped", "failed"]
    said: str
    problem: str
    way_out: str


class BulkView(Schema):
    """Work on many sets, and how each of them fares."""

    id: int
    action: Literal["build", "prove", "dress", "deliver"]
    job: JobView | None
    items: list[BulkLine]


class NoteView(Schema):
    """A note beside a set."""

    id: int
    text: str
    by: str
    at: datetime
    mine: bool


class NewNote(Schema):
    """What is to be written."""

    text: str = Field(max_length=4000)


# Build machines ask for these too, with an access token.
MACHINES = [ProgramAuth(), page_auth]
REFUSALS = {403: ErrorBody, 404: ErrorBody, 409: ErrorBody}
FOLDERS = {200: list[FolderView], **REFUSALS}
NOTES = {200: list[NoteView], **REFUSALS}


@router.get("/projects/{slug}/folders", response=FOLDERS, operation_id="list_folders")
def list_folders(request: HttpRequest, slug: str) -> list[FolderView]:
    """A project's folders, by their paths."""
    return _folders(enter(request, slug))


@router.post("/projects/{slug}/folders", response=FOLDERS, operation_id="make_folder")
def make_folder(request: HttpRequest, slug: str, body: NewFolder) -> list[FolderView]:
    """Make a folder."""
    access = enter(request, slug, Role.ARTIST)
    folders.make_folder(access.project, body.name, body.parent, access.user)
    return _folders(access)


@router.put("/projects/{slug}/folders/{folder_id}/name", response=FOLDERS, operation_id="rename_folder")
def rename_folder(request: HttpRequest, slug: str, folder_id: int, body: FolderName, seen: str) -> list[FolderView]:
    """Give a folder another name. `seen`, here and below, is the path that the page shows for it; where somebody else has changed
    that since, nothing is done."""
    access = _enter_folder(request, slug, folder_id)
    folders.rename_folder(access.project, folder_id, body.name, seen, access.user)
    return _folders(access)


@router.put("/projects/{slug}/folders/{folder_id}/place", response=FOLDERS, operation_id="move_folder")
def move_folder(request: HttpRequest, slug: str, folder_id: int, body: FolderPlace, seen: str) -> list[FolderView]:
    """Move a folder, with all in it, into another."""
    access = _enter_folder(request, slug, folder_id)
    folders.move_folder(access.project, folder_id, body.parent, seen, access.user)
    return _folders(access)


@router.delete("/projects/{slug}/folders/{folder_id}", response=FOLDERS, operation_id="remove_folder")
def remove_folder(request: HttpRequest, slug: str, folder_id: int, seen: str) -> list[FolderView]:
    """Remove a folder: what lies in it lies in the one around it from then on."""
    access = _enter_folder(request, slug, folder_id)
    folders.remove_folder(access.project, folder_id, seen, access.user)
    return _folders(access)


@router.post("/projects/{slug}/open-files/assign", response={200: SetsChanged, **REFUSALS}, operation_id="assign_open_files")
def assign_open_files(request: HttpRequest, slug: str, body: OpenFilesTaken) -> SetsChanged:
    """Give many sets one property each from a file of no set: all or none of them."""
    access = enter(request, slug, Role.ARTIST)
    files = access.project.files.filter(set=None).in_bulk([taken.file for taken in body.files])
    sets = access.project.sets.in_bulk([taken.set.id for taken in body.files])
    if any(taken.file not in files for taken in body.files):
        raise not_found("One of the files")
    if any(taken.set.id not in sets for taken in body.files):
        raise not_found("One of the sets")
    pairs = [(files[taken.file], sets[taken.set.id], taken.set.seen) for taken in body.files]
    return SetsChanged(changed=len(assign_many(pairs, body.property, access.user, inverted=body.inverted)))


@router.post("/projects/{slug}/sets/change", response={200: SetsChanged, **REFUSALS}, operation_id="change_sets")
def post_change_sets(request: HttpRequest, slug: str, body: SetsChanging) -> SetsChanged:
    """Move, tag, give another target or kind to, or remove many sets, as one act that one undo takes back. Where somebody else
    has changed one of them since the page looked, nothing is done and the answer says what they did."""
    access = enter(request, slug, Role.ARTIST)
    change = SetsChange(
        moves=body.place is not None,
        folder=body.place.folder if body.place else None,
        add_tags=body.add_tags,
        drop_tags=body.drop_tags,
        target=ensure(access.project, body.target, access.user) if body.target else None,
        every_target=body.target == "",
        surface=body.surface,
        removes=body.remove,
    )
    wanted = {texture_set.id: texture_set.seen for texture_set in body.sets}
    if access.project.sets.filter(pk__in=wanted).count() != len(wanted):
        raise not_found("One of the sets")
    return SetsChanged(changed=change_sets(access.project, wanted, change, access.user))


@router.post("/projects/{slug}/bulk", response={200: BulkView, **REFUSALS}, operation_id="start_bulk", auth=MACHINES)
def start_bulk(request: HttpRequest, slug: str, body: NewBulk) -> BulkView:
    """Build, prove, dress or deliver many sets, as one job. What each set is made for is its own target."""
    access = enter(request, slug, Role.ARTIST)
    action = Bulk.Action(body.action)
    sets = not_done(access.project, action) if body.sets is None else body.sets
    if body.sets is None and not sets:
        raise Refused(
            409, access.project.title, f"has nothing to {action}: every set that can be is done as it is now.", "Go on."
        )
    return _bulk(ask_for(access.project, action, sets, access.user, body.master))


@router.get("/bulk/{bulk_id}", response={200: BulkView, 404: ErrorBody}, operation_id="get_bulk", auth=MACHINES)
def get_bulk(request: HttpRequest, bulk_id: int) -> BulkView:
    """Work on many sets, and how each of them fares."""
    found = Bulk.objects.filter(pk=bulk_id).select_related("project", "job").first()
    if found is None:
        raise not_found("The work")
    enter(request, found.project)
    return _bulk(found)


@router.get("/sets/{set_id}/notes", response=NOTES, operation_id="list_notes")
def list_notes(request: HttpRequest, set_id: int) -> list[NoteView]:
    """What people have written beside a set, newest first."""
    texture_set, access = enter_set(request, set_id)
    found = texture_set.notes.filter(removed=None).select_related("by").order_by("-pk")
    return [_note(entry, access) for entry in found]


@router.post("/sets/{set_id}/notes", response=NOTES, operation_id="write_note")
def write_note(request: HttpRequest, set_id: int, body: NewNote) -> list[NoteView]:
    """Write a note beside a set."""
    texture_set, access = enter_set(request, set_id, Role.ARTIST)
    notes.write(texture_set, body.text, access.user)
    return list_notes(request, set_id)


@router.delete("/sets/{set_id}/notes/{note_id}", response=NOTES, operation_id="remove_note")
def remove_note(request: HttpRequest, set_id: int, note_id: int) -> list[NoteView]:
    """Remove a note; the record can bring it back."""
    texture_set, access = enter_set(request, set_id, Role.ARTIST)
    found = texture_set.notes.filter(pk=note_id, removed=None).select_related("set__project").first()
    if found is None:
        raise not_found("The note")
    notes.remove(found, access.user)
    return list_notes(request, set_id)


def _enter_folder(request: HttpRequest, slug: str, folder_id: int) -> Access:
    access = enter(request, slug, Role.ARTIST)
    if not Folder.objects.filter(project=access.project, pk=folder_id, removed=None).exists():
        raise not_found("The folder")
    return access


def _folders(access: Access) -> list[FolderView]:
    tree = folders.tree_of(access.project)
    found = [FolderView(id=key, parent=row.parent_id, name=row.name, path=tree.paths[key]) for key, row in tree.rows.items()]
    return sorted(found, key=lambda entry: entry.path.casefold())


def _bulk(bulk: Bulk) -> BulkView:
    items = BulkItem.objects.filter(bulk=bulk).select_related("set")
    return BulkView(
        id=bulk.pk,
        action=bulk.action,
        job=JobView.from_orm(bulk.job) if bulk.job else None,
        items=[
            BulkLine(
                set_id=item.set_id,
                name=item.set.name,
                state=item.state,
                said=item.said,
                problem=item.problem,
                way_out=item.way_out,
            )
            for item in items
        ],
    )


def _note(note: SetNote, access: Access) -> NoteView:
    by = note.by.get_username() if note.by else ""
    return NoteView(id=note.pk, text=note.text, by=by, at=note.at, mine=note.by_id == access.user.pk)
