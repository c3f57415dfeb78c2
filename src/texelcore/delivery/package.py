"""Writing a delivery: outputs, probes, variants, masters and the manifest, in a folder that appears whole or not at all."""

from __future__ import annotations

import fcntl
import glob
import hashlib
import os
import secrets
import shutil
import zipfile
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Literal

from texelcore.building.manifest import describe_channel
from texelcore.building.plan import Plan, PlannedOutput
from texelcore.delivery.documents import (
    MANIFEST_NAME,
    DeliveredChannel,
    DeliveredFile,
    DeliveredModel,
    DeliveredOutput,
    DeliveredPart,
    DeliveredSet,
    DeliveredSource,
    DeliveredVariant,
    DeliveryManifest,
    ImportSettings,
    Probes,
)
from texelcore.delivery.dressing import means_of, surface_at
from texelcore.materials.dressing.binding import Bindings
from texelcore.materials.sheets.document import Master, Variant
from texelcore.naming.templates import code_of, fill_folder
from texelcore.pixels.errors import TexelError
from texelcore.pixels.write import write_whole
from texelcore.proof.figures import Figures
from texelcore.proof.tolerances import Tolerances
from texelcore.surface.files import FileFacts
from texelcore.surface.formats import FORMATS
from texelcore.surface.sources import Source
from texelcore.targets.document import Target

# Zip entries carry a fixed date, so that the same delivery gives the same bytes.
ZIP_DATE = (2000, 1, 1, 0, 0, 0)


@dataclass(frozen=True)
class Encoded:
    """An output that was encoded and proved: how its DDS bytes are read, its figures, and how the file is read as it was built,
    where that is what the target wants delivered. Nothing is read before it is written: a delivery may hold thousands."""

    planned: PlannedOutput
    read: Callable[[], bytes]
    figures: Figures
    read_built: Callable[[], bytes] | None = None


@dataclass(frozen=True)
class Parcel:
    """One set, ready to be delivered."""

    name: str
    code: str
    plan: Plan
    files: Mapping[Source, FileFacts]
    outputs: Sequence[Encoded]
    probes: Probes


@dataclass(frozen=True)
class Dressed:
    """A variant, its master, and how its textures are bound. `set_code` is the code of its set in this delivery."""

    variant: Variant
    master: Master
    bindings: Bindings
    set_code: str


@dataclass(frozen=True)
class Carried:
    """A model that goes along: how its file is read, as it is, with its ending (“.glb”), and what its parts wear of this
    delivery."""

    name: str
    ending: str
    read: Callable[[], bytes]
    parts: Mapping[str, DeliveredPart]


def write_delivery(
    folder: Path,
    project: str,
    target: Target,
    parcels: Sequence[Parcel],
    dressed: Sequence[Dressed],
    progress: Callable[[float, str], None] = lambda share, doing: None,
    tolerances: Tolerances | None = None,
    models: Sequence[Carried] = (),
) -> DeliveryManifest:
    """Write a delivery into `folder`, in place of an older delivery there. `tolerances` are the house's, for the receipt.

    `progress` hears the share done (0–1) and may raise to stop. Raises TexelError when `folder` holds something else, or
    cannot be written; what was there before stays then.
    """
    if folder.exists() and (not folder.is_dir() or (any(folder.iterdir()) and not (folder / MANIFEST_NAME).is_file())):
        raise TexelError(str(folder), "is not empty and is not an earlier delivery.", "Choose an empty folder, or a new one.")
    part = folder.with_name(f".{folder.name}.{secrets.token_hex(6)}.part")
    _clear_parts(folder)
    try:
        part.mkdir(parents=True)
        with _held(part):
            manifest = _fill(part, project, target, parcels, dressed, progress, tolerances, models)
            _replace(part, folder)
    except OSError as error:
        shutil.rmtree(part, ignore_errors=True)
        reason = error.strerror or str(error)
        raise TexelError(str(folder), f"could not be written: {reason}.", "Free some space or choose another folder.") from error
    except BaseException:
        shutil.rmtree(part, ignore_errors=True)
        raise
    return manifest


