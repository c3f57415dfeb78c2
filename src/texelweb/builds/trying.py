"""A target that is being written, tried on sets: what each output would be called, weigh and look like, and what would change."""

from __future__ import annotations

from collections import OrderedDict, defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from threading import Lock
from typing import Any

import numpy as np
from pydantic import ValidationError

from texelcore.building.execute import assemble
from texelcore.building.plan import Plan, PlannedOutput, plan_at_size, plan_build
from texelcore.building.resize import resize_all
from texelcore.checks.house_rules import memory_of_output
from texelcore.checks.ledger_rules import check_set
from texelcore.pixels.display import display
from texelcore.pixels.errors import TexelError
from texelcore.pixels.image import Image
from texelcore.pixels.png import png_bytes
from texelcore.proof.prove import proof_key
from texelcore.surface.files import FileFacts
from texelcore.surface.findings import Finding
from texelcore.surface.ledger import Ledger
from texelcore.surface.sources import Source
from texelcore.targets.document import Target, TargetOutput, clashes, without_tile
from texelcore.targets.problems import TargetProblem, check_target, sound_outputs
from texelweb.builds.planning import judge_sets
from texelweb.projects.models import Project
from texelweb.sets.models import SourceFile, TextureSet
from texelweb.storage.decoded import decoded

# Edge of a picture of an output that is being designed, and of the sources that it is made from.
PICTURE_EDGE, SOURCE_EDGE = 144, 288
MOST_SMALL = 240


@dataclass(frozen=True)
class Tried:
    """A draft as far as it holds, with all that is wrong with it: a target of its sound outputs, and the place of each in it."""

    target: Target | None
    places: tuple[int, ...]
    problems: tuple[TargetProblem, ...]


def read_draft(body: Mapping[str, Any]) -> Tried:
    """A draft as far as it holds."""
    whole, problems = check_target(body)
    if whole is not None:
        return Tried(whole, tuple(range(len(whole.outputs))), ())
    sound = sound_outputs(body)
    clashing = {place for place, _, _ in clashes(list(sound.values()))}
    kept = {place: output for number, (place, output) in enumerate(sound.items()) if number not in clashing}
    head = {name: body[name] for name in ("normal_y", "name_template", "folder_template", "summary") if name in body}
    for tried in (head, {}):
        try:
            plain = {
                "name": "draft",
                "title": "Draft",
                "summary": "",
                "version": 1,
                "normal_y": "+Y",
                "name_template": "{set}_{suffix}",
            }
            target = Target.model_validate(plain | tried | {"outputs": [output.model_dump() for output in kept.values()]})
            return Tried(target, tuple(kept), tuple(problems))
        except ValidationError:
            # Its own templates do not hold yet: outputs are shown by the plain ones.
            continue
    return Tried(None, (), tuple(problems))


@dataclass(frozen=True)
class OutputTried:
    """One output of a draft for one set: where it stands in the document, its plan (None where the set does not ask for it), its
    memory in bytes, and what is found about it."""

    place: int
    output: TargetOutput
    planned: tuple[PlannedOutput, ...]
    memory: int
    findings: tuple[Finding, ...]


def try_on(texture_set: TextureSet, tried: Tried) -> list[OutputTried]:
    """What the outputs of a draft would be for a set. Raises TexelError for names that its templates cannot make."""
    if tried.target is None:
        return []
    ledger, files, plan = _planned(texture_set, tried.target)
    findings = check_set(ledger, files, tried.target, plan, texture_set.project.rules.checks)
    found = []
    for place, output in zip(tried.places, tried.target.outputs, strict=True):
        mine = tuple(planned for planned in plan.outputs if without_tile(planned.key)[0] == output.key)
        names = tuple(planned.file_name for planned in mine)
        said = tuple(finding for finding in findings if finding.subject.startswith(names) and names)
        found.append(OutputTried(place, output, mine, sum(memory_of_output(planned) for planned in mine), said))
    return found


