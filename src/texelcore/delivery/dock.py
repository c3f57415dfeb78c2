"""Handing a delivered folder to the dock, which is a process of its own, and taking its receipt."""

from __future__ import annotations

import subprocess
import sys
import tempfile
from pathlib import Path

from texelcore.delivery.documents import Receipt
from texelcore.pixels.errors import TexelError
from texelcore.targets.document import Target

SECONDS = 1800


def ask_dock(folder: Path, target: Target) -> Receipt:
    """Have the dock read a folder with a target's document. Raises TexelError when it cannot read it at all."""
    with tempfile.NamedTemporaryFile("w", suffix=".json", encoding="utf-8") as document:
        document.write(target.model_dump_json())
        document.flush()
        command = [sys.executable, "-m", "texeldock", str(folder), document.name]
        try:
            answer = subprocess.run(command, capture_output=True, text=True, timeout=SECONDS)  # noqa: S603 - our own module
        except subprocess.TimeoutExpired as error:
            raise TexelError("The dock", "took more than half an hour.", "Deliver fewer sets at once.") from error
    if answer.returncode not in (0, 1) or not answer.stdout:
        if answer.returncode < 0:
            problem = f"was ended while it read the delivery (signal {-answer.returncode})."
            raise TexelError("The dock", problem, "Deliver again; if it is ended again, the machine has too little memory.")
        reason = answer.stderr.strip().splitlines()[-1:] or ["it gave no receipt"]
        raise TexelError("The dock", f"could not read the delivery: {reason[0]}.", "Deliver it again.")
    return Receipt.model_validate_json(answer.stdout)
