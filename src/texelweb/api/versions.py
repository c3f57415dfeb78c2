"""Versions of a project's documents as the API tells of them: one line each, and what differs between two."""

from __future__ import annotations

from datetime import datetime
from typing import Any, TypeVar

from ninja import Schema
from pydantic import BaseModel

from texelcore.surface.changes import ABSENT, differing
from texelweb.projects.models import DocumentVersion, Project
from texelweb.refusals import not_found

MOST_SHOWN = 30
D = TypeVar("D", bound=BaseModel)


class VersionLine(Schema):
    """A version of a document in one line."""

    number: int
    what: str
    by: str
    at: datetime


class Difference(Schema):
    """One part of a document that two versions have otherwise: as it is now, and as it was then; null where one has none."""

    part: str
    now: Any
    then: Any


def version_lines(versions: Any) -> list[VersionLine]:
    """The last versions of a document, newest first."""
    return [
        VersionLine(number=version.number, what=version.what, by=version.by.get_username() if version.by else "", at=version.at)
        for version in versions.select_related("by").order_by("-number")[:MOST_SHOWN]
    ]


def document_of(project: Project, table: type[DocumentVersion], number: int, first: D) -> D:
    """One version of a document; `first` is version 0, which holds before anybody wrote one. Raises Refused for none such."""
    if number == 0:
        return first
    found = table.objects.filter(project=project, number=number).first()  # type: ignore[attr-defined]
    if found is None:
        raise not_found("The version")
    return type(first).model_validate(found.document_json)


def differences(now: BaseModel, then: BaseModel) -> list[Difference]:
    """What differs between a document as it is now and as it was then."""
    parts = differing(now.model_dump(mode="json"), then.model_dump(mode="json"))
    return [
        Difference(part=".".join(path), now=None if new is ABSENT else new, then=None if old is ABSENT else old)
        for path, (new, old) in parts.items()
    ]
