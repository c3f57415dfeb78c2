"""A master as GLSL ES 3.00 text: functions that a page puts between its own inputs and lights."""

from __future__ import annotations

from typing import Literal

from texelcore.materials.binding import Bindings, Bound
from texelcore.materials.document import UV, Master, ValueKind
from texelcore.materials.evaluate import neutral
from texelcore.materials.operations import Operation, Slot
from texelcore.materials.typing import SURFACE_KINDS, CheckedMaster, CheckedStrand, texture_kind
from texelcore.surface.documents import Document

TYPES: dict[ValueKind, str] = {"number": "float", "colour": "vec3", "direction": "vec3", "place": "vec2", "switch": "bool"}
# Words of GLSL ES 3.00 that slots are called by: keywords and built-in functions.
RESERVED = ("switch", "degrees")


class Uniform(Document):
    """A uniform of the shader and the parameter whose value it takes."""

    name: str
    parameter: str
    kind: Literal["number", "colour", "switch"]


class SamplerUse(Document):
    """A sampler of the shader and the output whose texture it takes."""

    name: str
    output: str


class HeightUse(Document):
    """GLSL with `float read_height(vec2 place, float level)` and the sampler that it reads, which is to be declared before it.

    It takes its level, so that it may be read where points are moved and in loops.
    """

    glsl: str
    sampler: SamplerUse


class Shader(Document):
    """GLSL with `Surface evaluate(vec2 uv)`, its uniforms and samplers.

    Maps that hold no colour are read by DATA_AT(sampler, place), which whoever shows wrong readings may define beforehand.
    """

    glsl: str
    uniforms: tuple[Uniform, ...]
    samplers: tuple[SamplerUse, ...]


def shader_text(checked: CheckedMaster, bindings: Bindings) -> Shader:
    """The shader of a master with its textures bound as `bindings` says; inputs without one read as their default.

    Gives the same text for the same documents. A sampler's texture is expected with its first row at the top, v = 0.
    """
    master = checked.master
    outputs = list(dict.fromkeys(bound.output for bound in bindings.values() if bound))
    samplers = tuple(SamplerUse(name=f"t_{_word(output)}", output=output) for output in outputs)
    uniforms = tuple(Uniform(name=f"p_{_word(entry.name)}", parameter=entry.name, kind=entry.kind) for entry in master.parameters)
    lines = ["#ifndef DATA_AT", "#define DATA_AT(source, place) texture(source, place)", "#endif", "struct Surface {"]
    lines += [f"  {TYPES[kind]} {key};" for key, kind in SURFACE_KINDS.items()]
    lines += ["};"]
    lines += [f"uniform {TYPES[entry.kind]} {entry.name};" for entry in uniforms]
    lines += [f"uniform sampler2D {entry.name};" for entry in samplers]
    lines += [_reader(entry.name, entry.property, bindings.get(entry.name)) for entry in master.textures]
    lines += _functions(checked)
    lines += ["Surface evaluate(vec2 uv) {"]
    lines += [f"  {TYPES[step.gives]} s_{_word(step.strand.name)} = {_call(step, checked)};" for step in checked.steps]
    lines += ["  Surface surface;"]
    for key, kind in SURFACE_KINDS.items():
        lines.append(f"  surface.{key} = {_given(checked, key, kind)};")
    lines += ["  return surface;", "}"]
    return Shader(glsl="\n".join(lines) + "\n", uniforms=uniforms, samplers=samplers)


def height_text(bound: Bound) -> HeightUse:
    """How a shader reads a height, 0–1, from where a target keeps it."""
    sampler = SamplerUse(name=f"t_{_word(bound.output)}", output=bound.output)
    read = f"textureLod({sampler.name}, place, level).{bound.channels[0].lower()}"
    glsl = f"float read_height(vec2 place, float level) {{ return {'1.0 - ' if bound.inverted else ''}{read}; }}"
    return HeightUse(glsl=glsl, sampler=sampler)


