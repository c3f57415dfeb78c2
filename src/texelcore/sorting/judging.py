"""What a class of files with one ending is: said from the lexicon, from the siblings of its files, and from their pixels."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Literal

from texelcore.naming.habits import Habit
from texelcore.naming.lexicon import OLDER, Meaning, is_short
from texelcore.sorting.cuts import Cut, Look, Piece, contradicts, meaning_of_folder
from texelcore.surface.files import FileFacts

Place = tuple[str, str]
# The share of a class that must agree, and from how many stems on an unknown ending is no accident (judgement).
MOST, HALF, FEW_STEMS = 0.7, 0.5, 3
# Glow is dark nearly everywhere: the mean of a picture of what shines.
DARK = 0.2
MOSTLY_BLACK = 0.4
# Sides and levels of detail tell surfaces apart; they are never maps.
_PARTS = frozenset({"left", "right", "front", "back", "top", "bottom", "side", "up", "down", "upper", "lower", "inner", "outer"})
# Colours do too: "sign_red" is a sign in red, and no map of a set "sign".
_COLOURS = frozenset(
    {"red", "green", "blue", "yellow", "orange", "purple", "violet", "pink", "magenta", "cyan", "turquoise", "teal", "brown"}
    | {"beige", "black", "white", "grey", "gray", "silver", "gold", "golden"}
)
BASE: tuple[Meaning, ...] = ("base_colour",)
NORMAL: tuple[Meaning, ...] = ("normal",)


@dataclass
class EndingClass:
    """The files of one ending within a folder, or the rest of it: what it was taken for, and whether that is to be asked.

    `meanings` is empty where the ending belongs to the stem (each such picture is a surface of its own). `beside` says what the
    files of an unknown ending stand beside; `paler` how many of them are no more coloured than the base colour there.
    """

    ending: str
    pieces: list[Piece]
    meanings: tuple[Meaning, ...] = ()
    ask: bool = False
    why: str = ""
    beside: Literal["a base colour", "no base colour", ""] = ""
    paler: int = 0


@dataclass
class Ground:
    """What a survey knows so far: files by home folder and name, what the house was taught, and the endings that each stem has by
    now, with the files that have them."""

    names: dict[Place, list[Piece]] = field(default_factory=lambda: defaultdict(list))
    taught: dict[str, Habit] = field(default_factory=dict)
    ends: dict[Place, dict[str, list[Piece]]] = field(default_factory=lambda: defaultdict(lambda: defaultdict(list)))


class Judge:
    """Says what a class of files with one ending is, from the lexicon, the siblings of its files and their pixels."""

    def __init__(self, ground: Ground, cuts: dict[int, Cut], offers: dict[Place, dict[str, list[Piece]]]) -> None:
        self.ground = ground
        self.cuts = cuts
        self.offers = offers
        self._stems_of_others = set(ground.ends)

    def known(self, ending: str, members: list[Piece]) -> EndingClass | None:
        """A class whose ending the lexicon knows, but not surely."""
        members = [piece for piece in members if not self._is_stem(piece)]
        if not members or (ending in self.ground.taught and not is_short(ending)):
            return self._by_habit(ending, members)
        meanings = self.cuts[id(members[0])].meanings
        looks = Counter(piece.look for piece in members)
        if directions := self._directions(ending, members, looks):
            return directions
        if meanings == BASE:
            return self._base(ending, members, looks)
        in_company = [piece for piece in members if self._has_sibling(piece) and not self._is_side(piece)]
        if meanings == NORMAL:
            # A mixed class, such as the north sides of skies among normal maps: pixels that are directions say so one by one.
            kept = [piece for piece in in_company if piece.look == "directions"]
            return EndingClass(ending, kept, NORMAL) if kept else None
        if not in_company or self._in_a_row(ending, members):
            return None
        coloured = sum(piece.look == "colour" for piece in in_company)
        dark = meanings[0] == "emissive" and _mean([mean_of(piece.facts) for piece in in_company]) < DARK
        if coloured > HALF * len(in_company) and not dark and (meanings[0] not in ("emissive", "mask") or len(ending) == 1):
            # Of the maps that a letter may mean, specular colour is in colour too.
            return self._beside_base(ending, in_company) if meanings[0] == "specular" else None
        if ending in OLDER:
            return self._older(ending, in_company)
        agreeing = [piece for piece in in_company if not contradicts(piece.facts, meanings)]
        stems = {self._place(piece) for piece in agreeing}
        supported = len(stems) >= FEW_STEMS or any(self._has_known(piece) for piece in agreeing)
        if len(agreeing) < HALF * len(members) or not (supported or len(ending) > 1):
            return None
        return EndingClass(ending, agreeing, meanings, why="Its class of files, their siblings and their pixels agree.")

    def unknown(self, ending: str, members: list[Piece]) -> EndingClass | None:
        """A class whose ending nobody knows."""
        members = [piece for piece in members if not self._is_stem(piece)]
        if not members or (ending in self.ground.taught and not is_short(ending)):
            return self._by_habit(ending, members)
        if ending in _PARTS | _COLOURS or ending.startswith("lod") or _told_by_folders(members):
            return None
        looks = Counter(piece.look for piece in members)
        if directions := self._directions(ending, members, looks):
            return directions
        in_company = [piece for piece in members if self._has_sibling(piece)]
        stems = {self._place(piece) for piece in in_company}
        if not stems:
            return None
        if looks["colour"] > HALF * len(members):
            return self._unknown_colour(ending, in_company)
        if self._in_a_row(ending, members):
            return None
        if self.cuts[id(members[0])].short and not any(self._has_known(piece) for piece in in_company):
            return None
        needy = sum(self._lacks_base(piece) and self._has_known(piece) for piece in in_company)
        if looks["colour"] > 0.25 * len(members) and needy > HALF * len(in_company):
            why = "Their sets have no base colour, and many of these are in colour."
            return EndingClass(ending, in_company, (), True, why, "no base colour")
        beside = [piece for piece in in_company if self._has_maps(piece)]
        unlike = [piece for piece in in_company if self._stands_out(piece)]
        many = len(stems) >= FEW_STEMS
        if not (unlike and beside) and not (many and len(unlike) > HALF * len(in_company)) and not (many and beside):
            return None
        asked = in_company if many else unlike
        return EndingClass(ending, asked, (), True, "The lexicon does not know this ending.", paler=self._paler(asked))

    def _unknown_colour(self, ending: str, members: list[Piece]) -> EndingClass | None:
        cut = self.cuts[id(members[0])]
        if len(cut.ending) == 1 or (cut.short and cut.joint == "glued"):
            return None
        alone = [piece for piece in members if self._is_only_colour(piece)]
        clear = len({self._place(piece) for piece in alone}) >= FEW_STEMS or any(self._has_known(piece) for piece in alone)
        if clear and len(alone) >= HALF * len(members):
            return EndingClass(
                ending,
                alone,
                (),
                True,
                "Their sets have no base colour, and these are the only pictures in colour.",
                "no base colour",
            )
        return self._beside_base(ending, members)

    def _beside_base(self, ending: str, members: list[Piece]) -> EndingClass | None:
        """Pictures in colour whose stems have a base colour already."""
        beside = [piece for piece in members if not self._lacks_base(piece)]
        stems = {self._place(piece) for piece in beside}
        if not any(self._has_maps(piece) for piece in beside) or len(stems) < FEW_STEMS or len(beside) < HALF * len(members):
            return None
        return EndingClass(ending, beside, (), True, "They stand beside a base colour.", "a base colour", self._paler(beside))

    def _older(self, ending: str, members: list[Piece]) -> EndingClass | None:
        kept = [piece for piece in members if self._has_known(piece) or self._stands_out(piece)]
        stems = {self._place(piece) for piece in kept}
        # A whole word means a map also where it stands once; a letter needs a class of files.
        few = len(stems) < FEW_STEMS and is_short(ending)
        if not kept or (few and not any(self._has_known(piece) for piece in kept)):
            return None
        return EndingClass(ending, kept, (), True, "The same ending means different things in different studios.")

    def _directions(self, ending: str, members: list[Piece], looks: Counter[Look]) -> EndingClass | None:
        """A class of normal maps, by their pixels: whatever it is called."""
        telling = len(members) - looks["flat"] - looks["unknown"] - looks["constant"]
        named = self.cuts[id(members[0])].meanings == NORMAL
        if looks["directions"] < MOST * telling or (not looks["directions"] and not named):
            return None
        kept = [piece for piece in members if not contradicts(piece.facts, NORMAL) or piece.look == "constant"]
        if not looks["directions"] and not any(self._has_sibling(piece) for piece in kept):
            return None
        said = "" if named else "Pixels that are directions make them normal maps."
        return EndingClass(ending, kept, NORMAL, why=said)

    def _base(self, ending: str, members: list[Piece], looks: Counter[Look]) -> EndingClass | None:
        """Letters for base colour count where their stems have other maps and no colour of their own."""
        fit = [piece for piece in members if self._is_only_colour(piece)]
        if not fit or len(fit) < HALF * sum(self._has_sibling(piece) for piece in members):
            return None
        if looks["grey"] > HALF * len(members) and ending in OLDER:
            return EndingClass(ending, fit, (), True, "They are grey: a base colour as well as a height may be called so.")
        # Once the class is clear, those whose stems have no other map belong to it too.
        clear = len(fit) > FEW_STEMS
        rest = [piece for piece in members if clear and piece not in fit and self._lacks_base(piece) and not self._row_of(piece)]
        return EndingClass(ending, [*fit, *rest], BASE, why="Its class of files, their siblings and their pixels agree.")

    def _by_habit(self, ending: str, members: list[Piece]) -> EndingClass | None:
        habit = self.ground.taught.get(ending)
        kept = [piece for piece in members if self._has_sibling(piece)]
        if habit is None or habit.surface or not kept:
            return None
        return EndingClass(ending, kept, habit.meanings, why="The house has decided so.")  # type: ignore[arg-type]

    def _place(self, piece: Piece) -> Place:
        return piece.home, self.cuts[id(piece)].stem_key

    def _others(self, piece: Piece) -> dict[str, list[Piece]]:
        """What else the file's stem has: decided endings, and offered ones."""
        place, mine = self._place(piece), self.cuts[id(piece)].ending
        both: dict[str, list[Piece]] = {}
        for table in (self.ground.ends, self.offers):
            if place in table:
                both |= {ending: pieces for ending, pieces in table[place].items() if ending != mine}
        return both

    def _bare_of(self, piece: Piece) -> list[Piece]:
        return [other for other in self.ground.names.get(self._place(piece), ()) if other is not piece and other.cut is None]

    def _has_sibling(self, piece: Piece) -> bool:
        return bool(self._bare_of(piece) or self._others(piece))

    def _has_maps(self, piece: Piece) -> bool:
        """Whether the stem has other endings that are decided."""
        place, mine = self._place(piece), self.cuts[id(piece)].ending
        decided = self.ground.ends.get(place, {})
        return any(ending != mine for ending in decided)

    def _has_known(self, piece: Piece) -> bool:
        """Whether the stem has another ending that is decided, or that the lexicon knows."""
        offered = self.offers.get(self._place(piece), {})
        mine = self.cuts[id(piece)].ending
        known = any(self._may_be_map(other) for ending, pieces in offered.items() if ending != mine for other in pieces)
        return known or self._has_maps(piece)

    def _base_of(self, piece: Piece) -> Piece | None:
        """The base colour of a file's stem: the picture of its bare name, or what was decided to be it."""
        decided = [other for pieces in self.ground.ends.get(self._place(piece), {}).values() for other in pieces]
        named = [other for other in decided if other.final and other.final.meanings == BASE]
        return next(iter([*self._bare_of(piece), *named]), None)

    def _paler(self, pieces: list[Piece]) -> int:
        bases = [(piece, base) for piece in pieces if (base := self._base_of(piece))]
        return sum(_coloured(piece.facts) <= _coloured(base.facts) for piece, base in bases)

    def _lacks_base(self, piece: Piece) -> bool:
        return self._base_of(piece) is None

    def _may_be_map(self, piece: Piece) -> bool:
        meanings = self.cuts[id(piece)].meanings
        return bool(meanings) and meanings != BASE and not contradicts(piece.facts, meanings)

    def _is_only_colour(self, piece: Piece) -> bool:
        """Whether the stem has other maps, and no other picture in colour that could be its base colour."""
        others = self._others(piece)
        if not others or self._bare_of(piece):
            return False
        decided = self.ground.ends.get(self._place(piece), {})
        base = self.cuts[id(piece)].meanings == BASE
        colours = [
            ending
            for ending, pieces in others.items()
            # Beside a letter for base colour only another such, or a row of letters, is a second colour.
            if (not base or ending in decided or self._in_one_row(piece, ending))
            and any(other.final.meanings == BASE if other.final else _broadly(other) == "colour" for other in pieces)
            and (ending not in decided or any(other.final and other.final.meanings == BASE for other in pieces))
        ]
        maps = [
            ending for ending, pieces in others.items() if any(_broadly(other) != "colour" or other.final for other in pieces)
        ]
        return not colours and bool(maps)

    def _is_stem(self, piece: Piece) -> bool:
        """Whether other files are named after this one's whole name: then its last word belongs to the stem."""
        if self._glows_with_normals(piece):
            return False
        if piece.place in self._stems_of_others or piece.place in self.ground.ends:
            return True
        after = self.offers.get(piece.place, {})
        return any(self.cuts[id(other)].meanings for pieces in after.values() for other in pieces)

    def _glows_with_normals(self, piece: Piece) -> bool:
        """A dark glow map beside its base colour, of which somebody made nothing but a normal map too: it glows all the same."""
        cut = self.cuts[id(piece)]
        if cut.meanings != ("emissive",) or cut.short or self._lacks_base(piece) or mean_of(piece.facts) > DARK:
            return False
        after = [*self.ground.ends.get(piece.place, {}).values(), *self.offers.get(piece.place, {}).values()]
        others = [other for pieces in after for other in pieces]
        said = [other.final.meanings if other.final else self.cuts[id(other)].meanings for other in others]
        return bool(said) and set(said) == {NORMAL}

    def _is_side(self, piece: Piece) -> bool:
        """Left and right of one thing are no roughness."""
        pair = {"r": "l", "l": "r"}.get(self.cuts[id(piece)].ending)
        return pair is not None and pair in self._others(piece)

    def _in_a_row(self, ending: str, members: list[Piece]) -> bool:
        """Whether a letter is one of a row ("a", "b", "c" …) of pictures for most of its stems: variants of a surface."""
        if len(ending) != 1 or not ending.isascii() or not ending.isalpha():
            return False
        return sum(self._row_of(piece) for piece in members) >= HALF * len(members)

    def _row_of(self, piece: Piece) -> bool:
        """Whether a file's letter is one of a row that its stem has."""
        ending = self.cuts[id(piece)].ending
        return len(ending) == 1 and _runs_through(ending, {other for other in self._others(piece) if len(other) == 1})

    def _in_one_row(self, piece: Piece, other: str) -> bool:
        """Whether another letter of a file's stem stands in one row with its own."""
        ending = self.cuts[id(piece)].ending
        if len(ending) != 1 or len(other) != 1:
            return False
        low, high = sorted((ord(ending), ord(other)))
        letters = {letter for letter in self._others(piece) if len(letter) == 1} | {ending}
        return self._row_of(piece) and all(chr(letter) in letters for letter in range(low, high))

    def _stands_out(self, piece: Piece) -> bool:
        """Whether a file looks unlike its bare sibling and its stem's other endings: pictures alike are variants, no maps."""
        pieces = [*self._bare_of(piece), *(other for others in self._others(piece).values() for other in others)]
        looks = Counter(_broadly(other) for other in pieces)
        return bool(looks) and looks[_broadly(piece)] <= HALF * len(pieces)


