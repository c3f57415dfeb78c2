"""Questions about one set: maps that compete for one row, by direction, by size, or because somebody exported two."""

from __future__ import annotations

from collections.abc import Iterator

from texelcore.naming.lexicon import Reading
from texelcore.naming.tokens import key_of_stem, stem_of
from texelcore.sorting.decide import key_of, row_for, seen_direction, signed
from texelcore.sorting.doubles import is_lesser_twin
from texelcore.sorting.questions import Action, Answer, Question, Scene, question
from texelcore.surface.files import FileFacts
from texelcore.surface.ledger import Ledger, LeftOut, Row
from texelcore.surface.properties import NormalY, property_of
from texelcore.surface.sources import Source


def competing_asked(scene: Scene, key: str, ledger: Ledger) -> Iterator[Question]:
    """All questions about a set's competing maps. Rows that a person has settled are not asked about."""
    open_rows = [row for row in ledger.rows if row.sure != "by hand"]
    yield from _both_directions(scene, key, ledger)
    for row in open_rows:
        yield from _rivals(scene, key, ledger, row)
    yield from _resolutions(scene, key, ledger)


def _either(key: str, row: Row, used: FileFacts, other: FileFacts, instead: Row, why: str = "") -> tuple[Answer, Answer]:
    """Answers that keep the used file for a row, or take the other one; whichever is not taken is left out."""
    chosen = instead.model_copy(update={"sure": "by hand", "why": "Chosen by hand."})
    return (
        Answer(
            key="first",
            label=used.name,
            actions=(
                Action(kind="keep", set=key, property=row.property, why=why or "Chosen by hand."),
                Action(kind="leave out", set=key, file=other.id, why=why or f"{used.name} was chosen by hand instead."),
            ),
        ),
        Answer(
            key="second",
            label=other.name,
            actions=(
                Action(kind="assign", set=key, row=chosen),
                Action(kind="leave out", set=key, file=used.id, why=f"{other.name} was chosen by hand instead."),
            ),
        ),
    )


def _both_directions(scene: Scene, key: str, ledger: Ledger) -> Iterator[Question]:
    row = ledger.row("normal")
    if row is None or row.sure == "by hand":
        return
    used = scene.files[row.file]
    for left_out in ledger.left_out:
        other, said = scene.files[left_out.file], scene.reading(left_out.file)
        if not said or said.meanings != ("normal",):
            continue
        direction = _direction(said, other)
        if direction is None or direction == row.normal_y:
            continue
        why = f"Both normal directions were delivered; {used.name} ({signed(row.normal_y)}) is used."
        yield question(
            "both directions",
            key,
            (row.file, left_out.file),
            f"{ledger.name} came with both normal directions. Which one is its source?",
            f"{used.name} is {signed(row.normal_y)}, {other.name} is {signed(direction)}. One is enough: builds turn it over.",
            _either(key, row, used, other, row_for(other, "normal", normal_y=direction), why),
            about="normal",
            fold=f"{signed(row.normal_y)} used",
            many="{n} sets came with both normal directions. Which is the source of each?",
        )
        return


def _direction(said: Reading, facts: FileFacts) -> NormalY | None:
    return said.direction or seen_direction(facts)


def _rivals(scene: Scene, key: str, ledger: Ledger, row: Row) -> Iterator[Question]:
    """Two pictures for one property that nothing tells apart: one of them is not wanted."""
    used, reading = scene.files[row.file], _said(scene, row.file, row.property)
    if reading is None or len(reading.meanings) > 1:
        return
    maps = {key_of_stem(stem_of(scene.files[file].path)) for file in ledger.files() if file in scene.files}
    for left_out in ledger.left_out:
        other, said = scene.files[left_out.file], _said(scene, left_out.file, row.property)
        if said and said.stem != reading.stem and key_of_stem(said.stem) in maps:
            # It was made of another map of this set: the normals of its glow, say.
            continue
        if said is None or not _is_rival(row, used, reading, other, said, left_out):
            continue
        title = property_of(row.property).title.lower()
        instead = row_for(other, row.property, inverted=said.meanings[0] == "gloss", normal_y=said.direction)
        yield question(
            "rivals",
            key,
            (row.file, left_out.file),
            f"{ledger.name} has two maps of {title}. Which one is its source?",
            f"{used.name} and {other.name} are of one size, and nothing else tells which is meant.",
            _either(key, row, used, other, instead),
            about=row.property,
            fold=f"{row.property} {reading.ending} {said.ending}",
            many=_many(title, reading, said),
        )
        return


