"""Where a name may be cut into stem and ending, and what a picture looks like to those who ask: the ground of the survey."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass, replace
from functools import cached_property, lru_cache
from typing import Literal

from texelcore.naming.habits import Habit
from texelcore.naming.house import Reader
from texelcore.naming.lexicon import OLDER, PLAIN_WORDS, Meaning, Reading, Strength, is_short, peel, read_name
from texelcore.naming.tokens import Joint, key_of_stem, stem_of, tokenise
from texelcore.surface.files import FileFacts

# What a file's pixels look like as a whole. "flat" may be a normal map without slopes; "unknown" was never looked at.
Look = Literal["directions", "flat", "colour", "grey", "packed", "constant", "unknown"]
# Where a second file of one name is put: it stays with its siblings, and a person is asked which of the two to use.
DOUBLE_FOLDER = "double"
# Folders that say nothing about the set in them (common practice).
PLAIN_FOLDERS = frozenset(
    {"textures", "texture", "maps", "map", "tex", "export", "exports", "images", "source", "sources", DOUBLE_FOLDER}
)
# A flat normal map is this blue, and its red and green this near to the middle.
FLAT_BLUE, FLAT_MIDDLE = 0.9, 0.06
# A look that fewer of a class share is unusual (judgement).
UNUSUAL = 0.2
# Channels whose means differ by less are one grey.
GREY = 0.02
_SINGLE: frozenset[Meaning] = frozenset({"roughness", "gloss", "metallic", "occlusion", "height", "opacity"})


def look_of(facts: FileFacts) -> Look:
    """What a file's pixels look like, by its evidence."""
    seen = facts.evidence
    if seen is None:
        return "unknown"
    if seen.picture in ("vector field", "two-channel field"):
        return "directions"
    if seen.picture == "constant":
        return "flat" if _is_upright(facts) else "constant"
    return seen.picture  # type: ignore[return-value]


def told(looks: Iterable[str]) -> Counter[str]:
    """Looks of a class of pictures, counted as a person would: where most are in colour, those whose channels go together too
    little to be called so are colour too."""
    counted = Counter(looks)
    if counted["colour"] >= counted["packed"] > 0:
        counted["colour"] += counted.pop("packed")
    return +counted


def unlike(look: str, counted: Counter[str]) -> bool:
    """Whether a look is unusual among those of its class, and worth a second look. Flat normal maps are directions."""
    if look == "flat" and counted["directions"]:
        return False
    mine = "colour" if look == "packed" and not counted["packed"] else look
    return counted[mine] < UNUSUAL * sum(counted.values())


def _is_upright(facts: FileFacts) -> bool:
    seen = facts.evidence.channels if facts.evidence else {}
    if not {"R", "G", "B"} <= set(seen):
        return False
    sides = max(abs(seen[channel].mean - 0.5) for channel in ("R", "G"))
    return seen["B"].mean >= FLAT_BLUE and sides <= FLAT_MIDDLE


def _is_grey(facts: FileFacts) -> bool:
    seen = facts.evidence.channels if facts.evidence else {}
    means = [seen[channel].mean for channel in ("R", "G", "B") if channel in seen]
    return bool(means) and max(means) - min(means) < GREY


def contradicts(facts: FileFacts, meanings: tuple[Meaning, ...]) -> bool:
    """Whether a picture cannot be what these meanings say: a picture in colour is no roughness, directions are no colour."""
    look = look_of(facts)
    if look == "unknown":
        return False
    if meanings == ("normal",):
        bluish = facts.evidence is not None and "B" in facts.evidence.channels and facts.evidence.channels["B"].mean > 0.75
        return look in ("colour", "grey") or (look in ("packed", "constant") and not bluish)
    if look == "directions":
        return True
    if len(meanings) > 2 and len(facts.channels) >= 3:
        # Three maps in one picture differ.
        return look == "grey" or (look == "constant" and _is_grey(facts))
    return len(meanings) == 1 and meanings[0] in _SINGLE and look == "colour"


@dataclass(frozen=True)
class Cut:
    """One way to cut a name: the stem as written, the ending as a key, and what the lexicon says of the ending, if anything.

    `letters` marks an ending that only its class can confirm: a letter or two, or a word that is glued to the stem.
    """

    stem: str
    ending: str
    written: str
    joint: Joint
    meanings: tuple[Meaning, ...] = ()
    strength: Strength = "weak"
    reading: Reading | None = None

    @cached_property
    def stem_key(self) -> str:
        """What cuts of one set have in common."""
        return key_of_stem(self.stem)

    @property
    def short(self) -> bool:
        """Whether the ending is a letter or two, with or without a number."""
        return is_short(self.ending)

    def as_reading(self, meanings: tuple[Meaning, ...], taught: Habit | None = None) -> Reading:
        """The reading that this cut gives when its ending means this, by its class or as the house has taught it."""
        said = self.reading or Reading(self.stem, self.ending, (), "strong", self.written, joint=self.joint, label="01")
        direction = taught.direction if taught else said.direction if said.meanings == meanings else None
        channels = taught.channels if taught else ()
        return replace(
            said, meanings=meanings, strength="strong", direction=direction, habit=taught is not None, channels=channels
        )


