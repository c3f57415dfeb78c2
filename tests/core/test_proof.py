"""Proofs: figures against scikit-image, colour-science and arithmetic by hand; rules that judge settings."""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path

import colour
import numpy as np
import pytest
from skimage.metrics import mean_squared_error, peak_signal_noise_ratio

from texelcore.building.execute import make_outputs
from texelcore.building.plan import Plan, PlannedOutput, plan_build
from texelcore.building.sources import in_folder
from texelcore.checks.ledger_rules import check_set
from texelcore.codecs.dds import read_dds
from texelcore.codecs.texture import decode
from texelcore.colour.delta_e import delta_e, linear_to_lab
from texelcore.colour.srgb import to_linear
from texelcore.evidence.facts import facts_of
from texelcore.normals.rebuild import angles_between, rebuild_z, unit_vectors
from texelcore.pixels.image import Image
from texelcore.pixels.read import read
from texelcore.pixels.values import as_values
from texelcore.proof.compare import difference, read_back
from texelcore.proof.prove import proof_key, prove
from texelcore.proof.tolerances import Tolerances, judge
from texelcore.sorting.sort import sort_files
from texelcore.surface.files import FileFacts
from texelcore.surface.ledger import Ledger
from texelcore.surface.storage import Storage
from texelcore.targets.library import find_target

# The first, the hue-dependent and the last pairs of table 1 of Sharma, Wu and Dalal 2005: L*a*b* twice, ΔE2000.
SHARMA = (
    ((50.0, 2.6772, -79.7751), (50.0, 0.0, -82.7485), 2.0425),
    ((50.0, -1.3802, -84.2814), (50.0, 0.0, -82.7485), 1.0000),
    ((50.0, 0.0, 0.0), (50.0, -1.0, 2.0), 2.3669),
    ((50.0, 2.49, -0.001), (50.0, -2.49, 0.0009), 7.1792),
    ((50.0, 2.49, -0.001), (50.0, -2.49, 0.0011), 7.2195),
    ((50.0, 2.5, 0.0), (73.0, 25.0, -18.0), 27.1492),
    ((2.0776, 0.0795, -1.1350), (0.9033, -0.0636, -0.5514), 0.9082),
)


def test_delta_e_agrees_with_the_published_pairs_and_with_colour_science() -> None:
    for first, second, expected in SHARMA:
        assert float(delta_e(np.array(first), np.array(second))) == pytest.approx(expected, abs=1e-4)
    rng = np.random.default_rng(5)
    first, second = rng.random((2, 4000, 3))
    reference = [
        colour.XYZ_to_Lab(colour.sRGB_to_XYZ(values), colour.CCS_ILLUMINANTS["CIE 1931 2 Degree Standard Observer"]["D65"])
        for values in (first, second)
    ]
    ours = [linear_to_lab(to_linear(first)), linear_to_lab(to_linear(second))]
    assert np.abs(ours[0] - reference[0]).max() < 0.05
    assert np.abs(delta_e(*reference) - colour.delta_E(*reference, method="CIE 2000")).max() < 1e-6


def test_angles_are_right_where_an_arc_cosine_is_not() -> None:
    tilt = np.radians([0.001, 1.0, 60.0, 180.0])
    up, tilted = np.array([0.0, 0.0, 1.0]), np.stack([np.sin(tilt), np.zeros(4), np.cos(tilt)], -1)
    assert angles_between(tilted, up) == pytest.approx([0.001, 1.0, 60.0, 180.0], rel=1e-6)
    assert rebuild_z(np.array([0.6, 1.0]), np.array([0.0, 0.8])) == pytest.approx([0.8, 0.0])
    assert unit_vectors(np.array([[[0.5, 0.5]]]))[0, 0] == pytest.approx([0, 0, 1])


class Prepared:
    """One set, planned for a target and built."""

    def __init__(self, folder: Path, target: str, ledger_change: Callable[[Ledger], Ledger] = lambda ledger: ledger) -> None:
        self.files: dict[str, FileFacts] = {}
        for path in sorted(path for path in folder.rglob("*") if path.is_file()):
            facts = facts_of(path, path.name)
            self.files[facts.id] = facts
        self.sources = in_folder(self.files, folder)
        self.ledger = ledger_change(sort_files(self.files.values()).ledgers[0])
        self.target = find_target(target)
        self.plan: Plan = plan_build(self.ledger, self.target, self.files)
        made = make_outputs(self.plan, self.sources, folder.parent / f"out-{target}")
        self.built: dict[str, Image] = {item.planned.key: read(item.path) for item in made}

    def output(self, key: str) -> PlannedOutput:
        return next(planned for planned in self.plan.outputs if planned.key == key)

    def rules(self) -> set[str]:
        return {finding.rule for finding in check_set(self.ledger, self.files, self.target, self.plan)}


@pytest.fixture
def stone(world: Path) -> Path:
    return world / "glasshouse-nine" / "lattice_pane"


