"""What a plan does to one property, as a person would say it."""

from __future__ import annotations

from texelcore.build.plan import Plan, PlannedChannel
from texelcore.build.recipe import FromSpecular, Take
from texelcore.surface.ledger import Ledger
from texelcore.targets.document import Target


def explain_property(ledger: Ledger, target: Target, plan: Plan, key: str) -> str:
    """One short sentence for the ledger's middle column: what is done to this property on its way to the target."""
    row = ledger.row(key)
    if key == "specular":
        used = ledger.workflow == "specular"
        return "gives base colour and metallic" if used else "not used: the set has a metallic map"
    entries = [entry for planned in plan.outputs for entry in planned.channels if entry.property == key and not entry.fills]
    if any(isinstance(entry.recipe, FromSpecular) for entry in entries):
        return "computed from diffuse and specular"
    if row is None:
        return ""
    if not entries:
        return "not asked for by this target"
    if key == "normal":
        return _explain_normal(row.normal_y, target)
    said = [_explain_inversion(key, row.inverted, _has(entries, "invert"))]
    if _has(entries, "srgb_to_linear"):
        said.append("sRGB to linear")
    if _has(entries, "linear_to_srgb"):
        said.append("linear to sRGB")
    return ", ".join(word for word in said if word) or "as it is"


def _explain_inversion(key: str, held_inverted: bool, inverts: bool) -> str:
    """Gloss and smoothness have names of their own; other properties are just one minus themselves."""
    held, other = ("gloss", "roughness") if key == "roughness" else ("one minus", "plain")
    if held_inverted:
        return f"inverted: {held} to {other}" if inverts else f"{held}, as the target wants it"
    return ("inverted: roughness to smoothness" if key == "roughness" else "inverted") if inverts else ""


def _explain_normal(reads: str | None, target: Target) -> str:
    have, want = (reads or "+Y").replace("-", "−"), target.normal_y.replace("-", "−")
    return f"as it is: reads {have}" if have == want else f"green flipped: reads {have}, target wants {want}"


def _has(entries: list[PlannedChannel], step: str) -> bool:
    return any(isinstance(entry.recipe, Take) and step in entry.recipe.steps for entry in entries)
