"""A set's own mesh, to see its maps on: kept as it came, with revisions, read by browsers alone, and here only looked over."""

from __future__ import annotations

import io
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from texelcore.materials.gltf.file import read_gltf
from texelcore.pixels.errors import TexelError
from texelweb.sets.changing.writing import note, writing
from texelweb.sets.models import MeshRevision, TextureSet
from texelweb.storage.blobs import keep

LARGEST_MESH = 64 * 1024**2
MOST_REVISIONS = 200
SUFFIXES = (".glb", ".gltf", ".obj")
_WAY_OUT = "Export it as .glb with everything inside, or as .obj."


def put_mesh(texture_set: TextureSet, path: Path, name: str, user: Any) -> TextureSet:
    """Keep a mesh with a set as the revision that is shown; gives the set as saved. Raises TexelError for a file that is none,
    and for one revision too many."""
    look_over(path, name)
    with writing(texture_set.pk, None, user) as current:
        newest = current.meshes.order_by("-number").first()
        if newest is not None and newest.number >= MOST_REVISIONS:
            problem = f"has {MOST_REVISIONS} revisions of its mesh, which is the most."
            raise TexelError(current.name, problem, "Bring the model into the project's models instead.")
        blob, name = keep(path), name[-120:]
        if newest is None or (newest.blob_id, newest.name) != (blob.pk, name):
            newest = current.meshes.create(number=newest.number + 1 if newest else 1, blob=blob, name=name, by=user)
        _show(current, newest, f"Mesh {name}", user)
    return current


def show_mesh(texture_set: TextureSet, number: int, user: Any) -> TextureSet:
    """Show a set on an older revision of its mesh, or on the newest again; gives the set as saved. Raises
    MeshRevision.DoesNotExist."""
    with writing(texture_set.pk, None, user) as current:
        kept = current.meshes.get(number=number)
        _show(current, kept, f"Mesh {kept.name}, revision {number}", user)
    return current


def mesh_revisions(texture_set: TextureSet) -> list[tuple[MeshRevision, bool]]:
    """The revisions of a set's mesh, newest first, and whether each is the one that is shown."""
    kept = list(texture_set.meshes.select_related("blob", "by").order_by("-number"))
    shown = next((row for row in kept if (row.blob_id, row.name) == (texture_set.mesh_id, texture_set.mesh_name)), None)
    return [(row, row is shown) for row in kept]


def _show(current: TextureSet, kept: MeshRevision, what: str, user: Any) -> None:
    if (current.mesh_id, current.mesh_name) != (kept.blob_id, kept.name):
        current.mesh_id, current.mesh_name = kept.blob_id, kept.name
        note(current, what, user)
        current.save()


def remove_mesh(texture_set: TextureSet, user: Any) -> TextureSet:
    """Take a set's mesh away; gives the set as saved."""
    with writing(texture_set.pk, None, user) as current:
        if current.mesh_id is not None:
            current.mesh, current.mesh_name = None, ""
            note(current, "Mesh taken away", user)
            current.save()
    return current


def look_over(path: Path, name: str) -> None:
    """Raise TexelError for a file that is no glTF 2.0 or OBJ mesh by its first look, or that would fetch other files."""
    suffix = Path(name).suffix.lower()
    if suffix not in SUFFIXES:
        raise TexelError(name, "is no glTF or OBJ file by its ending.", _WAY_OUT)
    if path.stat().st_size > LARGEST_MESH:
        raise TexelError(name, "is larger than 64 MB.", "Export a lighter model: it is only there to look at maps.")
    body = path.read_bytes()
    if suffix == ".obj":
        lines = body.splitlines()
        if b"\0" in body or not all(any(line.startswith(key) for line in lines) for key in (b"v ", b"vt ", b"f ")):
            raise TexelError(name, "is no OBJ with points, texture coordinates and faces.", _WAY_OUT)
        return
    found = read_gltf(io.BytesIO(body), name)
    document = found.described
    if (suffix == ".glb" and found.length != len(body)) or not _holds(document):
        raise TexelError(name, "is damaged or no GLB of version 2." if suffix == ".glb" else "is no glTF.", _WAY_OUT)
    if not str(document.get("asset", {}).get("version", "")).startswith("2."):
        raise TexelError(name, "is not glTF 2.0.", _WAY_OUT)
    held = [*document.get("buffers", ()), *document.get("images", ())]
    if any("uri" in entry and not str(entry["uri"]).startswith("data:") for entry in held):
        raise TexelError(name, "leans on other files.", _WAY_OUT)


def _holds(document: Mapping[str, Any]) -> bool:
    """Whether what is looked at here has the right shape; the rest is the browser's to read."""
    held = [document.get(key, []) for key in ("buffers", "images")]
    lists = all(isinstance(entries, list) and all(isinstance(entry, dict) for entry in entries) for entries in held)
    return lists and isinstance(document.get("asset"), dict)
