"""Versions of a project's documents: house rules and tolerances. A new one is made from the newest, or not at all."""

from __future__ import annotations

from typing import Any, TypeVar

from django.db import transaction
from pydantic import BaseModel

from texelweb.projects.models import DocumentVersion, Project
from texelweb.refusals import Overtaken

V = TypeVar("V", bound=DocumentVersion)


def newest_number(project: Project, table: type[DocumentVersion]) -> int:
    """The number of the newest version; 0 before anybody wrote one."""
    return table.objects.filter(project=project).order_by("-number").values_list("number", flat=True).first() or 0


@transaction.atomic
def save_version(project: Project, table: type[V], document: BaseModel, what: str, user: Any, base: int | None, title: str) -> V:
    """Keep a document as the newest version. `base` is the version that it was made from; None asks for no such promise. Raises
    Overtaken when there is a newer one than that."""
    Project.objects.select_for_update(no_key=True).get(pk=project.pk)
    newest = table.objects.filter(project=project).select_related("by").order_by("-number").first()
    number = newest.number if newest else 0
    body = document.model_dump(mode="json")
    if newest and newest.by == user and newest.document_json == body:
        # Sent again since the answer was lost: it is kept already.
        return newest
    if newest and base is not None and base != number:
        by = newest.by.get_username() if newest.by else "somebody"
        problem = f"are at version {number} by now ({by}: {newest.what})."
        raise Overtaken(title, problem, "Load that version, then make your change again.")
    return table.objects.create(project=project, number=number + 1, document_json=body, what=what[:300], by=user)
