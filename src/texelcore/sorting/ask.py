"""Asking: what is open about sets and files. Questions are computed from ledgers and facts alone and named by what they are
about, so that asking twice gives the same ones."""

from __future__ import annotations

from collections.abc import Iterator

from texelcore.naming.habits import Habit
from texelcore.naming.lexicon import PAIRS, Meaning, Reading
from texelcore.naming.tokens import key_of_stem
from texelcore.sorting.between_sets import doubles_asked, near_doubles_asked, same_names_asked
from texelcore.sorting.classes import classes_asked
from texelcore.sorting.competing import competing_asked
from texelcore.sorting.cuts import look_of
from texelcore.sorting.decide import (
    packed_rows_by_hand,
    row_for,
    seen_direction,
    signed,
)
from texelcore.sorting.orders import better_order, likely_order
from texelcore.sorting.questions import Action, Answer, Question, QuestionKind, Scene, folded, question
from texelcore.sorting.sort import OpenFile, home_folder
from texelcore.surface.files import ChannelName, FileFacts
from texelcore.surface.ledger import Ledger, Row, row_problem
from texelcore.surface.properties import NormalY, property_of
from texelcore.surface.sources import Source

SET_KINDS: frozenset[QuestionKind] = frozenset({"disagrees", "direction", "both directions", "rivals", "resolutions"})


def ask(scene: Scene) -> tuple[Question, ...]:
    """All open questions, those that settle most first; what is alike is one question with members."""
    asked = [
        *(entry for key in scene.ledgers for entry in ask_about_set(scene, key)),
        *ask_about_files(scene),
        *same_names_asked(scene),
        *doubles_asked(scene),
        *near_doubles_asked(scene.files.values(), scene.uses()),
    ]
    return tuple(folded(asked))


def ask_about_files(scene: Scene) -> Iterator[Question]:
    """What is open about files of no set: by ending, by folder where they stand alone, and one by one where their names say
    something that they cannot hold."""
    yield from classes_asked(scene.open)
    for open_file in scene.open:
        if open_file.kind == "unclear":
            yield _unnamed(scene, open_file)
        elif open_file.kind == "copy":
            yield _copy(scene, open_file)


def ask_about_set(scene: Scene, key: str) -> Iterator[Question]:
    """What is open about one set by itself; these questions have the kinds in SET_KINDS."""
    ledger = scene.ledgers[key]
    seen: set[str] = set()
    for row in ledger.rows:
        if row.sure == "doubted" and row.file not in seen:
            seen.add(row.file)
            yield _disagrees(scene, key, row)
        elif row.property == "normal" and row.sure == "assumed":
            yield _undirected(scene, key, row)
    yield from competing_asked(scene, key, ledger)


def _disagrees(scene: Scene, key: str, row: Row) -> Question:
    facts, reading = scene.files[row.file], scene.reading(row.file)
    if reading and len(reading.meanings) > 1:
        return _order_question(scene, key, row, reading)
    seen = seen_direction(facts)
    if row.property == "normal" and seen and reading and reading.direction and reading.direction != seen:
        return _direction_question(scene, key, row, reading, seen)
    likely = _seen_as(scene, key, facts, row)
    answers = [_as_property(scene, key, facts, other, f"Use it as {property_of(other).title.lower()}") for other in likely]
    answers.append(_keep(key, row))
    answers.append(Answer(key="each", label="A set of its own", actions=(Action(kind="found", set=key, file=facts.id),)))
    answers.append(_leave(key, facts.id, "Leave it out"))
    ending = reading.ending if reading else ""
    word = reading.word if reading else ""
    return question(
        "disagrees",
        key,
        (facts.id,),
        f"What does {facts.name} hold?",
        row.why,
        tuple(answers),
        about=row.property,
        fold=f"{row.property} {ending} {look_of(facts)}",
        many=f"{{n}} files end in “{word}” and look like something else. What do they hold?",
    )


def _undirected(scene: Scene, key: str, row: Row) -> Question:
    """A normal map whose direction nothing says: asked once for its folder."""
    facts = scene.files[row.file]
    folder = home_folder(facts.path)
    if folder.rpartition("/")[2] == scene.ledgers[key].name:
        # Of a folder for each set, the neighbours lie in the folders beside it.
        folder = folder.rpartition("/")[0]
    mixed = "of its neighbours" in row.why

    def answer(direction: NormalY) -> Answer:
        changed = row.model_copy(update={"normal_y": direction, "sure": "by hand", "why": f"{signed(direction)} by hand."})
        return Answer(key=direction, label=signed(direction), actions=(Action(kind="assign", set=key, row=changed),))

    return question(
        "direction",
        key,
        (facts.id,),
        f"Which way does green point in {facts.name}?",
        row.why,
        (answer("+Y"), answer("-Y")),
        about="normal",
        prepared=row.normal_y,
        fold=folder if mixed else "undirected",
        many=f"Which way does green point in {{n}} normal maps of {folder}? Their neighbours are mixed."
        if mixed
        else "Which way does green point in {n} normal maps? Neither they nor their neighbours say.",
    )


