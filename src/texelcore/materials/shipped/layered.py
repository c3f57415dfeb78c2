"""Several sets on one surface: by a mask, by what is painted on the mesh, by height, by wear."""

from __future__ import annotations

from texelcore.materials.sheets.document import Master
from texelcore.materials.shipped.writing import Sheet, blend, only_surface, read_layer


def two_layer_ground() -> Master:
    """Two sets by a mask, with a border that hides where they meet."""
    sheet = Sheet(
        "two-layer-ground",
        "Two-layer ground",
        "Two sets by a mask, with a softened, tinted border. Take it for paths, moss, whatever lies on something else.",
    )
    base = read_layer(sheet, "base", "Base", "What lies everywhere.")
    top = read_layer(sheet, "top", "Top", "What the mask lays over it.")
    sheet.begin("blend", "The mask decides; what is painted red on the mesh adds to it.")
    mask = sheet.texture("blend mask", "mask", "", 0.0, "Mask", "A mask of a set; 0 shows the base, 1 the top.")
    painted = sheet.share("painted share", "Painted on the mesh", 1.0, help="How much red on the mesh counts.")
    middle = sheet.share("blend middle", "Edge at", 0.5, help="The value of the mask at which the two meet.")
    soft = sheet.number(
        "blend soft", "Softness", 0.15, (0.0, 0.5), (0.001, 1.0), help="How wide the way from one to the other is."
    )
    read = sheet.add("mask read", "read", texture=mask, place="uv")
    red = sheet.add("painted red", "red", a="vertex colour")
    counted = sheet.add("painted counted", "multiply", a=red, b=painted)
    both = sheet.add("mask or paint", "maximum", a=read, b=counted)
    low = sheet.add("edge from", "subtract", a=middle, b=soft)
    high = sheet.add("edge to", "add", a=middle, b=soft)
    share = sheet.add("share", "smooth_step", a=both, low=low, high=high)
    surface = blend(sheet, "blended", base, top, share)
    sheet.begin("border")
    tint = sheet.colour("border tint", "Tint", (0.55, 0.48, 0.4))
    strength = sheet.share("border strength", "Strength", 0.5)
    near = sheet.add("border", "border", mask=share, width=0.5)
    weight = sheet.add("border weight", "multiply", a=near, b=strength)
    darker = sheet.add("border colour", "multiply", a=surface["base_colour"], b=tint)
    surface["base_colour"] = sheet.add("bordered", "mix", a=surface["base_colour"], b=darker, share=weight)
    return sheet.gives(**only_surface(surface))


def four_layers() -> Master:
    """A base and one layer for each of red, green and blue on the mesh."""
    sheet = Sheet(
        "four-layers",
        "Four layers by vertex colour",
        "A base, and a layer each for red, green and blue on the mesh; alpha is in reserve. Take it for ground and walls that "
        "somebody paints by hand; the mesh must be fine where the layers meet.",
    )
    keys = ("base_colour", "roughness", "normal")
    surface = read_layer(sheet, "base", "Base", "What lies where nothing is painted.", keys)
    for colour in ("red", "green", "blue"):
        above = read_layer(sheet, colour, colour.capitalize(), f"What is painted {colour} on the mesh.", keys)
        sheet.begin(f"{colour} blend")
        soft = sheet.number(f"{colour} soft", "Softness", 0.5, (0.0, 0.5), (0.001, 0.5))
        painted = sheet.add(f"{colour} painted", colour, a="vertex colour")
        low = sheet.add(f"{colour} from", "subtract", a=0.5, b=soft)
        high = sheet.add(f"{colour} to", "add", a=0.5, b=soft)
        share = sheet.add(f"{colour} share", "smooth_step", a=painted, low=low, high=high)
        surface = blend(sheet, f"{colour} over", surface, above, share)
    return sheet.gives(**only_surface(surface))


def height_blended_ground() -> Master:
    """Two sets that grow into each other by their heights. Its first version gave no height of its own."""
    sheet = Sheet(
        "height-blended-ground",
        "Height-blended ground",
        "Two sets with heights: the second fills what is low in the first. Take it for sand between stones, snow, mud; both sets "
        "need a height. What they make together has one too.",
        version=2,
    )
    base = read_layer(sheet, "base", "Base", "What stands out.", more=("height",))
    fill = read_layer(sheet, "fill", "Fill", "What fills the hollows.", more=("height",))
    sheet.begin("blend", "Red on the mesh raises the fill; without paint its level decides alone.")
    level = sheet.share("fill level", "Fill level", 0.4)
    painted = sheet.share("painted share", "Painted on the mesh", 1.0)
    contrast = sheet.share("blend contrast", "Contrast", 0.8, help="1 is a hard edge, 0 a long way from one to the other.")
    red = sheet.add("painted red", "red", a="vertex colour")
    counted = sheet.add("painted counted", "multiply", a=red, b=painted)
    share = sheet.add("level", "maximum", a=level, b=counted)
    weight = sheet.add("weight", "height_weight", height=base["height"], other=fill["height"], share=share, contrast=contrast)
    return sheet.gives(**blend(sheet, "blended", base, fill, weight))


def painted_metal() -> Master:
    """Paint on metal, worn away by a mask."""
    sheet = Sheet(
        "painted-metal",
        "Painted metal with wear",
        "Paint over bare metal, worn off where a mask says so, with a bright rim of primer between. Take it for machines, doors, "
        "vessels.",
    )
    metal = read_layer(sheet, "metal", "Metal", "What is under the paint.")
    paint = read_layer(sheet, "paint", "Paint", "What lies on it.")
    sheet.begin("wear")
    mask = sheet.texture("wear mask", "mask", "", 0.0, "Wear mask", "1 where the paint is gone. Red on the mesh adds to it.")
    amount = sheet.share("wear amount", "Amount", 0.5)
    grain = sheet.number("wear grain", "Grain", 24.0, (4.0, 128.0), (1.0, 1000.0), help="How fine the broken edge is.")
    rough_edge = sheet.share("wear raggedness", "Raggedness", 0.35)
    read = sheet.add("mask read", "read", texture=mask, place="uv")
    red = sheet.add("painted red", "red", a="vertex colour")
    both = sheet.add("mask or paint", "maximum", a=read, b=red)
    clouds = sheet.add("grain", "cloud_noise", uv="uv", scale=grain)
    centred = sheet.add("grain centred", "subtract", a=clouds, b=0.5)
    ragged = sheet.add("grain counted", "multiply", a=centred, b=rough_edge)
    worn = sheet.add("worn raw", "add", a=both, b=ragged)
    edge = sheet.add("worn from", "invert", a=amount)
    edge_to = sheet.add("worn to", "add", a=edge, b=0.08)
    share = sheet.add("worn", "smooth_step", a=worn, low=edge, high=edge_to)
    surface = blend(sheet, "seen", paint, metal, share)
    sheet.begin("primer")
    primer = sheet.colour("primer colour", "Colour", (0.5, 0.42, 0.3))
    strength = sheet.share("primer strength", "Strength", 0.6)
    rim = sheet.add("rim", "border", mask=share, width=0.45)
    weight = sheet.add("rim weight", "multiply", a=rim, b=strength)
    surface["base_colour"] = sheet.add("primed", "mix", a=surface["base_colour"], b=primer, share=weight)
    matte = sheet.add("matte", "mix", a=surface["metallic"], b=0.0, share=weight)
    return sheet.gives(**only_surface(surface) | {"metallic": matte})
