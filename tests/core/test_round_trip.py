"""Laws of names: what the house rules write, sorting reads back; and no rename loses or moves a letter or a digit of a stem."""

from __future__ import annotations

import unicodedata

from hypothesis import assume, given
from hypothesis import strategies as st

from tests.core.looks import pictured
from tests.core.test_styles import LOOKS, TAILS, WORDS, stems
from texelcore.naming.house import Reader
from texelcore.naming.judge import judge_name, subject_of
from texelcore.naming.renames import Named, plan_renames
from texelcore.naming.rules import HouseRules
from texelcore.naming.tokens import key_of_stem
from texelcore.naming.written import Subject, folder_for, name_for, styled
from texelcore.sorting.sort import sort_files

PROJECT = "tw"
ALL_KINDS = ("colour", "normal", "data", "packed")
house_rules = st.builds(
    HouseRules,
    name=st.sampled_from(
        [
            "{set}_{property}",
            "{prefix}{set}_{property}",
            "{project}_{set}_{property}",
            "{set}-{property}_{size}",
            "{prefix}{set}_{property}_{revision}",
        ]
    ),
    folder=st.sampled_from(["", "{set}", "{project}/{set}"]),
    case=st.sampled_from(["lower", "upper", "kept"]),
    separator=st.sampled_from(["_", "-"]),
    prefixes=st.sampled_from([dict.fromkeys(ALL_KINDS, "tw_"), {"normal": "n_", "packed": "p_"}, {}]),
    say_direction=st.booleans(),
    any_script=st.just(True),
    longest=st.just(120),
)
SUBJECTS = {
    "base_colour": ("base_colour",),
    "normal": ("normal",),
    "roughness": ("roughness",),
    "packed": ("occlusion", "metallic"),
}


def letters(text: str) -> str:
    return "".join(sign for sign in text.casefold() if sign.isalnum() or unicodedata.category(sign).startswith("M"))


@given(rules=house_rules, names=stems)
def test_what_the_rules_write_sorting_reads_back(rules: HouseRules, names: list[str]) -> None:
    written: dict[str, tuple[str, str]] = {}
    for stem in names:
        for key, properties in SUBJECTS.items():
            subject = Subject(stem, properties, "+Y" if key == "normal" else None, 256, 1, PROJECT)
            folder = folder_for(rules, subject)
            name = f"{name_for(rules, subject)}.png"
            written[f"{folder}/{name}" if folder else name] = (styled(rules, stem), key)
    assume(len({key_of_stem(stem) for stem, _ in written.values()}) == len(names))
    files = {path: pictured(path, LOOKS[key], direction="+Y") for path, (_, key) in written.items()}
    sorting = sort_files(files.values(), Reader(rules, PROJECT))
    assert not sorting.open
    homes = {file: ledger for ledger in sorting.ledgers for file in ledger.files()}
    assert {file: ledger.name for file, ledger in homes.items()} == {path: stem for path, (stem, _) in written.items()}
    named = [Named(file, file, subject_of(ledger, files[file], PROJECT)) for file, ledger in homes.items()]
    assert [judge_name(rules, entry.path, entry.subject) for entry in named if judge_name(rules, entry.path, entry.subject)] == []
    assert plan_renames(rules, named).lines == ()


@given(
    rules=house_rules,
    stem=st.builds(
        lambda word, tail, more: word + tail + more, st.sampled_from(WORDS), st.sampled_from(TAILS), st.sampled_from(TAILS)
    ),
    endings=st.sampled_from(
        [("_albedo", "_nrm", "_gloss"), ("", "_norm", "_rough"), ("BaseColor", "Normal", "AO"), ("_d", "_n", "_ORM")]
    ),
)
def test_a_rename_keeps_all_of_a_stem(rules: HouseRules, stem: str, endings: tuple[str, str, str]) -> None:
    kinds = ("colour", "directions", "packed" if endings[2] == "_ORM" else "grey")
    files = [pictured(f"{stem}{end}.png", kind, direction="-Y") for end, kind in zip(endings, kinds, strict=True)]
    (ledger,) = sort_files(files).ledgers
    assert ledger.name == stem
    plan = plan_renames(rules, [Named(file.id, file.path, subject_of(ledger, file, PROJECT)) for file in files])
    for line in plan.lines:
        name = (line.new or line.old).rpartition("/")[2]
        assert letters(stem) in letters(name)
        if rules.case == "kept":
            assert styled(rules, stem) in name


texts = st.text(max_size=60) | st.text("aAbBzZ019_- µªßǅ", max_size=12)


@given(texts, st.sampled_from(["lower", "upper", "pascal", "camel", "kept"]), st.sampled_from(["_", "-", ".", ""]))
def test_styling_keeps_every_letter_and_changes_nothing_twice(text: str, case: str, separator: str) -> None:
    rules = HouseRules.model_validate({"case": case, "separator": separator, "any_script": True})
    once = styled(rules, text)
    assert styled(rules, once) == once
    assert letters(once.upper()) == letters(text.upper()) or "ß" in text