def _reader(name: str, key: str, bound: Bound | None) -> str:
    """The function that reads a texture input as canonical values, whatever the target did to them."""
    kind = texture_kind(key)
    head = f"{TYPES[kind]} read_{_word(name)}(vec2 place) {{"
    if bound is None:
        value = neutral(key)
        said = _number(value) if isinstance(value, float) else f"vec3({', '.join(_number(part) for part in value)})"
        return f"{head} return {said}; }}"
    fetch = f"{'texture' if kind == 'colour' else 'DATA_AT'}(t_{_word(bound.output)}, place)"
    swizzle = bound.channels.lower()
    if kind == "direction":
        up = "-n.y" if bound.down else "n.y"
        if len(swizzle) == 2:
            body = f"vec2 n = {fetch}.{swizzle} * 2.0 - 1.0; vec2 m = vec2(n.x, {up});"
            return f"{head} {body} return vec3(m, sqrt(max(1.0 - dot(m, m), 0.0))); }}"
        body = f"vec3 n = {fetch}.{swizzle} * 2.0 - 1.0;"
        return f"{head} {body} return normalize(vec3(n.x, {up}, n.z)); }}"
    if kind == "number":
        read = f"{fetch}.{swizzle[0]}"
    else:
        read = f"{fetch}.{swizzle}" if len(swizzle) == 3 else f"{fetch}.{swizzle[0] * 3}"
    return f"{head} return {'1.0 - ' if bound.inverted else ''}{read}; }}"


def _functions(checked: CheckedMaster) -> list[str]:
    """The functions of the operations that the steps use, after what they call, once for each type that they are used with: GLSL
    keeps them apart by their types."""
    steps = [step for step in checked.steps if step.operation.key != "read"]
    helpers = dict.fromkeys(helper for step in steps for helper in step.operation.helpers)
    texts = dict.fromkeys(function_text(step.operation, step.shared, step.gives) for step in steps)
    return [*helpers, *texts]


def function_text(operation: Operation, shared: ValueKind, gives: ValueKind) -> str:
    """An operation as a GLSL function, for the kind that its "same" or "any" slots share and the kind that it gives then."""
    taken = ", ".join(f"{TYPES[_kind_of(slot, shared)]} {_parameter(slot)}" for slot in operation.slots)
    return f"{TYPES[gives]} op_{operation.key}({taken}) {{\n  {operation.glsl}\n}}"


def _kind_of(slot: Slot, shared: ValueKind) -> ValueKind:
    if slot.kind == "texture":
        raise ValueError(f"{slot.name}: a texture is read, and never passed")
    return shared if slot.kind == "same" or slot.kind == "any" else slot.kind


def _parameter(slot: Slot) -> str:
    return f"{slot.name}_" if slot.name in RESERVED else slot.name


def _call(step: CheckedStrand, checked: CheckedMaster) -> str:
    if step.operation.key == "read":
        return f"read_{_word(str(step.strand.inputs['texture']))}({_argument(step, 'place', None, checked)})"
    arguments = [_argument(step, slot.name, _kind_of(slot, step.shared), checked) for slot in step.operation.slots]
    return f"op_{step.operation.key}({', '.join(arguments)})"


def _argument(step: CheckedStrand, slot: str, wanted: str | None, checked: CheckedMaster) -> str:
    default = next(entry.default for entry in step.operation.slots if entry.name == slot)
    value = step.strand.inputs.get(slot, default)
    if isinstance(value, bool):
        return "true" if value else "false"
    said, kind = (
        (_variable(value, checked.master), checked.kinds[value]) if isinstance(value, str) else (_number(value or 0.0), "number")
    )
    return f"vec3({said})" if kind == "number" and wanted == "colour" else said


def _given(checked: CheckedMaster, key: str, kind: ValueKind) -> str:
    name = checked.master.surface.get(key)
    if name is None:
        value = neutral(key)
        return _number(value) if isinstance(value, float) else f"vec3({', '.join(_number(part) for part in value)})"
    said = _variable(name, checked.master)
    return f"vec3({said})" if kind == "colour" and checked.kinds[name] == "number" else said


def _variable(name: str, master: Master) -> str:
    if name == UV:
        return "uv"
    return f"p_{_word(name)}" if master.parameter(name) else f"s_{_word(name)}"


def _word(name: str) -> str:
    """A name as part of an identifier; names are lower-case words, so that no two of one kind become alike."""
    return name.replace(" ", "_")


def _number(value: float) -> str:
    return repr(float(value))
