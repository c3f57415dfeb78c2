"""Vertex colours are painted on a model that wears a master with layers, seen at once, and kept with the mesh."""

from __future__ import annotations

import io
import re
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pygltflib
import pytest
from PIL import Image as Pillow
from playwright.sync_api import Page, expect

from tests.browser.conftest import change, sets_of, until_ready
from tests.browser.test_stage import canvas, seen

PROJECT = "glasshouse-nine"


def layered_model(page: Page) -> dict[str, Any]:
    """The demo's model, all parts of it in the demo's two-layer variant, whose sets are proved."""
    sets = sets_of(page, PROJECT)
    target = page.request.get(f"/api/sets/{sets['moss_bed']}").json()["target"]["name"]
    for name in ("copper_mister", "moss_bed"):
        change(page, "POST", f"/sets/{sets[name]}/proofs", {"target": target})
    variants = page.request.get(f"/api/projects/{PROJECT}/variants").json()
    (variant,) = (variant["id"] for variant in variants if variant["name"] == "Overgrown copper")
    until_ready(page, f"/variants/{variant}")
    # The mask is the paint alone.
    view = page.request.get(f"/api/variants/{variant}").json()
    layers = {entry["name"]: {"set": entry["set_id"]} for entry in view["layers"] if not entry["free"]}
    change(page, "PATCH", f"/variants/{variant}?seen={view['edit']}", {"layers": layers, "values": {}})
    (model,) = page.request.get(f"/api/projects/{PROJECT}/models").json()
    held: dict[str, Any] = page.request.get(f"/api/models/{model['id']}").json()
    file = pygltflib.GLTF2.load_from_bytes(page.request.get(held["url"]).body())
    names = {*held["parts"], *(mesh.name for mesh in file.meshes), *(node.name for node in file.nodes)}
    parts = {name: {"variant": variant} for name in sorted(filter(None, names))}
    change(page, "PATCH", f"/models/{held['id']}?seen={held['edit']}", {"parts": parts})
    return held


def assert_painted_alone(page: Page, held: dict[str, Any], name: str) -> dict[str, Any]:
    """The mesh of this name alone has paint in the newest revision, and all else in the file is as it was. Gives the model."""
    now: dict[str, Any] = page.request.get(f"/api/models/{held['id']}").json()
    assert now["revision"] == held["revision"] + 1
    was = pygltflib.GLTF2.load_from_bytes(page.request.get(f"/api/models/{held['id']}/file?revision={held['revision']}").body())
    file = pygltflib.GLTF2.load_from_bytes(page.request.get(now["url"]).body())
    coloured = {
        mesh.name for mesh in file.meshes if any(primitive.attributes.COLOR_0 is not None for primitive in mesh.primitives)
    }
    assert coloured == {name}
    assert [node.to_dict() for node in file.nodes] == [node.to_dict() for node in was.nodes]
    assert file.binary_blob().startswith(was.binary_blob())
    return now


