"""Which of a project's models wear what is delivered: they go along, and a set is out of date where one of them has changed."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator
from functools import partial
from pathlib import Path

from texelcore.delivery.documents import DeliveredPart
from texelcore.delivery.package import Carried, Dressed
from texelweb.projects.models import Project
from texelweb.sets.models import ProjectModel
from texelweb.storage.blobs import stored_bytes

# How models may end: what is brought in is looked over for no other.
MODEL_ENDINGS = (".glb", ".gltf", ".obj")


def models_of(project: Project) -> list[ProjectModel]:
    """A project's models, in the order in which they are delivered."""
    return list(ProjectModel.objects.filter(project=project).select_related("blob").order_by("name", "pk"))


def worn_by(project: Project, models: Iterable[ProjectModel]) -> dict[int, str]:
    """By the id of each set that a model wears, itself or through its variants: those models as they are, in words that change
    when one of them does."""
    variants = dict(project.variants.values_list("pk", "set"))
    found: dict[int, list[str]] = {}
    for model in models:
        for part, wears in sorted(model.parts_json.items()):
            key = wears.get("set") or variants.get(wears.get("variant"))
            if key is not None:
                found.setdefault(key, []).append(f"{model.name} {model.blob_id} {part} {sorted(wears.items())}")
    return {key: "\n".join(lines) for key, lines in found.items()}


def carried_of(
    project: Project,
    models: Iterable[ProjectModel],
    dressed: Collection[Dressed],
    codes: Collection[str],
) -> Iterator[Carried]:
    """The models of which some part wears what is delivered: the variants `dressed`, or the sets of these codes."""
    there = {entry.variant.name for entry in dressed}
    variants = {variant.pk: variant.name for variant in project.variants.all() if variant.name in there}
    sets = {texture_set.pk: texture_set.code for texture_set in project.sets.all() if texture_set.code in codes}
    for model in models:
        parts = {}
        for part, wears in model.parts_json.items():
            if name := variants.get(wears.get("variant")):
                parts[part] = DeliveredPart(variant=name)
            elif code := sets.get(wears.get("set")):
                parts[part] = DeliveredPart(set=code)
        if parts:
            ending = Path(model.file_name).suffix.lower()
            read = partial(stored_bytes, model.blob.place)
            yield Carried(model.name, ending if ending in MODEL_ENDINGS else ".glb", read, parts)
