"""What the stage shows of a set's sources, and its lit picture: made when first asked for, kept under a key of what they
show."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import datetime

from django.core.files.storage import default_storage

from texelcore.building.plan import PlannedOutput
from texelcore.lighting.lit import Form
from texelcore.materials.dressing.binding import SetMaps
from texelcore.materials.dressing.set_maps import set_maps
from texelcore.materials.dressing.stage import (
    LEVELLED,
    SMALL_EDGE,
    STAGE_EDGE,
    Taken,
    coarse,
    coarsened,
    lit_form,
    lit_key,
    lit_surface,
    lit_variant,
    missed,
    plan_stage,
    stage_levels,
    stage_pixels,
)
from texelcore.materials.sheets.document import Master, Value
from texelcore.pixels.image import SAMPLE_DTYPES, Pixels
from texelcore.pixels.png import png_bytes
from texelcore.surface.files import FileFacts
from texelcore.surface.ledger import Ledger
from texelcore.surface.sources import Source
from texelweb.sets.changing.history import as_it_was
from texelweb.sets.models import SourceFile, TextureSet
from texelweb.storage.blobs import put
from texelweb.storage.decoded import BUDGET, TIMES_ITSELF
from texelweb.storage.sources import at_hand

# The edge of a lit picture: twice what lists show, for screens that are finer.
LIT_EDGE = 128
# Decoded bytes of sources that are worked on together.
MOST_AT_ONCE = BUDGET // TIMES_ITSELF


@dataclass(frozen=True)
class Staged:
    """A set's pictures for the stage as they are planned, and what of the surface none of them holds. `coarse_edge` says how far
    its sources are coarsened before anything is made of them; 0 where they are not."""

    ledger: Ledger
    files: Mapping[Source, FileFacts]
    planned: tuple[PlannedOutput, ...]
    coarse_edge: int = 0

    @property
    def missed(self) -> tuple[str, ...]:
        """The properties without a map by which a surface is judged."""
        return missed(self.planned) if self.ledger.surface else ()

    def maps(self, reads: str = "") -> SetMaps:
        """Its pictures, to bind textures of masters to; `reads` is the property that a free texture reads."""
        return set_maps(self.ledger, self.planned, reads)


def staged(texture_set: TextureSet, small: bool = False, at: datetime | None = None) -> Staged:
    """Plan a set's pictures for the stage, or those that its small lit picture is made of; with `at`, of its ledger and its
    files as they were then. Raises KeyError for a moment before it was made."""
    if at is None:
        ledger = texture_set.ledger
        rows = SourceFile.objects.filter(pk__in=[int(file) for file in ledger.files()])
        files = {str(row.pk): row.facts for row in rows}
    else:
        ledger, files = as_it_was(texture_set, at)
    if small:
        return Staged(ledger, files, plan_stage(ledger, coarse(files), SMALL_EDGE), SMALL_EDGE)
    planned = plan_stage(ledger, files)
    if any(sum(_decoded_bytes(files[file]) for file in entry.files) > MOST_AT_ONCE for entry in planned):
        # Together they would never fit: each is coarsened by itself, to no less than what the stage shows.
        return Staged(ledger, files, plan_stage(ledger, coarse(files, STAGE_EDGE)), STAGE_EDGE)
    return Staged(ledger, files, planned)


def _decoded_bytes(facts: FileFacts) -> int:
    return facts.width * facts.height * len(facts.channels) * SAMPLE_DTYPES[facts.sample]().itemsize


def stage_picture(stage: Staged, part: str, cut: float | None = None) -> bytes:
    """One of the stage's pictures: a PNG, or a DDS file of those that are `LEVELLED`, where `cut` is the opacity that is still
    seen. Raises KeyError for one that the set does not have."""
    planned = next((planned for planned in stage.planned if planned.key == part), None)
    if planned is None:
        raise KeyError(part)
    first = planned.files[0]
    if part not in LEVELLED:
        return _kept(stage, first, planned.content_key, lambda: png_bytes(_pixels(stage, planned)))
    key = f"{planned.content_key}-{'' if cut is None else f'{cut:g}'}"
    return _kept(stage, first, key, lambda: stage_levels(planned, _pixels(stage, planned), cut), "dds")


def plain_picture(stage: Staged, part: str) -> bytes:
    """One of the stage's pictures as PNG, whichever it is. Raises KeyError for one that the set does not have."""
    planned = next((planned for planned in stage.planned if planned.key == part), None)
    if planned is None:
        raise KeyError(part)
    return _kept(stage, planned.files[0], planned.content_key, lambda: png_bytes(_pixels(stage, planned)))


