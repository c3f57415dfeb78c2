"""What a worker does by itself."""

from __future__ import annotations

import logging

from procrastinate.contrib.django import app

from texelweb.upkeep.tidy import tidy

log = logging.getLogger(__name__)


# Several times, since bytes are left alone while work is going on.
@app.periodic(cron="17 1-5 * * *")
@app.task(name="tidy", queue="texel", queueing_lock="tidy")
def tidy_at_night(timestamp: int) -> None:
    """Remove what nothing refers to."""
    swept = tidy()
    if swept.total:
        log.warning("tidied: %s, %.1f MB freed", swept.counts, swept.bytes / 1e6)
