"""The sources of a project: facts from the database, bytes from where blobs are kept."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping
from contextlib import contextmanager

from texelcore.building.sources import Sources
from texelcore.pixels.image import Image
from texelcore.surface.files import FileFacts
from texelcore.surface.sources import Source
from texelweb.storage.blobs import local_file
from texelweb.storage.decoded import several_decoded
from texelweb.storage.models import place_of


def stored(files: Mapping[Source, FileFacts]) -> Sources:
    """Files with these facts, by the hash that stands there: a re-export that arrives meanwhile changes nothing of them."""
    return Sources(files, lambda facts: local_file(place_of(facts.sha256)))


@contextmanager
def at_hand(files: Mapping[Source, FileFacts], wanted: Collection[Source]) -> Iterator[dict[Source, Image]]:
    """The pictures of several sources, for as long as they are worked on, from those that this process has decoded: all are asked
    for at once. Raises Refused 503 after a long wait."""
    keys = [(files[source].sha256, f".{files[source].format}") for source in wanted]
    with several_decoded(keys) as images:
        yield dict(zip(wanted, images, strict=True))
