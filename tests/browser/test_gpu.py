"""NumPy against the GPU: every operation of the table and every shipped master, drawn by headless Chromium into floats."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import product
from typing import Any

import numpy as np
import pytest
from playwright.sync_api import Browser, Page

from texelcore.materials.binding import bind
from texelcore.materials.document import Master, Value, ValueKind, values_of
from texelcore.materials.evaluate import evaluate, texel_centres
from texelcore.materials.masters import shipped_masters
from texelcore.materials.operations import OPERATIONS, Operation
from texelcore.materials.shader import TYPES, function_text, shader_text
from texelcore.materials.textures import samplers_of
from texelcore.materials.typing import SURFACE_KINDS, check_master
from texelcore.pixels.image import Image
from texelcore.targets.library import shipped

SIZE = 16
ARITHMETIC = 1e-3
EIGHT_BITS = 1 / 255
DRAW = """({ fragment, uniforms, textures, size }) => {
  const canvas = document.createElement('canvas');
  const gl = canvas.getContext('webgl2');
  if (!gl || !gl.getExtension('EXT_color_buffer_float')) throw new Error('no float target');
  const program = gl.createProgram();
  const cover = `#version 300 es
    out vec2 uv;
    void main() {
      vec2 c = vec2(gl_VertexID == 1 ? 3. : -1., gl_VertexID == 2 ? 3. : -1.);
      uv = (c + 1.) * .5;
      gl_Position = vec4(c, 0., 1.);
    }`;
  for (const [kind, text] of [[gl.VERTEX_SHADER, cover], [gl.FRAGMENT_SHADER, fragment]]) {
    const shader = gl.createShader(kind);
    gl.shaderSource(shader, text);
    gl.compileShader(shader);
    if (!gl.getShaderParameter(shader, gl.COMPILE_STATUS)) throw new Error(gl.getShaderInfoLog(shader) + text);
    gl.attachShader(program, shader);
  }
  gl.linkProgram(program);
  if (!gl.getProgramParameter(program, gl.LINK_STATUS)) throw new Error(gl.getProgramInfoLog(program));
  gl.useProgram(program);
  for (const [name, value] of Object.entries(uniforms)) {
    const at = gl.getUniformLocation(program, name);
    if (Array.isArray(value)) gl.uniform3fv(at, value);
    else if (typeof value === 'boolean') gl.uniform1i(at, value ? 1 : 0);
    else gl.uniform1f(at, value);
  }
  textures.forEach(({ name, width, height, srgb, data }, unit) => {
    gl.activeTexture(gl.TEXTURE0 + unit);
    gl.bindTexture(gl.TEXTURE_2D, gl.createTexture());
    const internal = srgb ? gl.SRGB8_ALPHA8 : gl.RGBA8;
    gl.texImage2D(gl.TEXTURE_2D, 0, internal, width, height, 0, gl.RGBA, gl.UNSIGNED_BYTE, new Uint8Array(data));
    for (const side of [gl.TEXTURE_MIN_FILTER, gl.TEXTURE_MAG_FILTER]) gl.texParameteri(gl.TEXTURE_2D, side, gl.LINEAR);
    gl.uniform1i(gl.getUniformLocation(program, name), unit);
  });
  const target = gl.createTexture();
  gl.activeTexture(gl.TEXTURE15);
  gl.bindTexture(gl.TEXTURE_2D, target);
  gl.texStorage2D(gl.TEXTURE_2D, 1, gl.RGBA32F, size, size);
  gl.bindFramebuffer(gl.FRAMEBUFFER, gl.createFramebuffer());
  gl.framebufferTexture2D(gl.FRAMEBUFFER, gl.COLOR_ATTACHMENT0, gl.TEXTURE_2D, target, 0);
  gl.viewport(0, 0, size, size);
  gl.drawArrays(gl.TRIANGLES, 0, 3);
  const pixels = new Float32Array(size * size * 4);
  gl.readPixels(0, 0, size, size, gl.RGBA, gl.FLOAT, pixels);
  gl.getExtension('WEBGL_lose_context').loseContext();
  return Array.from(pixels);
}"""
HEAD = "#version 300 es\nprecision highp float;\nprecision highp sampler2D;\nin vec2 uv;\nout vec4 result;\n"


@pytest.fixture(scope="module")
def gpu(browser: Browser) -> Iterator[Page]:
    page = browser.new_page()
    yield page
    page.close()


def draw(
    gpu: Page, body: str, uniforms: dict[str, Any] | None = None, textures: list[dict[str, Any]] | None = None
) -> np.ndarray:
    """Run a fragment on every texel; gives (SIZE, SIZE, 4) floats, row 0 at uv.y = 0."""
    asked = {"fragment": HEAD + body, "uniforms": uniforms or {}, "textures": textures or [], "size": SIZE}
    return np.array(gpu.evaluate(DRAW, asked), np.float32).reshape(SIZE, SIZE, 4)


# What each kind of slot is given: the same expression of uv in GLSL and in NumPy.
def glsl_input(kind: ValueKind, at: int) -> str:
    wave = f"(uv.x * {1.5 - 0.2 * at:.2f} + uv.y * {0.3 + 0.25 * at:.2f} + {0.02 + 0.1 * at:.2f})"
    direction = f"normalize(vec3(uv.x - 0.5, uv.y - {0.3 + 0.1 * at:.1f}, 0.7))"
    return {"number": wave, "colour": f"({wave} * vec3(1.0, 0.7, 0.4))", "direction": direction, "place": "uv"}[kind]


def numpy_input(kind: ValueKind, at: int) -> np.ndarray:
    uv = texel_centres(SIZE, SIZE)
    x, y = uv[..., 0], uv[..., 1]
    wave = (x * (1.5 - 0.2 * at) + y * (0.3 + 0.25 * at) + 0.02 + 0.1 * at).astype(np.float32)
    direction = np.stack([x - 0.5, y - (0.3 + 0.1 * at), np.full_like(x, 0.7)], -1)
    direction /= np.linalg.norm(direction, axis=-1, keepdims=True)
    return {"number": wave, "colour": wave[..., None] * np.float32([1.0, 0.7, 0.4]), "direction": direction, "place": uv}[kind]


def combinations(operation: Operation) -> Iterator[tuple[ValueKind, bool]]:
    """The types that "same" and "any" slots may share, and both positions of switches."""
    kinds = {slot.kind for slot in operation.slots}
    shared: tuple[ValueKind, ...] = (
        ("number", "colour", "direction") if "any" in kinds else ("number", "colour") if "same" in kinds else ("number",)
    )
    yield from product(shared, (True, False) if "switch" in kinds else (True,))


@pytest.mark.parametrize("key", [key for key in OPERATIONS if key != "read"])
def test_every_operation_means_the_same_on_the_gpu(gpu: Page, key: str) -> None:
    operation = OPERATIONS[key]
    for shared, switch in combinations(operation):
        said, given = [], []
        for at, slot in enumerate(operation.slots):
            kind: ValueKind = shared if slot.kind in ("same", "any") else slot.kind  # type: ignore[assignment]
            if kind == "switch":
                said.append("true" if switch else "false")
                given.append(switch)
                continue
            said.append(glsl_input(kind, at))
            value = numpy_input(kind, at)
            wide = shared == "colour" and kind == "number" and any(other.kind == "same" for other in operation.slots)
            given.append(value[..., None] if wide else value)
        expected = np.asarray(operation.numpy(*given))
        gives: ValueKind = shared if operation.gives in ("same", "any") else operation.gives  # type: ignore[assignment]
        text = function_text(operation, shared, gives)
        call = f"op_{key}({', '.join(said)})"
        packed = {"float": f"vec4({call})", "vec2": f"vec4({call}, 0.0, 0.0)", "vec3": f"vec4({call}, 0.0)"}[TYPES[gives]]
        helpers = "\n".join(operation.helpers)
        drawn = draw(gpu, f"{helpers}\n{text}\nvoid main() {{ result = {packed}; }}")
        width = expected.shape[-1] if expected.ndim == 3 else 1
        assert np.abs(drawn[..., :width] - expected.reshape(SIZE, SIZE, width)).max() < ARITHMETIC, (key, shared, switch)


VARIANTS: tuple[dict[str, Value], ...] = (
    {},
    {"tint": (0.9, 0.4, 0.2), "brightness": 1.7, "tiling": 2.0, "offset across": 0.25, "rotation": 90.0, "normal strength": 1.6},
    {"roughness power": 2.2, "roughness low": 0.1, "roughness high": 0.7, "normal flip": True, "occlusion strength": 0.4},
    {"colour from map": False, "roughness from map": False, "metallic from map": False, "normal from map": False},
)


@pytest.mark.parametrize("target", ("lantern-room", "millrace-handheld", "orbit-desktop"))
@pytest.mark.parametrize("master", shipped_masters().values(), ids=lambda master: master.name)
def test_every_shipped_master_means_the_same_on_the_gpu(gpu: Page, master: Master, target: str) -> None:
    checked, document = check_master(master), shipped()[target]
    rng = np.random.default_rng(6)
    images, textures = {}, {}
    for output in document.outputs:
        names = tuple(channel.channel for channel in output.channels)
        if output.sample != "u8":
            continue
        data = rng.integers(40, 216, (SIZE, SIZE, len(names)), np.uint8)
        if any(channel.property == "normal" for channel in output.channels):
            # Gentle unit normals, so that a rebuilt blue and a stored one are the same.
            xy = rng.uniform(-0.5, 0.5, (SIZE, SIZE, 2))
            z = np.sqrt(1 - (xy**2).sum(-1, keepdims=True))
            data = np.floor((np.concatenate([xy, z], -1) + 1) / 2 * 255 + 0.5).astype(np.uint8)
        images[output.key] = Image(data, names)
        opaque = np.full((SIZE, SIZE), 255, np.uint8)
        at = [names.index("Y" if "Y" in names else name) if "Y" in names or name in names else None for name in "RGBA"]
        planes = [opaque if index is None else data[..., index] for index in at]
        textures[output.key] = {"srgb": output.storage.srgb, "data": np.stack(planes, -1).ravel().tolist()}
    bound = bind(master, document, {key: next(o for o in document.outputs if o.key == key).stored(True) for key in images})
    shader = shader_text(checked, bound)
    samplers = samplers_of(master, bound, images, document)
    sent = [{"name": entry.name, "width": SIZE, "height": SIZE, **textures[entry.output]} for entry in shader.samplers]
    for own in VARIANTS:
        meant = evaluate(checked, own, samplers, texel_centres(SIZE, SIZE))
        values = values_of(master, own)
        uniforms = {entry.name: list(v) if isinstance(v := values[entry.parameter], tuple) else v for entry in shader.uniforms}
        for key, kind in SURFACE_KINDS.items():
            value = f"surface.{key}" if kind != "number" else f"vec3(surface.{key})"
            body = f"{shader.glsl}\nvoid main() {{ Surface surface = evaluate(uv); result = vec4({value}, 1.0); }}"
            drawn = draw(gpu, body, uniforms, sent)
            expected = meant[key] if kind != "number" else meant[key][..., None]
            assert np.abs(drawn[..., : expected.shape[-1]] - expected).max() < EIGHT_BITS, (key, own)
