"""Height and what is seen through, as the stage draws them, against geometry worked out by hand."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from playwright.sync_api import Page
from scipy import ndimage

from tests.browser.onstage import DECLARED, begin
from texelcore.codecs.dds import write_dds
from texelcore.codecs.texture import decode, encode
from texelcore.pixels.image import Image
from texelcore.pixels.values import as_stored, as_values
from texelcore.surface.formats import FORMATS
from texelcore.surface.storage import Storage

SIZE = 128
FAR, FIELD = 6.0, 30.0
SURFACE = (
    DECLARED.replace("{", "{{").replace("}", "}}")
    + """Surface evaluate(vec2 uv) {{
  return Surface({base}, {opacity}, vec3(0.0, 0.0, 1.0), 1.0, 0.0, 1.0, {emissive});
}}"""
)
HEIGHT = {
    "glsl": "float read_height(vec2 place, float level) { return textureLod(t_height, place, level).r; }",
    "sampler": {"name": "t_height", "output": "height"},
}
DRAW = """async ({ glsl, opacity, height, url, part, relief, size, samplers = [] }) => {
  const pictures = url ? [{ output: 'height', kind: 'blocks', url, srgb: false }] : [];
  const shader = { glsl, uniforms: [], samplers, mesh: [], extended: [], rows: [] };
  await stage.dress({ shader, pictures, values: {}, opacity: { mode: opacity, threshold: 0.5 }, height });
  stage.look(part, 'as meant');
  stage.relief(...relief);
  return Array.from(stage.measured(size, size));
}"""


def look(bench: Page, shape: str, eye: str = f"0,0,{FAR},0,0,0") -> None:
    """A shape in the dark: what is drawn is what is asked for, and no light on it."""
    begin(bench, shape, eye)
    bench.evaluate("stage.even(0)")


def drawn(
    bench: Page,
    height: str = "",
    relief: tuple[str, float, float] = ("flat", 0.0, 0.5),
    part: str = "base colour",
    base: str = "vec3(uv, 0.0)",
    opacity: tuple[str, str] = ("solid", "1.0"),
    emissive: str = "vec3(0.0)",
) -> np.ndarray:
    """What is drawn, (SIZE, SIZE, 4) light, the highest row first; as base colour, where on the picture each place is."""
    asked = {
        "glsl": SURFACE.format(base=base, opacity=opacity[1], emissive=emissive),
        "opacity": opacity[0],
        "height": HEIGHT if height else None,
        "url": height,
        "part": part,
        "relief": relief,
        "size": SIZE,
    }
    return np.array(bench.evaluate(DRAW, asked), np.float64).reshape(SIZE, SIZE, 4)[::-1]


@pytest.fixture(scope="module")
def even(bench_folder: Path) -> dict[float, str]:
    """Addresses of heights that are the same everywhere, by that height."""
    found = {}
    for level in (0.25, 1.0):
        pixels = np.full((64, 64, 1), round(level * 65535), np.uint16)
        texture = encode(Image(pixels, ("Y",)), Storage(format="r16", srgb=False), ("data",))
        name = f"even-{level:g}.dds"
        (bench_folder / name).write_bytes(write_dds(texture))
        found[level] = f"/{name}"
    return found


@pytest.mark.parametrize(("level", "depth", "mid"), [(1.0, 0.06, 0.0), (1.0, 0.1, 0.5), (0.25, 0.1, 0.5), (0.25, 0.2, 0.25)])
def test_height_moves_points_by_its_distance_from_the_mid_level(
    bench: Page, even: dict[float, str], level: float, depth: float, mid: float
) -> None:
    """A ball whose height is the same everywhere is a ball of another size: two pictures lie around it, each π wide."""
    look(bench, "sphere")
    # What lies around it under it is a shadow, which covers less.
    covered = drawn(bench, even[level], ("displaced", depth, mid))[..., 3] > 0.99
    radius = 1 + (level - mid) * depth * np.pi
    # A ball is seen under the angle whose sine is its radius over the distance.
    seen = np.tan(np.arcsin(radius / FAR)) / np.tan(np.radians(FIELD / 2)) * SIZE / 2
    assert abs(np.sqrt(covered.sum() / np.pi) - seen) < 0.5


def test_parallax_shifts_what_is_seen_as_the_eye_sees_it(bench: Page, even: dict[float, str]) -> None:
    """A plane sunk by a depth: the eye's ray meets it further on, by that depth times the ray's slope."""
    look(bench, "plane", "2.2,1.2,3.4,0,0,0")
    place = drawn(bench, even[1.0], ("flat", 0.1, 0.5))
    depth, mid = 0.08, 0.75
    sunk = drawn(bench, even[0.25], ("parallax", depth, mid))
    inside = (place[..., 3] == 1) & (place[..., :2].min(-1) > 0.05) & (place[..., :2].max(-1) < 0.95)
    at = (place[inside][:, :2] * [1, -1] - [0.5, -0.5]) * 1.9
    ray = np.array([2.2, 1.2, 3.4]) - np.concatenate([at, np.zeros((len(at), 1))], axis=1)
    slope = ray[:, :2] / ray[:, 2:]
    meant = place[inside][:, :2] + (0.25 - mid) * depth * slope * [1, -1]
    assert np.abs(sunk[inside][:, :2] - meant).max() < 0.002
    assert np.abs(meant - place[inside][:, :2]).max() > 0.01


def test_a_height_without_a_normal_bends_the_light(bench: Page, bench_folder: Path) -> None:
    """A ramp that rises to the right looks to the left: by its slope, which is its rise times the depth."""
    ramp = np.tile(np.linspace(0, 65535, 256), (256, 1)).astype(np.uint16)[..., None]
    texture = encode(Image(ramp, ("Y",)), Storage(format="r16", srgb=False), ("data",))
    (bench_folder / "ramp.dds").write_bytes(write_dds(texture))
    look(bench, "plane")
    bench.evaluate(
        "() => { const dress = stage.dress.bind(stage); stage.dress = (surface) => dress({ ...surface, bent: false }); }"
    )
    depth = 0.25
    found = drawn(bench, "/ramp.dds", ("parallax", depth, 0.5), part="normal")[48:80, 48:80, :3]
    stored = np.where(found <= 0.0031308, found * 12.92, 1.055 * np.maximum(found, 1e-9) ** (1 / 2.4) - 0.055)
    normal = stored.reshape(-1, 3).mean(0) * 2 - 1
    meant = np.array([-depth, 0, 1]) / np.linalg.norm([-depth, 0, 1])
    assert np.abs(normal - meant).max() < 0.02


def test_what_is_seen_through_lies_behind_what_is_before_it(bench: Page) -> None:
    """A ball that covers half: the far side's light is covered by half by the near side's (Porter and Duff, 1984: over)."""
    look(bench, "sphere")
    # Seen from the front, the picture that lies nearer is the one that starts where the ball faces the eye.
    front, back = "vec3(0.0, 0.6, 0.0)", "vec3(0.6, 0.0, 0.0)"
    for turn in (0.0, 2.0, 4.0):
        bench.evaluate("turn => stage.turn(0, turn)", turn)
        near = f"dot(normalize(vNormal), vec3(0.0, 0.0, 1.0)) > 0.0 ? {front} : {back}"
        found = drawn(bench, part="lit", base="vec3(0.0)", opacity=("blended", "0.5"), emissive=near)
        middle = found[SIZE // 2 - 6 : SIZE // 2 + 6, SIZE // 2 - 6 : SIZE // 2 + 6]
        np.testing.assert_allclose(middle.mean((0, 1)), [0.15, 0.3, 0.0, 0.75], atol=0.02)


@pytest.mark.soak
def test_overdraw_counts_what_is_shaded(bench: Page) -> None:
    """A ball is shaded twice wherever it is seen, near and far side; a plane once."""
    sums = {}
    for shape in ("plane", "sphere"):
        look(bench, shape)
        found = drawn(bench, part="overdraw")
        sums[shape] = np.median(found[SIZE // 2 - 20 : SIZE // 2 + 20, SIZE // 2 - 20 : SIZE // 2 + 20, 0])
    assert abs(sums["sphere"] / sums["plane"] - 2) < 0.01


def test_a_browser_shows_every_format_of_the_table(bench: Page, bench_folder: Path) -> None:
    """A ramp in each format, its first two channels as the GPU reads them beside what our own decoder makes of them."""
    look(bench, "plane")
    place = drawn(bench)
    inside = (place[..., 3] == 1) & (place[..., :2].min(-1) > 0.05) & (place[..., :2].max(-1) < 0.95)
    at = (place[inside][:, :2] * 64 - 0.5).T[::-1]
    ramp = np.linspace(0.05, 0.95, 64, dtype=np.float32)
    glsl = "uniform sampler2D t_map;" + SURFACE.format(
        base="vec3(texture(t_map, uv).rg, 0.0)", opacity="1.0", emissive="vec3(0.0)"
    )
    bench.evaluate(
        """() => {
          const gl = stage.renderer.getContext(), link = gl.linkProgram.bind(gl);
          window.linked = 0;
          gl.linkProgram = (program) => (window.linked++, link(program));
        }"""
    )
    for key, form in FORMATS.items():
        picture = np.stack(np.broadcast_arrays(ramp[:, None], ramp[None, :], 0.5, 1.0)[: len(form.channels)], -1)
        stored = Image(as_stored(picture, form.sample), tuple(form.channels))
        texture = encode(stored, Storage(format=key, mips=False), ("data",) * len(form.channels))
        (bench_folder / f"{key}.dds").write_bytes(write_dds(texture))
        asked = {
            **{"glsl": glsl, "opacity": "solid", "height": None, "samplers": [{"name": "t_map", "output": "height"}]},
            **{"url": f"/{key}.dds", "part": "base colour", "relief": ("flat", 0.0, 0.5), "size": SIZE},
        }
        found = np.array(bench.evaluate(DRAW, asked), np.float64).reshape(SIZE, SIZE, 4)[::-1]
        decoded = as_values(decode(texture)).astype(np.float64)
        for channel in range(min(2, len(form.channels))):
            meant = ndimage.map_coordinates(decoded[..., channel], at, order=1, mode="nearest")
            assert np.abs(found[inside][:, channel] - meant).max() < 0.012, (key, channel)
    # Other pictures under the same shader are no reason to compile it again.
    assert bench.evaluate("linked") == 1
