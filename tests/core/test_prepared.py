"""What is prepared as the answer to a question about an ending: all files that end so speak, whatever folders they lie in."""

from __future__ import annotations

import pytest

from tests.core.looks import Kind, pictured
from texelcore.sorting.sort import sort_files

FOLDERS = ("doors", "walls", "floors")


@pytest.mark.parametrize(
    ("kinds", "prepared"),
    [
        # By folder: how the files of an ending that nobody knows look, beside a base colour and a normal map each.
        ((("pale specular", 4), ("grey", 5), ("grey", 3)), "specular"),
        ((("specular", 4), ("specular", 3), ("specular", 3)), "specular"),
        ((("glow", 3), ("grey", 3), ("glow", 4)), "emissive"),
        ((("colour", 3), ("colour", 2), ("colour", 1)), "surface"),
    ],
)
def test_prepared_answers_weigh_all_files_of_an_ending(kinds: tuple[tuple[Kind, int], ...], prepared: str) -> None:
    files = []
    for folder, (kind, count) in zip(FOLDERS, kinds, strict=True):
        for number in range(count):
            stem = f"{folder}/{folder[0]}{'abcdefgh'[number]}rk"
            files += [pictured(f"{stem}.png", "colour"), pictured(f"{stem}_norm.png", "directions", direction="+Y")]
            files.append(pictured(f"{stem}_xs.png", kind))
    sorting = sort_files(files)
    (line,) = [line for line in sorting.endings if line.ending == "xs"]
    assert line.asked and line.guess == prepared and len(line.files) == sum(count for _, count in kinds)
