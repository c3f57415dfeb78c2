"""The same sources give the same bytes, on every machine and after every change: hashes that are tied to the versions of
operations and encoders. Whoever changes bytes raises a version, and writes the hashes anew:

    python -m tests.core.test_golden
"""

from __future__ import annotations

import hashlib
import json
import tempfile
from pathlib import Path
from typing import Any

import numpy as np

from texelcore.building.execute import make_outputs
from texelcore.building.plan import plan_build
from texelcore.building.recipe import OPERATIONS_VERSION
from texelcore.building.sources import in_folder
from texelcore.codecs.texture import ENCODER_VERSION
from texelcore.evidence.facts import facts_of
from texelcore.pixels.image import Image
from texelcore.pixels.read import read
from texelcore.pixels.strips import of_image
from texelcore.pixels.write import FileFormat, write
from texelcore.proof.prove import prove
from texelcore.sorting.sort import sort_files
from texelcore.targets.library import shipped

GOLDEN = Path(__file__).with_name("golden.json")
VERSIONS = {"operations": OPERATIONS_VERSION, "encoder": ENCODER_VERSION}
EDGE = 48


def sources(folder: Path) -> None:
    """A small set by arithmetic alone, so that no library's generator has a part in it."""
    y, x = np.mgrid[0:EDGE, 0:EDGE]
    wave = (x * 37 + y * 91 + (x * y) % 53) % 256
    maps: dict[str, tuple[FileFormat, np.ndarray]] = {
        "quay_basecolor.png": (
            "png",
            np.stack([wave, (wave * 3) % 256, 255 - wave, np.where(x > y, 255, 0)], -1).astype(np.uint8),
        ),
        "quay_normal_dx.png": (
            "png",
            np.stack([128 + (x % 9) - 4, 128 + (y % 7) - 3, np.full_like(x, 250)], -1).astype(np.uint8),
        ),
        "quay_gloss.tga": ("tga", ((x * 5 + y) % 256).astype(np.uint8)[..., None]),
        "quay_metallic.png": ("png", np.where((x // 8 + y // 8) % 2, 255, 0).astype(np.uint8)[..., None]),
        "quay_ao.png": ("png", (255 - (x * y) % 200).astype(np.uint8)[..., None]),
        "quay_height.png": ("png", ((x * 911 + y * 577) % 65536).astype(np.uint16)[..., None]),
        "quay_emissive.exr": ("exr", (np.stack([x, y, x + y], -1) / 16).astype(np.float16)),
    }
    for name, (kind, pixels) in maps.items():
        write(of_image(Image.of(pixels)), kind, "linear", folder / name)


def hashes() -> dict[str, str]:
    """The SHA-256 of every output and encoded texture of the set, and its content key, for each target that ships."""
    found: dict[str, str] = {}
    with tempfile.TemporaryDirectory() as place:
        folder = Path(place)
        sources(folder)
        facts = {path.name: facts_of(path, path.name) for path in sorted(folder.iterdir())}
        (ledger,) = sort_files(facts.values()).ledgers
        for target in shipped().values():
            for made in make_outputs(
                plan_build(ledger, target, facts, "tw", "quay"), in_folder(facts, folder), folder / target.name
            ):
                key = f"{target.name} {made.planned.key}"
                found[key] = made.sha256
                # What was built before is known by its key: a document says the same in a later version of the format.
                found[f"{key} key"] = made.planned.content_key
                found[f"{key} dds"] = hashlib.sha256(prove(made.planned, read(made.path)).dds).hexdigest()
    return found


def test_bytes_change_only_with_a_version() -> None:
    known: Any = json.loads(GOLDEN.read_text())
    assert known["versions"] == VERSIONS, "A version was raised: write the hashes anew (see above)."
    assert hashes() == known["hashes"]


if __name__ == "__main__":
    GOLDEN.write_text(json.dumps({"versions": VERSIONS, "hashes": hashes()}, indent=2) + "\n")
