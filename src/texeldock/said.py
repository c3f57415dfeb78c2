"""The dock's findings, and its ways out."""

from __future__ import annotations

from texelcore.delivery.documents import ReceiptFinding

AGAIN = "Deliver it again."
FOR_THIS = "Deliver it for this target."


def error(subject: str, message: str, way_out: str) -> ReceiptFinding:
    """Something that would go wrong on the receiving side."""
    return ReceiptFinding(severity="error", subject=subject, message=message, way_out=way_out)


def warning(subject: str, message: str, way_out: str) -> ReceiptFinding:
    """Something to look at."""
    return ReceiptFinding(severity="warning", subject=subject, message=message, way_out=way_out)


def note(subject: str, message: str, way_out: str) -> ReceiptFinding:
    """Something to know."""
    return ReceiptFinding(severity="note", subject=subject, message=message, way_out=way_out)
