"""A master as GLSL ES 3.00 text: functions that a page puts between its own inputs and lights."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

from texelcore.materials.dressing.binding import Bindings, Bound
from texelcore.materials.dressing.evaluate import neutral, stand_in
from texelcore.materials.operations import Operation, Slot
from texelcore.materials.operations.declared import UNIT
from texelcore.materials.sheets.document import (
    MESH_INPUTS,
    UV,
    WIDTHS,
    Master,
    Parameter,
    TextureInput,
    Value,
    ValueKind,
    choice_index,
    constant_of,
    values_of,
)
from texelcore.materials.sheets.kinds import EXTENDED_KINDS, RELIEF_KINDS, SURFACE_KINDS, texture_kind
from texelcore.materials.sheets.strands import CheckedStrand
from texelcore.materials.sheets.typing import CheckedMaster
from texelcore.surface.documents import Document

TYPES: dict[ValueKind, str] = {
    "number": "float",
    "two": "vec2",
    "three": "vec3",
    "four": "vec4",
    "colour": "vec3",
    "direction": "vec3",
    "place": "vec2",
    "switch": "bool",
    "choice": "float",
}
# Words of GLSL ES 3.00 that slots are called by: keywords and built-in functions.
RESERVED = ("switch", "degrees")


class Uniform(Document):
    """A uniform of the shader and the parameter whose value it takes: its index for a choice among `choices`. “given” says
    whether a variant sets it at all; `otherwise` is the value of one that it does not set."""

    name: str
    parameter: str
    kind: Literal["number", "two", "three", "four", "colour", "switch", "choice", "given"]
    otherwise: Value | None = None
    choices: tuple[str, ...] = ()


class SamplerUse(Document):
    """A sampler of the shader and the output whose texture it takes, of the set that a layer or a free texture takes."""

    name: str
    output: str
    holder: str = ""


class HeightUse(Document):
    """GLSL with `float read_height(vec2 place, float level)` and the sampler that it reads, which is to be declared before it.

    It takes its level, so that it may be read where points are moved and in loops.
    """

    glsl: str
    sampler: SamplerUse


class Shader(Document):
    """GLSL with `Surface evaluate(vec2 uv)`, its uniforms and samplers.

    Maps that hold no colour are read by DATA_AT(sampler, place), which whoever shows wrong readings may define beforehand.
    `mesh` names the mesh inputs that it uses: each is a global variable, `m_` and the name with “_” for spaces, that is to be
    set before. `extended` are the properties of glTF's extensions that it gives, and Surface has then. Of a shader with rows,
    `rows` are the strands whose values `surface.row` holds: that of the index in the uniform `shown_row`."""

    glsl: str
    uniforms: tuple[Uniform, ...]
    samplers: tuple[SamplerUse, ...]
    mesh: tuple[str, ...] = ()
    extended: tuple[str, ...] = ()
    rows: tuple[str, ...] = ()


def shader_text(checked: CheckedMaster, bindings: Bindings, own: Mapping[str, Value] | None = None, rows: bool = False) -> Shader:
    """The shader of a master with its textures bound as `bindings` says; inputs without one read as their constant or default.
    Structural switches and choices are as the values of `own` have them. With `rows` it can show what each strand holds.

    Gives the same text for the same documents. A sampler's texture is expected with its first row at the top, v = 0.
    """
    master = checked.master
    used = list(dict.fromkeys((bound.holder, bound.output) for bound in bindings.values() if bound))
    samplers = tuple(SamplerUse(name=_sampler(holder, output), output=output, holder=holder) for holder, output in used)
    fixed = [parameter for parameter in master.parameters if parameter.structural]
    uniforms = (
        *(_uniform(parameter) for parameter in master.parameters if not parameter.structural),
        *_constant_uniforms(master),
    )
    mesh = checked.mesh_inputs()
    extended = tuple(key for key in EXTENDED_KINDS if key in master.surface)
    given = SURFACE_KINDS | {key: kind for key, kind in (EXTENDED_KINDS | RELIEF_KINDS).items() if key in master.surface}
    shown = tuple(step.strand.name for step in checked.steps) if rows else ()
    values = values_of(master, own or {})
    lines = ["#ifndef DATA_AT", "#define DATA_AT(source, place) texture(source, place)", "#endif", "struct Surface {"]
    lines += [f"  {TYPES[kind]} {key};" for key, kind in given.items()]
    lines += ["  vec3 row;"] if rows else []
    lines += ["};"]
    lines += [f"uniform {_uniform_type(entry)} {entry.name};" for entry in uniforms]
    lines += ["uniform int shown_row;"] if rows else []
    lines += [
        f"const {TYPES[parameter.kind]} p_{_word(parameter.name)} = {_fixed(parameter, values[parameter.name])};"
        for parameter in fixed
    ]
    lines += [f"{TYPES[MESH_INPUTS[name].kind]} m_{_word(name)} = {_absent(name)};" for name in mesh]
    lines += [f"uniform sampler2D {sampler.name};" for sampler in samplers]
    lines += [UNIT]
    lines += [_reader(texture, bindings.get(texture.name)) for texture in master.textures]
    lines += _functions(checked)
    lines += ["Surface evaluate(vec2 uv) {"]
    lines += [f"  {TYPES[step.gives]} s_{_word(step.strand.name)} = {_call(step, checked)};" for step in checked.steps]
    lines += ["  Surface surface;"]
    for key, kind in given.items():
        lines.append(f"  surface.{key} = {_given(checked, key, kind)};")
    if rows:
        lines.append("  surface.row = vec3(0.0);")
        lines += [f"  if (shown_row == {at}) surface.row = {_seen(name, checked.kinds[name])};" for at, name in enumerate(shown)]
    lines += ["  return surface;", "}"]
    return Shader(glsl="\n".join(lines) + "\n", uniforms=uniforms, samplers=samplers, mesh=mesh, extended=extended, rows=shown)


def height_text(bound: Bound) -> HeightUse:
    """How a shader reads a height, 0–1, from where a target keeps it."""
    sampler = SamplerUse(name=_sampler(bound.holder, bound.output), output=bound.output, holder=bound.holder)
    read = f"textureLod({sampler.name}, place, level).{bound.channels[0].lower()}"
    glsl = f"float read_height(vec2 place, float level) {{ return {'1.0 - ' if bound.inverted else ''}{read}; }}"
    return HeightUse(glsl=glsl, sampler=sampler)


def _sampler(holder: str, output: str) -> str:
    # A capital stands in no name, so that no two of them run together alike.
    return f"t_{_word(holder)}_O_{output}" if holder else f"t_{output}"


def _uniform(parameter: Parameter) -> Uniform:
    return Uniform(name=f"p_{_word(parameter.name)}", parameter=parameter.name, kind=parameter.kind, choices=parameter.choices)


def _constant_uniforms(master: Master) -> list[Uniform]:
    """Of each map that a constant may replace: the constant, and whether it does."""
    found = []
    for texture in master.textures:
        if constant := constant_of(texture):
            word = _word(texture.name)
            kind: Literal["colour", "number"] = "colour" if constant.kind == "colour" else "number"
            found.append(Uniform(name=f"c_{word}", parameter=texture.name, kind=kind, otherwise=texture.constant))
            found.append(Uniform(name=f"u_{word}", parameter=texture.name, kind="given"))
    return found


def _uniform_type(uniform: Uniform) -> str:
    return "bool" if uniform.kind == "given" else TYPES[uniform.kind]


def _fixed(parameter: Parameter, value: Value) -> str:
    if isinstance(value, bool):
        return "true" if value else "false"
    return _number(choice_index(parameter, value))


def _absent(name: str) -> str:
    return _constant(MESH_INPUTS[name].absent)


def _seen(name: str, kind: ValueKind) -> str:
    """A value as three numbers, for a page that shows it."""
    said = f"s_{_word(name)}"
    if kind in ("number", "choice"):
        return f"vec3({said})"
    if kind == "switch":
        return f"vec3({said} ? 1.0 : 0.0)"
    if WIDTHS[kind] == 2:
        return f"vec3({said}, 0.0)"
    return f"{said}.xyz" if kind == "four" else said


def _constant(value: float | tuple[float, ...]) -> str:
    return _number(value) if isinstance(value, float | int) else f"vec{len(value)}({', '.join(_number(part) for part in value)})"


def _reader(texture: TextureInput, bound: Bound | None) -> str:
    """The function that reads a texture input as canonical values, whatever the target did to them."""
    kind = texture_kind(texture.property)
    word = _word(texture.name)
    head = f"{TYPES[kind]} read_{word}(vec2 place) {{"
    if bound is None:
        return f"{head} return {_constant(stand_in(texture)) if texture.constant is None else f'c_{word}'}; }}"
    if texture.constant is not None:
        head += f" if (u_{word}) return c_{word};"
    fetch = f"{'texture' if kind == 'colour' else 'DATA_AT'}({_sampler(bound.holder, bound.output)}, place)"
    swizzle = bound.channels.lower()
    if kind == "direction":
        up = "-n.y" if bound.down else "n.y"
        if len(swizzle) == 2:
            body = f"vec2 n = {fetch}.{swizzle} * 2.0 - 1.0; vec2 m = vec2(n.x, {up});"
            return f"{head} {body} return vec3(m, sqrt(max(1.0 - dot(m, m), 0.0))); }}"
        body = f"vec3 n = {fetch}.{swizzle} * 2.0 - 1.0;"
        return f"{head} {body} return unit(vec3(n.x, {up}, n.z)); }}"
    if kind == "number":
        read = f"{fetch}.{swizzle[0]}"
    else:
        read = f"{fetch}.{swizzle}" if len(swizzle) == 3 else f"{fetch}.{swizzle[0] * 3}"
    return f"{head} return {'1.0 - ' if bound.inverted else ''}{read}; }}"


def _functions(checked: CheckedMaster) -> list[str]:
    """The functions of the operations that the steps use, after what they call, once for each type that they are used with:
    GLSL keeps them apart by their types."""
    steps = [step for step in checked.steps if step.operation.key != "read"]
    helpers = dict.fromkeys(helper for step in steps for helper in step.operation.helpers)
    texts = dict.fromkeys(
        reading_text(step.operation, texture, checked.kinds[texture])
        if (texture := _texture_of(step))
        else function_text(step.operation, step.shared, step.gives)
        for step in steps
    )
    return [*helpers, *_apart(texts)]


def _apart(texts: Mapping[str, None]) -> list[str]:
    """Functions without those that GLSL could not tell apart: three numbers, a colour and a direction are one type there."""
    found: dict[str, str] = {}
    for text in texts:
        head = text.partition(" {\n")[0].partition(" ")[2]
        found.setdefault(head, text)
    return list(found.values())


def function_text(operation: Operation, shared: ValueKind, gives: ValueKind) -> str:
    """An operation as a GLSL function, for the kind that its "same" or "any" slots share and the kind that it gives then."""
    taken = ", ".join(f"{TYPES[_kind_of(slot, shared)]} {_parameter(slot)}" for slot in operation.slots)
    return f"{TYPES[gives]} op_{operation.key}({taken}) {{\n  {operation.glsl}\n}}"


def reading_text(operation: Operation, texture: str, kind: ValueKind) -> str:
    """An operation that reads a texture as a GLSL function for that texture, of a kind."""
    gives = kind if operation.gives == "texture" else operation.gives
    word = _word(texture)
    taken = ", ".join(f"{TYPES[slot.kind]} {_parameter(slot)}" for slot in operation.slots if slot.kind != "texture")  # type: ignore[index]
    body = operation.glsl.replace("READ(", f"read_{word}(").replace("VALUE", TYPES[kind])
    body = body.replace("DONE(", "unit(" if kind == "direction" else "(")
    return f"{TYPES[gives]} op_{operation.key}_{word}({taken}) {{\n  {body}\n}}"  # type: ignore[index]


def _texture_of(step: CheckedStrand) -> str:
    """The texture that a step reads; "" of one that reads none."""
    slot = next((slot for slot in step.operation.slots if slot.kind == "texture"), None)
    return str(step.strand.inputs[slot.name]) if slot else ""


def _kind_of(slot: Slot, shared: ValueKind) -> ValueKind:
    if slot.kind == "texture":
        raise ValueError(f"{slot.name}: a texture is read, and never passed")
    return shared if slot.kind == "same" or slot.kind == "any" or slot.kind == "vector" else slot.kind


def _parameter(slot: Slot) -> str:
    return f"{slot.name}_" if slot.name in RESERVED else slot.name


def _call(step: CheckedStrand, checked: CheckedMaster) -> str:
    texture = _texture_of(step)
    slots = [slot for slot in step.operation.slots if slot.kind != "texture"]
    said = ", ".join(_argument(step, slot.name, _kind_of(slot, step.shared), checked) for slot in slots)
    if step.operation.key == "read":
        return f"read_{_word(texture)}({said})"
    return f"op_{step.operation.key}{f'_{_word(texture)}' if texture else ''}({said})"


def _argument(step: CheckedStrand, slot: str, wanted: ValueKind | None, checked: CheckedMaster) -> str:
    default = next(entry.default for entry in step.operation.slots if entry.name == slot)
    value = step.strand.inputs.get(slot, default)
    if isinstance(value, bool):
        return "true" if value else "false"
    said, kind = (
        (_variable(value, checked.master), checked.kinds[value]) if isinstance(value, str) else (_number(value or 0.0), "number")
    )
    return _widened(said, kind, wanted)


def _widened(said: str, kind: str, wanted: ValueKind | None) -> str:
    return f"{TYPES[wanted]}({said})" if kind == "number" and wanted and wanted in WIDTHS else said


def _given(checked: CheckedMaster, key: str, kind: ValueKind) -> str:
    name = checked.master.surface.get(key)
    if name is None:
        return _constant(neutral(key))
    return _widened(_variable(name, checked.master), checked.kinds[name], kind)


def _variable(name: str, master: Master) -> str:
    if name == UV:
        return "uv"
    if name in MESH_INPUTS:
        return f"m_{_word(name)}"
    return f"p_{_word(name)}" if master.parameter(name) else f"s_{_word(name)}"


def _word(name: str) -> str:
    """A name as part of an identifier; names are lower-case words, and strands of blocks have a colon and a capital for it, so
    that no two of one kind become alike."""
    return name.replace(": ", "_B_").replace(" ", "_")


def _number(value: float) -> str:
    return repr(float(value))
