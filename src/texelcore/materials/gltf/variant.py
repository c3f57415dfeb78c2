"""A variant as a glTF 2.0 file: its surface baked to PNG textures on a square, in one .glb.

Textures, factors and colour spaces: glTF 2.0 specification, section Materials; strength above 1:
KHR_materials_emissive_strength; placement: KHR_texture_transform; what lies beyond the basics: `extended`.
"""

from __future__ import annotations

import io
from collections.abc import Callable, Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pygltflib import (
    ARRAY_BUFFER,
    ELEMENT_ARRAY_BUFFER,
    FLOAT,
    GLTF2,
    UNSIGNED_SHORT,
    Accessor,
    Asset,
    Attributes,
    Buffer,
    BufferView,
    Material,
    Mesh,
    Node,
    NormalMaterialTexture,
    OcclusionTextureInfo,
    PbrMetallicRoughness,
    Primitive,
    Scene,
    Texture,
    TextureInfo,
)
from pygltflib import Image as GltfImage
from pygltflib import (
    Sampler as GltfSampler,
)

from texelcore.colour.srgb import from_linear
from texelcore.materials.dressing.evaluate import Sampler, evaluate, neutral, texel_centres
from texelcore.materials.gltf.extended import extended_of
from texelcore.materials.gltf.placing import Placement
from texelcore.materials.operations.declared import unit
from texelcore.materials.sheets.document import UV, OpacityUse, Value
from texelcore.materials.sheets.kinds import SURFACE_KINDS
from texelcore.materials.sheets.typing import CheckedMaster
from texelcore.pixels.image import Image, Pixels
from texelcore.pixels.png import write_png
from texelcore.pixels.strips import of_image, strip_ranges
from texelcore.pixels.values import as_stored

Floats = NDArray[np.float32]
# A whole surface at this size takes about 250 MB while it is baked; engines get textures at full size through a delivery.
LARGEST_BAKE = 2048
_LINEAR, _LINEAR_MIPMAP_LINEAR, _REPEAT = 9729, 9987, 10497


def bake(
    checked: CheckedMaster,
    own: Mapping[str, Value],
    samplers: Mapping[str, Sampler],
    width: int,
    height: int,
    finer: int = 1,
    mesh: Mapping[str, Floats] | None = None,
    tell: Callable[[float], None] = lambda share: None,
) -> dict[str, Floats]:
    """A variant's surface on a grid of texels, by property; canonical values as `evaluate` gives them, and the neutral value of
    what the master gives nothing of; of glTF's extensions those that it gives.

    Each texel is the mean of `finer` × `finer` places in it, so that what repeats faster than texels follow each other is
    averaged and not picked at random: light as light, directions as directions. `mesh` holds what a mesh brings to these finer
    places, (height × finer, width × finer, …), its texture coordinates among it; without it they are those of a flat square.
    `tell` hears what share is done; it may raise to stop.
    """
    given: dict[str, Floats] = {}
    for top, bottom in strip_ranges(width * finer * finer, height):
        first, last = top * finer, bottom * finer
        brought = {key: values[first:last] for key, values in (mesh or {}).items()}
        uv = brought.pop(UV, None)
        centres = texel_centres(width * finer, height * finer, first, last) if uv is None else uv
        for key, fine in evaluate(checked, own, samplers, centres, brought).items():
            values = _averaged(key, fine, finer)
            # Nothing is held twice: a surface of 4096² takes a gigabyte.
            given.setdefault(key, np.empty((height, *values.shape[1:]), np.float32))[top:bottom] = values
        tell(bottom / height)
    return given | {key: _even(key, width, height) for key in SURFACE_KINDS if key not in given}


def _even(key: str, width: int, height: int) -> Floats:
    value = np.asarray(neutral(key), np.float32)
    return np.broadcast_to(value, (height, width, *value.shape))


def _averaged(key: str, values: Floats, finer: int) -> Floats:
    if finer == 1:
        return values
    rows, columns = values.shape[0] // finer, values.shape[1] // finer
    mean = values.reshape(rows, finer, columns, finer, *values.shape[2:]).mean(axis=(1, 3), dtype=np.float32)
    if key == "normal":
        mean = unit(mean)
    return np.asarray(mean, np.float32)


