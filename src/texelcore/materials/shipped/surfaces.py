"""One set: solid, cut out, seen through, lit from inside, woven, wet, or laid on something as a decal."""

from __future__ import annotations

from texelcore.materials.sheets.document import Master
from texelcore.materials.shipped.writing import Sheet, only_surface, opacity_of, read_layer


def solid_surface() -> Master:
    """The usual master. Its first version is older than maps that a constant may replace."""
    sheet = Sheet(
        "solid-surface",
        "Solid surface",
        "One layer of maps, each of which a constant may replace; tint, brightness, placement and response.",
    )
    layer = sheet.layer("surface", "Surface")
    _solid_parameters(sheet)
    for word, key in (
        ("colour", "base_colour"),
        ("normal", "normal"),
        ("roughness", "roughness"),
        ("metallic", "metallic"),
        ("occlusion", "occlusion"),
        ("emissive", "emissive"),
        ("opacity", "opacity"),
    ):
        sheet.texture(f"{word} map", key, layer)
    _solid_strands(sheet)
    return sheet.gives(
        base_colour="bright",
        opacity="cover",
        normal="bump",
        roughness="rough",
        metallic="metal",
        occlusion="shade",
        emissive="glow",
    )


def _solid_parameters(sheet: Sheet) -> None:
    sheet.begin("placement")
    sheet.number("tiling", "Tiling", 1.0, (0.25, 10.0), (0.01, 1000.0))
    sheet.number("offset across", "Offset across", 0.0, (-1.0, 1.0))
    sheet.number("offset down", "Offset down", 0.0, (-1.0, 1.0))
    sheet.number("rotation", "Rotation", 0.0, (-180.0, 180.0), unit="°")
    sheet.begin("base colour")
    sheet.colour("tint", "Tint")
    sheet.number("brightness", "Brightness", 1.0, (0.0, 2.0), (0.0, None))
    _map_or(sheet, "colour from map")
    sheet.colour("plain colour", "Value without texture", (0.5, 0.5, 0.5))
    sheet.begin("roughness")
    sheet.number("roughness power", "Roughness gamma", 1.0, (0.25, 4.0), (0.05, 16.0))
    sheet.share("roughness low", "Minimum", 0.0)
    sheet.share("roughness high", "Maximum", 1.0)
    _map_or(sheet, "roughness from map")
    sheet.share("plain roughness", "Value without texture", 0.5)
    sheet.begin("metallic")
    _map_or(sheet, "metallic from map")
    sheet.share("plain metallic", "Value without texture", 0.0)
    sheet.begin("normal")
    sheet.number("normal strength", "Strength", 1.0, (0.0, 2.0), (0.0, 16.0))
    sheet.switch("normal flip", "Flip Y", False)
    _map_or(sheet, "normal from map")
    sheet.begin("occlusion")
    sheet.share("occlusion strength", "Strength", 1.0)
    _map_or(sheet, "occlusion from map")
    sheet.share("plain occlusion", "Value without texture", 1.0)
    sheet.begin("emissive")
    sheet.number("emissive strength", "Strength", 1.0, (0.0, 100.0), (0.0, None))
    _map_or(sheet, "emissive from map")
    sheet.colour("plain emissive", "Value without texture", (0.0, 0.0, 0.0))
    sheet.begin("opacity")
    _map_or(sheet, "opacity from map")
    sheet.share("plain opacity", "Value without texture", 1.0)


def _map_or(sheet: Sheet, name: str) -> str:
    return sheet.switch(name, "Use texture", True)


def _solid_strands(sheet: Sheet) -> None:
    sheet.begin("placement")
    sheet.add("place", "place", uv="uv", tiling="tiling", across="offset across", down="offset down", turn="rotation")
    sheet.begin("base colour")
    sheet.add("paint", "read", texture="colour map", place="place")
    sheet.add("picked colour", "choose", switch="colour from map", a="paint", b="plain colour")
    sheet.add("tinted", "multiply", a="picked colour", b="tint")
    sheet.add("bright", "multiply", a="tinted", b="brightness")
    sheet.begin("roughness")
    sheet.add("rough read", "read", texture="roughness map", place="place")
    sheet.add("picked rough", "choose", switch="roughness from map", a="rough read", b="plain roughness")
    sheet.add("rough bent", "power", a="picked rough", b="roughness power")
    sheet.add("rough", "range", a="rough bent", low="roughness low", high="roughness high")
    sheet.begin("metallic")
    sheet.add("metal read", "read", texture="metallic map", place="place")
    sheet.add("metal", "choose", switch="metallic from map", a="metal read", b="plain metallic")
    sheet.begin("normal")
    sheet.add("bumps", "read", texture="normal map", place="place")
    sheet.add("bumps turned", "turn", normal="bumps", degrees="rotation")
    sheet.add("bumps flipped", "flip", normal="bumps turned", flip="normal flip")
    sheet.add("strength", "choose", switch="normal from map", a="normal strength", b=0.0)
    sheet.add("bump", "strengthen", normal="bumps flipped", strength="strength")
    sheet.begin("occlusion")
    sheet.add("shade read", "read", texture="occlusion map", place="place")
    sheet.add("picked shade", "choose", switch="occlusion from map", a="shade read", b="plain occlusion")
    sheet.add("shade", "mix", a=1.0, b="picked shade", share="occlusion strength")
    sheet.begin("emissive")
    sheet.add("glow read", "read", texture="emissive map", place="place")
    sheet.add("picked glow", "choose", switch="emissive from map", a="glow read", b="plain emissive")
    sheet.add("glow", "multiply", a="picked glow", b="emissive strength")
    sheet.begin("opacity")
    sheet.add("cover read", "read", texture="opacity map", place="place")
    sheet.add("cover", "choose", switch="opacity from map", a="cover read", b="plain opacity")


