"""What the API says and hears. Ledger rows, findings and targets are the core's own documents."""

from __future__ import annotations

from datetime import datetime
from typing import Literal
from uuid import UUID

from ninja import Schema

from texelcore.proof.figures import Figures
from texelcore.surface.files import ChannelName
from texelcore.surface.findings import Finding
from texelcore.surface.formats import TextureFormat
from texelcore.surface.ledger import LeftOut, Row
from texelcore.surface.origin import Origin
from texelcore.surface.properties import Encoding, NormalY
from texelcore.surface.storage import Storage

RoleName = Literal["guest", "artist", "lead"]
JobState = Literal["queued", "running", "done", "failed", "cancelled"]


class ErrorBody(Schema):
    """What is wrong, with what, and the way out. `overtaken` says that somebody else has changed the thing since it was looked
    at; `reference` is the number under which the server's log tells more."""

    subject: str
    problem: str
    way_out: str
    overtaken: bool = False
    reference: str = ""


class ProjectView(Schema):
    """A project as its member sees it. The stamp changes with its title, code and target."""

    slug: str
    stamp: str
    title: str
    code: str
    role: RoleName
    target: str
    target_title: str
    archived: datetime | None
    sets: int
    open_files: int
    questions: int
    # How many targets it has taken.
    targets: int


class TargetView(Schema):
    """A target in one line, at the version that is meant."""

    name: str
    title: str
    summary: str
    normal_y: NormalY
    version: int


class JobView(Schema):
    """A job and how far it is (0–1)."""

    id: UUID
    kind: Literal["sort", "build", "prove", "deliver", "receive", "fetch", "bake", "write", "flatten", "bulk"]
    title: str
    subject: str
    state: JobState
    progress: float
    doing: str
    cancel_asked: bool
    problem: str
    way_out: str
    created: datetime
    ended: datetime | None


class FileView(Schema):
    """A source file."""

    id: int
    path: str
    name: str
    sha256: str
    bytes: int
    format: str
    width: int
    height: int
    channels: list[ChannelName]
    sample: str
    revision: int
    set_id: int | None
    why_open: str


class LineTo(Schema):
    """Where a property goes: an output and the channels that it fills there."""

    output: str
    file_name: str
    channels: str
    stored: str


class LineView(Schema):
    """One line of a ledger: a property, its source, what is done to it, where it goes."""

    property: str
    title: str
    components: int
    absent_note: str
    row: Row | None
    file: FileView | None
    done: str
    to: list[LineTo]


class OutputView(Schema):
    """A texture that was built."""

    id: int
    key: str
    title: str
    file_name: str
    bytes: int
    sha256: str
    width: int
    height: int
    sample: str
    encoding: Encoding
    channels: str
    reused: bool


class BuildView(Schema):
    """A finished build and its outputs."""

    id: int
    target: str
    target_version: int
    created: datetime
    by: str
    current: bool
    outputs: list[OutputView]


class ProofView(Schema):
    """An output's proof: its figures, and the stamp of its blocks."""

    figures: Figures
    sha256: str
    full_scale: float
    full_unit: str


class VariantLine(Schema):
    """A variant in one line."""

    id: int
    name: str
    set_id: int
    set_name: str
    project: str
    project_title: str
    master: str
    master_title: str
    version: int
    latest: int
    changed_values: int


class PlannedView(Schema):
    """An output that the target asks for, and why it cannot be made, where it cannot."""

    key: str
    title: str
    file_name: str
    width: int
    height: int
    channels: str
    stored: str
    problem: str | None
    way_out: str | None
    storage: Storage
    own_storage: bool
    formats: list[TextureFormat]
    proof: ProofView | None


class MeshRevisionLine(Schema):
    """A mesh or a model as it came at a time, and whether it is the one that is shown."""

    number: int
    name: str
    bytes: int
    by: str
    created: datetime
    shown: bool


class MeshView(Schema):
    """A set's own mesh: its name, whose ending says its format, and the hash of its bytes."""

    name: str
    sha256: str


class SetView(Schema):
    """A set's page. `edit` is the number of its newest edit, which changes carry; a set that is no `surface` holds masks and
    details that masters read."""

    id: int
    name: str
    code: str
    project: str
    project_title: str
    role: RoleName
    target: TargetView
    targets: list[TargetView]
    # The set's own target; "" of one that is made for all targets that are for every set, which `made_for` lists.
    own_target: str
    made_for: list[TargetView]
    edit: int
    surface: bool
    lines: list[LineView]
    left_out: list[LeftOut]
    findings: list[Finding]
    files: list[FileView]
    open_files: list[FileView]
    planned: list[PlannedView]
    build: BuildView | None
    proved: bool
    variants: list[VariantLine]
    origin: Origin | None
    mesh: MeshView | None
    job: JobView | None


class NewBuild(Schema):
    """The target to build for."""

    target: str
