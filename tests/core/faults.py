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
from texelcore.codecs.formats import FORMATS, level_sizes
from texelcore.codecs.meaning import kept_kinds, kinds_of
from texelcore.codecs.mips import halve, mip_levels
from texelcore.codecs.texture import Texture, decode, encode_levels
from texelcore.pixels.image import Image, Pixels
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
    "black": lambda stored: stored * 0,
}
NORMALS: dict[str, Edit] = {
    "green turned over": through(lambda values: 1 - values, slice(1, 2)),
    "red turned over": through(lambda values: 1 - values, slice(0, 1)),
    "axes swapped": swapped(1, 0),
    "flat": through(lambda values: values * 0 + 0.5, slice(0, 2)),
    "of half strength": strength(0.5),
    "of double strength": strength(2),
    "read as sRGB": through(to_linear, slice(0, 2)),
}
COLOURS: dict[str, Edit] = {
    "decoded once too often": through(to_linear),
    "encoded once too often": through(to_srgb),
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
    return kept_kinds(output["format"], dict(zip(names, kinds_of(meant, output["encoding"]), strict=True)))[1]


def encoded(texture: Texture, levels: list[Pixels], output: Json) -> bytes:
    """Levels as a file like the one that they came from."""
    names = FORMATS[texture.format].channels
    storage = Storage(format=texture.format, srgb=texture.srgb, mips=len(levels) > 1)
    image = Image(np.ascontiguousarray(levels[0]), tuple(names))  # type: ignore[arg-type]
    made = encode_levels([np.ascontiguousarray(level) for level in levels], image, storage, kinds(output))
    alpha = {1: "straight", 3: "opaque", 4: "custom"}
    return write_dds(made, alpha[output["_alpha"]])  # type: ignore[arg-type]


def opened(delivery: Delivery, key: str) -> tuple[Json, Texture] | None:
    output = delivery.output(key)
    if output is None or output["container"] != "dds":
        return None
    data = delivery.path(output).read_bytes()
    output["_alpha"] = struct.unpack_from("<I", data, 144)[0]
    return output, read_dds(data, key)


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
        before = decode(texture)
        after = edit(before)
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
        before = [decode(texture, level) for level in range(len(texture.levels))]
        after = edit([level.copy() for level in before])
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
    "marked as no texture": (field(108, 0x401008), r"holds|."),
}
del CONTAINERS["marked as no texture"]


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
    for what, change in MIPS.items():
        yield Fault(f"mips of {key} {what}", in_levels(key, change), re.escape(name), r"level \d")


# The manifest, and what lies beside the textures


def in_manifest(edit: Callable[[Json, Json], object]) -> Callable[[Delivery], bool]:
    """`edit` takes the manifest and its first set; False from it says that there is nothing to change."""

    def plant(delivery: Delivery) -> bool:
        before = json.dumps(delivery.manifest)
        return edit(delivery.manifest, delivery.set) is not False and json.dumps(delivery.manifest) != before

    return plant


def in_output(**change: Any) -> Callable[[Delivery], bool]:
    """Fields of the first output become others; a function makes the new value of the old."""

    def edit(manifest: Json, entry: Json) -> None:
        output = entry["outputs"][0]
        for field_name, value in change.items():
            output[field_name] = value(output[field_name]) if callable(value) else value

    return in_manifest(edit)


def in_channel(**change: Any) -> Callable[[Delivery], bool]:
    return in_output(channels=lambda channels: [channels[0] | _called(change, channels[0]), *channels[1:]])


def in_import(**change: Any) -> Callable[[Delivery], bool]:
    return in_output(import_settings=lambda told: told | _called(change, told))


def _called(change: Json, old: Json) -> Json:
    return {key: value(old[key]) if callable(value) else value for key, value in change.items()}


def in_document(which: str, edit: Callable[[Json], object]) -> Callable[[Delivery], bool]:
    """A JSON document of the delivery: probes, variant or master."""

    def plant(delivery: Delivery) -> bool:
        if which == "probes":
            path = delivery.folder / delivery.set["probes"]["file"]
        else:
            entry = next(iter(delivery.manifest["variants"]), None)
            if entry is None:
                return False
            path = delivery.folder / entry["file" if which == "variant" else "master_file"]["file"]
        body = json.loads(path.read_text())
        before = json.dumps(body)
        if edit(body) is False or json.dumps(body) == before:
            return False
        path.write_text(json.dumps(body))
        return True

    return plant


