"""Blocks of the studio: published from masters that are being written, and found again in those that use them."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from django.db import transaction

from texelcore.materials.sheets.blocks import check_block
from texelcore.materials.sheets.document import Block
from texelcore.pixels.errors import TexelError
from texelweb.masters.models import BlockVersion, MasterDraft, MasterVersion, StudioBlock
from texelweb.projects.versions import append_version
from texelweb.record.steps import note_deed

# Blocks in the record.
BLOCK = "block"


@dataclass(frozen=True)
class Use:
    """A master that uses a block: at which version of the block, and whether in its draft."""

    master: str
    title: str
    version: int
    drafted: bool


def publish_block(block: Block, of: str, base: int, note: str, user: Any) -> Block:
    """Keep a block for the studio: as a new one, or as the next version of the one that `of` names, made from its version
    `base`. Gives it as it is kept, with its name and version.

    Raises TexelError for a block that does not hold or whose name is taken, Overtaken when there is a newer version than
    `base`.
    """
    check_block(block)
    with transaction.atomic():
        if of:
            kept = StudioBlock.objects.select_for_update(no_key=True).filter(name=of).first()
            if kept is None:
                raise TexelError(block.title, f"cannot be the next version of “{of}”, which is gone.", "Keep it as a new one.")
        else:
            kept, made = StudioBlock.objects.get_or_create(name=block.name, defaults={"title": block.title, "by": user})
            if not made:
                way_out = f"Keep it as the next version of {kept.title}, or give it another title."
                raise TexelError(block.title, "has the name of a block of the studio.", way_out)
        latest = kept.latest
        number = latest.number if latest else 0
        document = block.model_copy(update={"name": kept.name, "version": number + 1})
        append_version(kept, BlockVersion, document, note.strip() or "No note", user, base if of else None, kept.title)
        kept.title = document.title
        kept.save(update_fields=["title"])
        note_deed(None, BLOCK, f"Version {number + 1} published: {note.strip() or 'No note'}", user, kept.title, kept.name)
    return document


@transaction.atomic
def remove_block(kept: StudioBlock, user: Any) -> None:
    """Take a block out of the studio. Masters keep what they hold of it."""
    note_deed(None, BLOCK, "Taken out of the studio", user, kept.title, kept.name)
    kept.delete()


def uses() -> dict[str, list[Use]]:
    """Which masters use which block of the studio, in their newest version or their draft, by the block's name."""
    found: dict[str, list[Use]] = {}
    newest = MasterVersion.objects.order_by("master", "-number").distinct("master")
    published = newest.values_list("master__name", "master__title", "document_json__blocks")
    drafted = MasterDraft.objects.values_list("master__name", "master__title", "document_json__blocks")
    for rows, is_draft in ((published, False), (drafted, True)):
        for name, title, blocks in rows:
            for held, version in _held(blocks):
                found.setdefault(held, []).append(Use(name, title, version, is_draft))
    return found


def _held(blocks: Any) -> Iterator[tuple[str, int]]:
    """Names and versions of blocks; what a draft holds may be anything."""
    for block in blocks if isinstance(blocks, list) else ():
        if isinstance(block, dict) and isinstance(block.get("version"), int) and block["version"] > 0:
            yield str(block.get("name")), block["version"]
