"""The layers of a variant as they are seen: tried on small pictures of its sets."""

from __future__ import annotations

from texelcore.materials.binding import SetMaps, bind
from texelcore.materials.evaluate import texel_centres
from texelcore.materials.stage import STAGE_TARGET, as_images, stage_storages
from texelcore.materials.textures import samplers_of
from texelcore.materials.typing import check_master
from texelcore.materials.unseen import LayerSeen, Paint, Worn, layers_seen
from texelweb.builds.stage import small_pictures
from texelweb.masters.models import SetVariant

# Places along an edge of the tile on which it is tried.
EDGE = 32


def layers_of_variant(variant: SetVariant, paint: Paint | None) -> list[LayerSeen]:
    """How much of a variant each of its layers is, and why one is nowhere; `paint` as in `unseen.Worn`."""
    master, document, held = variant.version.document, variant.document, variant.sets()
    by_set = {texture_set.pk: small_pictures(texture_set) for texture_set in held.values()}
    pictures = {holder: by_set[texture_set.pk] for holder, texture_set in held.items()}
    maps = {
        holder: SetMaps(stage_storages(shown), None, other.property if (other := document.others.get(holder)) else "")
        for holder, shown in pictures.items()
    }
    images = {holder: as_images(shown) for holder, shown in pictures.items()}
    samplers = samplers_of(master, bind(master, STAGE_TARGET, maps), images, STAGE_TARGET)
    worn = Worn(check_master(master), document.values, samplers, texel_centres(EDGE, EDGE), paint)
    return layers_seen(worn, frozenset(layer.name for layer in master.layers if layer.name not in held))
