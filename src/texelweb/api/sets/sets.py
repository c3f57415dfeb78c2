"""A set's page: its ledger, changed by hand."""

from __future__ import annotations

from django.http import HttpRequest
from ninja import Field, Router, Schema, Status

from texelcore.surface.files import ChannelName
from texelcore.surface.origin import Origin
from texelcore.surface.properties import Encoding, NormalY
from texelcore.surface.storage import Storage
from texelweb.accounts.access import Access, enter
from texelweb.api.schemas import ErrorBody, SetView
from texelweb.api.sets import views
from texelweb.library.pins import ensure, pins_of
from texelweb.masters import masks
from texelweb.projects.models import Role
from texelweb.refusals import not_found
from texelweb.sets.answering import questions
from texelweb.sets.changing import ledgers, removal, reshape
from texelweb.sets.models import SourceFile, TextureSet

router = Router(tags=["sets"])
ANSWERS = {200: SetView, 403: ErrorBody, 404: ErrorBody, 409: ErrorBody}


class Assignment(Schema):
    """How a row is to be filled by hand: a channel for each component, or null to take the file as a whole. A normal's
    direction that is not said is the one that its pixels show."""

    file: int
    channels: list[ChannelName] | None = None
    inverted: bool = False
    normal_y: NormalY | None = None
    encoding: Encoding | None = None


class SetChange(Schema):
    """A new name or target for a set, and whether it is a surface or holds what masters read beside one; null leaves a thing."""

    name: str | None = Field(default=None, max_length=1000)
    target: str | None = Field(default=None, max_length=100)
    surface: bool | None = None


class MaskName(Schema):
    """What a mask is to be called."""

    name: str = Field(max_length=1000)


class Merging(Schema):
    """The set that is to be taken in."""

    other: int


class Splitting(Schema):
    """What goes to the new set: rows by their properties, left-out files by their ids; and its name."""

    rows: list[str] = Field(min_length=1, max_length=200)
    left_out: list[int] = Field(default=[], max_length=2000)
    name: str = Field(max_length=1000)


class Copying(Schema):
    """The project that is to have a copy."""

    project: str = Field(max_length=50)


def enter_set(request: HttpRequest, set_id: int, least: Role = Role.GUEST) -> tuple[TextureSet, Access]:
    """A set and the asking user's access to its project. Raises Refused as `enter` does."""
    texture_set = TextureSet.objects.filter(pk=set_id).select_related("project").first()
    if texture_set is None:
        raise not_found("The set")
    return texture_set, enter(request, texture_set.project, least)


def _changed(texture_set: TextureSet, access: Access) -> SetView:
    """A set whose ledger was changed by hand: what was open about it may be settled by that, or open again."""
    questions.refresh_set(texture_set)
    return views.set_view(texture_set, access)


@router.get("/sets/{set_id}", response={200: SetView, 404: ErrorBody}, operation_id="get_set")
def get_set(request: HttpRequest, set_id: int) -> SetView:
    """A set's page."""
    return views.set_view(*enter_set(request, set_id))


@router.patch("/sets/{set_id}", response=ANSWERS, operation_id="change_set")
def change_set(request: HttpRequest, set_id: int, body: SetChange, seen: int) -> SetView:
    """Rename a set, choose its target, say whether it is a surface, or all at once. `seen`, here and below, is the number of the
    set's newest edit that the page has; where somebody else has changed the set since, nothing is done and the answer says what
    they did."""
    texture_set, access = enter_set(request, set_id, Role.ARTIST)
    target = ensure(access.project, body.target, access.user) if body.target else None
    every = body.target == ""
    changed = ledgers.describe(
        texture_set, access.user, name=body.name, target=target, every=every, surface=body.surface, seen=seen
    )
    return _changed(changed, access)


@router.delete("/sets/{set_id}", response={204: None, 403: ErrorBody, 404: ErrorBody}, operation_id="remove_set")
def remove_set(request: HttpRequest, set_id: int) -> Status[None]:
    """Remove a set; its files stay. It is kept aside for 30 days, and can be brought back from the record."""
    texture_set, access = enter_set(request, set_id, Role.ARTIST)
    let_go = set(texture_set.files.values_list("pk", flat=True))
    removal.remove_set(texture_set, access.user)
    questions.refresh(access.project, questions.Touched(files=let_go))
    return Status(204, None)


