"""What files of a delivery are called and where they lie, held against the target's templates: whoever imports by name finds no
file that is called otherwise."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping

from texelcore.delivery.documents import DeliveredSet, ReceiptFinding
from texelcore.targets.document import Target, without_tile
from texeldock.findings import FOR_THIS, error

_TOKEN = re.compile(r"{(\w+)}")


def judge_names(delivered: DeliveredSet, asks: Target, project: str) -> Iterator[ReceiptFinding]:
    """Files of a set that are not called as the target has it, to the letter's case, or lie in another folder. `asks` has all
    outputs that may be asked for of the set."""
    values = {"project": project, "set": delivered.code, "target": asks.name}
    folder = "/".join(filter(None, (_filled(part, values) for part in asks.folder_template.split("/")))) or delivered.code
    suffixes = {output.key: output.suffix for output in asks.outputs}
    wanted = {delivered.probes.file: f"{folder}/{delivered.code}.probes.json"}
    for output in delivered.outputs:
        key, tile = without_tile(output.key)
        if key not in suffixes:
            continue
        _, dot, ending = output.file.file.rpartition(".")
        stem = _filled(asks.name_template, values | {"suffix": suffixes[key]}) + (f"_{tile}" if tile else "")
        wanted[output.file.file] = f"{folder}/{stem}{dot}{ending}"
    for name, meant in wanted.items():
        if _loose(name) != _loose(meant):
            yield error(name, f"should be called {meant}: {asks.title} has such names.", FOR_THIS)


def _filled(template: str, values: Mapping[str, str]) -> str:
    return _TOKEN.sub(lambda token: values.get(token.group(1), ""), template).strip("_")


def _loose(name: str) -> str:
    """A path without what a token that has no value may leave behind."""
    return "/".join(re.sub("_+", "_", part) for part in name.split("/"))
