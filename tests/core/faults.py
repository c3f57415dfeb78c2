"""Faults that people plant in deliveries without meaning to: one at a time, with sizes and hashes put right, as a sloppy exporter
would. Each says which words the receipt has to find for it, and about what."""

from __future__ import annotations

import hashlib
import json
import re
import struct
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from texelcore.codecs.dds import read_dds, write_dds
from texelcore.codecs.meaning import kept_kinds, kinds_of
from texelcore.codecs.mips import halve, mip_levels
from texelcore.codecs.texture import Texture, decode, encode_levels
from texelcore.pixels.image import Image, Pixels
from texelcore.pixels.values import as_stored, as_values
from texelcore.surface.formats import FORMATS, level_sizes, texture_channel
from texelcore.surface.storage import Storage

Json = dict[str, Any]
Edit = Callable[[np.ndarray], np.ndarray]
# How far a fault has to move a texture to be one: less is what blocks and rounding move anyway (8-bit levels, mean and largest).
LEAST_MEAN, LEAST_WORST = 1.0, 8.0


@dataclass(frozen=True)
class Fault:
    """One fault: its name, what it does to a delivery (False where it would change nothing), and what has to be said."""

    name: str
    plant: Callable[[Delivery], bool]
    about: str
    words: str

    def is_named(self, findings: list[tuple[str, str]]) -> bool:
        """Whether some finding (subject, message) says it, about the right thing."""
        return any(re.search(self.about, subject) and re.search(self.words, message) for subject, message in findings)


