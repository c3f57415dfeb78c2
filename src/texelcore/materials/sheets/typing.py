"""Does a master hold together? Names, slots, kinds and order, found out before anything is evaluated: every mistake, at its
place."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any

from pydantic import ValidationError

from texelcore.materials.sheets.blocks import block_problems, first_outputs, input_problems
from texelcore.materials.sheets.document import (
    FORMAT_VERSION,
    MESH_INPUTS,
    MOST_STRANDS,
    UV,
    Master,
    Parameter,
    TextureInput,
    ValueKind,
    constant_of,
    value_problem,
)
from texelcore.materials.sheets.kinds import GIVEN_KINDS, KIND_WORDS, texture_kind, texture_property
from texelcore.materials.sheets.strands import CheckedStrand, MasterProblem, check_strands, problem_at
from texelcore.materials.sheets.unfolding import Origin, unfold
from texelcore.surface.mistakes import in_words


@dataclass(frozen=True)
class CheckedMaster:
    """A master that holds together: its steps in an order in which each comes after what it needs, and all kinds by name. It is
    unfolded: blocks have become the strands inside them."""

    master: Master
    steps: tuple[CheckedStrand, ...]
    kinds: dict[str, ValueKind]

    def mesh_inputs(self) -> tuple[str, ...]:
        """What it asks of a mesh beside the texture coordinate, in the order of `MESH_INPUTS`."""
        named: set[object] = set(self.master.surface.values())
        for step in self.steps:
            named |= {step.strand.inputs.get(slot.name, slot.default) for slot in step.operation.slots}
        return tuple(name for name in MESH_INPUTS if name != UV and name in named)


@dataclass(frozen=True)
class Examined:
    """A master's document as far as it holds: all mistakes, the kind of each name that could be told, and the steps that
    hold. `master` is unfolded: blocks have become the strands inside them; `document` is as it was written."""

    master: Master | None
    problems: tuple[MasterProblem, ...]
    kinds: dict[str, ValueKind] = field(default_factory=dict)
    steps: tuple[CheckedStrand, ...] = ()
    document: Master | None = None

    @property
    def checked(self) -> CheckedMaster | None:
        """The master, where nothing is wrong with it."""
        return CheckedMaster(self.master, self.steps, self.kinds) if self.master and not self.problems else None


def check_master(master: Master) -> CheckedMaster:
    """Check a master. Raises TexelError that names the strand, the rule that it breaks and the way out."""
    found = examine(master)
    if found.checked is None:
        raise found.problems[0].error
    return found.checked


def read_master(body: Any) -> Examined:
    """A master from the values of its document, which need not hold."""
    if not isinstance(body, Mapping):
        return Examined(None, (problem_at((), "The document", "is no master.", "Name the JSON of a master."),))
    if body.get("format", "fair-texel-master") != "fair-texel-master":
        said = f"is of another kind, {str(body['format'])[:60]}."
        return Examined(None, (problem_at(("format",), "The document", said, "Name the JSON of a master."),))
    version = body.get("format_version", 1)
    if isinstance(version, int) and version > FORMAT_VERSION:
        said = f"was written by a newer Fair Texel, in version {version} of the format; this one reads version {FORMAT_VERSION}."
        return Examined(None, (problem_at(("format_version",), "The document", said, "Update this one, then read it again."),))
    strands = body.get("strands")
    if isinstance(strands, list | tuple) and len(strands) > MOST_STRANDS:
        said = f"has {len(strands):,} strands; a master has at most {MOST_STRANDS:,}."
        return Examined(None, (problem_at(("strands",), "The master", said, "Split it into several masters."),))
    try:
        return examine(Master.model_validate(body))
    except ValidationError as error:
        return Examined(None, tuple(_told(entry, body) for entry in error.errors(include_url=False)))
    except RecursionError:
        return Examined(None, (problem_at((), "The document", "is nested too deeply.", "Write it again."),))


def examine(master: Master) -> Examined:
    """All that is wrong with a master. A strand that leans on one that does not hold is not blamed for it."""
    problems: list[MasterProblem] = []
    kinds = dict(_names(master, problems))
    problems += _parameter_problems(master)
    problems += block_problems(master)
    unfolded = unfold(master)
    flat, textures = unfolded.master, {texture.name for texture in master.textures}
    known = {*kinds, *textures, *(strand.name for strand in flat.strands)}
    mistakes: list[MasterProblem] = []
    if len(flat.strands) > MOST_STRANDS:
        said = f"has {len(flat.strands):,} strands with those of its blocks; a master has at most {MOST_STRANDS:,}."
        problems.append(problem_at(("strands",), master.title, said, "Split it into several masters."))
        return Examined(flat, tuple(problems), kinds, (), master)
    steps = check_strands(flat.strands, kinds, textures, mistakes)
    problems += input_problems(master, kinds, textures)
    blamed = {problem.place[:2] for problem in problems}
    for problem in mistakes:
        found = _in_place(problem, flat, unfolded.origins)
        # What goes wrong inside a block for what was put into it is said once, at what was put in.
        if problem.subject == found.subject or found.place[:2] not in blamed:
            problems.append(found)
    problems += _surface_problems(flat, kinds, textures, known)
    problems.sort(key=lambda problem: problem.place[:1] != ("strands",))
    kinds |= first_outputs(master, kinds)
    return Examined(flat, tuple(problems), kinds, tuple(steps), master)


def _in_place(problem: MasterProblem, flat: Master, origins: Mapping[str, Origin]) -> MasterProblem:
    """A mistake of an unfolded master's strand, where it stands in the master itself."""
    _, number, *rest = problem.place
    origin = origins[flat.strands[int(number)].name]
    if not origin.inner:
        return problem.model_copy(update={"place": ("strands", origin.at, *rest)})
    strand = problem.subject.partition(":")[0]
    message = f"does not hold inside its block, where “{origin.inner}” {problem.message}"
    return problem_at(("strands", origin.at), strand, message, problem.way_out)


