"""Asking: what is open about sets and files. Questions are computed from ledgers and facts alone and named by what they are
about, so that asking twice gives the same ones."""

from __future__ import annotations

from collections.abc import Iterator

from texelcore.naming.habits import Habit, content_of
from texelcore.naming.lexicon import PAIRS, Meaning, Reading
from texelcore.sorting.across import doubles_asked, near_doubles_asked, same_names_asked
from texelcore.sorting.competing import competing_asked
from texelcore.sorting.decide import (
    better_order,
    likely_order,
    packed_rows_by_hand,
    row_for,
    seen_direction,
    signed,
)
from texelcore.sorting.questions import Action, Answer, Kind, Question, Scene, question
from texelcore.sorting.sort import OpenFile, home_folder
from texelcore.surface.ledger import ChannelName, FileFacts, Row, row_problem
from texelcore.surface.properties import NormalY, property_of

SET_KINDS: frozenset[Kind] = frozenset({"disagrees", "both directions", "rivals", "resolutions"})


def ask(scene: Scene) -> tuple[Question, ...]:
    """All open questions, worst first."""
    asked = [
        *(entry for key in scene.ledgers for entry in ask_about_set(scene, key)),
        *(_unnamed(scene, entry) for entry in scene.open),
        *same_names_asked(scene),
        *doubles_asked(scene),
        *near_doubles_asked(scene),
    ]
    return tuple(sorted(asked, key=lambda entry: (entry.rank, scene.files[entry.files[0]].path, entry.key)))


def ask_about_set(scene: Scene, key: str) -> Iterator[Question]:
    """What is open about one set by itself; these questions have the kinds in SET_KINDS."""
    ledger = scene.ledgers[key]
    seen: set[str] = set()
    for row in ledger.rows:
        if row.sure == "doubted" and row.file not in seen:
            seen.add(row.file)
            yield _disagrees(scene, key, row)
    yield from competing_asked(scene, key, ledger)


def _disagrees(scene: Scene, key: str, row: Row) -> Question:
    facts, reading = scene.files[row.file], scene.reading(row.file)
    if reading and len(reading.meanings) > 1:
        return _order_question(scene, key, row, reading)
    seen = seen_direction(facts)
    if row.property == "normal" and seen and reading and reading.direction and reading.direction != seen:
        return _direction_question(scene, key, row, reading, seen)
    likely = "normal" if facts.evidence and facts.evidence.picture == "vector field" else None
    answers = [_keep(key, row)]
    if likely and likely != row.property:
        answers.insert(0, _as_property(scene, key, facts, likely, f"Use it as {property_of(likely).title.lower()}"))
    answers.append(_leave(key, facts.id, "Leave it out"))
    return question("disagrees", key, (facts.id,), f"What does {facts.name} hold?", row.why, tuple(answers), about=row.property)


def _direction_question(scene: Scene, key: str, row: Row, reading: Reading, seen: NormalY) -> Question:
    facts = scene.files[row.file]
    words = " ".join(token.key for token in content_of(facts.path)[len(reading.stem) :])

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
    )


def _order_question(scene: Scene, key: str, row: Row, reading: Reading) -> Question:
    facts = scene.files[row.file]
    channels: tuple[ChannelName, ...] = PAIRS.get(reading.meanings, facts.channels[: len(reading.meanings)])
    better = better_order(facts, channels, reading.meanings) or reading.meanings

    def answer(name: str, order: tuple[Meaning, ...]) -> Answer:
        why = f"Order by what the {name}; settled by hand."
        rows = packed_rows_by_hand(facts, channels, order, why)
        words = " ".join(token.key for token in content_of(facts.path)[len(reading.stem) :])
        # A habit reads channels from the first on; pairs that skip channels cannot be taught so.
        teachable = words and channels == facts.channels[: len(channels)]
        label = f"{', '.join(meaning.replace('_', ' ') for meaning in order)}, as the {name}"
        return Answer(
            key=name,
            label=label,
            actions=tuple(Action(kind="assign", set=key, row=entry) for entry in rows),
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
    )


