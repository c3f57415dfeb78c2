"""App configuration."""

from django.apps import AppConfig


class StorageConfig(AppConfig):
    """Storage."""

    name = "texelweb.storage"
