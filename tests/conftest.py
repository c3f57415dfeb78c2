from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest

from texelcore.pixels.image import Image
from texelcore.pixels.strips import of_image
from texelcore.pixels.write import write
from texeldemo.export import export_world

DEMO_SIZE = 128


@pytest.fixture(scope="session")
def world(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The demo world as files, small: PROJECT/SET/FILE."""
    folder = tmp_path_factory.mktemp("world")
    export_world(folder, DEMO_SIZE)
    return folder


@pytest.fixture
def picture(tmp_path: Path) -> Callable[..., Path]:
    """Make a small picture file: by shape, type and seed."""

    def make(name: str, shape: tuple[int, ...] = (16, 16, 3), dtype: str = "uint8", seed: int = 1) -> Path:
        rng = np.random.default_rng(seed)
        if dtype.startswith("uint"):
            data = rng.integers(0, np.iinfo(dtype).max, shape, dtype=dtype, endpoint=True)
        else:
            data = rng.random(shape).astype(dtype)
        path = tmp_path / name
        path.parent.mkdir(parents=True, exist_ok=True)
        kinds = {".png": "png", ".tga": "tga", ".tif": "tiff", ".exr": "exr"}
        write(of_image(Image.of(data)), kinds[path.suffix.lower()], "linear", path)
        return path

    return make
