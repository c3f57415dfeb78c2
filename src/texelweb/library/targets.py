"""Targets of the studio: those that ship, how they are drafted, and those that are brought in from a file."""

from __future__ import annotations

from typing import Any

from django.db import transaction

from texelcore.targets.document import Target
from texelcore.targets.library import shipped_versions
from texelcore.targets.problems import check_target
from texelweb.library.drafting import Drafting, Mistake
from texelweb.library.models import StudioTarget, TargetDraft, TargetVersion
from texelweb.library.pins import TARGET
from texelweb.projects.models import Project
from texelweb.record.steps import note_deed

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
        # A studio may have written a version of that number itself: what ships is its next one then, and neither is lost.
        TARGETS.add(document, "Shipped", None)


def _read(body: Any) -> tuple[Target | None, list[Mistake]]:
    document, problems = check_target(body)
    return document, [Mistake(problem.said, problem.way_out) for problem in problems]


TARGETS = Drafting(
    owners=StudioTarget,
    drafts=TargetDraft,
    versions=TargetVersion,
    held_as="target",
    kind=TARGET,
    empty=EMPTY,
    read=_read,
    users=lambda target: Project.objects.filter(targets__name=target.name),
    longest_name=48,
)


@transaction.atomic
def bring_in(document: Target, user: Any) -> StudioTarget:
    """A target from a file: a new one, or the draft of the next version of one by that name. What the studio has as it is in
    the file changes nothing. Raises TexelError where it is being drafted already."""
    known = StudioTarget.objects.filter(name=document.name).first()
    body = document.model_dump(mode="json")
    if known is None:
        made = StudioTarget.objects.create(name=document.name, title=document.title, by=user)
        TargetDraft.objects.create(target=made, document_json=body | {"version": 1}, changed_by=user)
        note_deed(None, TARGET, "Brought in from a file", user, made.title, made.name)
        return made
    if TARGETS.same(document) is None:
        TARGETS.begin(known, user, body)
        note_deed(None, TARGET, "Draft brought in from a file", user, known.title, known.name)
    return known
