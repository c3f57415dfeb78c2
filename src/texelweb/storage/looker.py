"""The other side of the guard: a process that looks at files which may be hostile, and knows neither database nor secrets.

Run as a module, it answers one JSON line on standard output for each on standard input.
"""

from __future__ import annotations

import base64
import json
import resource
import sys
from pathlib import Path
from typing import Any

from texelcore.evidence.facts import look_over
from texelcore.lighting.panorama import packed_panorama, read_panorama
from texelcore.pixels.display import VIEWS, display, is_light, shrink
from texelcore.pixels.errors import TexelError
from texelcore.pixels.image import Image
from texelcore.pixels.png import png_bytes

# An 8192² picture of four floats takes 1 GiB; a reader may hold it twice, and the libraries map half a gigabyte.
MEMORY_LIMIT = 5 * 1024**3


def serve() -> None:
    """Answer one JSON line for each JSON line on standard input: {"path", "shown", "edge"} gives facts, and small pictures of
    at most `edge` texels by view as PNG in base 64; without an edge, the file is a panorama, and is given packed; or an error.

    It runs in a process of its own and limits itself, so that a hostile file takes down nothing but this process.
    """
    limit()
    for line in sys.stdin:
        request = json.loads(line)
        try:
            answer = _looked(request) if "edge" in request else _panorama(request)
        except TexelError as error:
            answer = {"error": {"problem": error.problem, "way_out": error.way_out}}
        except MemoryError:
            problem = "needs more memory to decode than one picture may have."
            answer = {"error": {"problem": problem, "way_out": "Export it smaller or with fewer bits."}}
        print(json.dumps(answer), flush=True)


def limit() -> None:
    """No file is written here, and only so much memory taken. Set by the process itself, and not by the caller between fork and
    exec: that may stand still where the caller has threads."""
    for kind, most in ((resource.RLIMIT_AS, MEMORY_LIMIT), (resource.RLIMIT_FSIZE, 0), (resource.RLIMIT_CORE, 0)):
        resource.setrlimit(kind, (most, most))


def _looked(request: dict[str, Any]) -> dict[str, Any]:
    facts, image = look_over(Path(request["path"]), request["shown"])
    return {"facts": facts.model_dump(mode="json"), "small": _small(image, int(request["edge"]))}


def _panorama(request: dict[str, Any]) -> dict[str, Any]:
    light = read_panorama(Path(request["path"]), request["shown"])
    height, width = light.shape[:2]
    return {"width": width, "height": height, "packed": base64.b64encode(packed_panorama(light)).decode("ascii")}


def _small(image: Image, edge: int) -> dict[str, str]:
    light = is_light(image)
    views = [view for view in VIEWS if view == "RGB" or view in image.channels]
    return {view: base64.b64encode(png_bytes(shrink(display(image, view, light), edge))).decode("ascii") for view in views}


if __name__ == "__main__":
    serve()
