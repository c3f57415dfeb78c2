"""The table of operations: each is declared once, in the module of its family; a new family is a line here."""

from __future__ import annotations

from texelcore.materials.operations import arithmetic, colours, curves, noise, normals, places
from texelcore.materials.operations.declared import Operation, Slot

__all__ = ["OPERATIONS", "Operation", "Slot"]

FAMILIES = (arithmetic, curves, colours, normals, places, noise)
OPERATIONS: dict[str, Operation] = {entry.key: entry for family in FAMILIES for entry in family.OPERATIONS}
