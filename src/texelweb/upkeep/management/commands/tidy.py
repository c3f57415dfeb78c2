"""Remove what nothing refers to."""

from typing import Any

from django.core.management.base import BaseCommand, CommandParser

from texelweb.upkeep.tidy import tidy


class Command(BaseCommand):
    """May run at any time; a worker runs it every night."""

    help = "Remove products, pictures, uploads, jobs and sessions that nothing refers to any more; never what was delivered."

    def add_arguments(self, parser: CommandParser) -> None:
        """What is half done, and looking only."""
        parser.add_argument("--alone", action="store_true", help="neither server nor worker runs: what is half done goes at once")
        parser.add_argument("--dry", action="store_true", help="only say what would go")

    def handle(self, *args: Any, **options: Any) -> None:
        """Tidy, and say how much."""
        swept = tidy(alone=options["alone"], dry=options["dry"])
        for kind, count in swept.counts.items():
            self.stdout.write(f"{count:8,} {kind}")
        if swept.total:
            self.stdout.write(f"{swept.bytes / 1e6:,.1f} MB {'would be freed' if options['dry'] else 'freed'}")
        if swept.waits:
            self.stdout.write("Work is going on: stored bytes were left as they are. Run tidy again when it has ended.")
