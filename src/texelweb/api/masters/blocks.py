"""Blocks: made of rows of a sheet and taken apart again, and kept for the studio."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from django.http import HttpRequest
from ninja import Field, Router, Schema, Status

from texelcore.materials.sheets.blocks import examine_block
from texelcore.materials.sheets.document import Block
from texelcore.materials.sheets.folding import apart, fold
from texelcore.materials.sheets.typing import read_master
from texelweb.accounts.access import leads_studio
from texelweb.api.drafting import enter_library
from texelweb.api.schemas import ErrorBody
from texelweb.masters.blocks import Use, publish_block, remove_block, uses
from texelweb.masters.models import StudioBlock
from texelweb.refusals import not_found

router = Router(tags=["masters"])


class BlockVersionLine(Schema):
    """A published version of a block."""

    number: int
    note: str
    by: str
    published: datetime


class BlockUse(Schema):
    """A master that uses a block, and at which version of the block; `drafted` where its draft does."""

    master: str
    title: str
    version: int
    drafted: bool


class BlockLine(Schema):
    """A block of the studio: its newest version, the kinds of what it gives, its versions and the masters that use it."""

    name: str
    title: str
    latest: int
    document: Block
    gives: dict[str, str]
    versions: list[BlockVersionLine]
    used: list[BlockUse]
    may_publish: bool


class Folding(Schema):
    """A master's document, and the rows that become a block."""

    document: dict[str, Any]
    strands: list[str] = Field(max_length=1000)
    title: str = Field(max_length=80)


class TakingApart(Schema):
    """A master's document, and the row whose block is taken apart."""

    document: dict[str, Any]
    strand: str


class Written(Schema):
    """A master's document as it has become."""

    document: dict[str, Any]


class NewBlock(Schema):
    """A block to keep: as a new one, or as the next version of the studio's block `of`, made from its version `base`."""

    block: Block
    of: str = Field(default="", max_length=48)
    base: int = 0
    note: str = Field(default="", max_length=300)


@router.post("/sheets/fold", response={200: Written, 404: ErrorBody, 409: ErrorBody}, operation_id="fold_rows")
def fold_rows(request: HttpRequest, body: Folding) -> Written:
    """Make a block of some rows of a sheet. Nothing is kept: the page has the draft."""
    enter_library(request)
    found = read_master(body.document)
    if found.document is None or found.problems:
        raise found.problems[0].error
    return Written(document=fold(found.document, body.strands, body.title).model_dump(mode="json"))


@router.post("/sheets/apart", response={200: Written, 404: ErrorBody, 409: ErrorBody}, operation_id="take_block_apart")
def take_apart(request: HttpRequest, body: TakingApart) -> Written:
    """Put a block's strands in the place of a row. Nothing is kept: the page has the draft."""
    enter_library(request)
    found = read_master(body.document)
    if found.document is None:
        raise found.problems[0].error
    return Written(document=apart(found.document, body.strand).model_dump(mode="json"))


@router.get("/blocks", response={200: list[BlockLine], 404: ErrorBody}, operation_id="list_blocks")
def list_blocks(request: HttpRequest) -> list[BlockLine]:
    """The studio's blocks, with the masters that use them."""
    enter_library(request)
    used = uses()
    found = StudioBlock.objects.prefetch_related("versions__by").order_by("title")
    return [_line(request, kept, used.get(kept.name, [])) for kept in found]


@router.post("/blocks", response={200: BlockLine, 403: ErrorBody, 404: ErrorBody, 409: ErrorBody}, operation_id="publish_block")
def make_block(request: HttpRequest, body: NewBlock) -> BlockLine:
    """Keep a block for the studio. That takes a lead of the studio."""
    enter_library(request, drafts=True, publishes=True)
    kept = publish_block(body.block, body.of, body.base, body.note, request.user)
    return _line(request, StudioBlock.objects.get(name=kept.name), uses().get(kept.name, []))


@router.delete("/blocks/{name}", response={204: None, 403: ErrorBody, 404: ErrorBody}, operation_id="remove_block")
def delete_block(request: HttpRequest, name: str) -> Status[None]:
    """Take a block out of the studio. Masters keep what they hold of it."""
    enter_library(request, drafts=True, publishes=True)
    kept = StudioBlock.objects.filter(name=name).first()
    if kept is None:
        raise not_found("The block")
    remove_block(kept, request.user)
    return Status(204, None)


def _line(request: HttpRequest, kept: StudioBlock, used: list[Use]) -> BlockLine:
    versions = sorted(kept.versions.all(), key=lambda version: -version.number)
    document = versions[0].document
    kinds = examine_block(document).kinds
    return BlockLine(
        name=kept.name,
        title=kept.title,
        latest=versions[0].number,
        document=document,
        gives={name: kinds[name] for name in document.outputs if name in kinds},
        versions=[
            BlockVersionLine(
                number=version.number, note=version.what, by=version.by.get_username() if version.by else "", published=version.at
            )
            for version in versions
        ],
        used=[BlockUse(master=use.master, title=use.title, version=use.version, drafted=use.drafted) for use in used],
        may_publish=leads_studio(request),
    )
