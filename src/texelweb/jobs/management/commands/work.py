"""A worker: takes jobs from the queue, and takes up what other workers left."""

import logging
from threading import Thread
from time import sleep
from typing import Any

from django.conf import settings
from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandParser
from django.db import DatabaseError, connection

from texelweb.jobs.control import clear_queue, recover

log = logging.getLogger(__name__)
# Looks at what others left, within the time after which a worker is given up.
LOOKS = 4


class Command(BaseCommand):
    """Any number of workers may run, on any number of machines."""

    help = "Work on jobs, and take up those that a killed worker left, until a signal says to stop."

    def add_arguments(self, parser: CommandParser) -> None:
        """How many jobs at once."""
        parser.add_argument("--concurrency", type=int, default=2)

    def handle(self, *args: Any, **options: Any) -> None:
        """Work until told to stop."""
        Thread(target=_look_after_others, name="recovery", daemon=True).start()
        call_command(
            "procrastinate",
            "worker",
            "--concurrency",
            str(options["concurrency"]),
            "--shutdown-graceful-timeout",
            "3",
            "--delete-jobs",
            "always",
        )


def _look_after_others() -> None:
    while True:
        try:
            if count := recover():
                log.warning("%s job(s) of a lost worker taken up", count)
            clear_queue()
        except DatabaseError:
            log.warning("could not look for stalled jobs", exc_info=True)
            connection.close()
        sleep(settings.JOB_STALLED_SECONDS / LOOKS)
