"""A set's canonical surface as the stage shows it: a few small pictures made of its sources by the build's own rules, and the
lit picture of them that lists show."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from texelcore.building.execute import assemble
from texelcore.building.plan import PlannedOutput, given, is_asked_for, plan_at_size
from texelcore.building.resize import resize_all
from texelcore.codecs.dds import write_dds
from texelcore.codecs.mips import MipChoice, MipKind
from texelcore.codecs.texture import encode
from texelcore.colour.srgb import light_of
from texelcore.lighting.cubes import shipped_cube
from texelcore.lighting.environments import ENVIRONMENTS
from texelcore.lighting.lit import Form, Lit, lit_picture
from texelcore.materials.dressing.binding import SetMaps, bind
from texelcore.materials.dressing.evaluate import evaluate, texel_centres
from texelcore.materials.dressing.textures import samplers_of
from texelcore.materials.sheets.document import Master, Value
from texelcore.materials.sheets.kinds import SURFACE_KINDS
from texelcore.materials.sheets.typing import check_master
from texelcore.normals.rebuild import unit_vectors
from texelcore.pixels.image import Image, Pixels
from texelcore.pixels.strips import strip_ranges
from texelcore.pixels.values import as_values
from texelcore.surface.files import FileFacts
from texelcore.surface.formats import TextureFormat
from texelcore.surface.ledger import Ledger
from texelcore.surface.sources import Source
from texelcore.surface.storage import Storage
from texelcore.targets.document import Target, TargetOutput
from texelcore.targets.helpers import with_masks

Floats = NDArray[np.floating]
# Raised when lit pictures change, so that old ones are not shown for new.
LIT_VERSION = 5
# The longest edge of a picture for the stage, and of those that a small lit picture is made of.
STAGE_EDGE, SMALL_EDGE = 2048, 256
# Height moves points and rays: finer than this nobody sees it, and 16 bits a texel are sent as they are.
HEIGHT_EDGE = 1024
# The light of lists: one for all, so that surfaces are compared and not lights.
LIST_LIGHT = "workshop"
# How wide the border between two stripes of paint is, where a stripe is 1.
STRIPE_BORDER = 0.3
# Absence of these is said beside a picture.
MISSED = ("base_colour", "normal", "roughness")


# What is sent with levels of its own: coverage, which averaging would lose, and 16 bits, which no picture of a browser's has.
LEVELLED: dict[str, MipKind] = {"opacity": "coverage", "height": "data"}


def _output(
    key: str, title: str, encoding: str, channels: Sequence[tuple[str, str, int]], only: Sequence[str], sample: str = "u8"
) -> TargetOutput:
    form: TextureFormat = "rgba8" if len(channels) > 1 else "r16" if sample == "u16" else "r8"
    return TargetOutput.model_validate(
        {
            "key": key,
            "title": title,
            "suffix": key,
            "file_format": "png",
            "sample": sample,
            "encoding": encoding,
            "channels": [{"channel": name, "property": prop, "component": at} for name, prop, at in channels],
            "only_with": only,
            "storage": Storage(format=form, srgb=encoding == "srgb"),
            "container": "file",
        }
    )


def _colour(key: str) -> list[tuple[str, str, int]]:
    return [(name, key, at) for at, name in enumerate("RGB")]


STAGE_TARGET = Target(
    name="stage",
    title="Stage",
    summary="",
    version=1,
    normal_y="+Y",
    name_template="{set}_{suffix}",
    outputs=(
        _output("colour", "Base colour", "srgb", _colour("base_colour"), ("base_colour",)),
        _output("normal", "Normal", "linear", _colour("normal"), ("normal",)),
        _output(
            "data",
            "Occlusion, roughness, metallic",
            "linear",
            [("R", "occlusion", 0), ("G", "roughness", 0), ("B", "metallic", 0)],
            ("occlusion", "roughness", "metallic"),
        ),
        _output("opacity", "Opacity", "linear", [("Y", "opacity", 0)], ("opacity",)),
        _output("emissive", "Emissive", "srgb", _colour("emissive"), ("emissive",)),
        _output("height", "Height", "linear", [("Y", "height", 0)], ("height",), "u16"),
    ),
)


def plan_stage(ledger: Ledger, files: Mapping[Source, FileFacts], edge: int = STAGE_EDGE) -> tuple[PlannedOutput, ...]:
    """What the stage shows of a set, at most `edge` texels on an edge: of a set in tiles, its first. What cannot be made is
    left out."""
    tiles = ledger.tiles()
    surface = ledger.at(tiles[0]) if tiles else ledger
    found = []
    for output in with_masks(STAGE_TARGET, {row.property for row in ledger.rows}).outputs:
        if not is_asked_for(output, surface):
            continue
        planned = plan_at_size(surface, STAGE_TARGET, output, files, None)
        most = min(edge, HEIGHT_EDGE) if output.key == "height" else edge
        if (longest := max(planned.width, planned.height)) > most:
            size = max(1, planned.width * most // longest), max(1, planned.height * most // longest)
            planned = plan_at_size(surface, STAGE_TARGET, output, files, size)
        if planned.files and not planned.problem:
            found.append(planned)
    return tuple(found)


def coarse(files: Mapping[Source, FileFacts], edge: int = SMALL_EDGE) -> dict[Source, FileFacts]:
    """The facts of files as `coarsened` leaves their pictures: at most twice `edge` texels on an edge, by a whole factor."""
    found = {}
    for key, facts in files.items():
        factor = _factor(facts.width, facts.height, edge)
        found[key] = facts.model_copy(update={"width": facts.width // factor, "height": facts.height // factor})
    return found


def coarsened(image: Image, edge: int = SMALL_EDGE) -> Image:
    """A picture whose texels are means of blocks of what is stored. Small lit pictures need no more, and are made many times as
    quickly."""
    factor = _factor(image.width, image.height, edge)
    if factor == 1:
        return image
    high, wide = image.height // factor, image.width // factor
    blocks = image.data[: high * factor, : wide * factor].reshape(high, factor, wide * factor, -1)
    rows = blocks.sum(axis=1, dtype=np.float32).reshape(high, wide, factor, -1)
    means = rows.sum(axis=2, dtype=np.float32) / np.float32(factor * factor)
    return Image((means + 0.5 if image.data.dtype.kind == "u" else means).astype(image.data.dtype), image.channels)


def _factor(width: int, height: int, edge: int) -> int:
    return max(1, min(min(width, height), max(width, height) // (2 * edge)))


def stage_pixels(planned: PlannedOutput, images: Mapping[Source, Image]) -> Pixels:
    """One of the stage's pictures, (H, W, C) uint8, of decoded sources."""
    resized = resize_all(planned, images) if planned.resized else None
    strips = [assemble(planned, images, start, stop, resized) for start, stop in strip_ranges(planned.width, planned.height)]
    return np.concatenate(strips)