def _direction_question(scene: Scene, key: str, row: Row, reading: Reading, seen: NormalY) -> Question:
    facts = scene.files[row.file]
    words = _teachable(reading)

    def answer(name: str, direction: NormalY, why: str) -> Answer:
        changed = row.model_copy(update={"normal_y": direction, "sure": "by hand", "why": why})
        label = f"{signed(direction)}, as the {name}"
        habit = Habit(words=words, meanings=("normal",), direction=direction) if words else None
        return Answer(key=name, label=label, actions=(Action(kind="assign", set=key, row=changed),), habit=habit)

    return question(
        "disagrees",
        key,
        (facts.id,),
        f"Which way does green point in {facts.name}?",
        row.why,
        (
            answer("pixels say", seen, f"Its pixels say {signed(seen)}, against its name; settled by hand."),
            answer("name says", reading.direction or "+Y", f"Its name says {signed(reading.direction)}; settled by hand."),
        ),
        about="normal",
        fold=f"direction {reading.ending} {seen}",
        many=f"Which way does green point in {{n}} files that end in “{reading.word}”? Their pixels say {signed(seen)}.",
    )


def _order_question(scene: Scene, key: str, row: Row, reading: Reading) -> Question:
    facts = scene.files[row.file]
    channels: tuple[ChannelName, ...] = PAIRS.get(reading.meanings, facts.channels[: len(reading.meanings)])
    better = better_order(facts, channels, reading.meanings) or reading.meanings

    def answer(name: str, order: tuple[Meaning, ...]) -> Answer:
        why = f"Order by what the {name}; settled by hand."
        rows = packed_rows_by_hand(facts, channels, order, why)
        words = _teachable(reading)
        # A habit reads channels from the first on; pairs that skip channels cannot be taught so.
        teachable = words and channels == facts.channels[: len(channels)]
        label = f"{', '.join(meaning.replace('_', ' ') for meaning in order)}, as the {name}"
        return Answer(
            key=name,
            label=label,
            actions=tuple(Action(kind="assign", set=key, row=row) for row in rows),
            habit=Habit(words=words, meanings=order) if teachable else None,
        )

    # The row's reason names what the channels look like; it ends with it.
    return question(
        "disagrees",
        key,
        (facts.id,),
        f"In which order does {facts.name} hold its maps?",
        row.why,
        (answer("pixels say", better), answer("name says", reading.meanings)),
        about=row.property,
        fold=f"order {reading.ending} {better}",
        many=f"In which order do {{n}} files that end in “{reading.word}” hold their maps?",
    )


def _unnamed(scene: Scene, open_file: OpenFile) -> Question:
    facts = scene.files[open_file.file]
    home = _likely_home(scene, open_file)
    answers: list[Answer] = []
    if home is not None:
        taken = scene.ledgers[home]
        order = likely_order(facts)
        if order and not any(taken.row(meaning) for meaning in order):
            answers.append(_as_packed(scene, home, facts, order))
        guesses = dict.fromkeys(
            key for key in (open_file.guess, "base_colour", "normal", "roughness", "occlusion", "height") if key
        )
        for guess in guesses:
            if taken.row(guess) is None and row_problem(row_for(facts, guess), scene.files) is None:
                answers.append(_as_property(scene, home, facts, guess, f"{property_of(guess).title} of {taken.name}"))
        answers = answers[:3]
    answers.append(Answer(key="each", label="A set of its own", actions=(Action(kind="found", file=facts.id),)))
    if home is not None:
        name = scene.ledgers[home].name
        answers.append(_leave(home, facts.id, f"Leave it out of {name}", joined=True))
    why = "Set aside by hand: it belongs to no set."
    aside = Answer(key="set aside", label="Set it aside", actions=(Action(kind="set aside", file=facts.id, why=why),))
    looks = f" Its pixels look like {property_of(open_file.guess).title.lower()}." if open_file.guess else ""
    # Without a guess from the pixels nothing is sensible but to keep it out of the way.
    prepared = None if open_file.guess or (home and likely_order(facts)) else "set aside"
    return question(
        "unnamed",
        home,
        (facts.id,),
        f"What is {facts.name}?",
        f"{open_file.why}{looks}",
        (*answers, aside),
        prepared=prepared,
        fold="beside" if home else "nowhere",
        many="{n} files lie beside a set, and their names do not say what they hold. What are they?"
        if home
        else "{n} files say something that they cannot hold. What are they?",
    )


