"""The masters that ship."""

from __future__ import annotations

from functools import cache

from texelcore.materials.sheets.document import Master
from texelcore.materials.shipped import WRITTEN


@cache
def shipped_masters() -> dict[str, Master]:
    """The masters that ship, by name."""
    masters = [write() for write in WRITTEN]
    return {master.name: master for master in sorted(masters, key=lambda master: master.name)}
