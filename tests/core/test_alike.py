"""The whole conversion seen: what is built of every demo set, lit beside what its sources say."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from texelcli.arrange import arrange
from texelcli.reading import read_folder
from texelcore.building.execute import make_outputs
from texelcore.building.plan import plan_build
from texelcore.building.sources import Sources, in_folder
from texelcore.codecs.dds import read_dds
from texelcore.colour.delta_e import delta_e, linear_to_lab
from texelcore.colour.srgb import to_linear
from texelcore.lighting.cubes import shipped_cube
from texelcore.lighting.lit import Lit, lit_picture
from texelcore.materials.dressing.binding import bind
from texelcore.materials.dressing.evaluate import evaluate, texel_centres
from texelcore.materials.dressing.set_maps import set_maps
from texelcore.materials.dressing.stage import lit_surface, plan_stage, stage_pixels
from texelcore.materials.dressing.textures import samplers_of
from texelcore.materials.sheets.masters import shipped_masters
from texelcore.materials.sheets.typing import check_master
from texelcore.pixels.image import Image
from texelcore.pixels.read import read
from texelcore.proof.compare import read_back
from texelcore.proof.prove import prove
from texelcore.surface.files import FileFacts
from texelcore.surface.ledger import Ledger
from texelcore.targets.document import Target
from texelcore.targets.library import find_target
from texeldemo.export import export_world

SIZE = 96
# ΔE2000 that is allowed on average over a lit ball.
ALIKE = 2.0


@pytest.fixture(scope="module")
def larger(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The demo world at twice the size of other tests: of smaller ones blocks lose what nobody would ship."""
    folder = tmp_path_factory.mktemp("larger")
    export_world(folder, 256)
    return folder


def lit_sources(ledger: Ledger, files: dict[str, FileFacts], images: dict[str, Image]) -> np.ndarray:
    """The set's lit picture as lists show it."""
    staged = {planned.key: stage_pixels(planned, images) for planned in plan_stage(ledger, files)}
    return lit_surface({key: value for key, value in staged.items() if key != "opacity"}, "sphere", SIZE)


def lit_built(ledger: Ledger, files: dict[str, FileFacts], sources: Sources, target: Target, folder: Path) -> np.ndarray:
    """The set built, encoded, decoded, read as the target says by the usual master, and lit in the same light."""
    plan = plan_build(ledger, target, files, "x", "x")
    decoded = {}
    for made in make_outputs(plan, sources, folder):
        built = read(made.path, made.path.name)
        texture = read_dds(prove(made.planned, built).dds, made.path.name)
        decoded[made.planned.key] = read_back(made.planned, texture, built).after
    master = shipped_masters()["solid-surface"]
    bindings = bind(master, target, dict.fromkeys(master.holders, set_maps(ledger, plan.outputs)))
    samplers = samplers_of(master, bindings, {"surface": decoded}, target)
    largest = max(image.width for image in decoded.values())
    surface = evaluate(check_master(master), {}, samplers, texel_centres(largest, largest))
    maps = {key: value if value.ndim == 3 else value[..., None] for key, value in surface.items() if key != "opacity"}
    return lit_picture(maps, Lit(shipped_cube("workshop")), "sphere", SIZE)


# The others as well when there is time.
OTHERS = (("glasshouse-nine", "lantern-room"), ("tidewheel", "orbit-desktop"))


@pytest.mark.parametrize(
    ("game", "target"),
    [
        *(("glasshouse-nine", "orbit-desktop"), ("tidewheel", "lantern-room")),
        *(pytest.param(*other, marks=pytest.mark.soak) for other in OTHERS),
    ],
)
def test_what_is_built_looks_as_its_sources_do(larger: Path, tmp_path: Path, game: str, target: str) -> None:
    document = find_target(target)
    arrival = read_folder(larger / game)
    sources = in_folder(arrival.files, arrival.folder)
    seen = {}
    for texture_set in arrange(arrival, None, target, "x").sets:
        images = sources.pixels(texture_set.ledger.files())
        first = lit_sources(texture_set.ledger, dict(arrival.files), images)
        second = lit_built(texture_set.ledger, dict(arrival.files), sources, document, tmp_path / texture_set.code)
        inside = first[..., 3] == 255
        labs = [linear_to_lab(to_linear(picture[inside][:, :3] / 255)) for picture in (first, second)]
        seen[texture_set.ledger.name] = float(delta_e(*labs).mean())
    assert len(seen) >= 4 and max(seen.values()) < ALIKE, seen
