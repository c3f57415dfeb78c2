"""In which order a packed picture holds its maps, by what its channels look like."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import permutations

from texelcore.naming.lexicon import Meaning
from texelcore.surface.evidence import ChannelSeen
from texelcore.surface.files import ChannelName, FileFacts

# How well a channel's look goes with a meaning (judgement): 2 speaks for it, 0 is neutral, below 0 speaks against it.
_FITS: dict[str, dict[str, int]] = {
    "occlusion": {"creases": 2, "white": 2, "black": -2, "two-valued": -2, "metal-like": -1},
    "metallic": {"two-valued": 2, "black": 1, "white": 1, "metal-like": 1, "creases": -2, "detail": -1},
    "roughness": {"detail": 1, "smooth": 1, "creases": -1, "two-valued": -1, "black": -1, "metal-like": -1},
    "gloss": {"detail": 1, "smooth": 1, "creases": -1, "two-valued": -1},
    "height": {"smooth": 1, "detail": 1, "two-valued": -2, "black": -1, "white": -1},
}
# How much better another order must fit before a name's order is doubted.
_CLEARLY_BETTER = 3
# How well an order must fit by itself to be prepared where no name says anything: two channels speak for it (judgement).
_SURELY = 4


def better_order(
    facts: FileFacts, channels: tuple[ChannelName, ...], meanings: tuple[Meaning, ...]
) -> tuple[Meaning, ...] | None:
    """The order of the same meanings that the channels' looks fit clearly better than the named one, or None."""
    if facts.evidence is None:
        return None
    seen = [facts.evidence.channels[channel] for channel in channels]

    def total(order: tuple[Meaning, ...]) -> int:
        return sum(fit(meaning, look) for meaning, look in zip(order, seen, strict=True))

    best = max(permutations(meanings), key=total)
    return best if total(best) >= total(meanings) + _CLEARLY_BETTER else None


def likely_order(facts: FileFacts) -> tuple[Meaning, ...] | None:
    """The order of occlusion, roughness and metallic that a packed file's first three channels look like, or None."""
    if facts.evidence is None or facts.evidence.picture != "packed" or len(facts.channels) < 3:
        return None
    usual: tuple[Meaning, ...] = ("occlusion", "roughness", "metallic")
    scored = sorted((_fit_of(facts, order), order == usual, order) for order in permutations(usual))
    return scored[-1][2] if scored[-1][0] > scored[-2][0] or scored[-1][1] else None


def sure_order(facts: FileFacts) -> tuple[Meaning, ...]:
    """The likely order of a packed file where its channels clearly speak for it and for no other; () where they do not."""
    order = likely_order(facts)
    others = [_fit_of(facts, other) for other in permutations(order or ()) if other != order]
    return order if order and _fit_of(facts, order) >= max(_SURELY, max(others) + 1) else ()


def _fit_of(facts: FileFacts, order: Sequence[Meaning]) -> int:
    seen = facts.evidence.channels if facts.evidence else {}
    return sum(fit(meaning, seen[facts.channels[index]]) for index, meaning in enumerate(order))


def order_words(channels: tuple[ChannelName, ...], order: tuple[Meaning, ...]) -> str:
    """What a person is told of a better order."""
    listed = ", ".join(f"{meaning} in {channel}" for channel, meaning in zip(channels, order, strict=True))
    return f"The channels look more like {listed}."


def fit(meaning: str, seen: ChannelSeen) -> int:
    """How well a channel's look goes with a meaning: above 0 speaks for it, below 0 against it."""
    return _FITS.get(meaning, {}).get(_look_of(seen), 0)


def _look_of(seen: ChannelSeen) -> str:
    if seen.mean > 0.9 and seen.kind in ("constant", "detail", "smooth"):
        return "white"
    if seen.kind == "constant":
        return "black" if seen.mean < 0.1 else "even"
    # Metal with worn edges: most texels at one of the ends, and enough of them at the dark one.
    if seen.kind != "two-valued" and seen.between < 0.5 and seen.at_low > 0.04:
        return "metal-like"
    return seen.kind
