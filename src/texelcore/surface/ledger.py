"""The ledger of a set: each property, where it comes from and how its stored values are to be read."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

from pydantic import Field

from texelcore.surface.documents import Document
from texelcore.surface.files import ChannelName, FileFacts
from texelcore.surface.properties import Encoding, NormalY, is_provided, property_of
from texelcore.surface.sources import Source
from texelcore.surface.storage import Storage, StorageChoice

# agreed: name and pixels say the same; doubted: they do not, and a person is asked.
Sureness = Literal["agreed", "named", "seen", "assumed", "doubted", "by hand"]


class LayoutTile(Document):
    """One tile of a large UV layout: its number (1001 + u + 10 v) and the file that holds it."""

    number: int = Field(ge=1001, le=9999)
    file: Source


class Row(Document):
    """One property's source: a file and a channel for each component, and how stored values are read.

    `tiles` are all tiles of a surface that is laid out over several; `file` is then the first of them. `inverted` means that the
    file holds one minus the property (gloss or smoothness for roughness).
    `normal_y` is set for normals only. `why` is the reason for this row in a sentence.
    """

    property: str
    file: Source
    channels: tuple[ChannelName, ...]
    encoding: Encoding
    inverted: bool = False
    normal_y: NormalY | None = None
    sure: Sureness
    why: str
    tiles: tuple[LayoutTile, ...] = ()

    def files(self) -> tuple[Source, ...]:
        """The ids of the files that the row reads."""
        return tuple(tile.file for tile in self.tiles) or (self.file,)

    def reads(self, file: Source) -> bool:
        """Whether the row reads a file, by its id."""
        return any(tile.file == file for tile in self.tiles) if self.tiles else self.file == file

    def parts(self) -> tuple[Row, ...]:
        """The row of each tile, or the row itself where it has none: each reads one file."""
        return tuple(self.model_copy(update={"file": tile.file, "tiles": ()}) for tile in self.tiles) or (self,)

    def at(self, tile: int) -> Row | None:
        """The row of one tile: its own file, or the row itself where it has no tiles. None where it lacks this one."""
        if not self.tiles:
            return self
        found = next((entry.file for entry in self.tiles if entry.number == tile), None)
        return self.model_copy(update={"file": found, "tiles": ()}) if found else None


class LeftOut(Document):
    """A file, or a channel of one, that belongs to the set and is not used, and why."""

    file: Source
    why: str


class Ledger(Document):
    """A set's table. Every property has at most one row; `storage` holds what the set decides against a target.

    `surface` says that the set is a surface. One that is not holds masks and details that masters read: a target asks of it for
    what it has, and nothing is missing.
    """

    name: str
    rows: tuple[Row, ...] = ()
    left_out: tuple[LeftOut, ...] = ()
    storage: tuple[StorageChoice, ...] = ()
    # Ledgers that were written before there was another kind say nothing of it, and read the same.
    surface: bool = Field(default=True, exclude_if=bool)

    def row(self, key: str) -> Row | None:
        """The row of a property, or None."""
        return next((row for row in self.rows if row.property == key), None)

    def masks(self) -> tuple[str, ...]:
        """The keys of its masks: those of one file together, in the order of its channels."""
        rows = [row for row in self.rows if row.property.startswith("mask.")]
        first = {row.file: min(other.property for other in rows if other.file == row.file) for row in rows}
        rows.sort(key=lambda row: (first[row.file], "YRGBA".find(row.channels[0]), row.property))
        return tuple(row.property for row in rows)

    def parts(self) -> tuple[Row, ...]:
        """All rows, those of tiles one by one: each reads one file."""
        return tuple(part for row in self.rows for part in row.parts())

    @property
    def workflow(self) -> Literal["metallic", "specular"]:
        """A set with a specular colour and no metallic map is in the specular workflow."""
        return "specular" if self.row("specular") and not self.row("metallic") else "metallic"

    def files(self) -> tuple[Source, ...]:
        """The ids of all files that rows or left-out entries name, each once."""
        named = [part.file for part in self.parts()]
        return tuple(dict.fromkeys(named + [left_out.file for left_out in self.left_out]))

    def tiles(self) -> tuple[int, ...]:
        """The numbers of all tiles that the set is laid out over, in order; none for an ordinary set."""
        return tuple(sorted({tile.number for row in self.rows for tile in row.tiles}))

    def at(self, tile: int) -> Ledger:
        """The ledger of one tile, as an ordinary set's."""
        rows = tuple(found for row in self.rows if (found := row.at(tile)))
        return self.model_copy(update={"rows": rows})

    def with_row(self, row: Row) -> Ledger:
        """This ledger with `row` in place of its property's row; the file is no longer left out."""
        rows = (*(old for old in self.rows if old.property != row.property), row)
        left = tuple(left_out for left_out in self.left_out if left_out.file not in row.files())
        return self.model_copy(update={"rows": rows, "left_out": left})

    def storage_of(self, target: str, output: str) -> Storage | None:
        """The set's own storage for an output of a target, or None where the target decides."""
        return next((choice.storage for choice in self.storage if (choice.target, choice.output) == (target, output)), None)

    def with_storage(self, target: str, output: str, storage: Storage | None) -> Ledger:
        """This ledger with its own storage for an output of a target; None gives the decision back to the target."""
        kept = tuple(choice for choice in self.storage if (choice.target, choice.output) != (target, output))
        own = (StorageChoice(target=target, output=output, storage=storage),) if storage else ()
        return self.model_copy(update={"storage": kept + own})

    def without_row(self, key: str) -> Ledger:
        """This ledger without a property's row."""
        return self.model_copy(update={"rows": tuple(row for row in self.rows if row.property != key)})


def lacks_blue(row: Row) -> bool:
    """Whether a row is a normal map that stores two components; the third follows from unit length."""
    return row.property == "normal" and len(row.channels) == 2


def row_problem(row: Row, files: Mapping[Source, FileFacts]) -> str | None:
    """Why a row cannot stand: unknown property or file, missing channel, wrong channel count. None when it can."""
    try:
        prop = property_of(row.property)
    except KeyError:
        return f"“{row.property}” is not a surface property."
    if not is_provided(row.property):
        return f"“{row.property}” is no property of a set."
    facts = files.get(row.file)
    if facts is None:
        return "The file does not belong to this project."
    absent = [channel for channel in row.channels if channel not in facts.channels]
    if absent:
        return f"{facts.name} has no channel {', '.join(absent)}; it has {', '.join(facts.channels)}."
    if len(row.channels) != len(prop.components) and not lacks_blue(row):
        return f"{prop.title} needs {len(prop.components)} channel(s), not {len(row.channels)}."
    if row.property == "normal" and len(set(row.channels)) < len(row.channels):
        return f"A normal map needs two or three different channels; {facts.name} has {', '.join(facts.channels)}."
    if (row.normal_y is None) == (row.property == "normal"):
        return "A direction (+Y or −Y) belongs to normals, and every normal row needs one."
    if row.inverted and len(prop.components) > 1:
        return f"{prop.title} cannot be inverted."
    return None
