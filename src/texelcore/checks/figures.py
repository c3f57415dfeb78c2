"""What was measured on a file, line by line as a person reads it, each with the picture that it came from."""

from __future__ import annotations

from collections.abc import Iterator

from pydantic import computed_field

from texelcore.evidence.limits import (
    ALIVE,
    BLOTCHES,
    BRIGHTEST,
    DARKEST,
    LIT_GRADIENT,
    LIT_SPREAD,
    MOST_LEAN,
    MOST_LENGTH_ERROR,
    REPEATS,
    SEAM,
    UPSCALED,
)
from texelcore.evidence.pictures import CAPTIONS, PictureKind
from texelcore.surface.documents import Document
from texelcore.surface.evidence import ChannelSeen, ColourSeen, DirectionSeen, Evidence, FieldSeen
from texelcore.surface.files import ChannelName

_KIND_WORDS = {
    "constant": "constant",
    "two-valued": "two values",
    "creases": "white with dark creases",
    "smooth": "smooth, like a height",
    "detail": "fine detail",
}
_KIND_PICTURES: dict[str, PictureKind] = {"two-valued": "between", "creases": "dark"}


class Figure(Document):
    """One line: what was measured, what it says, whether it is worth a look, and its picture where it has one."""

    what: str
    says: str
    look: bool = False
    kind: PictureKind | None = None
    channel: ChannelName | None = None

    @computed_field  # type: ignore[prop-decorator]
    @property
    def caption(self) -> str:
        """What the picture shows; empty without one."""
        return CAPTIONS[self.kind] if self.kind else ""


def figures_of(seen: Evidence) -> tuple[Figure, ...]:
    """All that evidence says of a file on its own, whatever it is used for."""
    figures = [Figure(what="looks like", says=seen.picture, kind="plain")]
    if seen.direction:
        figures += _direction(seen.direction)
    if seen.field:
        figures += _field(seen.field)
    figures += [_channel(name, look) for name, look in seen.channels.items()]  # type: ignore[arg-type]
    if seen.colour:
        figures += _colour(seen.colour)
    figures += _structure(seen)
    if seen.declared:
        figures.append(Figure(what="declares", says=seen.declared))
    return tuple(figures)


def _direction(seen: DirectionSeen) -> Iterator[Figure]:
    answer = (seen.answer or "").replace("-", "−")
    says = f"{answer}, score {abs(seen.score):.2f} of 1" if seen.answer else f"cannot be told: {seen.undecided or ''}"
    yield Figure(what="direction", says=says, look=seen.answer is None)
    yield Figure(what="", says="lit, read as +Y", kind="lit-up")
    yield Figure(what="", says="lit, read as −Y", kind="lit-down")
    yield Figure(what="", says="curl, read as +Y", kind="curl-up")
    yield Figure(what="", says="curl, read as −Y", kind="curl-down")


def _field(seen: FieldSeen) -> Iterator[Figure]:
    off = f"{seen.length_error:.1%} off unit length"
    yield Figure(what="length", says=off, look=seen.length_error > MOST_LENGTH_ERROR, kind="length")
    yield Figure(what="mean leans", says=f"{seen.lean:.1f}° from upright", look=seen.lean > MOST_LEAN, kind="directions")


def look_words(seen: ChannelSeen) -> str:
    """What one channel looks like, with its mean (0–1): “white with dark creases; mean 0.93”."""
    kind = f"copy of {seen.copy_of}" if seen.copy_of else _KIND_WORDS.get(seen.kind, seen.kind)
    return f"{kind}; mean {seen.mean:.2f}"


def _channel(name: ChannelName, seen: ChannelSeen) -> Figure:
    levels = "1 level" if seen.levels == 1 else f"{seen.levels:,} levels"
    says = f"{look_words(seen)}, {levels}"
    return Figure(what=f"channel {name}", says=says, kind=_KIND_PICTURES.get(seen.kind, "channel"), channel=name)


def _colour(seen: ColourSeen) -> Iterator[Figure]:
    beyond = seen.dark < DARKEST or seen.bright > BRIGHTEST
    yield Figure(what="values", says=f"sRGB {seen.dark:.0f} to {seen.bright:.0f}", look=beyond, kind="range")
    lit = seen.gradient > LIT_GRADIENT and seen.bright - seen.dark > LIT_SPREAD
    yield Figure(what="even gradient", says=f"{seen.gradient:.0%} of the large-scale variation", look=lit, kind="light")


def _structure(seen: Evidence) -> Iterator[Figure]:
    step = max(seen.seam)
    apart = f"step {step:.1f} × those inside" if step > SEAM else "meet"
    yield Figure(what="tile edges", says=apart, look=step > SEAM, kind="seams")
    enlarged = seen.finest < UPSCALED and seen.second > ALIVE
    yield Figure(what="finest detail", says="missing: it was enlarged" if enlarged else "there", look=enlarged, kind="finest")
    yield Figure(what="tiled", says=f"{seen.blotches:.0%} in large blotches", look=seen.blotches > BLOTCHES, kind="tiled")
    if seen.period:
        across, down, strength = seen.period
        shares = [f"{share:.0%} {way}" for share, way in ((across, "across"), (down, "down")) if share]
        yield Figure(what="repeats", says=f"after {' and '.join(shares)} ({strength:.2f})", look=strength > REPEATS)