def export_glb(name: str, surface: Mapping[str, Floats], opacity: OpacityUse, placement: Placement | None = None) -> bytes:
    """A baked surface as the bytes of a .glb: a square of one metre that carries the material, with its textures placed where
    they were not baked so. `opacity` says whether it is cut out or blended, and whether it has two sides. Deterministic."""
    extended = extended_of(surface)
    see_through = opacity.mode != "solid" and float(surface["opacity"].min()) < 1.0
    pictures = _pictures(surface, see_through) | {title: pixels for title, (pixels, _) in extended.pictures.items()}
    srgb = {"base colour", "emissive", *(title for title, (_, is_srgb) in extended.pictures.items() if is_srgb)}
    chunks, views = _mesh_chunks()
    images, textures = [], []
    for title, pixels in pictures.items():
        chunks.append(_png(pixels, "srgb" if title in srgb else "linear"))
        views.append(BufferView(buffer=0, byteLength=len(chunks[-1])))
        images.append(GltfImage(mimeType="image/png", bufferView=len(views) - 1, name=f"{name} {title}"))
        textures.append(Texture(source=len(images) - 1, sampler=0))
    offset = 0
    for chunk, view in zip(chunks, views, strict=True):
        view.byteOffset = offset
        offset += len(chunk) + -len(chunk) % 4
    blob = b"".join(chunk + b"\0" * (-len(chunk) % 4) for chunk in chunks)
    index = {title: at for at, title in enumerate(pictures)}
    placed: dict[str, Any] = {}
    if placement:
        placed = {"KHR_texture_transform": {"offset": [*placement.offset], "scale": [*placement.scale]}}
    material = _material(name, surface, index, placed)
    material.doubleSided = opacity.two_sided
    if see_through:
        # glTF 2.0, section 3.9.4: what is cut out is solid at the cutoff and above.
        cut = opacity.mode == "cut-out"
        material.alphaMode, material.alphaCutoff = ("MASK", opacity.threshold) if cut else ("BLEND", None)
    for key, said in extended.said.items():
        where = {"extensions": placed} if placed else {}
        material.extensions[key] = said | {
            slot: {"index": index[title], **where} for slot, title in extended.textures[key].items()
        }
    used = [*material.extensions, *placed]
    document = GLTF2(
        asset=Asset(version="2.0", generator="Fair Texel"),
        scene=0,
        scenes=[Scene(nodes=[0])],
        nodes=[Node(mesh=0, name=name)],
        meshes=[
            Mesh(
                primitives=[
                    Primitive(attributes=Attributes(POSITION=0, NORMAL=1, TANGENT=2, TEXCOORD_0=3), indices=4, material=0)
                ]
            )
        ],
        accessors=_accessors(),
        bufferViews=views,
        buffers=[Buffer(byteLength=len(blob))],
        images=images,
        textures=textures,
        samplers=[GltfSampler(magFilter=_LINEAR, minFilter=_LINEAR_MIPMAP_LINEAR, wrapS=_REPEAT, wrapT=_REPEAT)],
        materials=[material],
        extensionsUsed=used,
    )
    document.set_binary_blob(blob)
    return b"".join(document.save_to_bytes())


def _pictures(surface: Mapping[str, Floats], see_through: bool) -> dict[str, Pixels]:
    """The textures that glTF wants. Emissive is left out where nothing glows."""
    colour = as_stored(from_linear(np.clip(surface["base_colour"], 0, 1).astype(np.float64)), "u8")
    if see_through:
        colour = np.concatenate([colour, as_stored(surface["opacity"], "u8")[..., None]], axis=-1)
    packed = np.stack([as_stored(surface[key], "u8") for key in ("occlusion", "roughness", "metallic")], axis=-1)
    found = {"base colour": colour, "occlusion, roughness, metallic": packed}
    found["normal"] = as_stored(surface["normal"] * 0.5 + 0.5, "u8")
    strongest = float(surface["emissive"].max())
    if strongest > 0:
        scaled = surface["emissive"] / max(1.0, strongest)
        found["emissive"] = as_stored(from_linear(np.clip(scaled, 0, 1).astype(np.float64)), "u8")
    return found


def _material(name: str, surface: Mapping[str, Floats], index: Mapping[str, int], placed: dict[str, Any]) -> Material:
    packed = index["occlusion, roughness, metallic"]
    strongest = float(surface["emissive"].max())
    extensions: dict[str, Any] = {}
    if strongest > 1:
        extensions["KHR_materials_emissive_strength"] = {"emissiveStrength": strongest}
    return Material(
        name=name,
        pbrMetallicRoughness=PbrMetallicRoughness(
            baseColorTexture=TextureInfo(index=index["base colour"], extensions=placed),
            metallicRoughnessTexture=TextureInfo(index=packed, extensions=placed),
            metallicFactor=1.0,
            roughnessFactor=1.0,
        ),
        normalTexture=NormalMaterialTexture(index=index["normal"], scale=1.0, extensions=placed),
        occlusionTexture=OcclusionTextureInfo(index=packed, strength=1.0, extensions=placed),
        emissiveTexture=TextureInfo(index=index["emissive"], extensions=placed) if "emissive" in index else None,
        emissiveFactor=[1.0, 1.0, 1.0] if "emissive" in index else [0.0, 0.0, 0.0],
        alphaMode="OPAQUE",
        alphaCutoff=None,
        extensions=extensions,
    )


def _mesh_chunks() -> tuple[list[bytes], list[BufferView]]:
    """A square that faces +Z with its texture's first row at the top."""
    corners = np.array([[-0.5, 0.5, 0], [0.5, 0.5, 0], [-0.5, -0.5, 0], [0.5, -0.5, 0]], np.float32)
    normals = np.tile(np.array([0, 0, 1], np.float32), (4, 1))
    tangents = np.tile(np.array([1, 0, 0, 1], np.float32), (4, 1))
    places = np.array([[0, 0], [1, 0], [0, 1], [1, 1]], np.float32)
    faces = np.array([0, 2, 1, 1, 2, 3], np.uint16)
    chunks = [part.tobytes() for part in (corners, normals, tangents, places, faces)]
    kinds = [ARRAY_BUFFER] * 4 + [ELEMENT_ARRAY_BUFFER]
    return chunks, [BufferView(buffer=0, byteLength=len(chunk), target=kind) for chunk, kind in zip(chunks, kinds, strict=True)]


def _accessors() -> list[Accessor]:
    return [
        Accessor(bufferView=0, componentType=FLOAT, count=4, type="VEC3", min=[-0.5, -0.5, 0.0], max=[0.5, 0.5, 0.0]),
        Accessor(bufferView=1, componentType=FLOAT, count=4, type="VEC3"),
        Accessor(bufferView=2, componentType=FLOAT, count=4, type="VEC4"),
        Accessor(bufferView=3, componentType=FLOAT, count=4, type="VEC2"),
        Accessor(bufferView=4, componentType=UNSIGNED_SHORT, count=6, type="SCALAR"),
    ]


def _png(pixels: Pixels, encoding: str) -> bytes:
    file = io.BytesIO()
    write_png(of_image(Image.of(pixels)), file, "srgb" if encoding == "srgb" else "linear")
    return file.getvalue()
