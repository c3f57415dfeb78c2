"""Why a layer is not seen: each of the usual reasons is planted and told apart from the others."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from texelcore.materials.dressing.evaluate import Sampler, picture_sampler, texel_centres
from texelcore.materials.dressing.unseen import Paint, Worn, layers_seen
from texelcore.materials.sheets.document import Master
from texelcore.materials.sheets.masters import shipped_masters
from texelcore.materials.sheets.typing import check_master

MASTERS = shipped_masters()
UV = texel_centres(16, 16)
PAINTED = Paint(high=(1.0, 1.0, 1.0, 1.0))


def maps(master: Master, **steady: float) -> dict[str, Sampler]:
    """A map for every texture, by lot; those that are named are one value everywhere."""
    checked, random, found = check_master(master), np.random.default_rng(2), {}
    for texture in master.textures:
        wide = checked.kinds[texture.name] != "number"
        held = random.random((16, 16, 3) if wide else (16, 16), np.float32)
        if checked.kinds[texture.name] == "direction":
            held = held / np.linalg.norm(held, axis=-1, keepdims=True)
        key = texture.name.replace(" ", "_")
        found[texture.name] = picture_sampler(np.full_like(held, steady[key]) if key in steady else held)
    return found


def seen(
    name: str, own: dict[str, Any] | None = None, paint: Paint | None = PAINTED, empty: tuple[str, ...] = (), **steady: float
) -> dict[str, Any]:
    master = MASTERS[name]
    worn = Worn(check_master(master), own or {}, maps(master, **steady), UV, paint)
    return {found.layer: found for found in layers_seen(worn, frozenset(empty))}


def test_layers_that_are_seen_say_how_much() -> None:
    found = seen("four-layers", paint=None)
    assert all(layer.share > 0.1 and not layer.reason for layer in found.values()) and len(found) == 4
    # Where layers blend, several are seen at one place: what each is seen on alone is a part of the whole.
    assert all(0 <= layer.shared <= layer.share for layer in found.values()) and any(layer.shared for layer in found.values())
    assert sum(layer.share - layer.shared for layer in found.values()) <= 1
    assert (seen("solid-surface")["surface"].share, seen("solid-surface")["surface"].shared) == (1, 0)


@pytest.mark.parametrize(
    ("name", "layer", "planted", "reason"),
    [
        ("four-layers", "red", {"paint": Paint()}, "Nothing is painted on the mesh"),
        ("four-layers", "red", {"paint": Paint(high=(0.0, 1.0, 0.0, 0.0))}, "never reaches it: red 0 to 0"),
        ("two-layer-ground", "top", {"empty": ("top",), "own": {"painted share": 0.0}, "blend_mask": 0.0}, "It takes no set"),
        ("two-layer-ground", "top", {"own": {"painted share": 0.0}, "blend_mask": 0.0}, "has one value everywhere"),
        ("painted-metal", "metal", {"own": {"wear amount": 0.0, "wear raggedness": 0.0}, "wear_mask": 0.6}, "keeps it away"),
    ],
)
def test_each_reason_is_told(name: str, layer: str, planted: dict[str, Any], reason: str) -> None:
    found = seen(name, **planted)[layer]
    assert found.share == 0 and reason in found.reason and found.way_out, found


def test_what_the_master_never_reads_is_said() -> None:
    body = MASTERS["solid-surface"].model_dump()
    body["layers"] = [*body["layers"], {"name": "spare", "label": "Spare"}]
    master = Master.model_validate(body)
    worn = Worn(check_master(master), {}, maps(master), UV)
    spare = layers_seen(worn)[1]
    assert spare.share == 0 and "reads nothing of this layer" in spare.reason


def test_a_constant_in_the_place_of_a_map_is_seen_as_the_map_is() -> None:
    master = MASTERS["two-layer-ground"]
    own = {
        texture.name: texture.constant for texture in master.textures if texture.layer == "base" and texture.constant is not None
    }
    assert own and seen("two-layer-ground", own=own)["base"].share > 0
