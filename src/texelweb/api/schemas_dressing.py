"""What the API says and hears of masters, variants and deliveries."""

from __future__ import annotations

from datetime import datetime
from typing import Literal
from uuid import UUID

from ninja import Schema

from texelcore.delivery.documents import Receipt
from texelcore.materials.document import Parameter, Value
from texelcore.materials.shader import Shader
from texelcore.surface.ledger import Finding
from texelcore.surface.storage import Storage
from texelweb.api.schemas import JobView, RoleName, TargetView, VariantLine


class MasterLine(Schema):
    """A master in the studio's list."""

    name: str
    title: str
    summary: str
    latest: int
    variants: int
    behind: int


class MasterVersionLine(Schema):
    """A published version."""

    number: int
    note: str
    by: str
    published: datetime


class StrandInput(Schema):
    """One chip of a strand: the slot, what it names or says, and what kind of thing that is."""

    slot: str
    label: str
    refers: Literal["strand", "texture", "parameter", "uv", "value"]


class StrandView(Schema):
    """A row of a master's sheet."""

    name: str
    group: str
    operation: str
    meaning: str
    gives: str
    inputs: list[StrandInput]


class SurfaceLine(Schema):
    """Which strand gives a surface property."""

    property: str
    title: str
    strand: str


class TextureLine(Schema):
    """A texture input, and where each target keeps it."""

    name: str
    property: str
    places: dict[str, str | None]


class MasterView(Schema):
    """A master's sheet at one version."""

    name: str
    title: str
    summary: str
    version: int
    latest: int
    may_publish: bool
    versions: list[MasterVersionLine]
    parameters: list[Parameter]
    textures: list[TextureLine]
    strands: list[StrandView]
    surface: list[SurfaceLine]
    variants: list[VariantLine]
    hidden_variants: int
    fetches: int


class NewVersion(Schema):
    """A changed version of a master: parameters with other defaults or ranges, against version `base`."""

    base: int
    note: str = ""
    parameters: list[Parameter]


class BoundOutput(Schema):
    """A texture that the live preview loads."""

    output: str
    width: int
    height: int
    storage: Storage
    levels: int
    sha256: str


class VariantView(Schema):
    """A variant's page: its own values, beside the parameters with the master's. `edit` is the number of its newest edit, and
    `ready` says whether the set is proved as it is now, so that its blocks can be shown."""

    id: int
    name: str
    role: RoleName
    project: str
    project_title: str
    set_id: int
    set_name: str
    target: TargetView
    master: str
    master_title: str
    version: int
    latest: int
    parameters: list[Parameter]
    values: dict[str, Value]
    edit: int
    shader: Shader
    bindings: dict[str, str | None]
    outputs: list[BoundOutput]
    ready: bool
    findings: list[Finding]
    job: JobView | None
    # Whether it is baked into glTF as it is now, and the job that bakes it.
    gltf: bool
    baking: JobView | None


class NewVariant(Schema):
    """A master by name; an empty name is filled from the set's."""

    master: str
    name: str = ""


class VariantChange(Schema):
    """A new name, all own values, or another version of the master; null leaves a thing."""

    name: str | None = None
    values: dict[str, Value] | None = None
    version: int | None = None


class DeliveryLine(Schema):
    """A delivery in the list, with its receipt."""

    id: UUID
    target: str
    target_title: str
    created: datetime
    by: str
    sets: list[str]
    files: int
    bytes: int
    folder: str
    receipt: Receipt | None
    job: JobView | None


class NewDelivery(Schema):
    """A target, and the sets to deliver."""

    target: str
    sets: list[int]
