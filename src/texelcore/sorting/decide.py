"""One file's rows: what its name says, held against what its pixels show. Where the two disagree, the row is doubted."""

from __future__ import annotations

from collections.abc import Sequence

from texelcore.evidence.ranges import is_constant
from texelcore.naming.lexicon import PAIRS, Meaning, Reading
from texelcore.naming.tokens import stem_of
from texelcore.sorting.cuts import contradicts, look_of
from texelcore.sorting.neighbours import Company
from texelcore.sorting.orders import better_order, fit, order_words
from texelcore.surface.evidence import DirectionSeen
from texelcore.surface.files import ChannelName, FileFacts, default_encoding, whole_channels
from texelcore.surface.ledger import Ledger, Row, Sureness, row_problem
from texelcore.surface.properties import NormalY, property_of

# What a lexicon meaning is in the surface: gloss is roughness that wants inverting.
PROPERTY_OF = {"gloss": "roughness"}
FIELDS = ("vector field", "two-channel field")
_COLOURS = ("base_colour", "emissive", "specular")
_GLOSS_WORDS = ("gloss", "glossiness", "smoothness", "smooth")

# What a normal map without a name to speak for it keeps to: its mean's lean in degrees, and its error of length (seen in the
# practice trees: true ones lean under 1°, blue pictures over 14°).
PLAIN_LEAN, PLAIN_ERROR = 8.0, 0.1


def key_of(reading: Reading, meaning: str) -> str:
    """The property key of one meaning of a reading: masks carry their label."""
    return f"mask.{reading.label}" if meaning == "mask" else PROPERTY_OF.get(meaning, meaning)


def rows_from_name(facts: FileFacts, reading: Reading) -> list[Row] | str:
    """The rows that one file offers by its name and pixels, or the reason why it can offer none."""
    if reading.channels:
        return rows_of_layout(facts, reading.meanings, reading.channels, "named", "The house says", reading.direction)
    if len(reading.meanings) > 1:
        return _packed_rows(facts, reading)
    meaning = reading.meanings[0]
    key = key_of(reading, meaning)
    if meaning == "mask" and (several := _mask_rows(facts, key, reading)):
        return several
    row = row_for(facts, key, inverted=meaning == "gloss", normal_y=reading.direction)
    problem = row_problem(row, {facts.id: facts})
    if problem:
        return problem
    sure, why, direction = _weigh(facts, key, meaning, reading)
    row = row.model_copy(update={"sure": sure, "why": why, "normal_y": direction})
    return [row, *_opacity_in_alpha(key, facts), *_gloss_in_alpha(key, facts, reading)]


def rows_alone(facts: FileFacts) -> tuple[Row, ...]:
    """The rows of a picture that is a set by itself: its base colour, with opacity in alpha, or its normal map."""
    key = "normal" if _is_plainly_normal(facts) else "base_colour"
    row = row_for(facts, key)
    if key == "normal" and not seen_direction(facts):
        untold = _untold(facts.evidence.direction if facts.evidence else None)
        why = f"A set of its own, by hand.{untold} {signed(row.normal_y)} is assumed until somebody says."
        return (row.model_copy(update={"why": why}),)
    row = row.model_copy(update={"sure": "by hand", "why": "A set of its own, by hand."})
    return (row, *_opacity_in_alpha(key, facts))


def ledger_alone(facts: FileFacts, surface: bool = True) -> Ledger:
    """The ledger of a picture that is a set by itself, called after its file: of a surface, or of the masks that it holds."""
    name = stem_of(facts.path)
    if surface:
        return Ledger(name=name, rows=rows_alone(facts))
    return Ledger(name=name, rows=_masks_in(facts, "A set of masks, by hand."), surface=False)


def rows_of_helper(facts: FileFacts, key: str) -> tuple[Row, ...] | str:
    """The rows of a picture that masters read beside a surface, for the property that one asks for, or the reason why it can
    offer none. Asked for “mask”, each of its channels that says something is a mask."""
    why = "Read by masters, by hand."
    if key == "mask":
        return _masks_in(facts, why)
    row = row_for(facts, key).model_copy(update={"sure": "by hand", "why": why})
    return row_problem(row, {facts.id: facts}) or (row,)


