"""What checks find."""

from __future__ import annotations

from typing import Literal

from texelcore.surface.documents import Document
from texelcore.surface.files import ChannelName
from texelcore.surface.sources import Source

Severity = Literal["error", "warning", "note"]
Stage = Literal["sorted", "converted", "packed", "named", "built", "proved", "dressed", "delivered"]


class Shown(Document):
    """The picture behind a finding: an evidence picture (`evidence.pictures`) of a file, of one channel where it matters, and
    what it shows in words."""

    file: Source
    kind: str
    channel: ChannelName | None = None
    caption: str = ""


class Finding(Document):
    """One thing that a check saw. `subject` names a file, a property or the set, and `file` is the file's id where it is about
    one: names may be the same in two folders. `shown` is the picture that it was seen in, and `level` the mip in which a proof
    went beyond a limit."""

    rule: str
    severity: Severity
    stage: Stage
    subject: str
    message: str
    way_out: str
    property: str | None = None
    file: Source | None = None
    shown: Shown | None = None
    level: int | None = None
