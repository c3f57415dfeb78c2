"""Meshes laid out over their texture coordinates, against what other libraries and plain laws say."""

from __future__ import annotations

import base64
import json
import struct
from collections.abc import Mapping
from typing import Any

import numpy as np
import pygltflib
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation
from skimage.draw import polygon2mask

from tests.conftest import examples
from texelcore.materials.dressing.evaluate import texel_centres
from texelcore.materials.gltf.file import GltfFile
from texelcore.materials.gltf.meshes import Mesh, read_mesh, spread
from texelcore.pixels.errors import TexelError
from texeldemo.meshes import bay

Floats = np.ndarray[Any, np.dtype[np.float32]]
WIDTH, HEIGHT = 48, 32
UV = np.float32([[0, 0], [1, 0], [0, 1], [1, 1]])
SQUARE = np.array([[0, 1, 2], [1, 3, 2]])


def glb(attributes: Mapping[str, Floats], indices: list[int] | None = None, node: Mapping[str, Any] | None = None) -> bytes:
    """One mesh as GLB, written by another library."""
    parts = [np.float32(values) for values in attributes.values()]
    bodies = [part.tobytes() for part in parts]
    kinds = {1: "SCALAR", 2: "VEC2", 3: "VEC3", 4: "VEC4"}
    accessors = [
        pygltflib.Accessor(bufferView=at, componentType=5126, count=len(part), type=kinds[part.shape[1]])
        for at, part in enumerate(parts)
    ]
    if indices is not None:
        bodies.append(np.uint16(indices).tobytes())
        accessors.append(pygltflib.Accessor(bufferView=len(parts), componentType=5123, count=len(indices), type="SCALAR"))
    starts = np.cumsum([0, *(len(body) for body in bodies)])
    primitive = pygltflib.Primitive(
        attributes=pygltflib.Attributes(**{name: at for at, name in enumerate(attributes)}),
        indices=len(parts) if indices is not None else None,
    )
    made = pygltflib.GLTF2(
        scene=0,
        scenes=[pygltflib.Scene(nodes=[0])],
        nodes=[pygltflib.Node(children=[1], translation=[0, 0, 2]), pygltflib.Node(mesh=0, **(node or {}))],
        meshes=[pygltflib.Mesh(primitives=[primitive])],
        accessors=accessors,
        bufferViews=[
            pygltflib.BufferView(buffer=0, byteOffset=int(start), byteLength=len(body))
            for start, body in zip(starts, bodies, strict=False)
        ],
        buffers=[pygltflib.Buffer(byteLength=int(starts[-1]))],
    )
    made.set_binary_blob(b"".join(bodies))
    return b"".join(made.save_to_bytes())


CORNERS = {"POSITION": np.float32([[0, 0, 0], [1, 0, 0], [0, 1, 0], [1, 1, 0]]), "TEXCOORD_0": UV}
corner = st.tuples(st.floats(0.02, 0.98), st.floats(0.02, 0.98))


@examples(40)
@given(corners=st.tuples(corner, corner, corner), slope=st.tuples(st.floats(-3, 3), st.floats(-3, 3)), shift=st.integers(-3, 3))
def test_what_changes_evenly_over_a_triangle_is_given_exactly(corners: Any, slope: Any, shift: int) -> None:
    """A number that is linear in the texture coordinates is that at each texel centre, wherever the square lies that it is
    laid into; and the texels are those that another library finds inside."""
    uv = np.float32(corners)
    first, second = uv[1] - uv[0], uv[2] - uv[0]
    if abs(first[0] * second[1] - first[1] * second[0]) < 0.02:
        return
    number = (uv @ np.float32(slope) + 0.25).astype(np.float32)
    inside = polygon2mask((HEIGHT, WIDTH), uv[:, ::-1] * (HEIGHT, WIDTH) - 0.5)
    found = spread(Mesh(np.array([[0, 1, 2]]), {"uv": uv + shift, "vertex alpha": number}), WIDTH, HEIGHT)
    # Centres that lie on an edge may count either way.
    assert (found.covered != inside).sum() <= 3 and found.twice == 0
    meant = texel_centres(WIDTH, HEIGHT) @ np.float32(slope) + 0.25
    assert np.abs(found.inputs["vertex alpha"] - meant)[found.covered].max() < 1e-3
    assert np.abs(found.inputs["uv"] - texel_centres(WIDTH, HEIGHT) - shift).max() < 1e-3
    # Beside it, what is nearest goes on: nothing new comes in.
    low, high = found.inputs["vertex alpha"].min(), found.inputs["vertex alpha"].max()
    assert number.min() - 1e-3 <= low and high <= number.max() + 1e-3


def test_neighbours_share_their_edge_and_faces_over_each_other_are_counted() -> None:
    once = spread(Mesh(SQUARE, {"uv": UV}), WIDTH, HEIGHT)
    assert once.covered.all() and once.twice == 0
    twice = spread(Mesh(np.concatenate([SQUARE, SQUARE[:1]]), {"uv": UV, "vertex alpha": UV[:, 0]}), WIDTH, HEIGHT)
    assert twice.twice == pytest.approx(0.5, abs=0.05)
    # The last of them counts.
    points = {"uv": np.concatenate([UV, UV]), "vertex alpha": np.float32([0] * 4 + [1] * 4)}
    assert (spread(Mesh(np.concatenate([SQUARE, SQUARE + 4]), points), WIDTH, HEIGHT).inputs["vertex alpha"] > 0.999).all()
    # What spans many squares repeats its textures, and covers each texel.
    wide = spread(Mesh(SQUARE, {"uv": UV * 5}), WIDTH, HEIGHT)
    assert wide.covered.all()
    with pytest.raises(TexelError, match="covers no texel"):
        spread(Mesh(SQUARE, {"uv": UV * 0}), WIDTH, HEIGHT)
    with pytest.raises(TexelError, match="covers no texel"):
        spread(Mesh(SQUARE, {"uv": UV * np.nan}), WIDTH, HEIGHT)


