"""Steps of a project's record."""

from __future__ import annotations

from django.conf import settings
from django.db import models
from django.utils import timezone

from texelweb.projects.models import Project


class Step(models.Model):
    """One thing that a person did. `before_json` and `after_json` are the parts of the thing's document that it changed, as they
    were before and after; a step whose way back lies elsewhere has none. What cannot be taken back is on record too. Steps of
    one `act` were done together, and are taken back together. A step of no project is the studio's."""

    project = models.ForeignKey(Project, null=True, on_delete=models.CASCADE, related_name="steps")
    kind = models.CharField(max_length=16)
    thing = models.CharField(max_length=64)
    # The set that it is about, where it is about one.
    about = models.BigIntegerField(null=True)
    act = models.UUIDField(null=True)
    undoable = models.BooleanField(default=True)
    # What the thing was called then.
    name = models.CharField(max_length=200)
    what = models.CharField(max_length=300)
    before_json = models.JSONField(null=True)
    after_json = models.JSONField(null=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField(default=timezone.now)
    undone = models.DateTimeField(null=True)
    undone_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")

    class Meta:
        indexes = [
            models.Index(fields=["project", "-id"], name="steps_of_a_project"),
            models.Index(fields=["kind", "thing"], name="steps_of_a_thing"),
            models.Index(fields=["about", "-id"], name="steps_about_a_set"),
            models.Index(fields=["act", "-id"], name="steps_of_an_act", condition=models.Q(act__isnull=False)),
        ]
