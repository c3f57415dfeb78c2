"""A MaterialX node graph that is written like arithmetic: each sum of two values is an `add` node, and so on."""

from __future__ import annotations

import operator
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

import MaterialX as mx

Number = float | int
# How many numbers each type has.
COUNTS = {"float": 1, "vector2": 2, "color3": 3, "vector3": 3, "vector4": 4}
# Nodes that MaterialX has for numbers and vectors, and not for colours.
_NO_COLOURS = frozenset({"sin", "cos", "acos", "sqrt", "magnitude", "dotproduct", "crossproduct", "normalize"})
_VALUES: dict[str, Callable[..., Any]] = {
    "vector2": mx.Vector2,
    "color3": mx.Color3,
    "vector3": mx.Vector3,
    "vector4": mx.Vector4,
}


@dataclass(frozen=True)
class Value:
    """What flows in a graph: the output of a node, an input of the graph, or a plain value. A plain number widens to any
    type."""

    graph: Graph
    type: str
    node: Any = None
    interface: str = ""
    plain: tuple[float, ...] | bool | int | None = None

    def __add__(self, other: Value | Number) -> Value:
        return self.graph.arithmetic("add", self, other)

    def __radd__(self, other: Number) -> Value:
        return self.graph.arithmetic("add", other, self)

    def __sub__(self, other: Value | Number) -> Value:
        return self.graph.arithmetic("subtract", self, other)

    def __rsub__(self, other: Number) -> Value:
        return self.graph.arithmetic("subtract", other, self)

    def __mul__(self, other: Value | Number) -> Value:
        return self.graph.arithmetic("multiply", self, other)

    def __rmul__(self, other: Number) -> Value:
        return self.graph.arithmetic("multiply", other, self)

    def __truediv__(self, other: Value | Number) -> Value:
        return self.graph.arithmetic("divide", self, other)

    def __rtruediv__(self, other: Number) -> Value:
        return self.graph.arithmetic("divide", other, self)

    def __pow__(self, other: Value | Number) -> Value:
        return self.graph.arithmetic("power", self, other)

    def __neg__(self) -> Value:
        return self * -1.0

    def part(self, at: int) -> Value:
        """One of its numbers."""
        if isinstance(self.plain, tuple):
            return self.graph.number(self.plain[at])
        return self if self.type == "float" else self.graph.node("extract", "float", {"in": self, "index": at})


