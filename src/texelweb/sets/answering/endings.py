"""The table of a project's endings, as its sorting sees them now."""

from __future__ import annotations

from collections import Counter, defaultdict
from dataclasses import dataclass
from typing import Any

from texelcore.naming.house import Reader
from texelcore.sorting.cuts import look_of, told, unlike
from texelcore.sorting.endings_table import Ending
from texelcore.sorting.sort import sort_files
from texelcore.surface.files import FileFacts
from texelcore.surface.sources import Source
from texelweb.projects.models import Project
from texelweb.sets.facts import light, uses_of
from texelweb.sets.models import SourceFile

MOST_SAMPLES, MOST_OUTLIERS = 8, 3


@dataclass(frozen=True)
class Line:
    """One ending of the table; `samples` and `outliers` are file ids, spread over all that there are."""

    ending: str
    written: str
    files: int
    stems: int
    looks: dict[str, int]
    meanings: tuple[str, ...]
    asked: bool
    guess: str | None
    why: str
    habit: bool
    samples: tuple[str, ...]
    outliers: tuple[str, ...]


@dataclass(frozen=True)
class Table:
    """All endings of a project; how many pictures stand alone, and of how many files in all."""

    lines: tuple[Line, ...]
    alone: int
    files: int


def endings_of(project: Project) -> Table:
    """Survey a project's files and tell of every class with one ending: what is asked now, and what was decided, by whomever."""
    rules = project.rules
    rows = SourceFile.objects.filter(project=project, set_aside=False).values_list("pk", "path", "facts_json", "open_json")
    files, asked = {}, {}
    for key, path, body, waiting in rows:
        files[str(key)] = light(str(key), path, body)
        if waiting and waiting["kind"] == "ending":
            asked[str(key)] = waiting
    sorting = sort_files(files.values(), Reader(rules, project.code))
    taught = {habit.words for habit in rules.habits}
    whys = {ending.ending: ending.why for ending in sorting.endings if ending.asked}
    lines = [_asked(ending, members, files, whys.get(ending, "")) for ending, members in _by_ending(asked).items()]
    held = _held(project)
    for entry in sorting.endings:
        settled = tuple(file for file in entry.files if file not in asked)
        if settled:
            lines.append(_settled(entry, settled, files, held, entry.ending in taught))
    lines.sort(key=lambda line: (not line.asked, -line.files, line.ending))
    return Table(tuple(lines), sum(open_file.kind == "alone" for open_file in sorting.open), len(files))


def _by_ending(asked: dict[str, Any]) -> dict[str, dict[str, Any]]:
    endings: dict[str, dict[str, Any]] = defaultdict(dict)
    for file, waiting in asked.items():
        endings[waiting["ending"]][file] = waiting
    return endings


def _asked(ending: str, members: dict[str, Any], files: dict[Source, FileFacts], why: str) -> Line:
    some = next(iter(members.values()))
    stems = len({(member["home"], member["stem"].casefold()) for member in members.values()})
    looks = told(member["look"] for member in members.values())
    outliers = tuple(file for file, entry in members.items() if unlike(entry["look"], looks))
    return _line(ending, some["written"], tuple(members), stems, dict(looks), outliers, asked=True, guess=some["guess"], why=why)


def _settled(ending: Ending, settled: tuple[str, ...], files: dict[Source, FileFacts], held: dict[str, str], habit: bool) -> Line:
    """What a class holds as its sets have it: a person may have answered otherwise than the survey would."""
    looks = told(look_of(files[file]) for file in settled)
    outliers = tuple(file for file in settled if unlike(look_of(files[file]), looks))
    used = Counter(held[file] for file in settled if file in held).most_common(1)
    meanings = ending.meanings if not ending.asked else (used[0][0],) if used else ()
    stems = min(ending.stems, len(settled))
    return _line(
        ending.ending, ending.written, settled, stems, dict(looks), outliers, meanings=meanings, why=ending.why, habit=habit
    )


def _line(
    ending: str,
    written: str,
    files: tuple[str, ...],
    stems: int,
    looks: dict[str, int],
    outliers: tuple[str, ...],
    *,
    meanings: tuple[str, ...] = (),
    asked: bool = False,
    guess: str | None = None,
    why: str = "",
    habit: bool = False,
) -> Line:
    samples = _spread(files, MOST_SAMPLES)
    return Line(ending, written, len(files), stems, looks, meanings, asked, guess, why, habit, samples, outliers[:MOST_OUTLIERS])


def _held(project: Project) -> dict[str, str]:
    """What each file is used for, by the ledgers of the project's sets."""
    used: dict[str, str] = {}
    for _, prop, file in uses_of(project):
        used.setdefault(file, prop)
    return used


def _spread(files: tuple[str, ...], most: int) -> tuple[str, ...]:
    step = max(1, len(files) // most)
    return files[::step][:most]
