"""Storage that knows no paths, as an object store does: the stand-in for S3."""

from __future__ import annotations

from typing import Any

from django.core.files.storage import FileSystemStorage, Storage


class Elsewhere(Storage):
    """A folder behind the part of the storage API that an object store has as well."""

    def __init__(self, location: str) -> None:
        inner = FileSystemStorage(location)
        for name in ("_open", "_save", "exists", "delete", "listdir", "size", "get_modified_time"):
            setattr(self, name, getattr(inner, name))

    def path(self, name: str) -> Any:
        raise NotImplementedError
