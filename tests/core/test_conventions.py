"""The one idea, as a law: whatever convention a surface arrives in, the same target gets the same bytes."""

from __future__ import annotations

import shutil
import tempfile
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import examples
from texelcore.building.execute import file_sha256, make_outputs
from texelcore.building.plan import plan_build
from texelcore.building.sources import in_folder
from texelcore.evidence.facts import facts_of
from texelcore.pixels.image import Image
from texelcore.pixels.strips import of_image
from texelcore.pixels.write import write
from texelcore.sorting.sort import sort_files
from texelcore.targets.library import find_target

SIZE = 12
LETTERS = {"occlusion": ("A", "O", "AO"), "roughness": ("R",), "metallic": ("M",)}
WORDS = {
    "occlusion": ("AO", "occ", "AmbientOcclusion"),
    "roughness": ("Roughness", "rough", "rgh"),
    "metallic": ("Metallic", "metalness", "mtl"),
}


@dataclass(frozen=True)
class Convention:
    """How a program exports: what it packs in which order, which way its normals point, whether it writes gloss."""

    packed: tuple[str, ...]
    letters: tuple[str, ...]
    words: dict[str, str]
    gloss: bool
    down: bool
    file_format: str


@st.composite
def conventions(draw: st.DrawFn) -> Convention:
    packs = draw(st.booleans())
    order = tuple(draw(st.permutations(sorted(LETTERS)))) if packs else ()
    return Convention(
        packed=order,
        letters=tuple(draw(st.sampled_from(LETTERS[key])) for key in order),
        words={key: draw(st.sampled_from(choices)) for key, choices in WORDS.items()},
        # A packed name has letters for roughness only.
        gloss=draw(st.booleans()) and not packs,
        down=draw(st.booleans()),
        file_format=draw(st.sampled_from(["png", "tga", "tiff"])),
    )


def surface(seed: int) -> dict[str, np.ndarray]:
    rng = np.random.default_rng(seed)
    grey = {key: rng.integers(0, 256, (SIZE, SIZE), dtype=np.uint8) for key in LETTERS}
    colours = {key: rng.integers(0, 256, (SIZE, SIZE, 3), dtype=np.uint8) for key in ("base", "normal")}
    return grey | colours


def export(maps: dict[str, np.ndarray], how: Convention, folder: Path) -> None:
    """Write a surface as a program of this convention would."""
    suffix = {"png": ".png", "tga": ".tga", "tiff": ".tif"}[how.file_format]

    def save(data: np.ndarray, word: str) -> None:
        write(of_image(Image.of(data)), how.file_format, "linear", folder / f"oak_{word}{suffix}")  # type: ignore[arg-type]

    save(maps["base"], "BaseColor")
    normal = maps["normal"].copy()
    if how.down:
        normal[:, :, 1] = 255 - normal[:, :, 1]
    save(normal, "Normal_DX" if how.down else "Normal_GL")
    if how.packed:
        save(np.dstack([maps[key] for key in how.packed]), "".join(how.letters))
        return
    for key, word in how.words.items():
        if key == "roughness" and how.gloss:
            save(255 - maps[key], "Gloss")
        else:
            save(maps[key], word)


def build(folder: Path, target: str, out: Path) -> dict[str, str]:
    paths = sorted(folder.iterdir())
    files = {path.name: facts_of(path, path.name) for path in paths}
    sorting = sort_files(files.values())
    assert sorting.open == () and len(sorting.ledgers) == 1
    plan = plan_build(sorting.ledgers[0], find_target(target), files)
    made = make_outputs(plan, in_folder(files, folder), out)
    return {item.path.name: file_sha256(item.path) for item in made}


@pytest.mark.parametrize("target", ("millrace-handheld", "orbit-desktop"))
@examples(16)
@given(how=conventions(), other=conventions(), seed=st.integers(0, 10_000))
def test_any_two_conventions_give_the_same_bytes(target: str, how: Convention, other: Convention, seed: int) -> None:
    maps = surface(seed)
    place = Path(tempfile.mkdtemp(prefix="fairtexel-law-"))
    try:
        results = []
        for name, convention in (("one", how), ("two", other)):
            (place / name).mkdir()
            export(maps, convention, place / name)
            results.append(build(place / name, target, place / f"{name} out"))
        assert results[0] == results[1]
        assert len(results[0]) == (3 if target == "orbit-desktop" else 4)
    finally:
        shutil.rmtree(place)
