"""App configuration."""

from django.apps import AppConfig


class StudioConfig(AppConfig):
    """The studio."""

    name = "texelweb.studio"

    def ready(self) -> None:
        """Tell the record how what a project is called goes back."""
        from texelweb.studio.projects import register_ways

        register_ways()
