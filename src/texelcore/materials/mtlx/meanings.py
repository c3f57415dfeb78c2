"""What each operation is in MaterialX 1.39: standard nodes that compute the same. Where there is no same, the nearest, and in
words what differs."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from math import tau

from texelcore.materials.mtlx.graph import Graph, Value

# A texture, as canonical values at places; rows run downwards there as everywhere in a master.
Reader = Callable[[Value], Value]
LEAST = 1e-4
_WEIGHTS = (0.2126, 0.7152, 0.0722)
_DEGREE = tau / 360


def _smooth(g: Graph, value: Value, low: Value, high: Value) -> Value:
    share = g.within((value - low) / g.at_least(high - low, LEAST))
    return share * share * (3.0 - share * 2.0)


def _remap(g: Graph, a: Value, low: Value, high: Value, to_low: Value, to_high: Value, bend: Value) -> Value:
    share = g.within((a - low) / g.at_least(high - low, LEAST), 1e-6)
    return share ** g.at_least(bend, LEAST) * (to_high - to_low) + to_low


def _height_weight(g: Graph, height: Value, other: Value, share: Value, contrast: Value) -> Value:
    lead = (other - height) + (share * 2.0 - 1.0)
    return g.within(lead / g.at_least(1.0 - contrast, LEAST) * 0.5 + 0.5)


def _luminance(g: Graph, colour: Value) -> Value:
    return g.dot(g.widened(colour, "vector3"), g.plain(*_WEIGHTS))


def _hue(g: Graph, colour: Value, turned: Value) -> Value:
    vector, third = g.widened(colour, "vector3"), 3**-0.5
    axis = g.plain(third, third, third)
    cos, sin = _turned(g, turned)
    across = g.node("crossproduct", "vector3", {"in1": axis, "in2": vector})
    turned_to = vector * cos + across * sin + axis * (g.dot(axis, vector) * (1.0 - cos))
    return g.widened(g.at_least(turned_to, 0.0), "color3")


def _turned(g: Graph, degrees: Value) -> tuple[Value, Value]:
    """The cosine and the sine of an angle."""
    radians = degrees * _DEGREE
    return g.one("cos", radians), g.one("sin", radians)


def _rotated(g: Graph, x: Value, y: Value, degrees: Value) -> tuple[Value, Value]:
    cos, sin = _turned(g, degrees)
    return cos * x + sin * y, cos * y - sin * x


def _hard_light(g: Graph, a: Value, b: Value) -> Value:
    def one(a: Value, b: Value) -> Value:
        return g.if_above(b, 0.5, 1.0 - (1.0 - a) * (2.0 - b * 2.0), a * b * 2.0)

    return g.each(one, a, b)


def _soft_light(g: Graph, a: Value, b: Value) -> Value:
    def one(a: Value, b: Value) -> Value:
        low = ((a * 16.0 - 12.0) * a + 4.0) * a
        deep = g.if_above(a, 0.25, g.one("sqrt", g.at_least(a, 0.0)), low)
        darker = a - (1.0 - b * 2.0) * a * (1.0 - a)
        return g.if_above(b, 0.5, a + (b * 2.0 - 1.0) * (deep - a), darker)

    return g.each(one, a, b)


def _above(g: Graph, a: Value, b: Value) -> Value:
    # “a at least b” is “b not above a”.
    return g.each(lambda a, b: g.if_above(b, a, g.number(0), g.number(1)), a, b)


def _strengthen(g: Graph, normal: Value, strength: Value) -> Value:
    return g.unit(normal * g.together("vector3", strength, strength, 1.0))


def _reorient(g: Graph, base: Value, detail: Value) -> Value:
    t, u = base + g.plain(0, 0, 1), detail * g.plain(-1, -1, 1)
    return g.unit(t * (g.dot(t, u) / g.at_least(t.part(2), LEAST)) - u)


def _whiteout(g: Graph, base: Value, detail: Value) -> Value:
    flat = [base.part(at) + detail.part(at) for at in (0, 1)]
    return g.unit(g.together("vector3", *flat, base.part(2) * detail.part(2)))


def _turn(g: Graph, normal: Value, degrees: Value) -> Value:
    x, y = _rotated(g, normal.part(0), normal.part(1), degrees)
    return g.together("vector3", x, y, normal.part(2))


def _place(g: Graph, uv: Value, tiling: Value, across: Value, down: Value, turn: Value) -> Value:
    x, y = _rotated(g, uv.part(0) - 0.5, uv.part(1) - 0.5, turn)
    return g.together("vector2", x * tiling + 0.5 + across, y * tiling + 0.5 + down)


def _turn_about(g: Graph, uv: Value, turned: Value, across: Value, down: Value) -> Value:
    x, y = _rotated(g, uv.part(0) - across, uv.part(1) - down, turned)
    return g.together("vector2", x + across, y + down)


def _triplanar(g: Graph, texture: Reader, position: Value, facing: Value, tiling: Value, sharpness: Value) -> Value:
    flat = g.at_least(g.one("absval", facing), 1e-3)
    shares = [flat.part(at) ** g.at_least(sharpness, 1.0) for at in range(3)]
    whole = shares[0] + shares[1] + shares[2]
    at = [position.part(axis) * tiling for axis in range(3)]
    reads = [texture(g.together("vector2", at[first], at[second])) for first, second in ((2, 1), (0, 2), (0, 1))]
    return _summed(reads[0] * (shares[0] / whole) + reads[1] * (shares[1] / whole) + reads[2] * (shares[2] / whole))


def _summed(value: Value) -> Value:
    """A direction where directions were summed up: numbers and colours as they are."""
    return value.graph.unit(value) if value.type == "vector3" else value


def _bent(g: Graph, texture: Reader, place: Value, strength: Value, apart: Value) -> Value:
    across, down = g.together("vector2", apart, 0.0), g.together("vector2", 0.0, apart)
    steep = strength / g.at_least(apart * 2.0, 1e-6)
    slopes = [texture(place + way) - texture(place - way) for way in (across, down)]
    return g.unit(g.together("vector3", -slopes[0] * steep, slopes[1] * steep, 1.0))


def _noise(g: Graph, uv: Value, scale: Value, seed: Value) -> Value:
    return g.node("noise2d", "float", {"texcoord": _seeded(g, uv, scale, seed), "amplitude": 0.5, "pivot": 0.5})


def _clouds(g: Graph, uv: Value, scale: Value, seed: Value) -> Value:
    # Five octaves of halves add up to 1.9375.
    shaped = {"octaves": 5, "lacunarity": 2.0, "diminish": 0.5, "amplitude": 0.5 / 1.9375}
    return g.node("fractal2d", "float", {"texcoord": _seeded(g, uv, scale, seed), **shaped}) + 0.5


def _seeded(g: Graph, uv: Value, scale: Value, seed: Value) -> Value:
    return uv * scale + seed * 17.0


def _facing(g: Graph, normal: Value, view: Value) -> Value:
    return g.within(g.dot(normal, view))


def _fresnel(g: Graph, normal: Value, view: Value, straight: Value) -> Value:
    return straight + (1.0 - straight) * (1.0 - _facing(g, normal, view)) ** 5.0


def _rim(g: Graph, normal: Value, view: Value, width: Value) -> Value:
    return g.at_least(1.0 - _facing(g, normal, view), 1e-6) ** (1.0 / g.at_least(width, LEAST))


def _slope_mask(g: Graph, facing: Value, low: Value, high: Value) -> Value:
    return _smooth(g, g.one("acos", g.within(facing.part(1), -1.0)) / _DEGREE, low, high)


def _parallax(g: Graph, uv: Value, height: Value, view: Value, depth: Value, level: Value) -> Value:
    far = (height - level) * depth / g.at_least(view.part(2), 0.25)
    return uv + g.together("vector2", view.part(0) * far, -view.part(1) * far)


def _pick(g: Graph, choice: Value, *options: Value) -> Value:
    found = options[-1]
    for at in reversed(range(len(options) - 1)):
        found = g.if_above(choice, at + 0.5, found, options[at])
    return found


def _modulo(g: Graph, a: Value, b: Value) -> Value:
    whole = g.at_least(b, LEAST)
    return a - whole * g.one("floor", a / whole)


MEANINGS: Mapping[str, Callable[..., Value]] = {
    "add": lambda g, a, b: a + b,
    "subtract": lambda g, a, b: a - b,
    "multiply": lambda g, a, b: a * b,
    "divide": lambda g, a, b: a / g.at_least(b, LEAST),
    "power": lambda g, a, b: g.at_least(a, 1e-6) ** b,
    "minimum": lambda g, a, b: g.at_most(a, b),
    "maximum": lambda g, a, b: g.at_least(a, b),
    "absolute": lambda g, a: g.one("absval", a),
    "fraction": lambda g, a: a - g.one("floor", a),
    "floor": lambda g, a: g.one("floor", a),
    "modulo": _modulo,
    "sine": lambda g, a: g.one("sin", a * tau),
    "square_root": lambda g, a: g.one("sqrt", g.at_least(a, 0.0)),
    "invert": lambda g, a: 1.0 - a,
    "mix": lambda g, a, b, share: a + (b - a) * share,
    "limit": lambda g, a, low, high: g.at_most(g.at_least(a, low), high),
    "choose": lambda g, switch, a, b: g.if_on(switch, a, b),
    "combine": lambda g, red, green, blue: g.together("color3", red, green, blue),
    **{name: lambda g, a, at=at: a.part(at) for at, name in enumerate(("red", "green", "blue"))},
    "range": lambda g, a, low, high: a * (high - low) + low,
    "remap": _remap,
    "smooth_step": _smooth,
    "above": _above,
    "contrast": lambda g, a, amount, pivot: (a - pivot) * amount + pivot,
    "border": lambda g, mask, width: g.within(1.0 - g.one("absval", mask - 0.5) / g.at_least(width, LEAST)),
    "height_weight": _height_weight,
    "luminance": _luminance,
    "saturation": lambda g, colour, amount: g.at_least((colour - _luminance(g, colour)) * amount + _luminance(g, colour), 0.0),
    "hue": _hue,
    "screen": lambda g, a, b: a + b - a * b,
    "overlay": lambda g, a, b: _hard_light(g, b, a),
    "hard_light": _hard_light,
    "soft_light": _soft_light,
    "difference": lambda g, a, b: g.one("absval", a - b),
    "exclusion": lambda g, a, b: a + b - a * b * 2.0,
    "strengthen": _strengthen,
    "flip": lambda g, normal, flip: g.if_on(flip, normal * g.plain(1, -1, 1), normal),
    "turn": _turn,
    "mix_normals": lambda g, a, b, share: g.unit(a + (b - a) * share),
    "reorient": _reorient,
    "whiteout": _whiteout,
    "detail_normal": lambda g, base, detail, strength: _reorient(g, base, _strengthen(g, detail, strength)),
    "slope": lambda g, normal: 1.0 - g.within(normal.part(2)),
    "dot": lambda g, a, b: g.dot(a, b),
    "place": _place,
    "tile": lambda g, uv, across, down: uv * g.together("vector2", across, down),
    "move": lambda g, uv, across, down: uv + g.together("vector2", across, down),
    "turn_about": _turn_about,
    "gradient": lambda g, uv: uv.part(0),
    "gradient_down": lambda g, uv: uv.part(1),
    "round_gradient": lambda g, uv: g.within(1.0 - g.length(uv - 0.5) * 2.0),
    "read": lambda g, texture, place: texture(place),
    "hex_read": lambda g, texture, place, size, seed: texture(place),
    "triplanar": _triplanar,
    "bend_by_height": _bent,
    "two": lambda g, x, y: g.together("vector2", x, y),
    "three": lambda g, x, y, z: g.together("vector3", x, y, z),
    "four": lambda g, x, y, z, w: g.together("vector4", x, y, z, w),
    **{name: lambda g, a, at=at: a.part(at) for at, name in enumerate("xyzw")},
    "length": lambda g, a: g.length(g.widened(a, "vector3") if a.type == "color3" else a),
    "distance": lambda g, a, b: g.length(a - b),
    "cross": lambda g, a, b: g.node("crossproduct", "vector3", {"in1": a, "in2": b}),
    "normalise": lambda g, a: a / g.at_least(g.length(a), 1e-6),
    "as_numbers": lambda g, a: a,
    "as_colour": lambda g, a: g.widened(a, "color3"),
    **dict.fromkeys(("pick_two", "pick_three", "pick_four"), _pick),
    "fresnel": _fresnel,
    "rim": _rim,
    "distance_fade": lambda g, near, far, away: 1.0 - _smooth(g, away, near, far),
    "slope_mask": _slope_mask,
    "altitude_mask": lambda g, position, low, high: _smooth(g, position.part(1), low, high),
    "scroll": lambda g, uv, across, down, seconds: uv + g.together("vector2", across, down) * seconds,
    "parallax": _parallax,
    "value_noise": _noise,
    "gradient_noise": _noise,
    "cell_noise": lambda g, uv, scale, seed: g.at_most(
        g.node("worleynoise2d", "float", {"texcoord": _seeded(g, uv, scale, seed), "jitter": 1.0}), 1.0
    ),
    "cloud_noise": _clouds,
}
