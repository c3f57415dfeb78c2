"""Sweep up what a killed server or worker left in storage."""

from typing import Any

from django.core.management.base import BaseCommand

from texelweb.sets.tidy import tidy


class Command(BaseCommand):
    """Run before server and worker start."""

    help = "Delete staged uploads that nothing waits for, and files that were half written."

    def handle(self, *args: Any, **options: Any) -> None:
        """Tidy, and say how much."""
        count = tidy()
        if count:
            self.stdout.write(f"{count} left-over file(s) swept up")
