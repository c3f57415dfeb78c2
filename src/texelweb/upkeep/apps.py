"""App configuration."""

from django.apps import AppConfig


class UpkeepConfig(AppConfig):
    """Upkeep."""

    name = "texelweb.upkeep"
