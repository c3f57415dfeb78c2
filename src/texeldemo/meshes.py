"""Meshes of the demo world, made like its pictures by our own code: shapes turned on a lathe, as OBJ text."""

from __future__ import annotations

import numpy as np
import pygltflib as gltf

AROUND = 64
# From the middle of the foot up the wall, over the rolled rim and down inside to the soil: radius and height.
PLANTER = (
    *((0.0, 0.0), (0.52, 0.0), (0.56, 0.04), (0.6, 0.22), (0.68, 0.55), (0.78, 0.88), (0.84, 1.06)),
    *((0.92, 1.1), (0.95, 1.16), (0.92, 1.22), (0.84, 1.23), (0.77, 1.19), (0.74, 1.08), (0.4, 1.04), (0.0, 1.06)),
)


def planter() -> str:
    """The fern planter: a flared pot with a rolled rim."""
    return lathe(PLANTER, repeats=3)


def lathe(profile: tuple[tuple[float, float], ...], repeats: int) -> str:
    """A profile of (radius, height) turned around the y axis, as OBJ. Texture coordinates run `repeats` times around, and
    along the profile by its length, so that texels stay square at the widest place."""
    outline = np.array(profile)
    length = np.concatenate([[0.0], np.hypot(*np.diff(outline, axis=0).T).cumsum()])
    along = length / (2 * np.pi * outline[:, 0].max() / repeats)
    slope = np.gradient(outline, axis=0)
    outward = np.stack([slope[:, 1], -slope[:, 0]], axis=1) / np.hypot(*slope.T)[:, None]
    lines = ["# Fern planter, turned on a lathe. Part of the demo world of Thistledown Works."]
    for (radius, height), v, (out, up) in zip(profile, along, outward, strict=True):
        for step in range(AROUND + 1):
            turn = 2 * np.pi * step / AROUND
            lines.append(f"v {radius * np.sin(turn):.5f} {height:.5f} {radius * np.cos(turn):.5f}")
            lines.append(f"vn {out * np.sin(turn):.5f} {up:.5f} {out * np.cos(turn):.5f}")
            lines.append(f"vt {repeats * step / AROUND:.5f} {v:.5f}")
    for ring in range(len(profile) - 1):
        for step in range(AROUND):
            first = ring * (AROUND + 1) + step + 1
            above = first + AROUND + 1
            corners = (first, first + 1, above + 1, above)
            lines.append("f " + " ".join(f"{corner}/{corner}/{corner}" for corner in corners))
    return "\n".join(lines) + "\n"


Part = tuple[str, str, np.ndarray, np.ndarray, np.ndarray, np.ndarray]


def bay() -> bytes:
    """A planting bay of four parts as GLB: a planter on a moss bed, a leaded pane behind it, a grow lamp above. Each part names a
    material of its own."""
    parts = [
        _lathed("fern planter", "planter", PLANTER, 3),
        _box("bed", "moss_bed", (2.6, 0.24, 1.5), (0.0, -0.12, 0.0)),
        _box("window", "lattice pane", (2.6, 2.1, 0.05), (0.0, 1.15, -0.72)),
        _box("lamp", "Grow Lamp", (1.5, 0.16, 0.42), (0.0, 2.05, 0.1)),
    ]
    made = gltf.GLTF2(asset=gltf.Asset(version="2.0"), scene=0, scenes=[gltf.Scene(nodes=list(range(len(parts))))])
    body = b""
    for name, material, *arrays in parts:
        places = []
        for array, kind in zip(arrays, ("VEC3", "VEC3", "VEC2", "SCALAR"), strict=True):
            data = array.tobytes()
            index = kind == "SCALAR"
            made.bufferViews.append(gltf.BufferView(buffer=0, byteOffset=len(body), byteLength=len(data)))
            bounds = {} if index else {"min": array.min(0).tolist(), "max": array.max(0).tolist()}
            component = gltf.UNSIGNED_INT if index else gltf.FLOAT
            places.append(len(made.accessors))
            view = len(made.bufferViews) - 1
            made.accessors.append(gltf.Accessor(bufferView=view, componentType=component, count=len(array), type=kind, **bounds))
            body += data
        made.materials.append(gltf.Material(name=material))
        position, normal, uv, indices = places
        attributes = gltf.Attributes(POSITION=position, NORMAL=normal, TEXCOORD_0=uv)
        primitive = gltf.Primitive(attributes=attributes, indices=indices, material=len(made.materials) - 1)
        made.meshes.append(gltf.Mesh(name=name, primitives=[primitive]))
        made.nodes.append(gltf.Node(name=name, mesh=len(made.meshes) - 1))
    made.buffers.append(gltf.Buffer(byteLength=len(body)))
    made.set_binary_blob(body)
    return b"".join(made.save_to_bytes())


def _lathed(name: str, material: str, profile: tuple[tuple[float, float], ...], repeats: int) -> Part:
    lines = [line.split() for line in lathe(profile, repeats).splitlines()]
    place, normal, uv = (np.array([line[1:] for line in lines if line[0] == key], np.float32) for key in ("v", "vn", "vt"))
    # OBJ has the first row of a texture at the bottom, glTF at the top.
    uv[:, 1] = 1 - uv[:, 1]
    corners = [[int(corner.split("/")[0]) - 1 for corner in line[1:]] for line in lines if line[0] == "f"]
    faces = np.array([[a, b, c, a, c, d] for a, b, c, d in corners], np.uint32).ravel()
    return name, material, place, normal, uv, faces


def _box(name: str, material: str, size: tuple[float, float, float], middle: tuple[float, float, float]) -> Part:
    """A box whose sides have texels of one size: a picture is a metre wide."""
    places, normals, uvs, faces = [], [], [], []
    for axis in range(3):
        for sign in (-1.0, 1.0):
            along, up = [(2, 1), (0, 2), (0, 1)][axis]
            turned = sign * (1.0 if axis == 2 else -1.0)
            for u, v in ((0, 1), (1, 1), (1, 0), (0, 0)):
                point = np.zeros(3)
                point[axis], point[along], point[up] = sign / 2, turned * (u - 0.5), 0.5 - v
                if axis == 1:
                    point[along], point[up] = u - 0.5, sign * (v - 0.5)
                places.append(point * size + middle)
                normals.append(np.eye(3)[axis] * sign)
                uvs.append((u * size[along], v * size[up]))
            first = len(places) - 4
            faces += [first, first + 1, first + 2, first, first + 2, first + 3]
    floats = [np.array(values, np.float32) for values in (places, normals, uvs)]
    return name, material, floats[0], floats[1], floats[2], np.array(faces, np.uint32)