class Piece:
    """A file among others: its home folder, its name as written and as a key, how it looks, and the cuts that its name allows."""

    def __init__(self, facts: FileFacts, reader: Reader) -> None:
        self.facts = facts
        self.path = reader.core(facts.path)
        self.edge = max(facts.width, facts.height)
        self.home = home_folder(facts.path)
        self.name = stem_of(self.path)
        self.key = key_of_stem(self.name)
        self.look = look_of(facts)
        self.reading = reader.read(facts.path, self.edge)
        self.place = (self.home, self.key)
        # Decided by the survey.
        self.cut: Cut | None = None
        self.final: Reading | None = None
        self.asked = ""

    @cached_property
    def peeled(self) -> tuple[str, int, int | None]:
        """The name without sizes, formats, revision and tile behind it, and those two numbers."""
        peeled = peel(self.path, self.edge)
        stem, revision, tile = peeled.stem_before(len(peeled.tokens), self.edge)
        return stem + peeled.behind, revision, tile

    @cached_property
    def peeled_key(self) -> str:
        """The peeled name's key."""
        return key_of_stem(self.peeled[0])

    def strong(self) -> Cut | None:
        """The cut that the name's own words make, when they leave no doubt."""
        said = self.reading
        if said is None or said.strength != "strong":
            return None
        return Cut(said.stem, said.ending, said.word, said.joint, said.meanings, "strong", said)

    def weak(self) -> Cut | None:
        """The cut before a last word that only its class of files can confirm: in the lexicon weakly, or not at all."""
        said = self.reading
        if said and said.strength == "weak" and not said.ending.startswith("^"):
            return Cut(said.stem, said.ending, said.word, said.joint, said.meanings, "weak", said)
        return self.unknown()

    def unknown(self) -> Cut | None:
        """The cut before the last word, whatever that is: behind a separator or a capital, or letters behind a number."""
        peeled = peel(self.path, self.edge)
        tokens = peeled.tokens
        place = len(tokens) - 1
        while place > 0 and tokens[place].joint == "glued" and not (tokens[place].text.isalpha() and place == len(tokens) - 1):
            place -= 1
        if place <= 0 or tokens[place].text.isdigit() or (tokens[place].joint == "glued" and len(tokens[place].text) > 2):
            return None
        stem, revision, tile = peeled.stem_before(place, self.edge)
        ending, written, joint = peeled.key(place), peeled.written(place), tokens[place].joint
        # Where the ending turns out to be a mask's, that is what the mask is called: another ending is another mask.
        name = ending.replace(" ", "")
        label = name if name.isalnum() and len(name) <= _LONGEST_LABEL else "01"
        said = Reading(stem, ending, (), "weak", written, None, label, joint, peeled.behind, revision, tile)
        return Cut(stem, ending, written, joint, OLDER.get(ending, ())[:1], reading=said)

    def glued_to(self, stem: str) -> Cut | None:
        """The cut behind a stem that this name begins with, where only letters follow; None where anything else does."""
        ending = self.name[len(stem) :]
        if not ending.isalpha() or len(ending) > _LONGEST_GLUED:
            return None
        key = " ".join(token.key for token in tokenise(ending))
        said = read_name(f"x_{ending}.png")
        if said and said.stem == "x":
            return Cut(stem, key, ending, "glued", said.meanings, "weak" if len(ending) < 4 or key in PLAIN_WORDS else "strong")
        return Cut(stem, key, ending, "glued", OLDER.get(key, ())[:1])


_LONGEST_GLUED = 12
# Names of masks stand in the names of outputs.
_LONGEST_LABEL = 20
# Thousands of files lie in a few folders, and each is asked for more than once.
_REMEMBERED = 1 << 14


@lru_cache(_REMEMBERED)
def home_folder(path: str) -> str:
    """The folder that a file's set goes by: folders that name only a property, a size or "textures" are passed over."""
    folders = path.split("/")[:-1]
    while folders and says_nothing(folders[-1]):
        folders.pop()
    return "/".join(folders)


@lru_cache(_REMEMBERED)
def says_nothing(folder: str) -> bool:
    """Whether a folder's name says nothing about the sets in it."""
    if folder.lower() in PLAIN_FOLDERS or all(token.is_size or token.is_format for token in tokenise(folder)):
        return True
    reading = read_name(folder)
    return reading is not None and not reading.stem and len(folder) > 1


def meaning_of_folder(path: str) -> Reading | None:
    """What the folder that a file lies in says, where its whole name is a property ("normals/oak.png")."""
    return _whole_name(path.rpartition("/")[0].rpartition("/")[2])


@lru_cache(_REMEMBERED)
def _whole_name(folder: str) -> Reading | None:
    reading = read_name(folder) if len(folder) > 1 else None
    return reading if reading and not reading.stem else None
