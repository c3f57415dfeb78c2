"""The layers of a variant as they are seen: tried on small pictures of its sets."""

from __future__ import annotations

from dataclasses import replace

from texelcore.materials.dressing.binding import bind
from texelcore.materials.dressing.evaluate import texel_centres
from texelcore.materials.dressing.stage import STAGE_TARGET
from texelcore.materials.dressing.textures import samplers_of
from texelcore.materials.dressing.unseen import LayerSeen, Paint, Worn, layers_seen
from texelcore.materials.sheets.typing import check_master
from texelweb.builds.stage import small_pictures
from texelweb.masters.models import SetVariant

# Places along an edge of the tile on which it is tried.
EDGE = 32


def layers_of_variant(variant: SetVariant, paint: Paint | None) -> list[LayerSeen]:
    """How much of a variant each of its layers is, and why one is nowhere; `paint` as in `unseen.Worn`."""
    master, document, held = variant.version.document, variant.document, variant.sets()
    by_set = {texture_set.pk: small_pictures(texture_set) for texture_set in held.values()}
    reads = {holder: other.property for holder, other in document.others.items()}
    maps = {holder: replace(by_set[worn.pk].maps, property=reads.get(holder, "")) for holder, worn in held.items()}
    images = {holder: by_set[worn.pk].images for holder, worn in held.items()}
    samplers = samplers_of(master, bind(master, STAGE_TARGET, maps), images, STAGE_TARGET)
    worn = Worn(check_master(master), document.values, samplers, texel_centres(EDGE, EDGE), paint)
    return layers_seen(worn, frozenset(layer.name for layer in master.layers if layer.name not in held))
