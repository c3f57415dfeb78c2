"""What a manifest states, held against the target's document and the files that are there."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping
from itertools import chain

from texelcore.delivery.documents import DeliveredOutput, DeliveredSet, DeliveryManifest, Probes, ReceiptFinding
from texelcore.targets.document import Target, TargetChannel, TargetOutput, property_and_tile, without_tile
from texelcore.targets.helpers import for_helper, with_masks
from texeldock.blocks import KNOWN, PLAIN, Header
from texeldock.findings import AGAIN, FOR_THIS, error, note

SUFFIXES = {"dds": ".dds", "png": ".png", "tga": ".tga", "tiff": ".tif", "exr": ".exr", "jpeg": ".jpg"}


def judge_manifest(manifest: DeliveryManifest, target: Target) -> Iterator[ReceiptFinding]:
    """What is wrong with a delivery as a whole."""
    if (manifest.target, manifest.target_version) != (target.name, target.version):
        said = f"was made for {manifest.target} v{manifest.target_version}; this is {target.name} v{target.version}."
        yield error("The delivery", said, FOR_THIS)
    if manifest.version < 2:
        said = "was written before losses and cells were: it is held against wide limits, and damage in places is not seen."
        yield error("The delivery", said, AGAIN)
    if manifest.normal_y != target.normal_y:
        said = f"says that normals are {manifest.normal_y}; {target.title} has {target.normal_y}."
        yield error("The delivery", said, FOR_THIS)
    if not manifest.sets:
        yield error("The delivery", "holds no set at all.", "Deliver at least one set.")
    named = Counter(texture_set.code for texture_set in manifest.sets)
    for code, count in named.items():
        if count > 1:
            yield error(code, f"is the code of {count} sets.", AGAIN)
    homes = Counter(
        chain(
            *([output.file.file for output in texture_set.outputs] + [texture_set.probes.file] for texture_set in manifest.sets)
        )
    )
    for file, count in homes.items():
        if count > 1:
            yield error(file, f"stands for {count} things at once.", AGAIN)


def judge_set(delivered: DeliveredSet, target: Target, probes: Probes | None) -> Iterator[ReceiptFinding]:
    """Whether a set has the outputs that the target asks for of each of its tiles, no others, and says where they came from."""
    there = [without_tile(output.key) for output in delivered.outputs]
    for key, count in Counter(output.key for output in delivered.outputs).items():
        if count > 1:
            yield error(delivered.code, f"has {count} outputs called {key}.", AGAIN)
    named = {property_and_tile(name)[1] for name in probes.values} if probes else set()
    tiles = sorted({tile for _, tile in there} | named) or [""]
    wanted = {tile: {output.key: output for output in _asked_of(delivered, target, probes, tile)} for tile in tiles}
    for tile, outputs in wanted.items():
        for key, asked in outputs.items():
            if (key, tile) not in there:
                of_tile = f", tile {tile}" if tile else ""
                yield error(delivered.code, f"has no {asked.title}{of_tile}, which {target.title} wants of it.", AGAIN)
    known = {output.key: output for output in every_output(delivered, target, probes).outputs}
    for output, (key, tile) in zip(delivered.outputs, there, strict=True):
        if key not in known:
            yield error(output.file.file, f"{target.title} asks for no {output.title}.", FOR_THIS)
        elif probes and key not in wanted[tile]:
            said = f"{target.title} wants {known[key].title} only of sets that have other properties."
            yield error(output.file.file, said, FOR_THIS)
    yield from _judge_sources(delivered)


def every_output(delivered: DeliveredSet, target: Target, probes: Probes | None) -> Target:
    """A target with all that it may ask for of a set: of one that is no surface, its masks as well."""
    return target if delivered.surface else with_masks(target, {key for key, _ in _named(delivered, probes)})


def _asked_of(delivered: DeliveredSet, target: Target, probes: Probes | None, tile: str) -> tuple[TargetOutput, ...]:
    """The outputs that a target asks for of one tile of a set; of a surface of which nothing is known, those that it always asks
    for."""
    provided = {key for key, of in _named(delivered, probes) if of == tile}
    if any(key.startswith("mask.") for key in provided):
        provided.add("mask")
    # Colours of the specular workflow follow from every base colour, and have probes only where they are delivered.
    provided |= {"diffuse", "specular"} if "base_colour" in provided else set()
    if not delivered.surface:
        return for_helper(target, provided).outputs
    if probes is None:
        return tuple(output for output in target.outputs if not output.only_with and not output.only_without)
    return tuple(output for output in target.outputs if output.is_asked_for(provided.__contains__))


def _named(delivered: DeliveredSet, probes: Probes | None) -> set[tuple[str, str]]:
    """The properties that a set provides, and in which tiles: as its probes say, or its textures where it has none."""
    if probes:
        return {property_and_tile(name) for name in probes.values}
    given = (
        (channel.property, without_tile(output.key)[1])
        for output in delivered.outputs
        for channel in output.channels
        if channel.is_given()
    )
    return set(given)


def _judge_sources(delivered: DeliveredSet) -> Iterator[ReceiptFinding]:
    known = {source.name for source in delivered.sources}
    named: set[str] = set()
    for output in delivered.outputs:
        for channel in output.channels:
            # A channel of a file, or a file of which several channels were read together.
            named |= {source if source in known else source.rpartition("#")[0] for source in channel.sources}
    for name in sorted(named - known):
        yield error(delivered.code, f"is said to come of {name}, which is not among its sources.", AGAIN)
    for name in sorted(known - named):
        yield error(delivered.code, f"lists the source {name}, which nothing is made of.", AGAIN)
    for name, count in Counter(source.name for source in delivered.sources).items():
        if count > 1:
            yield error(delivered.code, f"lists the source {name} {count} times.", AGAIN)
    for source in delivered.sources:
        if source.bytes <= 0 or not is_sha256(source.sha256):
            yield error(delivered.code, f"names the source {source.name} without a size or hash that it could have.", AGAIN)


def is_sha256(text: str) -> bool:
    """Whether a text may be the hex digits of a SHA-256."""
    return len(text) == 64 and all(letter in "0123456789abcdef" for letter in text)


def judge_output(output: DeliveredOutput, asked: TargetOutput, target: Target) -> Iterator[ReceiptFinding]:
    """What the manifest says of one texture, held against the target."""
    name = output.file.file
    stated = {
        "title": (_without_tile_title(output), asked.title),
        "encoding": (output.encoding, asked.encoding),
        "container": (output.container, asked.file_format if asked.container == "file" else "dds"),
        "ending": (name[name.rfind(".") :], SUFFIXES[output.container]),
    }
    for what, (said, meant) in stated.items():
        if said != meant:
            yield error(name, f"has the {what} {said}; {target.title} wants {meant}.", FOR_THIS)
    yield from _judge_flag(name, output.srgb, asked, "The manifest says that it")
    yield from _judge_channels(output, asked)
    yield from _judge_numbers(output)
    said_of, held = {loss.property for loss in output.losses}, {channel.property for channel in asked.channels}
    # JPEG files and what is delivered as it was built lose nothing that the sender measures.
    if output.container == "dds" and not {channel.property for channel in output.channels} & held <= said_of:
        yield error(name, f"does not say what {', '.join(sorted(held - said_of))} lost.", AGAIN)
    yield from _judge_import(output, asked, target)


def _without_tile_title(output: DeliveredOutput) -> str:
    tile = without_tile(output.key)[1]
    return output.title.removesuffix(f", tile {tile}") if tile else output.title


def _judge_flag(name: str, srgb: bool, asked: TargetOutput, who: str) -> Iterator[ReceiptFinding]:
    if srgb == asked.is_decoded(asked.storage):
        return
    said = (
        "is flagged sRGB: it would be decoded though it is data."
        if srgb
        else "is not flagged sRGB: colours would be taken for light."
    )
    yield error(name, f"{who} {said}" if who else said, "Correct the flag in the set's storage.")


def _judge_channels(output: DeliveredOutput, asked: TargetOutput) -> Iterator[ReceiptFinding]:
    name = output.file.file
    wanted: dict[str, TargetChannel] = {channel.channel: channel for channel in asked.channels}
    there = [channel.channel for channel in output.channels]
    needed = [channel.channel for channel in asked.channels if not channel.drop_when_absent]
    if len(set(there)) != len(there) or not set(needed) <= set(there) <= set(wanted):
        said = f"has the channels {' '.join(there) or 'none'}; the target wants {' '.join(wanted)}."
        yield error(name, said, FOR_THIS)
    for channel in output.channels:
        meant = wanted.get(channel.channel)
        if meant is None:
            continue
        said_of = (channel.property, channel.component, channel.inverted, channel.constant)
        if said_of != (meant.property, meant.component, meant.inverted, meant.constant) or channel.meaning != meant.meaning():
            other = f"{'inverted ' if channel.inverted else ''}{channel.meaning} ({channel.property} {channel.component + 1})"
            said = f"is said to hold {other} in {channel.channel}: it means something else in this target, {meant.meaning()}."
            yield error(name, said, FOR_THIS)
        if not meant.fitted and (channel.low, channel.high) != (meant.low, meant.high):
            said = f"is said to hold {channel.low:g} to {channel.high:g} in {channel.channel}"
            yield error(name, f"{said}; the target has {meant.low:g} to {meant.high:g}.", FOR_THIS)
        if channel.low >= channel.high:
            yield error(name, f"is said to go from {channel.low:g} to {channel.high:g} in {channel.channel}.", AGAIN)
        if channel.multiplied_by not in ("", meant.multiplied_by) or channel.strength != meant.strength:
            by = f"{channel.multiplied_by or 'nothing'} at strength {channel.strength:g}"
            wish = f"{meant.multiplied_by or 'nothing'} at strength {meant.strength:g}"
            yield error(name, f"is said to be multiplied by {by} in {channel.channel}; the target wants {wish}.", FOR_THIS)


def _judge_numbers(output: DeliveredOutput) -> Iterator[ReceiptFinding]:
    """Sizes that follow from each other."""
    name = output.file.file
    unit = next(unit for key, _, _, unit in KNOWN.values() if key == output.format)
    edge = 1 if output.format in PLAIN else 4
    bits = unit * 8 / (edge * edge)
    if output.bits_per_texel != bits:
        yield error(
            name, f"is said to take {output.bits_per_texel:g} bits a texel; {output.format.upper()} takes {bits:g}.", AGAIN
        )
    numbers = [number for number, (key, *_) in KNOWN.items() if key == output.format]
    if output.dxgi not in numbers:
        yield error(name, f"is said to be of DXGI format {output.dxgi}; {output.format.upper()} is {numbers[0]}.", AGAIN)
    if not (0 < output.width <= 16384 and 0 < output.height <= 16384):
        yield error(name, f"is said to have {output.width} × {output.height} texels.", AGAIN)
        return
    sizes = [(output.width, output.height)]
    # A file that is stored by its receiver has the mips that it is told to make.
    count = output.levels if output.container == "dds" else (99 if output.import_settings.mips == "to be made" else 1)
    while len(sizes) < count and sizes[-1] != (1, 1):
        sizes.append((max(1, sizes[-1][0] // 2), max(1, sizes[-1][1] // 2)))
    memory = sum(-(-width // edge) * -(-height // edge) * unit for width, height in sizes)
    if output.memory != memory:
        whole = f"{output.width} × {output.height} in {len(sizes)} levels take {memory:,}"
        yield error(name, f"is said to take {output.memory:,} bytes; {whole}.", AGAIN)


def _judge_import(output: DeliveredOutput, asked: TargetOutput, target: Target) -> Iterator[ReceiptFinding]:
    name, told = output.file.file, output.import_settings
    opacity = any(channel.property == "opacity" for channel in output.channels)
    normal = any(channel.property == "normal" for channel in output.channels)
    whole = max(output.width, output.height).bit_length()
    alpha = asked.alpha_mode if opacity else "none"
    if output.container == "dds":
        mips = "as delivered" if output.levels > 1 else "none"
    else:
        mips = told.mips if told.mips in ("to be made", "none") else "to be made"
    stated = {
        "sRGB flag": (told.srgb, output.srgb),
        "format": (told.format, output.format),
        "mips": (told.mips, mips),
        "normal direction": (told.normal_y, target.normal_y if normal else None),
        "alpha mode": (told.alpha_mode, alpha),
        "threshold": (told.threshold, asked.threshold if alpha == "cut-out" else None),
    }
    for what, (said, meant) in stated.items():
        if said != meant:
            yield error(name, f"tells the importer the {what} {said}, where {meant} is meant.", AGAIN)
    if output.container == "dds" and output.levels not in (1, whole):
        yield error(name, f"is said to have {output.levels} levels; {output.width} × {output.height} has {whole}.", AGAIN)
    if output.container == "dds" and asked.storage.mips and output.levels == 1 and whole > 1:
        yield note(name, f"has no mips; {target.title} wants them.", "Nothing to do when the set's own choice is meant.")


def judge_header(output: DeliveredOutput, asked: TargetOutput, header: Header) -> Iterator[ReceiptFinding]:
    """What a texture's header says, held against the target and the manifest."""
    name = output.file.file
    for said in header.problems:
        yield error(name, said, AGAIN)
    yield from _judge_flag(name, header.srgb, asked, "")
    if (header.width, header.height, header.levels) != (output.width, output.height, output.levels):
        size = f"{header.width} × {header.height} in {header.levels} levels"
        said = f"is {size}, which is not what the manifest says ({output.width} × {output.height} in {output.levels})."
        yield error(name, said, AGAIN)
    if (header.number, header.format) != (output.dxgi, output.format):
        said = (
            f"is {header.format.upper()}, DXGI format {header.number}; the manifest says {output.format.upper()}, {output.dxgi}."
        )
        yield error(name, said, AGAIN)
    if header.srgb != output.srgb:
        yield error(name, "has another sRGB flag than the manifest says.", AGAIN)
    if header.format not in (asked.storage.format, asked.format_with_alpha):
        said = f"is {header.format.upper()}; the target asks for {asked.storage.format.upper()}."
        yield note(name, said, "Nothing to do when the set's own choice is meant.")
    alpha = alpha_meant(output, asked)
    if not header.problems and header.alpha != alpha:
        yield error(name, f"says that its alpha is {header.alpha}; it is {alpha}.", AGAIN)


def alpha_meant(output: DeliveredOutput, asked: TargetOutput) -> str:
    """What a header is to say of alpha: coverage is straight, other data custom, and none opaque."""
    held: Mapping[str, TargetChannel] = {channel.channel: channel for channel in asked.channels}
    if "A" not in {channel.channel for channel in output.channels} or "A" not in held:
        return "opaque"
    return "straight" if held["A"].property == "opacity" and not held["A"].inverted else "custom"
