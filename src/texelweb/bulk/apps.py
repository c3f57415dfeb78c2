"""App configuration."""

from django.apps import AppConfig


class BulkConfig(AppConfig):
    """Work on many sets."""

    name = "texelweb.bulk"
