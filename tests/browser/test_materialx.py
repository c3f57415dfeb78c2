"""MaterialX against NumPy: what its own library makes of our documents, as GLSL, drawn by headless Chromium into floats."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any

import MaterialX as mx
import MaterialX.PyMaterialXGenGlsl as glsl
import MaterialX.PyMaterialXGenShader as generating
import numpy as np
import pytest
from playwright.sync_api import Page

from tests.browser.test_gpu import ARITHMETIC, DRAW, EIGHT_BITS, SIZE, combinations, gpu, numpy_input, variants_of
from texelcore.materials.dressing.binding import bind, one_set
from texelcore.materials.dressing.evaluate import evaluate, texel_centres
from texelcore.materials.dressing.stage import STAGE_TARGET
from texelcore.materials.dressing.textures import samplers_of
from texelcore.materials.mtlx.differing import NEAREST
from texelcore.materials.mtlx.graph import Graph
from texelcore.materials.mtlx.graph import Value as Flow
from texelcore.materials.mtlx.meanings import MEANINGS
from texelcore.materials.mtlx.writing import INPUTS, TYPES, standard_library, write_materialx
from texelcore.materials.operations import OPERATIONS
from texelcore.materials.sheets.document import WIDTHS, Master, Value, ValueKind
from texelcore.materials.sheets.kinds import GIVEN_KINDS
from texelcore.materials.sheets.masters import shipped_masters
from texelcore.materials.sheets.typing import check_master
from texelcore.pixels.image import Image

__all__ = ["gpu"]
FOLDER = Path(mx.__file__).parent
# What a vertex shader hands over, as expressions of the place on the picture; MaterialX counts its rows upwards.
EYE = (0.3, 0.2, 9.0)
HANDED = {
    "texcoord_0": "vec2(uv.x, 1.0 - uv.y)",
    "texcoord_1": "vec2(uv.x, 1.0 - uv.y)",
    "color_0": "vec4(uv, uv.x * uv.y, uv.y)",
    "positionWorld": "vec3(uv.x, uv.y * 8.0, uv.x)",
    "positionObject": "vec3(uv.x, uv.y * 8.0, uv.x)",
    "normalWorld": "vec3(0.0, 0.0, 1.0)",
    "tangentWorld": "vec3(1.0, 0.0, 0.0)",
    "bitangentWorld": "vec3(0.0, 1.0, 0.0)",
}
SET = {"u_viewPosition": f"vec3({', '.join(map(str, EYE))})", "u_frame": "7.2", "u_time": "0.3"}


def mesh() -> dict[str, np.ndarray]:
    """The same in NumPy, by the names of mesh inputs."""
    uv = texel_centres(SIZE, SIZE)
    x, y = uv[..., 0], uv[..., 1]
    position = np.stack([x, y * 8, x], -1)
    view = np.asarray(EYE, np.float32) - position
    return {
        "vertex colour": np.stack([x, y, x * y], -1),
        "vertex alpha": y,
        "world position": position,
        "object position": position,
        "world normal": np.broadcast_to(np.float32([0, 0, 1]), position.shape),
        "view direction": (view / np.linalg.norm(view, axis=-1, keepdims=True)).astype(np.float32),
        "time": np.full(x.shape, 0.3, np.float32),
    }


def fragment(output: Any, uniforms: dict[str, Any]) -> str:
    """MaterialX's own GLSL for an output, with what is handed over and set written into it."""
    generator = glsl.EsslShaderGenerator.create()
    context = generating.GenContext(generator)
    context.registerSourceCodeSearchPath(mx.FileSearchPath(str(FOLDER)))
    context.registerSourceCodeSearchPath(mx.FileSearchPath(str(FOLDER / "libraries")))
    context.getOptions().shaderInterfaceType = generating.ShaderInterfaceType.SHADER_INTERFACE_REDUCED
    # Pictures are sent with their first row first.
    context.getOptions().fileTextureVerticalFlip = True
    text = generator.generate("drawn", output, context).getSourceCode("pixel")
    for name, said in HANDED.items():
        text = re.sub(rf"^in \w+ {name};", f"#define {name} {said}", text, flags=re.M)

    def fixed(match: re.Match[str]) -> str:
        kind, name = match.groups()
        value = SET.get(name) or words(kind, uniforms[name])
        return f"#define {name} {value}" if name in SET else f"const {kind} {name} = {value};"

    text = re.sub(r"^uniform (?!sampler)(\w+) (\w+)[^;]*;", fixed, text, flags=re.M)
    return text.replace("precision highp float;", "precision highp float;\nprecision highp sampler2D;\nin vec2 uv;", 1)


