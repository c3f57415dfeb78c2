"""The lexicon of aliases: which words name which property. Families are common practice, without a published source."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal, cast

from texelcore.naming.habits import Habit, habit_for
from texelcore.naming.tokens import Token, stem_of, tokenise
from texelcore.surface.ledger import ChannelName
from texelcore.surface.properties import NormalY

Meaning = Literal[
    "base_colour", "normal", "roughness", "gloss", "metallic", "occlusion", "height", "emissive", "specular", "opacity", "mask"
]
Strength = Literal["strong", "weak"]

ALIASES: dict[Meaning, str] = {
    "base_colour": "basecolor basecolour albedo diffuse diff dif col color colour c d bc",
    "normal": "normal normals nrm norm nor nm n",
    "roughness": "roughness rough rgh r",
    "gloss": "gloss glossiness smoothness smooth g",
    "metallic": "metallic metalness metal mtl met m",
    "occlusion": "ao occ occlusion ambientocclusion",
    "height": "height disp displacement bump h",
    "emissive": "emissive emission emit glow e",
    "specular": "specular spec spc refl reflection",
    "opacity": "opacity alpha transparency o",
    "mask": "mask msk",
}
DIRECTIONS: dict[str, NormalY] = {"gl": "+Y", "ogl": "+Y", "opengl": "+Y", "dx": "-Y", "directx": "-Y"}
PACK_LETTERS: tuple[tuple[str, Meaning], ...] = (
    ("ao", "occlusion"),
    ("a", "occlusion"),
    ("o", "occlusion"),
    ("r", "roughness"),
    ("m", "metallic"),
    ("d", "height"),
    ("h", "height"),
)
# Two properties in one texture, by names in use, with the channels that each sits in: metallic with smoothness in alpha
# is common practice; "metallicRoughness" is glTF 2.0, section Materials (roughness in green, metallic in blue).
PAIRS: dict[tuple[Meaning, ...], tuple[ChannelName, ...]] = {
    ("metallic", "gloss"): ("R", "A"),
    ("metallic", "roughness"): ("B", "G"),
}
_MEANING_OF: dict[str, Meaning] = {alias: meaning for meaning, line in ALIASES.items() for alias in line.split()}
_SINGLE_CHANNEL: frozenset[Meaning] = frozenset({"roughness", "gloss", "metallic", "occlusion", "height", "opacity"})
_LONGEST_PHRASE = 3
_SHORTEST_COMPOUND = len("basecolor")


@dataclass(frozen=True)
class Reading:
    """What a name says: the stem's tokens, one meaning or several for a packed map, and how strongly.

    `direction` is set where a normal map's name says +Y or −Y; `label` is the mask's name; `word` is what was read.
    `habit` says that the house rules taught it; a habit without meanings asks to leave the file out.
    """

    stem: tuple[Token, ...]
    meanings: tuple[Meaning, ...]
    strength: Strength
    word: str
    direction: NormalY | None = None
    label: str = ""
    habit: bool = False

    @property
    def stem_key(self) -> str:
        """What files of one set have in common: the stem's words in lower case."""
        return " ".join(token.key for token in self.stem)


def read_name(path: str, habits: Sequence[Habit] = ()) -> Reading | None:
    """What a file's name says about it, or None when no word of it is in the lexicon and no habit fits.

    The property stands last, but for resolution, format, counters and a normal direction. A single letter, a packed
    name in lower case and a property word before the stem are weak: they need a sibling to confirm them.
    """
    name = stem_of(path)
    tokens = tokenise(name)
    content = tuple(token for token in tokens if not token.is_noise)
    taught = habit_for(content, habits)
    if taught:
        return _by_habit(name, tokens, content, taught)
    content, direction = _take_direction(content)
    found = _phrase_ending_at(content, len(content))
    if found and direction and found[0] != ("normal",):
        # "gl" and "dx" mean a direction only beside a normal; elsewhere they are part of the stem.
        content, direction = tuple(token for token in tokens if not token.is_noise), None
        found = _phrase_ending_at(content, len(content))
    if found:
        meanings, start = found
        word = _as_written(name, content[start:])
        lone_letter = len(content) - start == 1 and len(content[start].key) == 1
        quiet_pack = len(meanings) > 1 and len(content) - start == 1 and content[start].text.islower()
        strength: Strength = "weak" if lone_letter or quiet_pack else "strong"
        label = _mask_label(tokens, content[start].end) if meanings == ("mask",) else ""
        return Reading(content[:start], meanings, strength, word, direction, label)
    return _leading(name, content, direction)


