"""House rules that a new project may begin with. What suits whom is common practice."""

from __future__ import annotations

from dataclasses import dataclass

from texelcore.naming.rules import HouseRules, SizeRules
from texelcore.pixels.errors import TexelError


@dataclass(frozen=True)
class RulesPreset:
    """Rules under a name, and what they ask for."""

    name: str
    title: str
    about: str
    rules: HouseRules


PRESETS = (
    RulesPreset(
        "plain",
        "Plain names",
        "set_property in small letters; edges are powers of two from 32 to 4096.",
        HouseRules(title="Plain names"),
    ),
    RulesPreset(
        "foldered",
        "A folder for each set",
        "As plain names, and each set's files lie in a folder of its name.",
        HouseRules(title="A folder for each set", folder="{set}"),
    ),
    RulesPreset(
        "small",
        "Small devices",
        "As plain names; square pictures up to 2048, and 8 MB for a set.",
        HouseRules(title="Small devices", sizes=SizeRules(largest=2048, square=True, set_budget=8)),
    ),
)


def rules_preset(name: str) -> HouseRules:
    """The rules of a preset. Raises TexelError for none of that name."""
    found = next((preset for preset in PRESETS if preset.name == name), None)
    if found is None:
        raise TexelError(f"“{name[:40]}”", "is no preset of house rules.", f"Choose {', '.join(p.name for p in PRESETS)}.")
    return found.rules
