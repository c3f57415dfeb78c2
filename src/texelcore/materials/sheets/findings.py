"""What is odd about a master that holds: the mistakes of wiring by hand, found in its sheet, each with a way out."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Literal

from texelcore.materials.dressing.binding import Bindings, not_taken
from texelcore.materials.sheets.cost import MOST_SAMPLERS, MasterCost, cost_of
from texelcore.materials.sheets.document import Master, Parameter
from texelcore.materials.sheets.strands import CheckedStrand
from texelcore.materials.sheets.typing import CheckedMaster
from texelcore.naming.rules import MasterRules
from texelcore.surface.documents import Document
from texelcore.surface.properties import property_of
from texelcore.surface.storage import Storage
from texelcore.targets.document import Target

# Slots that are angles, in degrees.
_DEGREES = frozenset({"turn", "degrees", "turned"})
_DEGREE_UNITS = frozenset({"°", "deg", "degrees"})
# Properties that are often taken for each other, since they lie in one packed texture.
_TAKEN_FOR = {"roughness": "metallic", "metallic": "roughness", "occlusion": "roughness"}


class MasterFinding(Document):
    """One thing that a check saw in a sheet: where, what, and the way out; `strand` is "" for the master as a whole."""

    rule: Literal[
        "strand-unused",
        "may-divide-by-zero",
        "not-degrees",
        "from-another-property",
        "too-many-samplers",
        "over-the-house-limit",
        "nothing-to-cut",
        "not-taken",
    ]
    severity: Literal["error", "warning", "note"]
    strand: str
    message: str
    way_out: str


@dataclass(frozen=True)
class MadeFor:
    """Where a master is to be used: the house's limits, the targets, and, for the one whose cost counts, how bound textures are
    stored, by output, and the properties `without` which it is compiled."""

    rules: MasterRules = field(default_factory=MasterRules)
    targets: Sequence[Target] = ()
    storages: Mapping[str, Storage] = field(default_factory=dict)
    without: Collection[str] = ()


def findings_of(checked: CheckedMaster, bindings: Bindings, made_for: MadeFor | None = None) -> tuple[MasterFinding, ...]:
    """All findings of a master, with its textures bound as `bindings` says."""
    made_for = made_for or MadeFor()
    cost = cost_of(checked, bindings, made_for.without, made_for.storages)
    whole = (
        *_whole(checked, bindings, cost),
        *_over(checked, bindings, cost, made_for.rules),
        *_not_taken(checked, made_for.targets),
    )
    return (*whole, *(found for step in checked.steps for found in _of_step(step, checked.master)))


def _over(checked: CheckedMaster, bindings: Bindings, cost: MasterCost, rules: MasterRules) -> Iterator[MasterFinding]:
    """What a master costs beyond what the house allows, with the cheapest way back."""
    for key, words, way_out in (
        ("samplers", "textures", _cheapest(checked, bindings)),
        ("reads", "texture reads", _fewest(cost, "reads")),
        ("arithmetic", "steps of arithmetic", _fewest(cost, "arithmetic")),
        ("megabytes", "MB of textures at 2048 × 2048 texels", "Store a texture in a cheaper format, or read fewer of them."),
        ("versions", "versions to compile", "Let a structural switch be a plain one: it halves them."),
    ):
        limit, found = getattr(rules, key), getattr(cost, key)
        if limit is None or found <= limit or (key == "samplers" and found > MOST_SAMPLERS):
            continue
        yield MasterFinding(
            rule="over-the-house-limit",
            severity="warning",
            strand="",
            message=f"It takes {found:,.10g} {words}; the house rules allow {limit:,.10g}.",
            way_out=way_out,
        )


def _not_taken(checked: CheckedMaster, targets: Sequence[Target]) -> Iterator[MasterFinding]:
    """What a master gives and a target's materials do not take: it is left out there, and costs nothing."""
    for target in targets:
        for title, properties in not_taken(checked.master, target).items():
            yield MasterFinding(
                rule="not-taken",
                severity="warning",
                strand=checked.master.surface[properties[0]],
                message=f"{target.title} takes no {title.lower()}: it is left out there, and not seen.",
                way_out="See that the surface reads well without it, or dress with another master there.",
            )


def _fewest(cost: MasterCost, key: Literal["reads", "arithmetic"]) -> str:
    """The cheapest way to fewer of something: what a switch saves, or the row that takes the most."""
    saves = {
        entry.parameter: abs(getattr(entry.on, key) - getattr(entry.off, key))
        for entry in cost.switches
        if getattr(entry.on, key) != getattr(entry.off, key)
    }
    if saves:
        name = max(saves, key=lambda entry: saves[entry])
        return f"The switch {name} saves {saves[name]:,}. Or take rows out."
    if not cost.strands:
        return "Take rows out."
    dearest = max(cost.strands, key=lambda strand: getattr(strand, key))
    return f"The row {dearest.strand} takes {getattr(dearest, key):,} of them, the most of all."


