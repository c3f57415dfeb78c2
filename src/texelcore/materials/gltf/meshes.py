"""What a mesh brings to the places of a surface: read from a glTF file, and laid out over its texture coordinates.

Attributes: glTF 2.0 specification, section Meshes; the order of transforms: section Transformations.
"""

from __future__ import annotations

import io
from collections.abc import Collection, Iterator, Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import distance_transform_edt

from texelcore.materials.gltf.file import GltfFile, read_gltf
from texelcore.materials.operations.declared import unit
from texelcore.materials.sheets.document import UV
from texelcore.pixels.errors import TexelError

Floats = NDArray[np.float32]
MOST_TRIANGLES = 400_000
_MOST_NODES = 20_000
_TRIANGLES = 4
# A place on an edge belongs to both of its triangles; only what lies this far inside both is covered twice.
_INSIDE, _EDGE = 1e-3, -1e-6
# Texels that are looked at together.
_WINDOW = 1 << 19


@dataclass(frozen=True)
class Mesh:
    """Triangles, (M, 3) numbers of points, and what each of N points brings, by the names of `MESH_INPUTS`: (N,) or (N, k)."""

    triangles: NDArray[np.int64]
    points: Mapping[str, Floats]


@dataclass(frozen=True)
class Spread:
    """What a mesh brings to each texel of its texture square, by name: (H, W) or (H, W, k). `covered` says which texels lie on a
    triangle (those beside take after the nearest one that does), and `twice` what share of these lies on several."""

    inputs: Mapping[str, Floats]
    covered: NDArray[np.bool_]
    twice: float


def read_mesh(data: bytes, name: str) -> Mesh:
    """All triangles of a glTF file in one, where its nodes place them. Raises TexelError for what is no such file, has no texture
    coordinates, or more than 400,000 triangles."""
    file = read_gltf(io.BytesIO(data), name, with_binary=True)
    try:
        pieces = list(_pieces(file))
    except (LookupError, TypeError, ValueError, AttributeError, RecursionError) as error:
        raise TexelError(name, "is damaged: its scene does not hold together.", "Export it again as .glb.") from error
    if not pieces:
        raise TexelError(name, "has no triangles.", "Export a mesh.")
    firsts = np.cumsum([0, *(len(piece.points[UV]) for piece in pieces[:-1])])
    return Mesh(
        np.concatenate([piece.triangles + first for piece, first in zip(pieces, firsts, strict=True)]),
        {key: np.concatenate([piece.points[key] for piece in pieces]) for key in pieces[0].points},
    )


def spread(mesh: Mesh, width: int, height: int, wanted: Collection[str] | None = None) -> Spread:
    """Lay what a mesh brings out over its texture coordinates, 0 to 1 from the upper left; beyond, they repeat. A texel takes
    what lies at its centre; where triangles lie over each other, the last of them counts. Beside the coordinates themselves
    only what is `wanted` is laid out, where that is given."""
    corners = mesh.points[UV].astype(np.float64)[mesh.triangles]
    # Each triangle begins in the first square, wherever the artist laid it; a little inside, so that what begins on an edge
    # belongs to the square behind it.
    corners -= np.floor(corners.min(axis=1, keepdims=True) + 1e-6)
    corners = corners * (width, height) - 0.5
    owner = np.full(height * width, -1, np.int64)
    weights = np.zeros((height * width, 3), np.float32)
    count = np.zeros(height * width, np.int64)
    for numbers, edge in _batches(corners, max(width, height)):
        texel, number, share = _inside(corners, numbers, edge, width, height)
        count += np.bincount(texel[share.min(axis=-1) > _INSIDE], minlength=len(count))
        later = number > owner[texel]
        # Of several in one batch the last is kept, since they come in their order.
        owner[texel[later]], weights[texel[later]] = number[later], share[later]
    covered = (owner >= 0).reshape(height, width)
    if not covered.any():
        raise TexelError("The mesh", "covers no texel: its texture coordinates span no area.", "Unwrap it first.")
    nearest = distance_transform_edt(~covered, return_distances=False, return_indices=True)
    texel = nearest[0] * width + nearest[1]
    held = {key: values for key, values in mesh.points.items() if wanted is None or key == UV or key in wanted}
    inputs = {key: _between(values, mesh.triangles[owner[texel]], weights[texel]) for key, values in held.items()}
    if "world normal" in inputs:
        inputs["world normal"] = unit(inputs["world normal"])
    # Texels beside read their own place: textures go on over the edge of an island.
    rows, columns = np.nonzero(~covered)
    inputs[UV][rows, columns] += np.stack(
        [(columns - nearest[1][rows, columns]) / width, (rows - nearest[0][rows, columns]) / height], axis=-1
    )
    return Spread(inputs, covered, float((count > 1).sum() / covered.sum()))


