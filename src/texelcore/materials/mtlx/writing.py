"""A master, or a variant of it, as a MaterialX document: a node graph with its parameters as inputs, under a glTF surface."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cache
from math import tau
from pathlib import Path
from typing import Any

import MaterialX as mx

from texelcore.materials.dressing.binding import Bindings, Bound
from texelcore.materials.dressing.evaluate import stand_in
from texelcore.materials.mtlx.differing import differing
from texelcore.materials.mtlx.graph import Graph, set_plain
from texelcore.materials.mtlx.graph import Value as Flow
from texelcore.materials.mtlx.meanings import MEANINGS, Reader
from texelcore.materials.sheets.document import MESH_INPUTS, OpacityUse, Parameter, TextureInput, Value, constant_of, values_of
from texelcore.materials.sheets.kinds import GIVEN_KINDS, texture_kind
from texelcore.materials.sheets.strands import CheckedStrand
from texelcore.materials.sheets.typing import CheckedMaster
from texelcore.pixels.errors import TexelError

TYPES: Mapping[str, str] = {
    **{"number": "float", "two": "vector2", "three": "vector3", "four": "vector4", "colour": "color3"},
    **{"direction": "vector3", "place": "vector2", "switch": "boolean", "choice": "integer"},
}
# What of the surface each input of MaterialX's gltf_pbr takes. Its rotation is in radians, ours in turns.
INPUTS: Mapping[str, str] = {
    **{"base_colour": "base_color", "metallic": "metallic", "roughness": "roughness", "occlusion": "occlusion"},
    **{"normal": "normal", "opacity": "alpha", "emissive": "emissive"},
    **{"clear_coat": "clearcoat", "clear_coat_roughness": "clearcoat_roughness"},
    **{"sheen_colour": "sheen_color", "sheen_roughness": "sheen_roughness"},
    **{"specular_level": "specular", "index_of_refraction": "ior"},
    **{"anisotropy": "anisotropy_strength", "anisotropy_rotation": "anisotropy_rotation"},
}
_MODES: Mapping[str, int] = {"solid": 0, "cut-out": 1, "blended": 2}
# What MaterialX does not say of the eye: how far away it is.


@dataclass(frozen=True)
class Written:
    """A MaterialX document as text, and in words what in it is not the same as in the master."""

    text: str
    notes: tuple[str, ...]


def write_materialx(
    checked: CheckedMaster,
    name: str,
    bindings: Bindings,
    files: Mapping[tuple[str, str], str],
    own: Mapping[str, Value] | None = None,
    opacity: OpacityUse | None = None,
) -> Written:
    """A master with a variant's values as a MaterialX 1.39 document that validates against the standard library.

    `bindings` says where each texture lies, `files` under which name each of those pictures is found, by (holder, output).
    What is not bound reads as its constant or its property's neutral value. Raises TexelError for values that the master does
    not take, and where MaterialX refuses what was written.
    """
    document = mx.createDocument()
    document.setDataLibrary(standard_library())
    graph = document.addNodeGraph(f"NG_{_word(checked.master.name)}")
    writing = _Writing(checked, Graph(graph), bindings, files, values_of(checked.master, own or {}), own or {})
    given = writing.surface()
    shader = document.addNode("gltf_pbr", f"SR_{_word(name)}", "surfaceshader")
    for key, value in given.items():
        kind = TYPES[GIVEN_KINDS[key]]
        output = graph.addOutput(f"{INPUTS.get(key, key)}_out", kind)
        output.setConnectedNode(value.node)
        # A height is an output of the graph alone: how far it moves a surface, no master says.
        if key in INPUTS:
            shader.addInput(INPUTS[key], kind).setConnectedOutput(output)
    use = opacity or checked.master.opacity
    if "opacity" in given and use.mode in _MODES:
        shader.setInputValue("alpha_mode", _MODES[use.mode], "integer")
        shader.setInputValue("alpha_cutoff", use.threshold, "float")
    material = document.addMaterialNode(f"M_{_word(name)}", shader)
    material.setAttribute("doc", checked.master.summary)
    holds, why = document.validate()
    if not holds:
        raise TexelError(name, f"cannot be said in MaterialX: {why[:200]}", "Tell whoever keeps the program.")
    return Written(mx.writeToXmlString(document), tuple(differing(checked)))


@cache
def standard_library() -> Any:
    """MaterialX's own definitions of its standard nodes."""
    library = mx.createDocument()
    mx.loadLibraries(["libraries"], mx.FileSearchPath(str(Path(mx.__file__).parent)), library)
    return library


