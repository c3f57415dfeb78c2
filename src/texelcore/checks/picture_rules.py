"""Rules that hold what a picture shows against what it is used for. Adding a rule adds a function and a line in PICTURE_RULES.

Limits without a source are judgement. A file without evidence (looked at before there was any) breaks none.
"""

from __future__ import annotations

import base64
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass

import numpy as np

from texelcore.evidence.limits import ALIVE, EIGHT_BITS
from texelcore.evidence.pictures import PictureKind, shown
from texelcore.surface.checks import CheckChoice, limit_of, loudness
from texelcore.surface.evidence import ChannelSeen, Evidence
from texelcore.surface.figures import beside
from texelcore.surface.files import FileFacts
from texelcore.surface.findings import Finding, Severity
from texelcore.surface.ledger import Ledger, Row
from texelcore.surface.properties import property_of
from texelcore.surface.sources import Source

BITS = {"u8": "8-bit", "u16": "16-bit", "f16": "16-bit float", "f32": "32-bit float"}


@dataclass(frozen=True)
class Used:
    """A row with the facts and evidence of its file, and the ledger that it stands in."""

    row: Row
    facts: FileFacts
    seen: Evidence
    ledger: Ledger
    files: dict[Source, FileFacts]
    choices: Mapping[str, CheckChoice]

    def limit(self, rule: str, key: str) -> float:
        """A check's limit, as the house has set it."""
        return limit_of(self.choices, rule, key)

    @property
    def channel(self) -> ChannelSeen:
        """What the row's first channel looks like."""
        return self.seen.channels[self.row.channels[0]]

    @property
    def title(self) -> str:
        """The property's name."""
        return property_of(self.row.property).title

    def finding(self, rule: str, severity: Severity, message: str, way_out: str, kind: PictureKind | None = None) -> Finding:
        """A finding about this row, with the evidence picture that shows it."""
        return Finding(
            rule=rule,
            severity=severity,
            stage="sorted",
            subject=self.facts.name,
            file=self.facts.id,
            property=self.row.property,
            message=message,
            way_out=way_out,
            shown=shown(self.facts.id, kind, self.row.channels[0]) if kind else None,
        )


def names_and_pixels_disagree(used: Used) -> Iterator[Finding]:
    """What a name says and what its pixels show are two things."""
    if used.row.sure == "doubted":
        yield used.finding(
            "name-and-pixels-disagree",
            "warning",
            used.row.why,
            "Settle the question on the arrivals page, or set the row by hand.",
            "directions" if used.seen.field else "plain",
        )


def direction_still_holds(used: Used) -> Iterator[Finding]:
    """A re-export whose slopes fit the other direction, or a direction set by hand against them."""
    seen = used.seen.direction
    if used.row.property != "normal" or seen is None or seen.answer in (None, used.row.normal_y) or used.row.sure == "doubted":
        return
    fits, read = ((value or "").replace("-", "−") for value in (seen.answer, used.row.normal_y))
    message = f"Its slopes fit together only as {fits}, and it is read as {read}."
    kind: PictureKind = "curl-up" if used.row.normal_y == "+Y" else "curl-down"
    by_hand = used.row.sure == "by hand"
    way_out = f"Set the row to {fits}, unless you know better." if by_hand else f"See what changed in it, then set it to {fits}."
    yield used.finding("direction-differs", "note" if by_hand else "warning", message, way_out, kind)


def samples_are_numbers(used: Used) -> Iterator[Finding]:
    """Floats that are NaN or infinite, or larger than a half can hold (IEEE 754): what becomes of them is said."""
    total = used.facts.width * used.facts.height * len(used.facts.channels)
    if used.seen.no_numbers:
        message = f"{used.seen.no_numbers:,} of {total:,} samples are no numbers; outputs hold 0, or the largest value, there."
        yield used.finding("samples-no-numbers", "warning", message, "Export it again, and see what made them.")
    if used.seen.too_large:
        message = f"{used.seen.too_large:,} of {total:,} samples lie beyond ±65,504; half-float outputs hold that instead."
        yield used.finding("samples-too-large", "note", message, "Scale it down where it is made, and export it again.")


def metallic_is_two_valued(used: Used) -> Iterator[Finding]:
    """Metallic is 0 or 1 but for edges and dirt (common practice)."""
    limit = used.limit("metallic-between", "share")
    if used.row.property == "metallic" and used.channel.kind != "constant" and used.channel.between > limit:
        share = f"{used.channel.between:.0%}"
        message = f"{share} of metallic lie between 0 and 1; real surfaces are metal or not, but for edges and dirt."
        yield used.finding(
            "metallic-between", "warning", message, "See whether it is a roughness or specular map, or paint it anew.", "between"
        )


