"""Targets of the studio: drafted, published, copied, deprecated, brought in from a file, and deleted while nobody uses them."""

from __future__ import annotations

import json
from typing import Any

from django.db import transaction
from django.db.models import ProtectedError
from django.utils import timezone
from django.utils.text import slugify

from texelcore.pixels.errors import TexelError
from texelcore.targets.document import Target
from texelcore.targets.library import shipped_versions
from texelcore.targets.problems import check_target
from texelweb.library.models import StudioTarget, TargetDraft, TargetVersion
from texelweb.library.pins import TARGET
from texelweb.projects.models import Project
from texelweb.projects.versions import append_version
from texelweb.record.steps import note_deed
from texelweb.refusals import Overtaken

LONGEST_DRAFT = 400_000
LONGEST_NAME = 48
# What a target begins as that is made from nothing: no outputs yet.
EMPTY: dict[str, Any] = {
    "summary": "",
    "normal_y": "+Y",
    "name_template": "{set}_{suffix}",
    "folder_template": "{set}",
    "outputs": [],
}


def install_shipped() -> None:
    """Put the targets that ship into the studio, where it does not have them yet."""
    for document in shipped_versions().values():
        with transaction.atomic():
            target, _ = StudioTarget.objects.get_or_create(name=document.name, defaults={"title": document.title})
            body = document.model_dump(mode="json")
            said = {"document_json": body, "what": "Shipped"}
            TargetVersion.objects.get_or_create(target=target, number=document.version, defaults=said)


@transaction.atomic
def make_target(title: str, body: dict[str, Any], user: Any, base: str = "") -> StudioTarget:
    """A new target with a draft and no version. `base` says in the record what it was made from. Raises TexelError for a title
    that gives no name."""
    plain = " ".join(title.split())
    if not 1 <= len(plain) <= 80:
        raise TexelError("The title", f"has {len(plain)} characters; a target's title has 1 to 80.", "Enter a title.")
    target = StudioTarget.objects.create(name=_free_name(plain), title=plain, by=user)
    draft = dict(body) | {"name": target.name, "title": plain, "version": 1}
    _hold_size(draft, plain)
    TargetDraft.objects.create(target=target, document_json=draft, changed_by=user)
    note_deed(None, TARGET, f"Begun{f' from {base}' if base else ''}", user, plain, target.name)
    return target


@transaction.atomic
def begin_draft(target: StudioTarget, user: Any, body: dict[str, Any] | None = None) -> TargetDraft:
    """The draft of a target's next version: the one that is there, or a new one that begins as `body` or as the newest version.
    Raises TexelError where there is one already that `body` would overwrite."""
    held = StudioTarget.objects.select_for_update().get(pk=target.pk)
    known = TargetDraft.objects.filter(target=held).select_related("changed_by").first()
    if known and body is not None:
        who = known.changed_by.get_username() if known.changed_by else "somebody"
        raise TexelError(held.title, f"is being drafted already, by {who}.", "Publish or discard that draft first.")
    if known:
        return known
    latest = held.latest
    begun = body if body is not None else (latest.document.model_dump(mode="json") if latest else EMPTY)
    number = latest.number if latest else 0
    draft = {"title": held.title} | begun | {"name": held.name, "version": number + 1}
    _hold_size(draft, held.title)
    return TargetDraft.objects.create(target=held, document_json=draft, base=number, changed_by=user)


@transaction.atomic
def save_draft(target: StudioTarget, body: dict[str, Any], seen: int, user: Any) -> TargetDraft:
    """Keep a draft as it is now. It need not hold. `seen` is the edit that it was made from. Raises Overtaken when somebody else
    has changed it since, TexelError when there is none."""
    draft = TargetDraft.objects.select_for_update(of=("self",)).select_related("changed_by").filter(target=target).first()
    if draft is None:
        raise Overtaken(target.title, "is not being drafted any more: somebody published or discarded it.", "Reload.")
    number = draft.document_json.get("version", 1)
    wanted = body | {"name": target.name, "version": number}
    _hold_size(wanted, target.title)
    if draft.edit != seen and draft.document_json != wanted:
        who = draft.changed_by.get_username() if draft.changed_by else "somebody"
        raise Overtaken(target.title, f"was changed by {who} since you looked.", "Load that draft, then make your change again.")
    if draft.document_json != wanted:
        draft.document_json, draft.edit, draft.changed_by = wanted, draft.edit + 1, user
        draft.save()
    return draft


@transaction.atomic
def discard_draft(target: StudioTarget, user: Any) -> bool:
    """Throw a draft away; a target that was never published goes with it. Gives whether the target is still there."""
    held = StudioTarget.objects.select_for_update().get(pk=target.pk)
    gone, _ = TargetDraft.objects.filter(target=held).delete()
    if gone:
        note_deed(None, TARGET, "Draft discarded", user, held.title, held.name)
    if held.latest is None:
        held.delete()
        return False
    return True


