"""Laws of building: the same bytes every time, sources untouched, keys that follow what matters, clean stops."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PIL import Image as Pillow

from texelcore.building.execute import make_outputs
from texelcore.building.explain import explain_property
from texelcore.building.manifest import make_manifest
from texelcore.building.plan import Plan, plan_build
from texelcore.building.sources import Sources, in_folder
from texelcore.checks.ledger_rules import check_set
from texelcore.evidence.facts import facts_of
from texelcore.pixels.errors import Cancelled
from texelcore.sorting.sort import sort_files
from texelcore.surface.files import FileFacts
from texelcore.surface.ledger import Ledger, Row
from texelcore.targets.library import find_target

Maker = Callable[..., Path]
ORBIT, MILL = find_target("orbit-desktop"), find_target("millrace-handheld")


def digest(folder: Path) -> dict[str, str]:
    return {path.name: hashlib.sha256(path.read_bytes()).hexdigest() for path in sorted(folder.iterdir()) if path.is_file()}


def sorted_set(folder: Path) -> tuple[Ledger, dict[str, FileFacts], Sources]:
    paths = sorted(path for path in folder.iterdir() if path.is_file())
    files = {path.name: facts_of(path, path.name) for path in paths}
    (ledger,) = sort_files(files.values()).ledgers
    return ledger, files, in_folder(files, folder)


@pytest.fixture
def oak(picture: Maker, tmp_path: Path) -> Path:
    picture("oak/oak_albedo.png")
    picture("oak/oak_normal_gl.png", seed=2)
    picture("oak/oak_rough.png", (16, 16, 1), seed=3)
    return tmp_path / "oak"


def test_building_twice_gives_the_same_bytes_and_leaves_sources_alone(oak: Path, tmp_path: Path) -> None:
    before = digest(oak)
    ledger, files, sources = sorted_set(oak)
    results = []
    for run in ("one", "two"):
        plan = plan_build(ledger, MILL, files)
        made = make_outputs(plan, sources, tmp_path / run, threads=1 if run == "one" else 3)
        (tmp_path / run / "manifest.json").write_text(make_manifest(plan, MILL, files, made).to_json())
        results.append(digest(tmp_path / run))
    assert results[0] == results[1]
    assert digest(oak) == before


def test_manifest_says_hash_size_channels_meaning_flag_and_sources(oak: Path, tmp_path: Path) -> None:
    ledger, files, sources = sorted_set(oak)
    plan = plan_build(ledger, MILL, files, "gn")
    made = make_outputs(plan, sources, tmp_path / "out")
    manifest = json.loads(make_manifest(plan, MILL, files, made, "gn").to_json())
    packed = next(entry for entry in manifest["outputs"] if entry["file"] == "oak_ms.tga")
    body = (tmp_path / "out" / "oak_ms.tga").read_bytes()
    assert (packed["sha256"], packed["bytes"]) == (hashlib.sha256(body).hexdigest(), len(body))
    assert (packed["width"], packed["height"], packed["srgb"]) == (16, 16, False)
    alpha = packed["channels"][3]
    assert (alpha["meaning"], alpha["sources"], alpha["done"]) == ("Smoothness", ["oak_rough.png#Y"], ["inverted (1 − value)"])
    assert packed["channels"][0]["done"] == ["filled with 0"]
    colour = next(entry for entry in manifest["outputs"] if entry["file"] == "oak_albedo.tga")
    assert colour["srgb"] is True
    assert {entry["name"] for entry in manifest["sources"]} == {"oak_albedo.png", "oak_normal_gl.png", "oak_rough.png"}


def test_content_keys_follow_bytes_and_rules_and_nothing_else(oak: Path, picture: Maker) -> None:
    ledger, files, _ = sorted_set(oak)

    def keys(**changes: object) -> dict[str, str]:
        plan = plan_build(**({"ledger": ledger, "target": ORBIT, "files": files} | changes))  # type: ignore[arg-type]
        return {planned.key: planned.content_key for planned in plan.outputs}

    first = keys()
    assert keys(project="other", set_code="another") == first
    renamed = {name: facts.model_copy(update={"path": f"elsewhere/{facts.path}"}) for name, facts in files.items()}
    assert keys(files=renamed) == first
    other = files | {"oak_rough.png": files["oak_rough.png"].model_copy(update={"sha256": "f" * 64})}
    assert {key for key, value in keys(files=other).items() if value != first[key]} == {"packed"}
    flipped = ledger.with_row(ledger.row("normal").model_copy(update={"normal_y": "-Y"}))  # type: ignore[union-attr]
    assert {key for key, value in keys(ledger=flipped).items() if value != first[key]} == {"normal"}


def test_a_cancelled_build_leaves_only_whole_files(oak: Path, tmp_path: Path) -> None:
    ledger, files, sources = sorted_set(oak)
    plan = plan_build(ledger, ORBIT, files)
    told: list[float] = []

    def stop_at_the_second(share: float, doing: str) -> None:
        told.append(share)
        if doing.endswith("_n.png"):
            raise Cancelled

    with pytest.raises(Cancelled):
        make_outputs(plan, sources, tmp_path / "out", stop_at_the_second)
    assert [path.name for path in (tmp_path / "out").iterdir()] == ["oak_c.png"]
    assert told == sorted(told)


def rules(ledger: Ledger, files: dict[str, FileFacts], plan: Plan | None = None) -> dict[str, str]:
    plan = plan or plan_build(ledger, ORBIT, files)
    return {finding.rule: finding.severity for finding in check_set(ledger, files, ORBIT, plan)}


def test_maps_of_other_sizes_are_brought_to_that_of_their_output_and_it_is_said(picture: Maker, tmp_path: Path) -> None:
    picture("oak/oak_albedo.png", (32, 32, 3))
    picture("oak/oak_rough.png", (16, 16, 1))
    picture("oak/oak_ao.png", (8, 8, 1))
    ledger, files, sources = sorted_set(tmp_path / "oak")
    plan = plan_build(ledger, ORBIT, files)
    packed = next(planned for planned in plan.outputs if planned.key == "packed")
    assert packed.problem is None and (packed.width, packed.height, packed.resized) == (16, 16, ("oak_ao.png",))
    (finding,) = (entry for entry in check_set(ledger, files, ORBIT, plan) if entry.rule == "brought-to-size")
    assert finding.severity == "note" and "oak_ao.png (8 × 8) is enlarged" in finding.message
    made = make_outputs(plan, sources, tmp_path / "out")
    assert [item.path.name for item in made] == ["oak_c.png", "oak_orm.png"]


def test_findings_say_what_a_practitioner_would_miss(picture: Maker, tmp_path: Path) -> None:
    (tmp_path / "oak").mkdir()
    # Directions without slopes that go together, and without neighbours: nothing says which way green points.
    noise = np.random.default_rng(7).normal((128, 128, 253), 2, (16, 16, 3))
    Pillow.fromarray(np.clip(noise, 0, 255).astype(np.uint8)).save(tmp_path / "oak" / "oak_normal.png")
    white = np.full((16, 16), 255, np.uint8)
    Pillow.fromarray(white).save(tmp_path / "oak" / "oak_ao.png")
    ledger, files, _ = sorted_set(tmp_path / "oak")
    found = rules(ledger, files)
    assert found["missing"] == "error"
    assert found["normal-direction-assumed"] == found["occlusion-carries-nothing"] == found["default-stands-in"] == "warning"


def test_the_ledger_says_what_is_done(oak: Path) -> None:
    ledger, files, _ = sorted_set(oak)

    def said(key: str, target: str) -> str:
        chosen = find_target(target)
        return explain_property(ledger, chosen, plan_build(ledger, chosen, files), key)

    assert said("normal", "millrace-handheld") == "green flipped: reads +Y, target wants −Y"
    assert said("normal", "orbit-desktop") == "as it is: reads +Y"
    assert said("roughness", "millrace-handheld") == "inverted: roughness to smoothness"
    assert said("roughness", "orbit-desktop") == "as it is"
    gloss = ledger.row("roughness").model_copy(update={"inverted": True})  # type: ignore[union-attr]
    ledger = ledger.with_row(gloss)
    assert said("roughness", "millrace-handheld") == "gloss, as the target wants it"
    assert said("roughness", "orbit-desktop") == "inverted: gloss to roughness"


def test_a_row_says_what_else_it_gives(oak: Path) -> None:
    """A target of the other workflow is made of base colour and metallic: neither goes nowhere. What darkens another is named."""
    ledger, files, _ = sorted_set(oak)
    base = ledger.row("base_colour")
    assert base
    for key in ("metallic", "occlusion"):
        row = base.model_copy(update={"property": key, "channels": ("R",), "encoding": "linear"})
        ledger = ledger.with_row(row)
    colour = find_target("orbit-desktop").outputs[0]
    channels = tuple(
        channel.model_copy(update={"property": "diffuse", "multiplied_by": "occlusion"}) for channel in colour.channels[:3]
    )
    shine = tuple(channel.model_copy(update={"property": "specular"}) for channel in colour.channels[:3])
    outputs = (
        colour.model_copy(update={"channels": channels}),
        colour.model_copy(update={"key": "shine", "suffix": "shine", "channels": shine}),
    )
    target = ORBIT.model_copy(update={"outputs": outputs})
    plan = plan_build(ledger, target, files)
    said = {row.property: explain_property(ledger, target, plan, row.property) for row in ledger.rows}
    assert said["base_colour"] == said["metallic"] == "gives diffuse colour and specular colour"
    assert said["occlusion"] == "darkens diffuse colour" and said["normal"] == "not asked for by this target"
    assert [channel.reads for channel in plan.outputs[1].channels] == [("base_colour", "metallic")] * 3


def test_keys_depend_on_bytes_and_never_on_what_a_file_is_called(oak: Path) -> None:
    """Ids of files are paths on the command line, and may hold whatever a name may."""
    ledger, files, _ = sorted_set(oak)
    keys = [planned.content_key for planned in plan_build(ledger, MILL, files).outputs]
    odd = {name: f'\\{name}" "file":"x' for name in files}
    rows = tuple(row.model_copy(update={"file": odd[row.file]}) for row in ledger.rows)
    renamed = ledger.model_copy(update={"rows": rows})
    facts = {odd[name]: found for name, found in files.items()}
    assert [planned.content_key for planned in plan_build(renamed, MILL, facts).outputs] == keys
    again = {name: found.model_copy(update={"sha256": "0" * 64}) for name, found in facts.items()}
    assert not set(keys) & {planned.content_key for planned in plan_build(renamed, MILL, again).outputs}


@pytest.mark.parametrize("target", ("millrace-handheld", "orbit-desktop"))
def test_shipped_targets_ask_for_what_they_are_said_to(target: str) -> None:
    document = find_target(target)
    layout = {
        output.key: [(channel.channel, channel.property, channel.inverted) for channel in output.channels]
        for output in document.outputs
    }
    if target == "orbit-desktop":
        # glTF 2.0, section Materials: occlusion in R, roughness in G, metallic in B, +Y.
        assert document.normal_y == "+Y"
        assert layout["packed"] == [("R", "occlusion", False), ("G", "roughness", False), ("B", "metallic", False)]
    else:
        assert document.normal_y == "-Y"
        assert layout["metal_smooth"][0] == ("R", "metallic", False)
        assert layout["metal_smooth"][3] == ("A", "roughness", True)
    for output in document.outputs:
        colour = any(channel.property in ("base_colour", "emissive") for channel in output.channels)
        assert colour or output.encoding == "linear"


def test_floats_are_read_as_linear_and_defaults_alone_fill_one_block(picture: Maker, tmp_path: Path) -> None:
    picture("oak/oak_albedo.exr", (8, 8, 3), "float32")
    ledger, files, sources = sorted_set(tmp_path / "oak")
    row = ledger.row("base_colour")
    assert isinstance(row, Row) and row.encoding == "linear"
    plan = plan_build(ledger, ORBIT, files)
    made = make_outputs(plan, sources, tmp_path / "out")
    assert {item.path.name for item in made} == {"oak_c.png", "oak_orm.png"}
    packed = next(item for item in made if item.path.name == "oak_orm.png")
    assert np.asarray(Pillow.open(packed.path)).shape == (4, 4, 3)