def test_figures_agree_with_reference_libraries(stone: Path) -> None:
    prepared = Prepared(stone, "orbit-desktop")
    for key in ("colour", "normal", "packed"):
        planned, built = prepared.output(key), prepared.built[key]
        proved = prove(planned, built)
        after = as_values(decode(read_dds(proved.dds, "x"))) * 255
        figures = proved.figures
        assert figures.memory == len(proved.dds) - 148 and figures.storage == planned.storage
        if key == "colour":
            (measured,) = figures.colours
            assert measured.psnr == pytest.approx(
                peak_signal_noise_ratio(built.data[..., :3], after[..., :3].round().astype(np.uint8)), abs=1e-6
            )
            labs = [colour.XYZ_to_Lab(colour.sRGB_to_XYZ(data[..., :3] / 255)) for data in (built.data, after)]
            apart = colour.delta_E(*labs, method="CIE 2000")
            assert measured.delta_mean == pytest.approx(apart.mean(), abs=2e-3)
            assert measured.delta_p95 == pytest.approx(np.percentile(apart, 95), abs=5e-3)
            (alpha,) = figures.data
            assert alpha.mean == pytest.approx(np.abs(built.data[..., 3].astype(int) - after[..., 3]).mean())
        if key == "normal":
            xy = after / 255 * 2 - 1
            rebuilt = np.dstack([xy, np.sqrt(np.maximum(0, 1 - (xy**2).sum(-1)))])
            meant = built.data / 255 * 2 - 1
            cosine = (rebuilt * meant).sum(-1) / np.linalg.norm(rebuilt, axis=-1) / np.linalg.norm(meant, axis=-1)
            degrees = np.degrees(np.arccos(np.clip(cosine, -1, 1)))
            assert figures.normal and figures.normal.mean == pytest.approx(degrees.mean(), abs=1e-4)
            assert figures.normal.worst == pytest.approx(degrees.max(), abs=1e-3)
        if key == "packed":
            moved = np.abs(built.data.astype(int) - after[..., :3])
            assert [entry.mean for entry in figures.data] == pytest.approx(moved.mean((0, 1)))
            assert [entry.worst for entry in figures.data] == pytest.approx(moved.max((0, 1)))
        # The picture of the difference is black where nothing was lost; a normal loses its stored blue in any case.
        pair = read_back(planned, read_dds(proved.dds, "x"), built)
        assert difference(pair).shape == (*built.data.shape[:2], 1)
        assert difference(pair).max() > 0
        assert key == "normal" or difference(type(pair)(planned, built, built)).max() == 0


def test_every_level_is_measured_against_the_average_of_the_base(stone: Path) -> None:
    """Each level's figures equal the reference libraries', of what it should be by arithmetic of the base alone."""
    prepared = Prepared(stone, "orbit-desktop")
    for key in ("normal", "packed"):
        planned, built = prepared.output(key), prepared.built[key]
        proved = prove(planned, built)
        texture, edge = read_dds(proved.dds, "x"), built.width
        assert [entry.level for entry in proved.figures.each()] == list(range(len(texture.levels)))
        for entry in proved.figures.below:
            step = edge // entry.width
            base = built.data.reshape(entry.height, step, entry.width, step, -1).astype(float) / 255
            mean = base.mean((1, 3))
            after = as_values(decode(texture, entry.level)) * 255
            if key == "normal":
                vectors = (built.data / 255 * 2 - 1).reshape(entry.height, step, entry.width, step, 3).mean((1, 3))
                meant = vectors / np.linalg.norm(vectors, axis=-1, keepdims=True)
                xy = after / 255 * 2 - 1
                rebuilt = np.dstack([xy, np.sqrt(np.maximum(0, 1 - (xy**2).sum(-1)))])
                rebuilt /= np.linalg.norm(rebuilt, axis=-1, keepdims=True)
                degrees = np.degrees(np.arccos(np.clip((rebuilt * meant).sum(-1), -1, 1)))
                # The level that went into the blocks was rounded to 8 bits: a third of a degree at most.
                assert entry.normal and entry.normal.mean == pytest.approx(degrees.mean(), abs=0.35)
            else:
                rounded = np.floor(mean * 255 + 0.5)
                wrong = [mean_squared_error(rounded[..., at], after[..., at].astype(float)) for at in range(3)]
                assert [part.mean for part in entry.data] == pytest.approx(np.abs(rounded - after[..., :3]).mean((0, 1)), abs=0.1)
                assert all(part.worst**2 >= square - 1e-6 for part, square in zip(entry.data, wrong, strict=True))