def mean_of(facts: FileFacts) -> float:
    """The mean of a picture's colours, 0–1; 0.5 where it was never looked at."""
    channels = facts.evidence.channels if facts.evidence else {}
    values = [seen.mean for name, seen in channels.items() if name != "A"]
    return _mean(values) if values else 0.5


def _coloured(facts: FileFacts) -> float:
    """How far apart the means of a picture's colours lie, 0–1."""
    channels = facts.evidence.channels if facts.evidence else {}
    values = [seen.mean for name, seen in channels.items() if name != "A"]
    return max(values) - min(values) if values else 0.0


def shines(facts: FileFacts) -> bool:
    """Whether a picture is black but for what gives light."""
    seen = [channel for name, channel in (facts.evidence.channels if facts.evidence else {}).items() if name != "A"]
    return bool(seen) and mean_of(facts) < DARK and min(channel.at_low for channel in seen) > MOSTLY_BLACK


def _mean(values: Sequence[float]) -> float:
    return sum(values) / len(values)


def _told_by_folders(pieces: list[Piece]) -> bool:
    """Whether pictures lie in folders of several properties, and look as these say: what else they share belongs to the stem."""
    said = [(piece, meaning_of_folder(piece.facts.path)) for piece in pieces]
    fits = all(folder and not contradicts(piece.facts, folder.meanings) for piece, folder in said)
    return fits and len({folder.meanings for _, folder in said if folder}) > 1


def _broadly(piece: Piece) -> str:
    # The channels of many a painted picture go together too little to be called colour, and of a packed map too much.
    return "colour" if piece.look == "packed" else "grey" if piece.look == "constant" else piece.look


def _runs_through(letter: str, others: set[str]) -> bool:
    """Whether letters in a row run through this one: from "a" on, or four of them anywhere."""
    low = high = ord(letter)
    while chr(low - 1) in others:
        low -= 1
    while chr(high + 1) in others:
        high += 1
    return (low == ord("a") and high > low) or high - low >= 3
