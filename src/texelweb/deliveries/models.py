"""Deliveries and what came back."""

from __future__ import annotations

import uuid
from pathlib import Path

from django.conf import settings
from django.db import models

from texelcore.delivery.documents import DeliveryManifest, Receipt
from texelcore.targets.document import Target
from texelweb.jobs.models import Job
from texelweb.library.models import TargetVersion
from texelweb.projects.models import Project
from texelweb.sets.models import TextureSet

PLACES = "deliveries"


class Delivery(models.Model):
    """What was written for a target: a zip in storage, and a folder where one is configured. `manifest` is empty until they stand
    whole."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="deliveries")
    version = models.ForeignKey(TargetVersion, on_delete=models.PROTECT, related_name="deliveries")
    job = models.ForeignKey(Job, null=True, on_delete=models.SET_NULL, related_name="+")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    manifest_json = models.JSONField(null=True)
    receipt_json = models.JSONField(null=True)
    created = models.DateTimeField(auto_now_add=True)

    @property
    def target(self) -> Target:
        """The target that it was written for, at its version."""
        return self.version.document

    @property
    def folder(self) -> Path | None:
        """Where the delivery lies unpacked, a path of slug, target and id alone; None where no folder is configured."""
        if settings.DELIVERIES is None:
            return None
        return Path(settings.DELIVERIES) / self.project.slug / f"{self.target.name}-{self.pk.hex[:12]}"

    @property
    def place(self) -> str:
        """The zip's name in storage."""
        return f"{PLACES}/{self.pk.hex}.zip"

    @property
    def manifest(self) -> DeliveryManifest | None:
        """What was delivered; None while it is being written, and after a failure."""
        return DeliveryManifest.model_validate(self.manifest_json) if self.manifest_json else None

    @property
    def receipt(self) -> Receipt | None:
        """What the dock answered; None until it has."""
        return Receipt.model_validate(self.receipt_json) if self.receipt_json else None


class DeliveredSet(models.Model):
    """A set of a delivery, with what it was made from, so that a change since then shows."""

    delivery = models.ForeignKey(Delivery, on_delete=models.CASCADE, related_name="sets")
    set = models.ForeignKey(TextureSet, on_delete=models.CASCADE, related_name="delivered")
    made_from = models.CharField(max_length=64, blank=True)
