"""Queue again what a killed worker left."""

from typing import Any

from django.core.management.base import BaseCommand

from texelweb.jobs.control import recover


class Command(BaseCommand):
    """Run before the first worker starts."""

    help = "Queue again the jobs that were running when the last worker died."

    def handle(self, *args: Any, **options: Any) -> None:
        """Recover, and say how many."""
        count = recover()
        if count:
            self.stdout.write(f"{count} job(s) go on from the last run")
