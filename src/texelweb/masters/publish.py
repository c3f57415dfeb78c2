"""Masters of the studio: those that ship, how they are drafted, and defaults that are published by themselves."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django.db import transaction

from texelcore.materials.blocks import check_block
from texelcore.materials.document import ONE_LAYER, Layer, Master, Parameter
from texelcore.materials.masters import next_version, shipped_masters
from texelcore.materials.shipped.pieces import BLOCKS
from texelcore.materials.typing import check_master, read_master
from texelcore.pixels.errors import TexelError
from texelweb.library.drafting import Drafting, Mistake
from texelweb.masters.models import BlockVersion, MasterDraft, MasterVersion, StudioBlock, StudioMaster
from texelweb.projects.models import Project
from texelweb.projects.versions import append_version
from texelweb.record.steps import note_deed

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
    return None, [Mistake(f"{entry.subject} {entry.message}", entry.way_out) for entry in found.problems]


MASTERS = Drafting(
    owners=StudioMaster,
    drafts=MasterDraft,
    versions=MasterVersion,
    held_as="master",
    kind=MASTER,
    empty=EMPTY,
    read=_read,
    users=lambda master: Project.objects.filter(variants__version__master=master).distinct(),
    longest_draft=1_500_000,
)


def install_shipped() -> None:
    """Put the masters that ship into the studio, where it does not have them yet."""
    for document in shipped_masters().values():
        check_master(document)
        with transaction.atomic():
            master, made = StudioMaster.objects.get_or_create(name=document.name, defaults={"title": document.title})
            if made:
                MasterVersion.objects.create(
                    master=master, number=document.version, document_json=document.model_dump(mode="json"), what="Shipped"
                )


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


def publish(master: StudioMaster, parameters: Mapping[str, Parameter], base: int, note: str, user: Any) -> MasterVersion:
    """Publish the next version with other defaults and ranges; variants stay on theirs.

    Raises Overtaken when somebody published since version `base`, and TexelError as `next_version` does, and for a master that
    is being drafted."""
    with transaction.atomic():
        locked = StudioMaster.objects.select_for_update().get(pk=master.pk)
        if MASTERS.draft_of(locked):
            raise TexelError(locked.title, "is being drafted.", "Change its defaults in the draft, or discard the draft first.")
        document = next_version(locked.latest.document, parameters)
        made = append_version(locked, MasterVersion, document, note or "no note", user, base, locked.title)
        what = f"Version {made.number} published: {made.what}"
        note_deed(None, MASTER, what, user, locked.title, locked.name)
        for project in Project.objects.filter(variants__version__master=locked).distinct():
            note_deed(project, MASTER, what, user, locked.title, locked.name)
    return made
