"""App configuration."""

from django.apps import AppConfig


class DepotConfig(AppConfig):
    """The depot."""

    name = "texelweb.depot"
