"""House rules: names, the rename plan, sizes and budgets, and the command that build machines run."""

from __future__ import annotations

import csv
import io
import json
from pathlib import Path

import jsonschema
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from junitparser import JUnitXml
from PIL import Image as Pillow
from pydantic import ValidationError

from tests.core.test_evidence import COLOUR, GREY, stored
from tests.core.test_sort import facts
from texelcli.main import run
from texelcore.building.plan import plan_build
from texelcore.checks.house_rules import check_house, check_project_budget, memory_of_plan
from texelcore.naming.house import subject_by_name
from texelcore.naming.judge import judge_name, subject_of
from texelcore.naming.renames import Named, RenamePlan, plan_renames
from texelcore.naming.rules import HouseRules, SizeRules, parse_rules
from texelcore.naming.written import Subject, name_for
from texelcore.pixels.errors import TexelError
from texelcore.sorting.sort import Sorting, sort_files
from texelcore.surface.files import FileFacts
from texelcore.targets.library import find_target

ROOT = Path(__file__).resolve().parents[2]
WORDS = ["rough", "iron", "weir", "gate", "lamp", "moss", "水車", "Quai", "no7"]
ENDINGS = ["albedo", "Normal_DX", "nrm_gl", "ORM", "RMA", "gloss", "disp_2k", "mask_02", "AO", "opacity", "who knows"]
paths = st.lists(
    st.builds(
        lambda folder, stem, end, kind: f"{folder}{stem}_{end}.{kind}",
        st.sampled_from(["", "a/", "A/", "b/c/"]),
        st.lists(st.sampled_from(WORDS), min_size=1, max_size=3).map("_".join),
        st.sampled_from(ENDINGS),
        st.sampled_from(["png", "PNG", "tga"]),
    ),
    max_size=12,
    unique=True,
)
rule_sets = st.builds(
    HouseRules,
    name=st.sampled_from(["{set}_{property}", "{prefix}{set}_{property}_{size}", "{project}-{set}-{property}"]),
    folder=st.sampled_from(["", "{set}", "{project}/maps"]),
    case=st.sampled_from(["lower", "upper", "pascal", "camel", "kept"]),
    separator=st.sampled_from(["_", "-", ""]),
    prefixes=st.sampled_from([{}, {"normal": "t_", "packed": "T"}]),
    any_script=st.just(True),
)


def sort_and_name(files: list[FileFacts]) -> tuple[Sorting, list[Named]]:
    sorting = sort_files(files)
    homes = {file: ledger for ledger in sorting.ledgers for file in ledger.files()}
    return sorting, [
        Named(file.id, file.path, subject_of(homes[file.id], file, "tw") if file.id in homes else None) for file in files
    ]


def apply(plan: RenamePlan, named: list[Named]) -> list[Named]:
    new = {line.file: line.new or line.old for line in plan.lines}
    return [Named(entry.file, new.get(entry.file, entry.path), entry.subject) for entry in named]


@given(paths, rule_sets)
def test_a_plan_collides_with_nothing_and_leaves_nothing_to_rename(names: list[str], rules: HouseRules) -> None:
    _, named = sort_and_name([facts(path) for path in names])
    plan = plan_renames(rules, named)
    renamed = apply(plan, named)
    if len({name.casefold() for name in names}) == len(names):
        assert len({entry.path.casefold() for entry in renamed}) == len(names)
    stuck = {line.file for line in plan.lines if line.new is None}
    again = plan_renames(rules, renamed)
    assert {line.file for line in again.lines} <= stuck


@given(st.permutations(["albedo", "Normal_DX", "ORM", "disp"]), st.sampled_from(["weir gate", "RoughIron", "lamp_02"]))
def test_renaming_changes_no_meaning(endings: list[str], stem: str) -> None:
    """A law: a set that is renamed by the rules is sorted into the same ledger. Renaming is not converting."""
    files = [facts(f"{stem} {ending}.png") for ending in [*endings, "gloss"] if ending != "ORM"]
    sorting, named = sort_and_name(files)
    renamed = {entry.file: entry.path for entry in apply(plan_renames(HouseRules(), named), named)}
    after = sort_files([file.model_copy(update={"path": renamed[file.id]}) for file in files])
    before = {(row.property, row.file, row.channels, row.inverted, row.normal_y) for row in sorting.ledgers[0].rows}
    assert {(row.property, row.file, row.channels, row.inverted, row.normal_y) for row in after.ledgers[0].rows} == before