def cut_out() -> Master:
    """What is there or not."""
    sheet = Sheet(
        "cut-out",
        "Cut-out",
        "There or not, by a threshold: sharp and cheap. Take it for leaves, fences, nets, torn edges.",
        opacity_of("cut-out"),
    )
    surface = read_layer(sheet, "surface", "Surface", "A set with opacity.", more=("opacity",))
    sheet.begin("opacity")
    grow = sheet.number("opacity grow", "Grow", 0.0, (-0.4, 0.4), (-0.5, 0.5), help="Above 0 more stays, below 0 less.")
    cover = sheet.add("cover", "add", a=surface["opacity"], b=grow)
    return sheet.gives(**only_surface(surface) | {"opacity": cover})


def see_through() -> Master:
    """Glass, ice, thin cloth."""
    sheet = Sheet(
        "see-through",
        "See-through",
        "Softly see-through, more so straight on than along it. Costs sorting; take it for glass, ice, thin cloth.",
        opacity_of("blended"),
    )
    surface = read_layer(sheet, "surface", "Surface", "A set; without opacity the constant stands.")
    sheet.begin("opacity")
    texture = sheet.texture("opacity map", "opacity", "surface", 0.3, "Opacity")
    edge = sheet.share("edge opacity", "Along the edge", 0.9)
    read = sheet.add("cover read", "read", texture=texture, place="surface place")
    rim = sheet.add("edge", "fresnel", normal=surface["normal"])
    cover = sheet.add("cover", "mix", a=read, b=edge, share=rim)
    sheet.begin("light")
    index = sheet.number("refraction", "Index of refraction", 1.5, (1.0, 2.5), (1.0, 4.0), help="Water 1.33, glass 1.5.")
    return sheet.gives(**only_surface(surface) | {"opacity": cover, "index_of_refraction": index})


def emissive_fixture() -> Master:
    """What shines by itself."""
    sheet = Sheet(
        "emissive-fixture",
        "Emissive fixture",
        "Shines by itself, from dark to a hundred times white, steadily or in a slow pulse. Take it for lamps, screens, embers.",
    )
    surface = read_layer(sheet, "surface", "Surface", "A set with an emissive map.")
    sheet.begin("light")
    texture = sheet.texture("glow map", "emissive", "surface", (0.0, 0.0, 0.0), "Emissive")
    tint = sheet.colour("glow tint", "Colour")
    strength = sheet.number("glow strength", "Strength", 1.0, (0.0, 100.0), (0.0, None))
    pulses = sheet.switch("pulse on", "Pulse", False, structural=True)
    rate = sheet.number("pulse rate", "Pulses a second", 0.5, (0.05, 4.0), (0.0, 60.0), only_with=pulses)
    depth = sheet.share("pulse depth", "Depth", 0.4, only_with=pulses)
    read = sheet.add("glow read", "read", texture=texture, place="surface place")
    coloured = sheet.add("glow coloured", "multiply", a=read, b=tint)
    turns = sheet.add("turns", "multiply", a="time", b=rate)
    wave = sheet.add("wave", "sine", a=turns)
    swing = sheet.add("swing", "multiply", a=wave, b=depth)
    beat = sheet.add("beat", "add", a=swing, b=1.0)
    factor = sheet.add("steady or beat", "choose", switch=pulses, a=beat, b=1.0)
    bright = sheet.add("glow strong", "multiply", a=coloured, b=strength)
    return sheet.gives(**only_surface(surface) | {"emissive": sheet.add("glow", "multiply", a=bright, b=factor)})


