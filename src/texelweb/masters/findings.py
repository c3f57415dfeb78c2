"""What is to be known about a variant as it is bound for a target: what it does without, and what looks otherwise elsewhere."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Literal

from texelcore.delivery.dressing import brightest_colour
from texelcore.materials.dressing.binding import Bindings, not_taken
from texelcore.materials.mtlx.differing import differing
from texelcore.materials.sheets.typing import CheckedMaster
from texelcore.surface.findings import Finding
from texelcore.surface.properties import PROPERTIES
from texelcore.targets.document import Target
from texelweb.masters.models import SetVariant


def findings_of_variant(variant: SetVariant, checked: CheckedMaster, bindings: Bindings, target: Target) -> list[Finding]:
    """All findings of a variant, whose master is `checked` as the target takes it."""
    return [
        *_absent(variant, bindings),
        *_too_bright(variant),
        *_not_taken(variant, target),
        *_elsewhere(variant, checked),
    ]


def _finding(
    variant: SetVariant,
    rule: str,
    severity: Literal["warning", "note"],
    message: str,
    way_out: str,
    key: str | None = None,
) -> Finding:
    return Finding(
        rule=rule,
        severity=severity,
        stage="dressed",
        subject=variant.name,
        property=key,
        message=message,
        way_out=way_out,
    )


def _absent(variant: SetVariant, bindings: Bindings) -> Iterator[Finding]:
    """Properties whose absence is worth knowing. Of layers beyond the first, what is missing is said at the layer."""
    document = variant.version.document
    first = document.layers[0].name if document.layers else ""
    properties = {texture.name: texture.property for texture in document.textures if texture.layer == first}
    for name, bound in bindings.items():
        key = properties.get(name, "")
        if bound is None and key in ("base_colour", "normal", "roughness"):
            title, note = PROPERTIES[key].title, PROPERTIES[key].absent_note
            severity: Literal["warning", "note"] = "note" if key == "normal" else "warning"
            way_out = f"Assign a file to {title} in the set's ledger, or set a constant."
            yield _finding(variant, "map-absent", severity, f"{title} has no map in this set; {note}.", way_out, key)


def _too_bright(variant: SetVariant) -> Iterator[Finding]:
    """Light that it makes of nothing."""
    brightest = brightest_colour(variant.version.document, variant.document)
    if brightest > 1.001:
        said = f"Base colour goes up to {brightest:.3g} where its map is white: it would reflect more light than falls on it."
        way_out = "Lower its tint or brightness; glTF and engines cut it off at 1."
        yield _finding(variant, "base-colour-above-one", "warning", said, way_out, "base_colour")


def _not_taken(variant: SetVariant, target: Target) -> Iterator[Finding]:
    """What a variant's master gives and the target's materials do not take."""
    for title in not_taken(variant.version.document, target):
        said = f"The materials of {target.title} take no {title.lower()}: it is left out there, and not shown here."
        way_out = "See that the surface reads well without it, or dress with another master for this target."
        yield _finding(variant, "extension-not-taken", "warning", said, way_out)


def _elsewhere(variant: SetVariant, checked: CheckedMaster) -> Iterator[Finding]:
    """What of a variant looks otherwise where it is taken away as MaterialX."""
    way_out = "Flatten it into a set of maps where it has to look the same."
    for said in differing(checked):
        yield _finding(variant, "nearest-in-materialx", "note", f"In MaterialX it looks otherwise: {said}", way_out)
