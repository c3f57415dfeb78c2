"""Bring a backup back."""

from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser

from texelcore.pixels.errors import TexelError
from texelweb.upkeep.archive import restore


class Command(BaseCommand):
    """Neither server nor worker may run."""

    help = "Restore database and stored files from a folder that back_up has written, and migrate them to this release."

    def add_arguments(self, parser: CommandParser) -> None:
        """From where, and over what."""
        parser.add_argument("folder", type=Path)
        parser.add_argument("--replace", action="store_true", help="give up the installation that the database holds")

    def handle(self, *args: Any, **options: Any) -> None:
        """Restore, and say how much."""
        try:
            restore(options["folder"], replace=options["replace"], tell=self.stdout.write)
        except TexelError as error:
            raise CommandError(str(error)) from error
