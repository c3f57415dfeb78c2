"""Everything between a started database and a served page."""

from typing import Any

from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandParser


class Command(BaseCommand):
    """Migrate, tidy, load the demo world."""

    help = "Make the database ready to be served."

    def add_arguments(self, parser: CommandParser) -> None:
        """`--empty` leaves the demo world out; `--lived` has some of the work done in it."""
        parser.add_argument("--empty", action="store_true")
        parser.add_argument("--lived", action="store_true")

    def handle(self, *args: Any, **options: Any) -> None:
        """Prepare; each step does nothing when it is done already."""
        call_command("migrate", verbosity=0)
        call_command("tidy", alone=True)
        if not options["empty"]:
            call_command("load_demo", lived=options["lived"])