def _copy(scene: Scene, open_file: OpenFile) -> Question:
    """A file that is a copy by its name: it is in the way, unless it is what was meant."""
    facts, original = scene.files[open_file.file], open_file.original or Source("")
    home = next((key for key, ledger in scene.ledgers.items() if any(row.file == original for row in ledger.rows)), None)
    aside = Action(kind="set aside", file=facts.id, why=f"Set aside by hand: {open_file.why}")
    answers = [Answer(key="aside", label="It is a copy: set it aside", actions=(aside,))]
    if home is not None:
        rows = [row for row in scene.ledgers[home].rows if row.file == original]
        why = f"{facts.name} was chosen instead by hand."
        moved = (row.model_copy(update={"file": facts.id, "sure": "by hand", "why": "Chosen by hand."}) for row in rows)
        fits = [row for row in moved if row_problem(row, scene.files) is None]
        if len(fits) == len(rows):
            assign = (Action(kind="assign", set=home, row=row, file=facts.id) for row in fits)
            leave = Action(kind="leave out", set=home, file=original, why=why)
            label = f"Use it in place of {scene.files[original].name}"
            answers.append(Answer(key="second", label=label, actions=(*assign, leave)))
    own = Action(kind="found", file=facts.id)
    answers.append(Answer(key="each", label="It is no copy: a set of its own", actions=(own,)))
    return question(
        "copy",
        home,
        (facts.id, original),
        f"Is {facts.name} a copy?",
        open_file.why,
        tuple(answers),
        fold="copies",
        many="{n} files are copies of others by their names. Set them aside?",
    )


def _likely_home(scene: Scene, open_file: OpenFile) -> str | None:
    """The set that an unclear file most likely belongs to: the one that its stem names, or the only one of its folder."""
    here = [key for key, ledger in scene.ledgers.items() if _home_of(scene, ledger) == home_folder(open_file.path)]
    named = [key for key in here if open_file.stem and key_of_stem(scene.ledgers[key].name) == key_of_stem(open_file.stem)]
    return named[0] if named else here[0] if len(here) == 1 else None


def _home_of(scene: Scene, ledger: Ledger) -> str | None:
    first = next((file for file in ledger.files() if file in scene.files), None)
    return home_folder(scene.files[first].path) if first else None


def _seen_as(scene: Scene, key: str, facts: FileFacts, row: Row) -> list[str]:
    """What a file whose pixels contradict its name may be, by its pixels; properties that the set has already are left out."""
    taken = scene.ledgers[key]
    look = look_of(facts)
    may = ["normal"] if look == "directions" else ["base_colour", "specular", "emissive"] if look == "colour" else []
    return [other for other in may if other != row.property and (taken.row(other) is None or other == "normal")]


def _keep(key: str, row: Row) -> Answer:
    title = property_of(row.property).title.lower()
    why = f"{row.why} Kept as {title} by hand."
    return Answer(
        key="keep", label=f"Keep it as {title}", actions=(Action(kind="keep", set=key, property=row.property, why=why),)
    )


def _as_property(scene: Scene, key: str, facts: FileFacts, prop: str, label: str) -> Answer:
    row = row_for(facts, prop).model_copy(update={"sure": "by hand", "why": "Settled by hand."})
    words = _teachable(scene.reading(facts.id))
    habit = Habit(words=words, meanings=(prop,)) if words and not prop.startswith("mask.") else None
    old = [row for row in scene.ledgers[key].rows if row.file == facts.id and row.property != prop]
    clear = [Action(kind="leave out", set=key, file=facts.id)] if old else []
    return Answer(
        key=f"as {prop}", label=label, actions=(*clear, Action(kind="assign", set=key, row=row, file=facts.id)), habit=habit
    )


def _as_packed(scene: Scene, key: str, facts: FileFacts, order: tuple[Meaning, ...]) -> Answer:
    rows = packed_rows_by_hand(facts, facts.channels[:3], order, "Settled by hand, as the channels look.")
    words = _teachable(scene.reading(facts.id))
    return Answer(
        key="as packed",
        label=f"{', '.join(order).capitalize()} of {scene.ledgers[key].name}",
        actions=tuple(Action(kind="assign", set=key, row=row, file=facts.id) for row in rows),
        habit=Habit(words=words, meanings=order) if words else None,
    )


def _leave(key: str, file: Source, label: str, joined: bool = False) -> Answer:
    why = "Left out by hand." if not joined else "Belongs to the set and is not used; left out by hand."
    return Answer(key="leave out", label=label, actions=(Action(kind="leave out", set=key, file=file, why=why),))


def _teachable(reading: Reading | None) -> str:
    """The ending that a habit can be taught about; "" where the name has none."""
    return "" if reading is None or reading.ending.startswith("^") or not reading.stem else reading.ending
