"""The table of operations: each is declared once, in the module of its family; a new family is a line here."""

from __future__ import annotations

from texelcore.materials.operations import arithmetic, colours, curves, noise, normals, places, seen, texturing, vectors
from texelcore.materials.operations.declared import Operation, Slot

__all__ = ["OPERATIONS", "Operation", "Slot"]

# What each family is called where operations are chosen.
FAMILIES = {
    "arithmetic": arithmetic,
    "curves and masks": curves,
    "colours": colours,
    "normals": normals,
    "places": places,
    "textures": texturing,
    "several numbers": vectors,
    "eye, world and time": seen,
    "noise": noise,
}
OPERATIONS: dict[str, Operation] = {operation.key: operation for family in FAMILIES.values() for operation in family.OPERATIONS}
