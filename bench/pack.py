"""Three grey PNG files to one packed PNG: `fairtexel pack` beside ImageMagick, libvips and oiiotool, in one run.

Measured are whole processes, from start to exit: wall-clock time (the best of several rounds, tools taking turns, so
that a slow moment of the machine hits all alike), peak memory as the kernel counts it, and the size of the file. Every
result is decoded and compared with the inputs, texel for texel.
"""

from __future__ import annotations

import argparse
import os
import sys
import tempfile
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from multiprocessing import get_context
from pathlib import Path

FAIRTEXEL = Path(sys.executable).with_name("fairtexel")
MAPS = ("occlusion", "roughness", "metallic")


@dataclass
class Tool:
    """One contestant: its command, and what was measured."""

    name: str
    command: list[str]
    out: Path
    seconds: list[float] = field(default_factory=list)
    peak: int = 0


def main() -> int:
    """Make the inputs, run every tool, check every result, print the table."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--size", type=int, default=4096)
    parser.add_argument("--rounds", type=int, default=5)
    parser.add_argument("--noise", action="store_true", help="add a little sensor noise, the hardest thing to compress")
    options = parser.parse_args()
    with tempfile.TemporaryDirectory(prefix="fairtexel-bench-") as name:
        folder = Path(name)
        inputs = [folder / f"{name}.png" for name in MAPS]
        apart(make_inputs, folder, options.size, options.noise)
        tools = contestants(folder, inputs)
        for _ in range(options.rounds):
            for tool in tools:
                measure(tool)
        apart(compare, inputs, [(tool.name, tool.out) for tool in tools])
        report(tools, options.size)
    return 0


def apart(work: Callable[..., None], *arguments: object) -> None:
    """Run in a process of its own: a child counts its parent's peak memory as its own, so this one must stay small."""
    process = get_context("spawn").Process(target=work, args=arguments)
    process.start()
    process.join()
    if process.exitcode:
        raise SystemExit(process.exitcode)


def compare(inputs: list[Path], results: list[tuple[str, Path]]) -> None:
    """Decode every result with another library and hold it against the inputs, texel for texel."""
    import numpy as np
    from imagecodecs import png_decode
    from PIL import Image as Pillow

    Pillow.MAX_IMAGE_PIXELS = None
    expected = np.dstack([png_decode(path.read_bytes()) for path in inputs])
    for name, path in results:
        if not np.array_equal(np.asarray(Pillow.open(path)), expected):
            raise SystemExit(f"{name}: the result differs from the inputs")


def make_inputs(folder: Path, size: int, noise: bool) -> None:
    """A demo material's three data maps at full size, written by the reference library at its usual level."""
    import numpy as np
    from imagecodecs import png_encode

    from texeldemo import glasshouse

    print(f"painting three {size}² maps …", file=sys.stderr)
    surface = glasshouse.copper_mister(size)
    rng = np.random.default_rng(3)
    for name in MAPS:
        values = getattr(surface, name) * 255
        if noise:
            values = values + rng.normal(0, 0.6, values.shape)
        encoded = png_encode(np.clip(values + 0.5, 0, 255).astype(np.uint8), level=6)
        (folder / f"{name}.png").write_bytes(encoded)


def contestants(folder: Path, inputs: list[Path]) -> list[Tool]:
    """Each tool with the command that its manual gives for joining grey pictures into channels."""
    names = [str(path) for path in inputs]

    def tool(name: str, *command: str) -> Tool:
        out = folder / f"out-{name}.png"
        return Tool(name, [part.replace("OUT", str(out)) for part in command], out)

    channels = [f"{letter}={path}" for letter, path in zip("RGB", names, strict=True)]
    return [
        tool("fairtexel", str(FAIRTEXEL), "pack", *channels, "--out", "OUT"),
        tool("ImageMagick", "convert", *names, "-combine", "OUT"),
        # One command of its own cannot say that three joined greys are RGB: a second one says so, through a raw file.
        tool("libvips", "sh", "-c", f"vips bandjoin '{' '.join(names)}' OUT.v && vips copy OUT.v OUT --interpretation srgb"),
        tool("oiiotool", "oiiotool", *names, "--chappend:n=3", "--chnames", "R,G,B", "-o", "OUT"),
    ]


def measure(tool: Tool) -> None:
    """Run a tool once, whole, and keep its time and its largest peak."""
    tool.out.unlink(missing_ok=True)
    begin = time.perf_counter()
    pid = os.posix_spawnp(tool.command[0], tool.command, os.environ)
    _, status, usage = os.wait4(pid, 0)
    tool.seconds.append(time.perf_counter() - begin)
    if status != 0:
        raise SystemExit(f"{tool.name} failed: {' '.join(tool.command)}")
    tool.peak = max(tool.peak, usage.ru_maxrss)


def report(tools: list[Tool], size: int) -> None:
    """A table, with ratios against ours."""
    ours = min(tools[0].seconds)
    print(f"\nthree {size}² grey PNG files to one packed PNG, best of {len(tools[0].seconds)}, every result right\n")
    print(f"{'tool':<14}{'seconds':>9}{'× ours':>9}{'peak MB':>9}{'file MB':>9}{'file ÷ ours':>13}")
    mine = tools[0].out.stat().st_size
    for tool in tools:
        best, written = min(tool.seconds), tool.out.stat().st_size
        print(
            f"{tool.name:<14}{best:>9.2f}{best / ours:>9.1f}{tool.peak / 1024:>9.0f}{written / 1e6:>9.2f}{written / mine:>13.2f}"
        )
    fastest = min(tools[1:], key=lambda tool: min(tool.seconds))
    smallest = min(tool.out.stat().st_size for tool in tools[1:])
    print(f"\n{min(fastest.seconds) / ours:.1f} times as fast as the fastest other ({fastest.name}); ", end="")
    print(f"file {mine / fastest.out.stat().st_size:.2f} × its file and {mine / smallest:.2f} × the smallest")


if __name__ == "__main__":
    sys.exit(main())
