"""Variants: made for a set, changed, removed and brought back."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from django.db import transaction
from django.utils import timezone

from texelcore.materials.sheets.document import Value, check_values
from texelcore.pixels.errors import TexelError
from texelcore.surface.changes import ABSENT, differing
from texelweb.masters.models import LayerSet, MasterVersion, SetVariant
from texelweb.projects.models import Project
from texelweb.record.steps import note_step, one_by_one, register, together
from texelweb.refusals import Overtaken
from texelweb.sets.changing.reshape import make_helper
from texelweb.sets.changing.writing import lock_project, name_of
from texelweb.sets.models import SourceFile, TextureSet

# Variants in the record.
VARIANT = "variant"


@transaction.atomic
def make_variant(texture_set: TextureSet, version: MasterVersion, name: str, user: Any) -> SetVariant:
    """A variant of a master for a set, with the master's own values. An empty name becomes the set's with the master's, so that
    variants of one set are told apart.

    Raises TexelError for a name that another variant of the project has.
    """
    lock_project(texture_set.project_id)
    wanted = plain_name(name) if name.strip() else free_name(texture_set, f"{texture_set.name}, {version.master.title}")
    _refuse_taken(texture_set.project_id, wanted)
    made = SetVariant.objects.create(project=texture_set.project, set=texture_set, version=version, name=wanted, by=user)
    what = f"{texture_set.name} dressed with {version.master.title}"
    note_step(made.project, VARIANT, made.pk, made.name, what, user, {"there": False}, {"there": True}, about=texture_set.pk)
    return made


@dataclass(frozen=True)
class Worn:
    """A set that a layer or a free texture takes, by its key, and the property that a free texture reads of it. With a `file`, of
    no set, a free texture takes that: a set is made of it."""

    set: int
    property: str = ""
    file: int | None = None


@dataclass(frozen=True)
class VariantEdit:
    """What is to change about a variant: its name, all of its own values, the version of its master, the sets of its layers and
    free textures, all of them, by name; None leaves a thing."""

    name: str | None = None
    values: Mapping[str, Value] | None = None
    version: int | None = None
    layers: Mapping[str, Worn] | None = None


@transaction.atomic
def change_variant(variant: SetVariant, edit: VariantEdit, user: Any, seen: int | None = None) -> SetVariant:
    """Change a variant. Its own values are kept as they are given, also where they are the master's default today.

    `seen` is the number of the newest edit that the person has seen. Raises Overtaken when somebody else has changed it since,
    and TexelError for a name that is taken, and values or versions that do not fit.
    """
    lock_project(variant.project_id)
    locked = SetVariant.objects.select_related("version__master", "set", "changed_by").filter(pk=variant.pk).first()
    if locked is None:
        raise TexelError(
            variant.name, "was removed meanwhile.", "Go back to the set, or take the removal back in the list of steps."
        )
    if seen is not None and seen < locked.edit and locked.changed_by != user:
        raise Overtaken(
            locked.name,
            f"was changed by {name_of(locked.changed_by)} meanwhile.",
            "It is shown as it is now: make your change again if it still fits.",
        )
    before = document_of(locked)
    if edit.name is not None:
        locked.name = plain_name(edit.name)
        _refuse_taken(locked.project_id, locked.name, locked.pk)
    if edit.version is not None:
        version = locked.version.master.versions.filter(number=edit.version).first()
        if version is None:
            raise TexelError(f"Version {edit.version}", "was never published.", "Choose one of the versions.")
        locked.version = version
    own = locked.values if edit.values is None else edit.values
    check_values(locked.version.document, own)
    locked.values_json = {key: list(value) if isinstance(value, tuple) else value for key, value in own.items()}
    with together():
        if edit.layers is not None:
            _wear(locked, {holder: _with_set(locked, holder, worn, user) for holder, worn in edit.layers.items()})
        after = document_of(locked)
        if after != before:
            locked.edit, locked.changed_by = locked.edit + 1, user
            locked.save()
            said = _said(locked, before, after)
            note_step(locked.project, VARIANT, locked.pk, locked.name, said, user, before, after, about=locked.set_id)
    return locked


@transaction.atomic
def remove_variant(variant: SetVariant, user: Any) -> None:
    """Remove a variant. It is kept aside, and can be brought back from the record for 30 days."""
    lock_project(variant.project_id)
    gone = SetVariant.objects.filter(pk=variant.pk).update(removed=timezone.now())
    if gone:
        there, gone_by = {"there": True}, {"there": False}
        note_step(variant.project, VARIANT, variant.pk, variant.name, "Removed", user, there, gone_by, about=variant.set_id)


def document_of(variant: SetVariant) -> dict[str, Any]:
    """All that may be changed about a variant, in parts that are changed one by one."""
    return {
        "there": variant.removed is None,
        "name": variant.name,
        "version": variant.version.number,
        "values": variant.values_json,
        "layers": layers_of(variant),
    }


def layers_of(variant: SetVariant) -> dict[str, dict[str, Any]]:
    """The sets of a variant's layers and free textures, by name; the first layer's is under an empty name, since every variant
    has one whatever its master calls it."""
    others = {entry.holder: {"set": entry.set_id, "property": entry.property} for entry in variant.others.all()}
    return {"": {"set": variant.set_id, "property": ""}, **others}


def _with_set(variant: SetVariant, holder: str, worn: Worn, user: Any) -> Worn:
    """What a free texture takes, as a set: of a file of no set, one is made. Raises TexelError for a file that the project does
    not have, and where a layer is to take one."""
    if worn.file is None:
        return worn
    master = variant.version.document
    asked = next((texture.property for texture in master.textures if texture.name == holder and not texture.layer), None)
    if asked is None:
        raise TexelError(holder, "takes a set, not a file.", "Make a set of the file first.")
    file = SourceFile.objects.filter(project=variant.project, pk=worn.file).first()
    if file is None:
        raise TexelError("The file", "is not in this project any more.", "Choose another file, or a set.")
    made = make_helper(file, "mask" if asked.startswith("mask.") else asked, user)
    read = made.ledger.rows[0].property
    return Worn(made.pk, "" if read == asked else read)


def _wear(variant: SetVariant, wanted: Mapping[str, Worn]) -> None:
    """Bind sets to a variant's layers and free textures, in place of all that was bound. Raises TexelError for a layer that its
    master does not have, and a set that the project does not have."""
    master = variant.version.document
    first = master.layers[0].name if master.layers else ""
    known = {
        texture_set.pk: texture_set for texture_set in variant.project.sets.filter(pk__in=[worn.set for worn in wanted.values()])
    }
    for holder, worn in wanted.items():
        if holder and holder not in master.holders:
            way_out = f"Known: {', '.join(master.holders)}."
            raise TexelError(holder, f"is no layer and no free texture of {master.title} v{master.version}.", way_out)
        if worn.set not in known:
            raise TexelError(variant.name, f"cannot take that set for {holder or first}: it was removed.", "Choose another set.")
    main = wanted.get(first) or wanted.get("")
    if main:
        variant.set = known[main.set]
    variant.others.all().delete()
    made = [
        LayerSet(variant=variant, holder=holder, set=known[worn.set], property=worn.property)
        for holder, worn in wanted.items()
        if holder not in ("", first)
    ]
    LayerSet.objects.bulk_create(made)


def register_ways() -> None:
    """Tell the record how variants go back."""
    register(VARIANT, one_by_one(_read, _write))


def _read(project: Project, key: str) -> Mapping[str, Any] | None:
    found = SetVariant.everything.filter(project=project, pk=key).select_related("version").first()
    return document_of(found) if found else None


def _write(project: Project, key: str, document: Mapping[str, Any], what: str, user: Any) -> None:
    lock_project(project.pk)
    variant = SetVariant.everything.select_related("version__master", "set").get(project=project, pk=key)
    if variant.set.removed is not None:
        raise TexelError(variant.name, "belongs to a set that was removed.", "Bring the set back first.")
    variant.removed = None if document["there"] else variant.removed or timezone.now()
    variant.name, variant.values_json = document["name"], document["values"]
    if document["there"]:
        _refuse_taken(project.pk, variant.name, variant.pk)
    variant.version = variant.version.master.versions.get(number=document["version"])
    layers = document.get("layers") or layers_of(variant)
    here = set(project.sets.values_list("pk", flat=True))
    known = {"", *variant.version.document.holders}
    worn = {name: Worn(**held) for name, held in layers.items() if held["set"] in here and name in known}
    _wear(variant, worn)
    check_values(variant.version.document, variant.values)
    variant.edit, variant.changed_by = variant.edit + 1, user
    variant.save()


def _said(variant: SetVariant, before: Mapping[str, Any], after: Mapping[str, Any]) -> str:
    """What was changed, in words."""
    labels = {parameter.name: parameter.label for parameter in variant.version.document.parameters}
    parts, layers = [], False
    for path, (_, new) in differing(before, after).items():
        match path:
            case ("values", name):
                parts.append(f"{labels.get(name, name)} {'back to the master’s' if new is ABSENT else _value(new)}")
            case ("name",):
                parts.append(f"Renamed from {before['name']} to {new}")
            case ("version",):
                parts.append(f"Moved to v{new}")
            case ("layers", *_):
                layers = True
    if layers:
        parts.append("Layers: " + ", ".join(f"{name} {held.name}" for name, held in variant.sets().items()))
    return ", ".join(parts)


def _value(value: Any) -> str:
    if isinstance(value, bool):
        return "on" if value else "off"
    return " ".join(f"{part:.3g}" for part in value) if isinstance(value, list | tuple) else f"{value:g}"


def _refuse_taken(project_id: int, name: str, own: int | None = None) -> None:
    # Variants of removed sets keep their names: they come back with them.
    other = (
        SetVariant.everything.filter(project=project_id, name=name, removed=None).exclude(pk=own).select_related("set").first()
    )
    if other:
        whose = f" (of the removed set {other.set.name})" if other.set.removed else ""
        raise TexelError(name, f"is the name of another variant of this project{whose}.", "Choose another name.")


def plain_name(name: str) -> str:
    """A variant's name without stray spaces. Raises TexelError for an empty or overlong one."""
    plain = " ".join(name.split())
    if not 1 <= len(plain) <= 80:
        shown = f"“{plain[:60]}”" if plain else "The name"
        raise TexelError(shown, f"has {len(plain)} characters; a variant's name has 1 to 80.", "Enter a name, 1–80 characters.")
    return plain


def free_name(texture_set: TextureSet, name: str) -> str:
    """A name for a variant that the project does not have yet."""
    taken = set(SetVariant.everything.filter(project=texture_set.project, removed=None).values_list("name", flat=True))
    wanted, number = name[:70], 2
    while wanted in taken:
        wanted, number = f"{name[:70]} {number}", number + 1
    return wanted