@pytest.mark.parametrize(
    ("path", "broken"),
    [
        ("weir_gate/t_weir_gate_roughness.png", []),
        ("weir_gate/t_weir_gate_roughness_02.png", []),
        ("weir_gate/T_Weir_Gate_Roughness.png", ["case"]),
        ("weir_gate/t-weir-gate-roughness.png", ["separators"]),
        ("weir_gate/weir_gate_roughness.png", ["prefix"]),
        ("weir_gate/t_weir_gate_rgh.png", ["property word"]),
        ("t_weir_gate_roughness.png", ["folder"]),
        ("weir_gate/t_weir gate_roughness.png", ["separators", "characters"]),
        (f"weir_gate/t_{'weir_' * 14}roughness.png", ["template", "length"]),
        ("weir_gate/t_weir_gate_gloss.png", []),
    ],
)
def test_a_name_is_told_what_it_breaks(path: str, broken: list[str]) -> None:
    rules = HouseRules(name="{prefix}{set}_{property}", folder="{set}", prefixes={"data": "t_"})
    said = subject_by_name(path, rules)
    # The tester takes the set's name from the file's; here the set is known.
    subject = Subject("Weir gate", said.properties if said else ("roughness",))
    assert [entry.rule for entry in judge_name(rules, path, subject)] == broken


def test_prefix_size_project_and_packing_fill_their_places() -> None:
    rules = HouseRules(name="{prefix}{project}_{set}_{property}_{size}", prefixes={"packed": "P_"}, case="lower")
    files = [facts("lamp_ORM.png", size=2048)]
    (ledger,) = sort_files(files).ledgers
    subject = subject_of(ledger, files[0], "tw")
    assert subject and name_for(rules, subject) == "P_tw_lamp_orm_2k"


def test_the_tester_sees_through_what_the_template_adds() -> None:
    rules = HouseRules(name="gn_{prefix}{set}_{property}_{size}", prefixes={"data": "d_"})
    subject = subject_by_name("gn_d_fern_pot_roughness_2k.png", rules)
    assert subject and (subject.set_name, subject.properties) == ("fern_pot", ("roughness",))
    assert subject.size == 2048 and not judge_name(rules, "gn_d_fern_pot_roughness_2k.png", subject)
    other = subject_by_name("Fern_rgh.png", rules)
    assert other and other.set_name == "Fern"


def test_names_kept_by_systems_and_by_the_house_are_refused() -> None:
    rules = HouseRules(reserved=("Thumbs",))
    assert [entry.rule for entry in judge_name(rules, "con.png", None)] == ["reserved"]
    assert [entry.rule for entry in judge_name(rules, "thumbs.png", None)] == ["reserved"]
    (line,) = plan_renames(rules, [Named("1", "aux.png")]).lines
    assert line.new and not judge_name(rules, line.new, None)


@pytest.mark.parametrize(
    ("body", "said"),
    [
        ({"name": "{set}"}, "needs {set} and {property}"),
        ({"name": "{set}_{property}_{colour}"}, "unknown token {colour}"),
        ({"folder": "../{set}"}, "relative path"),
        ({"extra": "_/"}, "cannot stand in file names"),
        ({"words": {"roughness": "x", "metallic": "X"}}, "both called x"),
        ({"sizes": {"smallest": 64, "largest": 32}}, "smallest size is larger"),
        ({"habits": [{"words": "..."}]}, "at least one word"),
        ({"habits": [{"words": "a", "meanings": ["shine"]}]}, "meanings are"),
        ({"colour": 1}, "is not known here"),
    ],
)
def test_rules_that_make_no_sense_are_refused_with_the_reason(body: dict[str, object], said: str) -> None:
    with pytest.raises(TexelError, match="is no house rules document") as caught:
        parse_rules(json.dumps(body), "ours.json")
    assert said in caught.value.problem
    with pytest.raises(ValidationError):
        HouseRules.model_validate(body)


def test_rules_go_out_and_come_back_the_same() -> None:
    rules = HouseRules(case="pascal", separator="", sizes=SizeRules(square=True, set_budget=12.5))
    assert parse_rules(rules.to_json()) == rules
    published = json.loads((ROOT / "docs/schemas/house-rules.schema.json").read_text())
    jsonschema.validate(json.loads(rules.to_json()), published)


def test_sizes_and_budgets() -> None:
    rules = HouseRules(sizes=SizeRules(smallest=64, largest=1024, square=True, set_budget=2, project_budget=6))
    files = {path: facts(path, size=1024) for path in ("oak_albedo.png", "oak_normal_gl.png")}
    files["oak_rough.png"] = facts("oak_rough.png", "Y", size=1024).model_copy(update={"width": 2048, "height": 48})
    (ledger,) = sort_files(files.values()).ledgers
    target = find_target("orbit-desktop")
    plan = plan_build(ledger, target, {name: facts(name, size=1024) for name in files})
    broken = {finding.rule for finding in check_house(rules, ledger, files, "tw", plan)}
    assert {"size-too-large", "size-too-small", "size-not-square", "size-power-of-two"} <= broken
    # Two formats of 8 bits a texel at 1024² with mips take 2 × 4/3 MiB (geometric series).
    assert "set-budget" in broken
    assert [finding.rule for finding in check_project_budget(rules, 3 * memory_of_plan(plan), "Tidewheel")] == ["project-budget"]
    assert not check_project_budget(rules, memory_of_plan(plan), "Tidewheel")


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    source = tmp_path / "in" / "oak"
    source.mkdir(parents=True)
    Pillow.fromarray(stored(COLOUR)).save(source / "oak_basecolor.png")
    Pillow.fromarray(stored(GREY)).save(source / "Oak Rough.png")
    Pillow.fromarray(stored(GREY)).save(source / "=scan<1>.png")
    return tmp_path / "in"


