"""Rules that look at one set's ledger and plan. Adding a rule adds a function and a line in RULES."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass

from texelcore.building.plan import Plan
from texelcore.checks.picture_rules import as_loud, check_pictures
from texelcore.checks.storage_rules import check_storage
from texelcore.evidence.pictures import shown
from texelcore.evidence.ranges import is_constant
from texelcore.surface.checks import CheckChoice
from texelcore.surface.files import FileFacts
from texelcore.surface.findings import Finding
from texelcore.surface.ledger import Ledger
from texelcore.surface.properties import property_of
from texelcore.surface.sources import Source
from texelcore.targets.document import Target


@dataclass(frozen=True)
class CheckedSet:
    """What the rules look at: one set, the facts of its files, and its plan for one target."""

    ledger: Ledger
    files: Mapping[Source, FileFacts]
    target: Target
    plan: Plan

    def used(self) -> set[str]:
        """The properties that the plan reads from a file."""
        return {channel.property for planned in self.plan.outputs for channel in planned.channels if not channel.fills}


def direction_assumed(subject: CheckedSet) -> Iterator[Finding]:
    """A normal map whose name does not say its direction may light from the wrong side."""
    row = subject.ledger.row("normal")
    if row and row.sure == "assumed":
        yield Finding(
            rule="normal-direction-assumed",
            severity="warning",
            stage="converted",
            subject=subject.files[row.file].name,
            file=row.file,
            property="normal",
            message=f"The name does not say +Y or −Y; {(row.normal_y or '').replace('-', '−')} is assumed.",
            way_out="Look at it lit, then set the direction in the normal row.",
            shown=shown(row.file, "lit-up" if row.normal_y == "+Y" else "lit-down"),
        )


def outputs_possible(subject: CheckedSet) -> Iterator[Finding]:
    """An output that cannot be made: a property without stand-in is missing, or a file lost a channel."""
    for planned in subject.plan.outputs:
        if planned.problem and planned.problem_rule and planned.way_out:
            missing = next(
                (channel.property for channel in planned.channels if planned.problem_rule == "missing" and channel.fills), None
            )
            rows = subject.ledger.rows
            masks = missing and rows and all(row.property.startswith("mask.") for row in rows)
            other = " Or say on its page that it holds masks and details, and is no surface." if masks else ""
            yield Finding(
                rule=planned.problem_rule,
                severity="error",
                stage="sorted",
                subject=planned.file_name,
                property=missing,
                message=planned.problem,
                way_out=planned.way_out + other,
            )


def defaults_stand_in(subject: CheckedSet) -> Iterator[Finding]:
    """A property whose default is a guess, not a neutral value, is filled in."""
    for key in dict.fromkeys(
        channel.property for planned in subject.plan.outputs for channel in planned.channels if channel.fills
    ):
        prop = property_of(key)
        if prop.absence == "warning" and prop.default:
            yield Finding(
                rule="default-stands-in",
                severity="warning",
                stage="sorted",
                subject=prop.title,
                property=key,
                message=f"{prop.title} is missing; {prop.default[0]:g} stands in for it.",
                way_out=f"Assign a file to {prop.title}, or accept the stand-in.",
            )


def gaps_filled(subject: CheckedSet) -> Iterator[Finding]:
    """A neutral default fills a channel: nothing is wrong, but the reader should know that nothing was painted there."""
    for planned in subject.plan.outputs:
        given = {(channel.channel, channel.property) for channel in planned.output.channels if channel.when_absent is not None}
        # What the target itself says of a set without the property is meant.
        filled = {
            channel.property: channel.channel
            for channel in planned.channels
            if channel.fills and (channel.channel, channel.property) not in given
        }
        for key, channel in filled.items():
            prop = property_of(key)
            # An output of defaults alone would only be made on purpose, and guesses have a rule of their own.
            if prop.absence == "fine" and prop.default and len(filled) < len(planned.channels):
                yield Finding(
                    rule="gap-filled",
                    severity="note",
                    stage="packed",
                    subject=f"{planned.file_name}, channel {channel}",
                    message=f"{prop.title} is missing; {', '.join(f'{value:g}' for value in prop.default)} fills its place.",
                    way_out=f"Assign a file to {prop.title} if there should be one.",
                )


def occlusion_carries_nothing(subject: CheckedSet) -> Iterator[Finding]:
    """An all-white occlusion channel carries nothing (common practice)."""
    row = subject.ledger.row("occlusion")
    if row is None:
        return
    facts = subject.files[row.file]
    seen = facts.evidence.channels.get(row.channels[0]) if facts.evidence else None
    # A few dark texels, or the last levels below white, carry nothing either.
    nearly = seen is not None and seen.at_high > 0.998 and seen.mean > 0.99
    if is_constant(facts.ranges.get(row.channels[0]), 1.0) or nearly:
        yield Finding(
            rule="occlusion-carries-nothing",
            severity="warning",
            stage="sorted",
            subject=f"{subject.files[row.file].name}, channel {row.channels[0]}",
            file=row.file,
            property="occlusion",
            message="The occlusion channel is as good as white everywhere: it carries nothing.",
            way_out="Bake it again, or clear the row so that nothing is packed by mistake.",
            shown=shown(row.file, "dark", row.channels[0]),
        )


def alpha_unused(subject: CheckedSet) -> Iterator[Finding]:
    """Alpha that is not constant and that no row reads may hold a missing map (common practice)."""
    read = {(row.file, channel) for row in subject.ledger.parts() for channel in row.channels}
    for name in dict.fromkeys(row.file for row in subject.ledger.parts()):
        facts = subject.files[name]
        if "A" in facts.channels and (name, "A") not in read and facts.ranges.get("A") and not is_constant(facts.ranges["A"]):
            yield Finding(
                rule="alpha-unused",
                severity="warning",
                stage="sorted",
                subject=f"{facts.name}, channel A",
                file=name,
                message="Alpha carries a picture that no row reads.",
                way_out="Look at the channel, then assign it or leave it.",
                shown=shown(name, "channel", "A"),
            )


def brought_to_size(subject: CheckedSet) -> Iterator[Finding]:
    """Maps that are enlarged or reduced for an output: nothing is wrong, but enlarging adds nothing, and reducing takes away."""
    for planned in subject.plan.outputs:
        said = []
        for name in planned.resized:
            facts = subject.files[name]
            grows = facts.width * facts.height < planned.width * planned.height
            said.append(f"{facts.name} ({facts.width} × {facts.height}) is {'enlarged' if grows else 'reduced'}")
        if said:
            yield Finding(
                rule="brought-to-size",
                severity="note",
                stage="packed",
                subject=planned.file_name,
                message=f"For {planned.width} × {planned.height} texels {', '.join(said)}.",
                way_out="Nothing to do, unless they should have been exported at one size.",
            )


def sizes_differ(subject: CheckedSet) -> Iterator[Finding]:
    """Maps of one set in different sizes are worth knowing even where no output mixes them."""
    sizes = {(subject.files[row.file].width, subject.files[row.file].height) for row in subject.ledger.parts()}
    if len(sizes) > 1:
        listed = ", ".join(f"{width} × {height}" for width, height in sorted(sizes))
        yield Finding(
            rule="sizes-in-set",
            severity="note",
            stage="packed",
            subject=subject.ledger.name,
            message=f"The maps of this set come in {len(sizes)} sizes: {listed}.",
            way_out="Nothing to do unless they were meant to be alike.",
        )


def left_out(subject: CheckedSet) -> Iterator[Finding]:
    """Files of the set that are not used, with the reason."""
    for left_out in subject.ledger.left_out:
        facts = subject.files[left_out.file]
        yield Finding(
            rule="left-out",
            severity="note",
            stage="sorted",
            subject=facts.name,
            file=left_out.file,
            message=left_out.why,
            way_out="Assign it to a row to use it after all.",
            shown=shown(left_out.file, "plain"),
        )


def converted_from_specular(subject: CheckedSet) -> Iterator[Finding]:
    """A conversion between workflows is an approximation; the reader should know that it happens."""
    if subject.ledger.workflow == "specular" and subject.used() & {"base_colour", "metallic"}:
        yield Finding(
            rule="specular-workflow",
            severity="note",
            stage="converted",
            subject=subject.ledger.name,
            message="The set is in the specular workflow; base colour and metallic are computed from diffuse and specular.",
            way_out="Compare the colour output with the diffuse map, or assign a metallic map to use the metallic workflow.",
        )


RULES: tuple[Callable[[CheckedSet], Iterator[Finding]], ...] = (
    outputs_possible,
    defaults_stand_in,
    gaps_filled,
    direction_assumed,
    occlusion_carries_nothing,
    alpha_unused,
    converted_from_specular,
    brought_to_size,
    sizes_differ,
    left_out,
)
_WORST_FIRST = {"error": 0, "warning": 1, "note": 2}


def check_set(
    ledger: Ledger,
    files: Mapping[Source, FileFacts],
    target: Target,
    plan: Plan,
    choices: Mapping[str, CheckChoice] | None = None,
) -> tuple[Finding, ...]:
    """All findings of a set for one target, worst first, as loud as the house has chosen. `files` holds the facts of every file
    of the ledger."""
    subject = CheckedSet(ledger, files, target, plan)
    findings = [heard for rule in RULES for finding in rule(subject) if (heard := as_loud(finding, choices or {}))]
    return worst_first([*findings, *check_pictures(ledger, dict(files), choices), *check_storage(plan)])


def worst_first(findings: Iterable[Finding]) -> tuple[Finding, ...]:
    """Findings by severity; those of one severity stay in their order."""
    return tuple(sorted(findings, key=lambda finding: _WORST_FIRST[finding.severity]))
