"""Every demo set on the stage beside the picture of it that was kept: no later change moves the light in silence.

A change that is meant is looked at first: FAIRTEXEL_KEEP_REFERENCES=1 keeps what the stage draws now in place of what was kept.
"""

from __future__ import annotations

import base64
import io
import os
from pathlib import Path

import numpy as np
import pytest
from PIL import Image as Pillow
from playwright.sync_api import Page

from tests.browser.onstage import begin
from tests.conftest import EXPLORE
from texelcli.arrange import arrange
from texelcli.reading import read_folder
from texelcore.building.sources import in_folder
from texelcore.lighting.environments import ENVIRONMENTS
from texelcore.materials.dressing.binding import bind, one_set
from texelcore.materials.dressing.stage import LEVELLED, STAGE_TARGET, plan_stage, stage_levels, stage_pixels
from texelcore.materials.shader import shader_text
from texelcore.materials.sheets.masters import shipped_masters
from texelcore.materials.sheets.typing import check_master
from texelcore.pixels.png import png_bytes
from texeldemo.export import export_world

KEPT = Path(__file__).with_name("references")
EDGE = 160
ALL = EXPLORE or bool(os.environ.get("FAIRTEXEL_KEEP_REFERENCES"))
# Levels of 255: on average, and of the most that a hundredth of all places may be off.
MEAN, NEARLY_ALL = 1.0, 10.0
DRAW = """async ({ surface, shape, edge }) => {
  stage.shape(shape);
  // As a library that draws on the same context may leave it.
  const gl = stage.renderer.getContext();
  gl.pixelStorei(gl.UNPACK_FLIP_Y_WEBGL, true);
  gl.pixelStorei(gl.UNPACK_PREMULTIPLY_ALPHA_WEBGL, true);
  await stage.dress(surface);
  const blob = await stage.picture(edge, true);
  return btoa(String.fromCharCode(...new Uint8Array(await blob.arrayBuffer())));
}"""


@pytest.fixture(scope="module")
def surfaces(bench_folder: Path, tmp_path_factory: pytest.TempPathFactory) -> dict[str, dict[str, object]]:
    """Every demo set as the stage takes it, its pictures beside the bench."""
    world = tmp_path_factory.mktemp("world")
    export_world(world, 256)
    found = {}
    for game in ("glasshouse-nine", "tidewheel"):
        arrival = read_folder(world / game)
        sources = in_folder(arrival.files, arrival.folder)
        for texture_set in arrange(arrival, None, "orbit-desktop", "x").sets:
            images = sources.pixels(texture_set.ledger.files())
            planned = {output.key: output for output in plan_stage(texture_set.ledger, dict(arrival.files))}
            present = {part.property for output in planned.values() for part in output.channels if not part.fills}
            pictures = []
            for key, output in planned.items():
                pixels = stage_pixels(output, images)
                body = stage_levels(output, pixels) if key in LEVELLED else png_bytes(pixels)
                name = f"{texture_set.code}-{key}"
                (bench_folder / name).write_bytes(body)
                kind = "blocks" if key in LEVELLED else "picture"
                pictures.append(
                    {"holder": "surface", "output": key, "kind": kind, "url": f"/{name}", "srgb": output.storage.srgb}
                )
            master = shipped_masters()["solid-surface"]
            storages = {key: output.storage for key, output in planned.items()}
            shader = shader_text(check_master(master), bind(master, STAGE_TARGET, one_set(master, storages, present)))
            found[f"{game} {texture_set.code}"] = {
                "shader": shader.model_dump(mode="json"),
                "pictures": pictures,
                "values": {parameter.name: parameter.default for parameter in master.parameters},
                "opacity": {"mode": "blended" if "opacity" in present else "solid", "threshold": 0.5},
                "height": None,
            }
    return found


@pytest.mark.parametrize("light", [environment.name for environment in ENVIRONMENTS])
def test_demo_sets_are_lit_as_they_were(bench: Page, surfaces: dict[str, dict[str, object]], light: str) -> None:
    """In software GL, in each environment, with its shadow."""
    (environment,) = (environment for environment in ENVIRONMENTS if environment.name == light)
    key = environment.key and {"towards": list(environment.key.towards), "colour": list(environment.key.colour)}
    begin(bench, edge=EDGE, shadows=True)
    bench.evaluate("view => stage.environment(view)", {"name": light, "kind": "cube", "url": f"/{light}.bin", "key": key})
    assert len(surfaces) == 10
    off = {}
    lights = [environment.name for environment in ENVIRONMENTS]
    for number, (name, surface) in enumerate(surfaces.items()):
        # Each set in two of the lights; in all of them when there is time, and when they are kept.
        if not (ALL or (number + lights.index(light)) % len(lights) < 2):
            continue
        shape = "plane" if surface["opacity"] != {"mode": "solid", "threshold": 0.5} else "sphere"
        body = base64.b64decode(bench.evaluate(DRAW, {"surface": surface, "shape": shape, "edge": EDGE}))
        place = KEPT / light / f"{name}.png"
        if os.environ.get("FAIRTEXEL_KEEP_REFERENCES"):
            place.parent.mkdir(parents=True, exist_ok=True)
            place.write_bytes(body)
        found, kept = (np.asarray(Pillow.open(source), float) for source in (io.BytesIO(body), place))
        apart = np.abs(found * (found[..., 3:] > 0) - kept * (kept[..., 3:] > 0))
        if apart.mean() > MEAN or np.quantile(apart, 0.99) > NEARLY_ALL:
            off[name] = (round(float(apart.mean()), 2), round(float(np.quantile(apart, 0.99)), 1))
    assert off == {}, "further off than allowed (mean, nearly all)"
