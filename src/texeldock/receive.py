"""Receiving a delivery: every file by its hash, every flag by the target, every property by its probes."""

from __future__ import annotations

import hashlib
from dataclasses import replace
from pathlib import Path

import numpy as np
from pydantic import ValidationError

from texelcore.delivery.documents import (
    MANIFEST_NAME,
    DeliveredOutput,
    DeliveredSet,
    DeliveryManifest,
    FileRead,
    Probes,
    PropertyRead,
    Receipt,
    ReceiptFinding,
)
from texelcore.pixels.errors import TexelError
from texelcore.surface.properties import property_of
from texelcore.targets.document import Target, TargetChannel, TargetOutput, without_tile
from texeldock.blocks import Texture, read_picture, read_texture
from texeldock.surface import as_delivered, distance, readings_of, rebuild, span_of, stated_reading, stored_as

# Mean distances beyond which a property was not read as it was meant, whatever the blocks cost (common practice).
LIMITS = {"°": 20.0, "ΔE": 10.0, "levels": 16.0}
# Below these no other reading is looked for: the distance is what blocks cost.
SLIGHT = {"°": 0.5, "ΔE": 0.5, "levels": 2.0}
# Another reading is named when it leaves less than this share of the distance; blocks alone never make such a difference.
FITS_BETTER = 0.6
AGAIN = "Deliver it again."


class NotADelivery(TexelError):
    """The folder is no delivery that can be read at all."""


def receive(folder: Path, target: Target) -> Receipt:
    """Read a delivered folder as an engine with this target would. Raises NotADelivery where no readable manifest is."""
    manifest = _manifest(folder)
    findings: list[ReceiptFinding] = []
    if (manifest.target, manifest.target_version) != (target.name, target.version):
        said = f"was made for {manifest.target} v{manifest.target_version}; this is {target.name} v{target.version}."
        findings.append(_finding("error", "The delivery", said, "Deliver it for this target."))
    bad = _check_files(folder, manifest, findings)
    read: list[FileRead] = []
    properties: list[PropertyRead] = []
    for entry in manifest.sets:
        textures = _read_set(folder, entry, target, bad, read, findings)
        probes = _probes(folder, entry, bad, findings)
        if probes:
            properties += _compare(entry, target, textures, probes, findings)
    holds = not any(finding.severity == "error" for finding in findings)
    return Receipt(target=target.name, holds=holds, read=tuple(read), properties=tuple(properties), findings=tuple(findings))


def _manifest(folder: Path) -> DeliveryManifest:
    path = folder / MANIFEST_NAME
    try:
        return DeliveryManifest.model_validate_json(path.read_text("utf-8"))
    except OSError as error:
        raise NotADelivery(str(folder), f"holds no readable {MANIFEST_NAME}.", "Name a delivered folder.") from error
    except (ValidationError, UnicodeDecodeError) as error:
        raise NotADelivery(MANIFEST_NAME, "is damaged or of another version.", AGAIN) from error


def _check_files(folder: Path, manifest: DeliveryManifest, findings: list[ReceiptFinding]) -> set[str]:
    """Compare every file with its hash; gives the names of those that are not as they were delivered."""
    bad: set[str] = set()
    root = folder.resolve()
    for file in manifest.files():
        path = (folder / file.file).resolve()
        if root not in path.parents:
            problem = "lies outside of the delivery."
        elif not path.is_file():
            problem = "is missing."
        elif path.stat().st_size != file.bytes or hashlib.sha256(path.read_bytes()).hexdigest() != file.sha256:
            problem = "was changed after it was delivered: its bytes do not have the manifest's hash."
        else:
            continue
        bad.add(file.file)
        findings.append(_finding("error", file.file, problem, AGAIN))
    listed = {file.file for file in manifest.files()} | {MANIFEST_NAME}
    for path in sorted(folder.rglob("*")):
        name = path.relative_to(folder).as_posix()
        if path.is_file() and name not in listed:
            findings.append(
                _finding("warning", name, "is in the folder but not in the manifest.", "Remove it, or deliver it properly.")
            )
    return bad


def _read_set(
    folder: Path,
    entry: DeliveredSet,
    target: Target,
    bad: set[str],
    read: list[FileRead],
    findings: list[ReceiptFinding],
) -> dict[str, Texture]:
    wanted = {output.key: output for output in target.outputs}
    textures: dict[str, Texture] = {}
    for output in entry.outputs:
        # A changed file is still read where it can be, so that the receipt says what it would have done.
        path = folder / output.file.file
        if output.file.file in bad and (folder.resolve() not in path.resolve().parents or not path.is_file()):
            continue
        try:
            texture = _read(path, output)
        except TexelError as error:
            findings.append(_finding("error", error.subject, error.problem, error.way_out))
            continue
        textures[output.key] = texture
        read.append(
            FileRead(
                set=entry.code,
                output=output.key,
                file=output.file.file,
                width=texture.width,
                height=texture.height,
                levels=texture.levels,
                format=texture.format,
                srgb=texture.srgb,
            )
        )
        asked = wanted.get(without_tile(output.key)[0])
        if asked is None:
            findings.append(
                _finding("error", output.file.file, f"{target.title} asks for no {output.title}.", "Deliver it for this target.")
            )
        else:
            findings += _judge_flags(output, asked, texture)
    for key, asked in wanted.items():
        always = not asked.only_with and not asked.only_without
        if always and key not in {without_tile(output.key)[0] for output in entry.outputs}:
            findings.append(_finding("error", entry.name, f"has no {asked.title}, which {target.title} always needs.", AGAIN))
    return textures


