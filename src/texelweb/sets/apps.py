"""App configuration."""

from django.apps import AppConfig


class SetsConfig(AppConfig):
    """Sets."""

    name = "texelweb.sets"
