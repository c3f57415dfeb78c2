"""Folders of maps, read: facts of every picture, and what stands around that in every command."""

from __future__ import annotations

import sys
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path

from texelcli.memory import Memory
from texelcore.evidence.facts import facts_of
from texelcore.naming.templates import code_of
from texelcore.pixels.errors import TexelError
from texelcore.pixels.inspect import PICTURE_SUFFIXES
from texelcore.surface.files import FileFacts
from texelcore.surface.ledger import Ledger
from texelcore.surface.sources import Source
from texelcore.targets.document import Target
from texelcore.targets.library import find_target, read_target


@dataclass(frozen=True)
class SortedFolder:
    """A folder that was read: facts by relative path, and the errors of files that could not be."""

    folder: Path
    files: dict[Source, FileFacts]
    unreadable: list[TexelError]
    passed_over: list[str]


def target_of(name: str) -> Target:
    """A shipped target by name, or a target document by the path of a .json file. Raises TexelError when there is none."""
    return read_target(Path(name)) if name.endswith(".json") else find_target(name)


def refuse_overlap(folder: Path, out: Path) -> None:
    """Outputs among the sources would be sorted as sources the next time."""
    if out.resolve() == folder.resolve() or folder.resolve() in out.resolve().parents:
        raise TexelError(str(out), "lies inside the folder of sources.", "Choose a folder outside of it.")


def read_folder(folder: Path, memory: Memory | None = None) -> SortedFolder:
    """Look at every picture in a folder and below; `memory` knows those that have not changed.

    Raises TexelError for one that is no folder, or holds no pictures.
    """
    if not folder.is_dir():
        raise TexelError(str(folder), "is not a folder.", "Name a folder that holds texture maps.")
    paths = sorted(path for path in folder.rglob("*") if path.is_file() and not path.name.startswith("."))
    pictures = [path for path in paths if path.suffix.lower() in PICTURE_SUFFIXES]
    passed = [path.relative_to(folder).as_posix() for path in paths if path.suffix.lower() not in PICTURE_SUFFIXES]
    files: dict[Source, FileFacts] = {}
    unreadable: list[TexelError] = []

    def look(path: Path) -> FileFacts | TexelError:
        shown = path.relative_to(folder).as_posix()
        try:
            known = memory.facts(path, shown) if memory else None
            facts = known or facts_of(path, shown)
        except TexelError as error:
            return error
        if memory and not known:
            memory.learn(path, facts)
        return facts

    with Progress("Reading") as progress, ThreadPoolExecutor(2) as pool:
        for index, result in enumerate(pool.map(look, pictures), 1):
            progress.show(index / len(pictures), pictures[index - 1].name)
            if isinstance(result, FileFacts):
                files[result.id] = result
            else:
                unreadable.append(result)
    if not pictures:
        raise TexelError(str(folder), "holds no texture maps.", f"Known endings: {' '.join(sorted(PICTURE_SUFFIXES))}.")
    return SortedFolder(folder, files, unreadable, passed)


def codes_of(ledgers: Sequence[Ledger]) -> list[str]:
    """One code for each set; sets with one name are numbered so that no output overwrites another."""
    codes: list[str] = []
    for ledger in ledgers:
        code, number = code_of(ledger.name), 2
        while code in codes:
            code, number = f"{code_of(ledger.name)}_{number}", number + 1
        codes.append(code)
    return codes


class Progress:
    """A bar on standard error when that is a terminal; silent otherwise."""

    def __init__(self, title: str) -> None:
        self.title = title
        self.visible = sys.stderr.isatty()

    def __enter__(self) -> Progress:
        return self

    def show(self, share: float, doing: str) -> None:
        """Draw the bar."""
        if self.visible:
            filled = round(share * 24)
            sys.stderr.write(f"\r\x1b[K{self.title} {'▇' * filled}{'·' * (24 - filled)} {share:4.0%} {doing}")
            sys.stderr.flush()

    def __exit__(self, *_: object) -> None:
        if self.visible:
            sys.stderr.write("\r\x1b[K")