def _batches(corners: NDArray[np.float64], most: int) -> Iterator[tuple[NDArray[np.int64], int]]:
    """Triangles by their numbers, in batches of those that fit into a window of texels of the same edge. What spans no area, or
    no number, is left out."""
    first, second = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    area = first[:, 0] * second[:, 1] - first[:, 1] * second[:, 0]
    with np.errstate(invalid="ignore"):
        span = np.ceil(np.ptp(corners, axis=1).max(axis=1)) + 2
    good = np.isfinite(area) & (np.abs(area) > 1e-12) & np.isfinite(span)
    edge = 4
    while edge < 2 * most:
        fits = np.nonzero(good & (span <= edge) & ((span > edge // 2) | (edge == 4)))[0]
        for part in np.array_split(fits, max(1, len(fits) * edge * edge // _WINDOW)) if len(fits) else ():
            yield part, edge
        edge *= 2
    # What spans more than the whole square covers each texel once, where it lies first.
    for number in np.nonzero(good & (span > edge // 2))[0]:
        yield np.array([number]), most


def _inside(
    corners: NDArray[np.float64], numbers: NDArray[np.int64], edge: int, width: int, height: int
) -> tuple[NDArray[np.int64], NDArray[np.int64], Floats]:
    """The texels whose centres lie in some triangles, those triangles, and what share of each corner is there."""
    held = corners[numbers]
    first = np.ceil(held.min(axis=1) - 1e-6)
    wide, high = np.minimum(np.floor(held.max(axis=1) + 1e-6) - first + 1, edge).max(axis=0).astype(int)
    x = first[:, None, None, 0] + np.arange(wide)
    y = first[:, None, None, 1] + np.arange(high)[:, None]
    (ax, ay), (bx, by), (cx, cy) = (held[:, at].T[:, :, None, None] for at in range(3))
    area = (bx - ax) * (cy - ay) - (cx - ax) * (by - ay)
    second = ((x - ax) * (cy - ay) - (cx - ax) * (y - ay)) / area
    third = ((bx - ax) * (y - ay) - (x - ax) * (by - ay)) / area
    inside = np.minimum(np.minimum(second, third), 1 - second - third) >= _EDGE
    which, row, column = np.nonzero(inside)
    share = np.stack([1 - second[inside] - third[inside], second[inside], third[inside]], axis=-1)
    places = first[which].astype(np.int64)
    texel = (places[:, 1] + row) % height * width + (places[:, 0] + column) % width
    return texel, numbers[which], share.astype(np.float32)


def _between(values: Floats, corners: NDArray[np.int64], weights: Floats) -> Floats:
    share = weights if values.ndim == 1 else weights[..., None]
    found = sum(values[corners[..., at]] * share[:, :, at] for at in range(3))
    return np.asarray(found, np.float32)


def _pieces(file: GltfFile) -> Iterator[Mesh]:
    """Each primitive of the scene. What would become too large is not read on."""
    triangles = points = 0
    for primitive, place in _placed(file):
        piece = _piece(file, primitive, place)
        triangles, points = triangles + len(piece.triangles), points + len(piece.points[UV])
        if triangles > MOST_TRIANGLES or points > 3 * MOST_TRIANGLES:
            said = f"has more than {MOST_TRIANGLES:,} triangles, which are the most."
            raise TexelError(file.name, said, "Flatten a lighter mesh, or part by part.")
        yield piece


def _placed(file: GltfFile) -> Iterator[tuple[Mapping[str, Any], NDArray[np.float64]]]:
    """Each primitive of the scene that is shown, with where its node lies in the world."""
    described = file.described
    nodes, meshes = described.get("nodes") or [], described.get("meshes") or []
    scene = (described.get("scenes") or [{}])[described.get("scene", 0)]
    waiting = [(number, np.eye(4)) for number in scene.get("nodes") or []]
    for _ in range(_MOST_NODES):
        if not waiting:
            return
        number, above = waiting.pop()
        place = above @ _matrix(nodes[number])
        waiting += [(child, place) for child in nodes[number].get("children") or []]
        if (mesh := nodes[number].get("mesh")) is not None:
            for primitive in meshes[mesh]["primitives"]:
                if primitive.get("mode", _TRIANGLES) == _TRIANGLES:
                    yield primitive, place
    raise ValueError("too many nodes, or nodes in a ring")


def _matrix(node: Mapping[str, Any]) -> NDArray[np.float64]:
    if "matrix" in node:
        # Column by column (glTF 2.0, Transformations).
        return np.asarray(node["matrix"], float).reshape(4, 4).T
    x, y, z, w = (float(value) for value in node.get("rotation", (0, 0, 0, 1)))
    turn = np.array(
        [
            [1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)],
            [2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)],
            [2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)],
        ]
    )
    made = np.eye(4)
    made[:3, :3] = turn * np.asarray(node.get("scale", (1, 1, 1)), float)
    made[:3, 3] = node.get("translation", (0, 0, 0))
    return made


def _piece(file: GltfFile, primitive: Mapping[str, Any], place: NDArray[np.float64]) -> Mesh:
    held = primitive["attributes"]
    if "TEXCOORD_0" not in held:
        raise TexelError(file.name, "has no texture coordinates, so that nothing can be baked over them.", "Unwrap it first.")
    position = file.accessor(held["POSITION"]).astype(np.float32)
    count = len(position)
    triangles = file.accessor(primitive["indices"])[:, 0] if "indices" in primitive else np.arange(count)
    triangles = triangles[: len(triangles) // 3 * 3].reshape(-1, 3).astype(np.int64)
    uv = file.accessor(held["TEXCOORD_0"]).astype(np.float32)
    paint = file.accessor(held["COLOR_0"]).astype(np.float32) if "COLOR_0" in held else np.zeros((count, 4), np.float32)
    normal = file.accessor(held["NORMAL"]) if "NORMAL" in held else np.tile(np.array([0, 1, 0], np.float32), (count, 1))
    points = {
        UV: uv[:, :2],
        "second uv": file.accessor(held["TEXCOORD_1"]).astype(np.float32)[:, :2] if "TEXCOORD_1" in held else uv[:, :2],
        "vertex colour": paint[:, :3],
        # Three numbers count as whole: COLOR_0 without alpha has an alpha of 1.
        "vertex alpha": paint[:, 3] if paint.shape[1] == 4 else np.ones(count, np.float32),
        "object position": position,
        "world position": (position @ place[:3, :3].T + place[:3, 3]).astype(np.float32),
        "world normal": (normal @ np.linalg.pinv(place[:3, :3])).astype(np.float32),
    }
    if any(len(values) != count for values in points.values()) or (triangles.size and triangles.max() >= count):
        raise ValueError("points")
    return Mesh(triangles, points)
