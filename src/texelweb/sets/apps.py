"""App configuration."""

from django.apps import AppConfig


class SetsConfig(AppConfig):
    """Sets."""

    name = "texelweb.sets"

    def ready(self) -> None:
        """Tell the record how sets, and what stands beside them, go back."""
        from texelweb.sets.answering import house
        from texelweb.sets.changing import steps

        house.register_ways()
        steps.register_ways()