def picture_of(texture_set: TextureSet, tried: Tried, place: int) -> bytes:
    """A PNG of one output of a draft, small: all channels together, then each alone, side by side.

    Raises TexelError for an output that does not hold, that the set does not ask for, or that cannot be made.
    """
    if tried.target is None or place not in tried.places:
        raise TexelError("The output", "does not hold yet.", "Correct what its cells say first.")
    output = tried.target.outputs[tried.places.index(place)]
    ledger, files, plan = _planned(texture_set, tried.target)
    planned = next((entry for entry in plan.outputs if without_tile(entry.key)[0] == output.key), None)
    if planned is None:
        raise TexelError(output.title, f"is not made of {texture_set.name}.", "Choose another set to look at.")
    if planned.problem:
        raise TexelError(output.title, planned.problem, planned.way_out or "Choose another set to look at.")
    surface = ledger.at(ledger.tiles()[0]) if ledger.tiles() else ledger
    images = {name: _small(files[name]) for name in planned.files}
    reduced = {
        name: facts.model_copy(update={"width": images[name].width, "height": images[name].height}) if name in images else facts
        for name, facts in files.items()
    }
    longest = max(planned.width, planned.height)
    scale = min(1.0, PICTURE_EDGE / longest)
    size = max(1, round(planned.width * scale)), max(1, round(planned.height * scale))
    small = plan_at_size(surface, tried.target, output, reduced, size)
    pixels = assemble(small, images, 0, size[1], resize_all(small, images))
    image = Image(pixels, tuple(channel.channel for channel in small.channels))
    light = output.encoding == "linear" and output.sample in ("f16", "f32")
    views = ["RGB", *(channel for channel in image.channels if len(image.channels) > 1)]
    shown = [display(image, view, light) for view in views]
    return png_bytes(np.concatenate([np.broadcast_to(part, (*part.shape[:2], 3)) for part in shown], axis=1))


@dataclass(frozen=True)
class Upgrade:
    """What another version of a target would do to the sets of a project. Outputs are counted; memory is in bytes."""

    sets: int
    built_again: int
    encoded_again: int
    renamed: int
    added: int
    removed: int
    memory_before: int
    memory_after: int


def upgrade_of(project: Project, sets: Sequence[TextureSet], old: Target, new: Target) -> Upgrade:
    """Count what taking another version of a target would change, over all sets that are made for it."""
    count = {"built_again": 0, "encoded_again": 0, "renamed": 0, "added": 0, "removed": 0}
    memory = [0, 0]
    judged = [
        [entry.plan for entry in judge_sets(project, [(texture_set, target) for texture_set in sets])] for target in (old, new)
    ]
    for plans in zip(*judged, strict=True):
        before, after = ({planned.key: planned for planned in plan.outputs} for plan in plans)
        memory = [
            had + sum(memory_of_output(planned) for planned in plan.outputs) for had, plan in zip(memory, plans, strict=True)
        ]
        count["added"] += len(after.keys() - before.keys())
        count["removed"] += len(before.keys() - after.keys())
        for key in before.keys() & after.keys():
            was, becomes = before[key], after[key]
            if was.content_key != becomes.content_key:
                count["built_again"] += 1
            elif proof_key(was) != proof_key(becomes):
                count["encoded_again"] += 1
            count["renamed"] += was.file_name != becomes.file_name
    return Upgrade(sets=len(sets), memory_before=memory[0], memory_after=memory[1], **count)


@dataclass(frozen=True)
class Lack:
    """Something that a target misses in some sets, in words; `stops` says that an output cannot be made."""

    says: str
    stops: bool
    sets: tuple[str, ...]


def lacks_of(project: Project, sets: Sequence[TextureSet], target: Target) -> list[Lack]:
    """What sets would lack that were made for a target: what stops outputs first, then what stands in, the most sets first."""
    named: dict[tuple[bool, str], list[str]] = defaultdict(list)
    for texture_set, judged in zip(sets, judge_sets(project, [(entry, target) for entry in sets]), strict=True):
        found = {(entry.severity == "error", entry.message) for entry in judged.findings if _tells_of_lack(entry)}
        for key in found:
            named[key].append(texture_set.name)
    lacks = [Lack(says, stops, tuple(names)) for (stops, says), names in named.items()]
    return sorted(lacks, key=lambda lack: (not lack.stops, -len(lack.sets), lack.says))


def _tells_of_lack(finding: Finding) -> bool:
    return finding.rule == "default-stands-in" or (finding.severity == "error" and finding.stage == "sorted")


def _planned(texture_set: TextureSet, target: Target) -> tuple[Ledger, dict[Source, FileFacts], Plan]:
    ledger = texture_set.ledger
    files = {str(file.pk): file.facts for file in SourceFile.objects.filter(pk__in=ledger.files())}
    return ledger, files, plan_build(ledger, target, files, texture_set.project.code, texture_set.code)


_small_ones: OrderedDict[str, Image] = OrderedDict()
_lock = Lock()


def _small(facts: FileFacts) -> Image:
    """A source with most of its texels left out: those that stay are as they are stored."""
    with _lock:
        if facts.sha256 in _small_ones:
            _small_ones.move_to_end(facts.sha256)
            return _small_ones[facts.sha256]
    with decoded(facts.sha256, f".{facts.format}") as image:
        step = max(1, -(-max(image.width, image.height) // SOURCE_EDGE))
        small = Image(np.ascontiguousarray(image.data[::step, ::step]), image.channels)
    with _lock:
        _small_ones[facts.sha256] = small
        while len(_small_ones) > MOST_SMALL:
            _small_ones.popitem(last=False)
    return small
