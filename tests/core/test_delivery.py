"""Deliveries and the dock: the whole way by one command, and what the dock catches."""

from __future__ import annotations

import contextlib
import hashlib
import json
import resource
import shutil
import signal
import zipfile
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import jsonschema
import numpy as np
import pytest

from tests.core.commands import fairtexel
from texelcore.codecs.dds import read_dds, write_dds
from texelcore.codecs.texture import decode, encode
from texelcore.delivery.dock import ask_dock
from texelcore.delivery.documents import DeliveryManifest
from texelcore.delivery.package import zip_delivery
from texelcore.pixels.errors import TexelError
from texelcore.pixels.image import Image
from texelcore.pixels.strips import of_image
from texelcore.pixels.values import as_stored, as_values
from texelcore.pixels.write import write
from texelcore.surface.storage import Storage
from texelcore.targets.library import find_target

ROOT = Path(__file__).resolve().parents[2]


@pytest.fixture(scope="module", params=(pytest.param("millrace-handheld", marks=pytest.mark.soak), "orbit-desktop"))
def delivered(request: pytest.FixtureRequest, world: Path, tmp_path_factory: pytest.TempPathFactory) -> tuple[str, Path, Any]:
    """The whole demo world of one project, delivered for a target by one command."""
    out = tmp_path_factory.mktemp("delivered") / request.param
    done = fairtexel("deliver", world / "glasshouse-nine", "--target", request.param, "--out", out, "--project", "gn", "--json")
    assert done.stderr == ""
    return request.param, out, json.loads(done.stdout)


@contextlib.contextmanager
def files_of_at_most(limit: int) -> Iterator[None]:
    before = resource.getrlimit(resource.RLIMIT_FSIZE)
    ignored = signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
    resource.setrlimit(resource.RLIMIT_FSIZE, (limit, before[1]))
    try:
        yield
    finally:
        resource.setrlimit(resource.RLIMIT_FSIZE, before)
        signal.signal(signal.SIGXFSZ, ignored)


def folder_bytes(folder: Path) -> dict[str, bytes]:
    return {path.relative_to(folder).as_posix(): path.read_bytes() for path in sorted(folder.rglob("*")) if path.is_file()}


def test_every_demo_set_goes_the_whole_way(delivered: tuple[str, Path, Any], world: Path, tmp_path: Path) -> None:
    target, out, report = delivered
    assert report["receipt"]["holds"] and len(report["sets"]) == 6
    assert {entry["property"] for entry in report["receipt"]["properties"]} >= {
        "base_colour",
        "normal",
        "opacity",
        "emissive",
        "height",
    }
    manifest = DeliveryManifest.model_validate_json((out / "delivery.json").read_text())
    assert {file.file for file in manifest.files()} | {"delivery.json"} == set(folder_bytes(out))
    assert len(manifest.variants) == 6 and all(variant.textures["colour map"] for variant in manifest.variants)
    other = tmp_path / "tidewheel"
    done = fairtexel("deliver", world / "tidewheel", "--target", target, "--out", other, "--zip", tmp_path / "t.zip")
    assert "holds" in done.stdout and "✕" not in done.stdout.split("Receipt")[1]
    with zipfile.ZipFile(tmp_path / "t.zip") as archive:
        assert {name: archive.read(name) for name in archive.namelist()} == folder_bytes(other)


def test_the_same_inputs_give_the_same_bytes_and_the_schema_is_published(
    delivered: tuple[str, Path, Any], world: Path, tmp_path: Path
) -> None:
    target, out, _ = delivered
    again = tmp_path / "again"
    moved = shutil.copytree(world / "glasshouse-nine", tmp_path / "elsewhere")
    fairtexel("deliver", moved, "--target", target, "--out", again, "--project", "gn")
    assert folder_bytes(again) == folder_bytes(out)
    zips = [tmp_path / "one.zip", tmp_path / "two.zip"]
    for folder, place in zip((out, again), zips, strict=True):
        zip_delivery(folder, place)
    assert zips[0].read_bytes() == zips[1].read_bytes()
    published = json.loads((ROOT / "docs/schemas/delivery.schema.json").read_text())
    jsonschema.validate(json.loads((out / "delivery.json").read_text()), published)


