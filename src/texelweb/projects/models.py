"""Projects and memberships."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.db import models

from texelcore.naming.rules import HouseRules
from texelcore.proof.tolerances import Tolerances


class Role(models.TextChoices):
    """What a member may do: a guest looks, an artist works, a lead also changes rules and masters."""

    GUEST = "guest"
    ARTIST = "artist"
    LEAD = "lead"


RANK = {Role.GUEST: 0, Role.ARTIST: 1, Role.LEAD: 2}


class Standing(models.Manager[Any]):
    """Projects that were not deleted."""

    def get_queryset(self) -> models.QuerySet[Any]:
        """All that are there, archived ones too."""
        return super().get_queryset().filter(deleted=None)


class Project(models.Model):
    """A game: its sets, files and rules. `code` fills {project} in name templates; `target` is the usual target. An archived
    project is only looked at; a deleted one is nowhere to be seen, and its rows go as soon as nothing works on them."""

    slug = models.SlugField(unique=True)
    code = models.SlugField(max_length=16)
    title = models.CharField(max_length=120)
    target = models.CharField(max_length=64)
    created = models.DateTimeField(auto_now_add=True)
    archived = models.DateTimeField(null=True)
    deleted = models.DateTimeField(null=True)

    objects = Standing()
    everything = models.Manager()

    @property
    def tolerances(self) -> Tolerances:
        """The house tolerances as they are now; before anybody wrote some, the defaults."""
        newest = self.tolerances_versions.order_by("-number").first()
        return Tolerances.model_validate(newest.document_json) if newest else Tolerances()

    @property
    def rules(self) -> HouseRules:
        """The house rules as they are now: the newest version; before anybody wrote one, the defaults, which hold nothing."""
        newest = self.rules_versions.order_by("-number").first()
        return HouseRules.model_validate(newest.document_json) if newest else HouseRules(hold=False)

    def __str__(self) -> str:
        return self.title


class DocumentVersion(models.Model):
    """One version of a project's document, which is one of the core's: never changed."""

    number = models.IntegerField()
    document_json = models.JSONField()
    what = models.CharField(max_length=300)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        abstract = True


class StudioDocument(models.Model):
    """A document of the studio by name: what it is lies in its versions, and what its next one becomes in its draft. One that
    is no longer to be taken may name its successor."""

    name = models.SlugField(unique=True, max_length=48)
    title = models.CharField(max_length=80)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    created = models.DateTimeField(auto_now_add=True)
    deprecated = models.DateTimeField(null=True)
    successor = models.ForeignKey("self", null=True, on_delete=models.SET_NULL, related_name="+")

    class Meta:
        abstract = True

    @property
    def latest(self) -> Any:
        """The newest published version; None of one that was only drafted."""
        return self.versions.order_by("-number").first()  # type: ignore[attr-defined]


class DocumentDraft(models.Model):
    """What the next version of a document is being written as. It need not hold yet. `base` is the version that it grew
    from."""

    document_json = models.JSONField()
    base = models.IntegerField(default=0)
    edit = models.IntegerField(default=1)
    changed_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    changed = models.DateTimeField(auto_now=True)

    class Meta:
        abstract = True


class RulesVersion(DocumentVersion):
    """A version of the house rules."""

    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="rules_versions")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["project", "number"], name="one_rules_version_per_number")]


class TolerancesVersion(DocumentVersion):
    """A version of the house tolerances."""

    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="tolerances_versions")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["project", "number"], name="one_tolerances_version_per_number")]


class Seats(models.Manager[Any]):
    """Memberships of projects that were not deleted."""

    def get_queryset(self) -> models.QuerySet[Any]:
        """All that open something."""
        return super().get_queryset().filter(project__deleted=None)


class Membership(models.Model):
    """A user's role in a project."""

    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="memberships")
    user = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="memberships")
    role = models.CharField(max_length=8, choices=Role.choices)

    objects = Seats()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["project", "user"], name="one_role_per_project")]


class SavedView(models.Model):
    """A way of looking at the board that somebody keeps under a name: what stands in its address. Shared ones are
    everybody's."""

    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="saved_views")
    user = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="+")
    name = models.CharField(max_length=60)
    query = models.CharField(max_length=2000)
    shared = models.BooleanField(default=False)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["project", "user", "name"], name="one_view_per_name")]
