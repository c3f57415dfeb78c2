"""The outside of a glTF 2.0 file, .gltf or .glb: its description, and the numbers that it brings along.

Layout: glTF 2.0 specification, sections GLB file format, Accessors, and Buffers and buffer views.
"""

from __future__ import annotations

import base64
import binascii
import json
import struct
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, BinaryIO

import numpy as np
from numpy.typing import NDArray

from texelcore.pixels.errors import TexelError

Floats = NDArray[np.float32]
# Magic, version, length; then chunks of length, type and data, of which the JSON comes first.
_HEAD, _CHUNK = struct.Struct("<4sII"), struct.Struct("<I4s")
# The most bytes of a description that are read: pictures and meshes lie beside it in a .glb.
LARGEST_DESCRIPTION = 64 * 2**20
_AGAIN = "Export it as .glb with everything inside."
# Extensions by which numbers are packed (Khronos and vendor extensions registry).
_PACKED: Mapping[str, str] = {"KHR_draco_mesh_compression": "Draco", "EXT_meshopt_compression": "meshopt"}
_TYPES: Mapping[int, str] = {5120: "i1", 5121: "u1", 5122: "<i2", 5123: "<u2", 5125: "<u4", 5126: "<f4"}
_WIDTHS: Mapping[str, int] = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4}


@dataclass(frozen=True)
class GltfFile:
    """A file's description, the bytes that lie beside it in a .glb, and how long a .glb says that it is; 0 of a .gltf."""

    name: str
    described: Mapping[str, Any]
    binary: bytes = b""
    length: int = 0

    def accessor(self, number: object) -> NDArray[Any]:
        """The numbers of an accessor, (count, components), integers that stand for 0 to 1 or −1 to 1 as these. Raises TexelError
        for what is not there, does not fit its buffer, is sparse or packed, or lies in another file."""
        required = self.described.get("extensionsRequired")
        for extension in required if isinstance(required, list) else ():
            if isinstance(extension, str) and extension in _PACKED:
                said = f"has its meshes packed by {_PACKED[extension]} ({extension}), which is not read here."
                raise TexelError(self.name, said, "Export it without.")
        try:
            return _numbers(self, number)
        except (LookupError, TypeError, ValueError, AttributeError, OverflowError, binascii.Error) as error:
            raise TexelError(self.name, "is damaged: its numbers do not fit what it says of them.", _AGAIN) from error


def read_gltf(file: BinaryIO, name: str, largest: int = LARGEST_DESCRIPTION, with_binary: bool = False) -> GltfFile:
    """A glTF file by its description of at most `largest` bytes, and `with_binary` what lies beside it. Raises TexelError for
    what is no glTF."""
    head = file.read(_HEAD.size)
    if not head.startswith(b"glTF"):
        return GltfFile(name, _described(head + file.read(largest + 1), name, largest))
    try:
        _, version, length = _HEAD.unpack(head)
        size, kind = _CHUNK.unpack(file.read(_CHUNK.size))
    except struct.error as error:
        raise TexelError(name, "is damaged, or no glTF: it ends in its head.", _AGAIN) from error
    if version != 2 or kind != b"JSON":
        raise TexelError(name, "is damaged or no GLB of version 2.", _AGAIN)
    text = file.read(min(size, largest + 1))
    if len(text) < min(size, largest + 1):
        raise TexelError(name, "is damaged: it ends in its description.", _AGAIN)
    return GltfFile(name, _described(text, name, largest), _beside(file) if with_binary else b"", length)


def _beside(file: BinaryIO) -> bytes:
    head = file.read(_CHUNK.size)
    if len(head) < _CHUNK.size:
        return b""
    size, kind = _CHUNK.unpack(head)
    return file.read(size) if kind == b"BIN\0" else b""


def _described(text: bytes, name: str, largest: int) -> Mapping[str, Any]:
    if len(text) > largest:
        said = f"describes itself at too great length: {largest / 1e6:.0f} MB are the most."
        raise TexelError(name, said, "Export it as .glb, with its pictures and meshes beside the description.")
    try:
        found = json.loads(text)
    except (ValueError, RecursionError) as error:
        raise TexelError(name, "is damaged, or no glTF.", _AGAIN) from error
    if not isinstance(found, Mapping):
        raise TexelError(name, "is no glTF: it describes nothing.", _AGAIN)
    return found


def _numbers(file: GltfFile, number: object) -> NDArray[Any]:
    entry = _at(file.described["accessors"], number)
    if "sparse" in entry or "bufferView" not in entry:
        raise ValueError("sparse")
    view = _at(file.described["bufferViews"], entry["bufferView"])
    kind, width, count = np.dtype(_TYPES[entry["componentType"]]), _WIDTHS[entry["type"]], int(entry["count"])
    first = int(view.get("byteOffset", 0)) + int(entry.get("byteOffset", 0))
    step = int(view.get("byteStride", 0)) or kind.itemsize * width
    last = first + step * (count - 1) + kind.itemsize * width
    body = _buffer(file, view["buffer"])
    # A stride below one element would let few bytes count as many numbers.
    if count < 1 or first < 0 or step < kind.itemsize * width or last > len(body):
        raise ValueError("outside")
    held = np.ndarray((count, width), kind, body, first, (step, kind.itemsize))
    if not entry.get("normalized"):
        return held.copy()
    return np.maximum(held.astype(np.float32) / np.iinfo(kind).max, -1.0)


def _at(entries: Any, number: object) -> Mapping[str, Any]:
    if not isinstance(number, int) or number < 0:
        raise LookupError(number)
    found = entries[number]
    if not isinstance(found, Mapping):
        raise TypeError(number)
    return found


def _buffer(file: GltfFile, number: object) -> bytes:
    said = _at(file.described["buffers"], number).get("uri")
    if said is None:
        return file.binary
    _, comma, body = str(said).partition(";base64,")
    if not comma or not str(said).startswith("data:"):
        raise TexelError(file.name, "leans on other files.", _AGAIN)
    return base64.b64decode(body, validate=True)