@pytest.fixture
def copy(delivered: tuple[str, Path, Any], tmp_path: Path) -> Callable[..., tuple[Path, Any]]:
    """A copy of the delivery in which one texture is made anew, with a manifest that knows nothing of it but the hash."""
    target, out, _ = delivered

    def change(set_code: str, key: str, edit: Callable[[np.ndarray], np.ndarray], srgb: bool | None = None) -> tuple[Path, Any]:
        folder = shutil.copytree(out, tmp_path / "changed", dirs_exist_ok=True)
        manifest = json.loads((folder / "delivery.json").read_text())
        entry = next(entry for entry in manifest["sets"] if entry["code"] == set_code)
        output = next(output for output in entry["outputs"] if output["key"] == key)
        path = folder / output["file"]["file"]
        old = read_dds(path.read_bytes(), path.name)
        flag = old.srgb if srgb is None else srgb
        stored = edit(as_stored(as_values(decode(old)), "u8"))
        names = tuple("RGBA"[: stored.shape[2]]) if stored.shape[2] != 2 else ("R", "G")
        kinds = ("linear",) * stored.shape[2]
        data = write_dds(encode(Image(np.ascontiguousarray(stored), names), Storage(format=old.format, srgb=flag), kinds))
        path.write_bytes(data)
        output["file"] |= {"bytes": len(data), "sha256": hashlib.sha256(data).hexdigest()}
        (folder / "delivery.json").write_text(json.dumps(manifest))
        return folder, find_target(target)

    return change


def flipped(stored: np.ndarray) -> np.ndarray:
    turned = stored.copy()
    turned[..., 1] = 255 - turned[..., 1]
    return turned


@pytest.mark.parametrize("code", ["t_vault_door", "fern_planter", "t_lattice_pane"])
def test_a_flipped_normal_map_is_caught(copy: Callable[..., tuple[Path, Any]], code: str) -> None:
    receipt = ask_dock(*copy(code, "normal", flipped))
    (entry,) = [prop for prop in receipt.properties if not prop.holds]
    assert (entry.set, entry.property, entry.reading) == (code, "normal", "with green turned over")
    assert not receipt.holds and any("green turned over" in finding.message for finding in receipt.findings)


def test_a_wrong_flag_and_a_forgotten_inversion_are_caught(
    copy: Callable[..., tuple[Path, Any]], delivered: tuple[str, Path, Any]
) -> None:
    packed = {"orbit-desktop": "packed", "millrace-handheld": "metal_smooth"}[delivered[0]]
    folder, target = copy("fern_planter", packed, lambda stored: stored, True)
    receipt = ask_dock(folder, target)
    assert not receipt.holds
    assert any("flagged sRGB: it would be decoded though it is data" in finding.message for finding in receipt.findings)
    if target.name == "orbit-desktop":
        assert {prop.reading for prop in receipt.properties if prop.property == "roughness" and not prop.holds} == {
            "without the sRGB flag"
        }
    else:
        gloss = copy(
            "fern_planter",
            "metal_smooth",
            lambda stored: np.dstack([stored[..., :3], 255 - stored[..., 3]]),
            False,
        )
        wrong = [prop for prop in ask_dock(*gloss).properties if not prop.holds]
        assert [(prop.property, prop.reading) for prop in wrong] == [("roughness", "inverted")]


def test_a_file_changed_after_writing_is_named(delivered: tuple[str, Path, Any], tmp_path: Path) -> None:
    target, out, _ = delivered
    folder = shutil.copytree(out, tmp_path / "changed")
    victim = sorted(folder.rglob("*_door_*.dds"))[0]
    data = bytearray(victim.read_bytes())
    data[-1] ^= 1
    victim.write_bytes(data)
    (folder / "stray.txt").write_text("not ours")
    next(folder.rglob("*.variant.json")).unlink()
    done = fairtexel("dock", folder, "--target", target, "--json")
    assert done.returncode == 1
    said = {finding["subject"]: finding["message"] for finding in json.loads(done.stdout)["findings"]}
    assert "changed after it was delivered" in said[victim.relative_to(folder).as_posix()]
    assert "not in the manifest" in said["stray.txt"] and any("is missing" in message for message in said.values())
    other = next(name for name in ("millrace-handheld", "orbit-desktop") if name != target)
    wrong = fairtexel("dock", out, "--target", other)
    assert wrong.returncode == 1 and "was made for" in wrong.stdout
    manifest = json.loads((folder / "delivery.json").read_text())
    probes = manifest["sets"][0]["probes"]
    (folder / probes["file"]).write_text("[]")
    probes |= {"bytes": 2, "sha256": hashlib.sha256(b"[]").hexdigest()}
    (folder / "delivery.json").write_text(json.dumps(manifest))
    assert "no document of probes" in fairtexel("dock", folder, "--target", target).stdout
    (folder / "delivery.json").write_text("{}")
    damaged = fairtexel("dock", folder, "--target", target)
    assert damaged.returncode == 1 and "delivery.json is damaged" in damaged.stdout
    (folder / "delivery.json").unlink()
    assert fairtexel("dock", folder, "--target", target).returncode == 2


