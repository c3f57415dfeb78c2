"""Writing a sheet: strands in the order in which they are read, in groups, and parts that many masters share."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, Literal

from texelcore.materials.sheets.document import Layer, Master, OpacityUse, Parameter, ParameterKind, Strand, TextureInput, Value

Given = bool | float | str
Maps = Mapping[str, str]


@dataclass
class Sheet:
    """A master as it is written. What is added belongs to the group that was begun last; each call gives the name of what it
    added, to be used further down."""

    name: str
    title: str
    summary: str
    opacity: OpacityUse = field(default_factory=OpacityUse)
    version: int = 1
    group: str = ""
    layers: list[Layer] = field(default_factory=list)
    parameters: list[Parameter] = field(default_factory=list)
    textures: list[TextureInput] = field(default_factory=list)
    strands: list[Strand] = field(default_factory=list)
    comments: dict[str, str] = field(default_factory=dict)

    def begin(self, group: str, comment: str = "") -> None:
        """Begin a group; a comment says what it is for."""
        self.group = group
        if comment:
            self.comments[group] = comment

    def layer(self, name: str, label: str, said: str = "") -> str:
        """A slot for a set."""
        self.layers.append(Layer(name=name, label=label, help=said))
        return name

    def number(
        self,
        name: str,
        label: str,
        default: float,
        soft: tuple[float, float] = (0.0, 1.0),
        hard: tuple[float | None, float | None] = (None, None),
        **more: Any,
    ) -> str:
        """A number with its soft and hard range."""
        low, high = soft
        more |= {"hard_low": hard[0], "hard_high": hard[1], "soft_low": low, "soft_high": high}
        return self._parameter(name, label, "number", default, **more)

    def share(self, name: str, label: str, default: float, **more: Any) -> str:
        """A number from 0 to 1."""
        return self.number(name, label, default, (0.0, 1.0), (0.0, 1.0), **more)

    def colour(self, name: str, label: str, default: tuple[float, float, float] = (1.0, 1.0, 1.0), **more: Any) -> str:
        """A linear colour."""
        return self._parameter(name, label, "colour", default, **more)

    def switch(self, name: str, label: str, default: bool, **more: Any) -> str:
        """A switch."""
        return self._parameter(name, label, "switch", default, **more)

    def texture(
        self, name: str, key: str, layer: str = "", constant: Value | None = None, label: str = "", said: str = ""
    ) -> str:
        """A texture: of a layer, or a free one; with a constant, one that a constant may replace."""
        group = self.group if constant is not None else ""
        made = TextureInput(name=name, property=key, layer=layer, constant=constant, label=label, group=group, help=said)
        self.textures.append(made)
        return name

    def add(self, name: str, operation: str, /, **inputs: Given) -> str:
        """A strand."""
        self.strands.append(Strand(name=name, group=self.group, operation=operation, inputs=inputs))
        return name

    def gives(self, **surface: str) -> Master:
        """The master: which strand or parameter gives each property."""
        return Master(
            name=self.name,
            title=self.title,
            summary=self.summary,
            version=self.version,
            layers=tuple(self.layers),
            parameters=tuple(self.parameters),
            textures=tuple(self.textures),
            strands=tuple(self.strands),
            surface=surface,
            opacity=self.opacity,
            comments=self.comments,
        )

    def _parameter(self, name: str, label: str, kind: ParameterKind, default: Value, **more: Any) -> str:
        self.parameters.append(Parameter(name=name, label=label, group=self.group, kind=kind, default=default, **more))
        return name


def opacity_of(mode: Literal["solid", "cut-out", "blended"], threshold: float = 0.5, two_sided: bool = True) -> OpacityUse:
    """What a master takes opacity for."""
    return OpacityUse(mode=mode, threshold=threshold, two_sided=two_sided)


# What is read of every layer, and the constant that may replace it.
CONSTANTS: Mapping[str, Value | None] = {
    "base_colour": (0.5, 0.5, 0.5),
    "roughness": 0.5,
    "metallic": 0.0,
    "occlusion": 1.0,
    "normal": None,
}
_WORDS = {"base_colour": "colour", "roughness": "rough", "metallic": "metal", "occlusion": "shade", "normal": "bump"}
_LABELS = {"base_colour": "Base colour", "roughness": "Roughness", "metallic": "Metallic", "occlusion": "Occlusion"}


def read_layer(
    sheet: Sheet, layer: str, label: str, said: str = "", keys: tuple[str, ...] = tuple(CONSTANTS), more: tuple[str, ...] = ()
) -> dict[str, str]:
    """A layer with a placement and a tint of its own, and what is read of it: strands by property. `more` are properties that
    are read as they are, such as height."""
    sheet.layer(layer, label, said)
    sheet.begin(label.lower())
    tiling = sheet.number(f"{layer} tiling", "Tiling", 1.0, (0.25, 10.0), (0.01, 1000.0))
    turned = sheet.number(f"{layer} turn", "Rotation", 0.0, (-180.0, 180.0), unit="°")
    tint = sheet.colour(f"{layer} tint", "Tint")
    strength = sheet.number(f"{layer} normal strength", "Normal strength", 1.0, (0.0, 2.0), (0.0, 16.0))
    place = sheet.add(f"{layer} place", "place", uv="uv", tiling=tiling, turn=turned)
    found = {}
    for key in keys:
        word = _WORDS[key]
        constant = CONSTANTS[key]
        texture = sheet.texture(f"{layer} {word} map", key, layer, constant, _LABELS.get(key, ""))
        found[key] = sheet.add(f"{layer} {word}", "read", texture=texture, place=place)
    for key in more:
        found[key] = sheet.add(f"{layer} {key}", "read", texture=sheet.texture(f"{layer} {key} map", key, layer), place=place)
    if "base_colour" in found:
        found["base_colour"] = sheet.add(f"{layer} tinted", "multiply", a=found["base_colour"], b=tint)
    if "normal" in found:
        lit = sheet.add(f"{layer} bump turned", "turn", normal=found["normal"], degrees=turned)
        found["normal"] = sheet.add(f"{layer} bump strong", "strengthen", normal=lit, strength=strength)
    return found


def blend(sheet: Sheet, prefix: str, below: Maps, above: Maps, share: str) -> dict[str, str]:
    """One surface over another by a share: numbers and colours are mixed, normals blended as directions."""
    found = {}
    # In the order of what lies below: a set has another order in every process, and the document would be another.
    for key in (key for key in below if key in above):
        operation = "mix_normals" if key == "normal" else "mix"
        found[key] = sheet.add(f"{prefix} {_WORDS.get(key, key)}", operation, a=below[key], b=above[key], share=share)
    return {key: found[key] for key in below if key in found}


def only_surface(maps: Maps) -> dict[str, str]:
    """What of some strands a surface is made of."""
    return {key: name for key, name in maps.items() if key in CONSTANTS}
