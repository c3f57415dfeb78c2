"""App configuration."""

from django.apps import AppConfig


class BuildsConfig(AppConfig):
    """Builds."""

    name = "texelweb.builds"