def _by_habit(name: str, tokens: tuple[Token, ...], content: tuple[Token, ...], habit: Habit) -> Reading:
    start = len(content) - len(habit.words.split())
    word = _as_written(name, content[start:])
    meanings = cast(tuple[Meaning, ...], habit.meanings)
    label = _mask_label(tokens, content[start].end) if meanings == ("mask",) else ""
    return Reading(content[:start], meanings, "strong", word, habit.direction, label, habit=True)


def packed_meanings(word: str) -> tuple[Meaning, ...] | None:
    """The properties of a packed name's letters in channel order: "RMAO" is roughness, metallic, occlusion.

    None unless three or four different properties use up the whole word. The pair AO counts as one letter.
    """
    rest, meanings = word.lower(), []
    while rest:
        letter = next(((letters, meaning) for letters, meaning in PACK_LETTERS if rest.startswith(letters)), None)
        if letter is None:
            return None
        meanings.append(letter[1])
        rest = rest[len(letter[0]) :]
    return tuple(meanings) if len(set(meanings)) == len(meanings) and len(meanings) in (3, 4) else None


def _take_direction(tokens: tuple[Token, ...]) -> tuple[tuple[Token, ...], NormalY | None]:
    """A direction word at the end, or just before the last word: "nor_gl", "GL_Normal"."""
    # "OpenGL" and "DirectX" come apart at their capitals, so two tokens are tried before one.
    for length in (2, 1):
        for place in (len(tokens) - length, len(tokens) - length - 1):
            word = "".join(token.key for token in tokens[place : place + length]) if place >= 0 else ""
            if word in DIRECTIONS and len(tokens) > length:
                return tokens[:place] + tokens[place + length :], DIRECTIONS[word]
    return tokens, None


def _phrase_ending_at(tokens: tuple[Token, ...], end: int) -> tuple[tuple[Meaning, ...], int] | None:
    """The meanings that end at `end` and where they start: packed letters, joined words, or one alias."""
    if end == 0:
        return None
    packed = packed_meanings(tokens[end - 1].key)
    if packed:
        return packed, end - 1
    last = _alias_ending_at(tokens, end)
    if last is None:
        return None
    chain, start = [last[0]], last[1]
    # "OcclusionRoughnessMetallic": words of single-channel properties in a row name a packed map.
    while chain[0] in _SINGLE_CHANNEL and start > 0:
        before = _alias_ending_at(tokens, start)
        if before is None or before[0] not in _SINGLE_CHANNEL or before[0] in chain or len(tokens[start - 1].key) == 1:
            break
        chain.insert(0, before[0])
        start = before[1]
    # Two words may be a material and a property ("rough metal"): a pair counts only where it is written as one word.
    joined = all(tokens[place].end == tokens[place + 1].start for place in range(start, end - 1))
    if len(chain) > 2 or (tuple(chain) in PAIRS and joined):
        return tuple(chain), start
    return (last[0],), last[1]


def _alias_ending_at(tokens: tuple[Token, ...], end: int) -> tuple[Meaning, int] | None:
    for length in range(min(_LONGEST_PHRASE, end), 0, -1):
        joined = "".join(token.key for token in tokens[end - length : end])
        # Only long words are written apart ("Base Color"); "no_rm" is no "norm".
        if joined in _MEANING_OF and (length == 1 or len(joined) >= _SHORTEST_COMPOUND):
            return _MEANING_OF[joined], end - length
    return None


def _leading(name: str, tokens: tuple[Token, ...], direction: NormalY | None) -> Reading | None:
    """A property word at the very beginning ("normal_moss_bed"): weak, since it may be part of the stem."""
    for length in range(min(_LONGEST_PHRASE, len(tokens) - 1), 0, -1):
        joined = "".join(token.key for token in tokens[:length])
        if joined in _MEANING_OF and len(joined) > 2 and (length == 1 or len(joined) >= _SHORTEST_COMPOUND):
            meaning = _MEANING_OF[joined]
            return Reading(tokens[length:], (meaning,), "weak", _as_written(name, tokens[:length]), direction)
    return None


def _as_written(name: str, tokens: tuple[Token, ...]) -> str:
    return name[tokens[0].start : tokens[-1].end]


def _mask_label(tokens: tuple[Token, ...], after: int) -> str:
    """The number that follows the word "mask", which ends at `after`; 01 when none does."""
    numbers = (token.text for token in tokens if token.start >= after and token.text.isdigit() and len(token.text) <= 2)
    return next(numbers, "1").zfill(2)