class Delivery:
    """A delivered folder that is being spoiled."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.manifest: Json = json.loads((folder / "delivery.json").read_text())
        self.set: Json = self.manifest["sets"][0]
        self.keeps_hashes = False

    def output(self, key: str) -> Json | None:
        return next((entry for entry in self.set["outputs"] if entry["key"] == key), None)

    def path(self, entry: Json) -> Path:
        return self.folder / entry["file"]["file"]

    def close(self) -> None:
        """Write the manifest, with the sizes and hashes that files have now."""
        if not self.keeps_hashes:
            files = [output["file"] for entry in self.manifest["sets"] for output in entry["outputs"]]
            files += [entry["probes"] for entry in self.manifest["sets"]]
            files += [part for entry in self.manifest["variants"] for part in (entry["file"], entry["master_file"])]
            for file in files:
                path = self.folder / file["file"]
                if path.is_file():
                    data = path.read_bytes()
                    file |= {"bytes": len(data), "sha256": hashlib.sha256(data).hexdigest()}
        (self.folder / "delivery.json").write_text(json.dumps(self.manifest))


# Pixels


def eight_bits(texture: Texture, level: int = 0) -> np.ndarray:
    """What a level stores; of eight bits where that is what went into its blocks."""
    stored = decode(texture, level)
    return as_stored(as_values(stored), "u8") if FORMATS[texture.format].sample == "u8" else stored


def shifted(by: int) -> Edit:
    return lambda stored: np.roll(stored, (by, by), (0, 1))


def swapped(*order: int) -> Edit:
    return lambda stored: stored[..., [*order, *range(len(order), stored.shape[2])]]


def through(how: Callable[[np.ndarray], np.ndarray], channels: slice = slice(0, 3)) -> Edit:
    """Values 0–1 of some channels through a function."""

    def edit(stored: np.ndarray) -> np.ndarray:
        whole = stored.astype(np.float64)
        top = 1.0 if stored.dtype.kind == "f" else float(np.iinfo(stored.dtype).max)
        whole[..., channels] = how(whole[..., channels] / top) * top
        return np.clip(np.round(whole), 0, top).astype(stored.dtype) if top > 1 else whole.astype(stored.dtype)

    return edit


def quarter(stored: np.ndarray) -> np.ndarray:
    """What is left of a picture at a quarter of its edge."""
    small = halve(halve(stored.astype(np.float32)))
    grown = np.kron(small, np.ones((4, 4, 1)))
    return np.round(np.resize(grown, stored.shape) if grown.shape != stored.shape else grown).astype(stored.dtype)


def damaged(share: float, at: tuple[float, float] = (0.37, 0.61)) -> Edit:
    """A square of 32 texels of 1024: another place of the same picture, or what is not there."""

    def edit(stored: np.ndarray) -> np.ndarray:
        out = stored.copy()
        height, width = stored.shape[:2]
        size = max(4, round(32 / 1024 * max(height, width)))
        top, left = int(at[0] * height), int(at[1] * width)
        patch = out[top : top + size, left : left + size]
        full = 1 if stored.dtype.kind == "f" else np.iinfo(stored.dtype).max
        patch[:] = np.where(patch.astype(np.float64) > share * full, 0, full).astype(stored.dtype)
        return out

    return edit


def grained(sigma: float) -> Edit:
    rng = np.random.default_rng(3)
    return through(lambda values: values + rng.normal(0, sigma / 255, values.shape), slice(None))


def half_gone(stored: np.ndarray) -> np.ndarray:
    out = stored.copy()
    out[stored.shape[0] // 2 :] = 0
    return out


def to_linear(values: np.ndarray) -> np.ndarray:
    return np.where(values <= 0.04045, values / 12.92, ((values + 0.055) / 1.055) ** 2.4)


def to_srgb(values: np.ndarray) -> np.ndarray:
    return np.where(values <= 0.0031308, values * 12.92, 1.055 * np.maximum(values, 0) ** (1 / 2.4) - 0.055)


def strength(factor: float) -> Edit:
    return through(lambda values: (values - 0.5) * factor + 0.5, slice(0, 2))


ANYWHERE: dict[str, Edit] = {
    "shifted by a texel": shifted(1),
    "shifted by eight": shifted(8),
    "mirrored": lambda stored: stored[:, ::-1],
    "upside down": lambda stored: stored[::-1],
    "turned": lambda stored: np.rot90(stored).copy(),
    "of a quarter of its size": quarter,
    "damaged in one place": damaged(0.5),
    "damaged at an edge": damaged(0.5, (0.02, 0.9)),
    "half gone": half_gone,
    "grained": grained(20),
    "a little grained": grained(6),
    "of sixteen steps": through(lambda values: np.round(values * 15) / 15, slice(None)),
    "black": lambda stored: stored * 0,
}
NORMALS: dict[str, Edit] = {
    "green turned over": through(lambda values: 1 - values, slice(1, 2)),
    "red turned over": through(lambda values: 1 - values, slice(0, 1)),
    "axes swapped": swapped(1, 0),
    "flat": through(lambda values: values * 0 + 0.5, slice(0, 2)),
    "of half strength": strength(0.5),
    "of nine tenths of its strength": strength(0.9),
    "of double strength": strength(2),
    "read as sRGB": through(to_linear, slice(0, 2)),
}
COLOURS: dict[str, Edit] = {
    "decoded once too often": through(to_linear),
    "encoded once too often": through(to_srgb),
    "encoded by a pure power": through(lambda values: to_linear(values) ** (1 / 2.2)),
    "decoded by a pure power": through(lambda values: to_srgb(values**2.2)),
    "a tenth too bright": through(lambda values: values * 1.1),
    "a tenth too dark": through(lambda values: values * 0.9),
    "red and blue swapped": swapped(2, 1, 0),
    "red and green swapped": swapped(1, 0, 2),
    "grey": through(lambda values: np.repeat(values.mean(-1, keepdims=True), 3, -1)),
    "of more contrast": through(lambda values: (values - 0.5) * 1.4 + 0.5),
    "inverted": through(lambda values: 1 - values),
    "white": through(lambda values: values * 0 + 1),
}
ALPHAS: dict[str, Edit] = {
    "solid": through(lambda values: values * 0 + 1, slice(3, 4)),
    "inverted": through(lambda values: 1 - values, slice(3, 4)),
    "see-through": through(lambda values: values * 0.5, slice(3, 4)),
}
DATA: dict[str, Edit] = {
    "inverted": through(lambda values: 1 - values),
    "read as sRGB": through(to_linear),
    "encoded as sRGB": through(to_srgb),
    "constant": through(lambda values: values * 0 + 0.5),
    "a fifth too large": through(lambda values: values * 1.2),
    "of half its range": through(lambda values: values * 0.5 + 0.25),
}
PACKED: dict[str, Edit] = {
    "red and green swapped": swapped(1, 0),
    "green and blue swapped": swapped(0, 2, 1),
    "red inverted": through(lambda values: 1 - values, slice(0, 1)),
    "green inverted": through(lambda values: 1 - values, slice(1, 2)),
    "blue gone": through(lambda values: values * 0, slice(2, 3)),
    "green read as sRGB": through(to_linear, slice(1, 2)),
}
HEIGHTS: dict[str, Edit] = {
    "of 8 bits": through(lambda values: np.round(values * 255) / 255),
    "lifted": through(lambda values: values + 0.05),
}


def edits_of(output: Json) -> dict[str, Edit]:
    """The edits that make sense for what an output holds."""
    held = [entry["property"] for entry in output["channels"]]
    found = dict(ANYWHERE)
    if "normal" in held:
        found |= NORMALS
    elif held[:3] in (["base_colour"] * 3, ["emissive"] * 3):
        found |= COLOURS
    else:
        found |= DATA | (PACKED if len(FORMATS[output["format"]].channels) >= 3 else {})
    if "opacity" in held and FORMATS[output["format"]].channels.endswith("A"):
        found |= ALPHAS
    if held == ["height"] and output["format"] == "r16":
        found |= HEIGHTS
    return found


def kinds(output: Json) -> tuple[Any, ...]:
    meant = [(entry["property"], entry["component"], entry["inverted"]) for entry in output["channels"]]
    names = [entry["channel"] for entry in output["channels"]]
    held = dict(
        zip(*kept_kinds(output["format"], dict(zip(names, kinds_of(meant, output["encoding"]), strict=True))), strict=True)
    )
    return tuple(held.get(name, "data") for name in FORMATS[output["format"]].channels)


def encoded(texture: Texture, levels: list[Pixels], output: Json) -> bytes:
    """Levels as a file like the one that they came from."""
    names = FORMATS[texture.format].channels
    storage = Storage(format=texture.format, srgb=texture.srgb, mips=len(levels) > 1)
    image = Image(np.ascontiguousarray(levels[0]), tuple(names))  # type: ignore[arg-type]
    made = encode_levels([np.ascontiguousarray(level) for level in levels], image, storage)
    alpha = {1: "straight", 3: "opaque", 4: "custom"}
    return write_dds(made, alpha[output["_alpha"]])  # type: ignore[arg-type]


def opened(delivery: Delivery, key: str) -> tuple[Json, Texture] | None:
    output = delivery.output(key)
    if output is None or output["container"] != "dds":
        return None
    data = delivery.path(output).read_bytes()
    output["_alpha"] = struct.unpack_from("<I", data, 144)[0]
    return output, read_dds(data, key)


def unmeant(output: Json) -> list[int]:
    """The places of channels that the format keeps and nothing is meant by."""
    meant = {texture_channel(entry["channel"]) for entry in output["channels"]}
    return [place for place, name in enumerate(FORMATS[output["format"]].channels) if name not in meant]


def only_meant(output: Json, before: Pixels, after: Pixels) -> Pixels:
    """An edit without what it does to channels that nothing is meant by."""
    if after.shape == before.shape and (rest := unmeant(output)):
        after = after.copy()
        after[..., rest] = before[..., rest]
    return after


def in_stray_alpha(key: str) -> Callable[[Delivery], bool]:
    """Something lies in an alpha that nothing is meant by."""

    def plant(delivery: Delivery) -> bool:
        if (found := opened(delivery, key)) is None or 3 not in unmeant(found[0]):
            return False
        output, texture = found
        after = eight_bits(texture)
        after[..., 3] = after[..., 0]
        levels = list(mip_levels(after, kinds(output), len(texture.levels) > 1))
        delivery.path(output).write_bytes(encoded(texture, levels, output))
        del output["_alpha"]
        return True

    return plant


def moved_enough(before: Pixels, after: Pixels) -> bool:
    full = 1 if before.dtype.kind == "f" else np.iinfo(before.dtype).max
    moved = np.abs(before.astype(np.float64) - after.astype(np.float64)) / full * 255
    # What more bits keep, less of a move is enough to lose.
    scale = 1 if before.dtype == np.uint8 else 1 / 16
    return bool(moved.mean() > LEAST_MEAN * scale or moved.max() > LEAST_WORST)


def in_pixels(key: str, edit: Edit) -> Callable[[Delivery], bool]:
    """The whole texture is another, with mips that are right for it."""

    def plant(delivery: Delivery) -> bool:
        if (found := opened(delivery, key)) is None:
            return False
        output, texture = found
        before = eight_bits(texture)
        after = only_meant(output, before, edit(before))
        if after.shape != before.shape or not moved_enough(before, after):
            return False
        levels = list(mip_levels(np.ascontiguousarray(after), kinds(output), len(texture.levels) > 1))
        delivery.path(output).write_bytes(encoded(texture, levels, output))
        del output["_alpha"]
        return True

    return plant


def in_levels(key: str, edit: Callable[[list[Pixels]], list[Pixels]]) -> Callable[[Delivery], bool]:
    """The base stays, and levels below it are others."""

    def plant(delivery: Delivery) -> bool:
        if (found := opened(delivery, key)) is None or len(found[1].levels) < 4:
            return False
        output, texture = found
        before = [eight_bits(texture, level) for level in range(len(texture.levels))]
        edited = edit([level.copy() for level in before])
        after = [only_meant(output, *pair) for pair in zip(before, edited, strict=True)]
        if not any(moved_enough(*pair) for pair in zip(before[1:5], after[1:5], strict=True)):
            return False
        data = encoded(texture, after, output)
        # The base keeps its very blocks.
        old = delivery.path(output).read_bytes()
        size = len(texture.levels[0])
        delivery.path(output).write_bytes(data[:148] + old[148 : 148 + size] + data[148 + size :])
        del output["_alpha"]
        return True

    return plant


def below(edit: Callable[[Pixels], Pixels], only: int = 0) -> Callable[[list[Pixels]], list[Pixels]]:
    return lambda levels: [edit(level) if at and (not only or at == only) else level for at, level in enumerate(levels)]


def nearest(levels: list[Pixels]) -> list[Pixels]:
    found = [levels[0]]
    for level in levels[1:]:
        step = (found[0].shape[0] // level.shape[0], found[0].shape[1] // level.shape[1])
        found.append(found[0][:: step[0], :: step[1]][: level.shape[0], : level.shape[1]])
    return found


MIPS: dict[str, Callable[[list[Pixels]], list[Pixels]]] = {
    "are black": below(lambda level: level * 0),
    "are noise": below(grained(40)),
    "are shifted": below(shifted(1)),
    "are mirrored": below(lambda level: level[:, ::-1]),
    "are inverted": below(through(lambda values: 1 - values, slice(None))),
    "are every other texel": nearest,
    "of one level are black": below(lambda level: level * 0, 2),
    "of one level are noise": below(grained(40), 1),
    "of one level are damaged": below(damaged(0.5), 1),
    "of one level are the next": lambda levels: [
        level if at != 2 else np.kron(levels[3], np.ones((2, 2, 1), level.dtype)) for at, level in enumerate(levels)
    ],
}


# The container


def in_bytes(key: str, edit: Callable[[bytearray, Json], bytes | bytearray]) -> Callable[[Delivery], bool]:
    def plant(delivery: Delivery) -> bool:
        output = delivery.output(key)
        if output is None or output["container"] != "dds":
            return False
        path = delivery.path(output)
        before = path.read_bytes()
        after = bytes(edit(bytearray(before), output))
        path.write_bytes(after)
        return after != before

    return plant


def field(offset: int, value: int | Callable[[int], int]) -> Callable[[bytearray, Json], bytearray]:
    def edit(data: bytearray, output: Json) -> bytearray:
        old = struct.unpack_from("<I", data, offset)[0]
        struct.pack_into("<I", data, offset, value(old) if callable(value) else value)
        return data

    return edit


def cut_after_base(data: bytearray, output: Json) -> bytearray:
    return data[: 148 + FORMATS[output["format"]].level_bytes(output["width"], output["height"])]


def cut_last(data: bytearray, output: Json) -> bytearray:
    width, height = level_sizes(output["width"], output["height"], True)[-1]
    return data[: -FORMATS[output["format"]].level_bytes(width, height)]


def without_mips(data: bytearray, output: Json) -> bytearray:
    """As if none had been made, by an exporter that says so in the file."""
    short = field(28, 1)(cut_after_base(data, output), output)
    struct.pack_into("<I", short, 8, struct.unpack_from("<I", short, 8)[0] & ~0x20000)
    struct.pack_into("<I", short, 108, 0x1000)
    return short


CONTAINERS: dict[str, tuple[Callable[[bytearray, Json], bytes | bytearray], str]] = {
    "cut off after its base": (cut_after_base, "cut off: level 1 "),
    "without mips": (without_mips, "which is not what the manifest says"),
    "without its last level": (cut_last, "cut off: level"),
    "a byte short": (lambda data, output: data[:-1], "cut off: level .* lacks 1 bytes"),
    "a byte long": (lambda data, output: data + b"\0", "goes on for 1 bytes"),
    "a level too many": (field(28, lambda old: old + 1), "at most|cut off|in \\d+ levels"),
    "a level too few in its header": (field(28, lambda old: old - 1), "goes on for|not what the manifest says"),
    "an array": (field(140, 2), "holds 2 pictures"),
    "a cube by its flags": (field(136, 4), "is a cube"),
    "a cube by its caps": (field(112, 0xFE00), "is a cube"),
    "a volume by its caps": (field(112, 0x200000), "is no volume"),
    "deep": (field(24, 4), "is 4 deep"),
    "of one dimension": (field(132, 2), "has dimension 2"),
    "of a wrong pitch": (field(20, lambda old: old + 64), "bytes where it has"),
    "of no pitch": (field(20, 0), "bytes where it has"),
    "of another width": (field(16, lambda old: max(1, old * 2)), "not what the manifest says|cut off"),
    "of another height": (field(12, lambda old: max(1, old // 2)), "not what the manifest says|goes on"),
    "of another flag": (
        field(128, lambda old: {98: 99, 99: 98, 71: 72, 72: 71, 77: 78, 78: 77, 28: 29, 29: 28}.get(old, 98)),
        "flagged sRGB|which is not what|the manifest says",
    ),
    "premultiplied by its header": (field(144, 2), "alpha is premultiplied"),
    "of unknown alpha": (field(144, 0), "alpha is unknown"),
    "of an alpha mode that is none": (field(144, 9), "alpha mode, 9"),
    "of a header size that is none": (field(4, 100), "header of 100 bytes"),
    "of a format that nobody has": (field(128, 250), "DXGI format 250"),
    "without its magic number": (lambda data, output: b"XXXX" + bytes(data[4:]), "no DDS file"),
    "empty": (lambda data, output: b"", "without a size|no DDS file"),
    "a picture under another name": (lambda data, output: b"\x89PNG\r\n\x1a\n" + bytes(200), "no DDS file"),
}


def container_faults(key: str) -> Iterator[Fault]:
    for name, (edit, words) in CONTAINERS.items():
        yield Fault(f"{key} is {name}", in_bytes(key, edit), r"\.dds$", words)


def pixel_faults(output: Json, code: str) -> Iterator[Fault]:
    key = output["key"]
    name = output["file"]["file"].rsplit("/", 1)[-1]
    for what, edit in edits_of(output).items():
        yield Fault(
            f"{key} is {what}", in_pixels(key, edit), rf"^{re.escape(code)}$|{re.escape(name)}", re.escape(name) + "|level"
        )
    yield Fault(f"{key} has a stray alpha", in_stray_alpha(key), re.escape(name), "something in alpha")
    for what, change in MIPS.items():
        yield Fault(f"mips of {key} {what}", in_levels(key, change), re.escape(name), r"level \d")
