"""App configuration."""

from typing import Any

from django.apps import AppConfig
from django.db.models.signals import post_migrate


class MastersConfig(AppConfig):
    """Masters. The ones that ship are put into every migrated database."""

    name = "texelweb.masters"

    def ready(self) -> None:
        """Install shipped masters after migrations, and tell the record how variants go back."""
        post_migrate.connect(_install, sender=self)
        from texelweb.masters.variants import register_ways

        register_ways()


def _install(**_: Any) -> None:
    from texelweb.masters.publish import install_blocks, install_shipped

    install_shipped()
    install_blocks()
