"""Orders: what was asked of the depot, by whom, for which project."""

from __future__ import annotations

import uuid

from django.conf import settings
from django.db import models

from texelweb.projects.models import Project
from texelweb.sets.models import Arrival


class DepotOrder(models.Model):
    """One material to be fetched at a size in a format. Its arrival is made when it is fetched whole."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="depot_orders")
    material = models.CharField(max_length=40)
    title = models.CharField(max_length=120)
    size = models.CharField(max_length=8)
    file_format = models.CharField(max_length=8)
    licence_json = models.JSONField()
    arrival = models.ForeignKey(Arrival, null=True, on_delete=models.SET_NULL, related_name="+")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    created = models.DateTimeField(auto_now_add=True)
