"""Rename plans: everything that breaks a rule, old path beside new, without collisions."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable
from dataclasses import dataclass

from pydantic import BaseModel, ConfigDict

from texelcore.naming.judge import judge_name
from texelcore.naming.rules import HouseRules
from texelcore.naming.written import Subject, clean_name, folder_for, name_for

_MOST_TRIES = 1000


@dataclass(frozen=True)
class Named:
    """A file with its path and what its name should say, where that is known. One that waits for an answer keeps its path."""

    file: str
    path: str
    subject: Subject | None = None
    waits: bool = False


class Rename(BaseModel):
    """One file's old and new path, the rules that the old one breaks with their reasons, and how a collision was solved.

    `new` is None where no free name was found; `note` then says why.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    file: str
    old: str
    new: str | None
    rules: tuple[str, ...]
    why: tuple[str, ...]
    note: str = ""


class RenamePlan(BaseModel):
    """All renames of a project, in order of their old paths."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    lines: tuple[Rename, ...] = ()

    def to_csv(self) -> str:
        """The mapping as CSV (RFC 4180) with a head line. Cells that a spreadsheet would run as formulas are quoted text."""
        out = io.StringIO()
        writer = csv.writer(out)
        writer.writerow(["old", "new", "rules", "note"])
        for line in self.lines:
            writer.writerow([_plain(cell) for cell in (line.old, line.new or "", "; ".join(line.rules), line.note)])
        return out.getvalue()


def plan_renames(rules: HouseRules, files: Iterable[Named]) -> RenamePlan:
    """The renames that make every file hold to the rules. Paths that differ only in letter case count as one.

    Files that hold keep their paths, and whatever would collide with them or with each other is numbered.
    """
    ordered = sorted(files, key=lambda file: (file.path.casefold(), file.path))
    broken = {entry.file: () if entry.waits else judge_name(rules, entry.path, entry.subject) for entry in ordered}
    taken = {entry.path.casefold() for entry in ordered if not broken[entry.file]}
    lines = []
    for entry in ordered:
        if not broken[entry.file]:
            continue
        new, note = _free(rules, _wanted(rules, entry), taken)
        if new is not None:
            taken.add(new.casefold())
        else:
            taken.add(entry.path.casefold())
        if new == entry.path:
            continue
        reasons = broken[entry.file]
        lines.append(
            Rename(
                file=entry.file,
                old=entry.path,
                new=new,
                rules=tuple(dict.fromkeys(reason.rule for reason in reasons)),
                why=tuple(reason.message for reason in reasons),
                note=note,
            )
        )
    return RenamePlan(lines=tuple(lines))


def _wanted(rules: HouseRules, named: Named) -> str:
    folder, _, name = named.path.rpartition("/")
    stem, dot, ending = name.rpartition(".")
    if not stem:
        stem, dot, ending = name, "", ""
    if named.subject:
        stem, place = name_for(rules, named.subject), folder_for(rules, named.subject)
        folder = folder if place is None else place
    else:
        stem = clean_name(rules, stem)
    return f"{folder}/{stem}{dot}{ending}" if folder else f"{stem}{dot}{ending}"


def _free(rules: HouseRules, path: str, taken: set[str]) -> tuple[str | None, str]:
    """A path that nobody has: as wanted, or numbered behind. None when the name has no room for a number."""
    folder, slash, name = path.rpartition("/")
    stem, dot, ending = name.rpartition(".") if "." in name else (name, "", "")
    if rules.is_reserved(stem):
        stem, path = f"{stem}{rules.separator}1", f"{folder}{slash}{stem}{rules.separator}1{dot}{ending}"
    if len(stem) > rules.longest:
        return None, f"“{stem}” has {len(stem)} characters; the rules allow {rules.longest}. Give the set a shorter name."
    if path.casefold() not in taken:
        return path, ""
    for number in range(2, _MOST_TRIES):
        numbered = f"{stem}{rules.separator}{number:02d}"
        if len(numbered) > rules.longest:
            break
        candidate = f"{folder}{slash}{numbered}{dot}{ending}"
        if candidate.casefold() not in taken:
            return candidate, f"“{name}” is taken, so it is numbered."
    return None, f"“{name}” is taken, and there is no room for a number."


def _plain(cell: str) -> str:
    return f"'{cell}" if cell[:1] in ("=", "+", "-", "@", "\t") else cell
