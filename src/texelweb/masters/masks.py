"""Naming a set's masks: masters ask for a mask by its name, and variants may read one that is called otherwise."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from django.db import transaction

from texelcore.pixels.errors import TexelError
from texelcore.surface.properties import property_of
from texelcore.targets.helpers import with_mask_called
from texelweb.masters.models import SetVariant
from texelweb.masters.variants import VariantEdit, Worn, change_variant, layers_of
from texelweb.record.steps import together
from texelweb.sets.changing.ledgers import change, named_mask
from texelweb.sets.changing.writing import lock_project
from texelweb.sets.models import TextureSet


@transaction.atomic
def rename_mask(texture_set: TextureSet, key: str, name: str, user: Any, seen: int | None = None) -> TextureSet:
    """Give a mask of a set another name. Free textures of variants that read it go on reading it; one undo takes all of it back.

    Raises TexelError for a name that no mask has, or another of the set has, and where there is no such mask; and what
    `ledgers.change` raises.
    """
    lock_project(texture_set.project_id)
    other = named_mask(name)
    ledger = TextureSet.objects.get(pk=texture_set.pk).ledger
    if not key.startswith("mask.") or ledger.row(key) is None:
        raise TexelError(texture_set.name, "has no such mask.", "Look at its ledger again.")
    if other == key:
        return texture_set
    if any(row.property.casefold() == other.casefold() and row.property != key for row in ledger.rows):
        raise TexelError(other.removeprefix("mask."), f"is another mask of {texture_set.name}.", "Choose another name.")
    said = f"{property_of(key).title} is called {other.removeprefix('mask.')}"
    with together():
        changed = change(texture_set, lambda held: with_mask_called(held, key, other), said, user, seen)
        for variant in SetVariant.objects.filter(others__set=texture_set, others__property=key).distinct():
            worn = {holder: Worn(**held) for holder, held in layers_of(variant).items()}
            follow = {
                holder: replace(held, property=other) if (held.set, held.property) == (texture_set.pk, key) else held
                for holder, held in worn.items()
            }
            change_variant(variant, VariantEdit(layers=follow), user)
    return changed
