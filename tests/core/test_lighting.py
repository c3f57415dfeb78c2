"""Environments, the formulas of reflection, and lit pictures."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra import numpy as arrays

from texelcore.lighting.cubes import (
    from_shared_exponent,
    packed,
    sampled,
    shipped_bytes,
    shipped_cube,
    to_shared_exponent,
    unpacked,
)
from texelcore.lighting.environments import ENVIRONMENTS, Environment, directions, facing, painted, solid_angles
from texelcore.lighting.formulas import albedo_parts, distribution, half_vectors, reflected, visibility
from texelcore.lighting.lit import Lit, lit_picture, reflection, scattered, toned
from texelcore.materials.dressing.stage import coarse, coarsened, lit_surface, look_stamp, missed, plan_stage, stage_pixels
from texelcore.pixels.image import Image
from texelcore.surface.files import FileFacts
from texelcore.surface.ledger import Ledger, Row

UP = np.array([0.0, 0.0, 1.0])


def hemisphere(rows: int = 400) -> tuple[np.ndarray, float]:
    """Directions above a plane, (N, 3), and the solid angle of each: even in cosine and angle."""
    up = (np.arange(rows) + 0.5) / rows
    around = (np.arange(2 * rows) + 0.5) / (2 * rows) * 2 * np.pi
    cosine, angle = np.meshgrid(up, around)
    flat = np.sqrt(1 - cosine**2)
    along = np.stack([flat * np.cos(angle), flat * np.sin(angle), cosine], -1).reshape(-1, 3)
    return along, 2 * np.pi / len(along)


@pytest.mark.parametrize("roughness", [0.45, 0.7, 1.0])
def test_microfacets_cover_the_plane_that_they_stand_on(roughness: float) -> None:
    """Walter et al. 2007, equation 4: their area along the normal is 1. Half vectors are drawn as often as that says."""
    along, each = hemisphere()
    assert (distribution(along[:, 2], np.array(roughness)) * along[:, 2]).sum() * each == pytest.approx(1, abs=0.01)
    drawn = half_vectors(roughness, 4096)[:, 2]
    meant = (distribution(along[:, 2], np.array(roughness)) * along[:, 2] ** 2).sum() * each
    assert drawn.mean() == pytest.approx(meant, abs=0.01)


@pytest.mark.parametrize("roughness", [0.3, 0.6, 0.9])
@pytest.mark.parametrize("nv", [0.25, 0.6, 0.95])
def test_the_split_sum_is_the_integral_over_all_directions(roughness: float, nv: float) -> None:
    """Karis 2013: with F0 = 1 the two parts are what single reflections send back, summed here over every direction."""
    along, each = hemisphere()
    view = np.array([np.sqrt(1 - nv * nv), 0, nv])
    half = along + view
    half /= np.linalg.norm(half, axis=1, keepdims=True)
    rough = np.array(roughness)
    sent = distribution(half[:, 2], rough) * visibility(along[:, 2], np.full(len(along), nv), rough) * along[:, 2]
    assert albedo_parts(rough, np.array(nv)).sum() == pytest.approx(sent.sum() * each, abs=0.006)


@given(st.integers(0, 2**32 - 1), st.floats(0.1, 1), st.sampled_from([0.0, 1.0]))
def test_light_goes_both_ways_alike_and_none_is_made(seed: int, roughness: float, metallic: float) -> None:
    """Helmholtz: eye and lamp may change places. And no metal sends back more than came. (The appendix lays
    a dielectric's gloss over its body by the half vector alone: seen flat, that sends back up to a seventh too much.)"""
    random = np.random.default_rng(seed)
    first, second = random.normal(size=(2, 3)) + UP * 2
    first, second = (np.abs(way) / np.linalg.norm(way) for way in (first, second))
    base = random.random(3)
    values = [
        reflected(base, np.array(metallic), np.array(roughness), UP, view, light) / light[2]
        for view, light in ((first, second), (second, first))
    ]
    assert np.allclose(values[0], values[1], rtol=1e-9)
    if not metallic:
        return
    along, each = hemisphere(120)
    shape = (len(along), 3)
    parts = [np.broadcast_to(value, shape) for value in (base, UP, first)]
    ones = np.ones(len(along))
    total = reflected(parts[0], metallic * ones, max(roughness, 0.5) * ones, parts[1], parts[2], along).sum(0) * each
    assert (total < 1.01).all()


def unit(vectors: np.ndarray) -> np.ndarray:
    return np.asarray(vectors / np.linalg.norm(vectors, axis=-1, keepdims=True))


@pytest.mark.parametrize(("roughness", "place"), [(0.5, 0.135), (0.7, 0.12), (0.9, 0.085)])
def test_rough_metals_in_every_environment_are_the_sum_over_it(roughness: float, place: float) -> None:
    """One read of a prefiltered environment against the sum over every direction of it (glTF 2.0, appendix B.2), from eyes all
    around. `place` is how far they are apart in one place, on the mean of all four: with three's own turning a third more."""
    rng, height = np.random.default_rng(2), 40
    eyes = unit(np.array([[0.9, 0.0, 0.4], [-0.7, 0.35, 0.6], [0.2, 0.1, -1.0], [-0.4, 0.5, -0.7]]))
    normal = unit(rng.normal(size=(4, 60, 3)))
    seen = (normal * eyes[:, None]).sum(-1) > 0.2
    normal, view = normal[seen], np.broadcast_to(eyes[:, None], normal.shape)[seen]
    along, base = directions(height).reshape(-1, 3), np.full(3, 0.7)
    ones = np.ones(len(along))
    sent = np.stack(
        [
            reflected(np.tile(base, (len(along), 1)), ones, roughness * ones, up, eye, along)
            for up, eye in zip(normal, view, strict=True)
        ]
    )
    rough = np.full(len(normal), roughness)
    share = (albedo_parts(rough, (normal * view).sum(-1)) * [0.7, 1.0]).sum(-1)[..., None]
    apart = []
    for environment in ENVIRONMENTS:
        power = (
            painted(environment, 2 * height).reshape(height, 2, 2 * height, 2, 3).mean((1, 3)) * solid_angles(height)[..., None]
        )
        meant = np.einsum("ndc,dc->nc", sent, power.reshape(-1, 3))
        found = shipped_cube(environment.name).at(reflection(normal, view, rough), rough) * share
        assert abs(found.sum() / meant.sum() - 1) < 0.08, environment.name
        apart.append((np.abs(found - meant) / meant).mean())
    assert np.mean(apart) < place, apart


@pytest.mark.parametrize("roughness", [0.6, 0.8, 0.9])
def test_light_between_microfacets_is_the_series_of_its_bounces(roughness: float) -> None:
    """Kulla and Conty 2017 (from memory): what bounces on leaves as the average does, F E (1 − E) / (1 − F (1 − E)) of it."""
    nodes, weights = np.polynomial.legendre.leggauss(24)
    cosines = (nodes + 1) / 2
    share = albedo_parts(np.full(24, roughness), cosines).sum(-1)
    average = float((share * cosines * weights).sum())
    once, again = scattered(np.full((24, 1), 0.7), *np.moveaxis(albedo_parts(np.full(24, roughness), cosines), -1, 0)[..., None])
    bounced = 0.7 + 0.3 / 21
    series = bounced**2 * average / (1 - bounced * (1 - average)) * (1 - share)
    sent = (once + again)[:, 0] * cosines * weights
    assert sent.sum() == pytest.approx((once[:, 0] * cosines * weights).sum() + (series * cosines * weights).sum(), rel=0.02)


@given(arrays.arrays(np.float32, (20, 3), elements=st.floats(0, 60000, width=32)))
def test_shared_exponents_keep_eight_bits_of_the_brightest_colour(light: np.ndarray) -> None:
    """EXT_texture_shared_exponent: nine bits for the largest of three, so half of 1/256 of it at most."""
    found = from_shared_exponent(to_shared_exponent(light))
    largest = np.maximum(light.max(1, keepdims=True), 2.0**-15)
    assert (np.abs(found - light) <= largest / 512 * 1.001).all()


@pytest.mark.parametrize("environment", ENVIRONMENTS, ids=lambda entry: entry.name)
def test_a_shipped_environment_is_what_was_painted(environment: Environment) -> None:
    """Its sharpest level looks as the picture does, and its roughest is what a matt surface sends back (Lambert's cosine)."""
    picture, cube = painted(environment), shipped_cube(environment.name)
    assert solid_angles(picture.shape[0]).sum() * picture.shape[1] == pytest.approx(4 * np.pi, rel=1e-5)
    for towards in ((0.0, 0.0, 1.0), (0.0, 1.0, 0.0), (-1.0, 0.0, 0.0), (0.6, 0.0, -0.8)):
        assert cube.matt(np.array([towards], np.float32))[0] == pytest.approx(facing(picture, towards), rel=0.04)
    seen = sampled(cube.levels[0], directions(256)).reshape(32, 8, 64, 8, 3).mean((1, 3))
    means = picture.reshape(32, 16, 64, 16, 3).mean((1, 3))
    # Edges of windows and lamps fall between the two grids.
    assert np.abs(seen - means).mean() < 0.08 * means.mean()
    front = facing(picture, (0.0, 0.0, 1.0)).mean()
    key = environment.key
    lamp = key.towards[2] * np.mean(key.colour) if key else 0.0
    assert front + lamp == pytest.approx(environment.level, rel=0.01)


def test_an_environment_comes_back_from_its_file_and_nothing_else_does() -> None:
    data = shipped_bytes("overcast")
    again = packed(list(unpacked(data).levels))
    assert unpacked(again).levels[2] == pytest.approx(unpacked(data).levels[2])
    import gzip

    with pytest.raises(ValueError, match="no environment"):
        unpacked(gzip.compress(b"1234" * 10))


def test_tone_is_straight_below_the_shoulder_and_never_full() -> None:
    """Khronos PBR Neutral: what is below 0.8 keeps its ratios, less the toe that stands for a dielectric's reflection."""
    grey = np.array([[0.18, 0.18, 0.18], [0.5, 0.5, 0.5]])
    assert toned(grey) == pytest.approx(grey - 0.04)
    bright = toned(np.array([[1.0, 1.0, 1.0], [8.0, 8.0, 8.0], [900.0, 0.0, 0.0]]))
    assert (bright <= 1).all() and 0.76 < bright[0, 0] < bright[1, 0] < 1
    assert toned(np.array([[0.0, 0.04, 0.4]])).min() >= 0


WORKSHOP = Lit(shipped_cube("workshop"))


def plain(**values: float) -> dict[str, np.ndarray]:
    return {key: np.full((1, 1, 1), value) for key, value in values.items()}


def test_a_lit_picture_tells_surfaces_apart() -> None:
    colour = np.full((1, 1, 3), 0.15)
    matt, shiny, metal = (
        lit_picture({"base_colour": colour, **plain(**values)}, WORKSHOP, "sphere", 32).astype(float)
        for values in ({"roughness": 1.0}, {"roughness": 0.1}, {"roughness": 0.2, "metallic": 1.0})
    )
    assert matt[0, 0, 3] == 0 and matt[16, 16, 3] == 255
    inside = matt[..., 3] == 255
    # A highlight is brighter than anything matt; metal has less middle and more ends.
    assert shiny[inside][:, :3].max() > matt[inside][:, :3].max() + 15
    assert metal[inside][:, 1].std() > matt[inside][:, 1].std() * 1.3
    glow = lit_picture({"emissive": np.ones((1, 1, 3))}, WORKSHOP, "sphere", 32)
    assert glow[16, 16, :3].min() > 200


def test_relief_is_lit_from_the_side_that_light_comes_from() -> None:
    """The workshop's windows are on the left: what leans left is brighter, and turned green changes nothing of that."""
    left = np.array([[[-0.6, 0.0, 0.8]]])
    right = left * [-1, 1, 1]
    pictures = [lit_picture({"normal": way}, WORKSHOP, "tile", 16)[..., :3].mean() for way in (left, right)]
    assert pictures[0] > pictures[1] + 20


def test_what_is_clear_shows_squares() -> None:
    clear = lit_picture(plain(opacity=0.0), WORKSHOP, "tile", 64)
    assert len(np.unique(clear[4::8, 4::8, 0])) == 2 and (clear[..., 3] == 255).all()


def facts(key: str, size: int, channels: tuple[str, ...] = ("R", "G", "B")) -> FileFacts:
    return FileFacts.model_validate(
        {"id": key, "path": f"{key}.png", "sha256": key * 64, "bytes": 1, "format": "png", "width": size, "height": size}
        | {"channels": channels, "sample": "u8"}
    )


def test_a_set_is_staged_by_what_it_means() -> None:
    """Gloss, −Y and packed channels arrive on the stage as roughness, +Y, and each for itself; what lacks is said."""
    files = {"a": facts("a", 2048), "b": facts("b", 2048)}
    rows = (
        Row(property="normal", file="a", channels=("R", "G", "B"), normal_y="-Y", encoding="linear", sure="by hand", why=""),
        Row(property="roughness", file="b", channels=("G",), inverted=True, encoding="linear", sure="by hand", why=""),
    )
    ledger = Ledger(name="wall", rows=rows)
    planned = plan_stage(ledger, coarse(files))
    assert [entry.key for entry in planned] == ["normal", "data"] and missed(planned) == ("base_colour",)
    assert all(max(entry.width, entry.height) <= 512 for entry in planned)
    pixels = np.full((2048, 2048, 3), 64, np.uint8)
    images = {key: coarsened(Image(pixels, ("R", "G", "B"))) for key in files}
    pictures = {entry.key: stage_pixels(entry, images) for entry in planned}
    assert (pictures["normal"][..., 1] == 191).all() and (pictures["data"][..., 1] == 191).all()
    assert lit_surface(pictures, "sphere", 24).shape == (24, 24, 4)
    # A mask of a set that is no surface is seen as light that is sent back; on a surface it is none of its colour.
    masked = pictures | {"mask_r": np.zeros((512, 512, 1), np.uint8)}
    own, other = (lit_surface(masked, "sphere", 24, surface)[12, 12, :3].max() for surface in (False, True))
    assert own < other / 2 and other == lit_surface(pictures, "sphere", 24)[12, 12, :3].max()
    turned = ledger.model_copy(update={"rows": (rows[0].model_copy(update={"normal_y": "+Y"}), rows[1])})
    assert look_stamp(ledger, files) != look_stamp(turned, files)