def stage_levels(planned: PlannedOutput, pixels: Pixels, cut: float | None = None) -> bytes:
    """One of the stage's pictures that are sent with their levels (`LEVELLED`), as a DDS file. Of opacity that is `cut`, each
    level covers as much as the whole picture does (Castaño, Computing Alpha Mipmaps, 2010)."""
    choice = MipChoice(cut=cut, cutout=True) if cut is not None else MipChoice(cutout=False)
    image = Image(pixels, ("Y",))
    return write_dds(encode(image, planned.storage, (LEVELLED[planned.key],), choice=choice))


def lit_form(ledger: Ledger) -> Form:
    """A sphere for what is solid, a tile for what can be looked through, or is no surface."""
    return "tile" if ledger.row("opacity") or not ledger.surface else "sphere"


def lit_surface(pictures: Mapping[str, Pixels], form: Form, size: int, surface: bool = True) -> Pixels:
    """The lit picture (N, N, 4) of a set, of the stage's pictures by key. One that is no `surface` shows the first of its masks
    in the place of a base colour that it lacks."""
    maps: dict[str, Floats] = {}
    for key, pixels in pictures.items():
        if key in ("colour", "emissive"):
            maps["base_colour" if key == "colour" else key] = light_of(pixels)
        elif key == "normal":
            maps[key] = unit_vectors(as_values(pixels))
        elif key == "data":
            maps |= {name: as_values(pixels[:, :, [at]]) for at, name in enumerate(("occlusion", "roughness", "metallic"))}
        elif key == "opacity":
            maps[key] = as_values(pixels)
    masks = [key for key in pictures if key.startswith("mask_")]
    if masks and not surface and "base_colour" not in maps:
        maps["base_colour"] = np.repeat(as_values(pictures[masks[0]]), 3, axis=2)
    return lit_picture(maps, list_light(), form, size)