def _word(name: str) -> str:
    made: str = mx.createValidName(name.replace(" ", "_"))
    return made


class _Writing:
    """One document in the making."""

    def __init__(
        self,
        checked: CheckedMaster,
        graph: Graph,
        bindings: Bindings,
        files: Mapping[tuple[str, str], str],
        values: Mapping[str, Value],
        own: Mapping[str, Value],
    ) -> None:
        self.checked, self.graph, self.bindings, self.files = checked, graph, bindings, files
        self.values, self.own = values, own
        self.flows: dict[str, Flow] = {}
        self.readers: dict[str, Reader] = {}
        for parameter in checked.master.parameters:
            self.flows[parameter.name] = self._interface(parameter)
        for texture in checked.master.textures:
            self.readers[texture.name] = self._reader(texture)

    def surface(self) -> dict[str, Flow]:
        """What each property of the surface is given, as outputs of nodes."""
        for step in self.checked.steps:
            self.flows[step.strand.name] = self._step(step)
        found: dict[str, Flow] = {}
        for key, name in self.checked.master.surface.items():
            value = self.graph.widened(self._flow(name), TYPES[GIVEN_KINDS[key]])
            if key == "normal":
                # The standard node takes normals as they are stored, and gives them in the world.
                value = self.graph.node("normalmap", "vector3", {"in": value * 0.5 + 0.5})
            if key == "anisotropy_rotation":
                value = value * tau
            if value.node is None:
                value = self.graph.node("dot", value.type, {"in": value})
            found[key] = value
        return found

    def _interface(self, parameter: Parameter) -> Flow:
        """A parameter as an input of the graph, with what people read of it."""
        kind = TYPES[parameter.kind]
        value = self.values[parameter.name]
        plain: Any = value
        if parameter.kind == "choice":
            plain = parameter.choices.index(str(value))
        elif not isinstance(value, bool):
            plain = value if isinstance(value, tuple) else (value,)
        held = set_plain(self.graph.graph, _word(parameter.name), kind, plain)
        held.setAttribute("uiname", parameter.label)
        held.setAttribute("uifolder", parameter.group)
        if parameter.help:
            held.setAttribute("doc", parameter.help)
        if parameter.unit:
            held.setAttribute("uiunit", parameter.unit)
        if parameter.kind == "choice":
            # A comma parts the words (MaterialX 1.39 specification, Input elements), and nothing stands for one.
            held.setAttribute("enum", ", ".join(word.replace(",", ";") for word in parameter.choices))
            held.setAttribute("enumvalues", ", ".join(map(str, range(len(parameter.choices)))))
        if parameter.kind == "number":
            ranges = {"uimin": parameter.hard_low, "uimax": parameter.hard_high}
            ranges |= {"uisoftmin": parameter.soft_low, "uisoftmax": parameter.soft_high}
            for attribute, number in ranges.items():
                if number is not None:
                    held.setAttribute(attribute, f"{number:g}")
        found = Flow(self.graph, kind, interface=held.getName())
        return self.graph.widened(found, "float") if parameter.kind == "choice" else found

    def _flow(self, name: str) -> Flow:
        """What a name stands for."""
        if name not in self.flows:
            self.flows[name] = self._mesh(name)
        return self.flows[name]

    def _mesh(self, name: str) -> Flow:
        g = self.graph
        if name in ("uv", "second uv"):
            read = g.node("texcoord", "vector2", {"index": int(name != "uv")})
            # Rows run downwards in a master, upwards in MaterialX.
            return g.together("vector2", read.part(0), 1.0 - read.part(1))
        if name in ("vertex colour", "vertex alpha"):
            painted = g.node("geomcolor", "color4", {"index": 0})
            parts = [g.node("extract", "float", {"in": painted, "index": at}) for at in range(4)]
            return parts[3] if name == "vertex alpha" else g.together("color3", *parts[:3])
        spaces: dict[str, tuple[str, str]] = {
            "world position": ("position", "world"),
            "object position": ("position", "object"),
            "world normal": ("normal", "world"),
        }
        if name in spaces:
            category, space = spaces[name]
            return g.node(category, "vector3", {"space": space})
        if name == "time":
            return g.node("time", "float", {})
        if name == "view direction":
            # From the eye to the surface there; the way back, as the surface lies, here.
            view = g.node("viewdirection", "vector3", {"space": "world"})
            axes = [g.node(axis, "vector3", {"space": "world"}) for axis in ("tangent", "bitangent", "normal")]
            return g.together("vector3", *(-g.dot(view, axis) for axis in axes))
        return g.number(float(MESH_INPUTS[name].absent))  # type: ignore[arg-type]

    def _step(self, step: CheckedStrand) -> Flow:
        operation, inputs = step.operation, step.strand.inputs
        taken: list[Flow | Reader] = []
        for slot in operation.slots:
            value = inputs.get(slot.name, slot.default)
            if slot.kind == "texture":
                taken.append(self.readers[str(value)])
                continue
            flow = self._input(value)
            kind: str = step.shared if slot.kind in ("same", "any", "vector") else slot.kind
            wide = kind in TYPES and flow.type == "float" and kind not in ("number", "switch", "choice")
            taken.append(self.graph.widened(flow, TYPES[kind]) if wide else flow)
        made = MEANINGS[operation.key](self.graph, *taken)
        kind = TYPES[step.gives] if step.gives != "choice" else "float"
        return self.graph.widened(made, kind)

    def _input(self, value: bool | float | str | None) -> Flow:
        if isinstance(value, str):
            return self._flow(value)
        return self.graph.switch(value) if isinstance(value, bool) else self.graph.number(float(value or 0.0))

    def _reader(self, texture: TextureInput) -> Reader:
        """How a texture input is read: from its picture, or as what stands for it."""
        bound = self.bindings.get(texture.name)
        kind = texture_kind(texture.property)
        if bound is None or texture.name in self.own or (bound.holder, bound.output) not in self.files:
            steady = self._constant(texture)
            return lambda place: steady
        file = self.files[bound.holder, bound.output]
        known: dict[Any, Flow] = {}

        def read(place: Flow) -> Flow:
            key = place.node.getName() if place.node is not None else place.interface or place.plain
            if key not in known:
                known[key] = _canonical(self.graph, kind, bound, self._image(texture, bound, file, place))
            return known[key]

        return read

    def _constant(self, texture: TextureInput) -> Flow:
        found = self.own.get(texture.name, stand_in(texture))
        parameter = constant_of(texture)
        plain = found if isinstance(found, tuple | list) else (float(found),)
        kind = TYPES[texture_kind(texture.property)]
        if parameter is None:
            return self.graph.widened(self.graph.plain(*plain, kind=kind if len(plain) > 1 else "float"), kind)
        held = set_plain(self.graph.graph, _word(texture.name), kind, plain)
        held.setAttribute("uiname", parameter.label)
        held.setAttribute("uifolder", parameter.group)
        return Flow(self.graph, kind, interface=held.getName())

    def _image(self, texture: TextureInput, bound: Bound, file: str, place: Flow) -> Flow:
        flipped = self.graph.together("vector2", place.part(0), 1.0 - place.part(1))
        kind = "color3" if bound.srgb or len(bound.channels) > 1 or bound.channels != "R" else "float"
        if "A" in bound.channels:
            kind = "color4"
        made = self.graph.node("image", kind, {"texcoord": flipped}, texture.name)
        held = made.node.addInput("file", "filename")
        held.setValueString(file)
        if bound.srgb:
            held.setAttribute("colorspace", "srgb_texture")
        return made


def _canonical(g: Graph, kind: str, bound: Bound, read: Flow) -> Flow:
    """What a picture holds as canonical values, whatever was done to it."""

    def channel(letter: str) -> Flow:
        value = read if read.type == "float" else g.node("extract", "float", {"in": read, "index": "RGBA".index(letter)})
        return 1.0 - value if bound.inverted else value

    if kind == "number":
        return channel(bound.channels[0])
    letters = bound.channels if len(bound.channels) > 1 else bound.channels * 3
    if kind == "colour":
        plain = read.type == "color3" and letters == "RGB" and not bound.inverted
        return read if plain else g.together("color3", *(channel(letter) for letter in letters[:3]))
    x, y = (channel(letter) * 2.0 - 1.0 for letter in letters[:2])
    up = -y if bound.down else y
    if len(letters) == 2:
        return g.together("vector3", x, up, g.one("sqrt", g.at_least(1.0 - x * x - up * up, 0.0)))
    return g.unit(g.together("vector3", x, up, channel(letters[2]) * 2.0 - 1.0))
