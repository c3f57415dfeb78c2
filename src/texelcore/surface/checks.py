"""What checks there are, as data: what each looks for, its limits, and whether it speaks unasked.

A check that was not right and useful in eight of ten pictures of the practice trees (docs/bench.md) is off until the house turns
it on. Limits without a source are judgement.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

from pydantic import BaseModel, ConfigDict

Say = Literal["on", "note", "off"]
Preset = Literal["general", "scanned", "painted", "older"]


@dataclass(frozen=True)
class Limit:
    """A number that a check goes by, with its unit and the range that it may take."""

    key: str
    title: str
    default: float
    low: float
    high: float
    unit: str = ""


@dataclass(frozen=True)
class Check:
    """A kind of finding: its rule's name, what it says in a line, its limits, and how loud it is by preset."""

    rule: str
    title: str
    about: str
    limits: tuple[Limit, ...] = ()
    general: Say = "on"
    scanned: Say = "on"
    painted: Say = "on"
    older: Say = "on"

    def say(self, preset: Preset) -> Say:
        """How loud the check is in a preset."""
        found: Say = getattr(self, preset)
        return found


CHECKS: tuple[Check, ...] = (
    Check(
        "default-stands-in",
        "A stand-in for roughness",
        "Roughness is missing, and a middle value is used.",
        older="note",
    ),
    Check(
        "samples-no-numbers",
        "Samples that are no numbers",
        "NaN or infinite samples become 0 or the largest value in outputs.",
    ),
    Check(
        "samples-too-large",
        "Samples too large for a half",
        "They lie beyond 65,504; half-float outputs hold that instead.",
    ),
    Check("occlusion-carries-nothing", "Occlusion that is white", "The occlusion channel is as good as white everywhere."),
    Check("alpha-unused", "Alpha that nothing reads", "Alpha carries a picture, and no row reads it.", older="note"),
    Check(
        "metallic-between",
        "Metallic between 0 and 1",
        "Surfaces are metal or not, but for edges and dirt (common practice).",
        (Limit("share", "Most texels between", 0.4, 0.0, 1.0, "share"),),
        older="note",
    ),
    # Common practice: albedo of ordinary non-metals lies about between sRGB 30 and 240.
    Check(
        "colour-too-dark",
        "Base colour too dark",
        "Surfaces reflect more than that; shadow may have been painted in.",
        (Limit("level", "Darkest", 30.0, 0.0, 255.0, "sRGB"),),
        general="off",
        painted="off",
        older="off",
    ),
    Check(
        "colour-too-bright",
        "Base colour too bright",
        "Only metals reflect more than that; light may have come with the photograph.",
        (Limit("level", "Brightest", 240.0, 0.0, 255.0, "sRGB"),),
        general="off",
        painted="off",
        older="off",
    ),
    Check(
        "light-baked-in",
        "Light in the base colour",
        "An even gradient, as light from one side leaves it, or the pattern of the set’s own occlusion.",
        (
            Limit("gradient", "Gradient’s share", 0.6, 0.0, 1.0, "share"),
            Limit("spread", "Spread of the values", 40.0, 0.0, 255.0, "levels"),
            Limit("occlusion", "Likeness to occlusion", 0.93, 0.0, 1.0, "correlation"),
        ),
        general="off",
        painted="off",
        older="off",
    ),
    Check(
        "height-in-steps",
        "Height in 8 bits",
        "256 heights show as terraces where they move geometry. For parallax, and for flat shapes, they are enough.",
        general="off",
        painted="off",
        older="off",
    ),
    Check(
        "height-squeezed",
        "Height that was squeezed",
        "A file of 16 bits or more that holds no more heights than 8 bits do lost its depth on the way.",
    ),
    Check(
        "normals-not-unit",
        "Normals that are no unit vectors",
        "They were scaled, sharpened, or painted on.",
        (Limit("error", "Mean error of the length", 0.08, 0.0, 1.0, "share"),),
        older="note",
    ),
    Check(
        "normals-lean",
        "Normals that lean",
        "Their mean is not upright: a tiling surface would be lit as if tilted. Baked parts may lean.",
        (Limit("lean", "Lean", 5.0, 0.0, 45.0, "°"),),
        general="off",
        painted="off",
        older="off",
    ),
    Check(
        "colour-declared-on-data",
        "A colour profile on data",
        "Importers that heed it bend the values. Outputs declare what they are, whatever their sources say.",
        general="off",
        scanned="off",
        painted="off",
        older="off",
    ),
    Check(
        "upscaled",
        "Enlarged pictures",
        "Next to no energy at the finest frequencies.",
        (Limit("finest", "Finest over coarser energy", 0.001, 0.0, 0.1, "share"),),
        general="off",
        scanned="note",
        painted="off",
        older="off",
    ),
    Check(
        "seam",
        "Edges that do not meet",
        "A step over a tile’s edge that is larger than any inside. Doors, posters and atlases have none to mind.",
        (Limit("step", "Step over those inside", 3.0, 1.0, 50.0, "times"),),
        general="off",
        scanned="note",
        painted="off",
        older="off",
    ),
    Check(
        "repetition-shows",
        "Blotches that show the tile",
        "Large blotches show the square of the tile when it repeats.",
        (Limit("share", "Variation in large blotches", 0.4, 0.0, 1.0, "share"),),
        general="off",
        scanned="note",
        painted="off",
        older="off",
    ),
    Check(
        "repeats-inside",
        "Repetition inside",
        "The picture holds itself several times.",
        (Limit("correlation", "Correlation", 0.9, 0.0, 1.0, "correlation"),),
        general="off",
        scanned="note",
        painted="off",
        older="off",
    ),
    Check(
        "not-power-of-two",
        "Sizes that are no power of two",
        "They cost memory or mips on some engines. The rules for sizes say the same where a house holds names and sizes.",
        general="off",
        scanned="note",
        painted="off",
        older="off",
    ),
    Check("sizes-in-set", "Maps of several sizes", "The maps of one set come in several sizes.", general="note", older="off"),
    Check("gap-filled", "Filled channels", "A neutral value fills a channel that nothing provides.", general="note", older="off"),
    Check("left-out", "Files that are left out", "Files of a set that are not used, with the reason.", general="note"),
)
BY_RULE: Mapping[str, Check] = {check.rule: check for check in CHECKS}


