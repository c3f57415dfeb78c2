"""Plain arithmetic, and choosing. Names and meanings as in MaterialX 1.39, standard nodes, where it has them."""

from __future__ import annotations

import numpy as np

from texelcore.materials.operations.declared import LEAST, Operation, Slot, numbers, same

OPERATIONS = (
    Operation("add", "add", "a plus b", same("a", "b"), "same", lambda a, b: a + b, "return a + b;"),
    Operation("subtract", "subtract", "a less b", same("a", "b"), "same", lambda a, b: a - b, "return a - b;"),
    Operation("multiply", "multiply", "a times b", same("a", "b"), "same", lambda a, b: a * b, "return a * b;"),
    Operation(
        "divide",
        "divide",
        "a over b; b counts as at least 0.0001",
        same("a", "b"),
        "same",
        lambda a, b: a / np.maximum(b, LEAST),
        "return a / max(b, 1e-4);",
    ),
    Operation(
        "power",
        "power",
        "a to the power of b; below zero counts as zero",
        same("a", "b"),
        "same",
        lambda a, b: np.maximum(a, np.float32(1e-6)) ** b,
        "return pow(max(a, 1e-6), b);",
    ),
    Operation("minimum", "minimum", "the smaller of a and b", same("a", "b"), "same", np.minimum, "return min(a, b);"),
    Operation("maximum", "maximum", "the larger of a and b", same("a", "b"), "same", np.maximum, "return max(a, b);"),
    Operation("absolute", "absolute", "a without its sign", same("a"), "same", np.abs, "return abs(a);"),
    Operation(
        "fraction",
        "fraction",
        "what of a lies above the whole number below it",
        same("a"),
        "same",
        lambda a: a - np.floor(a),
        "return fract(a);",
    ),
    Operation("floor", "floor", "the whole number at or below a", same("a"), "same", np.floor, "return floor(a);"),
    Operation(
        "modulo",
        "modulo",
        "what is left of a after as many b as fit; b counts as at least 0.0001",
        same("a", "b"),
        "same",
        lambda a, b: a - np.maximum(b, LEAST) * np.floor(a / np.maximum(b, LEAST)),
        "return a - max(b, 1e-4) * floor(a / max(b, 1e-4));",
    ),
    Operation(
        "sine",
        "sine",
        "one wave for each whole number, from −1 to 1",
        same("a"),
        "same",
        lambda a: np.sin(np.float32(2 * np.pi) * a),
        "return sin(6.2831853 * a);",
    ),
    Operation(
        "square_root",
        "square root",
        "the square root of a; below zero counts as zero",
        same("a"),
        "same",
        lambda a: np.sqrt(np.maximum(a, np.float32(0))),
        "return sqrt(max(a, 0.0));",
    ),
    Operation("invert", "invert", "1 − a", same("a"), "same", lambda a: 1 - a, "return 1.0 - a;"),
    Operation(
        "mix",
        "mix",
        "a where the share is 0, b where it is 1",
        (*same("a", "b"), *numbers(share=0.5)),
        "same",
        lambda a, b, share: a + (b - a) * share,
        "return a + (b - a) * share;",
    ),
    Operation(
        "limit",
        "limit",
        "a, but never below low nor above high",
        (*same("a"), *numbers(low=0.0, high=1.0)),
        "same",
        lambda a, low, high: np.minimum(np.maximum(a, low), high),
        "return min(max(a, low), high);",
    ),
    Operation(
        "choose",
        "choose",
        "a when the switch is on, b when it is off",
        (Slot("switch", "switch"), Slot("a", "any"), Slot("b", "any")),
        "same",
        lambda switch, a, b: a if switch else b,
        "return switch_ ? a : b;",
    ),
    Operation(
        "combine",
        "combine",
        "three numbers as the red, green and blue of a colour",
        numbers(red=0.0, green=0.0, blue=0.0),
        "colour",
        lambda red, green, blue: np.stack([red, green, blue], axis=-1),
        "return vec3(red, green, blue);",
    ),
    *(
        Operation(
            name,
            name,
            f"the {name} of a colour as a number",
            (Slot("a", "colour"),),
            "number",
            lambda a, at=at: a[..., at],
            f"return a.{'rgb'[at]};",
        )
        for at, name in enumerate(("red", "green", "blue"))
    ),
)
