"""Masters belong to the studio and serve all its projects; variants belong to a project."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

from django.conf import settings
from django.db import models

from texelcore.materials.sheets.document import Block, Master, Value, Variant
from texelweb.projects.models import DocumentDraft, DocumentVersion, Project, StudioDocument
from texelweb.sets.models import TextureSet
from texelweb.storage.models import Blob


class StudioMaster(StudioDocument):
    """A master by name; its documents are its versions."""


class MasterVersion(DocumentVersion):
    """A published version: immutable."""

    master = models.ForeignKey(StudioMaster, on_delete=models.CASCADE, related_name="versions")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["master", "number"], name="one_document_per_version")]

    @property
    def document(self) -> Master:
        """The master as the core's document."""
        return _document(self.pk)


class MasterDraft(DocumentDraft):
    """What the next version of a master is being written as."""

    master = models.OneToOneField(StudioMaster, on_delete=models.CASCADE, related_name="draft")


class StudioBlock(StudioDocument):
    """A block by name. Masters hold the blocks that they use themselves, so that one may go."""


class BlockVersion(DocumentVersion):
    """A published version of a block: immutable."""

    block = models.ForeignKey(StudioBlock, on_delete=models.CASCADE, related_name="versions")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["block", "number"], name="one_block_per_version")]

    @property
    def document(self) -> Block:
        """The block as the core's document."""
        return Block.model_validate(self.document_json)


class Flattening(models.Model):
    """A variant to be flattened into a set of maps: over a mesh with what is painted on it, or over a flat square where there is
    none. Asked for again under the same name, it renews the files of the set that it made."""

    variant = models.ForeignKey("SetVariant", on_delete=models.CASCADE, related_name="flattenings")
    name = models.CharField(max_length=120)
    mesh = models.ForeignKey(Blob, null=True, on_delete=models.PROTECT, related_name="+")
    # The edge of the square in texels; 0 takes the size of the maps.
    edge = models.IntegerField(default=0)
    set = models.ForeignKey(TextureSet, null=True, on_delete=models.SET_NULL, related_name="+")
    # What its files are called by.
    stem = models.CharField(max_length=160, blank=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["variant", "name"], name="one_flattening_per_name")]


class VariantQuerySet(models.QuerySet["SetVariant"]):
    """Variants, as pages ask for them."""

    def as_lines(self) -> VariantQuerySet:
        """With all that a line says of each: its master, its set, and the newest version of its master as `latest`."""
        asked = self.select_related("version__master", "set__project").prefetch_related("others__set")
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

    def sets(self) -> dict[str, TextureSet]:
        """The sets of its layers and free textures that are not removed, by name."""
        master = self.version.document
        first = {master.layers[0].name: self.set} if master.layers else {}
        others = {entry.holder: entry.set for entry in self.others.all() if entry.set.removed is None}
        return first | {name: held for name, held in others.items() if name in master.holders and name not in first}

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
                "others": {
                    entry.holder: {"set": entry.set.code, "property": entry.property}
                    for entry in self.others.all()
                    if entry.set.removed is None
                },
                "values": self.values_json,
            }
        )


class LayerSet(models.Model):
    """The set that a variant binds to a layer beside its master's first, or the map of one to a free texture: an empty property
    is the one that the texture asks for."""

    variant = models.ForeignKey(SetVariant, on_delete=models.CASCADE, related_name="others")
    holder = models.CharField(max_length=40)
    set = models.ForeignKey(TextureSet, on_delete=models.CASCADE, related_name="layers")
    property = models.CharField(max_length=80, default="", blank=True)

    class Meta:
        ordering = ("holder",)
        constraints = [models.UniqueConstraint(fields=["variant", "holder"], name="one_set_per_layer")]


@lru_cache(maxsize=256)
def _document(version: int) -> Master:
    """A version's document by its key. Versions never change, so that each is read and checked once."""
    body: Any = MasterVersion.objects.values_list("document_json", flat=True).get(pk=version)
    return Master.model_validate(body)
