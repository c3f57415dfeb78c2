"""The lexicon of aliases: which words name which property. Families are common practice, without a published source."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal, cast

from texelcore.naming.habits import Habit, habit_for
from texelcore.naming.tokens import SMALL_SIZES, Joint, Token, key_of_stem, stem_of, tokenise
from texelcore.surface.files import ChannelName
from texelcore.surface.properties import NormalY

Meaning = Literal[
    "base_colour", "normal", "roughness", "gloss", "metallic", "occlusion", "height", "emissive", "specular", "opacity", "mask"
]
Strength = Literal["strong", "weak"]

ALIASES: dict[Meaning, str] = {
    "base_colour": "basecolor basecolour albedo diffuse diffusemap diff dif col color colour c d bc",
    "normal": "normal normals normalmap nrm norm norms nor nm n",
    "roughness": "roughness roughnessmap rough rgh r",
    "gloss": "gloss glossiness glossy smoothness smooth g",
    "metallic": "metallic metalness metal mtl met m",
    "occlusion": "ao occ occlusion ambientocclusion",
    "height": "height heightmap disp displacement displace bump h",
    "emissive": "emissive emission emit glow illum illumination selfillum selfillumination e",
    "specular": "specular specularity specularmap spec spc refl reflection",
    "opacity": "opacity alpha transparency cutout o",
    "mask": "mask masks msk colormask colourmask teammask",
}
# Older endings that mean different things in different studios, likeliest first (common practice): the class of files with one
# of them, and their pixels, tell which.
OLDER: dict[str, tuple[Meaning, ...]] = {
    "s": ("specular",),
    "z": ("height",),
    "b": ("height", "base_colour"),
    "d": ("base_colour", "height"),
    "g": ("emissive", "gloss"),
    "i": ("emissive",),
    "t": ("opacity",),
    "h": ("height",),
    "local": ("normal", "height"),
    "bump": ("height", "normal"),
    "gloss": ("gloss", "specular"),
    "glossy": ("gloss", "specular"),
    "spec": ("specular", "roughness"),
}
# Words of plain language that stand in the names of surfaces as often as at their end: they need a sibling, or the picture.
PLAIN_WORDS = frozenset({"metal", "rough", "smooth", "glow", "bump", "alpha", "reflection", "cutout", "glossy"})
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
# Colour with what its alpha holds, written as one word (common practice): what alpha says is read from it there.
_WITH_ALPHA: dict[Meaning, tuple[Meaning, ...]] = {"base_colour": ("opacity",), "specular": ("gloss",)}
_MEANING_OF: dict[str, Meaning] = {alias: meaning for meaning, line in ALIASES.items() for alias in line.split()}
_SINGLE_CHANNEL: frozenset[Meaning] = frozenset({"roughness", "gloss", "metallic", "occlusion", "height", "opacity"})
_LONGEST_PHRASE = 3
_SHORTEST_COMPOUND = len("basecolor")
_VARIATIONS = frozenset({"var", "variant", "variation"})
# How many bits a component has says nothing about the property: "height 16bit", "disp_32f".
_DEPTH = re.compile(r"[ ._-](?:(?:8|10|12|16|24|32)[ ._-]?(?:bits?|bpc)|(?:16|32)f)(?=[ ._-]|$)", re.IGNORECASE)
# The other way of numbering tiles: u1_v1 is 1001.
_GRID = re.compile(r"[ ._-][uU](\d{1,2})_?[vV](\d{1,2})$")


@dataclass(frozen=True)
class Reading:
    """What a name says: a stem and an ending as written, one meaning or several for a packed map, and how strongly.

    `ending` is the ending in lower case as tokens with spaces between ("nor gl"), `word` as it is written. `direction` is set
    where a normal map's name says +Y or −Y; `label` is the mask's name. `behind` is a counter that follows the ending, with
    its separator; `revision` and `tile` are numbers that the name gives as such. `habit` says that the house has taught it, and
    `house` that the name is written as the house rules write it. No meanings: the house leaves such files out. `channels` says
    where each meaning lies, where the house has taught that.
    """

    stem: str
    ending: str
    meanings: tuple[Meaning, ...]
    strength: Strength
    word: str
    direction: NormalY | None = None
    label: str = ""
    joint: Joint = "separated"
    behind: str = ""
    revision: int = 0
    tile: int | None = None
    habit: bool = False
    house: bool = False
    channels: tuple[str, ...] = ()

    @property
    def stem_key(self) -> str:
        """What files of one set have in common: the stem without letter case and kind of separator."""
        return key_of_stem(self.stem)


@dataclass(frozen=True)
class Peeled:
    """A name without what stands behind its ending: sizes, formats, counters, revision and tile number."""

    name: str
    tokens: tuple[Token, ...]
    behind: str = ""
    revision: int = 0
    tile: int | None = None

    def stem_before(self, place: int, edge: int = 0) -> tuple[str, int, int | None]:
        """The stem that ends before the token at `place`, and the revision and tile that stand between the two.

        Sizes and formats there are passed over; counters belong to the stem.
        """
        revision, tile = self.revision, self.tile
        while place > 1 and self.tokens[place - 1].joint == "separated" and _between(self.tokens[place - 1], edge):
            token = self.tokens[place - 1]
            if token.is_tile and tile is None:
                tile = int(token.text)
            elif token.is_revision and not _small_size(token, edge):
                revision = revision or int(token.text[1:])
            place -= 1
        first = 0
        if place > 1 and _small_size(self.tokens[0], edge) and self.tokens[1].joint == "separated":
            first = self.tokens[1].start
        return (self.name[first : self.tokens[place - 1].end] if place else ""), revision, tile

    def written(self, place: int) -> str:
        """The ending from the token at `place` on, as it is written."""
        return self.name[self.tokens[place].start : self.tokens[-1].end]

    def key(self, place: int) -> str:
        """The ending from the token at `place` on as a key: tokens in lower case with spaces between."""
        return " ".join(token.key for token in self.tokens[place:])


@lru_cache(1 << 14)
def peel(path: str, edge: int = 0) -> Peeled:
    """A file name without what stands behind its ending. `edge` is the picture's longer edge: a small number is a size where it
    is that. A name of nothing else is left whole."""
    name = _DEPTH.sub("", stem_of(path))
    tile = None
    if grid := _GRID.search(name):
        tile, name = 1001 + max(0, int(grid[1]) - 1) + 10 * max(0, int(grid[2]) - 1), name[: grid.start()]
    tokens = list(tokenise(name))
    behind, revision = "", 0
    while len(tokens) > 1:
        last = tokens[-1]
        if len(tokens) > 2 and last.is_counter and last.joint == "glued" and tokens[-2].key in _VARIATIONS:
            # "VAR1" counts variations of a surface as a number alone would.
            behind = name[tokens[-3].end : last.end] + behind
            del tokens[-2:]
            continue
        glued_counter = last.joint == "glued" and last.is_counter and len(tokens[-2].text) > 2 and tokens[-2].text.isalpha()
        if not (glued_counter or (last.joint == "separated" and (last.is_noise or _small_size(last, edge)))):
            break
        if last.is_tile and tile is None:
            tile = int(last.text)
        elif _small_size(last, edge) or last.is_size or last.is_format:
            pass
        elif last.is_revision:
            revision = revision or int(last.text[1:])
        else:
            behind = name[tokens[-2].end : last.end] + behind
        tokens.pop()
    return Peeled(name, tuple(tokens), behind, revision, tile)


def _between(token: Token, edge: int) -> bool:
    return token.is_size or token.is_format or token.is_revision or token.is_tile or _small_size(token, edge)


def _small_size(token: Token, edge: int) -> bool:
    """A number that is a size only because the picture has it: "128", "v128"."""
    number = token.key.removeprefix("v")
    return number in SMALL_SIZES and int(number) == edge


def read_name(path: str, habits: Sequence[Habit] = (), edge: int = 0) -> Reading | None:
    """What a file's name says by words alone, or None when its end is not in the lexicon and no habit fits.

    The property stands last, but for resolution, format, counters and a normal direction. A single letter, a packed
    name in lower case, a word of plain language, one that is glued to a number, and a property word before the stem are weak:
    they need a sibling or the picture to confirm them. `edge` is the picture's longer edge, where it is known.
    """
    peeled = peel(path, edge)
    if not peeled.tokens:
        return None
    taught = habit_for([token.key for token in peeled.tokens], habits)
    # Letters are stems first, also taught ones: what they mean counts where the class of files shows that they are an ending.
    if taught and not is_short(taught.words):
        return None if taught.surface else _by_habit(peeled, taught, edge)
    return _by_words(peeled, edge) or _leading(peeled)


def is_short(ending: str) -> bool:
    """Whether an ending is a letter or two, which a class of files has to confirm."""
    return len(ending.replace(" ", "")) <= 2


def _by_words(peeled: Peeled, edge: int) -> Reading | None:
    for content, direction in (_take_direction(peeled.tokens), (peeled.tokens, None)):
        found = _phrase_ending_at(content, len(content))
        # "gl" and "dx" mean a direction only beside a normal; elsewhere they are part of the stem.
        if not found or (direction and found[0] != ("normal",)):
            continue
        meanings, start = found
        first = content[start]
        place = peeled.tokens.index(first)
        if direction and place and peeled.tokens[place - 1] not in content:
            # The direction stands before its word: "GL_Normal".
            while place and peeled.tokens[place - 1] not in content:
                place -= 1
        stem, revision, tile = peeled.stem_before(place, edge)
        lone = len(content) - start == 1
        letter = lone and len(first.key) == 1
        quiet_pack = len(meanings) > 1 and lone and first.text.islower()
        glued = peeled.tokens[place].joint == "glued"
        weak = letter or quiet_pack or glued or (lone and first.key in PLAIN_WORDS)
        label = _mask_label(peeled) if meanings == ("mask",) else ""
        return Reading(
            stem=stem,
            ending=peeled.key(place),
            meanings=meanings,
            strength="weak" if weak else "strong",
            word=peeled.written(place),
            direction=direction,
            label=label,
            joint=peeled.tokens[place].joint,
            behind="" if label else peeled.behind,
            revision=revision,
            tile=tile,
        )
    return None


def _by_habit(peeled: Peeled, habit: Habit, edge: int) -> Reading | None:
    place = len(peeled.tokens) - len(habit.words.split())
    if peeled.tokens[place].joint == "glued":
        # "n" is taught about endings, and never about the last letter of a word or of "01n": siblings say whether that is one.
        return None
    stem, revision, tile = peeled.stem_before(place, edge)
    meanings = cast(tuple[Meaning, ...], habit.meanings)
    label = _mask_label(peeled) if meanings == ("mask",) else ""
    return Reading(
        stem=stem,
        ending=habit.words,
        meanings=meanings,
        strength="strong",
        word=peeled.written(place),
        direction=habit.direction,
        label=label,
        joint=peeled.tokens[place].joint,
        behind="" if label else peeled.behind,
        revision=revision,
        tile=tile,
        habit=True,
        channels=habit.channels,
    )


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
    if coloured := _with_alpha(tokens, *last):
        return coloured
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


def _with_alpha(tokens: tuple[Token, ...], meaning: Meaning, place: int) -> tuple[tuple[Meaning, ...], int] | None:
    """Colour whose name says in the same word what its alpha holds: "AlbedoTransparency", "SpecularSmoothness"."""
    colour = _alias_ending_at(tokens, place) if place else None
    joined = place and tokens[place - 1].end == tokens[place].start and len(tokens[place - 1].key) > 2
    return ((colour[0],), colour[1]) if colour and joined and meaning in _WITH_ALPHA.get(colour[0], ()) else None


def _alias_ending_at(tokens: tuple[Token, ...], end: int) -> tuple[Meaning, int] | None:
    for length in range(min(_LONGEST_PHRASE, end), 0, -1):
        joined = "".join(token.key for token in tokens[end - length : end])
        # Only long words are written apart ("Base Color"); "no_rm" is no "norm".
        if joined in _MEANING_OF and (length == 1 or len(joined) >= _SHORTEST_COMPOUND):
            return _MEANING_OF[joined], end - length
    return None


def _leading(peeled: Peeled) -> Reading | None:
    """A property word at the very beginning ("normal_moss_bed"): weak, since it may be part of the stem."""
    tokens = peeled.tokens
    for length in range(min(_LONGEST_PHRASE, len(tokens) - 1), 0, -1):
        joined = "".join(token.key for token in tokens[:length])
        if joined in _MEANING_OF and len(joined) > 2 and (length == 1 or len(joined) >= _SHORTEST_COMPOUND):
            word = peeled.name[tokens[0].start : tokens[length - 1].end]
            stem = peeled.name[tokens[length].start : tokens[-1].end]
            ending, meanings = f"^{word.lower()}", (_MEANING_OF[joined],)
            return Reading(stem, ending, meanings, "weak", word, revision=peeled.revision, tile=peeled.tile)
    return None


def _mask_label(peeled: Peeled) -> str:
    """The number that follows the word "mask", or what the word says beside it ("teammask"); 01 when neither is there."""
    number = peeled.behind.strip(" _-.")
    word = peeled.tokens[-1].key
    if not number and word not in ("mask", "masks", "msk"):
        return word.removesuffix("mask")
    return number.zfill(2) if number.isdigit() and len(number) <= 2 else "01"
