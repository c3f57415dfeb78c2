"""Masters of the studio: those that ship, and how they are drafted and published."""

from __future__ import annotations

from typing import Any

from django.db import transaction

from texelcore.materials.sheets.blocks import check_block
from texelcore.materials.sheets.document import ONE_LAYER, Layer, Master
from texelcore.materials.sheets.masters import shipped_masters
from texelcore.materials.sheets.typing import read_master
from texelcore.materials.shipped.pieces import BLOCKS
from texelweb.library.drafting import Drafting, Mistake
from texelweb.masters.models import BlockVersion, MasterDraft, MasterVersion, StudioBlock, StudioMaster
from texelweb.projects.models import Project

# Masters in the record.
MASTER = "master"


# What a master begins as that is made from nothing: one layer, and nothing read of it yet.
EMPTY: dict[str, Any] = Master(
    name="empty", title="Empty", summary="", version=1, layers=(Layer(name=ONE_LAYER, label="Surface"),)
).model_dump(mode="json")


def _read(body: Any) -> tuple[Master | None, list[Mistake]]:
    found = read_master(body)
    if found.checked:
        return found.document, []
    return None, [Mistake(f"{problem.subject} {problem.message}", problem.way_out) for problem in found.problems]


MASTERS = Drafting(
    owners=StudioMaster,
    drafts=MasterDraft,
    versions=MasterVersion,
    held_as="master",
    kind=MASTER,
    empty=EMPTY,
    read=_read,
    users=lambda master: Project.objects.filter(variants__version__master=master).distinct(),
    # The order of strands is for eyes alone.
    counts=lambda master: master.model_copy(update={"strands": tuple(sorted(master.strands, key=lambda strand: strand.name))}),
    longest_draft=1_500_000,
)


def install_shipped() -> None:
    """Put the masters that ship into the studio, where it does not have them yet."""
    for document in shipped_masters().values():
        MASTERS.add(document, "Shipped", None)


def install_blocks() -> None:
    """Put the blocks that ship into the studio, where it does not have them yet."""
    for write in BLOCKS:
        document = write()
        check_block(document)
        with transaction.atomic():
            block, made = StudioBlock.objects.get_or_create(name=document.name, defaults={"title": document.title})
            if made:
                body = document.model_dump(mode="json")
                BlockVersion.objects.create(block=block, number=document.version, document_json=body, what="Shipped")
