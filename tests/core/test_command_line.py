"""The command line, run whole: exit codes, JSON, and that one bad file stops one file."""

from __future__ import annotations

import json
import os
import pty
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PIL import Image as Pillow

from tests.core.commands import fairtexel
from texelcore.naming.rules import HouseRules
from texelcore.project.document import ProjectDocument
from texelcore.targets.library import shipped

Maker = Callable[..., Path]


@pytest.fixture
def oak(picture: Maker, tmp_path: Path) -> Path:
    picture("in/oak_albedo.png")
    picture("in/oak_ARM.png", seed=2)
    picture("in/deep/elm_albedo.png", seed=3)
    picture("in/what is this.png", seed=4)
    (tmp_path / "in" / "notes.txt").write_text("passed over")
    return tmp_path / "in"


def test_sort_says_sets_and_what_is_open(oak: Path) -> None:
    done = fairtexel("sort", oak, "--json")
    assert done.returncode == 0 and done.stderr == ""
    report = json.loads(done.stdout)
    assert [ledger["name"] for ledger in report["sets"]] == ["elm", "oak"]
    assert report["open"][0]["file"] == "what is this.png"
    assert report["passed_over"] == ["notes.txt"]
    plain = fairtexel("sort", oak)
    assert "“ARM” puts occlusion in R." in plain.stdout and "what is this.png" in plain.stdout


def test_build_writes_outputs_and_manifest(oak: Path, tmp_path: Path) -> None:
    done = fairtexel("build", oak, "--target", "orbit-desktop", "--out", tmp_path / "out", "--json")
    assert done.returncode == 0, done.stderr
    assert {path.name for path in (tmp_path / "out" / "oak").iterdir()} == {"oak_c.png", "oak_orm.png", "oak.manifest.json"}
    assert {result["set"] for result in json.loads(done.stdout)["builds"]} == {"oak", "elm"}


def test_a_project_of_several_targets_is_built_delivered_and_checked_for_each(tmp_path: Path) -> None:
    oak = tmp_path / "calm"
    oak.mkdir()
    for name, colour in (("oak_albedo", (120, 90, 60)), ("oak_ARM", (250, 140, 0))):
        Pillow.new("RGB", (16, 16), colour).save(oak / f"{name}.png")
    known = shipped()
    document = ProjectDocument(
        title="Weir",
        code="we",
        target="orbit-desktop",
        all_sets=("orbit-desktop", "pocket-mill"),
        rules=HouseRules(),
        targets=(known["orbit-desktop"], known["pocket-mill"]),
    )
    file = tmp_path / "weir.json"
    file.write_text(document.to_json())
    out = tmp_path / "out"
    done = fairtexel("build", oak, "--project-document", file, "--out", out, "--json")
    assert done.returncode == 0, done.stderr
    assert json.loads(done.stdout)["target"] == "orbit-desktop pocket-mill"
    assert {path.name for path in (out / "oak").iterdir()} == {"orbit-desktop", "pocket-mill"}
    for target in ("orbit-desktop", "pocket-mill"):
        alone = fairtexel("build", oak, "--target", target, "--project", "we", "--out", tmp_path / target)
        assert alone.returncode == 0, alone.stderr
        made = {path.name: path.read_bytes() for path in (out / "oak" / target).glob("*.png")}
        assert made and made == {path.name: path.read_bytes() for path in (tmp_path / target / "oak").glob("*.png")}
    # One delivery for each, and one alone where it is named.
    sent = fairtexel("deliver", oak, "--project-document", file, "--out", tmp_path / "sent", "--json")
    assert sent.returncode == 0, sent.stderr + sent.stdout
    assert [entry["target"] for entry in json.loads(sent.stdout)["deliveries"]] == ["orbit-desktop", "pocket-mill"]
    assert fairtexel("dock", tmp_path / "sent" / "pocket-mill", "--target", "pocket-mill").returncode == 0
    one = fairtexel("deliver", oak, "--project-document", file, "--target", "pocket-mill", "--out", tmp_path / "one", "--json")
    assert one.returncode == 0 and json.loads(one.stdout)["target"] == "pocket-mill"
    said = json.loads(fairtexel("check", oak, "--project-document", file, "--fail-on", "error", "--json").stdout)
    found = [(entry["name"], finding["message"]) for entry in said for finding in entry["findings"] if entry["group"] == "oak"]
    assert found and len(found) == len(set(found))


def test_errors_found_exit_with_1_and_good_outputs_are_still_written(picture: Maker, tmp_path: Path) -> None:
    picture("in/oak_roughness.png", (16, 16, 1))
    picture("in/oak_normal_gl.png")
    done = fairtexel("build", tmp_path / "in", "--target", "orbit-desktop", "--out", tmp_path / "out")
    assert done.returncode == 1
    assert "Base colour is missing" in done.stdout
    assert (tmp_path / "out" / "oak" / "oak_n.png").is_file()


def test_one_unreadable_file_stops_one_file_and_exits_with_2(oak: Path, tmp_path: Path) -> None:
    (oak / "ash_albedo.png").write_text("words")
    done = fairtexel("build", oak, "--target", "orbit-desktop", "--out", tmp_path / "out")
    assert done.returncode == 2
    assert "ash_albedo.png" in done.stderr and "Export it as" in done.stderr
    assert (tmp_path / "out" / "oak" / "oak_c.png").is_file()


