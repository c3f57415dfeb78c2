"""App configuration."""

from django.apps import AppConfig


class DemoConfig(AppConfig):
    """Demo."""

    name = "texelweb.demo"