def lit_set(texture_set: TextureSet, edge: int = LIT_EDGE) -> bytes:
    """A set's lit picture as PNG with alpha, `edge` pixels on an edge. Raises KeyError for a set that has no maps at all."""
    stage = staged(texture_set, small=True)
    if not stage.planned:
        raise KeyError(texture_set.pk)
    form = lit_form(stage.ledger)
    key = lit_key(stage.planned, form, edge)
    return _kept(stage, stage.planned[0].files[0], key, lambda: png_bytes(_lit(stage, form, edge)))


def small_pictures(texture_set: TextureSet, key: str = "") -> Taken:
    """The stage's pictures of a set, as small lit pictures are made of them; `key` is what a free texture reads of it."""
    return _small(staged(texture_set, small=True), key)


def lit_dressed(
    worn: Mapping[str, tuple[TextureSet, str]], master: Master, own: Mapping[str, Value], edge: int = LIT_EDGE
) -> bytes:
    """The lit picture of a variant: of the sets that its layers and free textures take, each with the property that a free one
    reads. Raises KeyError where none of them has maps."""
    stages = {held.pk: staged(held, small=True) for held, _ in worn.values()}
    shown = {name: (stages[held.pk], key) for name, (held, key) in worn.items() if stages[held.pk].planned}
    if not shown:
        raise KeyError(master.name)
    first = next(iter(shown.values()))[0]
    form = lit_form(first.ledger)
    layers = {name: [key, *(planned.content_key for planned in stage.planned)] for name, (stage, key) in shown.items()}
    dressed = f"{master.model_dump_json()} {json.dumps(own, sort_keys=True)} {json.dumps(layers, sort_keys=True)}"
    key = lit_key(first.planned, form, edge, dressed)

    def make() -> bytes:
        taken = {name: _small(stage, key) for name, (stage, key) in shown.items()}
        return png_bytes(lit_variant(taken, master, own, form, edge))

    return _kept(first, first.planned[0].files[0], key, make)


def _lit(stage: Staged, form: Form, edge: int) -> Pixels:
    return lit_surface(_small(stage).pictures, form, edge, stage.ledger.surface)


def _small(stage: Staged, key: str = "") -> Taken:
    pictures = {planned.key: _pixels(stage, planned) for planned in stage.planned}
    return Taken(pictures, stage.maps(key))


def _pixels(stage: Staged, planned: PlannedOutput) -> Pixels:
    if not stage.coarse_edge:
        with at_hand(stage.files, planned.files) as images:
            return stage_pixels(planned, images)
    small = {}
    for source in planned.files:
        with at_hand(stage.files, [source]) as images:
            small[source] = coarsened(images[source], stage.coarse_edge)
    return stage_pixels(planned, small)


def _kept(stage: Staged, file: str, key: str, make: Callable[[], bytes], ending: str = "png") -> bytes:
    """A picture from where it is kept, by the hash of a file that it was made of: when that goes, it is swept up."""
    sha256 = stage.files[file].sha256
    place = f"pictures/{sha256[:2]}/{sha256}-stage-{key}.{ending}"
    if not default_storage.exists(place):
        put(place, make())
    with default_storage.open(place) as kept:
        return bytes(kept.read())