@pytest.mark.parametrize(
    ("arguments", "said"),
    [
        (["build", "{in}", "--target", "nowhere", "--out", "{tmp}/o"], "Known targets: gltf-2@1, ground-layers@1"),
        (["build", "{in}", "--target", "orbit-desktop", "--out", "{in}/o"], "lies inside the folder of sources"),
        (["sort", "{tmp}/absent"], "is not a folder"),
        (["sort", "{tmp}/empty"], "holds no texture maps"),
        (["paint", "{in}"], "invalid choice"),
        (["pack", "R={in}/oak_albedo.png", "--out", "{tmp}/p.png"], "Say R=FILE G=FILE B=FILE"),
    ],
)
def test_wrong_usage_exits_with_2_and_says_the_way_out(oak: Path, tmp_path: Path, arguments: list[str], said: str) -> None:
    (tmp_path / "empty").mkdir()
    filled = [text.replace("{in}", str(oak)).replace("{tmp}", str(tmp_path)) for text in arguments]
    done = fairtexel(*filled)
    assert done.returncode == 2
    assert said in done.stderr


def test_pack_puts_maps_into_channels(picture: Maker, tmp_path: Path) -> None:
    grey = [picture(f"{name}.png", (12, 20, 1), seed=seed) for seed, name in enumerate("abc")]
    colour = picture("colour.png", (12, 20, 3), seed=9)
    out = tmp_path / "packed.png"
    done = fairtexel("pack", f"R={grey[0]}", f"G={grey[1]}", f"B={grey[2]}", f"A={colour}:G", "--out", out)
    assert done.returncode == 0, done.stderr
    want = [np.asarray(Pillow.open(path)) for path in grey] + [np.asarray(Pillow.open(colour))[:, :, 1]]
    np.testing.assert_array_equal(np.asarray(Pillow.open(out)), np.stack(want, -1))


@pytest.mark.parametrize(
    ("channels", "out", "said"),
    [
        (["R={a}", "G={a}", "B={small}"], "p.png", "8 × 8 u8, but a.png is 12 × 20 u8"),
        (["R={a}", "G={a}", "B={deep}"], "p.png", "u16, but a.png is 12 × 20 u8"),
        (["R={a}:B", "G={a}", "B={a}"], "p.png", "has no channel B"),
        (["R={a}", "G={a}", "B={a}"], "p.exr", "cannot store u8"),
        (["R={a}", "G={a}", "B={a}"], "p.gif", "Known endings"),
        (["R={a}", "R={a}", "G={a}", "B={a}"], "p.png", "once each"),
        (["R={a}", "G={a}", "B=nowhere.png"], "p.png", "with an existing file"),
        (["R={a}", "G={a}", "B={words}"], "p.png", "words.png is not a picture"),
    ],
)
def test_pack_refuses_what_does_not_fit_and_writes_nothing(
    picture: Maker, tmp_path: Path, channels: list[str], out: str, said: str
) -> None:
    words = tmp_path / "words.png"
    words.write_text("words")
    files = {
        "a": picture("a.png", (20, 12, 1)),
        "small": picture("small.png", (8, 8, 1)),
        "deep": picture("deep.png", (20, 12, 1), "uint16"),
        "words": words,
    }
    filled = [text.format(**files) for text in channels]
    done = fairtexel("pack", *filled, "--out", tmp_path / out)
    assert done.returncode == 2 and said in done.stderr, done.stderr
    assert not (tmp_path / out).exists()


def test_progress_shows_on_a_terminal_only(oak: Path) -> None:
    ours, theirs = pty.openpty()
    command = [sys.executable, "-m", "texelcli", "sort", str(oak)]
    with subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=theirs) as process:
        process.wait()
    os.close(theirs)
    assert "100%" in os.read(ours, 65536).decode()
    os.close(ours)


def test_a_second_build_touches_only_what_changed(oak: Path, picture: Maker, tmp_path: Path) -> None:
    def build() -> tuple[dict[str, int], dict[str, bytes]]:
        done = fairtexel("build", oak, "--target", "orbit-desktop", "--out", tmp_path / "out", "--json")
        assert done.returncode == 0, done.stderr
        unchanged = {result["set"]: result["unchanged"] for result in json.loads(done.stdout)["builds"]}
        return unchanged, {path.name: path.read_bytes() for path in (tmp_path / "out").rglob("*.*") if path.suffix != ".json"}

    first, made = build()
    assert set(first.values()) == {0}
    assert build() == ({"oak": 2, "elm": 2}, made)
    picture("in/oak_ARM.png", seed=77)
    (tmp_path / "out" / "elm" / "elm_c.png").write_bytes(b"scribbled over")
    second, again = build()
    assert second == {"oak": 1, "elm": 1}
    assert {name for name in made if made[name] != again[name]} == {"oak_orm.png"}
    (tmp_path / "out" / ".fairtexel-build.json").write_text("{}")
    assert build() == ({"oak": 0, "elm": 0}, again)
