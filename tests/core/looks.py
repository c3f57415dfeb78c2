"""Facts of files as if their pixels had been looked at, without pixels: for tests of sorting over many names."""

from __future__ import annotations

import base64
from typing import Literal

import numpy as np

from texelcore.surface.evidence import ChannelSeen, DirectionSeen, Evidence, FieldSeen, PictureKind
from texelcore.surface.files import ChannelRange, FileFacts
from texelcore.surface.properties import NormalY

Kind = Literal[
    "colour", "grey", "directions", "flat", "weak directions", "packed", "specular", "pale specular", "glow", "masked colour"
]
_PICTURES: dict[Kind, PictureKind] = {
    "colour": "colour",
    "masked colour": "colour",
    "specular": "colour",
    "pale specular": "colour",
    "glow": "colour",
    "grey": "grey",
    "directions": "vector field",
    "weak directions": "vector field",
    "flat": "constant",
    "packed": "packed",
}
_MEANS = {
    "colour": (0.5, 0.4, 0.3),
    "specular": (0.12, 0.1, 0.08),
    "pale specular": (0.5, 0.48, 0.45),
    "glow": (0.06, 0.03, 0.01),
    "grey": (0.5, 0.5, 0.5),
}


def pictured(path: str, kind: Kind, *, size: int = 256, direction: NormalY | None = None, seed: int | None = None) -> FileFacts:
    """A file that looks like `kind`. Files of one `seed` look alike; by default each looks unlike all others."""
    channels = "Y" if kind == "grey" else "RGBA" if kind == "masked colour" else "RGB"
    field = kind in ("directions", "weak directions")
    flat = (0.5, 0.5, 1.0)
    means = flat if field or kind == "flat" else _MEANS.get(kind, (0.5, 0.4, 0.3))
    seen = {
        name: ChannelSeen(
            kind="constant" if kind == "flat" else "detail",
            mean=mean,
            deviation=0.0 if kind == "flat" else 0.1,
            quarter=mean,
            three_quarters=mean,
            at_low=0.9 if kind == "glow" else 0.0,
            at_high=0.0,
            between=1.0,
            levels=1 if kind == "flat" else 200,
        )
        for name, mean in zip(channels, (*means, 0.5), strict=False)
    }
    rng = np.random.default_rng(abs(hash_of(path)) if seed is None else seed)
    evidence = Evidence(
        picture=_PICTURES[kind],
        channels=seen,
        direction=_direction(kind, direction) if field or kind == "flat" else None,
        field=FieldSeen(length_error=0.0, lean=0.0) if field else None,
        print=base64.b64encode(rng.integers(0, 256, 576, np.uint8).tobytes()).decode(),
        tint=base64.b64encode(rng.integers(0, 256, 192, np.uint8).tobytes()).decode(),
    )
    return FileFacts(
        id=path,
        path=path,
        sha256=f"{hash_of(path):064x}",
        bytes=1,
        format="png",
        width=size,
        height=size,
        channels=tuple(channels),  # type: ignore[arg-type]
        sample="u8",
        ranges={name: ChannelRange(low=0, high=1) for name in channels},
        evidence=evidence,
    )


def hash_of(text: str) -> int:
    """The same number for the same text in every run."""
    return int.from_bytes(text.encode(), "big") % (2**61 - 1)


def _direction(kind: Kind, direction: NormalY | None) -> DirectionSeen:
    sign = -1 if direction == "-Y" else 1
    if kind == "directions" and direction:
        return DirectionSeen(answer=direction, score=0.9 * sign, sigma=40)
    if kind == "weak directions" and direction:
        return DirectionSeen(answer=None, score=0.4 * sign, sigma=3, undecided="too few slopes")
    return DirectionSeen(answer=None, score=0, sigma=0, undecided="flat")