def test_the_check_command_reports_to_build_machines(folder: Path) -> None:
    rules = folder.parent / "rules.json"
    rules.write_text(HouseRules().to_json())
    reports = {name: folder.parent / f"out.{name}" for name in ("junit", "sarif", "renames")}
    options = [part for name, path in reports.items() for part in (f"--{name}", str(path))]
    assert run(["check", str(folder), "--rules", str(rules), *options]) == 1
    # JUnit XML, read by junitparser.
    suites = {suite.name: suite for suite in JUnitXml.fromfile(str(reports["junit"]))}
    assert {case.name: bool(case.result) for case in suites["Oak"]} == {"oak_basecolor.png": False, "Oak Rough.png": True}
    assert suites["Not recognised"].failures == 1
    # SARIF 2.1.0: the parts that its sections 3.13, 3.27 and 3.49 require.
    log = json.loads(reports["sarif"].read_text())
    (log_run,) = log["runs"]
    described = [rule["id"] for rule in log_run["tool"]["driver"]["rules"]]
    assert log["version"] == "2.1.0" and log_run["results"]
    for result in log_run["results"]:
        assert described[result["ruleIndex"]] == result["ruleId"]
        assert result["level"] in ("error", "warning", "note") and result["message"]["text"]
    places = {result["locations"][0]["physicalLocation"]["artifactLocation"]["uri"] for result in log_run["results"]}
    assert places == {"oak/Oak%20Rough.png", "oak/%3Dscan%3C1%3E.png"}
    # The mapping opens in a spreadsheet and runs nothing there.
    table = list(csv.DictReader(io.StringIO(reports["renames"].read_text())))
    assert {row["old"]: row["new"] for row in table} == {
        "oak/Oak Rough.png": "oak/oak_roughness.png",
        "oak/=scan<1>.png": "oak/scan_1.png",
    }


def test_a_folder_that_holds_passes(folder: Path) -> None:
    rules = folder.parent / "rules.json"
    rules.write_text(HouseRules(words={"roughness": "rgh"}).to_json())
    (folder / "oak" / "=scan<1>.png").unlink()
    (folder / "oak" / "Oak Rough.png").rename(folder / "oak" / "oak_rgh.png")
    assert run(["check", str(folder), "--rules", str(rules), "--fail-on", "error"]) == 0
    assert run(["check", str(folder), "--rules", str(folder / "none.json")]) == 2
    rules.write_text(HouseRules(sizes=SizeRules(set_budget=1)).to_json())
    assert run(["check", str(folder), "--rules", str(rules)]) == 2


def test_files_of_one_name_in_two_folders_keep_their_findings_apart(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    for place, pixels in (("albedo", stored(COLOUR)), ("normal", np.full((16, 16, 3), (128, 128, 255), np.uint8))):
        (tmp_path / "in" / place).mkdir(parents=True)
        Pillow.fromarray(pixels).save(tmp_path / "in" / place / "wall.png")
    rules = tmp_path / "rules.json"
    rules.write_text(HouseRules(name="{set}_{property}").to_json())
    run(["check", str(tmp_path / "in"), "--rules", str(rules), "--json"])
    found = {entry["path"]: {finding["rule"] for finding in entry["findings"]} for entry in json.loads(capsys.readouterr().out)}
    assert "size-too-small" in found["normal/wall.png"] and "size-too-small" not in found["albedo/wall.png"]


@pytest.mark.parametrize("case", ["lower", "pascal"])
def test_a_prefix_that_the_rules_write_is_no_part_of_a_sets_name(case: str) -> None:
    """Also of a set that was made before there were rules."""
    prefixes = {"colour": "T", "normal": "T"}
    rules = HouseRules.model_validate({"name": "{prefix}_{set}_{property}", "prefixes": prefixes, "case": case})
    (old, own) = (name_for(rules, Subject(name, ("base_colour",))) for name in ("T_Gravel", "Gravel"))
    assert old == own and old.casefold() == "t_gravel_basecolor"
    # Another letter, and a word that begins with this one, are its own.
    assert "s_gravel" in name_for(rules, Subject("S_Gravel", ("base_colour",))).casefold().replace("sgravel", "s_gravel")
    assert "timber" in name_for(rules, Subject("Timber", ("base_colour",))).casefold()


@pytest.mark.parametrize(
    ("name", "plain"),
    [("Türblatt", "turblatt"), ("Größe", "grosse"), ("Ärmel_Öse", "armel_ose"), ("石 wall", "shi_wall"), ("дверь", "dver")],
)
def test_a_rename_plan_holds_to_the_letters_that_the_rules_allow(name: str, plain: str) -> None:
    subject = Subject(name, ("base_colour",))
    (line,) = plan_renames(HouseRules(), [Named("1", f"{name}_BC.png", subject)]).lines
    assert line.new == f"{plain}_basecolor.png" and judge_name(HouseRules(), line.new, subject) == ()
    assert name_for(HouseRules(any_script=True), subject).startswith(name.lower().replace(" ", "_"))