def words(kind: str, value: Any) -> str:
    if isinstance(value, bool):
        return "true" if value else "false"
    return f"{kind}({', '.join(f'{part:.9g}' for part in (value if isinstance(value, tuple) else (value,)))})"


def draw(page: Page, text: str, textures: list[dict[str, Any]] | None = None) -> np.ndarray:
    asked = {"fragment": text, "uniforms": {}, "textures": textures or [], "size": SIZE}
    return np.array(page.evaluate(DRAW, asked), np.float32).reshape(SIZE, SIZE, 4)


def flow_input(g: Graph, kind: ValueKind, at: int) -> Flow:
    """What `numpy_input` gives, as nodes."""
    read = g.node("texcoord", "vector2", {"index": 0})
    x, y = read.part(0), 1.0 - read.part(1)
    wave = x * (1.5 - 0.2 * at) + y * (0.3 + 0.25 * at) + (0.02 + 0.1 * at)
    if kind == "place":
        return g.together("vector2", x, y)
    if kind == "direction":
        return g.unit(g.together("vector3", x - 0.5, y - (0.3 + 0.1 * at), 0.7))
    if kind == "choice":
        return g.number(1.0)
    width = WIDTHS.get(kind, 1)
    return wave if width == 1 else g.together(TYPES[kind], *(wave * share for share in (1.0, 0.7, 0.4, 0.2)[:width]))


@pytest.mark.parametrize("key", [key for key in OPERATIONS if not {slot.kind for slot in OPERATIONS[key].slots} & {"texture"}])
def test_every_operation_means_the_same_in_materialx(gpu: Page, key: str) -> None:
    operation = OPERATIONS[key]
    for shared, switch in combinations(operation):
        document = mx.createDocument()
        document.setDataLibrary(standard_library())
        held = document.addNodeGraph("graph")
        g = Graph(held)
        flows, given = [], []
        for at, slot in enumerate(operation.slots):
            kind: ValueKind = shared if slot.kind in ("same", "any", "vector") else slot.kind  # type: ignore[assignment]
            if kind == "switch":
                flows.append(g.switch(switch))
                given.append(switch)
                continue
            flows.append(flow_input(g, kind, at))
            value = numpy_input(kind, at)
            wide = shared in WIDTHS and kind in ("number", "choice")
            wide = wide and any(other.kind in ("same", "any") for other in operation.slots)
            given.append(value[..., None] if wide else value)
        meant = np.asarray(operation.numpy(*given))
        made = MEANINGS[key](g, *flows)
        output = held.addOutput("made", made.type)
        output.setConnectedNode(made.node)
        assert document.validate() == (True, ""), key
        width = meant.shape[-1] if meant.ndim == 3 else 1
        drawn = draw(gpu, fragment(output, {}))[..., :width]
        expected = meant.reshape(SIZE, SIZE, width)
        if key in NEAREST:
            # Lumps of its own, of the same kind: within the same range, about as bright.
            assert drawn.min() >= -0.02 and drawn.max() <= 1.02 and drawn.std() > 0.02
            assert abs(drawn.mean() - expected.mean()) < 0.2, key
            continue
        assert np.abs(drawn - expected).max() < ARITHMETIC, (key, shared, switch)


# What has no same is left out of these masters by the parameter that says how much of it is seen.
WITHOUT: dict[str, dict[str, Value]] = {"painted-metal": {"wear raggedness": 0.0}, "decal": {"decal wear": 0.0}}