def in_folder(edit: Callable[[Delivery], object], keeps_hashes: bool = False) -> Callable[[Delivery], bool]:
    def plant(delivery: Delivery) -> bool:
        delivery.keeps_hashes = keeps_hashes
        return edit(delivery) is not False

    return plant


def remove(path: Path) -> None:
    path.unlink()


def swap_files(delivery: Delivery) -> object:
    outputs = delivery.set["outputs"]
    if len(outputs) < 2:
        return False
    outputs[0]["file"], outputs[1]["file"] = outputs[1]["file"], outputs[0]["file"]
    return None


def swap_bindings(manifest: Json, entry: Json) -> object:
    textures = manifest["variants"][0]["textures"]
    bound = [name for name, chip in textures.items() if chip]
    if len(bound) < 3:
        return False
    textures[bound[1]], textures[bound[2]] = textures[bound[2]], textures[bound[1]]
    return None


def each(entry: Json, edit: Callable[[Json], object]) -> None:
    for output in entry["outputs"]:
        edit(output)


def values_of(body: Json) -> list[str]:
    return list(body["values"])


SET, FILE, PROBES, VARIANT = r"^[a-z0-9_]+$", r"\.dds$|\.png$|\.tif$|\.exr$|\.jpg$", r"\.probes\.json$", r"\.variant\.json$"
WHOLE = r"^The delivery$|^delivery\.json$"
MANIFEST: list[Fault] = [
    Fault("made for another target", in_manifest(lambda m, e: m.update(target="elsewhere")), WHOLE, "made for elsewhere"),
    Fault("made for another version", in_manifest(lambda m, e: m.update(target_version=99)), WHOLE, "v99"),
    Fault("of another normal direction", in_manifest(lambda m, e: m.update(normal_y="-Y" if m["normal_y"] == "+Y" else "+Y")), WHOLE, "says that normals are"),
    Fault("of a direction that is none", in_manifest(lambda m, e: m.update(normal_y="up")), WHOLE, "normal_y"),
    Fault("of a newer format", in_manifest(lambda m, e: m.update(version=7)), WHOLE, "version"),
    Fault("of version 1", in_manifest(lambda m, e: m.update(version=1)), WHOLE, "before losses"),
    Fault("with a field too many", in_manifest(lambda m, e: m.update(extra=1)), WHOLE, "extra"),
    Fault("without sets", in_manifest(lambda m, e: m.update(sets=[])), WHOLE, "no set at all"),
    Fault("with a set twice", in_manifest(lambda m, e: m["sets"].append(e)), SET, "is the code of 2 sets"),
    Fault("a set under another code", in_manifest(lambda m, e: e.update(code="other")), VARIANT, "not in the delivery"),
    Fault("an output removed", in_manifest(lambda m, e: e["outputs"].pop(0)), SET, "has no "),
    Fault("no outputs", in_manifest(lambda m, e: e.update(outputs=[])), SET, "has no "),
    Fault("an output twice", in_manifest(lambda m, e: e["outputs"].append(e["outputs"][0])), SET, "has 2 outputs called"),
    Fault("an output of no target", in_output(key="unheard_of"), FILE, "asks for no"),
    Fault("an output under another title", in_output(title="Something"), FILE, "the title Something"),
    Fault("twice the width", in_output(width=lambda old: old * 2), FILE, "not what the manifest says"),
    Fault("half the height", in_output(height=lambda old: max(1, old // 2)), FILE, "not what the manifest says"),
    Fault("a size of nothing", in_output(width=0), FILE, "0 × "),
    Fault("a size beyond all", in_output(width=10**6), FILE, "1000000 × "),
    Fault("a level more", in_output(levels=lambda old: old + 1), FILE, "levels"),
    Fault("one level", in_output(levels=lambda old: 1 if old > 1 else 2), FILE, "levels"),
    Fault("twice the memory", in_output(memory=lambda old: old * 2), FILE, "is said to take .* bytes"),
    Fault("fewer bits", in_output(bits_per_texel=1.0), FILE, "1 bits a texel"),
    Fault("another format", in_output(format=lambda old: "bc3" if old != "bc3" else "bc7"), FILE, "format|bits a texel|importer"),
    Fault("another number", in_output(dxgi=30), FILE, "DXGI format 30"),
    Fault("another encoding", in_output(encoding=lambda old: "linear" if old == "srgb" else "srgb"), FILE, "the encoding"),
    Fault("another flag", in_output(srgb=lambda old: not old), FILE, "flagged sRGB|sRGB flag"),
    Fault("another container", in_output(container=lambda old: "png" if old != "png" else "dds"), FILE, "the container"),
    Fault("no channels", in_output(channels=[]), FILE, "channels"),
    Fault("a channel fewer", in_output(channels=lambda old: old[1:]), FILE, "has the channels"),
    Fault("a channel twice", in_output(channels=lambda old: [*old, old[0]]), FILE, "has the channels"),
    Fault("channels in each other's place", in_output(channels=lambda old: [old[0] | {"channel": old[-1]["channel"]}, *old[1:-1], old[-1] | {"channel": old[0]["channel"]}]), FILE, "means something else"),
    Fault("another property", in_channel(property="clear_coat"), FILE, "means something else"),
    Fault("another component", in_channel(component=lambda old: old + 1), FILE, "means something else"),
    Fault("an inversion", in_channel(inverted=lambda old: not old), FILE, "means something else"),
    Fault("another meaning", in_channel(meaning="Shine"), FILE, "Shine"),
    Fault("another range", in_channel(high=4.0), FILE, "is said to hold 0 to 4"),
    Fault("a range that goes down", in_channel(low=2.0), FILE, "hold 2 to 1|from 2 to 1"),
    Fault("a multiplication", in_channel(multiplied_by="occlusion"), FILE, "multiplied by occlusion"),
    Fault("another strength", in_channel(strength=0.25), FILE, "strength 0.25"),
    Fault("a constant", in_channel(constant=0.5), FILE, "means something else"),
    Fault("the importer told another flag", in_import(srgb=lambda old: not old), FILE, "importer the sRGB flag"),
    Fault("the importer told another format", in_import(format=lambda old: "bc4" if old != "bc4" else "bc7"), FILE, "importer the format"),
    Fault("the importer told of mips", in_import(mips=lambda old: "none" if old != "none" else "as delivered"), FILE, "importer the mips"),
    Fault("the importer told of a direction", in_import(normal_y=lambda old: "+Y" if old != "+Y" else "-Y"), FILE, "importer the normal direction"),
    Fault("the importer told to recompress", in_import(recompress=True), WHOLE, "recompress"),
    Fault("the importer told of blending", in_import(alpha_mode=lambda old: "blended" if old != "blended" else "none"), FILE, "importer the alpha mode"),
    Fault("the importer told of a threshold", in_import(threshold=0.9), FILE, "importer the threshold"),
    Fault("no losses", in_output(losses=[]), r".", "away from what was meant|does not say"),
    Fault("ten times the losses", in_manifest(lambda m, e: each(e, lambda o: [loss.update(mean=loss["mean"] * 10 + 5, p95=loss["p95"] * 10 + 9) for loss in o["losses"]])), SET, "where the sender lost"),
    Fault("losses of nothing", in_manifest(lambda m, e: each(e, lambda o: [loss.update(mean=0, p95=0) for loss in o["losses"]])), SET, "where the sender lost 0"),
    Fault("losses without end", in_manifest(lambda m, e: each(e, lambda o: [loss.update(mean=float("inf")) for loss in o["losses"]])), WHOLE, "losses"),
    Fault("losses below nothing", in_manifest(lambda m, e: each(e, lambda o: [loss.update(mean=-1) for loss in o["losses"]])), WHOLE, "losses"),
    Fault("no losses of levels", in_output(chain=[]), FILE, "what every level"),
    Fault("losses of levels without end", in_manifest(lambda m, e: each(e, lambda o: [part.update(mean=part["mean"] + 90) for part in o["chain"]])), FILE, "level 1 "),
    Fault("a source unnamed", in_manifest(lambda m, e: e["sources"].pop(0)), SET, "not among its sources"),
    Fault("no sources", in_manifest(lambda m, e: e.update(sources=[])), SET, "not among its sources"),
    Fault("a source too many", in_manifest(lambda m, e: e["sources"].append(e["sources"][0] | {"name": "stray.png"})), SET, "stray.png"),
    Fault("a source twice", in_manifest(lambda m, e: e["sources"].append(e["sources"][0])), SET, "2 times"),
    Fault("a source of no hash", in_manifest(lambda m, e: e["sources"][0].update(sha256="abc")), SET, "size or hash"),
    Fault("a source of no size", in_manifest(lambda m, e: e["sources"][0].update(bytes=0)), SET, "size or hash"),
    Fault("files swapped", in_folder(swap_files), FILE, "manifest says|flagged|ending"),
    Fault("a file outside", in_output(file=lambda old: old | {"file": "../../x.dds"}), r"x\.dds", "outside"),
    Fault("a file with another hash", in_folder(lambda d: d.set["outputs"][0]["file"].update(sha256="0" * 64), True), FILE, "manifest's hash"),
    Fault("a file of no hash", in_folder(lambda d: d.set["outputs"][0]["file"].update(sha256="?"), True), FILE, "size or hash"),
    Fault("a file with another size", in_folder(lambda d: d.set["outputs"][0]["file"].update(bytes=7), True), FILE, "manifest's hash"),
    Fault("a file missing", in_folder(lambda d: remove(d.path(d.set["outputs"][0]))), FILE, "is missing"),
    Fault("a file too many", in_folder(lambda d: (d.folder / "extra.dds").write_bytes(b"x")), r"extra\.dds", "not in the manifest"),
    Fault("one file for two outputs", in_manifest(lambda m, e: e["outputs"][-1].update(file=e["outputs"][0]["file"]) if len(e["outputs"]) > 1 else False), FILE, "stands for 2 things"),
    Fault("probes missing", in_folder(lambda d: remove(d.folder / d.set["probes"]["file"])), PROBES, "is missing"),
    Fault("probes empty", in_folder(lambda d: (d.folder / d.set["probes"]["file"]).write_text("{}")), PROBES, "no document of probes"),
    Fault("probes no JSON", in_folder(lambda d: (d.folder / d.set["probes"]["file"]).write_text("[1")), PROBES, "no document of probes"),
    Fault("half the points", in_document("probes", lambda b: b.update(points=b["points"][:256])), PROBES, "points of its own"),
    Fault("no points", in_document("probes", lambda b: b.update(points=[])), PROBES, "points of its own"),
    Fault("points elsewhere", in_document("probes", lambda b: b.update(points=[[0.5, 0.5]] * len(b["points"]))), PROBES, "points of its own"),
    Fault("values short", in_document("probes", lambda b: b["values"].update({values_of(b)[0]: b["values"][values_of(b)[0]][:9]})), PROBES, "at each of 512"),
    Fault("values without end", in_document("probes", lambda b: b["values"][values_of(b)[0]].__setitem__(3, [float("inf")] * 3)), PROBES, "no document of probes"),
    Fault("values that are no numbers", in_document("probes", lambda b: b["values"][values_of(b)[0]].__setitem__(3, [float("nan")] * 3)), PROBES, "no document of probes"),
    Fault("a property unprobed", in_document("probes", lambda b: b["values"].pop("base_colour")), PROBES, "no values of base_colour"),
    Fault("no values", in_document("probes", lambda b: b.update(values={})), PROBES, "no values of"),
    Fault("values of no property", in_document("probes", lambda b: b["values"].update(shine=b["values"]["base_colour"])), PROBES, "no surface property"),
    Fault("values of another surface", in_document("probes", lambda b: b["values"].update(base_colour=b["values"]["base_colour"][::-1])), SET, "Base colour in .* away"),
    Fault("no cells", in_document("probes", lambda b: b.update(cells={})), PROBES, "no cells of"),
    Fault("cells of no values", in_document("probes", lambda b: b["cells"].update(shine=b["cells"]["base_colour"])), PROBES, "cells of shine"),
    Fault("cells damaged", in_document("probes", lambda b: b["cells"]["base_colour"].update(data=b["cells"]["base_colour"]["data"][:40])), PROBES, "that are damaged"),
    Fault("cells of another grid", in_document("probes", lambda b: b["cells"]["base_colour"].update(rows=3)), PROBES, "that are damaged"),
    Fault("a variant of another set", in_manifest(lambda m, e: m["variants"][0].update(set="nowhere")), VARIANT, "not in the delivery"),
    Fault("a variant of another name", in_manifest(lambda m, e: m["variants"][0].update(name="Other")), VARIANT, "of its variant"),
    Fault("a variant twice", in_manifest(lambda m, e: m["variants"].append(m["variants"][0])), VARIANT, "another variant called"),
    Fault("a variant of another master", in_manifest(lambda m, e: m["variants"][0].update(master="other")), r"\.json$", "the manifest says other"),
    Fault("a variant of a newer master", in_manifest(lambda m, e: m["variants"][0].update(version=42)), r"\.json$", "42"),
    Fault("a texture unbound", in_manifest(lambda m, e: m["variants"][0]["textures"].update({"colour map": None})), VARIANT, "binds colour map to nothing"),
    Fault("a texture bound elsewhere", in_manifest(lambda m, e: m["variants"][0]["textures"].update({"colour map": "moon.rgb"})), VARIANT, "binds colour map to moon"),
    Fault("two textures swapped", in_manifest(swap_bindings), VARIANT, "it lies in"),
    Fault("a texture of no master", in_manifest(lambda m, e: m["variants"][0]["textures"].update({"rust map": None})), VARIANT, "rust map is no texture"),
    Fault("a texture forgotten", in_manifest(lambda m, e: m["variants"][0]["textures"].pop("normal map")), VARIANT, "normal map .* not bound"),
    Fault("a parameter of no master", in_document("variant", lambda b: b["values"].update(rust=1.0)), VARIANT, "rust is no parameter"),
    Fault("a parameter out of range", in_document("variant", lambda b: b["values"].update(tiling=-5.0)), VARIANT, "cannot be evaluated"),
    Fault("a parameter of another kind", in_document("variant", lambda b: b["values"].update(tint=True)), VARIANT, "cannot be evaluated"),
    Fault("another tint", in_document("variant", lambda b: b["values"].update(tint=[0.2, 0.9, 0.1])), VARIANT, "makes base colour"),
    Fault("a variant that says another master", in_document("variant", lambda b: b.update(master="other")), VARIANT, "of its master"),
    Fault("a variant that says another set", in_document("variant", lambda b: b.update(set="other")), VARIANT, "of its set"),
    Fault("a variant that is none", in_document("variant", lambda b: b.clear()), VARIANT, "can be read"),
    Fault("a variant file missing", in_folder(lambda d: remove(next(d.folder.rglob("*.variant.json")))), VARIANT, "is missing"),
    Fault("a master file missing", in_folder(lambda d: remove(next(d.folder.rglob("*.master.json")))), r"\.master\.json", "is missing"),
    Fault("another operation in the master", in_document("master", lambda b: next(strand for strand in b["strands"] if strand["operation"] == "multiply").update(operation="add")), VARIANT, "makes |cannot be evaluated"),
    Fault("a strand fewer in the master", in_document("master", lambda b: b["strands"].pop()), VARIANT, "cannot be evaluated|makes"),
    Fault("a default changed in the master", in_document("master", lambda b: next(part for part in b["parameters"] if part["kind"] == "colour").update(default=[0.1, 0.1, 0.1])), VARIANT, "makes base colour"),
    Fault("a newer master", in_document("master", lambda b: b.update(version=9)), r"\.master\.json", "v9"),
    Fault("a surface that was not meant", in_manifest(lambda m, e: m["variants"][0]["surface"].update(roughness=[0.123])), VARIANT, "makes roughness"),
]  # fmt: skip
