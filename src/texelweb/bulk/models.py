"""Work on many sets: what is done, and how each set fares."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from texelweb.jobs.models import Job
from texelweb.projects.models import Project
from texelweb.sets.models import TextureSet


class Bulk(models.Model):
    """One piece of work on many sets. `options_json` says more where the action wants it: the master to dress with."""

    class Action(models.TextChoices):
        BUILD = "build"
        PROVE = "prove"
        DRESS = "dress"
        DELIVER = "deliver"

    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="bulks")
    action = models.CharField(max_length=8, choices=Action.choices)
    options_json = models.JSONField(default=dict)
    job = models.OneToOneField(Job, null=True, on_delete=models.SET_NULL, related_name="bulk")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    created = models.DateTimeField(auto_now_add=True)


class BulkItem(models.Model):
    """How one set fares. What is done stays done, whatever becomes of the others."""

    class State(models.TextChoices):
        WAITING = "waiting"
        RUNNING = "running"
        DONE = "done"
        SKIPPED = "skipped"
        FAILED = "failed"

    bulk = models.ForeignKey(Bulk, on_delete=models.CASCADE, related_name="items")
    set = models.ForeignKey(TextureSet, on_delete=models.CASCADE, related_name="+")
    state = models.CharField(max_length=8, choices=State.choices, default=State.WAITING)
    # What was done, or why nothing was to be done.
    said = models.CharField(max_length=300, blank=True)
    problem = models.TextField(blank=True)
    way_out = models.TextField(blank=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["bulk", "set"], name="one_item_per_set")]
        ordering = ["pk"]