@dataclass(frozen=True)
class Taken:
    """The stage's pictures, by key, of a set that a layer or a free texture takes, and its maps, to bind textures to."""

    pictures: Mapping[str, Pixels]
    maps: SetMaps

    @property
    def images(self) -> dict[str, Image]:
        """Its pictures with their channels named."""
        return {
            key: Image(pixels, ("Y",) if pixels.shape[2] == 1 else tuple("RGBA"[: pixels.shape[2]]))
            for key, pixels in self.pictures.items()
        }


def lit_variant(
    worn: Mapping[str, Taken],
    master: Master,
    own: Mapping[str, Value],
    form: Form,
    size: int,
    edge: int = SMALL_EDGE,
) -> Pixels:
    """The lit picture (N, N, 4) of a variant, of what its layers and free textures take, by name; it is painted in stripes.
    `own` are the variant's values. Raises TexelError for values that the master does not take."""
    images = {holder: taken.images for holder, taken in worn.items()}
    sets = {holder: taken.maps for holder, taken in worn.items()}
    samplers = samplers_of(master, bind(master, STAGE_TARGET, sets), images, STAGE_TARGET)
    uv = texel_centres(edge, edge)
    surface = evaluate(check_master(master), own, samplers, uv, stripes(uv))
    maps = {key: value if value.ndim == 3 else value[..., None] for key, value in surface.items()}
    shown = {key: value for key, value in maps.items() if key in SURFACE_KINDS}
    return lit_picture(shown, list_light(), form, size)


def stripes(uv: NDArray[np.float32]) -> dict[str, NDArray[np.float32]]:
    """Vertex colours for what nobody has painted, so that every layer is seen: four stripes across the picture, unpainted, red,
    green and blue, with soft borders."""
    across = uv[..., 0] * np.float32(4)
    edges = [np.clip((across - at) / np.float32(STRIPE_BORDER) + np.float32(0.5), 0, 1) for at in (1, 2, 3)]
    steps = [*edges, np.zeros_like(across)]
    painted = [steps[at] - steps[at + 1] if at < 2 else steps[at] for at in range(3)]
    return {"vertex colour": np.stack(painted, -1), "vertex alpha": np.zeros_like(across)}


def list_light() -> Lit:
    """The light of all lists."""
    (environment,) = (environment for environment in ENVIRONMENTS if environment.name == LIST_LIGHT)
    return Lit(shipped_cube(environment.name), environment.key)


def lit_key(planned: Sequence[PlannedOutput], form: Form, size: int, dressed: str = "") -> str:
    """SHA-256 over all that a lit picture depends on; `dressed` says what it is dressed with."""
    parts = [f"lit {LIT_VERSION} {LIST_LIGHT} {form} {size}", *(entry.content_key for entry in planned), dressed]
    return hashlib.sha256("\n".join(parts).encode()).hexdigest()


def look_stamp(ledger: Ledger, files: Mapping[Source, FileFacts]) -> str:
    """Twelve hex digits that change whenever a set's lit picture may: over its ledger and the bytes of its files."""
    used = sorted({row.file for row in ledger.parts() if row.file in files})
    text = "\n".join([f"{LIT_VERSION}", ledger.model_dump_json(), *(files[file].sha256 for file in used)])
    return hashlib.sha256(text.encode()).hexdigest()[:12]


def missed(planned: Sequence[PlannedOutput]) -> tuple[str, ...]:
    """The properties that a surface is judged by and that no picture of it holds."""
    return tuple(key for key in MISSED if key not in given(planned))