def _told(entry: Any, body: Mapping[str, Any]) -> MasterProblem:
    """A mistake of the document itself, in words."""
    place = tuple(part for part in entry["loc"] if not (isinstance(part, str) and part.startswith(("function-", "tuple["))))
    # Unions of kinds of values say each kind that was tried.
    at = next((index for index, part in enumerate(place) if part in ("bool", "float", "str")), len(place))
    place = place[:at]
    subject: Any = body
    name = "The master"
    for part in place:
        try:
            subject = subject[part]
        except (KeyError, IndexError, TypeError):
            break
        if isinstance(subject, Mapping) and isinstance(subject.get("name"), str):
            name = subject["name"][:60] or f"Number {part}"
    if place and place[-1] == "name" and entry["type"] in ("string_pattern_mismatch", "string_too_long", "string_too_short"):
        said = "is a name of up to six lower-case words of letters and digits, 40 characters at most."
        return problem_at(place, f"“{str(entry['input'])[:60]}”", f"is no name: it {said}", "Rename it.")
    message = in_words(entry)
    field_name = place[-1] if place and isinstance(place[-1], str) else "it"
    return problem_at(place, name, f"does not hold at {field_name}: {message}.", "Correct it.")


def _names(master: Master, problems: list[MasterProblem]) -> Iterator[tuple[str, ValueKind]]:
    """Every name that has a kind by itself; strands have none yet. A name that two things share is a mistake."""
    found = set(MESH_INPUTS)
    yield from ((entry.name, entry.kind) for entry in MESH_INPUTS.values())
    layers = {layer.name for layer in master.layers}

    def take(place: tuple[str | int, ...], name: str) -> None:
        if name in found:
            problems.append(problem_at(place, name, "is the name of two things in this master.", "Rename one of them."))
        found.add(name)

    for at, parameter in enumerate(master.parameters):
        take(("parameters", at, "name"), parameter.name)
        yield parameter.name, parameter.kind
    for at, texture in enumerate(master.textures):
        take(("textures", at, "name"), texture.name)
        if texture_property(texture.property) is None:
            said = f"reads {texture.property}, which no surface has."
            problems.append(problem_at(("textures", at, "property"), texture.name, said, "Name a surface property or a mask."))
            continue
        if texture.layer and texture.layer not in layers:
            said = f"reads the layer “{texture.layer}”, which is not in this master."
            problems.append(problem_at(("textures", at, "layer"), texture.name, said, "Name one of its layers."))
        if not texture.layer and texture.name in layers:
            said = "is free and has the name of a layer."
            problems.append(problem_at(("textures", at, "name"), texture.name, said, "Rename one of them."))
        if (constant := constant_of(texture)) and not _fits(texture, constant):
            kind = KIND_WORDS[texture_kind(texture.property)]
            said = f"has a constant that is no {kind} from 0 to 1."
            problems.append(problem_at(("textures", at, "constant"), texture.name, said, f"Give it a {kind}, or none."))
        yield texture.name, texture_kind(texture.property)
    for at, strand in enumerate(master.strands):
        take(("strands", at, "name"), strand.name)
    taken: set[str] = set()
    for at, layer in enumerate(master.layers):
        if layer.name in taken:
            said = "is the name of two layers in this master."
            problems.append(problem_at(("layers", at, "name"), layer.name, said, "Rename one of them."))
        taken.add(layer.name)


