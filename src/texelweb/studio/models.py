"""Invitations: secrets by which a person comes into the studio, or back into an account."""

from __future__ import annotations

import secrets
from datetime import timedelta

from django.conf import settings
from django.db import models
from django.utils import timezone

from texelweb.accounts.models import digest_of
from texelweb.projects.models import Project, Role
from texelweb.storage.models import Blob

DAYS_OPEN = 7


class Invitation(models.Model):
    """A link that works once and ends after a week. Only the SHA-256 of its secret is kept: 256 random bits need no slow hash.

    With a project it makes its taker a member in that role; with `studio` a studio lead; with a `user` it lets that person
    choose a new password, and does nothing else.
    """

    digest = models.CharField(max_length=64, unique=True)
    project = models.ForeignKey(Project, null=True, on_delete=models.CASCADE, related_name="invitations")
    role = models.CharField(max_length=8, choices=Role.choices, blank=True)
    studio = models.BooleanField(default=False)
    user = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.CASCADE, related_name="+")
    # Whom it is for, as the inviting lead calls them.
    note = models.CharField(max_length=80, blank=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.CASCADE, related_name="+")
    created = models.DateTimeField(default=timezone.now)
    expires = models.DateTimeField()
    used = models.DateTimeField(null=True)
    used_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")

    @classmethod
    def make(cls, by: object, **values: object) -> tuple[Invitation, str]:
        """A new invitation, and its secret, which is not kept and cannot be shown again."""
        secret = secrets.token_urlsafe(32)
        expires = timezone.now() + timedelta(days=DAYS_OPEN)
        return cls.objects.create(digest=digest_of(secret), by=by, expires=expires, **values), secret

    @property
    def is_open(self) -> bool:
        """Whether it may still be taken."""
        return self.used is None and self.expires > timezone.now()


class StudioEnvironment(models.Model):
    """A light of the studio's own for the stage: a picture of everything around, packed as `texelcore.lighting.panorama` does."""

    name = models.CharField(max_length=80)
    # The same light is there once, whoever brings it.
    blob = models.OneToOneField(Blob, on_delete=models.PROTECT, related_name="+")
    width = models.IntegerField()
    height = models.IntegerField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    created = models.DateTimeField(default=timezone.now)


class StageLiking(models.Model):
    """How a person likes the stage: shape, light, exposure and so on, wherever they sign in."""

    user = models.OneToOneField(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="stage_liking")
    liking_json = models.JSONField()


class Retention(models.Model):
    """How long what can be made again is kept: one row for the studio. `builds` of each set and target are kept whatever their
    age, and all for so many `days`; of the deliveries of each project and target the last so many, 0 being all."""

    builds = models.IntegerField(default=1)
    days = models.IntegerField(default=30)
    deliveries = models.IntegerField(default=0)

    @classmethod
    def now(cls) -> Retention:
        """As it holds; the defaults before anybody set anything."""
        return cls.objects.filter(pk=1).first() or cls(pk=1)