@transaction.atomic
def publish(target: StudioTarget, seen: int, note: str, user: Any) -> TargetVersion:
    """Publish a draft as the next version; projects stay on theirs. Raises TexelError with the first mistake of a draft that does
    not hold, Overtaken when it is not the draft that was looked at."""
    held = StudioTarget.objects.select_for_update().get(pk=target.pk)
    draft = TargetDraft.objects.filter(target=held).select_related("changed_by").first()
    if draft is None or draft.edit != seen:
        raise Overtaken(held.title, "was changed or published by somebody else since you looked.", "Reload, and look again.")
    latest = held.latest
    number = latest.number if latest else 0
    document, problems = check_target(draft.document_json | {"name": held.name, "version": number + 1})
    if document is None:
        more = f" {len(problems) - 1} more mistakes follow." if len(problems) > 1 else ""
        raise TexelError(held.title, f"does not hold yet: {problems[0].said}{more}", problems[0].way_out)
    made = append_version(held, TargetVersion, document, note.strip() or "No note", user, number, held.title)
    draft.delete()
    held.title = document.title
    held.save(update_fields=["title"])
    what = f"Version {made.number} published: {made.what}"
    note_deed(None, TARGET, what, user, held.title, held.name)
    for project in Project.objects.filter(targets__name=held.name):
        note_deed(project, TARGET, what, user, held.title, held.name)
    return made


@transaction.atomic
def deprecate(target: StudioTarget, on: bool, successor: StudioTarget | None, user: Any) -> None:
    """Say that a target is no longer to be taken, and what is taken instead; or that it is again. Projects that have it keep
    it."""
    if on and successor and successor.pk == target.pk:
        raise TexelError(target.title, "cannot be its own successor.", "Choose another target, or none.")
    target.deprecated, target.successor = (timezone.now(), successor) if on else (None, None)
    target.save(update_fields=["deprecated", "successor"])
    said = f"Deprecated{f'; {successor.title} takes its place' if successor else ''}" if on else "No longer deprecated"
    note_deed(None, TARGET, said, user, target.title, target.name)


@transaction.atomic
def delete(target: StudioTarget, user: Any) -> None:
    """Delete a target that no project, build or delivery uses. Raises TexelError for one that is used."""
    title, name = target.title, target.name
    if titles := list(Project.objects.filter(targets__name=name).order_by("title").values_list("title", flat=True)):
        raise TexelError(title, f"is used by {', '.join(titles)}.", "Take it out of these projects first, or deprecate it.")
    try:
        target.delete()
    except ProtectedError as error:
        problem = "is kept: builds or deliveries were made with it."
        raise TexelError(title, problem, "Deprecate it: nobody takes it any more then.") from error
    note_deed(None, TARGET, "Deleted", user, title, name)


@transaction.atomic
def bring_in(document: Target, user: Any) -> StudioTarget:
    """A target from a file: a new one, or the draft of the next version of one by that name. What the studio has as it is in the
    file changes nothing. Raises TexelError where it is being drafted already."""
    known = StudioTarget.objects.filter(name=document.name).first()
    body = document.model_dump(mode="json")
    if known is None:
        made = StudioTarget.objects.create(name=document.name, title=document.title, by=user)
        TargetDraft.objects.create(target=made, document_json=body | {"version": 1}, changed_by=user)
        note_deed(None, TARGET, "Brought in from a file", user, made.title, made.name)
        return made
    if not any(same_target(entry.document, document) for entry in known.versions.all()):
        begin_draft(known, user, body)
        note_deed(None, TARGET, "Draft brought in from a file", user, known.title, known.name)
    return known


def same_target(one: Target, other: Target) -> bool:
    """Whether two documents say the same, whatever their numbers."""
    return one.model_copy(update={"version": 1}) == other.model_copy(update={"version": 1})


def _hold_size(body: dict[str, Any], title: str) -> None:
    length = len(json.dumps(body))
    if length > LONGEST_DRAFT:
        problem = f"takes {length:,} characters; a draft has at most {LONGEST_DRAFT:,}."
        raise TexelError(title, problem, "Split it into several targets.")


def _free_name(title: str) -> str:
    name = slugify(title)[: LONGEST_NAME - 4].strip("-").replace("_", "-") or "target"
    taken = set(StudioTarget.objects.filter(name__startswith=name).values_list("name", flat=True))
    wanted, number = name, 2
    while wanted in taken:
        wanted, number = f"{name}-{number}", number + 1
    return wanted
