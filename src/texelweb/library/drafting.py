"""Documents of the studio, drafted and published: targets and masters. What is written here is said once for all of them."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from django.db import models, transaction
from django.db.models import ProtectedError
from django.utils import timezone
from django.utils.text import slugify
from pydantic import BaseModel

from texelcore.pixels.errors import TexelError
from texelweb.projects.models import DocumentDraft, DocumentVersion, Project, StudioDocument
from texelweb.projects.versions import append_version
from texelweb.record.steps import note_deed
from texelweb.refusals import Overtaken


@dataclass(frozen=True)
class Mistake:
    """What is wrong with a draft, and the way out."""

    said: str
    way_out: str


@dataclass(frozen=True)
class Drafting:
    """One kind of document: its tables, what it is called in the record and in words, and how it is read and used.

    `held_as` is the field of drafts and versions that says whose they are. `read` gives a document, or None and its mistakes,
    the first first. `users` are the projects that use one by its row."""

    owners: type[StudioDocument]
    drafts: type[DocumentDraft]
    versions: type[DocumentVersion]
    held_as: str
    kind: str
    empty: Mapping[str, Any]
    read: Callable[[Any], tuple[BaseModel | None, list[Mistake]]]
    users: Callable[[Any], models.QuerySet[Project]]
    # What of a document counts when two are compared: its number never does.
    counts: Callable[[Any], Any] = lambda document: document
    longest_name: int = 40
    longest_draft: int = 400_000

    def make(self, title: str, body: Mapping[str, Any], user: Any, base: str = "") -> Any:
        """A new one with a draft and no version. `base` says in the record what it was made from. Raises TexelError for a title
        that gives no name."""
        plain = " ".join(title.split())
        if not 1 <= len(plain) <= 80:
            raise TexelError("The title", f"has {len(plain)} characters; a {self.kind}’s title has 1 to 80.", "Enter a title.")
        with transaction.atomic():
            owner = self.owners.objects.create(name=self._free_name(plain), title=plain, by=user)
            draft = dict(body) | {"name": owner.name, "title": plain, "version": 1}
            self._hold_size(draft, plain)
            self.drafts.objects.create(**{self.held_as: owner}, document_json=draft, changed_by=user)
            note_deed(None, self.kind, f"Begun{f' from {base}' if base else ''}", user, plain, owner.name)
        return owner

    @transaction.atomic
    def begin(self, owner: Any, user: Any, body: Mapping[str, Any] | None = None) -> Any:
        """The draft of the next version: the one that is there, or a new one that begins as `body` or as the newest version.
        Raises TexelError where there is one already that `body` would overwrite."""
        held = self._locked(owner)
        known = self.draft_of(held)
        if known and body is not None:
            who = known.changed_by.get_username() if known.changed_by else "somebody"
            raise TexelError(held.title, f"is being drafted already, by {who}.", "Publish or discard that draft first.")
        if known:
            return known
        latest = held.latest
        begun = body if body is not None else (latest.document.model_dump(mode="json") if latest else self.empty)
        number = latest.number if latest else 0
        draft = {"title": held.title} | dict(begun) | {"name": held.name, "version": number + 1}
        self._hold_size(draft, held.title)
        return self.drafts.objects.create(**{self.held_as: held}, document_json=draft, base=number, changed_by=user)

    @transaction.atomic
    def save(self, owner: Any, body: Mapping[str, Any], seen: int, user: Any) -> Any:
        """Keep a draft as it is now. It need not hold. `seen` is the edit that it was made from. Raises Overtaken when somebody
        else has changed it since, or there is none any more."""
        draft = self.draft_of(owner, locked=True)
        if draft is None:
            raise Overtaken(owner.title, "is not being drafted any more: somebody published or discarded it.", "Reload.")
        wanted = dict(body) | {"name": owner.name, "version": draft.document_json.get("version", 1)}
        self._hold_size(wanted, owner.title)
        if draft.edit != seen and draft.document_json != wanted:
            who = draft.changed_by.get_username() if draft.changed_by else "somebody"
            raise Overtaken(
                owner.title, f"was changed by {who} since you looked.", "Load that draft, then make your change again."
            )
        if draft.document_json != wanted:
            draft.document_json, draft.edit, draft.changed_by = wanted, draft.edit + 1, user
            draft.save()
        return draft

    @transaction.atomic
    def discard(self, owner: Any, user: Any) -> bool:
        """Throw a draft away; what was never published goes with it. Gives whether it is still there."""
        held = self._locked(owner)
        gone, _ = self.drafts.objects.filter(**{self.held_as: held}).delete()
        if gone:
            note_deed(None, self.kind, "Draft discarded", user, held.title, held.name)
        if held.latest is None:
            held.delete()
            return False
        return True

    @transaction.atomic
    def publish(self, owner: Any, seen: int, note: str, user: Any) -> Any:
        """Publish a draft as the next version; whoever uses another stays on it. Raises TexelError with the first mistake of a
        draft that does not hold, Overtaken when it is not the draft that was looked at."""
        held = self._locked(owner)
        draft = self.draft_of(held)
        if draft is None or draft.edit != seen:
            raise Overtaken(held.title, "was changed or published by somebody else since you looked.", "Reload, and look again.")
        latest = held.latest
        number = latest.number if latest else 0
        document, mistakes = self.read(draft.document_json | {"name": held.name, "version": number + 1})
        if document is None:
            more = f" {len(mistakes) - 1} more mistakes follow." if len(mistakes) > 1 else ""
            raise TexelError(held.title, f"does not hold yet: {mistakes[0].said}{more}", mistakes[0].way_out)
        made = append_version(held, self.versions, document, note.strip() or "No note", user, number, held.title)
        draft.delete()
        held.title = document.title  # type: ignore[attr-defined]
        held.save(update_fields=["title"])
        what = f"Version {made.number} published: {made.what}"
        note_deed(None, self.kind, what, user, held.title, held.name)
        for project in self.users(held):
            note_deed(project, self.kind, what, user, held.title, held.name)
        return made

    @transaction.atomic
    def deprecate(self, owner: Any, on: bool, successor: Any, user: Any) -> None:
        """Say that one is no longer to be taken, and what is taken instead; or that it is again. Projects that have it keep
        it."""
        if on and successor and successor.pk == owner.pk:
            raise TexelError(owner.title, "cannot be its own successor.", f"Choose another {self.kind}, or none.")
        owner.deprecated, owner.successor = (timezone.now(), successor) if on else (None, None)
        owner.save(update_fields=["deprecated", "successor"])
        said = f"Deprecated{f'; {successor.title} takes its place' if successor else ''}" if on else "No longer deprecated"
        note_deed(None, self.kind, said, user, owner.title, owner.name)

    @transaction.atomic
    def delete(self, owner: Any, user: Any) -> None:
        """Delete one that nobody uses. Raises TexelError for one that is used."""
        title, name = owner.title, owner.name
        if titles := list(self.users(owner).order_by("title").values_list("title", flat=True)):
            raise TexelError(title, f"is used by {', '.join(titles)}.", "Take it out of these projects first, or deprecate it.")
        try:
            owner.delete()
        except ProtectedError as error:
            problem = "is kept: builds, deliveries or removed variants were made with it."
            raise TexelError(title, problem, "Deprecate it: nobody takes it any more then.") from error
        note_deed(None, self.kind, "Deleted", user, title, name)

    def same(self, document: Any) -> Any:
        """The newest version that says what a document says, whatever the numbers; None where the studio has no such version."""
        known = self.versions.objects.filter(**{f"{self.held_as}__name": document.name}).order_by("-number")
        wanted = self._said(document)
        return next((version for version in known if self._said(version.document) == wanted), None)

    def _said(self, document: Any) -> Any:
        return self.counts(document.model_copy(update={"version": 1}))

    @transaction.atomic
    def add(self, document: Any, what: str, user: Any) -> Any:
        """The version of the studio that says what a document says: one that it has, or its next one, made now. The number is the
        studio's; without a `user` it is something that ships. Raises TexelError for a document that does not hold."""
        owner, _ = self.owners.objects.get_or_create(name=document.name, defaults={"title": document.title, "by": user})
        held = self._locked(owner)
        if known := self.same(document):
            return known
        latest = held.latest
        number = latest.number + 1 if latest else 1
        if user is None:
            # What ships keeps its number, unless the studio has come so far by itself.
            number = max(number, document.version)
        kept, mistakes = self.read(document.model_dump(mode="json") | {"version": number})
        if kept is None:
            raise TexelError(document.title, f"does not hold: {mistakes[0].said}", mistakes[0].way_out)
        body = kept.model_dump(mode="json")
        version = self.versions.objects.create(
            **{self.held_as: held}, number=number, document_json=body, what=what[:300], by=user
        )
        if user is not None:
            note_deed(None, self.kind, f"Version {number} published: {what}", user, held.title, held.name)
        return version

    @transaction.atomic
    def take_away(self, version: Any, user: Any) -> bool:
        """Take back a version that was just added; False where it stays, since something was made with it meanwhile."""
        owner = self._locked(getattr(version, self.held_as))
        try:
            with transaction.atomic():
                version.delete()
        except ProtectedError:
            return False
        if owner.latest is None and self.draft_of(owner) is None:
            owner.delete()
        note_deed(None, self.kind, f"Version {version.number} taken back", user, owner.title, owner.name)
        return True

    def draft_of(self, owner: Any, locked: bool = False) -> Any:
        """The draft of one; None where it is not being drafted."""
        drafts = self.drafts.objects.select_for_update(of=("self",)) if locked else self.drafts.objects
        return drafts.select_related("changed_by").filter(**{self.held_as: owner}).first()

    def _locked(self, owner: Any) -> Any:
        return self.owners.objects.select_for_update().get(pk=owner.pk)

    def _hold_size(self, body: Mapping[str, Any], title: str) -> None:
        length = len(json.dumps(body))
        if length > self.longest_draft:
            problem = f"takes {length:,} characters; a draft has at most {self.longest_draft:,}."
            raise TexelError(title, problem, f"Split it into several {self.kind}s.")

    def _free_name(self, title: str) -> str:
        name = slugify(title)[: self.longest_name - 4].strip("-").replace("_", "-") or self.kind
        name = name if name[0].isalpha() else f"{self.kind}-{name}"[: self.longest_name - 4].strip("-")
        taken = set(self.owners.objects.filter(name__startswith=name).values_list("name", flat=True))
        wanted, number = name, 2
        while wanted in taken:
            wanted, number = f"{name}-{number}", number + 1
        return wanted
