"""How often each kind of finding is right and useful: every check is turned on for packages of other people's maps, and of each
kind a random draw with a fixed seed is laid out on a contact sheet, for a person to look at and to judge.

    bench/precision PACKAGE...      packages or folders as for bench/corpus; sheets go to var/corpus/sheets/RULE.png

The figures of docs/bench.md come from such sheets.
"""

from __future__ import annotations

import random
import sys
from collections import defaultdict
from collections.abc import Iterator
from pathlib import Path

import numpy as np
from corpus import CORPUS, TRUTH, answers, fetched, looked_at, meant
from PIL import Image, ImageDraw

from texelcore.checks.picture_rules import check_pictures
from texelcore.naming.house import Reader
from texelcore.naming.rules import HouseRules
from texelcore.pixels.display import display, is_light, shrink
from texelcore.pixels.read import read
from texelcore.sorting.sort import sort_files
from texelcore.surface.checks import CHECKS, CheckChoice
from texelcore.surface.findings import Finding

DRAWN, ACROSS, EDGE, CAPTION = 24, 6, 200, 30
LOUD = {check.rule: CheckChoice(say="on") for check in CHECKS}


def main() -> int:
    """Look, sort, check, draw."""
    if len(sys.argv) < 2:
        print(__doc__, file=sys.stderr)
        return 2
    found: defaultdict[str, list[tuple[Path, Finding]]] = defaultdict(list)
    for name in sys.argv[1:]:
        folder = Path(name) if Path(name).is_dir() else fetched(name)
        for path, finding in findings_of(name, folder):
            found[finding.rule].append((path, finding))
    sheets = CORPUS / "sheets"
    sheets.mkdir(exist_ok=True)
    for rule, entries in sorted(found.items()):
        drawn = random.Random(rule).sample(entries, min(DRAWN, len(entries)))
        contact_sheet(drawn).save(sheets / f"{rule}.png")
        print(f"{rule:<28}{len(entries):>7,}   {sheets / rule}.png")
    return 0


def findings_of(name: str, folder: Path) -> Iterator[tuple[Path, Finding]]:
    """What the pictures of a package show once its endings are answered as the truth table says, with the file of each."""
    files = {facts.id: facts for facts in looked_at(folder)}
    truth = {facts.id: meant(facts, TRUTH.get(name, ())) for facts in files.values()}
    habits = answers(sort_files(files.values()), truth)
    settled = sort_files(files.values(), Reader(HouseRules.model_validate({"hold": False, "habits": habits})))
    for ledger in settled.ledgers:
        used = {facts.name: facts for row in ledger.parts() for facts in [files[row.file]]}
        for finding in check_pictures(ledger, files, LOUD):
            yield folder / used[finding.subject].path, finding


def contact_sheet(drawn: list[tuple[Path, Finding]]) -> Image.Image:
    """The pictures in rows, each with its name and what was found beneath."""
    down = -(-len(drawn) // ACROSS)
    sheet = Image.new("RGB", (ACROSS * EDGE, down * (EDGE + CAPTION)), "#222")
    pen = ImageDraw.Draw(sheet)
    for at, (path, finding) in enumerate(drawn):
        left, top = at % ACROSS * EDGE, at // ACROSS * (EDGE + CAPTION)
        image = read(path)
        pixels = shrink(display(image, "RGB", is_light(image)), EDGE - 4)
        sheet.paste(Image.fromarray(np.repeat(pixels, 3, axis=2) if pixels.shape[2] == 1 else pixels), (left, top))
        pen.text((left, top + EDGE), f"{at + 1} {path.name[-30:]}\n{finding.property} {image.width}x{image.height}", "#ddd")
    return sheet


if __name__ == "__main__":
    sys.exit(main())