def colour_in_range(used: Used) -> Iterator[Finding]:
    """Base colour outside of what surfaces reflect (common practice); diffuse of the specular workflow is black on metals."""
    colour = used.seen.colour
    if used.row.property != "base_colour" or not colour or used.ledger.workflow == "specular" or used.facts.is_float:
        return
    metal = used.ledger.row("metallic")
    metals = metal is not None and (look := _channel(used, metal)) is not None and look.at_high > 0.02
    darkest, brightest = used.limit("colour-too-dark", "level"), used.limit("colour-too-bright", "level")
    if colour.dark < darkest:
        message = f"The darkest parts lie at sRGB {beside(colour.dark, darkest)}; ordinary surfaces stay above {darkest:g}."
        yield used.finding("colour-too-dark", "warning", message, "See whether shadow was painted in, and lift it.", "range")
    if colour.bright > brightest and not metals:
        message = (
            f"The brightest parts lie at sRGB {beside(colour.bright, brightest)}; what is no metal stays below {brightest:g}."
        )
        yield used.finding(
            "colour-too-bright", "warning", message, "See whether light came with the photograph, and lower it.", "range"
        )


def light_baked_in(used: Used) -> Iterator[Finding]:
    """Light or shadow in the base colour: an even gradient over it, or the pattern of the set's own occlusion."""
    colour = used.seen.colour
    if used.row.property != "base_colour" or not colour:
        return
    gradient, spread = used.limit("light-baked-in", "gradient"), used.limit("light-baked-in", "spread")
    if colour.gradient > gradient and colour.bright - colour.dark > spread:
        message = f"{colour.gradient:.0%} of its broad variation is one even gradient, as light from one side leaves it."
        yield used.finding("light-baked-in", "warning", message, "Even it out: the engine adds its own light.", "light")
    occlusion = used.ledger.row("occlusion")
    other = used.files.get(occlusion.file) if occlusion else None
    if other and other.evidence and other.evidence.picture == "grey":
        alike = _correlation(used.seen.print, other.evidence.print)
        if alike > used.limit("light-baked-in", "occlusion"):
            message = f"It is dark where {other.name} is (correlation {alike:.2f}): occlusion seems to be painted in already."
            yield used.finding("light-baked-in", "warning", message, "Export it without: the packed map holds that.", "plain")


def height_keeps_its_depth(used: Used) -> Iterator[Finding]:
    """A height map in 256 steps makes terraces when it moves geometry (common practice)."""
    if used.row.property != "height" or used.channel.kind in ("constant", "two-valued"):
        return
    if used.facts.sample == "u8":
        message = f"Height comes in 8 bits: {used.channel.levels} steps over its whole range, which show as terraces."
        yield used.finding("height-in-steps", "warning", message, "Export it with 16 bits or as OpenEXR.", "relief")
    elif used.channel.levels <= EIGHT_BITS:
        message = (
            f"Only {used.channel.levels} distinct values in a {BITS[used.facts.sample]} file: it was reduced to 8 bits before."
        )
        yield used.finding("height-squeezed", "warning", message, "Export it again from its source, with 16 bits.", "relief")


def normals_are_directions(used: Used) -> Iterator[Finding]:
    """Normals of unit length whose mean stands upright."""
    field = used.seen.field
    if used.row.property != "normal" or field is None:
        return
    if field.length_error > used.limit("normals-not-unit", "error"):
        message = f"Its vectors are {field.length_error:.1%} off unit length on average: it was scaled, or painted on."
        yield used.finding(
            "normals-not-unit",
            "warning",
            message,
            "Normalise it where it was made; builds take a stored blue as it is.",
            "length",
        )
    if field.lean > used.limit("normals-lean", "lean"):
        message = f"Its mean leans {field.lean:.1f}° from upright: the whole surface would be lit as if tilted."
        yield used.finding("normals-lean", "warning", message, "Bake it again, or take the tilt out.", "directions")


def data_declares_no_colour(used: Used) -> Iterator[Finding]:
    """A data map that carries an sRGB chunk or colour profile is read as colour by importers that heed it."""
    if used.seen.declared and not property_of(used.row.property).colour and "A" not in used.row.channels:
        message = f"{used.title} is data, and the file carries a {used.seen.declared}: importers that heed it bend its values."
        yield used.finding("colour-declared-on-data", "warning", message, "Nothing to do here: outputs declare what they are.")


def detail_is_its_own(used: Used) -> Iterator[Finding]:
    """A picture that was enlarged holds next to no energy at its finest frequencies."""
    limit = used.limit("upscaled", "finest")
    # Strong compression takes the finest frequencies too.
    limit = limit / 10 if used.facts.format == "jpeg" else limit
    if used.seen.finest < limit and used.seen.second > ALIVE:
        half = f"{used.facts.width // 2} × {used.facts.height // 2}"
        message = f"Its finest detail is missing ({used.seen.finest:.2%} of coarser detail): it was enlarged, about from {half}."
        yield used.finding("upscaled", "note", message, f"Ask for the original, or use it at {half}.", "finest")


