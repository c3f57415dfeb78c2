"""App configuration."""

from typing import Any

from django.apps import AppConfig
from django.db.models.signals import post_migrate


class LibraryConfig(AppConfig):
    """The library. The targets that ship are put into every migrated database."""

    name = "texelweb.library"

    def ready(self) -> None:
        """Install shipped targets after migrations, and tell the record how a project's targets go back."""
        post_migrate.connect(_install, sender=self)
        from texelweb.library.pins import register_ways

        register_ways()


def _install(**_: Any) -> None:
    from texelweb.library.targets import install_shipped

    install_shipped()