def cloth() -> Master:
    """Woven cloth with fuzz."""
    sheet = Sheet(
        "cloth",
        "Cloth",
        "Woven cloth: a fine weave over the folds, and fuzz that lights up along the edge. Take it for sails, curtains, clothes.",
    )
    surface = read_layer(sheet, "surface", "Surface", "The cloth as a whole.")
    sheet.begin("weave")
    weave = sheet.texture("weave map", "normal", label="Weave", said="The normal map of a set with the weave from close by.")
    tiling = sheet.number("weave tiling", "Tiling", 12.0, (1.0, 60.0), (0.01, 1000.0))
    strength = sheet.number("weave strength", "Strength", 0.5, (0.0, 2.0), (0.0, 16.0))
    fades = sheet.number("weave fades at", "Fades out at", 12.0, (1.0, 50.0), (0.1, None), unit="m")
    place = sheet.add("weave place", "tile", uv="uv", across=tiling, down=tiling)
    read = sheet.add("weave", "read", texture=weave, place=place)
    near = sheet.add("weave near", "distance_fade", near=0.5, far=fades)
    counted = sheet.add("weave counted", "multiply", a=strength, b=near)
    bump = sheet.add("woven", "detail_normal", base=surface["normal"], detail=read, strength=counted)
    sheet.begin("fuzz")
    colour = sheet.colour("fuzz colour", "Colour", (0.25, 0.25, 0.25))
    rough = sheet.share("fuzz roughness", "Roughness", 0.5)
    fuzz = {"normal": bump, "sheen_colour": colour, "sheen_roughness": rough}
    return sheet.gives(**only_surface(surface) | fuzz)


def wet_surface() -> Master:
    """Wet, with standing water in what is low."""
    sheet = Sheet(
        "wet-surface",
        "Wet surface",
        "Wetness darkens and smooths; water stands where the height is low. Take it for streets; a height makes puddles.",
    )
    surface = read_layer(sheet, "surface", "Surface", "The surface as it is dry.", more=("height",))
    sheet.begin("wetness")
    mask = sheet.texture("wet mask", "mask", "", 1.0, "Mask", "Where it gets wet; blue on the mesh dries it.")
    amount = sheet.share("wetness", "Wetness", 0.6)
    dark = sheet.share("wet dark", "Darkens to", 0.55)
    level = sheet.share("water level", "Water level", 0.3, help="What of the height lies below it is under water.")
    shore = sheet.number("water shore", "Shore", 0.08, (0.01, 0.4), (0.001, 1.0), help="How wide the edge of the water is.")
    read = sheet.add("mask read", "read", texture=mask, place="uv")
    blue = sheet.add("painted dry", "blue", a="vertex colour")
    kept = sheet.add("not dry", "invert", a=blue)
    masked = sheet.add("mask counted", "multiply", a=read, b=kept)
    wet = sheet.add("wet", "multiply", a=masked, b=amount)
    to = sheet.add("shore to", "add", a=level, b=shore)
    dry = sheet.add("above water", "smooth_step", a=surface["height"], low=level, high=to)
    under = sheet.add("under water", "invert", a=dry)
    water = sheet.add("water", "multiply", a=under, b=wet)
    darkest = sheet.add("dark colour", "multiply", a=surface["base_colour"], b=dark)
    colour = sheet.add("wet colour", "mix", a=surface["base_colour"], b=darkest, share=wet)
    half = sheet.add("damp rough", "multiply", a=surface["roughness"], b=0.45)
    damp = sheet.add("wet rough", "mix", a=surface["roughness"], b=half, share=wet)
    rough = sheet.add("water rough", "mix", a=damp, b=0.05, share=water)
    calm = sheet.add("calm", "invert", a=water)
    bump = sheet.add("under the water", "strengthen", normal=surface["normal"], strength=calm)
    wetted = {"base_colour": colour, "roughness": rough, "normal": bump, "clear_coat": water}
    return sheet.gives(**only_surface(surface) | wetted)


def decal() -> Master:
    """Laid on something else."""
    sheet = Sheet(
        "decal",
        "Decal",
        "Laid on something else, with soft edges and wear. Take it for signs, stains, cracks, numbers on doors.",
        opacity_of("blended", two_sided=False),
    )
    surface = read_layer(sheet, "surface", "Surface", "A set with opacity; it does not repeat.", more=("opacity",))
    sheet.begin("opacity")
    strength = sheet.share("decal strength", "Strength", 1.0)
    wear = sheet.share("decal wear", "Wear", 0.0, help="How much of it has come off.")
    grain = sheet.number("decal grain", "Grain", 40.0, (4.0, 200.0), (1.0, 1000.0))
    clouds = sheet.add("grain", "cloud_noise", uv="uv", scale=grain)
    from_ = sheet.add("wear from", "subtract", a=wear, b=0.1)
    left = sheet.add("left", "smooth_step", a=clouds, low=from_, high=wear)
    kept = sheet.add("kept", "multiply", a=surface["opacity"], b=left)
    return sheet.gives(**only_surface(surface) | {"opacity": sheet.add("cover", "multiply", a=kept, b=strength)})
