"""Masters from documents: the ones that ship, and changed versions of any."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cache

from pydantic import ValidationError

from texelcore.materials.document import Master, Parameter
from texelcore.materials.shipped import WRITTEN
from texelcore.materials.typing import check_master
from texelcore.pixels.errors import TexelError


@cache
def shipped_masters() -> dict[str, Master]:
    """The masters that ship, by name."""
    masters = [write() for write in WRITTEN]
    return {master.name: master for master in sorted(masters, key=lambda entry: entry.name)}


def next_version(master: Master, parameters: Mapping[str, Parameter]) -> Master:
    """A master's next version, with other defaults and ranges for some parameters.

    Raises TexelError for a parameter that the master does not have, whose name, kind, label or group would change, or that
    does not hold together; and when nothing would change.
    """
    known = {entry.name: entry for entry in master.parameters}
    for name, wanted in parameters.items():
        old = known.get(name)
        if old is None or (wanted.name, wanted.kind, wanted.label, wanted.group) != (old.name, old.kind, old.label, old.group):
            raise TexelError(name, "is not a parameter of this master as it is.", "Change defaults and ranges only.")
    changed = tuple(parameters.get(entry.name, entry) for entry in master.parameters)
    if changed == master.parameters:
        raise TexelError(master.title, "has not changed.", "Change a default or a range first.")
    try:
        made = Master.model_validate(master.model_dump() | {"parameters": changed, "version": master.version + 1})
    except ValidationError as error:
        raise TexelError(master.title, f"does not hold: {error.errors()[0]['msg']}.", "Correct the parameter.") from error
    check_master(made)
    return made
