"""Models of a delivery: what their parts wear is there, and what their variants ask of a mesh is on it."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

from pydantic import ValidationError

from texelcore.delivery.documents import DeliveredModel, DeliveryManifest, ReceiptFinding
from texelcore.materials.gltf.file import read_gltf
from texelcore.materials.sheets.document import Master
from texelcore.materials.sheets.typing import check_master
from texelcore.pixels.errors import TexelError
from texeldock.findings import AGAIN, LARGEST_DOCUMENT, error, read_document, warning

_PAINT = ("vertex colour", "vertex alpha")


def judge_models(folder: Path, manifest: DeliveryManifest, bad: set[str]) -> Iterator[ReceiptFinding]:
    """Every model whose file is as it was delivered."""
    names: set[str] = set()
    for model in manifest.models:
        if model.name in names:
            yield error(model.file.file, f"is another model called {model.name}.", AGAIN)
        names.add(model.name)
        yield from _judge_parts(model, manifest)
        if model.file.file in bad:
            continue
        try:
            painted = _is_painted(folder / model.file.file)
        except (OSError, ValueError, KeyError, TypeError, AttributeError, RecursionError, TexelError):
            yield error(model.file.file, "is no model that can be read.", AGAIN)
            continue
        if painted:
            continue
        worn = {part.variant for part in model.parts.values()}
        for variant in manifest.variants:
            if variant.name in worn and variant.master_file.file not in bad and _asks_paint(folder, variant.master_file.file):
                message = f"has no vertex colours, and {variant.name} is blended by them: one layer is seen all over."
                yield warning(model.file.file, message, "Paint on the model, keep it, and deliver again.")


def _judge_parts(delivered: DeliveredModel, manifest: DeliveryManifest) -> Iterator[ReceiptFinding]:
    variants, sets = {held.name for held in manifest.variants}, {held.code for held in manifest.sets}
    for part, wears in delivered.parts.items():
        if wears.variant and wears.variant not in variants:
            yield error(delivered.file.file, f"wears {wears.variant} on {part}, which is not in the delivery.", AGAIN)
        if wears.set and wears.set not in sets:
            yield error(delivered.file.file, f"wears the set {wears.set} on {part}, which is not in the delivery.", AGAIN)


def _is_painted(path: Path) -> bool:
    """Whether any mesh of a model brings vertex colours."""
    if path.suffix == ".obj":
        return False
    with path.open("rb") as file:
        described = read_gltf(file, path.name, LARGEST_DOCUMENT).described
    primitives = [entry for mesh in described.get("meshes", ()) for entry in mesh.get("primitives", ())]
    return any("COLOR_0" in entry.get("attributes", {}) for entry in primitives)


def _asks_paint(folder: Path, file: str) -> bool:
    """Whether a master looks at what is painted on a mesh."""
    try:
        checked = check_master(Master.model_validate_json(read_document(folder / file, file)))
    except (ValidationError, TexelError, OSError):
        return False
    return any(name in _PAINT for name in checked.mesh_inputs())
