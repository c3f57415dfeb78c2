"""The manifest: what each output is, means and came from. The same build writes the same manifest."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Literal

from texelcore.building.execute import Made
from texelcore.building.plan import Plan, PlannedChannel, files_of
from texelcore.building.recipe import Constant, FromSpecular, Multiplied, RebuiltBlue, Take, ToSpecular, step_words
from texelcore.pixels.resample import FILTER_WORDS
from texelcore.surface.documents import Document
from texelcore.surface.files import FileFacts
from texelcore.surface.properties import Encoding, property_of
from texelcore.surface.sources import Source
from texelcore.targets.document import Target


class ManifestSource(Document):
    """A source file: its name as it arrived, size and SHA-256."""

    name: str
    bytes: int
    sha256: str


class ManifestChannel(Document):
    """One channel: what it means, which files and channels it came from, and what was done on the way."""

    channel: str
    meaning: str
    property: str
    sources: tuple[str, ...]
    done: tuple[str, ...]


class ManifestOutput(Document):
    """One output file, with everything that an importer must be told."""

    file: str
    bytes: int
    sha256: str
    width: int
    height: int
    sample: str
    encoding: Encoding
    srgb: bool
    channels: tuple[ManifestChannel, ...]
    content_key: str


class Manifest(Document):
    """A build's record, written as JSON beside its outputs."""

    format: Literal["fair-texel-manifest"] = "fair-texel-manifest"
    version: Literal[1] = 1
    set: str
    project: str
    target: str
    target_version: int
    normal_y: str
    outputs: tuple[ManifestOutput, ...]
    sources: tuple[ManifestSource, ...]

    def to_json(self) -> str:
        """The manifest as indented JSON, ending with a line feed."""
        return self.model_dump_json(indent=2) + "\n"


def make_manifest(
    plan: Plan, target: Target, files: Mapping[Source, FileFacts], made: Sequence[Made], project: str = ""
) -> Manifest:
    """Describe outputs that were made from `plan`. `files` holds the facts of every file that the plan reads."""
    outputs = tuple(
        ManifestOutput(
            file=item.planned.file_name,
            bytes=item.bytes,
            sha256=item.sha256,
            width=item.planned.width,
            height=item.planned.height,
            sample=item.planned.output.sample,
            encoding=item.planned.output.encoding,
            srgb=item.planned.output.encoding == "srgb",
            channels=tuple(describe_channel(channel, files) for channel in item.planned.channels),
            content_key=item.planned.content_key,
        )
        for item in made
    )
    used = dict.fromkeys(name for item in made for name in item.planned.files)
    sources = [ManifestSource(name=files[name].path, bytes=files[name].bytes, sha256=files[name].sha256) for name in used]
    return Manifest(
        set=plan.set_name,
        project=project,
        target=target.name,
        target_version=target.version,
        normal_y=target.normal_y,
        outputs=outputs,
        sources=tuple(sorted(sources, key=lambda source: source.name)),
    )


def describe_steps(channel: PlannedChannel) -> tuple[str, ...]:
    """What a planned channel's recipe does, in words, in order. Empty when the values are copied as they are."""
    recipe = channel.recipe
    if isinstance(recipe, Constant):
        return (f"filled with {recipe.value:g}",)
    if isinstance(recipe, RebuiltBlue):
        return (*_resampled(recipe.red), "rebuilt to unit length from red and green")
    if isinstance(recipe, Multiplied):
        by = f"multiplied by {property_of(channel.multiplied_by).title.lower()} at strength {recipe.strength:g}"
        return (*_recipe_words(recipe.value), by, *(step_words(step) for step in recipe.steps))
    return _recipe_words(recipe)


def _recipe_words(recipe: Take | Constant | FromSpecular | ToSpecular) -> tuple[str, ...]:
    if isinstance(recipe, Constant):
        return (f"filled with {recipe.value:g}",)
    words = tuple(step_words(step) for step in recipe.steps)
    if isinstance(recipe, ToSpecular):
        return (*_resampled(recipe.base[0]), "to the specular workflow", *words)
    if isinstance(recipe, FromSpecular):
        return (*_resampled(recipe.diffuse[0]), "from the specular workflow", *words)
    return (*_resampled(recipe), *words)


def _resampled(take: Take) -> tuple[str, ...]:
    return (f"resampled ({FILTER_WORDS[take.resampling.filter]})",) if take.resampling else ()


def describe_channel(channel: PlannedChannel, files: Mapping[Source, FileFacts]) -> ManifestChannel:
    """What a planned channel means, where it comes from and what is done to it."""
    recipe = channel.recipe
    if isinstance(recipe, Take):
        sources: tuple[str, ...] = (f"{files[recipe.file].path}#{recipe.channel}",)
    else:
        sources = tuple(files[name].path for name in files_of(recipe))
    return ManifestChannel(
        channel=channel.channel,
        meaning=channel.meaning,
        property=channel.property,
        sources=sources,
        done=describe_steps(channel),
    )
