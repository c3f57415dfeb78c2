"""Does a master hold together? Names, slots, kinds and order, found out before anything is evaluated: every mistake, at its
place."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from graphlib import CycleError, TopologicalSorter
from typing import Any

from pydantic import ValidationError

from texelcore.materials.document import (
    FORMAT_VERSION,
    MESH_INPUTS,
    MOST_STRANDS,
    WIDTHS,
    Master,
    Parameter,
    Strand,
    TextureInput,
    ValueKind,
    constant_of,
    value_problem,
)
from texelcore.materials.operations import OPERATIONS, Operation, Slot
from texelcore.pixels.errors import TexelError
from texelcore.surface.documents import Document
from texelcore.surface.properties import Property, property_of

# What each property of the surface takes.
SURFACE_KINDS: dict[str, ValueKind] = {
    "base_colour": "colour",
    "opacity": "number",
    "normal": "direction",
    "roughness": "number",
    "metallic": "number",
    "occlusion": "number",
    "emissive": "colour",
}
# What the ratified extensions of glTF 2.0 add to them: KHR_materials_clearcoat, _sheen, _specular, _ior, _anisotropy. A master
# that gives none of a group costs nothing for it.
EXTENDED_KINDS: dict[str, ValueKind] = {
    **{"clear_coat": "number", "clear_coat_roughness": "number"},
    **{"sheen_colour": "colour", "sheen_roughness": "number"},
    **{"specular_level": "number", "index_of_refraction": "number"},
    **{"anisotropy": "number", "anisotropy_rotation": "number"},
}
GIVEN_KINDS: dict[str, ValueKind] = SURFACE_KINDS | EXTENDED_KINDS
# Kinds that arithmetic works on; a number widens to each of the others.
_ARITHMETIC = ("number", "two", "three", "four", "colour")
KIND_WORDS: Mapping[str, str] = {
    "number": "number",
    "two": "pair of numbers",
    "three": "triple of numbers",
    "four": "group of four numbers",
    "colour": "colour",
    "direction": "direction",
    "place": "place",
    "switch": "switch",
    "choice": "choice",
}
_READS_FLAT = "Put a “read” strand between a texture and what uses its values."


class MasterProblem(Document):
    """One mistake: the keys and numbers that lead to it in the document, whose it is, what is wrong, and the way out."""

    place: tuple[str | int, ...]
    subject: str
    message: str
    way_out: str

    @property
    def error(self) -> TexelError:
        """The mistake as an error."""
        return TexelError(self.subject, self.message, self.way_out)


def _problem(place: tuple[str | int, ...], subject: str, message: str, way_out: str) -> MasterProblem:
    return MasterProblem(place=place, subject=subject, message=message, way_out=way_out)


@dataclass(frozen=True)
class CheckedStrand:
    """A strand that was checked: its operation, the kind that it gives, and the kind that its "same" or "any" slots share."""

    strand: Strand
    operation: Operation
    gives: ValueKind
    shared: ValueKind


@dataclass(frozen=True)
class CheckedMaster:
    """A master that holds together: its steps in an order in which each comes after what it needs, and all kinds by name."""

    master: Master
    steps: tuple[CheckedStrand, ...]
    kinds: dict[str, ValueKind]


@dataclass(frozen=True)
class Examined:
    """A master's document as far as it holds: all mistakes, the kind of each name that could be told, and the steps that
    hold."""

    master: Master | None
    problems: tuple[MasterProblem, ...]
    kinds: dict[str, ValueKind] = field(default_factory=dict)
    steps: tuple[CheckedStrand, ...] = ()

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
        return Examined(None, (_problem((), "The document", "is no master.", "Name the JSON of a master."),))
    if body.get("format", "fair-texel-master") != "fair-texel-master":
        said = f"is of another kind, {str(body['format'])[:60]}."
        return Examined(None, (_problem(("format",), "The document", said, "Name the JSON of a master."),))
    version = body.get("format_version", 1)
    if isinstance(version, int) and version > FORMAT_VERSION:
        said = f"was written by a newer Fair Texel, in version {version} of the format; this one reads version {FORMAT_VERSION}."
        return Examined(None, (_problem(("format_version",), "The document", said, "Update this one, then read it again."),))
    strands = body.get("strands")
    if isinstance(strands, list | tuple) and len(strands) > MOST_STRANDS:
        said = f"has {len(strands):,} strands; a master has at most {MOST_STRANDS:,}."
        return Examined(None, (_problem(("strands",), "The master", said, "Split it into several masters."),))
    try:
        return examine(Master.model_validate(body))
    except ValidationError as error:
        return Examined(None, tuple(_told(entry, body) for entry in error.errors(include_url=False, include_context=False)))
    except RecursionError:
        return Examined(None, (_problem((), "The document", "is nested too deeply.", "Write it again."),))


def examine(master: Master) -> Examined:
    """All that is wrong with a master. A strand that leans on one that does not hold is not blamed for it."""
    problems: list[MasterProblem] = []
    kinds = dict(_names(master, problems))
    problems += _parameter_problems(master)
    places = {strand.name: at for at, strand in enumerate(master.strands)}
    strands = {strand.name: strand for strand in master.strands}
    textures = {entry.name for entry in master.textures}
    known = {*kinds, *textures, *strands}
    steps = []
    for name in _order(master, strands, problems):
        try:
            step = _check_strand(strands[name], places[name], kinds, textures, known)
        except _Wrong as wrong:
            problems.append(wrong.problem)
            continue
        if step:
            kinds[name] = step.gives
            steps.append(step)
    problems += _surface_problems(master, kinds, textures, known)
    problems.sort(key=lambda problem: problem.place[:1] != ("strands",))
    return Examined(master, tuple(problems), kinds, tuple(steps))


def texture_kind(key: str) -> ValueKind:
    """What reading a texture of a property gives."""
    if key == "normal":
        return "direction"
    return "colour" if len(property_of(key).components) == 3 else "number"


def texture_property(key: str) -> Property | None:
    """The property that a texture input may ask for; None for what no set has."""
    try:
        found = property_of(key)
    except KeyError:
        return None
    return None if key in ("constant", "diffuse", "specular") else found


class _Wrong(Exception):
    def __init__(self, problem: MasterProblem) -> None:
        super().__init__(problem.message)
        self.problem = problem


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
        return _problem(place, f"“{str(entry['input'])[:60]}”", f"is no name: it {said}", "Rename it.")
    message = str(entry["msg"]).removeprefix("Value error, ")
    field_name = place[-1] if place and isinstance(place[-1], str) else "it"
    return _problem(place, name, f"does not hold at {field_name}: {message}.", "Correct it.")


def _names(master: Master, problems: list[MasterProblem]) -> Iterator[tuple[str, ValueKind]]:
    """Every name that has a kind by itself; strands have none yet. A name that two things share is a mistake."""
    found = set(MESH_INPUTS)
    yield from ((entry.name, entry.kind) for entry in MESH_INPUTS.values())
    layers = {entry.name for entry in master.layers}

    def take(place: tuple[str | int, ...], name: str) -> None:
        if name in found:
            problems.append(_problem(place, name, "is the name of two things in this master.", "Rename one of them."))
        found.add(name)

    for at, parameter in enumerate(master.parameters):
        take(("parameters", at, "name"), parameter.name)
        yield parameter.name, parameter.kind
    for at, texture in enumerate(master.textures):
        take(("textures", at, "name"), texture.name)
        if texture_property(texture.property) is None:
            said = f"reads {texture.property}, which no surface has."
            problems.append(_problem(("textures", at, "property"), texture.name, said, "Name a surface property or a mask."))
            continue
        if texture.layer and texture.layer not in layers:
            said = f"reads the layer “{texture.layer}”, which is not in this master."
            problems.append(_problem(("textures", at, "layer"), texture.name, said, "Name one of its layers."))
        if not texture.layer and texture.name in layers:
            said = "is free and has the name of a layer."
            problems.append(_problem(("textures", at, "name"), texture.name, said, "Rename one of them."))
        if (constant := constant_of(texture)) and not _fits(texture, constant):
            kind = KIND_WORDS[texture_kind(texture.property)]
            said = f"has a constant that is no {kind} from 0 to 1."
            problems.append(_problem(("textures", at, "constant"), texture.name, said, f"Give it a {kind}, or none."))
        yield texture.name, texture_kind(texture.property)
    for at, strand in enumerate(master.strands):
        take(("strands", at, "name"), strand.name)
    taken: set[str] = set()
    for at, layer in enumerate(master.layers):
        if layer.name in taken:
            said = "is the name of two layers in this master."
            problems.append(_problem(("layers", at, "name"), layer.name, said, "Rename one of them."))
        taken.add(layer.name)


def _fits(texture: TextureInput, constant: Parameter) -> bool:
    return constant.kind == texture_kind(texture.property) and value_problem(constant, constant.default) is None


def _parameter_problems(master: Master) -> Iterator[MasterProblem]:
    known = {entry.name: entry for entry in master.parameters}
    for at, entry in enumerate(master.parameters):
        place = ("parameters", at)
        if entry.kind == "choice" and len(set(entry.choices)) < 2:
            yield _problem((*place, "choices"), entry.label, "is a choice of fewer than two words.", "Name two or more.")
        elif problem := value_problem(entry, entry.default):
            said = f"has a default or range that does not hold: it {problem}."
            yield _problem((*place, "default"), entry.label, said, "Correct the parameter.")
        elif entry.kind in ("number", "two", "three", "four") and entry.soft_low >= entry.soft_high:
            said = "has a default or range that does not hold: it has a slider that begins where it ends."
            yield _problem((*place, "soft_low"), entry.label, said, "Correct the parameter.")
        if entry.structural and entry.kind not in ("switch", "choice"):
            said = f"is structural, and a {KIND_WORDS[entry.kind]}: only switches and choices are."
            yield _problem((*place, "structural"), entry.label, said, "Make it a plain parameter.")
        if entry.only_with:
            other = known.get(entry.only_with)
            fits = other and other.name != entry.name and (other.kind == "switch" or entry.only_at in other.choices)
            if not fits:
                said = f"is shown with “{entry.only_with}”, which is no switch of this master, and no choice that has its word."
                yield _problem((*place, "only_with"), entry.label, said, "Name a switch, or a choice and one of its words.")


def _order(master: Master, strands: Mapping[str, Strand], problems: list[MasterProblem]) -> list[str]:
    """The strands in an order in which each comes after what it needs; those of a ring are left out, and are a mistake."""
    needs = {
        strand.name: {value for value in strand.inputs.values() if isinstance(value, str)} & set(strands)
        for strand in master.strands
    }
    while True:
        try:
            return [name for name in TopologicalSorter(needs).static_order() if name in needs]
        except CycleError as error:
            ring = list(reversed(error.args[1]))
            at = next(place for place, strand in enumerate(master.strands) if strand.name == ring[0])
            slot = next(key for key, value in strands[ring[0]].inputs.items() if value == ring[1])
            said = f"needs itself: {' → '.join(ring)}."
            place = ("strands", at, "inputs", slot)
            problems.append(_problem(place, ring[0], said, "Take one of these inputs from elsewhere."))
            needs = {name: wanted for name, wanted in needs.items() if name not in ring}


def _check_strand(
    strand: Strand, at: int, kinds: Mapping[str, ValueKind], textures: set[str], known: set[str]
) -> CheckedStrand | None:
    """A strand that holds; None for one that leans on what does not hold. Raises _Wrong for a mistake of its own."""
    operation = OPERATIONS.get(strand.operation)
    if operation is None:
        said = f"uses “{strand.operation}”, which is no operation."
        raise _Wrong(_problem(("strands", at, "operation"), strand.name, said, "Choose one of the table."))
    extra = sorted(set(strand.inputs) - {slot.name for slot in operation.slots})
    if extra:
        said = f"fills “{extra[0]}”, which {operation.title} does not have."
        raise _Wrong(_problem(("strands", at, "inputs", extra[0]), strand.name, said, "Remove that input."))
    shared: ValueKind | None = None
    texture: ValueKind = "number"
    leaning = False
    for slot in operation.slots:
        place = ("strands", at, "inputs", slot.name)
        value = strand.inputs.get(slot.name, slot.default)
        if isinstance(value, str) and value in known and value not in kinds:
            leaning = True
            continue
        kind = _kind_in(strand, slot, value, kinds, textures, place)
        if slot.kind == "texture":
            texture = kind
        elif slot.kind in ("same", "any", "vector"):
            shared = _join(strand, slot, shared, kind, place)
        elif slot.kind != kind and (slot.kind, kind) not in (("colour", "number"), ("place", "two"), ("two", "place")):
            said = f"takes a {KIND_WORDS[slot.kind]} for {slot.name}, but gets a {KIND_WORDS[kind]}."
            raise _Wrong(_problem(place, strand.name, said, "Choose an input that fits."))
    if leaning:
        return None
    share: ValueKind = shared or "number"
    gives = {"same": share, "texture": texture}.get(operation.gives, operation.gives)
    return CheckedStrand(strand, operation, gives, share)  # type: ignore[arg-type]


def _kind_in(
    strand: Strand,
    slot: Slot,
    value: bool | float | str | None,
    kinds: Mapping[str, ValueKind],
    textures: set[str],
    place: tuple[str | int, ...],
) -> ValueKind:
    """The kind of what fills a slot."""
    if value is None:
        raise _Wrong(_problem(place, strand.name, f"leaves “{slot.name}” empty.", "Fill it."))
    if isinstance(value, str):
        if value not in kinds:
            said = f"needs “{value}”, which is not in this master."
            raise _Wrong(_problem(place, strand.name, said, "Name a strand, texture or parameter."))
        if (value in textures) != (slot.kind == "texture"):
            said = f"takes a {'texture' if slot.kind == 'texture' else 'value'} for {slot.name}, and “{value}” is none."
            raise _Wrong(_problem(place, strand.name, said, _READS_FLAT))
        return kinds[value]
    return "switch" if isinstance(value, bool) else "number"


def _join(strand: Strand, slot: Slot, shared: ValueKind | None, kind: ValueKind, place: tuple[str | int, ...]) -> ValueKind:
    """The kind that inputs share: numbers widen to what has several; other kinds stand alone, and in “any” slots only."""
    if slot.kind == "vector":
        if WIDTHS.get(kind, 1) >= slot.least:
            return kind
        said = f"takes what has {slot.least} numbers or more for {slot.name}, not a {KIND_WORDS[kind]}."
        raise _Wrong(_problem(place, strand.name, said, "Choose an input that fits."))
    if kind in _ARITHMETIC and shared in (None, "number", kind):
        return kind
    if kind == "number" and shared in _ARITHMETIC:
        return shared
    if slot.kind == "any" and kind not in ("switch", "choice") and shared in (None, kind):
        return kind
    other = f"a {KIND_WORDS[shared]} and a {KIND_WORDS[kind]}" if shared and shared != kind else f"a {KIND_WORDS[kind]}"
    said = f"takes numbers and colours for {slot.name}, not {other}."
    raise _Wrong(_problem(place, strand.name, said, "Choose inputs that fit each other."))


def _surface_problems(
    master: Master, kinds: Mapping[str, ValueKind], textures: set[str], known: set[str]
) -> Iterator[MasterProblem]:
    for key, name in master.surface.items():
        place = ("surface", key)
        wanted = GIVEN_KINDS.get(key)
        if wanted is None:
            said = f"gives {key}, which no surface has."
            yield _problem(place, master.title, said, f"Known: {', '.join(GIVEN_KINDS)}.")
            continue
        if name in known and name not in kinds:
            continue
        kind = kinds.get(name)
        if kind is None or name in textures:
            said = f"takes {key} from “{name}”, which is no strand and no parameter."
            yield _problem(place, master.title, said, "Name one of them.")
        elif kind != wanted and not (wanted == "colour" and kind == "number"):
            said = f"takes {key}, a {KIND_WORDS[wanted]}, from “{name}”, a {KIND_WORDS[kind]}."
            yield _problem(place, master.title, said, "Choose a strand that fits.")