class Graph:
    """A node graph of a document under construction."""

    def __init__(self, graph: Any) -> None:
        self.graph = graph
        self.count = 0

    def number(self, value: float) -> Value:
        """A plain number."""
        return Value(self, "float", plain=(float(value),))

    def plain(self, *values: float, kind: str = "") -> Value:
        """Plain numbers together, of a type."""
        return Value(self, kind or f"vector{len(values)}", plain=tuple(map(float, values)))

    def switch(self, on: bool) -> Value:
        """A plain switch."""
        return Value(self, "boolean", plain=on)

    def node(self, category: str, kind: str, inputs: dict[str, Value | Number | bool | str], name: str = "") -> Value:
        """A node that gives a type, with its inputs: values, whole numbers, or words for what is chosen once."""
        self.count += 1
        wanted = mx.createValidName(name.replace(" ", "_")) if name else f"n{self.count}"
        made = self.graph.addNode(category, self.graph.createValidChildName(wanted), kind)
        for slot, value in inputs.items():
            self._fill(made, slot, value)
        return Value(self, kind, node=made)

    def widened(self, value: Value | Number, kind: str) -> Value:
        """A value as another type: numbers widen, and three numbers are a colour where one is wanted."""
        if not isinstance(value, Value):
            value = self.number(float(value))
        if value.type == kind:
            return value
        if isinstance(value.plain, tuple):
            parts = value.plain * COUNTS[kind] if len(value.plain) == 1 else value.plain
            return Value(self, kind, plain=parts)
        return self.node("convert", kind, {"in": value})

    def arithmetic(self, category: str, first: Value | Number, second: Value | Number) -> Value:
        """A node of two inputs of one type; a number beside several widens."""
        types = [value.type for value in (first, second) if isinstance(value, Value)]
        kind = next((kind for kind in types if kind != "float"), "float")
        folded = _folded(category, first, second)
        if folded is not None and kind == "float":
            return self.number(folded)
        return self.applied(category, kind, in1=self.widened(first, kind), in2=self.widened(second, kind))

    def applied(self, category: str, kind: str, **inputs: Value) -> Value:
        """A node that gives the type that it takes; colours go through as vectors where it knows none."""
        held = {slot.rstrip("_"): value for slot, value in inputs.items()}
        if kind == "color3" and category in _NO_COLOURS:
            through = {slot: self.widened(value, "vector3") for slot, value in held.items()}
            return self.widened(self.node(category, "vector3", {**through}), "color3")
        return self.node(category, kind, {**held})

    def at_least(self, value: Value, least: Value | Number) -> Value:
        """The larger of two."""
        return self.arithmetic("max", value, least)

    def at_most(self, value: Value, most: Value | Number) -> Value:
        """The smaller of two."""
        return self.arithmetic("min", value, most)

    def within(self, value: Value, low: float = 0.0, high: float = 1.0) -> Value:
        """A value that stays between two numbers."""
        return self.at_most(self.at_least(value, low), high)

    def one(self, category: str, value: Value) -> Value:
        """A node of one input."""
        return self.applied(category, value.type, in_=value)

    def dot(self, first: Value, second: Value) -> Value:
        """How far two vectors agree."""
        return self.node("dotproduct", "float", {"in1": first, "in2": second})

    def length(self, value: Value) -> Value:
        """How long a vector is."""
        return self.node("magnitude", "float", {"in": value})

    def unit(self, value: Value) -> Value:
        """A vector at length 1."""
        return self.node("normalize", value.type, {"in": value})

    def together(self, kind: str, *parts: Value | Number) -> Value:
        """Numbers as one of several."""
        values = [self.widened(part, "float") for part in parts]
        plain = [value.plain[0] for value in values if isinstance(value.plain, tuple)]
        if len(plain) == len(values):
            return Value(self, kind, plain=tuple(plain))
        return self.node(f"combine{len(values)}", kind, {f"in{at + 1}": value for at, value in enumerate(values)})

    def each(self, how: Callable[..., Value], *values: Value) -> Value:
        """What is said of numbers, of each number of several."""
        kind = values[0].type
        if kind == "float":
            return how(*values)
        wide = [self.widened(value, kind) for value in values]
        return self.together(kind, *(how(*(value.part(at) for value in wide)) for at in range(COUNTS[kind])))

    def if_above(self, value: Value, than: Value | Number, then: Value, otherwise: Value) -> Value:
        """One of two, by whether a number is greater than another."""
        return self._if("ifgreater", value, self.widened(than, "float"), then, otherwise)

    def if_on(self, switch: Value, then: Value, otherwise: Value) -> Value:
        """One of two, by a switch."""
        return self._if("ifequal", switch, self.switch(True), then, otherwise)

    def _if(self, category: str, value: Value, than: Value, then: Value, otherwise: Value) -> Value:
        kind = then.type if then.type != "float" else otherwise.type
        parts = {"in1": self.widened(then, kind), "in2": self.widened(otherwise, kind)}
        return self.node(category, kind, {"value1": value, "value2": than, **parts})

    def _fill(self, node: Any, slot: str, value: Value | Number | bool | str) -> None:
        if isinstance(value, str):
            node.setInputValue(slot, value, "string")
        elif isinstance(value, bool):
            node.setInputValue(slot, value, "boolean")
        elif isinstance(value, int):
            node.setInputValue(slot, value, "integer")
        elif isinstance(value, float):
            node.setInputValue(slot, value, "float")
        elif value.node is not None:
            node.setConnectedNode(slot, value.node)
        elif value.interface:
            node.addInput(slot, value.type).setInterfaceName(value.interface)
        else:
            set_plain(node, slot, value.type, value.plain)


_FOLDS: dict[str, Callable[[float, float], float]] = {
    "add": operator.add,
    "subtract": operator.sub,
    "multiply": operator.mul,
    "min": min,
    "max": max,
}


def _folded(category: str, *values: Value | Number) -> float | None:
    """What two plain numbers give; None where one is not plain."""
    plain = [value.plain if isinstance(value, Value) else (float(value),) for value in values]
    if category not in _FOLDS or not all(isinstance(value, tuple) and len(value) == 1 for value in plain):
        return None
    first, second = (value[0] for value in plain if isinstance(value, tuple))
    return _FOLDS[category](first, second)


def set_plain(element: Any, slot: str, kind: str, plain: object) -> Any:
    """Give an element an input with a plain value of a type; gives that input."""
    if isinstance(plain, Sequence) and not isinstance(plain, str):
        held = [float(part) for part in plain]
        element.setInputValue(slot, _VALUES[kind](*held) if kind in _VALUES else held[0], kind)
    else:
        element.setInputValue(slot, plain, kind)
    return element.getInput(slot)
