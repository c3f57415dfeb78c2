"""Variants of a delivery: their documents, what they bind, and the surface that they make of what was read."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from pathlib import Path

import numpy as np
from pydantic import ValidationError

from texelcore.delivery.documents import DeliveredSet, DeliveredVariant, DeliveryManifest, Probes, ReceiptFinding
from texelcore.delivery.dressing import Values, means_of, surface_at
from texelcore.materials.dressing.binding import SetMaps, bind_variant, not_taken
from texelcore.materials.sheets.document import Master, Variant
from texelcore.pixels.errors import TexelError
from texelcore.surface.storage import Storage
from texelcore.targets.document import Target
from texeldock.findings import AGAIN, error, read_document, warning

# How far the means of a surface may be from what the sender says of them: its digits, and the order of sums.
CLOSE = 2e-3


def judge_strays(manifest: DeliveryManifest) -> Iterator[ReceiptFinding]:
    """Variants that dress no set of the delivery, or share a name."""
    codes, names = {texture_set.code for texture_set in manifest.sets}, set()
    for variant in manifest.variants:
        if variant.set not in codes:
            yield error(variant.file.file, f"dresses the set {variant.set}, which is not in the delivery.", AGAIN)
        if variant.name in names:
            yield error(variant.file.file, f"is another variant called {variant.name}.", AGAIN)
        names.add(variant.name)


def judge_variants(
    folder: Path,
    manifest: DeliveryManifest,
    target: Target,
    bad: set[str],
    code: str,
    probes: Mapping[str, Probes],
) -> Iterator[ReceiptFinding]:
    """Every variant of the set that has this code. `probes` are those of all sets of the delivery that could be read, by
    code."""
    for entry in manifest.variants:
        if entry.set != code or {entry.file.file, entry.master_file.file} & bad:
            continue
        try:
            variant = Variant.model_validate_json(read_document(folder / entry.file.file, entry.file.file))
            master = Master.model_validate_json(read_document(folder / entry.master_file.file, entry.master_file.file))
        except (ValidationError, TexelError, OSError):
            yield error(entry.file.file, "or its master is no document that can be read.", AGAIN)
            continue
        yield from _judge_names(entry, variant, master)
        yield from _judge_bindings(entry, variant, master, manifest, target)
        bound = variant.sets(master)
        if all(held.set in probes for held in bound.values()):
            yield from _judge_surface(entry, variant, master, {name: probes[held.set].values for name, held in bound.items()})


def _judge_names(delivered: DeliveredVariant, variant: Variant, master: Master) -> Iterator[ReceiptFinding]:
    stated = {
        "variant": (variant.name, delivered.name),
        "set": (variant.set, delivered.set),
        "master": (variant.master, delivered.master),
        "master’s version": (variant.version, delivered.version),
    }
    for what, (said, meant) in stated.items():
        if said != meant:
            yield error(delivered.file.file, f"says {said} of its {what}; the manifest says {meant}.", AGAIN)
    if (master.name, master.version) != (delivered.master, delivered.version):
        said = f"is {master.name} v{master.version}; the manifest says {delivered.master} v{delivered.version}."
        yield error(delivered.master_file.file, said, AGAIN)


def _judge_bindings(
    delivered: DeliveredVariant, variant: Variant, master: Master, manifest: DeliveryManifest, target: Target
) -> Iterator[ReceiptFinding]:
    """Each layer takes a set of the delivery, and each texture input lies where the target keeps its property, and nowhere
    else."""
    held = {part.code: _maps(part) for part in manifest.sets}
    taken = {name: other.set for name, other in variant.sets(master).items()}
    if delivered.layers and delivered.layers != taken:
        yield error(delivered.file.file, "and the manifest do not agree on the sets of its layers.", AGAIN)
    for name, code in taken.items():
        if code not in held:
            said = f"needs the set {code} for {name}, which is not in this delivery."
            yield warning(delivered.file.file, said, "Deliver that set as well, unless the engine has it already.")
    wanted = bind_variant(variant, master, target, held)
    for name in sorted(delivered.textures.keys() ^ wanted.keys()):
        said = "is no texture of its master" if name in delivered.textures else "is a texture of its master and is not bound"
        yield error(delivered.file.file, f"{name} {said}.", AGAIN)
    for title in not_taken(master, target):
        said = f"gives {title.lower()}, which the materials of {target.title} do not take: it is not seen."
        yield warning(delivered.file.file, said, "See that the surface reads well without it, or take another master.")
    for name, bound in wanted.items():
        meant = bound.chip if bound else None
        if name in delivered.textures and delivered.textures[name] != meant:
            said = f"binds {name} to {delivered.textures[name] or 'nothing'}; it lies in {meant or 'nothing of this delivery'}."
            yield error(delivered.file.file, said, AGAIN)


def _maps(part: DeliveredSet) -> SetMaps:
    storages = {output.key: Storage.model_construct(format=output.format, srgb=output.srgb) for output in part.outputs}
    # A channel that nothing was made of holds a stand-in, which is no map.
    return SetMaps(storages, part.provides)


def _judge_surface(
    delivered: DeliveredVariant, variant: Variant, master: Master, sets: Mapping[str, Values]
) -> Iterator[ReceiptFinding]:
    """What the sets at the probes become, against what the sender says of it."""
    try:
        surface = surface_at(master, variant, sets)
        means = means_of(surface)
    except TexelError as refused:
        yield error(delivered.file.file, f"cannot be evaluated: {refused.subject} {refused.problem}", AGAIN)
        return
    brightest = float(surface["base_colour"].max(initial=0.0)) if "base_colour" in surface else 0.0
    if brightest > 1 + CLOSE:
        words = (
            f"makes base colour up to {brightest:.3g}: it would reflect more light than falls on it, and glTF cuts it off at 1."
        )
        yield warning(delivered.file.file, words, "Lower its tint or brightness.")
    if delivered.surface:
        for key in sorted(means.keys() ^ delivered.surface.keys()):
            yield error(delivered.file.file, f"and the manifest do not agree on whether it makes {key}.", AGAIN)
        for key in sorted(means.keys() & delivered.surface.keys()):
            said = delivered.surface[key]
            scale = max(1.0, *(abs(part) for part in means[key]))
            if len(said) != len(means[key]) or np.abs(np.subtract(said, means[key])).max() > CLOSE * scale:
                made = f"makes {key.replace('_', ' ')} {_numbers(means[key])} on average"
                words = f"{made}; the sender meant {_numbers(said)}."
                yield error(delivered.file.file, words, AGAIN)


def _numbers(values: tuple[float, ...]) -> str:
    return " ".join(f"{value:.4g}" for value in values)
