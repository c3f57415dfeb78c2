"""Back everything up."""

from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser

from texelcore.pixels.errors import TexelError
from texelweb.upkeep.archive import back_up


class Command(BaseCommand):
    """May run beside servers and workers."""

    help = "Back database and stored files up into a folder; a second time, only what is new is copied."

    def add_arguments(self, parser: CommandParser) -> None:
        """Where to."""
        parser.add_argument("folder", type=Path)

    def handle(self, *args: Any, **options: Any) -> None:
        """Back up, and say how much."""
        try:
            back_up(options["folder"], self.stdout.write)
        except TexelError as error:
            raise CommandError(str(error)) from error
