"""Whether a file is one whole picture: what its format's own structure says, before and beside decoding.

Decoders forgive much: an unfinished file comes out grey where the rest should be, and of several pictures in a file the first
is taken without a word. Here such files are refused by name.
"""

from __future__ import annotations

import struct
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import BinaryIO

from texelcore.pixels.errors import UnreadableImage

_SIGNATURE = 8
_STANDALONE = {0x01, *range(0xD0, 0xD8)}
# Start of frame, but for the markers in between that define tables (ITU-T T.81, table B.1).
_FRAMES = set(range(0xC0, 0xD0)) - {0xC4, 0xC8, 0xCC}
_SCAN, _END = 0xDA, 0xD9
_HIERARCHY = 0xDE


def damaged(name: str, reason: str) -> UnreadableImage:
    """The error for a file that begins like a picture and does not go on like one. Reader libraries repeat what they found, which
    may be any bytes: what cannot be printed is left out, since no database and no page takes it."""
    plain = "".join(letter if letter.isprintable() else " " for letter in reason)
    detail = " ".join(plain.split())[:160] or "its data end early or do not decode"
    return UnreadableImage(name, f"is damaged or cut short ({detail}).", "Export or download it again.")


@contextmanager
def decoding(name: str) -> Iterator[None]:
    """Around all that a reader library is asked: what it raises on a broken file is a damaged file. (It repeats what a header
    says, which need not be text.)"""
    try:
        yield
    except UnicodeDecodeError as error:
        raise damaged(name, "it holds bytes that are no text where words should be") from error
    except (ValueError, RuntimeError) as error:
        raise damaged(name, str(error)) from error


def several(name: str, what: str) -> UnreadableImage:
    """The error for a file that holds more than one picture."""
    return UnreadableImage(name, f"holds {what}; one picture a file is read.", "Export each picture to a file of its own.")


def hold_png(path: Path, name: str) -> None:
    """Raise UnreadableImage for a PNG whose chunks do not go on to its end, or that is animated (PNG specification, third
    edition, 5.3 and 11.3.5)."""
    size = path.stat().st_size
    with path.open("rb") as file:
        for kind, end in _png_chunks(file):
            if end > size:
                raise damaged(name, f"its chunk {kind!r} goes on beyond the end of the file")
            if kind == "acTL":
                raise several(name, "an animation")
            if kind == "IEND":
                return
    raise damaged(name, "its last chunk is missing")


def _png_chunks(file: BinaryIO) -> Iterator[tuple[str, int]]:
    at = _SIGNATURE
    while True:
        file.seek(at)
        head = file.read(8)
        if len(head) < 8:
            return
        length, kind = struct.unpack(">I4s", head)
        at += 12 + length
        yield kind.decode("latin-1"), at


def hold_jpeg(path: Path, name: str) -> None:
    """Raise UnreadableImage for a JPEG that does not go on to its end, that is printed in four inks, or that holds several
    frames (ITU-T T.81, annex B)."""
    body = path.read_bytes()
    at, scanned = 2, False
    while True:
        at = _next_marker(body, at, scanned)
        if at < 0:
            raise damaged(name, "its end marker is missing")
        marker = body[at + 1]
        at += 2
        if marker == _END:
            if not scanned:
                raise damaged(name, "it ends before its first scan")
            return
        if marker in _STANDALONE:
            continue
        if at + 2 > len(body):
            raise damaged(name, "its end marker is missing")
        if marker == _HIERARCHY:
            raise several(name, "a hierarchy of frames")
        if marker in _FRAMES and len(body) > at + 7 and body[at + 7] == 4:
            raise UnreadableImage(name, "is a four-ink (CMYK) JPEG.", "Export it as RGB or grey.")
        scanned = scanned or marker == _SCAN
        at += struct.unpack(">H", body[at : at + 2])[0]


def _next_marker(body: bytes, at: int, scanned: bool) -> int:
    """Where the next marker begins, from here on: coded data hold none but restarts, and escape the byte that begins one."""
    while True:
        at = body.find(b"\xff", at)
        if at < 0 or at + 1 >= len(body):
            return -1
        following = body[at + 1]
        if following == 0xFF or (scanned and (following == 0 or following in _STANDALONE)):
            at += 1
            continue
        return at


def hold_webp(path: Path, name: str) -> None:
    """Raise UnreadableImage for a WebP that is shorter than it says, or animated (WebP container specification)."""
    with path.open("rb") as file:
        head = file.read(21)
    promised = struct.unpack("<I", head[4:8])[0] + 8 if len(head) >= 8 else 0
    if len(head) < 21 or promised > path.stat().st_size:
        raise damaged(name, "it is shorter than it says")
    if head[12:16] == b"VP8X" and head[20] & 0x02:
        raise several(name, "an animation")
