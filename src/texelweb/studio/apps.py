"""App configuration."""

from django.apps import AppConfig


class StudioConfig(AppConfig):
    """The studio."""

    name = "texelweb.studio"