def _masks_in(facts: FileFacts, why: str) -> tuple[Row, ...]:
    """A mask for each channel of a picture that says something."""
    grey = len(facts.channels) == 1 or look_of(facts) not in ("packed", "colour")
    carrying = [name for name in facts.channels if not is_constant(facts.ranges.get(name))]
    first = whole_channels(facts, 1)
    # In a grey picture green and blue say what red says; alpha may say something else.
    names = [*first, *(name for name in carrying if name == "A" and name not in first)] if grey else carrying or [*first]
    keys = {name: "mask.01" if name in first and grey else f"mask.{name.lower()}" for name in names}
    return tuple(
        Row(property=keys[name], file=facts.id, channels=(name,), encoding="linear", sure="by hand", why=why) for name in names
    )


def _is_plainly_normal(facts: FileFacts) -> bool:
    """Whether a picture that neither name nor siblings speak for is a normal map: blue pictures may look like directions too, but
    theirs lean, or have no unit length."""
    field = facts.evidence.field if facts.evidence else None
    upright = field is None or (field.lean < PLAIN_LEAN and field.length_error < PLAIN_ERROR)
    return look_of(facts) == "directions" and upright


def row_for(facts: FileFacts, key: str, *, inverted: bool = False, normal_y: NormalY | None = None) -> Row:
    """The row that gives a whole file to a property. It may not stand: see `row_problem`."""
    return Row(
        property=key,
        file=facts.id,
        channels=_channels_for(facts, key),
        encoding=default_encoding(key, facts),
        inverted=inverted,
        normal_y=(normal_y or seen_direction(facts) or "+Y") if key == "normal" else None,
        sure="assumed",
        why="",
    )


def _channels_for(facts: FileFacts, key: str) -> tuple[ChannelName, ...]:
    """All of a file for a property. Normals without a blue that says anything take the first two channels."""
    two = facts.evidence is not None and facts.evidence.picture == "two-channel field"
    if key == "normal" and (two or len(facts.channels) == 2):
        return facts.channels[:2]
    return whole_channels(facts, len(property_of(key).components))


def seen_direction(facts: FileFacts) -> NormalY | None:
    """The direction that the pixels show, or None where they show none or were not looked at."""
    return facts.evidence.direction.answer if facts.evidence and facts.evidence.direction else None


def signed(direction: NormalY | None) -> str:
    """+Y or −Y with a true minus sign, for sentences."""
    return (direction or "").replace("-", "−")


def likely_property(facts: FileFacts) -> str | None:
    """What a file without a telling name most likely holds, from its pixels alone; None when they do not say."""
    seen = facts.evidence
    if seen is None or seen.picture == "constant":
        return None
    if _is_plainly_normal(facts):
        return "normal"
    if seen.picture == "colour" or seen.picture in FIELDS:
        return "base_colour"
    first = next(iter(seen.channels.values()))
    if seen.picture == "grey":
        if facts.sample in ("u16", "f16", "f32"):
            return "height"
        return {"creases": "occlusion", "two-valued": "metallic", "detail": "roughness", "smooth": "height"}.get(first.kind)
    return None


def directed_by_company(row: Row, facts: FileFacts, reading: Reading, company: Company, home: str) -> Row:
    """A normal map's row whose direction neither name nor pixels say, with the direction of its company where that has one.

    A flat map needs none. Everything else stays assumed, which a question about its folder asks.
    """
    if row.property != "normal" or row.sure != "assumed":
        return row
    said = company.say(home, reading)
    word = f"“{reading.word}”" if reading.word else "Its name"
    if look_of(facts) == "flat":
        why = f"{word} names a normal map. It is flat throughout, so that its direction makes no difference."
        return row.model_copy(update={"sure": "agreed", "why": why, "normal_y": said.answer or "+Y"})
    untold = _untold(facts.evidence.direction if facts.evidence else None)
    if said.answer:
        why = f"{word} does not say its direction.{untold} But {said.words}."
        return row.model_copy(update={"sure": "seen", "why": why, "normal_y": said.answer})
    usual, counted = company.leaning or ("+Y", "")
    mixed = f" But {said.words}." if said.plus or said.minus else ""
    where = f" ({counted})" if counted else ""
    why = f"{word} does not say its direction.{untold}{mixed} {signed(usual)} is assumed until somebody says{where}."
    return row.model_copy(update={"why": why, "normal_y": usual})