def test_what_is_painted_is_seen_and_kept(enter: Callable[[str], Page]) -> None:
    page = enter("artist")
    page.goto(f"/projects/{PROJECT}")
    held = layered_model(page)
    page.goto(f"/projects/{PROJECT}/models/{held['id']}")
    before = seen(page)
    page.get_by_role("button", name="Paint on it").click()
    paint = page.get_by_role("region", name="Paint")
    paint.get_by_label("Size of the brush").fill("0.5")
    paint.get_by_label("Strength of the brush").fill("1")
    # A mesh whose points lie too far apart can be made denser, one part of it too, and is counted at once.
    page.get_by_text("fern planter", exact=True).first.click()
    triangles = page.get_by_text(re.compile(r"[\d,]+ triangles"))
    counted = triangles.inner_text()
    paint.get_by_role("button", name="Raise the density").click()
    expect(triangles).not_to_have_text(counted)
    paint.get_by_role("button", name="Take the last step back").click()
    expect(triangles).to_have_text(counted)
    paint.get_by_role("button", name="Raise the density").click()
    place = canvas(page).bounding_box()
    assert place
    x, y = place["x"] + place["width"] / 2, place["y"] + place["height"] * 0.55
    page.mouse.move(x - 60, y)
    page.mouse.down()
    page.mouse.move(x + 60, y, steps=6)
    page.mouse.up()
    painted = seen(page)
    changed = np.abs(painted - before).max(-1) > 12
    assert 0.005 < changed.mean() < 0.9
    # The middle was painted, a corner of the well was not.
    middle = changed[int(changed.shape[0] * 0.45) : int(changed.shape[0] * 0.65), changed.shape[1] // 2 - 60 :][:, :120]
    assert middle.mean() > changed[:40, :40].mean() + 0.05
    # A stroke is taken back, and drawn again.
    paint.get_by_role("button", name="Take the last step back").click()
    assert np.abs(seen(page) - painted).max() > 12
    paint.get_by_role("button", name="Fill with red").click()
    filled = seen(page)
    # The brush is put away, and what it did is not: nobody leaves it without a question.
    page.get_by_role("button", name="Stop painting").click()
    page.get_by_role("link", name="Board", exact=True).click()
    asked = page.get_by_role("alertdialog", name="Leave what is painted?")
    asked.get_by_role("button", name="Stay").click()
    page.get_by_role("link", name="Board", exact=True).click()
    asked.get_by_role("button", name="Keep it and leave").click()
    page.wait_for_url(f"**/projects/{PROJECT}")
    now = assert_painted_alone(page, held, "fern planter")
    page.goto(f"/projects/{PROJECT}/models/{held['id']}")
    # What comes back is what was kept; tangents may be made anew.
    assert np.abs(seen(page) - filled).mean() < 6
    # What came before is a revision that can be shown again, whatever was painted since.
    page.get_by_role("button", name=f"revision {now['revision']} of").click()
    page.get_by_role("button", name=f"Show revision {held['revision']}", exact=True).click()
    expect(page.get_by_role("button", name=f"revision {held['revision']} of")).to_be_visible()
    assert page.request.get(f"/api/models/{held['id']}").json()["revision"] == held["revision"]
    page.reload()
    assert np.abs(seen(page) - before).mean() < 6


@pytest.mark.soak
def test_a_painted_part_is_flattened_into_a_set_of_its_own(enter: Callable[[str], Page]) -> None:
    page = enter("artist")
    page.goto(f"/projects/{PROJECT}")
    held = layered_model(page)
    page.goto(f"/projects/{PROJECT}/models/{held['id']}")
    seen(page)
    page.get_by_text("fern planter", exact=True).first.click()
    flat = page.get_by_role("region", name="Flatten")
    flat.get_by_label("Name of the flattened set").fill("Painted pot")
    flat.get_by_role("button", name="Flatten", exact=True).click()
    flat.get_by_role("link", name="Painted pot").click(timeout=120_000)
    expect(page.get_by_role("heading", name="Painted pot", exact=True)).to_be_visible()
    expect(page.get_by_text("Painted_pot_normal.png").first).to_be_visible()
    expect(page.get_by_text("as it is: reads +Y")).to_be_visible()


def textured() -> bytes:
    """A square with a texture of its own, written by another library."""
    picture = io.BytesIO()
    Pillow.new("RGB", (8, 8), (40, 160, 200)).save(picture, "png")
    bodies = [np.float32(values).tobytes() for values in ([[0, 0, 0], [1, 0, 0], [0, 1, 0]], [[0, 0], [1, 0], [0, 1]])]
    bodies.append(picture.getvalue())
    starts = np.cumsum([0, *map(len, bodies)])
    views = [
        pygltflib.BufferView(buffer=0, byteOffset=int(at), byteLength=len(body)) for at, body in zip(starts, bodies, strict=False)
    ]
    kinds = ("VEC3", "VEC2")
    made = pygltflib.GLTF2(
        scene=0,
        scenes=[pygltflib.Scene(nodes=[0])],
        nodes=[pygltflib.Node(mesh=0, name="flag")],
        meshes=[
            pygltflib.Mesh(
                primitives=[pygltflib.Primitive(attributes=pygltflib.Attributes(POSITION=0, TEXCOORD_0=1), material=0)]
            )
        ],
        accessors=[
            pygltflib.Accessor(bufferView=at, componentType=5126, count=3, type=kind, min=[0] * (3 - at), max=[1] * (3 - at))
            for at, kind in enumerate(kinds)
        ],
        materials=[
            pygltflib.Material(
                name="cloth",
                pbrMetallicRoughness=pygltflib.PbrMetallicRoughness(
                    baseColorTexture=pygltflib.TextureInfo(index=0), roughnessFactor=0.25
                ),
            )
        ],
        textures=[pygltflib.Texture(source=0)],
        images=[pygltflib.Image(bufferView=2, mimeType="image/png")],
        bufferViews=views,
        buffers=[pygltflib.Buffer(byteLength=int(starts[-1]))],
    )
    made.set_binary_blob(b"".join(bodies))
    return b"".join(made.save_to_bytes())


def test_what_a_file_brought_stays_in_it_when_it_is_painted(enter: Callable[[str], Page], tmp_path: Path) -> None:
    page = enter("artist")
    page.goto("/projects/tidewheel/models")
    expect(page.get_by_role("button", name="Bring in a model")).to_be_visible()
    place = tmp_path / "flag.glb"
    place.write_bytes(textured())
    page.locator("[data-choose=model]").set_input_files(place)
    expect(page.get_by_role("heading", name="flag", exact=True)).to_be_visible()
    seen(page)
    page.get_by_role("button", name="Paint on it").click()
    paint = page.get_by_role("region", name="Paint")
    paint.get_by_role("button", name="Fill with red").click()
    paint.get_by_role("button", name="Keep what is painted").click()
    expect(page.get_by_text("kept as a new revision")).to_be_visible()
    (model,) = [entry for entry in page.request.get("/api/projects/tidewheel/models").json() if entry["name"] == "flag"]
    file = pygltflib.GLTF2.load_from_bytes(page.request.get(f"/api/models/{model['id']}/file").body())
    (material,) = file.materials
    assert material.name == "cloth" and material.pbrMetallicRoughness.roughnessFactor == 0.25
    view = file.bufferViews[file.images[file.textures[material.pbrMetallicRoughness.baseColorTexture.index].source].bufferView]
    kept = Pillow.open(io.BytesIO(file.binary_blob()[view.byteOffset : view.byteOffset + view.byteLength])).convert("RGB")
    assert np.abs(np.asarray(kept, int) - (40, 160, 200)).max() <= 1
    assert all(primitive.attributes.COLOR_0 is not None for mesh in file.meshes for primitive in mesh.primitives)
    change(page, "DELETE", f"/models/{model['id']}")


# How many frames pass from a parameter's change to the first drawing after it.
FRAMES = """() => new Promise((done) => {
  const drawing = WebGL2RenderingContext.prototype;
  const drawn = drawing.drawElements;
  let frames = 0;
  drawing.drawElements = function (...how) {
    drawing.drawElements = drawn;
    done(frames);
    return drawn.apply(this, how);
  };
  const next = () => {
    frames++;
    requestAnimationFrame(next);
  };
  requestAnimationFrame(next);
  const slider = document.querySelector('[data-parameter] [role=slider]');
  slider.dispatchEvent(new KeyboardEvent('keydown', { code: 'ArrowLeft', key: 'ArrowLeft', bubbles: true }));
})"""


def test_a_parameter_moves_the_picture_within_a_frame(enter: Callable[[str], Page]) -> None:
    page = enter("artist")
    page.goto(f"/projects/{PROJECT}")
    held = layered_model(page)
    variant = page.request.get(f"/api/models/{held['id']}").json()["parts"]["bed"]["variant"]
    page.goto(f"/projects/{PROJECT}/variants/{variant}")
    before = seen(page)
    assert page.evaluate(FRAMES) <= 1
    assert np.abs(seen(page) - before).max() > 0
