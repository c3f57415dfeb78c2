"""The maps of a set, as its plan keeps them: what textures of masters are bound to."""

from __future__ import annotations

from collections.abc import Iterable

from texelcore.building.plan import PlannedOutput, given
from texelcore.materials.dressing.binding import SetMaps
from texelcore.surface.ledger import Ledger


def set_maps(ledger: Ledger, outputs: Iterable[PlannedOutput], reads: str = "") -> SetMaps:
    """The maps of a set as its planned `outputs` keep them; `reads` is the property that a free texture reads of it."""
    planned = tuple(outputs)
    present = given(planned) | {row.property for row in ledger.rows}
    return SetMaps({output.key: output.storage for output in planned}, present, reads)
