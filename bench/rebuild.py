"""Ten sets built by the command line: at first, with nothing changed, and with one source changed. Whole processes."""

from __future__ import annotations

import subprocess
import sys
import tempfile
import time
from pathlib import Path

from texelcore.pixels.image import Image
from texelcore.pixels.read import read
from texelcore.pixels.strips import of_image
from texelcore.pixels.write import write
from texeldemo.export import export_world


def build(folder: Path, out: Path) -> float:
    """Seconds of one whole build."""
    command = [sys.executable, "-m", "texelcli", "build", str(folder), "--target", "orbit-desktop", "--out", str(out)]
    begun = time.perf_counter()
    subprocess.run(command, check=True, stdout=subprocess.DEVNULL)
    return time.perf_counter() - begun


def main() -> None:
    """Measure and print one table."""
    with tempfile.TemporaryDirectory() as place:
        folder, out = Path(place) / "in", Path(place) / "out"
        export_world(folder, 1024)
        first = build(folder, out)
        again = min(build(folder, out) for _ in range(5))
        source = next(path for path in folder.rglob("*.png") if "rough" in path.name.lower())
        image = read(source)
        write(of_image(Image(image.data // 2, image.channels)), "png", "linear", source)
        changed = build(folder, out)
        print("ten sets, whole process")
        for name, seconds in (("first build", first), ("nothing changed, best of 5", again), ("one source changed", changed)):
            print(f"| {name} | {seconds:.2f} s |")


if __name__ == "__main__":
    main()
