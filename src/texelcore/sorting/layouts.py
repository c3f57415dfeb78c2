"""Packed layouts as a person says them: what each channel of a file holds, for one file or for all with an ending."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping

from pydantic import ValidationError

from texelcore.naming.habits import MEANINGS, Habit
from texelcore.sorting.decide import rows_of_layout
from texelcore.sorting.questions import Action, Answer, Question
from texelcore.surface.files import FileFacts
from texelcore.surface.mistakes import first_mistake
from texelcore.surface.sources import Source


def can_by_channel(question: Question) -> bool:
    """Whether a question is about what files hold, so that it may be answered by channel: of files with one ending, or of such as
    belong to sets."""
    if question.kind == "ending":
        return True
    homes = [member.set for member in question.members] or [question.set]
    return question.kind in ("unnamed", "disagrees") and question.about != "normal" and None not in homes


def layout_habit(words: str, held: Mapping[str, str]) -> Habit:
    """A habit from what each channel holds; "" is nothing. Channels that hold the same property hold it together, but for masks.
    Raises ValueError that says what does not go together."""
    together: dict[str, str] = defaultdict(str)
    masks = []
    for letter in "RGBA":
        meaning = held.get(letter, "")
        if meaning and meaning not in MEANINGS:
            raise ValueError(f"{letter} cannot hold {meaning}: known are {', '.join(MEANINGS)}")
        if meaning == "mask":
            masks.append(letter)
        elif meaning:
            together[meaning] += letter
    pairs = [*((letters, meaning) for meaning, letters in together.items()), *((letter, "mask") for letter in masks)]
    pairs.sort(key=lambda pair: "RGBA".index(pair[0][0]))
    if not pairs:
        raise ValueError("some channel has to hold something; to keep the files out, set them aside")
    try:
        return Habit(words=words, meanings=tuple(pair[1] for pair in pairs), channels=tuple(pair[0] for pair in pairs))
    except ValidationError as error:
        raise ValueError(first_mistake(error)) from error


def layout_words(habit: Habit) -> str:
    """What a taught layout holds, in words: “Occlusion in R, roughness in G”."""
    pairs = zip(habit.meanings, habit.channels, strict=True)
    held = [f"{meaning.replace('_', ' ')} in {letters}" for meaning, letters in pairs]
    said = ", ".join(held)
    return said[:1].upper() + said[1:]


def answer_by_channel(question: Question, held: Mapping[str, str], files: Mapping[Source, FileFacts]) -> Answer:
    """The answer that says what each channel holds: of all files with an ending, or of the question's files in their sets.
    Raises ValueError for what a file cannot hold, and for a question that is not answered so."""
    words = question.about if question.kind == "ending" else next((a.habit.words for a in question.answers if a.habit), "")
    habit = layout_habit(words or "channels", held)
    label = layout_words(habit)
    if question.kind == "ending":
        return Answer(key="by channel", label=label, each="sort", habit=habit)
    actions = []
    members = question.members or ()
    homes = [(member.key, member.set, member.files[0]) for member in members] or [("", question.set, question.files[0])]
    if not can_by_channel(question):
        raise ValueError("what its channels hold can be said once it belongs to a set")
    for member, home, file in homes:
        rows = rows_of_layout(files[file], habit.meanings, habit.channels, "by hand", "Somebody has said")
        if isinstance(rows, str):
            raise ValueError(f"{files[file].name}: {rows}")
        actions.append(Action(kind="leave out", set=home, file=file, member=member))
        actions += [Action(kind="assign", set=home, row=row, file=file, member=member) for row in rows]
    return Answer(key="by channel", label=label, actions=tuple(actions), habit=habit if words else None)
