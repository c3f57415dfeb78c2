"""What the depot offers, under which terms, and in which of its naming styles."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from texeldemo.surface import Surface
from texeldepot import materials

SIZES = ("512", "1K", "2K")
FORMATS = ("png", "jpeg", "exr")
EDGES = {"512": 512, "1K": 1024, "2K": 2048}


@dataclass(frozen=True)
class Licence:
    """Terms in a few facts: None means any project or target; `until` is a day (ISO 8601) or None."""

    key: str
    name: str
    text: str
    targets: tuple[str, ...] | None = None
    projects: int | None = None
    until: str | None = None
    credit: str = ""


@dataclass(frozen=True)
class Offer:
    """One material: its id, title, words to find it by, licence, naming style, and how it is made."""

    id: str
    title: str
    category: str
    words: tuple[str, ...]
    licence: str
    style: str
    make: Callable[[int], Surface]


LICENCES = {
    licence.key: licence
    for licence in (
        Licence("open-hand", "Open Hand", "Use it anywhere, for anything, for as long as you like."),
        Licence(
            "one-engine",
            "One Engine",
            "Use it for Orbit Desktop only; another engine needs another licence.",
            targets=("orbit-desktop",),
        ),
        Licence(
            "one-project",
            "One Project",
            "Use it in the project that it was first taken into, and name the depot in the credits.",
            projects=1,
            credit="Material from the depot.",
        ),
        Licence("lent", "Lent until Midwinter 2025", "Use ends on 21 December 2025.", until="2025-12-21"),
    )
}
OFFERS = (
    Offer("ochre-plaster", "Ochre Plaster", "walls", ("lime", "stucco", "yellow"), "open-hand", "snake", materials.ochre_plaster),
    Offer("slate-roof", "Slate Roof", "roofs", ("tiles", "grey", "lichen"), "one-engine", "pascal", materials.slate_roof),
    Offer("river-gravel", "River Gravel", "ground", ("pebbles", "stones", "wet"), "one-project", "kebab", materials.river_gravel),
    Offer("felted-wool", "Felted Wool", "cloth", ("felt", "fabric", "grey"), "open-hand", "spaced", materials.felted_wool),
    Offer("rusted-plate", "Rusted Plate", "metal", ("steel", "paint", "rivets"), "lent", "terse", materials.rusted_plate),
    Offer(
        "crackled-glaze",
        "Crackled Glaze",
        "ceramic",
        ("celadon", "green", "glossy"),
        "open-hand",
        "snake",
        materials.crackled_glaze,
    ),
)
BY_ID = {offer.id: offer for offer in OFFERS}


def search(text: str, category: str) -> list[Offer]:
    """Offers of a category ("" for all) whose title or words hold every word of the text."""
    wanted = text.lower().split()
    return [
        offer
        for offer in OFFERS
        if category in ("", offer.category)
        and all(any(word in held for held in (offer.title.lower(), offer.category, *offer.words)) for word in wanted)
    ]