def zip_delivery(folder: Path, destination: Path) -> None:
    """A delivered folder as one zip, the same bytes for the same folder. Raises TexelError when it cannot be written."""
    inside = sorted(path for path in folder.rglob("*") if path.is_file())

    def body(part: Path) -> None:
        with zipfile.ZipFile(part, "w", zipfile.ZIP_STORED) as archive:
            for path in inside:
                entry = zipfile.ZipInfo(path.relative_to(folder).as_posix(), ZIP_DATE)
                with path.open("rb") as source, archive.open(entry, "w", force_zip64=True) as copy:
                    shutil.copyfileobj(source, copy, 1 << 20)

    write_whole(destination, body)


def _fill(
    part: Path,
    project: str,
    target: Target,
    parcels: Sequence[Parcel],
    dressed: Sequence[Dressed],
    progress: Callable[[float, str], None],
    tolerances: Tolerances | None,
    models: Sequence[Carried],
) -> DeliveryManifest:
    count = max(1, sum(len(parcel.outputs) for parcel in parcels))
    done, sets = 0, []
    for parcel in parcels:
        outputs = []
        place = fill_folder(target.folder_template, {"project": project, "set": parcel.code, "target": target.name})
        for encoded in parcel.outputs:
            progress(done / count, encoded.planned.file_name)
            outputs.append(_deliver_output(part, place, parcel, encoded, target))
            done += 1
        probes = _write(part, f"{place}/{parcel.code}.probes.json", (parcel.probes.model_dump_json() + "\n").encode())
        sets.append(
            DeliveredSet(
                name=parcel.name,
                code=parcel.code,
                outputs=tuple(outputs),
                probes=probes,
                sources=_sources(parcel),
                surface=parcel.plan.surface,
            )
        )
    variants = _deliver_variants(part, dressed, {parcel.code: parcel.probes for parcel in parcels})
    manifest = DeliveryManifest(
        project=project,
        target=target.name,
        target_version=target.version,
        normal_y=target.normal_y,
        sets=tuple(sets),
        variants=variants,
        models=_deliver_models(part, models),
        tolerances=tolerances,
    )
    (part / MANIFEST_NAME).write_text(manifest.to_json(), "utf-8")
    progress(1.0, "")
    return manifest


def _deliver_output(part: Path, place: str, parcel: Parcel, encoded: Encoded, target: Target) -> DeliveredOutput:
    planned, figures, output = encoded.planned, encoded.figures, encoded.planned.output
    form, storage = FORMATS[figures.storage.format], figures.storage
    asked_of = {channel.channel: channel for channel in output.channels}
    channels = []
    for channel in planned.channels:
        said = describe_channel(channel, parcel.files)
        asked = asked_of[channel.channel]
        channels.append(
            DeliveredChannel(
                channel=channel.channel,
                property=asked.property,
                component=asked.component,
                inverted=asked.inverted,
                meaning=channel.meaning,
                sources=said.sources,
                done=said.done,
                low=channel.low,
                high=channel.high,
                multiplied_by=channel.multiplied_by,
                strength=asked.strength,
                constant=asked.constant,
                fills=channel.fills,
            )
        )
    as_built = output.container == "file"
    if as_built and encoded.read_built is None:
        raise TexelError(planned.file_name, "is delivered as it was built, and was not given.", "Build it again.")
    name = planned.file_name if as_built else f"{planned.file_name.rsplit('.', 1)[0]}.dds"
    read = encoded.read_built if as_built and encoded.read_built else encoded.read
    opaque = not any(channel.property == "opacity" for channel in planned.channels)
    return DeliveredOutput(
        key=planned.key,
        title=planned.title,
        file=_write(part, f"{place}/{name}", read()),
        width=figures.width,
        height=figures.height,
        levels=1 if as_built else figures.levels,
        memory=figures.memory,
        bits_per_texel=figures.bits_per_texel,
        format=storage.format,
        dxgi=(form.srgb if storage.srgb and form.srgb else form.linear).dxgi,
        encoding=planned.output.encoding,
        srgb=output.is_decoded(storage),
        channels=tuple(channels),
        import_settings=ImportSettings(
            srgb=output.is_decoded(storage),
            format=storage.format,
            mips=_mips(as_built, figures.levels),
            normal_y=target.normal_y if any(channel.property == "normal" for channel in planned.channels) else None,
            alpha_mode="none" if opaque else output.alpha_mode,
            threshold=output.threshold if not opaque and output.alpha_mode == "cut-out" else None,
        ),
        container=output.file_format if as_built else "dds",
        losses=() if as_built else figures.losses,
        chain=() if as_built else figures.chain,
    )