def _whole(checked: CheckedMaster, bindings: Bindings, cost: MasterCost) -> Iterator[MasterFinding]:
    master = checked.master
    if cost.samplers > MOST_SAMPLERS:
        yield MasterFinding(
            rule="too-many-samplers",
            severity="error",
            strand="",
            message=f"It reads {cost.samplers} textures; a GPU has to offer {MOST_SAMPLERS} only.",
            way_out=_cheapest(checked, bindings),
        )
    if master.opacity.mode in ("cut-out", "blended") and "opacity" not in master.surface:
        yield MasterFinding(
            rule="nothing-to-cut",
            severity="warning",
            strand="",
            message=f"Its opacity is {master.opacity.mode}, and nothing gives it any: it is solid everywhere.",
            way_out="Give opacity at the side, or call it solid.",
        )
    for name in cost.unused:
        message = "Nothing uses it: it costs nothing, and does nothing."
        yield MasterFinding(
            rule="strand-unused", severity="note", strand=name, message=message, way_out="Take it out, or let something read it."
        )
    for key, meant in _TAKEN_FOR.items():
        source = master.surface.get(key, "")
        if _read_by(checked, source) == {meant}:
            title, other = property_of(key).title, property_of(meant).title.lower()
            yield MasterFinding(
                rule="from-another-property",
                severity="warning",
                strand=source,
                message=f"{title} is made of the {other} map alone.",
                way_out=f"Read the {title.lower()} map of the same layer.",
            )


def _of_step(step: CheckedStrand, master: Master) -> Iterator[MasterFinding]:
    name = step.strand.name
    if step.operation.key in ("divide", "modulo") and (said := _not_above_zero(step.strand.inputs.get("b"), master)):
        yield MasterFinding(
            rule="may-divide-by-zero",
            severity="warning",
            strand=name,
            message=f"{said}; whatever is less than 0.0001 counts as 0.0001 there.",
            way_out="Divide by what is above 0: give a parameter such a hard minimum, multiply by −1 for a sign.",
        )
    for slot in step.operation.slots:
        entry = _parameter(step.strand.inputs.get(slot.name), master)
        if slot.name in _DEGREES and entry and entry.kind == "number" and entry.unit not in _DEGREE_UNITS:
            unit = f"is in {entry.unit}" if entry.unit else "has no unit"
            yield MasterFinding(
                rule="not-degrees",
                severity="warning",
                strand=name,
                message=f"{slot.name.capitalize()} takes degrees, and {entry.label} {unit}.",
                way_out="Give the parameter the unit °, and a range in degrees.",
            )


def _not_above_zero(value: object, master: Master) -> str:
    """Why a divisor may be zero or less, in words; "" where nothing is known of it."""
    plain = [part for part in (value if isinstance(value, list | tuple) else (value,)) if isinstance(part, int | float)]
    if plain and min(plain) <= 0:
        return f"It divides by {min(plain):g}".replace("-", "−")
    entry = _parameter(value, master)
    if entry and entry.kind == "number" and (entry.hard_low is None or entry.hard_low <= 0):
        return f"{entry.label} may be 0 or less"
    return ""


def _parameter(value: object, master: Master) -> Parameter | None:
    return master.parameter(value) if isinstance(value, str) else None


def _read_by(checked: CheckedMaster, name: str) -> set[str]:
    """The properties of all textures that go into a strand, at any depth."""
    steps = {step.strand.name: step.strand for step in checked.steps}
    textures = {texture.name: texture.property for texture in checked.master.textures}
    waiting, seen, found = [name], set(), set()
    while waiting:
        at = waiting.pop()
        if at in seen:
            continue
        seen.add(at)
        if at in textures:
            found.add(textures[at])
        if at in steps:
            waiting += [value for value in steps[at].inputs.values() if isinstance(value, str)]
    return found


def _cheapest(checked: CheckedMaster, bindings: Bindings) -> str:
    """Which layer's textures are the fewest to do without."""
    held: dict[str, set[str]] = {}
    for bound in bindings.values():
        if bound:
            held.setdefault(bound.holder, set()).add(bound.output)
    if len(held) < 2:
        return "Read fewer textures: let constants stand in their place."
    least = min(list(held)[1:], key=lambda holder: len(held[holder]))
    count = len(held[least])
    return (
        f"Take the layer {least} out: {count} {'texture' if count == 1 else 'textures'} fewer. Or let constants stand for maps."
    )
