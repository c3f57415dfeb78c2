"""The other side of the guard: a process that looks at files which may be hostile, and knows neither database nor secrets.

Run as a module, it answers one JSON line on standard output for each on standard input.
"""

from __future__ import annotations

import base64
import json
import sys
from pathlib import Path
from typing import Any

from texelcore.evidence.facts import look_over
from texelcore.lighting.panorama import packed_panorama, read_panorama
from texelcore.pixels.display import VIEWS, display, is_light, shrink
from texelcore.pixels.errors import TexelError
from texelcore.pixels.image import Image
from texelcore.pixels.png import png_bytes


def serve() -> None:
    """Answer one JSON line for each JSON line on standard input: {"path", "shown", "edge"} gives facts, and small pictures of
    at most `edge` texels by view as PNG in base 64; without an edge, the file is a panorama, and is given packed; or an error.

    The caller runs this in a process with limits, so that a hostile file takes down nothing but this process.
    """
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
