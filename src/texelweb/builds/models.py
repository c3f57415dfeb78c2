"""Builds and what they made."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from texelcore.proof.figures import Figures
from texelcore.targets.document import Target
from texelweb.jobs.models import Job
from texelweb.library.models import TargetVersion
from texelweb.sets.models import TextureSet
from texelweb.storage.models import Blob


class Product(models.Model):
    """Bytes by content key: the same key never runs twice, in whatever set or project."""

    content_key = models.CharField(primary_key=True, max_length=64)
    blob = models.ForeignKey(Blob, on_delete=models.PROTECT)
    created = models.DateTimeField(auto_now_add=True)


class Build(models.Model):
    """One build of a set for a target. `manifest` is empty until the build has ended well."""

    set = models.ForeignKey(TextureSet, on_delete=models.CASCADE, related_name="builds")
    version = models.ForeignKey(TargetVersion, on_delete=models.PROTECT, related_name="builds")
    job = models.OneToOneField(Job, null=True, on_delete=models.SET_NULL, related_name="build")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    manifest = models.TextField(blank=True)
    created = models.DateTimeField(auto_now_add=True)

    @property
    def target(self) -> Target:
        """The target that it was made with, at its version."""
        return self.version.document


class Output(models.Model):
    """One texture of a build."""

    build = models.ForeignKey(Build, on_delete=models.CASCADE, related_name="outputs")
    key = models.CharField(max_length=64)
    title = models.CharField(max_length=120)
    file_name = models.CharField(max_length=120)
    blob = models.ForeignKey(Blob, on_delete=models.PROTECT)
    content_key = models.CharField(max_length=64)
    width = models.IntegerField()
    height = models.IntegerField()
    sample = models.CharField(max_length=4)
    encoding = models.CharField(max_length=8)
    channels = models.CharField(max_length=4)
    reused = models.BooleanField(default=False)


class Proof(models.Model):
    """An encoded output and its figures, by proof key: the same blocks are never made twice, in whatever set or project."""

    proof_key = models.CharField(primary_key=True, max_length=64)
    blob = models.ForeignKey(Blob, on_delete=models.PROTECT)
    figures_json = models.JSONField()
    created = models.DateTimeField(auto_now_add=True)

    @property
    def figures(self) -> Figures:
        """The figures as the core's document."""
        return Figures.model_validate(self.figures_json)
