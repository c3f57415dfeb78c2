"""Sweeping up after killed processes: bytes that nothing refers to and that no restart would use."""

from __future__ import annotations

from pathlib import Path

from django.core.files.storage import default_storage

from texelweb.sets.models import Arrival, ArrivalItem
from texelweb.storage.blobs import PART

STAGED = "staged"


def tidy() -> int:
    """Delete staged uploads that no open arrival waits for, and files that were half written. Gives their number.

    To be called while neither server nor worker runs.
    """
    swept = 0
    waiting = set(
        ArrivalItem.objects.exclude(staged="").exclude(arrival__state=Arrival.State.DONE).values_list("staged", flat=True)
    )
    if default_storage.exists(STAGED):
        for name in default_storage.listdir(STAGED)[1]:
            if f"{STAGED}/{name}" not in waiting:
                default_storage.delete(f"{STAGED}/{name}")
                swept += 1
    try:
        root = Path(default_storage.path(""))
    except NotImplementedError:
        # Elsewhere objects appear whole or not at all.
        return swept
    for part in root.rglob(f"{PART}*"):
        part.unlink(missing_ok=True)
        swept += 1
    return swept