def test_levels_of_colour_agree_with_colour_science(world: Path) -> None:
    """What a level should be is the mean of the base's light; how far it is, ΔE2000 by the reference."""
    prepared = Prepared(world / "glasshouse-nine" / "fern_planter", "orbit-desktop")
    planned, built = prepared.output("colour"), prepared.built["colour"]
    proved = prove(planned, built)
    texture = read_dds(proved.dds, "x")
    light = colour.cctf_decoding(built.data[..., :3] / 255, function="sRGB")
    for entry in proved.figures.below[:5]:
        step = built.width // entry.width
        mean = light.reshape(entry.height, step, entry.width, step, 3).mean((1, 3))
        meant = np.floor(colour.cctf_encoding(mean, function="sRGB") * 255 + 0.5) / 255
        labs = [colour.XYZ_to_Lab(colour.sRGB_to_XYZ(part)) for part in (meant, decode(texture, entry.level)[..., :3] / 255)]
        apart = colour.delta_E(*labs, method="CIE 2000")
        assert entry.colours[0].delta_mean == pytest.approx(apart.mean(), abs=0.02)


def test_the_worst_level_is_a_finding_that_says_which(stone: Path) -> None:
    prepared = Prepared(stone, "orbit-desktop")
    figures = prove(prepared.output("packed"), prepared.built["packed"]).figures
    levels = [entry for entry in figures.each() if min(entry.width, entry.height) >= 16]
    worst = max(levels, key=lambda level: level.data[2].mean)
    assert worst.level > 0
    limit = (worst.data[2].mean + figures.data[2].mean) / 2
    found = [entry for entry in judge(figures, Tolerances(data_mean=limit, data_worst=255), "x") if entry.property == "metallic"]
    assert [f"in mip {worst.level} ({worst.width} × {worst.height})" in entry.message for entry in found] == [True]


def test_a_lossless_format_loses_nothing_and_keys_follow_what_matters(stone: Path) -> None:
    plain = Storage(format="rgba8", srgb=True)
    prepared = Prepared(stone, "orbit-desktop", lambda ledger: ledger.with_storage("orbit-desktop", "colour", plain))
    planned = prepared.output("colour")
    figures = prove(planned, prepared.built["colour"]).figures
    assert figures.colours[0].psnr is None and figures.data[0].worst == 0
    assert list(judge(figures, Tolerances(), "x")) == []
    usual = Prepared(stone, "orbit-desktop").output("colour")
    assert proof_key(usual) != proof_key(planned) and usual.content_key == planned.content_key


def test_tolerances_turn_figures_into_findings(stone: Path) -> None:
    prepared = Prepared(stone, "orbit-desktop")
    figures = prove(prepared.output("normal"), prepared.built["normal"]).figures
    assert figures.normal
    strict = Tolerances(normal_mean=figures.normal.mean * 0.9, normal_p95=180)
    (finding,) = judge(figures, strict, "pane_n.png")
    assert (finding.subject, finding.stage, finding.property) == ("pane_n.png", "proved", "normal")
    assert f"{figures.normal.mean:.3g}°" in finding.message
    # A figure that is over by less than three digits show has the digit that decides.
    (close,) = judge(figures, Tolerances(normal_mean=figures.normal.mean * 0.9999, normal_p95=180), "pane_n.png")
    said, limit = re.findall(r"[\d.]+(?=°)", close.message)
    assert float(said) > float(limit)
    assert not list(judge(figures, Tolerances(normal_mean=180, normal_p95=180), "x"))


@pytest.mark.parametrize(
    ("output", "storage", "rule"),
    [
        ("packed", Storage(format="bc7", srgb=True), "data-flagged-srgb"),
        ("colour", Storage(format="bc7"), "colour-not-flagged"),
        ("normal", Storage(format="bc1"), "normal-in-colour-format"),
        ("colour", Storage(format="bc1", srgb=True), "alpha-dropped"),
        ("packed", Storage(format="bc5"), "channel-dropped"),
    ],
)
def test_settings_are_judged_against_meaning(stone: Path, output: str, storage: Storage, rule: str) -> None:
    assert rule not in Prepared(stone, "orbit-desktop").rules()
    assert rule in Prepared(stone, "orbit-desktop", lambda ledger: ledger.with_storage("orbit-desktop", output, storage)).rules()


def test_sizes_that_are_no_whole_blocks_are_found_and_still_proved(picture: Callable[..., Path], tmp_path: Path) -> None:
    for size in ((1, 1), (5, 3), (4096, 1)):
        folder = tmp_path / f"in{size[0]}"
        for name, channels in (("oak_albedo.png", 3), ("oak_normal_gl.png", 3), ("oak_ARM.png", 3), ("oak_height.png", 1)):
            made = picture(f"{folder.name}/{name}", (*size, channels), "uint16" if channels == 1 else "uint8")
            assert made.parent == folder
        prepared = Prepared(folder, "orbit-desktop")
        assert "size-not-multiple-of-four" in prepared.rules()
        for planned in prepared.plan.outputs:
            figures = prove(planned, prepared.built[planned.key]).figures
            assert (figures.height, figures.width) == size
