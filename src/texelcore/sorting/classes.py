"""Questions about whole classes of open files: one for each ending that is not sure, and one for a folder's worth of pictures
that stand alone."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterable, Sequence

from texelcore.naming.habits import Habit
from texelcore.sorting.cuts import told, unlike
from texelcore.sorting.layouts import layout_words
from texelcore.sorting.questions import Answer, Member, Question, name_of
from texelcore.sorting.sort import OpenFile

_TITLES = {
    "base_colour": "Base colour",
    "normal": "Normal",
    "roughness": "Roughness",
    "gloss": "Gloss (one minus roughness)",
    "metallic": "Metallic",
    "occlusion": "Occlusion",
    "height": "Height",
    "emissive": "Emissive",
    "specular": "Specular colour or strength",
    "opacity": "Opacity",
    "mask": "Mask",
}
# What a class of pictures may hold by its looks, likeliest first.
_COLOURED = ("base_colour", "emissive", "specular", "mask", "gloss", "opacity")
_GREY = ("specular", "roughness", "gloss", "height", "occlusion", "metallic", "opacity", "mask", "emissive", "base_colour")
_LOOK_WORDS = {
    "directions": "look like directions",
    "flat": "are flat, as an empty normal map",
    "colour": "are in colour",
    "grey": "are grey",
    "packed": "hold unlike channels",
    "constant": "hold one value",
    "unknown": "were not looked at",
}
_ONE = {
    "directions": "looks like directions",
    "flat": "is flat, as an empty normal map",
    "colour": "is in colour",
    "grey": "is grey",
    "packed": "holds unlike channels",
    "constant": "holds one value",
    "unknown": "was not looked at",
}
# Pictures that stand alone are asked about by folder; folders of few go with the folder around them.
_FEW, _MOST_GROUPS = 12, 6


def classes_asked(entries: Iterable[OpenFile]) -> list[Question]:
    """The questions about the classes that open files belong to."""
    endings: dict[str, list[OpenFile]] = defaultdict(list)
    alone: list[OpenFile] = []
    for entry in sorted(entries, key=lambda entry: entry.path.casefold()):
        if entry.kind == "ending":
            endings[entry.ending].append(entry)
        elif entry.kind == "alone":
            alone.append(entry)
    asked = [_ending_asked(ending, members) for ending, members in endings.items()]
    return [*asked, *(_alone_asked(folder, members) for folder, members in _by_folder(alone).items())]


def _ending_asked(ending: str, entries: list[OpenFile]) -> Question:
    looks = told(entry.look for entry in entries)
    written = Counter(entry.written for entry in entries).most_common(1)[0][0]
    stems = {(entry.home, entry.stem.casefold()) for entry in entries}
    guess = Counter(entry.guess for entry in entries if entry.guess).most_common(1)
    orders = Counter(tuple(entry.order) for entry in entries if entry.look == "packed").most_common(1)
    answers = _meanings(ending, guess[0][0] if guess else None, looks)
    differ = looks["packed"] > sum(looks.values()) / 2
    if differ or (guess == [] and not looks["colour"] and not looks["directions"]):
        first = _packed(ending, orders[0][0] if differ else (), differ)
        answers = (*first, *(answer for answer in answers if answer.key != first[0].key))
    count = f"{len(entries):,} files end" if len(entries) > 1 else "1 file ends"
    sets = f"{len(stems):,} sets" if len(stems) > 1 else f"the set {entries[0].stem}"
    return Question(
        key=name_of("ending", ending),
        kind="ending",
        set=None,
        about=ending,
        files=tuple(entry.file for entry in entries),
        text=f"{count} in “{written}”. What {'do they' if len(entries) > 1 else 'does it'} hold?",
        why=f"{'They belong' if len(entries) > 1 else 'It belongs'} to {sets}: {_look_words(looks)}.",
        answers=answers,
        prepared=answers[0].key,
        members=_members("ending", entries, looks),
    )


def _meanings(ending: str, guess: str | None, looks: Counter[str]) -> tuple[Answer, ...]:
    usual: tuple[str, ...] = _COLOURED if looks["colour"] > sum(looks.values()) / 2 else _GREY
    if looks["directions"] > sum(looks.values()) / 2:
        usual = ("normal", *_COLOURED)
    keys = list(dict.fromkeys([guess, *usual] if guess and guess != "surface" else usual))
    answers = [
        Answer(key=f"as {key}", label=_TITLES[key], each="sort", habit=Habit(words=ending, meanings=(key,)))
        for key in keys
        if key in _TITLES
    ]
    own = Answer(
        key="surface",
        label="A surface of its own each: the ending belongs to the name",
        each="found",
        habit=Habit(words=ending, surface=True),
    )
    aside = Answer(key="set aside", label="Set them aside", each="set aside", habit=Habit(words=ending))
    return (own, *answers, aside) if guess in ("surface", None) else (*answers, own, aside)


def _packed(ending: str, order: tuple[str, ...], differ: bool) -> tuple[Answer, ...]:
    """What is prepared where channels `differ`, or grey says nothing: what they clearly look like; else each that says
    something is a mask, which claims nothing that they may not be."""
    if not order:
        label = "A mask in each channel" if differ else "A mask"
        return (Answer(key="as mask", label=label, each="sort", habit=Habit(words=ending, meanings=("mask",))),)
    habit = Habit(words=ending, meanings=order, channels=("R", "G", "B"))
    return (Answer(key="as packed", label=layout_words(habit), each="sort", habit=habit),)


def _alone_asked(folder: str, entries: list[OpenFile]) -> Question:
    looks = told(entry.look for entry in entries)
    folders = {entry.path.rpartition("/")[0] for entry in entries}
    where = f" in {folder}" if folder else ""
    count = f"{len(entries):,} pictures stand" if len(entries) > 1 else f"{entries[0].path.rpartition('/')[2]} stands"
    spread = f" They lie in {len(folders)} folders." if len(folders) > 1 else ""
    answers = (
        Answer(key="each", label="A set each" if len(entries) > 1 else "A set of its own", each="found"),
        Answer(key="masks", label="A set of masks each" if len(entries) > 1 else "A set of masks", each="found masks"),
        Answer(key="set aside", label="Set them aside" if len(entries) > 1 else "Set it aside", each="set aside"),
    )
    return Question(
        key=name_of("alone", folder),
        kind="alone",
        set=None,
        about=folder,
        files=tuple(entry.file for entry in entries),
        text=f"{count} alone{where}: no other file has {'their stems' if len(entries) > 1 else 'its stem'}.",
        why=f"{_look_words(looks).capitalize()}.{spread} A set of one picture has it as its base colour, or as its normal map; "
        "one of masks has each channel that says something, for masters to read beside a surface.",
        answers=answers,
        # Colour is a surface's; what is grey, or holds unlike channels, says where something is.
        prepared="masks" if set(looks) <= {"grey", "packed"} else "each",
        members=_members("alone", entries, looks),
    )


def _members(kind: str, entries: Sequence[OpenFile], looks: Counter[str]) -> tuple[Member, ...]:
    made = (
        Member(
            key=name_of(kind, entry.file),
            files=(entry.file,),
            place=entry.path.rpartition("/")[0],
            unlike=unlike(entry.look, looks),
        )
        for entry in entries
    )
    # What looks unlike the rest comes first: it is what a person has to see.
    return tuple(sorted(made, key=lambda member: not member.unlike))


def _look_words(looks: Counter[str]) -> str:
    if sum(looks.values()) == 1:
        return "it " + _ONE[next(iter(looks))]
    said = ((count, (_ONE if count == 1 else _LOOK_WORDS)[look]) for look, count in looks.most_common())
    return ", ".join(f"{count:,} {words}" for count, words in said)


def _by_folder(entries: list[OpenFile]) -> dict[str, list[OpenFile]]:
    """Entries by folder, where folders of few have gone up to the folder around them until they are many."""
    folders: dict[str, list[OpenFile]] = defaultdict(list)
    for entry in entries:
        folders[entry.path.rpartition("/")[0]].append(entry)
    least = max(_FEW, len(entries) // _MOST_GROUPS)
    while True:
        small = [name for name, entries in folders.items() if name and len(entries) < least]
        if not small:
            return dict(folders)
        folder = max(small, key=lambda name: name.count("/"))
        around = folder.rpartition("/")[0]
        folders.setdefault(around, []).extend(folders.pop(folder))
