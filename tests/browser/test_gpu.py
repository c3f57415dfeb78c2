"""NumPy against the GPU: every operation of the table and every shipped master, drawn by headless Chromium into floats."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import product
from typing import Any

import numpy as np
import pytest
from playwright.sync_api import Browser, Page

from texelcore.materials.dressing.binding import bind, one_set
from texelcore.materials.dressing.evaluate import evaluate, texel_centres
from texelcore.materials.dressing.stage import STAGE_TARGET
from texelcore.materials.dressing.textures import samplers_of
from texelcore.materials.operations import OPERATIONS, Operation
from texelcore.materials.operations.declared import UNIT, unit
from texelcore.materials.operations.texturing import READS
from texelcore.materials.shader import TYPES, Shader, function_text, shader_text
from texelcore.materials.sheets.document import WIDTHS, Master, Value, ValueKind, constants_of, values_of
from texelcore.materials.sheets.kinds import GIVEN_KINDS
from texelcore.materials.sheets.masters import shipped_masters
from texelcore.materials.sheets.typing import check_master
from texelcore.pixels.image import Image
from texelcore.targets.library import shipped

SIZE = 16
ARITHMETIC = 1e-3
EIGHT_BITS = 1 / 255
DRAW = """({ fragment, uniforms, textures, size, targets = 1 }) => {
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
  gl.activeTexture(gl.TEXTURE15);
  gl.bindFramebuffer(gl.FRAMEBUFFER, gl.createFramebuffer());
  const places = Array.from({ length: targets }, (_, at) => gl.COLOR_ATTACHMENT0 + at);
  for (const place of places) {
    const target = gl.createTexture();
    gl.bindTexture(gl.TEXTURE_2D, target);
    gl.texStorage2D(gl.TEXTURE_2D, 1, gl.RGBA32F, size, size);
    gl.framebufferTexture2D(gl.FRAMEBUFFER, place, gl.TEXTURE_2D, target, 0);
  }
  gl.drawBuffers(places);
  gl.viewport(0, 0, size, size);
  gl.drawArrays(gl.TRIANGLES, 0, 3);
  const pixels = places.flatMap((place) => {
    const read = new Float32Array(size * size * 4);
    gl.readBuffer(place);
    gl.readPixels(0, 0, size, size, gl.RGBA, gl.FLOAT, read);
    return Array.from(read);
  });
  gl.getExtension('WEBGL_lose_context').loseContext();
  return pixels;
}"""
HEAD = "#version 300 es\nprecision highp float;\nprecision highp sampler2D;\nin vec2 uv;\n"
# As many as WebGL 2 is sure to draw into at once.
MOST_TARGETS = 4


@pytest.fixture(scope="module")
def gpu(browser: Browser) -> Iterator[Page]:
    page = browser.new_page()
    yield page
    page.close()


def draw(
    gpu: Page, body: str, uniforms: dict[str, Any] | None = None, textures: list[dict[str, Any]] | None = None
) -> np.ndarray:
    """Run a fragment on every texel; gives (SIZE, SIZE, 4) floats, row 0 at uv.y = 0."""
    asked = {"fragment": f"{HEAD}out vec4 result;\n{body}", "uniforms": uniforms or {}, "textures": textures or [], "size": SIZE}
    return np.array(gpu.evaluate(DRAW, asked), np.float32).reshape(SIZE, SIZE, 4)


def draw_several(
    gpu: Page, body: str, results: list[str], uniforms: dict[str, Any], textures: list[dict[str, Any]]
) -> Iterator[np.ndarray]:
    """As `draw`, for several results of one body, which is compiled once for as many as are drawn at a time."""
    for begin in range(0, len(results), MOST_TARGETS):
        some = results[begin : begin + MOST_TARGETS]
        outs = "".join(f"layout(location = {at}) out vec4 result{at};\n" for at in range(len(some)))
        ends = " ".join(f"result{at} = {result};" for at, result in enumerate(some))
        fragment = f"{HEAD}{outs}{body.replace('RESULTS', ends)}"
        asked = {"fragment": fragment, "uniforms": uniforms, "textures": textures, "size": SIZE, "targets": len(some)}
        yield from np.array(gpu.evaluate(DRAW, asked), np.float32).reshape(-1, SIZE, SIZE, 4)


# What each kind of slot is given: the same expression of uv in GLSL and in NumPy.
def glsl_input(kind: ValueKind, at: int) -> str:
    wave = f"(uv.x * {1.5 - 0.2 * at:.2f} + uv.y * {0.3 + 0.25 * at:.2f} + {0.02 + 0.1 * at:.2f})"
    direction = f"normalize(vec3(uv.x - 0.5, uv.y - {0.3 + 0.1 * at:.1f}, 0.7))"
    several = {"two": f"({wave} * vec2(1.0, 0.7))", "four": f"({wave} * vec4(1.0, 0.7, 0.4, 0.2))"}
    three = f"({wave} * vec3(1.0, 0.7, 0.4))"
    kinds = {"number": wave, "colour": three, "three": three, "direction": direction, "place": "uv", "choice": "1.0"} | several
    return kinds[kind]


def numpy_input(kind: ValueKind, at: int) -> np.ndarray:
    uv = texel_centres(SIZE, SIZE)
    x, y = uv[..., 0], uv[..., 1]
    wave = (x * (1.5 - 0.2 * at) + y * (0.3 + 0.25 * at) + 0.02 + 0.1 * at).astype(np.float32)
    direction = np.stack([x - 0.5, y - (0.3 + 0.1 * at), np.full_like(x, 0.7)], -1)
    direction /= np.linalg.norm(direction, axis=-1, keepdims=True)
    several = {
        key: wave[..., None] * np.float32([1.0, 0.7, 0.4, 0.2][:count]) for key, count in (("two", 2), ("three", 3), ("four", 4))
    }
    single = {"number": wave, "direction": direction, "place": uv, "choice": np.ones_like(wave)}
    return (several | single | {"colour": several["three"]})[kind]


def combinations(operation: Operation) -> Iterator[tuple[ValueKind, bool]]:
    """The types that "same" and "any" slots may share, and both positions of switches."""
    kinds = {slot.kind for slot in operation.slots}
    shared: tuple[ValueKind, ...] = ("number",)
    if "same" in kinds:
        shared = ("number", "colour", "two", "four")
    elif "any" in kinds:
        shared = ("number", "colour", "direction")
    elif "vector" in kinds:
        least = max(slot.least for slot in operation.slots)
        shared = tuple(kind for kind in ("place", "direction", "four") if WIDTHS[kind] >= least)  # type: ignore[assignment]
    yield from product(shared, (True, False) if "switch" in kinds else (True,))


@pytest.mark.parametrize("key", [key for key in OPERATIONS if key not in READS])
def test_every_operation_means_the_same_on_the_gpu(gpu: Page, key: str) -> None:
    operation = OPERATIONS[key]
    for shared, switch in combinations(operation):
        said, given = [], []
        for at, slot in enumerate(operation.slots):
            kind: ValueKind = shared if slot.kind in ("same", "any", "vector") else slot.kind  # type: ignore[assignment]
            if kind == "switch":
                said.append("true" if switch else "false")
                given.append(switch)
                continue
            said.append(glsl_input(kind, at))
            value = numpy_input(kind, at)
            shares = any(other.kind in ("same", "any") for other in operation.slots)
            wide = shares and shared in WIDTHS and kind in ("number", "choice")
            given.append(value[..., None] if wide else value)
        expected = np.asarray(operation.numpy(*given))
        gives: ValueKind = shared if operation.gives in ("same", "any") else operation.gives  # type: ignore[assignment]
        text = function_text(operation, shared, gives)
        call = f"op_{key}({', '.join(said)})"
        ends = {"float": "vec4({})", "vec2": "vec4({}, 0.0, 0.0)", "vec3": "vec4({}, 0.0)", "vec4": "{}"}
        packed = ends[TYPES[gives]].format(call)
        helpers = "\n".join(operation.helpers)
        drawn = draw(gpu, f"{UNIT}\n{helpers}\n{text}\nvoid main() {{ result = {packed}; }}")
        width = expected.shape[-1] if expected.ndim == 3 else 1
        assert np.abs(drawn[..., :width] - expected.reshape(SIZE, SIZE, width)).max() < ARITHMETIC, (key, shared, switch)


def test_what_has_no_length_is_straight_up_on_the_gpu_as_in_numpy(gpu: Page) -> None:
    text = function_text(OPERATIONS["mix_normals"], "direction", "direction")
    call = "op_mix_normals(vec3(1.0, 0.0, 0.0), vec3(-1.0, 0.0, 0.0), 0.5)"
    drawn = draw(gpu, f"{UNIT}\n{text}\nvoid main() {{ result = vec4({call}, 0.0); }}")[0, 0, :3]
    assert drawn.tolist() == [0, 0, 1] and unit(np.zeros(3, np.float32)).tolist() == [0, 0, 1]


@pytest.mark.parametrize("key", READS)
def test_every_way_of_reading_a_texture_means_the_same_on_the_gpu(gpu: Page, key: str) -> None:
    rng = np.random.default_rng(11)
    for at, prop in enumerate(("roughness",) if key == "bend_by_height" else ("roughness", "base_colour", "normal")):
        given: ValueKind = ("number", "colour", "direction")[at]  # type: ignore[assignment]
        kind = "direction" if key == "bend_by_height" else given
        target = {"number": "roughness", "colour": "base_colour", "direction": "normal"}[kind]
        inputs = {"texture": "map", **({"apart": 0.05} if key == "bend_by_height" else {})}
        master = Master.model_validate(
            {
                "name": "reading",
                "title": "Reading",
                "summary": "",
                "version": 1,
                "textures": [{"name": "map", "property": prop}],
                "strands": [{"name": "read", "group": "", "operation": key, "inputs": inputs}],
                "surface": {target: "read"},
            }
        )
        data = rng.integers(96, 160, (SIZE, SIZE, 3), np.uint8)
        data[..., 2] = 220
        bound = bind(
            master, STAGE_TARGET, one_set(master, {key: STAGE_TARGET.storages[key] for key in ("colour", "normal", "data")})
        )
        images = {"surface": {name: Image(data, tuple("RGB")) for name in ("colour", "normal", "data")}}
        shader = shader_text(check_master(master), bound)
        uv = texel_centres(SIZE, SIZE)
        mesh = {
            "object position": np.concatenate([uv, uv[..., :1] * 0.5], -1).astype(np.float32),
            "world normal": numpy_input("direction", 1).astype(np.float32),
        }
        set_mesh = f"m_object_position = vec3(uv, uv.x * 0.5); m_world_normal = {glsl_input('direction', 1)};"
        meant = evaluate(check_master(master), {}, samplers_of(master, bound, images, STAGE_TARGET), uv, mesh)[target]
        opaque = np.concatenate([data, np.full((SIZE, SIZE, 1), 255, np.uint8)], -1).ravel().tolist()
        sent = [
            {"name": sampler.name, "width": SIZE, "height": SIZE, "srgb": sampler.output == "colour", "data": opaque}
            for sampler in shader.samplers
        ]
        value = f"vec4(vec3(evaluate(uv).{target}), 1.0)"
        body = f"{shader.glsl}\nvoid main() {{ {set_mesh if shader.mesh else ''} result = {value}; }}"
        drawn = draw(gpu, body, {}, sent)
        expected = meant if meant.ndim == 3 else meant[..., None]
        # A texel that lies on the border of a cell may be read from either side: nearly none does.
        away = np.abs(drawn[..., : expected.shape[-1]] - expected).max(-1)
        assert np.quantile(away, 0.98) < EIGHT_BITS * (8 if key == "bend_by_height" else 2), (key, prop)


VARIANTS: tuple[dict[str, Value], ...] = (
    {},
    {"tint": (0.9, 0.4, 0.2), "brightness": 1.7, "tiling": 2.0, "offset across": 0.25, "rotation": 90.0, "normal strength": 1.6},
    {"roughness power": 2.2, "roughness low": 0.1, "roughness high": 0.7, "normal flip": True, "occlusion strength": 0.4},
    {"colour from map": False, "roughness from map": False, "metallic from map": False, "normal from map": False},
)


GAMES = ("lantern-room", "millrace-handheld", "orbit-desktop")
# Each master for one of the targets, and all for all of them when there is time.
PAIRS = [
    pytest.param(master, target, marks=[] if at % 3 == turn else pytest.mark.soak, id=f"{master.name}-{target}")
    for at, master in enumerate(shipped_masters().values())
    for turn, target in enumerate(GAMES)
]


@pytest.mark.parametrize(("master", "target"), PAIRS)
def test_every_shipped_master_means_the_same_on_the_gpu(gpu: Page, master: Master, target: str) -> None:
    checked, document = check_master(master), shipped()[target]
    rng = np.random.default_rng(6)
    images, textures = {}, {}
    for output in document.outputs:
        names = tuple(channel.channel for channel in output.channels)
        if output.sample != "u8":
            continue
        # A GPU places a texel's share in 256 steps: the gentler the texture, the less that is seen of it.
        data = rng.integers(100, 156, (SIZE, SIZE, len(names)), np.uint8)
        if any(channel.property == "normal" for channel in output.channels):
            # Gentle unit normals, so that a rebuilt blue and a stored one are the same.
            xy = rng.uniform(-0.2, 0.2, (SIZE, SIZE, 2))
            z = np.sqrt(1 - (xy**2).sum(-1, keepdims=True))
            data = np.floor((np.concatenate([xy, z], -1) + 1) / 2 * 255 + 0.5).astype(np.uint8)
        images[output.key] = Image(data, names)
        opaque = np.full((SIZE, SIZE), 255, np.uint8)
        at = [names.index("Y" if "Y" in names else name) if "Y" in names or name in names else None for name in "RGBA"]
        planes = [opaque if index is None else data[..., index] for index in at]
        textures[output.key] = {"srgb": output.storage.srgb, "data": np.stack(planes, -1).ravel().tolist()}
    storages = {key: next(o for o in document.outputs if o.key == key).stored(True) for key in images}
    bound = bind(master, document, one_set(master, storages))
    shader = shader_text(checked, bound)
    samplers = samplers_of(master, bound, dict.fromkeys(master.holders, images), document)
    sent = [{"name": sampler.name, "width": SIZE, "height": SIZE, **textures[sampler.output]} for sampler in shader.samplers]
    uv = texel_centres(SIZE, SIZE)
    mesh = {
        "vertex colour": np.stack([uv[..., 0], uv[..., 1], uv[..., 0] * uv[..., 1]], -1),
        "world position": np.stack([uv[..., 0], uv[..., 1] * 8, uv[..., 0]], -1),
        "world normal": numpy_input("direction", 1).astype(np.float32),
        "view direction": numpy_input("direction", 0).astype(np.float32),
        "time": np.full(uv.shape[:-1], 0.3, np.float32),
    }
    said = {
        "vertex colour": "vec3(uv, uv.x * uv.y)",
        "world position": "vec3(uv.x, uv.y * 8.0, uv.x)",
        "world normal": glsl_input("direction", 1),
        "view direction": glsl_input("direction", 0),
        "time": "0.3",
    }
    given = " ".join(f"m_{name.replace(' ', '_')} = {said[name]};" for name in shader.mesh if name in said)
    for own in variants_of(master):
        meant = evaluate(checked, own, samplers, uv, mesh)
        shader = shader_text(checked, bound, own)
        uniforms = uniforms_of(shader, values_of(master, own))
        body = f"{shader.glsl}\nvoid main() {{ {given} Surface surface = evaluate(uv); RESULTS }}"
        results = [f"vec4({'vec3' if GIVEN_KINDS[key] == 'number' else ''}(surface.{key}), 1.0)" for key in master.surface]
        pictures = draw_several(gpu, body, results, uniforms, sent)
        for (key, name), drawn in zip(master.surface.items(), pictures, strict=True):
            kind = GIVEN_KINDS[key]
            expected = meant[key] if kind != "number" else meant[key][..., None]
            away = np.abs(drawn[..., : expected.shape[-1]] - expected).max(-1)
            # Hexagons have borders, on which a texel may be read from either side.
            most = EIGHT_BITS * max(1, np.abs(expected).max())
            assert np.quantile(away, 0.98 if master.name == "large-ground" else 1) < most, (key, name, own)


def variants_of(master: Master) -> list[dict[str, Value]]:
    """A master's own values, and those drawn by lot from what its sliders show."""
    if master.name == "solid-surface":
        return list(VARIANTS)
    rng = np.random.default_rng(len(master.strands))
    drawn: dict[str, Value] = {}
    for parameter in master.parameters:
        if parameter.kind == "number":
            drawn[parameter.name] = float(np.float32(rng.uniform(parameter.soft_low, parameter.soft_high)))
        elif parameter.kind == "colour":
            drawn[parameter.name] = tuple(float(part) for part in rng.uniform(0, 1, 3).astype(np.float32))
        elif parameter.kind == "switch":
            drawn[parameter.name] = not parameter.default
    constants: dict[str, Value] = {entry.name: entry.default for entry in constants_of(master)[::2]}
    return [{}, drawn, constants]


def uniforms_of(shader: Shader, values: dict[str, Value]) -> dict[str, Any]:
    """What each uniform of a shader is set to, as a page does it."""
    found: dict[str, Any] = {}
    for entry in shader.uniforms:
        value = entry.parameter in values if entry.kind == "given" else values.get(entry.parameter, entry.otherwise)
        found[entry.name] = list(value) if isinstance(value, tuple) else value
    return found