def _unnamed(scene: Scene, entry: OpenFile) -> Question:
    facts = scene.files[entry.file]
    home = _likely_home(scene, facts)
    answers: list[Answer] = []
    if home is not None:
        taken = scene.ledgers[home]
        order = likely_order(facts)
        if order and not any(taken.row(meaning) for meaning in order):
            answers.append(_as_packed(scene, home, facts, order))
        guesses = dict.fromkeys(key for key in (entry.guess, "base_colour", "normal", "roughness", "occlusion", "height") if key)
        for guess in guesses:
            if taken.row(guess) is None and row_problem(row_for(facts, guess), scene.files) is None:
                answers.append(_as_property(scene, home, facts, guess, f"{property_of(guess).title} of {taken.name}"))
        answers = answers[:3]
        answers.append(_leave(home, facts.id, f"Leave it out of {taken.name}", joined=True))
    why = "Set aside by hand: it belongs to no set."
    words = _ending(facts)
    aside = Answer(
        key="set aside",
        label="Set it aside",
        actions=(Action(kind="set aside", file=facts.id, why=why),),
        habit=Habit(words=words) if words else None,
    )
    looks = f" Its pixels look like {property_of(entry.guess).title.lower()}." if entry.guess else ""
    # Without a guess from the pixels nothing is sensible but to keep it out of the way.
    prepared = None if entry.guess or (home and likely_order(facts)) else "set aside"
    return question(
        "unnamed", home, (facts.id,), f"What is {facts.name}?", f"{entry.why}{looks}", (*answers, aside), prepared=prepared
    )


def _likely_home(scene: Scene, facts: FileFacts) -> str | None:
    """The set that an unnamed file most likely belongs to: the one in its folder with the longest common beginning of names."""
    folder, tokens = home_folder(facts.path), [token.key for token in content_of(facts.path)]
    best, place = -1, None
    homes = 0
    for key, ledger in scene.ledgers.items():
        for file in ledger.files():
            if file not in scene.files or home_folder(scene.files[file].path) != folder:
                continue
            other = [token.key for token in content_of(scene.files[file].path)]
            common = next(
                (index for index, (a, b) in enumerate(zip(tokens, other, strict=False)) if a != b), min(len(tokens), len(other))
            )
            homes += place != key
            if common > best:
                best, place = common, key
    # In a folder with several sets, only a common beginning says which.
    return place if best > 0 or homes == 1 else None


def _keep(key: str, row: Row) -> Answer:
    title = property_of(row.property).title.lower()
    why = f"{row.why} Kept as {title} by hand."
    return Answer(
        key="keep", label=f"Keep it as {title}", actions=(Action(kind="keep", set=key, property=row.property, why=why),)
    )


def _as_property(scene: Scene, key: str, facts: FileFacts, prop: str, label: str) -> Answer:
    row = row_for(facts, prop).model_copy(update={"sure": "by hand", "why": "Settled by hand."})
    words = _ending(facts)
    habit = Habit(words=words, meanings=(prop,)) if words and not prop.startswith("mask.") else None
    old = [row for row in scene.ledgers[key].rows if row.file == facts.id and row.property != prop]
    clear = [Action(kind="leave out", set=key, file=facts.id)] if old else []
    return Answer(
        key=f"as {prop}", label=label, actions=(*clear, Action(kind="assign", set=key, row=row, file=facts.id)), habit=habit
    )


def _as_packed(scene: Scene, key: str, facts: FileFacts, order: tuple[Meaning, ...]) -> Answer:
    rows = packed_rows_by_hand(facts, facts.channels[:3], order, "Settled by hand, as the channels look.")
    words = _ending(facts)
    return Answer(
        key="as packed",
        label=f"{', '.join(order).capitalize()} of {scene.ledgers[key].name}",
        actions=tuple(Action(kind="assign", set=key, row=row, file=facts.id) for row in rows),
        habit=Habit(words=words, meanings=order) if words else None,
    )


def _leave(key: str, file: str, label: str, joined: bool = False) -> Answer:
    why = "Left out by hand." if not joined else "Belongs to the set and is not used; left out by hand."
    return Answer(key="leave out", label=label, actions=(Action(kind="leave out", set=key, file=file, why=why),))


def _ending(facts: FileFacts) -> str:
    """The last word of a file's name, which a habit can be taught about; "" where there is none or it is all there is."""
    content = content_of(facts.path)
    return content[-1].key if len(content) > 1 and not content[-1].key.isdigit() else ""
