"""What has several numbers: put together, taken apart, measured. Names as in MaterialX 1.39, standard nodes, where it has
them."""

from __future__ import annotations

from typing import Any

import numpy as np

from texelcore.materials.operations.declared import Floats, Operation, Slot, directions, numbers, unit
from texelcore.materials.sheets.document import ValueKind

_THREE = (Slot("a", "three"), Slot("b", "three"))


def _stacked(*parts: Floats) -> Floats:
    return np.stack(parts, axis=-1)


def _length(a: Floats) -> Floats:
    return np.asarray(np.sqrt((a * a).sum(-1)), np.float32)


def _pick(choice: Floats, *options: Any) -> Any:
    return options[min(int(np.max(choice)), len(options) - 1)]


def _picks(count: int, word: str) -> Operation:
    names = ("first", "second", "third", "fourth")[:count]
    nested = names[-1]
    for at in reversed(range(count - 1)):
        nested = f"choice < {at}.5 ? {names[at]} : {nested}"
    return Operation(
        f"pick_{word}",
        f"pick of {word}",
        f"one of {word}, by a choice: its first word takes the first, and so on",
        (Slot("choice", "choice"), *(Slot(name, "any") for name in names)),
        "same",
        _pick,
        f"return {nested};",
    )


def _combined(key: ValueKind, *names: str) -> Operation:
    made = numbers(**dict.fromkeys(names, 0.0))
    said = f"{len(names)} numbers as one"
    return Operation(key, key, said, made, key, _stacked, f"return vec{len(names)}({', '.join(names)});")


OPERATIONS = (
    _combined("two", "x", "y"),
    _combined("three", "x", "y", "z"),
    _combined("four", "x", "y", "z", "w"),
    *(
        Operation(
            name,
            name,
            f"the {word} number of several",
            (Slot("a", "vector", least=max(2, at + 1)),),
            "number",
            lambda a, at=at: a[..., at],
            f"return a.{name};",
        )
        for at, (name, word) in enumerate((("x", "first"), ("y", "second"), ("z", "third"), ("w", "fourth")))
    ),
    Operation(
        "length",
        "length",
        "how long several numbers are together",
        (Slot("a", "vector"),),
        "number",
        _length,
        "return length(a);",
    ),
    Operation(
        "distance",
        "distance",
        "how far two positions lie apart",
        _THREE,
        "number",
        lambda a, b: _length(a - b),
        "return length(a - b);",
    ),
    Operation(
        "cross", "cross", "what stands across both a and b", _THREE, "three", lambda a, b: np.cross(a, b), "return cross(a, b);"
    ),
    Operation(
        "normalise",
        "normalise",
        "three numbers at length 1, as a direction",
        (Slot("a", "three"),),
        "direction",
        unit,
        "return unit(a);",
    ),
    Operation(
        "as_numbers", "as numbers", "a direction as three plain numbers", directions("a"), "three", lambda a: a, "return a;"
    ),
    Operation(
        "as_colour",
        "as colour",
        "three plain numbers as a colour",
        (Slot("a", "three"),),
        "colour",
        lambda a: a,
        "return a;",
    ),
    _picks(2, "two"),
    _picks(3, "three"),
    _picks(4, "four"),
)
