"""The dock's findings and its ways out, and the documents that it reads."""

from __future__ import annotations

from pathlib import Path

from texelcore.delivery.documents import ReceiptFinding
from texelcore.pixels.errors import TexelError

AGAIN = "Deliver it again."
# The most bytes of a document that are read: whoever sends more means harm, or something else.
LARGEST_DOCUMENT = 64 * 1024**2
FOR_THIS = "Deliver it for this target."


def read_document(path: Path, name: str) -> bytes:
    """The bytes of a JSON document. Raises TexelError naming `name` for one that is larger than any should be, OSError for one
    that cannot be read."""
    if path.stat().st_size > LARGEST_DOCUMENT:
        raise TexelError(name, f"is larger than {LARGEST_DOCUMENT / 1e6:.0f} MB.", AGAIN)
    return path.read_bytes()


def error(subject: str, message: str, way_out: str) -> ReceiptFinding:
    """Something that would go wrong on the receiving side."""
    return ReceiptFinding(severity="error", subject=subject, message=message, way_out=way_out)


def warning(subject: str, message: str, way_out: str) -> ReceiptFinding:
    """Something to look at."""
    return ReceiptFinding(severity="warning", subject=subject, message=message, way_out=way_out)


def note(subject: str, message: str, way_out: str) -> ReceiptFinding:
    """Something to know."""
    return ReceiptFinding(severity="note", subject=subject, message=message, way_out=way_out)