def test_a_set_without_a_normal_map_is_delivered_without_one(world: Path, tmp_path: Path) -> None:
    folder = shutil.copytree(world / "glasshouse-nine" / "vault_door", tmp_path / "in")
    (folder / "T_VaultDoor_N_DX.tga").unlink()
    done = fairtexel("deliver", folder, "--target", "orbit-desktop", "--out", tmp_path / "out")
    assert done.returncode == 0, done.stdout + done.stderr
    (variant,) = json.loads((tmp_path / "out/delivery.json").read_text())["variants"]
    assert variant["textures"]["normal map"] is None and variant["textures"]["roughness map"] == "packed.g"


def test_odd_sizes_go_the_whole_way(tmp_path: Path) -> None:
    for name, (height, width) in {"one": (1, 1), "odd": (5, 3), "tall": (4096, 1)}.items():
        slope = np.linspace(60, 200, height)[:, None, None] + np.zeros((height, width, 3))
        for kind, data in (("albedo", slope), ("normal_gl", slope * 0 + [128, 128, 255]), ("ORM", slope * [1.2, 1, 0])):
            write(of_image(Image.of(data.astype(np.uint8))), "png", "linear", made(tmp_path / "in" / name / f"{name}_{kind}.png"))
    for target in ("millrace-handheld", "orbit-desktop"):
        done = fairtexel("deliver", tmp_path / "in", "--target", target, "--out", tmp_path / target, "--json")
        report = json.loads(done.stdout)
        assert done.returncode == 1 and report["receipt"]["holds"], done.stderr
        assert {finding["rule"] for finding in report["findings"] if finding["severity"] == "error"} == {
            "size-not-multiple-of-four"
        }
        assert {(entry["width"], entry["height"]) for entry in report["receipt"]["read"]} == {(1, 1), (3, 5), (1, 4096)}


def made(path: Path) -> Path:
    path.parent.mkdir(parents=True, exist_ok=True)
    return path


def test_a_full_disk_leaves_the_older_delivery_as_it_was(world: Path, tmp_path: Path) -> None:
    asked = ("deliver", world / "glasshouse-nine" / "vault_door", "--target", "orbit-desktop", "--out", tmp_path / "out")
    assert fairtexel(*asked).returncode == 0
    before = folder_bytes(tmp_path / "out")
    textures = [len(data) for name, data in before.items() if name.endswith(".dds")]
    # The kernel refuses every file beyond a limit, as a full disk would: at once, and when the textures are already written.
    for limit in (min(textures) // 2, max(len(data) for data in before.values()) - 1):
        with files_of_at_most(limit):
            done = fairtexel(*asked)
        assert done.returncode == 2 and "could not be written" in done.stderr, done.stderr
        assert folder_bytes(tmp_path / "out") == before
        assert [path.name for path in tmp_path.iterdir()] == ["out"]
    (tmp_path / "mine").mkdir()
    (tmp_path / "mine" / "thesis.txt").write_text("years of work")
    refused = fairtexel(*asked[:-1], tmp_path / "mine")
    assert refused.returncode == 2 and "not an earlier delivery" in refused.stderr
    assert (tmp_path / "mine" / "thesis.txt").read_text() == "years of work"


def test_a_target_document_of_ones_own_is_read_and_a_bad_one_refused(picture: Callable[..., Path], tmp_path: Path) -> None:
    picture("in/oak_albedo.png")
    picture("in/oak_normal_gl.png", seed=4)
    document = json.loads(find_target("orbit-desktop").model_dump_json())
    (tmp_path / "own.json").write_text(json.dumps(document | {"normal_y": "-Y"}))
    fairtexel("deliver", tmp_path / "in", "--target", tmp_path / "own.json", "--out", tmp_path / "out")
    # Delivered for −Y by mistake: the true target's importer sees it in the vectors.
    receipt = ask_dock(tmp_path / "out", find_target("orbit-desktop"))
    assert [prop.reading for prop in receipt.properties if prop.property == "normal"] == ["with green turned over"]
    (tmp_path / "bad.json").write_text(json.dumps(document | {"normal_y": "up"}))
    with pytest.raises(TexelError, match=r"bad\.json.*normal_y"):
        from texelcore.targets.library import read_target

        read_target(tmp_path / "bad.json")


def test_a_dock_that_is_killed_says_so(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    killer = tmp_path / "python"
    killer.write_text("#!/bin/sh\nkill -9 $$\n")
    killer.chmod(0o755)
    monkeypatch.setattr("sys.executable", str(killer))
    with pytest.raises(TexelError, match=r"was ended while it read the delivery \(signal 9\)"):
        ask_dock(tmp_path, find_target("orbit-desktop"))
