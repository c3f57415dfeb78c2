"""Pictures of proofs: an output after the blocks, and where it lost what. Kept by proof key."""

from __future__ import annotations

from itertools import islice
from typing import Literal

from django.core.files.storage import default_storage

from texelcore.building.plan import PlannedOutput
from texelcore.codecs.dds import read_dds
from texelcore.codecs.meaning import mip_choice
from texelcore.codecs.mips import mip_levels
from texelcore.pixels.display import display, shrink
from texelcore.pixels.image import Image, Pixels
from texelcore.pixels.png import png_bytes
from texelcore.pixels.read import read
from texelcore.proof.compare import Pair, difference, read_back
from texelcore.proof.prove import mip_kinds
from texelweb.builds.models import Product, Proof
from texelweb.storage.blobs import local_file, put
from texelweb.storage.pictures import EDGES

Side = Literal["after", "difference"]


def proof_picture(planned: PlannedOutput, proof: Proof, side: Side, view: str, size: str, level: int = 0) -> bytes:
    """A PNG of one side of a level of a proof. Raises KeyError for a channel or level that is not there, or an output that nobody
    has any more."""
    if level >= proof.figures.levels:
        raise KeyError(level)
    place = _place(proof.proof_key, side, view, f"{size}-{level}" if level else size)
    if not default_storage.exists(place):
        put(place, _png(_side(_pair(planned, proof, level), side, view), size))
    with default_storage.open(place) as file:
        return bytes(file.read())


def paint_small(planned: PlannedOutput, proof: Proof) -> None:
    """Make the small pictures of a proof that was just made, so that no page has to wait for them."""
    pair = _pair(planned, proof)
    for side in ("after", "difference"):
        put(_place(proof.proof_key, side, "RGB", "small"), _png(_side(pair, side, "RGB"), "small"))


def _place(key: str, side: str, view: str, size: str) -> str:
    return f"proofs/{key[:2]}/{key}-{side}-{view}-{size}.png"


def _pair(planned: PlannedOutput, proof: Proof, level: int = 0) -> Pair:
    """What went into the blocks of a level beside what comes out of them."""
    product = Product.objects.filter(content_key=planned.content_key).select_related("blob").first()
    if product is None:
        raise KeyError(planned.content_key)
    with default_storage.open(proof.blob.place) as file:
        texture = read_dds(file.read(), planned.file_name)
    with local_file(product.blob.place) as path:
        built = read(path, planned.file_name)
    made = mip_levels(built.data, mip_kinds(planned), planned.storage.mips, mip_choice(planned.output))
    return read_back(planned, texture, Image(next(islice(made, level, None)), built.channels), level)


def _side(pair: Pair, side: str, view: str) -> Pixels:
    if side == "difference":
        return difference(pair)
    light = pair.planned.output.encoding == "linear" and pair.after.sample == "f16"
    return display(pair.after, view, light)


def _png(pixels: Pixels, size: str) -> bytes:
    return png_bytes(shrink(pixels, EDGES[size]))
