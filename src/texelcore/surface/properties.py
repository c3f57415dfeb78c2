"""The canonical surface: one meaning for each property, whatever arrives and whatever leaves."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Literal

Encoding = Literal["srgb", "linear"]
NormalY = Literal["+Y", "-Y"]
Absence = Literal["error", "warning", "fine"]


@dataclass(frozen=True)
class Property:
    """One surface property: its canonical form is linear, 0–1 unless said otherwise.

    `default` stands in when nothing provides it (None: the property is then absent); `absence` is how bad that is.
    `colour` properties are stored as sRGB in integer files; all others are data and always linear.
    """

    key: str
    title: str
    components: tuple[str, ...]
    colour: bool
    default: tuple[float, ...] | None
    absence: Absence
    absent_note: str


_RGB = ("red", "green", "blue")
_PROPERTIES = (
    Property("base_colour", "Base colour", _RGB, True, None, "error", "nothing can stand in for it"),
    Property("opacity", "Opacity", ("opacity",), False, (1.0,), "fine", "solid when absent"),
    Property("normal", "Normal", ("x", "y", "z"), False, (0.5, 0.5, 1.0), "fine", "flat when absent"),
    Property("roughness", "Roughness", ("roughness",), False, (0.5,), "warning", "0.5 when absent"),
    Property("metallic", "Metallic", ("metallic",), False, (0.0,), "fine", "0 when absent"),
    Property("occlusion", "Occlusion", ("occlusion",), False, (1.0,), "fine", "unoccluded when absent"),
    Property("height", "Height", ("height",), False, None, "fine", "left out when absent"),
    Property("emissive", "Emissive", _RGB, True, (0.0, 0.0, 0.0), "fine", "black when absent"),
    Property("specular", "Specular colour", _RGB, True, None, "fine", "only a source: becomes base colour and metallic"),
)
PROPERTIES: dict[str, Property] = {entry.key: entry for entry in _PROPERTIES}
# A mask is a row of its own for each name: "mask.01".
MASK = Property("mask", "Mask", ("mask",), False, None, "fine", "left out when absent")
# Names of masks stand in the names of outputs, and before the numbers of tiles, which begin with a dot.
_MASK_NAME = re.compile(r"[^\W_](?:[\w -]{0,38}[^\W_])?")
# What targets may ask for beside what a set provides: the first of a set's masks, the diffuse colour of the specular workflow,
# and a number that is the same everywhere.
FIRST_MASK = Property("mask", "First mask", ("mask",), False, None, "fine", "left out when absent")
DIFFUSE = Property("diffuse", "Diffuse colour", _RGB, True, None, "error", "follows from base colour and metallic")
CONSTANT = Property("constant", "Constant", ("value",), False, (0.0,), "fine", "the target's own number")
_OF_TARGETS = {entry.key: entry for entry in (FIRST_MASK, DIFFUSE, CONSTANT)}


def property_of(key: str) -> Property:
    """The property of a key of a ledger or a target; "mask.NAME" is a mask. Raises KeyError for a key that is no property."""
    if key.startswith("mask."):
        name = key.removeprefix("mask.")
        return Property(key, f"Mask {name}", MASK.components, False, None, "fine", MASK.absent_note)
    return _OF_TARGETS.get(key) or PROPERTIES[key]


def mask_key(name: str) -> str:
    """The key of the mask of a name. Raises ValueError, with what names may be, for one that no mask has."""
    plain = " ".join(name.split())
    if not _MASK_NAME.fullmatch(plain):
        raise ValueError("a mask's name has 1 to 40 letters and digits, with spaces, hyphens and underscores between them")
    return f"mask.{plain}"


def is_provided(key: str) -> bool:
    """Whether a set can have a row of its own for a property: all but what only targets ask for."""
    return key not in _OF_TARGETS