class CheckChoice(BaseModel):
    """What a house has chosen for one kind of check: how loud it is, and limits of its own. None leaves the default."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    say: Say | None = None
    limits: dict[str, float] = {}


def limit_of(choices: Mapping[str, CheckChoice], rule: str, key: str) -> float:
    """A limit as a house has set it, or its default. Raises KeyError for a check or limit that does not exist."""
    chosen = choices.get(rule)
    if chosen and key in chosen.limits:
        return chosen.limits[key]
    return next(limit.default for limit in BY_RULE[rule].limits if limit.key == key)


def loudness(choices: Mapping[str, CheckChoice], rule: str) -> Say:
    """How loud a rule's findings are in a house; rules that are no choice of a house are always on."""
    chosen = choices.get(rule)
    if chosen and chosen.say:
        return chosen.say
    return BY_RULE[rule].general if rule in BY_RULE else "on"


def problem_of(rule: str, choice: CheckChoice) -> str | None:
    """Why a choice cannot stand: no such check, no such limit, or beyond its range. None when it can."""
    check = BY_RULE.get(rule)
    if check is None:
        return f"there is no check “{rule}”"
    for key, value in choice.limits.items():
        limit = next((limit for limit in check.limits if limit.key == key), None)
        if limit is None:
            return f"{check.title} has no limit “{key}”"
        if not limit.low <= value <= limit.high:
            return f"{check.title}: {limit.title.lower()} lies between {limit.low:g} and {limit.high:g}"
    return None
