"""Versions of documents: house rules, tolerances, masters and targets. A new one is made from the newest, or not at all."""

from __future__ import annotations

from typing import Any, TypeVar

from django.db import models, transaction
from pydantic import BaseModel

from texelweb.projects.models import DocumentVersion, Project
from texelweb.refusals import Overtaken

V = TypeVar("V", bound=DocumentVersion)


def newest_number(owner: models.Model, table: type[DocumentVersion]) -> int:
    """The number of the newest version; 0 before anybody wrote one."""
    return _versions(owner, table).values_list("number", flat=True).first() or 0


@transaction.atomic
def append_version(
    owner: models.Model, table: type[V], document: BaseModel, what: str, user: Any, base: int | None, title: str
) -> V:
    """Keep a document as the newest version of its owner: a project, a master, a target. `base` is the version that it was made
    from; None asks for no such promise. Raises Overtaken when there is a newer one than that."""
    type(owner)._default_manager.select_for_update(no_key=True).get(pk=owner.pk)
    newest = _versions(owner, table).select_related("by").first()
    number = newest.number if newest else 0
    body = document.model_dump(mode="json")
    if newest and newest.by == user and newest.document_json == body:
        # Sent again since the answer was lost: it is kept already.
        return newest
    if newest and base is not None and base != number:
        by = newest.by.get_username() if newest.by else "somebody"
        problem = f"{'are' if isinstance(owner, Project) else 'is'} at version {number} by now ({by}: {newest.what})."
        raise Overtaken(title, problem, "Load that version, then make your change again.")
    return table.objects.create(**{_owner_of(table): owner}, number=number + 1, document_json=body, what=what[:300], by=user)


def _versions(owner: models.Model, table: type[V]) -> models.QuerySet[V]:
    return table.objects.filter(**{_owner_of(table): owner}).order_by("-number")


def _owner_of(table: type[DocumentVersion]) -> str:
    """The field of a table of versions that says whose they are: its only reference beside that to who made it."""
    return next(field.name for field in table._meta.fields if field.is_relation and field.name != "by")
