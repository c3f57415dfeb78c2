"""Three hundred spoiled files, through the upload and through the command line: each is taken or refused by name."""

from __future__ import annotations

import io
import json
import resource
import subprocess
import sys
import zipfile
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image as Pillow

from tests.mutants import mutants, whole_files
from tests.web.conftest import Caller, run_queued, zip_of
from texelcore.pixels.image import Image
from texelcore.pixels.read import read
from texelcore.pixels.strips import of_image
from texelcore.pixels.write import write
from texelweb.builds.models import Output
from texelweb.sets.models import SourceFile, TextureSet
from texelweb.storage.blobs import local_file

EACH = 30


def test_three_hundred_spoiled_files_are_taken_or_refused_by_name(artist: Caller, tmp_path: Path) -> None:
    spoiled = dict(mutants(tmp_path, EACH))
    good = whole_files(tmp_path)
    assert len(spoiled) == 300
    report = artist.send("weir", {"all.zip": zip_of({f"all/{name}": body for name, body in (spoiled | good).items()})})
    outcomes = {item["path"].rpartition("/")[2]: item for item in report["items"] if item["path"] != "all.zip"}
    assert set(outcomes) == set(spoiled) | set(good)
    assert {outcomes[name]["outcome"] for name in good} == {"accepted"}
    assert {item["outcome"] for item in outcomes.values()} <= {"accepted", "refused", "known"}
    refused = {name for name, item in outcomes.items() if item["outcome"] == "refused"}
    assert all(outcomes[name]["problem"] and outcomes[name]["way_out"] for name in refused)
    assert len(refused) > 150
    assert SourceFile.objects.count() == len(outcomes) - len(refused)
    # Kilobytes: the process that takes in what its helpers decoded.
    assert resource.getrusage(resource.RUSAGE_SELF).ru_maxrss < 1024**2
    assert _by_command_line(tmp_path, spoiled | good) == refused


def _by_command_line(tmp_path: Path, files: dict[str, bytes]) -> set[str]:
    """The names that the command line refuses."""
    folder = tmp_path / "all"
    folder.mkdir()
    for name, body in files.items():
        (folder / name).write_bytes(body)
    command = [sys.executable, "-m", "texelcli", "sort", str(folder), "--json"]
    done = subprocess.run(command, capture_output=True, text=True, check=False)
    assert done.returncode == 2 and "Traceback" not in done.stderr, done.stderr
    answer: Any = json.loads(done.stdout)
    return {entry["file"].rpartition("/")[2] for entry in answer["unreadable"]}


def test_floats_that_are_no_numbers_are_taken_named_and_built_as_defined(artist: Caller, tmp_path: Path) -> None:
    glow = np.full((8, 8, 3), 0.5, np.float32)
    glow[0, 0], glow[0, 1], glow[0, 2], glow[0, 3] = np.nan, np.inf, -np.inf, 1e38
    write(of_image(Image.of(glow)), "exr", "linear", tmp_path / "glow.exr")
    report = artist.send(
        "weir", {"oak/oak_emissive.exr": (tmp_path / "glow.exr").read_bytes(), "oak/oak_albedo.png": dot((9, 9, 9), 8)}
    )
    assert {item["outcome"] for item in report["items"]} == {"accepted"}
    oak = TextureSet.objects.get()
    found = {finding["rule"]: finding for finding in artist.get(f"/sets/{oak.pk}")["findings"]}
    assert "9 of 192 samples are no numbers" in found["samples-no-numbers"]["message"]
    assert "3 of 192 samples lie beyond" in found["samples-too-large"]["message"]
    artist.ask("POST", f"/sets/{oak.pk}/builds", {"target": "millrace-handheld"})
    run_queued()
    output = next(entry for entry in Output.objects.all() if entry.sample == "f16")
    with local_file(output.blob.place) as path:
        built = read(path, output.file_name).data
    assert built[0, :4, 0].tolist() == [0.0, 65504.0, -65504.0, 65504.0] and (built[1:] == 0.5).all()


def dot(colour: tuple[int, int, int], edge: int = 1) -> bytes:
    file = io.BytesIO()
    Pillow.new("RGB", (edge, edge), colour).save(file, "PNG")
    return file.getvalue()


def test_a_picture_of_one_texel_is_a_picture(artist: Caller) -> None:
    (item,) = artist.send("weir", {"oak/oak_albedo.png": dot((200, 90, 3))})["items"]
    assert item["outcome"] == "accepted", item["problem"]


def test_a_damaged_entry_of_any_packing_stops_itself_alone(artist: Caller) -> None:
    for method in (zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED, zipfile.ZIP_BZIP2, zipfile.ZIP_LZMA):
        file = io.BytesIO()
        with zipfile.ZipFile(file, "w", method) as archive:
            archive.writestr("a/bad_albedo.png", dot((1, method, 3), 40))
            archive.writestr("a/good_albedo.png", dot((2, method, 3), 40))
        body = bytearray(file.getvalue())
        first = body.index(b"bad_albedo.png") + len("bad_albedo.png")
        body[first + 30 : first + 60] = bytes(30)
        report = artist.send("weir", {f"{method}.zip": bytes(body)})
        outcomes = {
            item["path"].rpartition("_")[0][-4:]: item["outcome"] for item in report["items"] if item["path"].endswith("png")
        }
        assert outcomes["/bad"] == "refused" and outcomes["good"] in ("accepted", "replaced"), (method, outcomes)