def _weigh(facts: FileFacts, key: str, meaning: str, reading: Reading) -> tuple[Sureness, str, NormalY | None]:
    if not reading.ending and reading.meanings == ("base_colour",):
        return "agreed", "Its whole name is the stem of the set, and nothing else in it is a base colour.", None
    said = "The house rules say" if reading.habit else "The name says"
    # What a person has decided about an ending holds for all of its class.
    other = "" if reading.habit else _seen_otherwise(facts, key)
    if other:
        direction = (reading.direction or seen_direction(facts) or "+Y") if key == "normal" else None
        return "doubted", f"{said} “{reading.word}”, but {other}.", direction
    if key == "normal":
        return _weigh_direction(facts, reading, said)
    if meaning == "gloss":
        return "named", f"“{reading.word}” is one minus roughness.", None
    if _pixels_confirm(facts, key):
        return "agreed", f"Named “{reading.word}”, and its pixels look like it.", None
    return "named", f"Named “{reading.word}”.", None


def _weigh_direction(facts: FileFacts, reading: Reading, said: str) -> tuple[Sureness, str, NormalY]:
    seen = facts.evidence.direction if facts.evidence else None
    named, shown = reading.direction, seen.answer if seen else None
    if named and shown and named != shown:
        why = f"{said} {signed(named)}, but its slopes fit together only as {signed(shown)} {_score(seen)}, which is used."
        return "doubted", why, shown
    if named and shown:
        return "agreed", f"Named “{reading.word}” and {signed(named)}, and its slopes fit together only so {_score(seen)}.", named
    if named:
        return "named", f"Named “{reading.word}” and {signed(named)}.{_untold(seen)}", named
    if shown:
        why = f"“{reading.word}” does not say its direction; its slopes fit together only as {signed(shown)} {_score(seen)}."
        return "seen", why, shown
    return "assumed", f"“{reading.word}” names a normal map but not its direction; +Y is assumed.{_untold(seen)}", "+Y"


def _score(seen: DirectionSeen | None) -> str:
    return f"(score {abs(seen.score):.2f} of 1)" if seen else ""


def _untold(seen: DirectionSeen | None) -> str:
    reasons = {
        "flat": " It is flat: nothing shows its direction.",
        "too few slopes": " Too few slopes in it show a direction.",
        "both readings fit alike": " Its slopes fit both directions alike.",
    }
    return reasons[seen.undecided] if seen and seen.undecided else ""


def _seen_otherwise(facts: FileFacts, key: str) -> str:
    """What the pixels show where it cannot be the property: half a sentence, or ""."""
    seen = facts.evidence
    if seen is None:
        return ""
    if key == "normal":
        if not contradicts(facts, ("normal",)):
            return ""
        return f"its pixels are no directions: they look like {_article(seen.picture)}"
    if seen.picture == "vector field":
        return "its pixels are directions, as in a normal map"
    if key not in _COLOURS and seen.picture == "colour" and not key.startswith("mask."):
        return "its pixels are a picture in colour"
    return ""


def _article(picture: str) -> str:
    return {"colour": "a picture in colour", "grey": "a grey picture", "packed": "a packed map"}.get(picture, picture)


def _pixels_confirm(facts: FileFacts, key: str) -> bool:
    seen = facts.evidence
    if seen is None:
        return False
    first = next(iter(seen.channels.values()))
    expected = {"occlusion": "creases", "metallic": "two-valued"}
    return (key in _COLOURS and seen.picture == "colour") or first.kind == expected.get(key)


def _mask_rows(facts: FileFacts, key: str, reading: Reading) -> list[Row]:
    """A mask for each channel of a picture that holds several: what is painted in blue is another mask than what is in red."""
    if look_of(facts) not in ("packed", "colour") or len(facts.channels) < 3:
        return []
    why = f"“{reading.word}” names a picture of masks, one in each channel."
    carrying = [channel for channel in facts.channels if not is_constant(facts.ranges.get(channel))]
    return [
        Row(property=f"{key}-{channel.lower()}", file=facts.id, channels=(channel,), encoding="linear", sure="named", why=why)
        for channel in carrying
    ]


