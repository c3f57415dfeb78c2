"""What may stand in a sheet: operations, mesh inputs, and the properties that may be read and given."""

from __future__ import annotations

from django.http import HttpRequest
from ninja import Router, Schema

from texelcore.materials.operations import FAMILIES
from texelcore.materials.operations.also import ALSO_CALLED
from texelcore.materials.sheets.document import MESH_INPUTS
from texelcore.materials.sheets.kinds import GIVEN_KINDS, KIND_WORDS, texture_kind
from texelcore.surface.properties import PROPERTIES, property_of
from texelweb.api.drafting import enter_library
from texelweb.api.masters.masters import title_of
from texelweb.api.schemas import ErrorBody

router = Router(tags=["masters"])


class SlotWord(Schema):
    """One input of an operation, for whoever fills it."""

    name: str
    kind: str
    default: bool | float | str | None
    least: int


class OperationWord(Schema):
    """An operation, for whoever chooses one; `also` are other words for it."""

    key: str
    title: str
    family: str
    meaning: str
    also: str
    slots: list[SlotWord]
    gives: str


class MeshWord(Schema):
    """What a mesh, the world or the clock brings."""

    name: str
    kind: str
    meaning: str


class GivenWord(Schema):
    """A property of a surface that a master may give."""

    key: str
    title: str
    kind: str
    extended: bool


class ReadWord(Schema):
    """A property that a texture input may read."""

    key: str
    title: str
    kind: str


class SheetVocabulary(Schema):
    """What may stand in a sheet."""

    operations: list[OperationWord]
    mesh: list[MeshWord]
    given: list[GivenWord]
    read: list[ReadWord]
    kinds: dict[str, str]


@router.get("/sheets/vocabulary", response={200: SheetVocabulary, 404: ErrorBody}, operation_id="get_sheet_vocabulary")
def get_vocabulary(request: HttpRequest) -> SheetVocabulary:
    """What may stand in a sheet: operations with their slots, mesh inputs, and the properties that may be read and given."""
    enter_library(request)
    read = [key for key in PROPERTIES if key != "specular"] + ["mask"]
    return SheetVocabulary(
        operations=[
            OperationWord(
                key=operation.key,
                title=operation.title,
                family=family,
                meaning=operation.meaning,
                also=ALSO_CALLED.get(operation.key, ""),
                slots=[
                    SlotWord(name=slot.name, kind=slot.kind, default=slot.default, least=slot.least) for slot in operation.slots
                ],
                gives=operation.gives,
            )
            for family, module in FAMILIES.items()
            for operation in module.OPERATIONS
        ],
        mesh=[MeshWord(name=entry.name, kind=entry.kind, meaning=entry.meaning) for entry in MESH_INPUTS.values()],
        given=[
            GivenWord(key=key, title=title_of(key), kind=kind, extended=key not in PROPERTIES)
            for key, kind in GIVEN_KINDS.items()
        ],
        read=[ReadWord(key=key, title=property_of(key).title, kind=texture_kind(key)) for key in read],
        kinds=dict(KIND_WORDS),
    )
