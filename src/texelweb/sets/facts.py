"""What is known of a project's files: fetched and checked once for a piece of work, and used by all its steps."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator
from typing import Any

from texelcore.surface.evidence import Evidence
from texelcore.surface.files import FileFacts
from texelcore.surface.sources import Source
from texelweb.projects.models import Project
from texelweb.sets.models import SourceFile, TextureSet


class Facts:
    """The facts of a project's files by their ids: those of files that are at hand, and others as they are asked for."""

    def __init__(self, project: Project, at_hand: Iterable[SourceFile] = ()) -> None:
        self._project = project
        self._checked = {str(file.pk): file.facts for file in at_hand}

    def of(self, ids: Iterable[str]) -> dict[Source, FileFacts]:
        """The facts of these files; those that the project does not have are left out."""
        wanted = list(dict.fromkeys(ids))
        missing = [key for key in wanted if key not in self._checked]
        if missing:
            found = SourceFile.objects.filter(project=self._project, pk__in=missing)
            self._checked |= {str(file.pk): file.facts for file in found.only("path", "facts_json")}
        return {key: self._checked[key] for key in wanted if key in self._checked}

    def light(self, ids: Collection[str]) -> dict[Source, FileFacts]:
        """As `of`, for steps that only read: what is not at hand is not checked again."""
        known = {key: self._checked[key] for key in ids if key in self._checked}
        missing = SourceFile.objects.filter(project=self._project, pk__in=[key for key in ids if key not in known])
        rows = missing.values_list("pk", "path", "facts_json") if len(known) < len(ids) else ()
        return known | {str(key): light(str(key), path, body) for key, path, body in rows}


def light(key: str, path: str, body: dict[str, Any]) -> FileFacts:
    """A file's facts without checking what was checked when it was written; without the ranges of its channels."""
    seen = body.get("evidence")
    evidence = Evidence.model_validate(seen) if seen else None
    return FileFacts.model_construct(**(body | {"id": key, "path": path, "evidence": evidence, "ranges": {}}))


def uses_of(project: Project) -> Iterator[tuple[int, str, str]]:
    """Set, property and file of every row, and of every tile of one, of the project's ledgers."""
    for key, body in TextureSet.objects.filter(project=project).values_list("pk", "ledger_json"):
        for row in body["rows"]:
            for file in dict.fromkeys((row["file"], *(tile["file"] for tile in row.get("tiles", ())))):
                yield key, row["property"], file