@given(angle=st.floats(-3, 3), axis=st.sampled_from(["x", "y", "z"]), scale=st.floats(0.2, 5))
def test_a_mesh_lies_where_its_nodes_place_it(angle: float, axis: str, scale: float) -> None:
    """Rotation as SciPy has it; then the translation of the node above."""
    turn = Rotation.from_euler(axis, angle)
    node = {"rotation": [float(value) for value in turn.as_quat()], "scale": [scale, scale, 2 * scale]}
    normals = np.float32([[0.6, 0, 0.8]] * 4)
    mesh = read_mesh(glb(CORNERS | {"NORMAL": normals}, [0, 1, 2, 1, 3, 2], node), "square.glb")
    meant = turn.apply(CORNERS["POSITION"] * (scale, scale, 2 * scale)) + np.array([0, 0, 2])
    assert np.allclose(mesh.points["world position"], meant, atol=1e-4)
    assert np.array_equal(mesh.points["object position"], CORNERS["POSITION"])
    # Normals stay at right angles to what they stood on: (0.8, 0, −0.6) lies in the surface.
    along = turn.apply([0.8 * scale, 0, -0.6 * 2 * scale])
    laid = spread(mesh, 4, 4).inputs["world normal"]
    assert np.abs(laid @ along).max() < 1e-3 * scale + 1e-4 and np.allclose(np.linalg.norm(laid, axis=-1), 1, atol=1e-5)


def test_what_a_mesh_does_not_bring_counts_as_the_specification_says() -> None:
    bare = read_mesh(glb(CORNERS), "bare.glb")
    assert len(bare.triangles) == 1 and not bare.points["vertex colour"].any() and not bare.points["vertex alpha"].any()
    three = read_mesh(glb(CORNERS | {"COLOR_0": np.float32([[1, 0, 0]] * 4)}), "three.glb")
    assert (three.points["vertex alpha"] == 1).all() and np.array_equal(three.points["second uv"], UV)
    whole = read_mesh(bay(), "bay.glb")
    assert len(whole.triangles) == 1828 and whole.triangles.max() < len(whole.points["uv"])


@given(
    kind=st.sampled_from([(5121, np.uint8), (5123, np.uint16), (5120, np.int8), (5122, np.int16)]),
    gap=st.integers(0, 3),
    seed=st.integers(0, 2**32 - 1),
    inline=st.booleans(),
)
def test_numbers_are_read_as_the_specification_stores_them(kind: Any, gap: int, seed: int, inline: bool) -> None:
    """Integers that stand for 0 to 1 or −1 to 1 (glTF 2.0, Animations: c / 255 and max(c / 127, −1)), strides, and buffers that
    lie in the description itself."""
    code, dtype = kind
    info = np.iinfo(dtype)
    held = np.random.default_rng(seed).integers(info.min, info.max, (5, 4), dtype, endpoint=True)
    step = 4 * held.itemsize + 4 * gap
    padded = np.zeros((5, step), np.uint8)
    padded[:, : 4 * held.itemsize] = held.view(np.uint8).reshape(5, -1)
    body = padded.tobytes()
    said = "data:application/octet-stream;base64," + base64.b64encode(body).decode()
    described = {
        "accessors": [{"bufferView": 0, "componentType": code, "count": 5, "type": "VEC4", "normalized": True}],
        "bufferViews": [{"buffer": 0, "byteLength": len(body), "byteStride": step}],
        "buffers": [{"byteLength": len(body)} | ({"uri": said} if inline else {})],
    }
    file = GltfFile("a.gltf", described, b"" if inline else body)
    assert np.allclose(file.accessor(0), np.maximum(held.astype(np.float64) / info.max, -1), atol=1e-6)
    for number in (1, -1, "0", None, True):
        with pytest.raises(TexelError):
            GltfFile("a.gltf", described | {"bufferViews": []}, body).accessor(number)


PACKED = {
    "scene": 0,
    "scenes": [{"nodes": [0]}],
    "nodes": [{"mesh": 0}],
    "meshes": [{"primitives": [{"attributes": {"POSITION": 0, "TEXCOORD_0": 1}}]}],
    "extensionsRequired": ["KHR_draco_mesh_compression"],
}
BAD = {
    "packed": (json.dumps(PACKED).encode(), "packed by Draco"),
    "no uv": (glb({"POSITION": CORNERS["POSITION"]}), "no texture coordinates"),
    "points that are not there": (glb(CORNERS, [0, 1, 9]), "does not hold together"),
    "cut off": (glb(CORNERS)[:-20], "damaged"),
    "a ring of nodes": (glb(CORNERS).replace(b'"children":[1]', b'"children":[0]'), "does not hold together"),
    "a count beyond all bytes": (glb(CORNERS).replace(b'"count":4', b'"count":9'), "damaged"),
    "no numbers": (glb(CORNERS).replace(b'"scene":0', b'"scene":"'), "damaged"),
    "nothing": (b"", "damaged"),
    "another's": (struct.pack("<4sII", b"glTF", 1, 12), "damaged"),
}


@pytest.mark.parametrize("name", BAD)
def test_what_is_no_mesh_is_refused_in_words(name: str) -> None:
    body, said = BAD[name]
    with pytest.raises(TexelError, match=said) as refused:
        read_mesh(body, "odd.glb")
    assert refused.value.way_out