@pytest.mark.parametrize("master", shipped_masters().values(), ids=lambda master: master.name)
def test_every_shipped_master_means_the_same_in_materialx(gpu: Page, master: Master) -> None:
    checked = check_master(master)
    rng = np.random.default_rng(4)
    keys = ("colour", "normal", "data", "opacity", "emissive", "height")
    pixels: dict[str, np.ndarray] = {}
    for key in keys:
        pixels[key] = rng.integers(100, 156, (SIZE, SIZE, 1 if key in ("opacity", "height") else 3)).astype(np.uint8)
    xy = rng.uniform(-0.2, 0.2, (SIZE, SIZE, 2))
    up = np.sqrt(1 - (xy**2).sum(-1, keepdims=True))
    pixels["normal"] = np.floor((np.concatenate([xy, up], -1) + 1) / 2 * 255 + 0.5).astype(np.uint8)
    images = {key: Image(held, ("Y",) if held.shape[2] == 1 else tuple("RGB")) for key, held in pixels.items()}
    bound = bind(master, STAGE_TARGET, one_set(master, {key: STAGE_TARGET.storages[key] for key in keys}))
    samplers = samplers_of(master, bound, dict.fromkeys(master.holders, images), STAGE_TARGET)
    files = {(found.holder, found.output): f"{found.output}.png" for found in bound.values() if found}
    for drawn_by_lot in variants_of(master):
        own = drawn_by_lot | WITHOUT.get(master.name, {})
        written = write_materialx(checked, master.title, bound, files, own)
        meant = evaluate(checked, own, samplers, texel_centres(SIZE, SIZE), mesh())
        document = mx.createDocument()
        mx.readFromXmlString(document, written.text)
        document.setDataLibrary(standard_library())
        graph = document.getNodeGraph(f"NG_{master.name.replace('-', '_')}")
        uniforms = {entry.getName(): plain(entry) for entry in graph.getInputs()}
        for key in master.surface:
            output = f"{INPUTS.get(key, key)}_out"
            if output in UNLIKE.get(master.name, ()):
                continue
            text = fragment(graph.getOutput(output), uniforms)
            sent = [picture(name, graph, pixels) for name in re.findall(r"uniform sampler2D (\w+);", text)]
            shown = draw(gpu, text, sent)
            wide = GIVEN_KINDS[key] != "number"
            expected = meant[key] if wide else meant[key][..., None]
            if key == "anisotropy_rotation":
                expected = expected * 2 * np.pi
            most = EIGHT_BITS * max(1, np.abs(expected).max())
            assert np.abs(shown[..., : expected.shape[-1]] - expected).max() < most, (key, own)


# Hexagons have no same: all that this one reads.
UNLIKE = {"large-ground": ("base_color_out", "roughness_out", "occlusion_out", "normal_out")}


def plain(entry: Any) -> Any:
    """The value of an input of the graph, as it was written."""
    value = entry.getValue()
    return tuple(value) if hasattr(value, "__len__") and not isinstance(value, str) else value


def picture(sampler: str, graph: Any, pixels: dict[str, np.ndarray]) -> dict[str, Any]:
    """The picture that a sampler of the generated text reads: its file's, sent as the file says that it is encoded."""
    node = graph.getNode(sampler.removesuffix("_file"))
    file = node.getInput("file")
    held = pixels[file.getValueString().removesuffix(".png")]
    whole = np.full((SIZE, SIZE, 4), 255, np.uint8)
    whole[..., : max(3, held.shape[2])] = held
    srgb = file.getAttribute("colorspace") == "srgb_texture"
    return {"name": sampler, "width": SIZE, "height": SIZE, "srgb": srgb, "data": whole.ravel().tolist()}


def test_what_is_written_is_read_by_people(gpu: Page) -> None:
    master = shipped_masters()["solid-surface"]
    written = write_materialx(check_master(master), "Oak “planks”", {}, {}, {"tiling": 2.0})
    document = mx.createDocument()
    mx.readFromXmlString(document, written.text)
    tiling = document.getNodeGraph("NG_solid_surface").getInput("tiling")
    assert tiling.getValue() == 2.0 and tiling.getAttribute("uiname") == master.parameter("tiling").label  # type: ignore[union-attr]
    assert document.getMaterialNodes()[0].getName().startswith("M_Oak__")
