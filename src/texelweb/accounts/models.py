"""What belongs to a user beside name and password: sessions, access tokens, and the key to the depot."""

from __future__ import annotations

import hashlib
import secrets
from datetime import datetime

from django.conf import settings
from django.contrib.sessions.base_session import AbstractBaseSession
from django.db import models
from django.utils import timezone

from texelweb.accounts.secrets import conceal, reveal
from texelweb.projects.models import Project

PREFIX = "fxt_"
SHOWN = 10


class Sitting(AbstractBaseSession):
    """One browser's session, and whose it is."""

    user = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.CASCADE, related_name="sittings")


class AccessToken(models.Model):
    """A secret by which a program acts for a user where nobody types a password. Only its SHA-256 is kept.

    256 random bits need no slow hash: there is nothing to guess (common practice for random tokens).
    """

    user = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="access_tokens")
    name = models.CharField(max_length=80)
    digest = models.CharField(max_length=64, unique=True)
    # The first signs, so that a person can tell tokens apart.
    begins = models.CharField(max_length=SHOWN)
    # The one project that it opens; tokens from before there was such a choice open all of their user's.
    project = models.ForeignKey(Project, null=True, on_delete=models.CASCADE, related_name="access_tokens")
    writes = models.BooleanField(default=True)
    expires = models.DateTimeField(null=True)
    created = models.DateTimeField(auto_now_add=True)
    used = models.DateTimeField(null=True)

    @classmethod
    def make(
        cls, user: object, name: str, project: Project, *, writes: bool = True, expires: datetime | None = None
    ) -> tuple[AccessToken, str]:
        """A new token for one project, and its secret, which is not kept and cannot be shown again."""
        secret = PREFIX + secrets.token_urlsafe(32)
        kept = {"digest": digest_of(secret), "begins": secret[:SHOWN]}
        return cls.objects.create(user=user, name=name, project=project, writes=writes, expires=expires, **kept), secret

    @property
    def is_over(self) -> bool:
        """Whether its time is over."""
        return self.expires is not None and self.expires <= timezone.now()


class DepotKey(models.Model):
    """A user's key to the depot. It is needed as it is, since the server signs in with it while the user
    is away; it lies encrypted."""

    user = models.OneToOneField(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="depot_key")
    concealed = models.TextField()
    created = models.DateTimeField(auto_now_add=True)

    @classmethod
    def keep(cls, user: object, key: str) -> None:
        """Keep a user's key in place of the one before."""
        cls.objects.update_or_create(user=user, defaults={"concealed": conceal(key)})

    @classmethod
    def of(cls, user: object) -> str | None:
        """A user's key; None where there is none that can still be read."""
        kept = cls.objects.filter(user=user).first()
        return reveal(kept.concealed) if kept else None


def digest_of(secret: str) -> str:
    """What is kept of a token."""
    return hashlib.sha256(secret.encode()).hexdigest()