def _fits(texture: TextureInput, constant: Parameter) -> bool:
    return constant.kind == texture_kind(texture.property) and value_problem(constant, constant.default) is None


def _parameter_problems(master: Master) -> Iterator[MasterProblem]:
    known = {parameter.name: parameter for parameter in master.parameters}
    for at, parameter in enumerate(master.parameters):
        place = ("parameters", at)
        if parameter.kind == "choice" and len(set(parameter.choices)) < 2:
            yield problem_at((*place, "choices"), parameter.label, "is a choice of fewer than two words.", "Name two or more.")
        elif problem := value_problem(parameter, parameter.default):
            said = f"has a default or range that does not hold: it {problem}."
            yield problem_at((*place, "default"), parameter.label, said, "Correct the parameter.")
        elif parameter.kind in ("number", "two", "three", "four") and parameter.soft_low >= parameter.soft_high:
            said = "has a default or range that does not hold: it has a slider that begins where it ends."
            yield problem_at((*place, "soft_low"), parameter.label, said, "Correct the parameter.")
        if parameter.structural and parameter.kind not in ("switch", "choice"):
            said = f"is structural, and a {KIND_WORDS[parameter.kind]}: only switches and choices are."
            yield problem_at((*place, "structural"), parameter.label, said, "Make it a plain parameter.")
        if parameter.only_with:
            other = known.get(parameter.only_with)
            fits = other and other.name != parameter.name and (other.kind == "switch" or parameter.only_at in other.choices)
            if not fits:
                said = (
                    f"is shown with “{parameter.only_with}”, which is no switch of this master, and no choice that has its word."
                )
                yield problem_at((*place, "only_with"), parameter.label, said, "Name a switch, or a choice and one of its words.")


def _surface_problems(
    master: Master, kinds: Mapping[str, ValueKind], textures: set[str], known: set[str]
) -> Iterator[MasterProblem]:
    for key, name in master.surface.items():
        place = ("surface", key)
        wanted = GIVEN_KINDS.get(key)
        if wanted is None:
            said = f"gives {key}, which no surface has."
            yield problem_at(place, master.title, said, f"Known: {', '.join(GIVEN_KINDS)}.")
            continue
        if name in known and name not in kinds:
            continue
        kind = kinds.get(name)
        if kind is None or name in textures:
            said = f"takes {key} from “{name}”, which is no strand and no parameter."
            yield problem_at(place, master.title, said, "Name one of them.")
        elif kind != wanted and not (wanted == "colour" and kind == "number"):
            said = f"takes {key}, a {KIND_WORDS[wanted]}, from “{name}”, a {KIND_WORDS[kind]}."
            yield problem_at(place, master.title, said, "Choose a strand that fits.")
