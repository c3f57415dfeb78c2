"""Rules that judge how an output is stored against what it means. Adding a rule adds a function and a line in RULES."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from texelcore.building.plan import Plan, PlannedOutput
from texelcore.proof.prove import storage_problem
from texelcore.surface.findings import Finding, Severity
from texelcore.surface.formats import FORMATS, texture_channel
from texelcore.surface.properties import property_of


def _finding(planned: PlannedOutput, rule: str, severity: Severity, message: str, way_out: str) -> Finding:
    return Finding(
        rule=rule,
        severity=severity,
        stage="proved",
        subject=planned.file_name,
        property=planned.channels[0].property,
        message=message,
        way_out=way_out,
    )


def data_flagged_srgb(planned: PlannedOutput) -> Iterator[Finding]:
    """Data that an engine decodes as sRGB comes out too small: 0.5 becomes 0.214 (IEC 61966-2-1)."""
    if planned.output.is_decoded(planned.storage) and not _holds_colour(planned):
        yield _finding(
            planned,
            "data-flagged-srgb",
            "error",
            f"{planned.title} is data but flagged sRGB: the engine would read 0.5 as 0.214.",
            "Take the sRGB flag off.",
        )


def colour_not_flagged(planned: PlannedOutput) -> Iterator[Finding]:
    """Colour stored as sRGB must be flagged, or the engine takes it for light and shows it washed out."""
    if _holds_colour(planned) and planned.output.encoding == "srgb" and not planned.output.is_decoded(planned.storage):
        yield _finding(
            planned,
            "colour-not-flagged",
            "error",
            f"{planned.title} is sRGB colour but not flagged: the engine would take it for linear light.",
            "Set the sRGB flag, or choose a format that has one.",
        )


def normal_in_colour_format(planned: PlannedOutput) -> Iterator[Finding]:
    """Formats made for colour tie the channels of a block together; two-channel normals deserve BC5 (common practice)."""
    form = FORMATS[planned.storage.format]
    # With something else in the free channels no format for two will do.
    alone = {channel.property for channel in planned.channels} == {"normal"}
    if alone and form.is_blocks and form.key != "bc5":
        yield _finding(
            planned,
            "normal-in-colour-format",
            "warning",
            f"{form.title} compresses normals badly: it ties their channels together.",
            "Use BC5: it stores two channels, and blue is rebuilt.",
        )


def not_whole_blocks(planned: PlannedOutput) -> Iterator[Finding]:
    """Direct3D takes block-compressed textures only with edges that are multiples of four."""
    form = FORMATS[planned.storage.format]
    wide, high = form.block
    if planned.width % wide or planned.height % high:
        yield _finding(
            planned,
            "size-not-multiple-of-four",
            "error",
            f"{planned.width} × {planned.height} does not divide into blocks of {wide} × {high}.",
            "Export it at a multiple of four, or store it without compression.",
        )


def channels_dropped(planned: PlannedOutput) -> Iterator[Finding]:
    """A format with fewer channels than the output loses some of them; a normal's blue is rebuilt and does not count."""
    kept = FORMATS[planned.storage.format].channels
    lost = [channel for channel in planned.channels if texture_channel(channel.channel) not in kept]
    # A normal's blue is rebuilt, and a constant is known without being stored.
    lost = [entry for entry in lost if not (entry.property == "normal" and entry.channel == "B") and entry.property != "constant"]
    for entry in lost:
        alpha = entry.channel == "A"
        yield _finding(
            planned,
            "alpha-dropped" if alpha else "channel-dropped",
            "error",
            f"{planned.storage.format.upper()} has no {'alpha' if alpha else 'channel ' + entry.channel}: "
            f"{entry.meaning.lower()} would be lost.",
            "Choose BC3 or BC7, which have four channels.",
        )


def cannot_store(planned: PlannedOutput) -> Iterator[Finding]:
    """A sample type that the format cannot hold."""
    problem = storage_problem(planned)
    if problem:
        yield _finding(planned, "format-cannot-store", "error", f"The output {problem}", "Choose another format.")


def height_in_eight_bits(planned: PlannedOutput) -> Iterator[Finding]:
    """A height map that moves geometry shows steps when it is squeezed into 8 bits (common practice)."""
    if planned.output.sample == "u16" and FORMATS[planned.storage.format].sample == "u8":
        yield _finding(
            planned,
            "sixteen-bits-squeezed",
            "warning",
            f"{planned.title} has 16 bits, of which {planned.storage.format.upper()} keeps 8: slopes become steps.",
            "Store it as R16.",
        )


RULES: tuple[Callable[[PlannedOutput], Iterator[Finding]], ...] = (
    cannot_store,
    data_flagged_srgb,
    colour_not_flagged,
    channels_dropped,
    not_whole_blocks,
    normal_in_colour_format,
    height_in_eight_bits,
)


def check_storage(plan: Plan) -> Iterator[Finding]:
    """The findings of a plan's storage, output by output."""
    for planned in plan.outputs:
        if planned.problem is None:
            for rule in RULES:
                yield from rule(planned)


def _holds_colour(planned: PlannedOutput) -> bool:
    return any(property_of(channel.property).colour for channel in planned.channels)
