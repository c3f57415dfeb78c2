"""The targets that ship, and target documents in files."""

from __future__ import annotations

from functools import cache
from importlib import resources
from pathlib import Path

from texelcore.pixels.errors import TexelError
from texelcore.targets.document import Target
from texelcore.targets.problems import problems_of

LARGEST_DOCUMENT = 1 << 20


@cache
def shipped_versions() -> dict[str, Target]:
    """All versions of the targets that ship, by reference (“orbit-desktop@2”): those by one name in their order."""
    folder = resources.files("texelcore.targets") / "shipped"
    documents = [Target.model_validate_json(file.read_text("utf-8")) for file in folder.iterdir() if file.name.endswith(".json")]
    return {target.reference: target for target in sorted(documents, key=lambda document: (document.name, document.version))}


@cache
def shipped() -> dict[str, Target]:
    """The newest version of each target that ships, by name."""
    return {target.name: target for target in shipped_versions().values()}


def find_target(name: str) -> Target:
    """A shipped target by name, or by name and version (“orbit-desktop@2”). Raises TexelError that lists the known ones."""
    found = shipped_versions().get(name) or shipped().get(name)
    if found is None:
        raise TexelError(name, "is not a known target.", f"Known targets: {', '.join(shipped_versions())}.")
    return found


def read_target(path: Path) -> Target:
    """A target document from a JSON file. Raises TexelError that says what in it does not hold."""
    try:
        if path.stat().st_size > LARGEST_DOCUMENT:
            raise TexelError(path.name, "is larger than 1 MB.", "Name a target document.")
        text = path.read_bytes()
    except OSError as error:
        raise TexelError(path.name, f"could not be read: {error.strerror}.", "Name a target document.") from error
    return parse_target(text, path.name)


def parse_target(text: bytes, name: str) -> Target:
    """A target from the JSON of its document; `name` is what to call it in errors. Raises TexelError that says what in it does
    not hold, of all mistakes the first."""
    target, problems = problems_of(text)
    if target is None:
        first = problems[0]
        more = f" {len(problems) - 1} more mistakes follow." if len(problems) > 1 else ""
        raise TexelError(name, f"is no target document: {first.said}{more}", first.way_out)
    return target
