"""Masters belong to the studio and serve all its projects; variants belong to a project."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from texelcore.materials.document import Master, Value, Variant
from texelweb.projects.models import DocumentVersion, Project
from texelweb.sets.models import TextureSet


class StudioMaster(models.Model):
    """A master by name; its documents are its versions."""

    name = models.SlugField(unique=True, max_length=40)
    title = models.CharField(max_length=80)

    @property
    def latest(self) -> MasterVersion:
        """The newest published version. Every master has one."""
        return self.versions.order_by("-number")[0]


class MasterVersion(DocumentVersion):
    """A published version: immutable."""

    master = models.ForeignKey(StudioMaster, on_delete=models.CASCADE, related_name="versions")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["master", "number"], name="one_document_per_version")]

    @property
    def document(self) -> Master:
        """The master as the core's document."""
        return Master.model_validate(self.document_json)


class VariantQuerySet(models.QuerySet["SetVariant"]):
    """Variants, as pages ask for them."""

    def as_lines(self) -> VariantQuerySet:
        """With all that a line says of each: its master, its set, and the newest version of its master as `latest`."""
        asked = self.select_related("version__master", "set__project")
        return asked.annotate(latest=models.Max("version__master__versions__number")).order_by("name")


class PresentVariants(models.Manager.from_queryset(VariantQuerySet)):  # type: ignore[misc]
    """What was not removed, by itself or with its set."""

    def get_queryset(self) -> VariantQuerySet:
        """All that are there."""
        found: VariantQuerySet = super().get_queryset()
        return found.filter(removed=None, set__removed=None)


class SetVariant(models.Model):
    """A master at one version with a set bound to it, and the values that differ from the master's."""

    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="variants")
    set = models.ForeignKey(TextureSet, on_delete=models.CASCADE, related_name="variants")
    version = models.ForeignKey(MasterVersion, on_delete=models.PROTECT, related_name="variants")
    name = models.CharField(max_length=80)
    # What was set for it, as it was set: a value may be the same as the master's default today and not in the next version.
    values_json = models.JSONField(default=dict)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    created = models.DateTimeField(auto_now_add=True)
    changed = models.DateTimeField(auto_now=True)
    # The number of its newest edit, and whose that was.
    edit = models.IntegerField(default=0)
    changed_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")

    # When it was removed: it is kept aside for a while.
    removed = models.DateTimeField(null=True)

    objects = PresentVariants()
    everything = models.Manager()

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["project", "name"], condition=models.Q(removed=None), name="one_variant_per_name")
        ]

    @property
    def values(self) -> dict[str, Value]:
        """The variant's own values."""
        return self.document.values

    @property
    def document(self) -> Variant:
        """The variant as the core's document."""
        return Variant.model_validate(
            {
                "name": self.name,
                "master": self.version.master.name,
                "version": self.version.number,
                "set": self.set.code,
                "values": self.values_json,
            }
        )