def _mips(as_built: bool, levels: int) -> Literal["as delivered", "to be made", "none"]:
    if levels == 1:
        return "none"
    return "to be made" if as_built else "as delivered"


def _stem(name: str, taken: set[str]) -> str:
    """A file's name for what is called so, that nothing else has; it is taken then."""
    stem, number = code_of(name), 2
    while stem in taken:
        stem, number = f"{code_of(name)}_{number}", number + 1
    taken.add(stem)
    return stem


def _deliver_models(part: Path, models: Sequence[Carried]) -> tuple[DeliveredModel, ...]:
    taken: set[str] = set()
    found = []
    for model in models:
        file = _write(part, f"models/{_stem(model.name, taken)}{model.ending}", model.read())
        found.append(DeliveredModel(name=model.name, file=file, parts=dict(model.parts)))
    return tuple(found)


def _deliver_variants(part: Path, dressed: Sequence[Dressed], probes: Mapping[str, Probes]) -> tuple[DeliveredVariant, ...]:
    taken: set[str] = set()
    found = []
    for entry in dressed:
        stem = _stem(entry.variant.name, taken)
        found.append(
            DeliveredVariant(
                name=entry.variant.name,
                set=entry.set_code,
                master=entry.master.name,
                version=entry.master.version,
                file=_write(part, f"variants/{stem}.variant.json", (entry.variant.model_dump_json(indent=2) + "\n").encode()),
                master_file=_write(
                    part,
                    f"masters/{entry.master.name}-v{entry.master.version}.master.json",
                    (entry.master.model_dump_json(indent=2) + "\n").encode(),
                ),
                textures={name: bound.chip if bound else None for name, bound in entry.bindings.items()},
                layers={name: held.set for name, held in entry.variant.sets(entry.master).items()},
                surface=_surface(entry, probes),
            )
        )
    return tuple(found)


def _surface(dressed: Dressed, probes: Mapping[str, Probes]) -> dict[str, tuple[float, ...]]:
    """What a variant makes of its sets at their probes; nothing where one of them is not in the delivery."""
    bound = dressed.variant.sets(dressed.master)
    if any(held.set not in probes for held in bound.values()):
        return {}
    return means_of(surface_at(dressed.master, dressed.variant, {name: probes[held.set].values for name, held in bound.items()}))


def _sources(parcel: Parcel) -> tuple[DeliveredSource, ...]:
    used = dict.fromkeys(name for encoded in parcel.outputs for name in encoded.planned.files)
    found = [
        DeliveredSource(name=parcel.files[name].path, bytes=parcel.files[name].bytes, sha256=parcel.files[name].sha256)
        for name in used
    ]
    return tuple(sorted(found, key=lambda source: source.name))


def _write(part: Path, name: str, data: bytes) -> DeliveredFile:
    path = part / name
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_bytes(data)
    return DeliveredFile(file=name, bytes=len(data), sha256=hashlib.sha256(data).hexdigest())


def _clear_parts(folder: Path) -> None:
    """Remove what was left beside a delivery when somebody who wrote it was killed: what nobody holds."""
    for left in folder.parent.glob(f".{glob.escape(folder.name)}.*.part"):
        with suppress(OSError), _held(left):
            shutil.rmtree(left, ignore_errors=True)


@contextmanager
def _held(part: Path) -> Iterator[None]:
    """Hold a folder against whoever clears parts, in any process and thread, on any machine that shares it: a lock ends with the
    process that took it (flock(2)), and no number of a process has to be trusted. Raises OSError where another holds it."""
    descriptor = os.open(part, os.O_RDONLY | os.O_DIRECTORY)
    try:
        fcntl.flock(descriptor, fcntl.LOCK_EX | fcntl.LOCK_NB)
        yield
    finally:
        os.close(descriptor)


def _replace(part: Path, folder: Path) -> None:
    """Put a finished folder in its place; an older delivery there goes only when the new one stands."""
    if not folder.exists():
        folder.parent.mkdir(parents=True, exist_ok=True)
        part.replace(folder)
        return
    old = folder.with_name(f".{folder.name}.{secrets.token_hex(6)}.old")
    folder.replace(old)
    try:
        part.replace(folder)
    except OSError:
        old.replace(folder)
        raise
    shutil.rmtree(old, ignore_errors=True)