def _said(scene: Scene, file: Source, key: str) -> Reading | None:
    """What a name says; a file without ending says base colour."""
    said = scene.reading(file)
    if said is None and key == "base_colour":
        return Reading(stem_of(scene.files[file].path), "", ("base_colour",), "strong", "")
    return said


def _many(title: str, used: Reading, other: Reading) -> str:
    if used.ending == other.ending:
        return f"{{n}} sets have two maps of {title} with one name. Which is the source of each?"
    return f"{{n}} sets have two maps of {title}: {_ends(used)} is used, {_ends(other)} is not. Which is the source?"


def _ends(said: Reading) -> str:
    return f"“{said.word}”" if said.word else "what has no ending"


def _is_rival(row: Row, used: FileFacts, reading: Reading, other: FileFacts, said: Reading, left_out: LeftOut) -> bool:
    """Whether a left-out file holds a row's property too, and neither size, direction, revision nor a person tells them apart."""
    if len(said.meanings) != 1 or key_of(said, said.meanings[0]) != row.property or "by hand" in left_out.why:
        return False
    if (used.width, used.height) != (other.width, other.height) or used.sha256 == other.sha256 or is_lesser_twin(other, used):
        return False
    if row.property == "normal" and _direction(reading, used) != _direction(said, other):
        return False
    return reading.revision == said.revision


def _resolutions(scene: Scene, key: str, ledger: Ledger) -> Iterator[Question]:
    """One property delivered in several sizes."""
    for row in ledger.rows:
        if row.sure == "by hand":
            continue
        used, reading = scene.files[row.file], scene.reading(row.file)
        rivals = [used]
        for left_out in ledger.left_out:
            other, said = scene.files[left_out.file], scene.reading(left_out.file)
            same = reading and said and said.meanings == reading.meanings and said.direction == reading.direction
            if same and (other.width, other.height) != (used.width, used.height):
                rivals.append(other)
        if reading is None or len(rivals) < 2 or key_of(reading, reading.meanings[0]) != row.property:
            continue
        rivals.sort(key=lambda facts: (-facts.width * facts.height, facts.path))
        title = " and ".join(
            dict.fromkeys(property_of(entry.property).title.lower() for entry in ledger.rows if entry.file == row.file)
        )
        answers: list[Answer] = []
        for facts in rivals[:4]:
            actions = [
                Action(
                    kind="assign",
                    set=key,
                    row=entry.model_copy(
                        update={"file": facts.id, "sure": "by hand", "why": f"Chosen at {facts.width} × {facts.height}."}
                    ),
                )
                for entry in ledger.rows
                if entry.file == row.file
            ]
            if facts.id != used.id:
                actions.append(Action(kind="leave out", set=key, file=used.id, why=f"{facts.name} was chosen instead."))
            place = len(answers)
            name = "largest" if place == 0 else "smallest" if place == len(rivals[:4]) - 1 else f"size {place + 1}"
            answers.append(Answer(key=name, label=f"{facts.width} × {facts.height}, {facts.name}", actions=tuple(actions)))
        yield question(
            "resolutions",
            key,
            tuple(facts.id for facts in rivals),
            f"{ledger.name} has its {title} in {len(rivals)} sizes. Which is its source?",
            "Outputs are made from the source, so the largest loses nothing.",
            tuple(answers),
            about=row.property,
            fold=f"{len(rivals)}",
            many="{n} maps came in several sizes. Which is the source of each?",
        )