def edges_meet(used: Used) -> Iterator[Finding]:
    """A step at the tile edge that is larger than any inside."""
    across, down = used.seen.seam
    limit = used.limit("seam", "step")
    sides = [name for name, ratio in (("left and right", across), ("upper and lower", down)) if ratio > limit]
    if sides:
        message = (
            f"Its {' and its '.join(sides)} edges do not meet: the step there is {max(across, down):.0f} times those inside."
        )
        yield used.finding("seam", "note", message, "Nothing to do unless it is meant to tile.", "seams")


def nothing_stands_out(used: Used) -> Iterator[Finding]:
    """Large blotches show the square of the tile when a base colour repeats."""
    if used.row.property == "base_colour" and used.seen.blotches > used.limit("repetition-shows", "share"):
        message = f"{used.seen.blotches:.0%} of its variation lies in large blotches: they will show the square of the tile."
        yield used.finding(
            "repetition-shows", "note", message, "Even the blotches out, or break the tiling up in the material.", "tiled"
        )


def nothing_comes_twice(used: Used) -> Iterator[Finding]:
    """A picture that holds itself several times wastes its texels, and tiles at a smaller size than it seems to."""
    period = used.seen.period
    if used.row.property == "base_colour" and period and period[2] > used.limit("repeats-inside", "correlation"):
        across, down = (f"{share:.0%} {way}" for share, way in ((period[0], "across"), (period[1], "down")))
        listed = " and ".join(part for part, share in ((across, period[0]), (down, period[1])) if share)
        message = f"It repeats itself inside, after {listed} (correlation {period[2]:.2f})."
        yield used.finding("repeats-inside", "note", message, "Export one repeat of it, if they are meant to be alike.", "plain")


def edges_are_powers_of_two(used: Used) -> Iterator[Finding]:
    """Sizes that are no powers of two cost memory or mips on some engines (common practice)."""
    if any(edge & (edge - 1) for edge in (used.facts.width, used.facts.height)):
        message = f"{used.facts.width} × {used.facts.height} is no power of two."
        yield used.finding("not-power-of-two", "note", message, "Resize it, or see that the target takes it as it is.")


PICTURE_RULES: tuple[Callable[[Used], Iterator[Finding]], ...] = (
    names_and_pixels_disagree,
    samples_are_numbers,
    direction_still_holds,
    metallic_is_two_valued,
    colour_in_range,
    light_baked_in,
    height_keeps_its_depth,
    normals_are_directions,
    data_declares_no_colour,
    detail_is_its_own,
    edges_meet,
    nothing_stands_out,
    nothing_comes_twice,
    edges_are_powers_of_two,
)
# These say the same of every row that reads a file: once a file is enough.
_ONCE_A_FILE = frozenset({"upscaled", "seam", "not-power-of-two", "colour-declared-on-data", "name-and-pixels-disagree"})


def check_pictures(
    ledger: Ledger, files: dict[Source, FileFacts], choices: Mapping[str, CheckChoice] | None = None
) -> Iterator[Finding]:
    """What the pictures of a ledger's rows show that does not go with their use, as loud as the house has chosen."""
    choices = choices or {}
    said: set[tuple[str, str]] = set()
    for row in ledger.parts():
        facts = files[row.file]
        # A re-export may have lost a channel: that is another rule's finding.
        if facts.evidence is None or not set(row.channels) <= set(facts.evidence.channels):
            continue
        used = Used(row, facts, facts.evidence, ledger, files, choices)
        for rule in PICTURE_RULES:
            for finding in rule(used):
                name = (finding.rule, facts.id)
                if finding.rule in _ONCE_A_FILE and name in said:
                    continue
                said.add(name)
                if heard := as_loud(finding, choices):
                    yield heard


def as_loud(finding: Finding, choices: Mapping[str, CheckChoice]) -> Finding | None:
    """A finding as loud as the house has chosen for its kind; None where that is off."""
    say = loudness(choices, finding.rule)
    if say == "off":
        return None
    return finding.model_copy(update={"severity": "note"}) if say == "note" else finding


def _channel(used: Used, row: Row) -> ChannelSeen | None:
    facts = used.files.get(row.file)
    return facts.evidence.channels.get(row.channels[0]) if facts and facts.evidence else None


def _correlation(first: str, second: str) -> float:
    one, two = (np.frombuffer(base64.b64decode(body), np.uint8).astype(np.float64) for body in (first, second))
    if one.size != two.size or one.std() < 1 or two.std() < 1:
        return 0.0
    return float(np.corrcoef(one, two)[0, 1])
