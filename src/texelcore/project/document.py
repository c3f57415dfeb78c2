"""The project document: all that decides a project's bytes, as one file."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Annotated, Literal

from pydantic import Field, StringConstraints, ValidationError, model_validator

from texelcore.materials.sheets.document import Master, Variant
from texelcore.naming.hidden import hidden_in
from texelcore.naming.rules import HouseRules
from texelcore.pixels.errors import TexelError
from texelcore.proof.tolerances import Tolerances
from texelcore.surface.documents import Document
from texelcore.surface.ledger import Ledger
from texelcore.surface.mistakes import first_mistake
from texelcore.surface.origin import Origin
from texelcore.surface.sources import Source
from texelcore.targets.document import Target

VERSION = 1
FORMAT = "fair-texel-project"
LARGEST = 64 * 1024**2
_Path = Annotated[str, StringConstraints(min_length=1, max_length=1024)]
_Code = Annotated[str, StringConstraints(pattern=r"^[A-Za-z0-9_]{1,64}$")]


class ProjectFile(Document):
    """A source file that ledgers name: by the id that they use, its path in the project and the SHA-256 of its bytes. One that
    is `aside` was set aside by hand: it belongs to no set, and is not sorted again."""

    id: Annotated[Source, StringConstraints(min_length=1, max_length=64)]
    path: _Path
    sha256: Annotated[str, StringConstraints(pattern=r"^[0-9a-f]{64}$")]
    aside: bool = False


class ProjectSet(Document):
    """A set with all that was decided about it. An empty target is the project's; the folder is a path, "" the project
    itself."""

    name: Annotated[str, StringConstraints(min_length=1, max_length=200)]
    code: _Code
    target: str = ""
    folder: Annotated[str, StringConstraints(max_length=1100)] = ""
    tags: tuple[Annotated[str, StringConstraints(min_length=1, max_length=40)], ...] = ()
    ledger: Ledger
    origin: Origin | None = None


class ProjectDocument(Document):
    """A project: its rules with their habits, tolerances, the targets and masters that it uses, and its sets, files and
    variants.

    What depends on pixels or the clock alone is not in it: the same document and the same sources give the same bytes on every
    machine.
    """

    format: Literal["fair-texel-project"] = "fair-texel-project"
    version: int = VERSION
    title: Annotated[str, StringConstraints(min_length=1, max_length=120)]
    code: Annotated[str, StringConstraints(pattern=r"^[A-Za-z0-9_-]{1,16}$")]
    target: str
    # What every set is made for that has no target of its own, besides the usual one.
    all_sets: tuple[str, ...] = Field(default=(), max_length=200)
    rules: HouseRules
    tolerances: Tolerances = Tolerances()
    targets: tuple[Target, ...] = Field(default=(), max_length=200)
    masters: tuple[Master, ...] = Field(default=(), max_length=500)
    folders: tuple[str, ...] = Field(default=(), max_length=5000)
    files: tuple[ProjectFile, ...] = Field(default=(), max_length=200_000)
    sets: tuple[ProjectSet, ...] = Field(default=(), max_length=50_000)
    variants: tuple[Variant, ...] = Field(default=(), max_length=100_000)

    @model_validator(mode="after")
    def _holds_together(self) -> ProjectDocument:
        for what, keys in (
            ("files share one id", [file.id for file in self.files]),
            ("files share one path", [file.path.casefold() for file in self.files]),
            ("sets share one code", [texture_set.code for texture_set in self.sets]),
            ("variants share one name", [variant.name for variant in self.variants]),
            ("targets share one name", [target.name for target in self.targets]),
            ("targets for every set are the same", list(self.all_sets)),
        ):
            if len(set(keys)) != len(keys):
                raise ValueError(f"two {what}")
        for path in (*(file.path for file in self.files), *self.folders, *(texture_set.folder for texture_set in self.sets)):
            if path and any(part in ("", ".", "..") for part in path.replace("\\", "/").split("/")):
                raise ValueError(f"“{path[:80]}” is no plain relative path")
        known, codes = {file.id for file in self.files}, {texture_set.code for texture_set in self.sets}
        targets = {target.name for target in self.targets}
        masters = {(master.name, master.version) for master in self.masters}
        if missing := set(self.all_sets) - targets:
            raise ValueError(f"every set is made for {min(missing)}, which the document does not hold")
        for texture_set in self.sets:
            if unlisted := set(texture_set.ledger.files()) - known:
                raise ValueError(f"{texture_set.name} names the file {min(unlisted)}, which the document does not list")
            if (texture_set.target or self.target) not in targets:
                raise ValueError(
                    f"{texture_set.name} is made for {texture_set.target or self.target}, which the document does not hold"
                )
        for variant in self.variants:
            if missing := {variant.set, *(other.set for other in variant.others.values())} - codes:
                raise ValueError(f"variant {variant.name} dresses the set {min(missing)}, which the document does not list")
            if (variant.master, variant.version) not in masters:
                raise ValueError(f"variant {variant.name} is of {variant.master} v{variant.version}, which is not there")
        return self

    def targets_of(self, own: str = "") -> tuple[Target, ...]:
        """The targets that a set is made for: its own alone, or the usual one and then all others that are for every set.
        Raises KeyError for one that the document does not hold."""
        held = {target.name: target for target in self.targets}
        return tuple(held[name] for name in ([own] if own else [self.target, *sorted({*self.all_sets} - {self.target})]))

    def to_json(self) -> str:
        """As it is written to a file: the same document gives the same text."""
        return json.dumps(self.model_dump(mode="json"), indent=1, sort_keys=True, ensure_ascii=False) + "\n"


def read_project(text: str | bytes, name: str) -> ProjectDocument:
    """A project document from its text. Raises TexelError, under `name`, for text that is none, of a newer version than is
    known here, or that does not hold together."""
    if len(text) > LARGEST:
        raise TexelError(
            name, f"has {len(text) / 1e6:,.0f} MB; a project document has at most {LARGEST / 1e6:,.0f}.", "Export it anew."
        )
    try:
        body = json.loads(text)
    except (ValueError, RecursionError) as error:
        raise TexelError(name, "is not a JSON document.", "Export the project again.") from error
    if not isinstance(body, dict) or body.get("format") != FORMAT:
        raise TexelError(name, "is no project document.", "Export one from a project's own page.")
    version = body.get("version")
    if isinstance(version, int) and version > VERSION:
        problem = f"is of version {version}; this application knows {VERSION}."
        raise TexelError(name, problem, "Update the application, or export it from an older one.")
    if hidden := hidden_in(body):
        problem = f"holds a character that nobody sees ({hidden[1]}), in “{hidden[0]}”."
        raise TexelError(name, problem, "Remove it where that is named, then export the project again.")
    try:
        return ProjectDocument.model_validate(body)
    except ValidationError as error:
        place, said = first_mistake(error)
        raise TexelError(name, f"does not hold together at {place}: {said}.", "Correct it, or export it anew.") from error
    except RecursionError as error:
        raise TexelError(name, "is nested too deeply.", "Export the project again.") from error


def read_project_file(path: Path) -> ProjectDocument:
    """A project document from a file. Raises TexelError as `read_project` does, and for a file that cannot be read."""
    try:
        return read_project(path.read_bytes(), path.name)
    except OSError as error:
        raise TexelError(str(path), f"cannot be read ({error.strerror}).", "Name a project document.") from error