def _opacity_in_alpha(key: str, facts: FileFacts) -> list[Row]:
    """Alpha that carries something beside base colour is opacity; constant alpha is none."""
    if key != "base_colour" or "A" not in facts.channels or is_constant(facts.ranges.get("A")):
        return []
    why = "Base colour's alpha is not constant, so it carries opacity."
    return [Row(property="opacity", file=facts.id, channels=("A",), encoding="linear", sure="seen", why=why)]


def _gloss_in_alpha(key: str, facts: FileFacts, reading: Reading) -> list[Row]:
    """Alpha beside specular colour is gloss where the name says so in the same word ("SpecularSmoothness") and it says
    something."""
    word = reading.word.lower()
    if key != "specular" or not word.endswith(_GLOSS_WORDS) or "A" not in facts.channels or is_constant(facts.ranges.get("A")):
        return []
    return [_channel_row(facts, "gloss", "A", "named", f"“{reading.word}” has it in alpha, as one minus roughness.")]


def _packed_rows(facts: FileFacts, reading: Reading) -> list[Row] | str:
    channels = PAIRS.get(reading.meanings, facts.channels[: len(reading.meanings)])
    if len(channels) < len(reading.meanings) or not set(channels) <= set(facts.channels) or "Y" in channels:
        have = ", ".join(facts.channels)
        return f"“{reading.word}” names {len(reading.meanings)} packed channels, but the file has only {have}."
    better = better_order(facts, channels, reading.meanings)
    rows = []
    for channel, meaning in zip(channels, reading.meanings, strict=True):
        why, sure = f"“{reading.word}” puts {meaning.replace('_', ' ')} in {channel}.", "named"
        if better:
            sure, why = "doubted", f"{why} {order_words(channels, better)}"
        elif facts.evidence and fit(meaning, facts.evidence.channels[channel]) > 0:
            sure, why = "agreed", f"{why[:-1]}, and the channel looks like it."
        rows.append(_channel_row(facts, meaning, channel, sure, why))
    return rows


def _channel_row(facts: FileFacts, meaning: str, channel: ChannelName, sure: str, why: str) -> Row:
    return Row(
        property=PROPERTY_OF.get(meaning, meaning),
        file=facts.id,
        channels=(channel,),
        encoding="linear",
        inverted=meaning == "gloss",
        sure=sure,  # type: ignore[arg-type]
        why=why,
    )


def rows_of_layout(
    facts: FileFacts,
    meanings: Sequence[str],
    channels: Sequence[str],
    sure: Sureness,
    says: str,
    direction: NormalY | None = None,
) -> list[Row] | str:
    """The rows of a file of which a person has said what its channels hold, or the reason why it cannot hold that; `says` begins
    the reason of each row."""
    lacking = [letter for letter in "".join(channels) if letter not in facts.channels]
    if lacking:
        return f"{says} that {', '.join(lacking)} holds something, but the file has only {', '.join(facts.channels)}."
    rows = []
    for meaning, letters in zip(meanings, channels, strict=True):
        key = f"mask.{letters.lower()}" if meaning == "mask" else PROPERTY_OF.get(meaning, meaning)
        why = f"{says} that {', '.join(letters)} {'hold' if len(letters) > 1 else 'holds'} {meaning.replace('_', ' ')}."
        row = row_for(facts, key, inverted=meaning == "gloss", normal_y=direction)
        undirected = key == "normal" and not (direction or seen_direction(facts))
        update = {"channels": tuple(letters), "sure": "assumed" if undirected else sure, "why": why}
        rows.append(row.model_copy(update=update))
    return next((problem for row in rows if (problem := row_problem(row, {facts.id: facts}))), rows)


def packed_rows_by_hand(
    facts: FileFacts, channels: tuple[ChannelName, ...], meanings: tuple[Meaning, ...], why: str
) -> list[Row]:
    """The rows of a packed file whose order a person has settled."""
    return [_channel_row(facts, meaning, channel, "by hand", why) for channel, meaning in zip(channels, meanings, strict=True)]
