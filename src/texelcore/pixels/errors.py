"""Errors that every room raises: each names the file, the rule and the way out."""

from __future__ import annotations


class TexelError(Exception):
    """A failure that a person can act on.

    `subject` names the file or set, `problem` says which rule broke, `way_out` says what to do about it.
    """

    def __init__(self, subject: str, problem: str, way_out: str) -> None:
        super().__init__(subject, problem, way_out)
        self.subject = subject
        self.problem = problem
        self.way_out = way_out

    def __str__(self) -> str:
        return f"{self.sentence} {self.way_out}"

    @property
    def sentence(self) -> str:
        """What is wrong with what: "oak.png is damaged." A problem that is a sentence by itself follows a colon."""
        return f"{self.subject}{'' if self.problem[:1].islower() else ':'} {self.problem}"


class UnreadableImage(TexelError):
    """The file is not a picture, is damaged, or is larger than the limits allow."""


class Cancelled(Exception):
    """Somebody asked for the work to stop; nothing that counts was left behind."""
