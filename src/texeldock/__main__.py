"""`python -m texeldock FOLDER TARGET.json`: read a delivery and print a receipt as JSON.

Exit code 0 when it holds, 1 when something would have gone wrong, 2 when the folder cannot be read at all.
"""

from __future__ import annotations

import sys
from pathlib import Path

from texelcore.pixels.errors import TexelError
from texelcore.targets.library import read_target
from texeldock.receive import receive


def run(arguments: list[str]) -> int:
    """Receive the folder that the arguments name, and give the exit code."""
    if len(arguments) != 2:
        print("usage: python -m texeldock FOLDER TARGET.json", file=sys.stderr)
        return 2
    try:
        receipt = receive(Path(arguments[0]), read_target(Path(arguments[1])))
    except TexelError as error:
        print(f"dock: {error}", file=sys.stderr)
        return 2
    sys.stdout.write(receipt.to_json())
    return 0 if receipt.holds else 1


if __name__ == "__main__":
    sys.exit(run(sys.argv[1:]))