def _read(path: Path, output: DeliveredOutput) -> Texture:
    spans = {stored_as(entry.channel): (entry.low, entry.high) for entry in output.channels}
    if output.container == "dds":
        return replace(read_texture(path, output.file.file), spans=spans)
    return replace(read_picture(path, output.file.file, output.srgb), spans=spans)


def _judge_flags(output: DeliveredOutput, asked: TargetOutput, texture: Texture) -> list[ReceiptFinding]:
    name = output.file.file
    found = []
    if texture.srgb != asked.is_decoded(asked.storage):
        said = (
            "is flagged sRGB: it would be decoded though it is data."
            if texture.srgb
            else "is not flagged sRGB: colours would be taken for light."
        )
        found.append(_finding("error", name, said, "Correct the flag in the set's storage."))
    if (texture.width, texture.height, texture.levels) != (output.width, output.height, output.levels):
        size = f"{texture.width} × {texture.height} in {texture.levels} levels"
        found.append(_finding("error", name, f"is {size}, which is not what the manifest says.", AGAIN))
    if output.container == "dds" and texture.format not in (asked.storage.format, asked.format_with_alpha):
        said = f"is {texture.format.upper()}; the target asks for {asked.storage.format.upper()}."
        found.append(_finding("note", name, said, "Nothing to do when the set's own choice is meant."))
    for channel in asked.channels:
        if channel.constant is not None and channel.channel in {entry.channel for entry in output.channels}:
            found += _judge_constant(name, channel, texture)
    meant = {(entry.channel, entry.property, entry.component, entry.inverted) for entry in output.channels}
    wanted = {(entry.channel, entry.property, entry.component, entry.inverted) for entry in asked.channels}
    if not meant <= wanted:
        found.append(
            _finding("error", name, "has channels that mean something else in this target.", "Deliver it for this target.")
        )
    return found


def _judge_constant(name: str, asked: TargetChannel, texture: Texture) -> list[ReceiptFinding]:
    """A constant that the format keeps must be there; one that it drops, the engine knows from the target."""
    channel, meant = stored_as(asked.channel), asked.constant or 0.0
    if channel not in texture.channels:
        return []
    apart = float(np.abs(texture.values[:, :, texture.channels.index(channel)] - meant).mean()) * 255
    if apart <= LIMITS["levels"]:
        return []
    said = f"holds something else than {meant:g} in {asked.channel}: it is {apart:.3g} levels away."
    return [_finding("error", name, said, "Deliver it for this target.")]


def _probes(folder: Path, entry: DeliveredSet, bad: set[str], findings: list[ReceiptFinding]) -> Probes | None:
    if entry.probes.file in bad:
        return None
    try:
        return Probes.model_validate_json((folder / entry.probes.file).read_text("utf-8"))
    except (ValidationError, UnicodeDecodeError):
        findings.append(_finding("error", entry.probes.file, "is no document of probes: nothing can be compared.", AGAIN))
        return None


def _compare(
    entry: DeliveredSet, target: Target, delivered: dict[str, Texture], probes: Probes, findings: list[ReceiptFinding]
) -> list[PropertyRead]:
    answers = []
    for name, values in probes.values.items():
        key, tile = without_tile(name)
        textures = {base: texture for full, texture in delivered.items() for base, of in [without_tile(full)] if of == tile}
        found = rebuild(key, target, textures, probes.points)
        if found is None:
            continue
        by = {of: np.array(other) for full, other in probes.values.items() for of, at in [without_tile(full)] if at == tile}
        meant = as_delivered(key, target, textures, np.array(values), by)
        apart, unit = distance(key, found, meant, span_of(key, target, textures))
        mean = float(apart.mean())
        reading = _better(key, target, textures, probes, meant, mean) if mean > SLIGHT[unit] else ""
        holds = mean <= LIMITS[unit] and not reading
        title = property_of(key).title + (f" of tile {tile}" if tile else "")
        if not holds:
            said = f"{title} is {mean:.3g} {unit} away from what was meant"
            way_out = "Correct the set's storage or the target, and deliver again."
            findings.append(
                _finding("error", entry.name, f"{said}{f'; read {reading}, it would fit' if reading else ''}.", way_out)
            )
        answers.append(
            PropertyRead(
                set=entry.code,
                property=name,
                unit=unit,  # type: ignore[arg-type]
                mean=round(mean, 4),
                worst=round(float(apart.max()), 4),
                holds=holds,
                reading=reading,
            )
        )
    return answers


def _better(key: str, target: Target, textures: dict[str, Texture], probes: Probes, meant: np.ndarray, mean: float) -> str:
    """Another reading that fits far better, in words; empty when the stated one is the best."""
    best, words = mean * FITS_BETTER, ""
    span = span_of(key, target, textures)
    for reading in readings_of(key, stated_reading(key, target, textures)):
        found = rebuild(key, target, textures, probes.points, reading)
        if found is not None and (other := float(distance(key, found, meant, span)[0].mean())) < best:
            best, words = other, reading.words
    return words


def _finding(severity: str, subject: str, message: str, way_out: str) -> ReceiptFinding:
    return ReceiptFinding(severity=severity, subject=subject, message=message, way_out=way_out)  # type: ignore[arg-type]
