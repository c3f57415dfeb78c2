"""Receiving a delivery: every file by its hash, every statement by the target, every property by its probes and cells, and
every level by its base."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

from pydantic import ValidationError

from texelcore.delivery.documents import (
    MANIFEST_NAME,
    CellValues,
    DeliveredOutput,
    DeliveredSet,
    DeliveryManifest,
    FileRead,
    LevelRead,
    Probes,
    PropertyRead,
    Receipt,
    ReceiptFinding,
)
from texelcore.pixels.errors import TexelError
from texelcore.pixels.values import top_of
from texelcore.proof.places import probe_points
from texelcore.surface.mistakes import first_mistake
from texelcore.surface.properties import property_of
from texelcore.targets.document import Target, TargetChannel, TargetOutput, property_and_tile, property_at, without_tile
from texeldock.blocks import Texture, length_problem, read_header, read_picture, read_texture
from texeldock.carried import judge_models
from texeldock.dressed import judge_strays, judge_variants
from texeldock.findings import AGAIN, FOR_THIS, error, read_document, warning
from texeldock.measure import UNKNOWN, compare_set, judge_levels
from texeldock.names import judge_names
from texeldock.standins import judge_stand_ins
from texeldock.stated import every_output, is_sha256, judge_header, judge_manifest, judge_output, judge_set
from texeldock.surface import stored_as

# Files that systems leave in folders; they are nobody's.
_OF_SYSTEMS = {"thumbs.db", "desktop.ini"}


class NotADelivery(TexelError):
    """The folder is no delivery that can be read at all."""


def receive(folder: Path, target: Target) -> Receipt:
    """Read a delivered folder as an engine with this target would. Raises NotADelivery where no manifest is."""
    try:
        manifest = _manifest(folder)
    except _Damaged as damaged:
        found = error(MANIFEST_NAME, damaged.problem, AGAIN)
        return Receipt(target=target.name, holds=False, read=(), properties=(), findings=(found,))
    findings = list(judge_manifest(manifest, target))
    bad = _check_files(folder, manifest, findings)
    read: list[FileRead] = []
    properties: list[PropertyRead] = []
    levels: list[LevelRead] = []
    held: dict[str, Probes] = {}
    for texture_set in manifest.sets:
        try:
            probes = _probes(folder, texture_set, bad, findings)
            findings += judge_set(texture_set, target, probes)
            asks = every_output(texture_set, target, probes)
            findings += judge_names(texture_set, asks, manifest.project)
            textures = _read_set(folder, texture_set, asks, bad, read, levels, findings)
            if probes:
                answers, said = compare_set(texture_set, asks, textures, probes, manifest.tolerances)
                properties += answers
                findings += said
            if probes:
                held[texture_set.code] = probes
        except (OSError, ValueError, LookupError, ArithmeticError, MemoryError) as broken:
            # Whatever a file may hold, one bad set stops one set.
            findings.append(error(texture_set.code, f"cannot be read: {type(broken).__name__}, {broken}.", AGAIN))
    for code in (texture_set.code for texture_set in manifest.sets):
        try:
            findings += judge_variants(folder, manifest, target, bad, code, held)
        except (OSError, ValueError, LookupError, ArithmeticError, MemoryError) as broken:
            findings.append(error(code, f"has variants that cannot be read: {type(broken).__name__}, {broken}.", AGAIN))
    findings += judge_strays(manifest)
    findings += judge_models(folder, manifest, bad)
    holds = not any(finding.severity == "error" for finding in findings)
    return Receipt(
        target=target.name,
        holds=holds,
        read=tuple(read),
        properties=tuple(properties),
        levels=tuple(levels),
        findings=tuple(findings),
    )


class _Damaged(TexelError):
    """A manifest that is there and cannot be followed."""


def _manifest(folder: Path) -> DeliveryManifest:
    path = folder / MANIFEST_NAME
    try:
        return DeliveryManifest.model_validate_json(read_document(path, MANIFEST_NAME))
    except OSError as missing:
        raise NotADelivery(str(folder), f"holds no readable {MANIFEST_NAME}.", "Name a delivered folder.") from missing
    except TexelError as wrong:
        raise _Damaged(wrong.subject, wrong.problem, wrong.way_out) from wrong
    except ValidationError as wrong:
        raise _Damaged(MANIFEST_NAME, f"is damaged or of another version: {': '.join(first_mistake(wrong))}.", AGAIN) from wrong
    except RecursionError as wrong:
        raise _Damaged(MANIFEST_NAME, "is nested too deeply.", AGAIN) from wrong


def _check_files(folder: Path, manifest: DeliveryManifest, findings: list[ReceiptFinding]) -> set[str]:
    """Compare every file with its hash; gives the names of those that are not as they were delivered."""
    bad: set[str] = set()
    root = folder.resolve()
    for file in manifest.files():
        path = (folder / file.file).resolve()
        if root not in path.parents:
            problem = "lies outside of the delivery."
        elif not is_sha256(file.sha256) or file.bytes <= 0:
            problem = "is named without a size or hash that it could have."
        elif not path.is_file():
            problem = "is missing."
        elif path.stat().st_size != file.bytes or _hash_of(path) != file.sha256:
            problem = "was changed after it was delivered: its bytes do not have the manifest's hash."
        else:
            continue
        bad.add(file.file)
        findings.append(error(file.file, problem, AGAIN))
    listed = {file.file for file in manifest.files()} | {MANIFEST_NAME}
    for path in sorted(folder.rglob("*")):
        name = path.relative_to(folder).as_posix()
        if path.is_file() and name not in listed and not path.name.startswith(".") and path.name.lower() not in _OF_SYSTEMS:
            findings.append(warning(name, "is in the folder but not in the manifest.", "Remove it, or deliver it properly."))
    return bad


def _hash_of(path: Path) -> str:
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def _read_set(
    folder: Path,
    delivered: DeliveredSet,
    target: Target,
    bad: set[str],
    read: list[FileRead],
    levels: list[LevelRead],
    findings: list[ReceiptFinding],
) -> dict[str, Texture]:
    wanted = {output.key: output for output in target.outputs}
    textures: dict[str, Texture] = {}
    for output in delivered.outputs:
        asked = wanted.get(without_tile(output.key)[0])
        # A changed file is still read where it can be, so that the receipt says what it would have done.
        path = folder / output.file.file
        if asked is None or folder.resolve() not in path.resolve().parents or not path.is_file():
            continue
        findings += judge_output(output, asked, target)
        try:
            texture = _read(path, output, asked, findings)
        except TexelError as refused:
            findings.append(error(output.file.file, refused.problem, refused.way_out))
            continue
        findings += _judge_constants(output, asked, texture)
        findings += judge_stand_ins(output, asked, texture)
        answers, wrong = judge_levels(delivered, output, asked, texture)
        levels += answers
        findings += wrong
        textures[output.key] = texture
        read.append(
            FileRead(
                set=delivered.code,
                output=output.key,
                file=output.file.file,
                width=texture.width,
                height=texture.height,
                levels=texture.levels,
                format=texture.format,
                srgb=texture.srgb,
            )
        )
    return textures


def _read(path: Path, output: DeliveredOutput, asked: TargetOutput, findings: list[ReceiptFinding]) -> Texture:
    """A texture; what is wrong with its file is added to the findings. Raises TexelError where there is nothing to be read."""
    name = output.file.file
    spans = {stored_as(channel.channel): (channel.low, channel.high) for channel in output.channels}
    if output.container != "dds":
        texture = replace(read_picture(path, name, output.srgb), spans=spans)
        if (texture.width, texture.height) != (output.width, output.height):
            size = f"{texture.width} × {texture.height}"
            findings.append(error(name, f"is {size}, which is not what the manifest says.", AGAIN))
        if output.levels != 1:
            findings.append(error(name, f"is said to have {output.levels} levels; a picture file has one.", AGAIN))
        return texture
    header = read_header(path, name)
    said, whole = length_problem(header, path.stat().st_size)
    findings += judge_header(output, asked, header)
    if said:
        findings.append(error(name, said, AGAIN))
    alpha = any(channel.channel == "A" for channel in output.channels)
    return replace(read_texture(path, name, header, whole, alpha), spans=spans)


def _judge_constants(output: DeliveredOutput, asked: TargetOutput, texture: Texture) -> Iterator[ReceiptFinding]:
    held = {channel.channel for channel in output.channels}
    for channel in asked.channels:
        if channel.constant is not None and channel.channel in held:
            yield from _judge_constant(output, channel, texture)


def _judge_constant(output: DeliveredOutput, asked: TargetChannel, texture: Texture) -> Iterator[ReceiptFinding]:
    """A constant that the format keeps must be there; one that it drops, the engine knows from the target."""
    channel, meant = stored_as(asked.channel), asked.constant or 0.0
    if channel not in texture.channels:
        return
    plane = texture.base[:, :, texture.channels.index(channel)]
    top = 255 if plane.dtype.kind == "f" else 255 / float(top_of(plane.dtype))
    low, high = (abs(float(value) * top - meant * 255) for value in (plane.min(), plane.max()))
    losses = [loss.p95 for loss in output.losses if loss.property == "constant"]
    if max(low, high) <= max([UNKNOWN["levels"] / 2, *(1.5 * loss + 1 for loss in losses)]):
        return
    said = f"holds something else than {meant:g} in {asked.channel}: it is {max(low, high):.3g} levels away."
    yield error(output.file.file, said, FOR_THIS)


def _probes(folder: Path, delivered: DeliveredSet, bad: set[str], findings: list[ReceiptFinding]) -> Probes | None:
    """A set's probes, where they are whole: all points, and for each property that was delivered finite values at each."""
    file = delivered.probes.file
    if file in bad:
        return None
    try:
        found = Probes.model_validate_json(read_document(folder / file, file))
    except TexelError as wrong:
        findings.append(error(file, wrong.problem, wrong.way_out))
        return None
    except ValidationError as wrong:
        findings.append(
            error(file, f"is no document of probes: {': '.join(first_mistake(wrong))}. Nothing can be compared.", AGAIN)
        )
        return None
    problems = list(_probe_problems(found, delivered))
    findings += [error(file, problem, AGAIN) for problem in problems]
    return None if problems else found


