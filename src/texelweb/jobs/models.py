"""Jobs: what runs in the background and how far it is."""

from __future__ import annotations

import uuid

from django.conf import settings
from django.db import models
from django.utils import timezone

from texelweb.projects.models import Project


class Job(models.Model):
    """A piece of work with a progress figure (0–1), a cancel and a result that survives a restart."""

    class State(models.TextChoices):
        QUEUED = "queued"
        RUNNING = "running"
        DONE = "done"
        FAILED = "failed"
        CANCELLED = "cancelled"

    class Kind(models.TextChoices):
        SORT = "sort"
        BUILD = "build"
        PROVE = "prove"
        DELIVER = "deliver"
        RECEIVE = "receive"
        FETCH = "fetch"
        BAKE = "bake"
        WRITE = "write"
        FLATTEN = "flatten"
        BULK = "bulk"

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="jobs")
    kind = models.CharField(max_length=16, choices=Kind.choices)
    title = models.CharField(max_length=200)
    subject = models.CharField(max_length=64)
    state = models.CharField(max_length=16, choices=State.choices, default=State.QUEUED)
    progress = models.FloatField(default=0.0)
    doing = models.CharField(max_length=300, blank=True)
    cancel_asked = models.BooleanField(default=False)
    problem = models.TextField(blank=True)
    way_out = models.TextField(blank=True)
    attempt = models.IntegerField(default=0)
    created_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    # Whose it is while it runs, and when that worker was last heard of (jobs.leases).
    lease = models.UUIDField(null=True)
    beat = models.DateTimeField(null=True)
    queued = models.DateTimeField(default=timezone.now)
    created = models.DateTimeField(auto_now_add=True)
    started = models.DateTimeField(null=True)
    ended = models.DateTimeField(null=True)

    class Meta:
        indexes = [models.Index(fields=["project", "-created"])]

    @property
    def is_open(self) -> bool:
        """Whether it still waits or runs."""
        return self.state in (self.State.QUEUED, self.State.RUNNING)
