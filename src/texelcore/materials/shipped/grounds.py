"""Large ground: without visible repetition, and by slope and altitude."""

from __future__ import annotations

from texelcore.materials.sheets.document import Master
from texelcore.materials.shipped.writing import CONSTANTS, Sheet, blend, only_surface, read_layer


def large_ground() -> Master:
    """One set over a large area, in hexagons that are moved by lot."""
    sheet = Sheet(
        "large-ground",
        "Large ground",
        "One set over a large area without visible repetition: hexagons moved by lot, and brightness that wanders. Costs three "
        "reads a map. Take it for floors and fields that are seen from afar.",
    )
    layer = sheet.layer("surface", "Surface", "A set that tiles.")
    sheet.begin("placement")
    tiling = sheet.number("tiling", "Tiling", 8.0, (1.0, 200.0), (0.01, 1000.0))
    size = sheet.number("hexagon size", "Hexagon size", 0.6, (0.2, 2.0), (0.05, 10.0), help="As a share of the picture.")
    place = sheet.add("place", "tile", uv="uv", across=tiling, down=tiling)
    sheet.begin("surface")
    tint = sheet.colour("tint", "Tint")
    strength = sheet.number("normal strength", "Normal strength", 1.0, (0.0, 2.0), (0.0, 16.0))
    found = {}
    for key, word in (("base_colour", "colour"), ("roughness", "rough"), ("occlusion", "shade"), ("normal", "bump")):
        texture = sheet.texture(f"{word} map", key, layer, CONSTANTS[key])
        found[key] = sheet.add(word, "hex_read", texture=texture, place=place, size=size)
    sheet.begin("wandering", "Slow clouds over the whole area break what is left of repetition.")
    amount = sheet.share("wander amount", "Brightness wanders by", 0.25)
    width = sheet.number("wander scale", "Clouds across", 3.0, (0.5, 20.0), (0.1, 200.0))
    clouds = sheet.add("clouds", "cloud_noise", uv="uv", scale=width)
    shift = sheet.add("clouds centred", "subtract", a=clouds, b=0.5)
    scaled = sheet.add("clouds counted", "multiply", a=shift, b=amount)
    factor = sheet.add("brightness", "add", a=scaled, b=1.0)
    tinted = sheet.add("tinted", "multiply", a=found["base_colour"], b=tint)
    found["base_colour"] = sheet.add("wandering colour", "multiply", a=tinted, b=factor)
    found["normal"] = sheet.add("bump strong", "strengthen", normal=found["normal"], strength=strength)
    return sheet.gives(**found)


def terrain() -> Master:
    """Ground, rock where it is steep, snow where it is high."""
    sheet = Sheet(
        "terrain",
        "Terrain",
        "Ground, rock where it is steep and snow where it is high, by the mesh’s own slope and altitude. Take it for landscapes "
        "that nobody paints.",
    )
    keys = ("base_colour", "roughness", "normal")
    ground = read_layer(sheet, "ground", "Ground", "What lies where it is flat and low.", keys)
    rock = read_layer(sheet, "rock", "Rock", "What shows where it is steep.", keys)
    snow = read_layer(sheet, "snow", "Snow", "What lies where it is high and not steep.", keys)
    sheet.begin("slope")
    flat = sheet.number("rock from", "Rock from", 25.0, (0.0, 90.0), (0.0, 90.0), unit="°")
    steep = sheet.number("rock to", "All rock at", 40.0, (0.0, 90.0), (0.0, 90.0), unit="°")
    slope = sheet.add("slope", "slope_mask", facing="world normal", low=flat, high=steep)
    sheet.begin("altitude")
    low = sheet.number("snow from", "Snow from", 4.0, (0.0, 50.0), unit="m")
    high = sheet.number("snow to", "All snow at", 6.0, (0.0, 50.0), unit="m")
    altitude = sheet.add("altitude", "altitude_mask", position="world position", low=low, high=high)
    flatness = sheet.add("flatness", "invert", a=slope)
    lying = sheet.add("snow lying", "multiply", a=altitude, b=flatness)
    sheet.begin("blend")
    surface = blend(sheet, "rock over", ground, rock, slope)
    surface = blend(sheet, "snow over", surface, snow, lying)
    return sheet.gives(**only_surface(surface))
