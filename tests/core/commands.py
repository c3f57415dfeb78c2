"""The command line in the tests' own process: starting one takes longer than most of what it does."""

from __future__ import annotations

import contextlib
import io
from dataclasses import dataclass
from pathlib import Path

from texelcli.main import run


@dataclass(frozen=True)
class Done:
    """How a command ended, and what it said."""

    returncode: int
    stdout: str
    stderr: str


def fairtexel(*arguments: str | Path) -> Done:
    """Run a command; one that is used wrongly ends by itself, as in a process of its own."""
    out, err = io.StringIO(), io.StringIO()
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
        try:
            code = run([str(argument) for argument in arguments])
        except SystemExit as ended:
            code = int(ended.code or 0)
    return Done(code, out.getvalue(), err.getvalue())
