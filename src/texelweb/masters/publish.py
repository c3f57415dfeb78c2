"""Publishing masters and changing variants."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django.db import transaction

from texelcore.materials.document import Parameter, Value, own_values
from texelcore.materials.masters import next_version, shipped_masters
from texelcore.materials.typing import check_master
from texelcore.pixels.errors import TexelError
from texelweb.masters.models import MasterVersion, SetVariant, StudioMaster
from texelweb.sets.models import TextureSet


def install_shipped() -> None:
    """Put the masters that ship into the studio, where it does not have them yet."""
    for document in shipped_masters().values():
        check_master(document)
        with transaction.atomic():
            master, made = StudioMaster.objects.get_or_create(name=document.name, defaults={"title": document.title})
            if made:
                MasterVersion.objects.create(
                    master=master, number=document.version, document_json=document.model_dump(mode="json"), note="Shipped"
                )


def publish(master: StudioMaster, parameters: Mapping[str, Parameter], base: int, note: str, user: Any) -> MasterVersion:
    """Publish the next version with other defaults and ranges; variants stay on theirs.

    Raises TexelError when somebody published since version `base`, and as `next_version` does.
    """
    with transaction.atomic():
        locked = StudioMaster.objects.select_for_update().get(pk=master.pk)
        latest = locked.latest
        if latest.number != base:
            raise TexelError(
                locked.title, f"is at version {latest.number} by now.", "Reload, and make your changes to that version."
            )
        document = next_version(latest.document, parameters)
        return MasterVersion.objects.create(
            master=locked, number=document.version, document_json=document.model_dump(mode="json"), note=note[:300], by=user
        )


def make_variant(texture_set: TextureSet, version: MasterVersion, name: str, user: Any) -> SetVariant:
    """A variant of a master for a set, with the master's own values. An empty name becomes the set's, numbered if need be."""
    wanted = free_name(texture_set, name or texture_set.name) if not name.strip() else plain_name(name)
    if SetVariant.objects.filter(project=texture_set.project, name=wanted).exists():
        raise TexelError(wanted, "is the name of another variant of this project.", "Choose another name.")
    return SetVariant.objects.create(project=texture_set.project, set=texture_set, version=version, name=wanted, by=user)


def change_variant(variant: SetVariant, name: str | None, values: dict[str, Value] | None, number: int | None) -> SetVariant:
    """Rename a variant, set all its own values, or move it to another version of its master; None leaves a thing.

    Values that the master takes as its default anyway are not kept. Raises TexelError for values or versions that do not fit.
    """
    with transaction.atomic():
        locked = SetVariant.objects.select_for_update().select_related("version__master", "set").get(pk=variant.pk)
        if name is not None:
            locked.name = plain_name(name)
            if SetVariant.objects.filter(project=locked.project, name=locked.name).exclude(pk=locked.pk).exists():
                raise TexelError(locked.name, "is the name of another variant of this project.", "Choose another name.")
        if number is not None:
            version = locked.version.master.versions.filter(number=number).first()
            if version is None:
                raise TexelError(f"Version {number}", "was never published.", "Choose one of the versions.")
            locked.version = version
        own = own_values(locked.version.document, locked.values if values is None else values)
        locked.values_json = {key: list(value) if isinstance(value, tuple) else value for key, value in own.items()}
        locked.save()
    return locked


def plain_name(name: str) -> str:
    """A variant's name without stray spaces. Raises TexelError for an empty or overlong one."""
    plain = " ".join(name.split())
    if not 1 <= len(plain) <= 80:
        raise TexelError(name or "(empty)", "is not a name for a variant: 1 to 80 characters.", "Type a shorter or longer one.")
    return plain


def free_name(texture_set: TextureSet, name: str) -> str:
    """A name for a variant that the project does not have yet."""
    taken = set(SetVariant.objects.filter(project=texture_set.project).values_list("name", flat=True))
    wanted, number = name[:70], 2
    while wanted in taken:
        wanted, number = f"{name[:70]} {number}", number + 1
    return wanted
