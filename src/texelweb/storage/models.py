"""Bytes by hash."""

from __future__ import annotations

from django.db import models


class Blob(models.Model):
    """Immutable bytes, addressed by their SHA-256. The row exists only when the bytes are in storage whole."""

    sha256 = models.CharField(primary_key=True, max_length=64)
    bytes = models.BigIntegerField()
    created = models.DateTimeField(auto_now_add=True)

    @property
    def place(self) -> str:
        """The name in storage: made of the hash alone, never of an uploaded name."""
        return place_of(self.sha256)


def place_of(sha256: str) -> str:
    """Where bytes with this hash lie in storage."""
    return f"blobs/{sha256[:2]}/{sha256}"
