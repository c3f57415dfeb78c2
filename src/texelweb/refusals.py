"""Requests that cannot be met, as every part of the server says so: with what, what is wrong, and the way out."""

from __future__ import annotations

from texelcore.pixels.errors import TexelError

STALE_PAGE = ("This page", "is out of step with the server (its security token is missing or wrong).", "Reload it and try again.")


class Refused(Exception):
    """A request that cannot be met: HTTP status, and the three parts of an error."""

    def __init__(self, status: int, subject: str, problem: str, way_out: str) -> None:
        super().__init__(problem)
        self.status = status
        self.body = {"subject": subject, "problem": problem, "way_out": way_out}


class Overtaken(TexelError):
    """Somebody else has changed the thing since it was looked at."""


def not_found(subject: str) -> Refused:
    """The same answer whether a thing does not exist or belongs to somebody else."""
    return Refused(404, subject, "is not here, or not yours to see.", "Go back to your projects.")
