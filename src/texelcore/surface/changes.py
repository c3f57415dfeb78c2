"""What differs between two states of a document, and taking one difference back while others stay.

A document is JSON here: objects of parts, two levels deep at most. A part below that is one thing, which is replaced whole.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

Json = Mapping[str, Any]
Path = tuple[str, ...]
DEPTH = 2


class Absent:
    """Stands for a part that a document does not have."""

    def __repr__(self) -> str:
        return "ABSENT"


ABSENT = Absent()


class Conflict(ValueError):
    """A part is neither as it was before a change nor as it was after: somebody has changed it again. `path` leads to it."""

    def __init__(self, path: Path) -> None:
        super().__init__(".".join(path))
        self.path = path


def differing(old: Json, new: Json) -> dict[Path, tuple[Any, Any]]:
    """The parts that differ, by their paths: as they are in the old document and in the new, ABSENT where one lacks them.

    >>> differing({"name": "oak", "rows": {"normal": 1}}, {"name": "oak", "rows": {"normal": 2}})
    {('rows', 'normal'): (1, 2)}
    """
    return dict(_walk(old, new, ()))


def _walk(old: Json, new: Json, at: Path) -> list[tuple[Path, tuple[Any, Any]]]:
    found: list[tuple[Path, tuple[Any, Any]]] = []
    for key in [*old, *(key for key in new if key not in old)]:
        first, second = old.get(key, ABSENT), new.get(key, ABSENT)
        path = (*at, key)
        if isinstance(first, Mapping) and isinstance(second, Mapping) and len(path) < DEPTH:
            found += _walk(first, second, path)
        elif first is ABSENT or second is ABSENT or first != second:
            found.append((path, (first, second)))
    return found


def narrowed(old: Json, new: Json) -> tuple[dict[str, Any], dict[str, Any]]:
    """Both documents with nothing but the parts that differ.

    >>> narrowed({"name": "oak", "rows": {"normal": 1, "height": 3}}, {"name": "oak", "rows": {"normal": 2, "height": 3}})
    ({'rows': {'normal': 1}}, {'rows': {'normal': 2}})
    """
    first: dict[str, Any] = {}
    second: dict[str, Any] = {}
    for path, (before, after) in differing(old, new).items():
        # The object around a part stands on both sides: that it is there is no difference.
        for document, part in ((first, before), (second, after)):
            _put(document, path, part)
    return first, second


def carried_over(now: Json, old: Json, new: Json) -> dict[str, Any]:
    """The document as it is now, with what changed from `old` to `new` done to it. With the two swapped, a change is taken back.

    Raises Conflict for a part that is now neither as in `old` nor as in `new`.

    >>> carried_over({"name": "oak", "target": "b"}, {"name": "oak"}, {"name": "elm"})
    {'name': 'elm', 'target': 'b'}
    """
    result = {key: dict(value) if isinstance(value, Mapping) else value for key, value in now.items()}
    for path, (before, after) in differing(old, new).items():
        found = _get(now, path)
        if _same(found, after):
            continue
        if not _same(found, before):
            raise Conflict(path)
        _put(result, path, after)
    return result


def _same(first: Any, second: Any) -> bool:
    return first is second if ABSENT in (first, second) else bool(first == second)


def _get(document: Json, path: Path) -> Any:
    found: Any = document
    for key in path:
        if not isinstance(found, Mapping) or key not in found:
            return ABSENT
        found = found[key]
    return found


def _put(document: dict[str, Any], path: Path, part: Any) -> None:
    *around, last = path
    for key in around:
        inner = document.get(key)
        document[key] = inner if isinstance(inner, dict) else {}
        document = document[key]
    if part is ABSENT:
        document.pop(last, None)
    else:
        document[last] = part