def _probe_problems(found: Probes, delivered: DeliveredSet) -> Iterator[str]:
    if found.set != delivered.name:
        yield f"is of {found.set}, not of {delivered.name}."
    if found.points != probe_points():
        yield f"has {len(found.points)} points of its own; nothing is compared at them."
        return
    for name, values in found.values.items():
        try:
            components = len(property_of(property_and_tile(name)[0]).components)
        except KeyError:
            yield f"has values of {name}, which is no surface property."
            continue
        if len(values) != len(found.points) or any(len(value) != components for value in values):
            yield f"does not have {components} numbers of {name} at each of {len(found.points)} points."
    made = {
        (channel.property, without_tile(output.key)[1])
        for output in delivered.outputs
        for channel in output.channels
        if channel.is_given()
    }
    for key, tile in sorted(made):
        if key != "constant" and (name := property_at(key, tile)) not in found.values:
            yield f"has no values of {name}, which was delivered."
    if found.version > 1:
        yield from _cell_problems(found)


def _cell_problems(found: Probes) -> Iterator[str]:
    if missing := sorted(found.values.keys() ^ found.cells.keys()):
        yield f"has no cells of {missing[0]}." if missing[0] in found.values else f"has cells of {missing[0]} and no values."
    for name, cells in found.cells.items():
        if name in found.values and not _fits(cells, found.values[name]):
            yield f"has cells of {name} that are damaged."


def _fits(cells: CellValues, values: tuple[tuple[float, ...], ...]) -> bool:
    """Whether cells can be opened, and are of the property; whether they are right, the textures say."""
    try:
        _, spread = cells.arrays()
    except ValueError:
        return False
    return cells.components == len(values[0]) and bool(spread.min() >= 0)
