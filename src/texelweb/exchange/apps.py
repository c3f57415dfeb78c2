"""App configuration."""

from django.apps import AppConfig


class ExchangeConfig(AppConfig):
    """Project documents: written, and taken in."""

    name = "texelweb.exchange"

    def ready(self) -> None:
        """Tell the record how what an import published in the studio goes back."""
        from texelweb.exchange.importing import register_ways

        register_ways()
