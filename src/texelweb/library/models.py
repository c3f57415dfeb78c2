"""Targets belong to the studio; a project takes one version of each that it is made for."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

from django.db import models

from texelcore.targets.document import Target
from texelweb.projects.models import DocumentDraft, DocumentVersion, Project, StudioDocument


class StudioTarget(StudioDocument):
    """A target by name; its documents are its versions."""


class TargetVersion(DocumentVersion):
    """A published version: immutable."""

    target = models.ForeignKey(StudioTarget, on_delete=models.CASCADE, related_name="versions")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["target", "number"], name="one_target_document_per_version")]

    @property
    def document(self) -> Target:
        """The target as the core's document."""
        return _document(self.pk)


class TargetDraft(DocumentDraft):
    """What the next version of a target is being written as."""

    target = models.OneToOneField(StudioTarget, on_delete=models.CASCADE, related_name="draft")


class ProjectTarget(models.Model):
    """A target that a project has taken, at one version. `for_all` says that all sets are made for it that do not say
    otherwise."""

    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="targets")
    version = models.ForeignKey(TargetVersion, on_delete=models.PROTECT, related_name="pins")
    # The name again, since a project has one version of each.
    name = models.SlugField(max_length=48)
    for_all = models.BooleanField(default=False)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["project", "name"], name="one_version_of_a_target_per_project")]


@lru_cache(maxsize=256)
def _document(version: int) -> Target:
    """A version's document by its key. Versions never change, so that each is read and checked once."""
    body: Any = TargetVersion.objects.values_list("document_json", flat=True).get(pk=version)
    return Target.model_validate(body)