@router.put("/sets/{set_id}/rows/{key}", response=ANSWERS, operation_id="assign_row")
def assign_row(request: HttpRequest, set_id: int, key: str, body: Assignment, seen: int) -> SetView:
    """Fill a property's row with channels of a file of the same project."""
    texture_set, access = enter_set(request, set_id, Role.ARTIST)
    file = SourceFile.objects.filter(pk=body.file, project=access.project).first()
    if file is None:
        raise not_found("The file")
    changed = ledgers.assign(
        texture_set,
        key,
        file,
        None if body.channels is None else tuple(body.channels),
        access.user,
        inverted=body.inverted,
        normal_y=body.normal_y,
        encoding=body.encoding,
        seen=seen,
    )
    return _changed(changed, access)


@router.delete("/sets/{set_id}/rows/{key}", response=ANSWERS, operation_id="clear_row")
def clear_row(request: HttpRequest, set_id: int, key: str, seen: int) -> SetView:
    """Empty a property's row."""
    texture_set, access = enter_set(request, set_id, Role.ARTIST)
    if texture_set.ledger.row(key) is None:
        raise not_found("The row")
    return _changed(ledgers.clear(texture_set, key, access.user, seen), access)


@router.put("/sets/{set_id}/rows/{key}/name", response=ANSWERS, operation_id="rename_mask")
def rename_mask(request: HttpRequest, set_id: int, key: str, body: MaskName, seen: int) -> SetView:
    """Give a mask another name; variants that read it go on reading it."""
    texture_set, access = enter_set(request, set_id, Role.ARTIST)
    return _changed(masks.rename_mask(texture_set, key, body.name, access.user, seen), access)


@router.post("/sets/{set_id}/merge", response=ANSWERS, operation_id="merge_sets")
def merge_sets(request: HttpRequest, set_id: int, body: Merging, seen: int) -> SetView:
    """Take another set of the project into this one; the other is removed. What both have stays as it is here."""
    texture_set, access = enter_set(request, set_id, Role.ARTIST)
    other = access.project.sets.filter(pk=body.other).first()
    if other is None:
        raise not_found("The other set")
    return views.set_view(reshape.merge(texture_set, other, access.user, seen), access)


@router.post("/sets/{set_id}/split", response=ANSWERS, operation_id="split_set")
def split_set(request: HttpRequest, set_id: int, body: Splitting, seen: int) -> SetView:
    """Make a new set of some rows and left-out files of this one; gives the new one."""
    texture_set, access = enter_set(request, set_id, Role.ARTIST)
    left_out = {str(file) for file in body.left_out}
    made = reshape.split(texture_set, body.rows, left_out, body.name, access.user, seen)
    return views.set_view(made, access)


@router.post("/sets/{set_id}/copy", response=ANSWERS, operation_id="copy_set")
def copy_set(request: HttpRequest, set_id: int, body: Copying) -> SetView:
    """Copy this set with its ledger into another project; gives the copy. It takes the role artist there, and to see it here."""
    texture_set, _ = enter_set(request, set_id)
    there = enter(request, body.project, Role.ARTIST)
    return views.set_view(reshape.copy(texture_set, there.project, there.user), there)


@router.put("/sets/{set_id}/origin", response=ANSWERS, operation_id="set_origin")
def set_origin(request: HttpRequest, set_id: int, body: Origin, seen: int) -> SetView:
    """Write down where a set came from and under what terms."""
    texture_set, access = enter_set(request, set_id, Role.ARTIST)
    return views.set_view(ledgers.set_origin(texture_set, body, access.user, seen), access)


@router.put("/sets/{set_id}/storage/{output}", response=ANSWERS, operation_id="choose_storage")
def choose_storage(request: HttpRequest, set_id: int, output: str, body: Storage, seen: int) -> SetView:
    """Store an output of the set's target otherwise than the target says."""
    texture_set, access = enter_set(request, set_id, Role.ARTIST)
    changed = ledgers.store(
        texture_set, pins_of(access.project).seen(texture_set.target, access.looks_at), output, body, access.user, seen
    )
    return views.set_view(changed, access)


@router.delete("/sets/{set_id}/storage/{output}", response=ANSWERS, operation_id="reset_storage")
def reset_storage(request: HttpRequest, set_id: int, output: str, seen: int) -> SetView:
    """Store an output as the target says again."""
    texture_set, access = enter_set(request, set_id, Role.ARTIST)
    target = pins_of(access.project).seen(texture_set.target, access.looks_at)
    return views.set_view(ledgers.store(texture_set, target, output, None, access.user, seen), access)
