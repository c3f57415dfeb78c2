"""Taking a project document in: what it has decided holds for the files that the project has. It is one act, which one undo
takes back."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from functools import partial
from typing import Any

from django.db import transaction

from texelcore.materials.sheets.document import Variant
from texelcore.pixels.errors import TexelError
from texelcore.project.document import ProjectDocument
from texelcore.project.meeting import MetSet, meet
from texelcore.surface.ledger import Ledger
from texelweb.library.drafting import Drafting
from texelweb.library.models import ProjectTarget
from texelweb.library.pins import TARGET, take
from texelweb.library.targets import TARGETS
from texelweb.masters.models import MasterVersion, SetVariant
from texelweb.masters.publish import MASTER, MASTERS
from texelweb.masters.variants import VariantEdit, Worn, change_variant, make_variant
from texelweb.projects.models import Project, Role
from texelweb.record.steps import Noted, note_step, note_steps, one_by_one, register, together
from texelweb.sets.answering import questions
from texelweb.sets.answering.house import change_rules, change_tolerances
from texelweb.sets.changing.folders import ensure
from texelweb.sets.changing.ledgers import create_set, edit_held
from texelweb.sets.changing.removal import take_away
from texelweb.sets.changing.writing import SET, lock_project, note, writing
from texelweb.sets.models import SourceFile, TextureSet
from texelweb.studio.projects import take_settings

# What an import published in the studio, in the record of the project that it came with.
STUDIO = {TARGET: "studio target", MASTER: "studio master"}


@dataclass
class Taken:
    """What became of a document: sets that were changed and made, and those that were left, each with the reason."""

    changed: int = 0
    made: int = 0
    variants: int = 0
    left: list[tuple[str, str]] = field(default_factory=list)


@transaction.atomic
def take_document(project: Project, document: ProjectDocument, user: Any, *, for_studio: bool) -> Taken:
    """Take a document in. Rules, tolerances, code and default target become the document's; a set whose files are all here
    becomes as it says; sets that it does not name stay. Targets and masters that the studio does not have are published in it
    `for_studio`, where a lead of the studio imports the document. Raises TexelError, and changes nothing, where somebody else
    does."""
    held = lock_project(project.pk)
    taken = Taken()
    with together():
        targets = _versions_of(TARGETS, document.targets, held, user, for_studio)
        masters = _versions_of(MASTERS, document.masters, held, user, for_studio)
        change_rules(held, document.rules, "Imported with a project document", user, None)
        change_tolerances(held, document.tolerances, "Imported with a project document", user, None)
        for_all = {target.name for target in document.targets_of()}
        for (name, _), version in targets.items():
            take(held, version, user, for_all=True if name in for_all else None)
        take_settings(held, document.code, document.target, "Code and default target imported", user)
        _keep_from_all(held, document, user)
        rows = {str(file.pk): file for file in SourceFile.objects.filter(project=held)}
        met = meet(document, {key: file.facts for key, file in rows.items()})
        wanted = [texture_set for texture_set in met.sets if texture_set.decided is not None]
        whole = []
        for entry in wanted:
            if entry.missing:
                more = f" and {len(entry.missing) - 1} more" if len(entry.missing) > 1 else ""
                taken.left.append((entry.ledger.name, f"{entry.missing[0]}{more} is not in this project."))
            else:
                whole.append(entry)
        places = ensure(held, [*document.folders, *(entry.decided.folder for entry in whole if entry.decided)])
        homes = _homes(whole, rows)
        _free_files(held, whole, homes, user)
        by_code = {}
        for entry in whole:
            by_code[entry.code] = _take_set(held, entry, homes.get(entry.code), places, user, taken)
        for variant in document.variants:
            if variant.set in by_code:
                _take_variant(by_code, variant, masters[variant.master, variant.version], user)
                taken.variants += 1
        aside = SourceFile.objects.filter(project=held, pk__in=[int(file) for file in met.aside], set=None)
        aside.update(set_aside=True, why_open="It was set aside in the project document.", open_json=None)
        questions.refresh(held)
    return taken


def _versions_of(
    drafting: Drafting, documents: Iterable[Any], project: Project, user: Any, for_studio: bool
) -> dict[tuple[str, int], Any]:
    """The versions that a document's targets or masters are here, by the name and number that they have in it. What the studio
    does not have is published in it, under a number of its own, where a lead of the studio imports the document: a step that undo
    takes back. Raises TexelError where somebody else does."""
    found, new = {}, []
    for document in documents:
        version = drafting.same(document)
        if version is None and not for_studio:
            problem = f"v{document.version} is not in this studio as the document has it; what is there for all its leads make."
            way_out = f"Ask a lead of the studio to import this document, or to publish the {drafting.kind}."
            raise TexelError(document.title, problem, way_out)
        if version is None:
            version = drafting.add(document, f"came with the project document of {project.title}", user)
            new.append(Noted(f"{version.number}/{document.name}", document.title, {"document": None}, _brought(version)))
        found[document.name, document.version] = version
    note_steps(project, STUDIO[drafting.kind], new, "Published in the studio", user)
    return found


def _brought(version: Any) -> dict[str, Any]:
    return {"document": version.document_json}


def register_ways() -> None:
    """Tell the record how what an import published in the studio goes back: a version that something was made with stays."""
    for drafting in (TARGETS, MASTERS):
        read, write = partial(_read_brought, drafting), partial(_write_brought, drafting)
        register(STUDIO[drafting.kind], one_by_one(read, write, least=Role.LEAD))


def _find_brought(drafting: Drafting, thing: str) -> Any:
    number, _, name = thing.partition("/")
    return drafting.versions.objects.filter(**{f"{drafting.held_as}__name": name}, number=int(number)).first()


def _read_brought(drafting: Drafting, project: Project, thing: str) -> dict[str, Any]:
    version = _find_brought(drafting, thing)
    return _brought(version) if version else {"document": None}


def _write_brought(drafting: Drafting, project: Project, thing: str, document: Mapping[str, Any], what: str, user: Any) -> None:
    if not user.is_staff:
        name, way_out = thing.partition("/")[2], "Ask a lead of the studio to take this back."
        raise TexelError(name, "was published for the whole studio.", way_out)
    version = _find_brought(drafting, thing)
    if document["document"] is None and version:
        drafting.take_away(version, user)
    elif document["document"] is not None:
        again, mistakes = drafting.read(document["document"])
        if again is None:
            raise TexelError(thing, f"does not hold any more: {mistakes[0].said}", mistakes[0].way_out)
        drafting.add(again, what, user)


def _keep_from_all(project: Project, document: ProjectDocument, user: Any) -> None:
    """Targets that the document does not make every set with stay in the project, for the sets that ask for them."""
    if not document.all_sets:
        # Older documents do not say which those are.
        return
    named = {target.name for target in document.targets_of()}
    others = ProjectTarget.objects.filter(project=project, for_all=True).exclude(name__in=named)
    for pin in others.select_related("version__target"):
        take(project, pin.version, user, for_all=False)


def _homes(whole: list[MetSet], rows: Mapping[str, SourceFile]) -> dict[str, int]:
    """The set of the project that each set of the document is about: the one that has the most of its files, each once."""
    homes: dict[str, int] = {}
    for entry in whole:
        counts: dict[int, int] = {}
        for file in entry.ledger.files():
            owner = rows[file].set_id
            if owner is not None and owner not in homes.values():
                counts[owner] = counts.get(owner, 0) + 1
        if counts:
            homes[entry.code] = max(counts, key=lambda key: (counts[key], -key))
    return homes


def _free_files(project: Project, whole: list[MetSet], homes: Mapping[str, int], user: Any) -> None:
    """Take from every other set what the document gives to another; a set that has nothing left is removed."""
    goes = {file: homes.get(entry.code) for entry in whole for file in entry.ledger.files()}
    for current in TextureSet.objects.filter(project=project):
        ledger = current.ledger
        lost = {file for file in ledger.files() if file in goes and goes[file] != current.pk}
        if not lost:
            continue
        with writing(current.pk, None, user, names=True) as held:
            rest = _without(held.ledger, lost)
            if rest.files():
                edit_held(held, rest, "Files given to another set by a project document", user)
            else:
                take_away(held, user, "Removed")
    SourceFile.objects.filter(project=project, pk__in=[int(file) for file in goes]).exclude(set__in=list(homes.values())).update(
        set=None
    )


def _without(ledger: Ledger, files: set[str]) -> Ledger:
    rows = tuple(row for row in ledger.rows if not files & set(row.files()))
    left = tuple(left_out for left_out in ledger.left_out if left_out.file not in files)
    return ledger.model_copy(update={"rows": rows, "left_out": left})


def _take_set(
    project: Project, met: MetSet, home: int | None, places: Mapping[str, int | None], user: Any, taken: Taken
) -> TextureSet:
    decided = met.decided
    if decided is None:
        raise ValueError("only what the document has decided is taken")
    if home is None:
        made = create_set(project, met.ledger, user, "Came with a project document", folder=places[decided.folder])
        note_step(project, SET, made.pk, made.name, "Made", user, {"there": False}, {"there": True}, about=made.pk)
        SourceFile.objects.filter(project=project, pk__in=[int(file) for file in met.ledger.files()]).update(
            set=made, set_aside=False, why_open="", open_json=None
        )
        home = made.pk
        taken.made += 1
    with writing(home, None, user, names=True) as current:
        edits = current.edit
        edit_held(current, met.ledger, "Imported", user)
        origin = decided.origin.model_dump(mode="json") if decided.origin else None
        new = (decided.target, places[decided.folder], sorted(decided.tags, key=str.casefold), origin)
        if new != (current.target, current.folder_id, current.tags, current.origin_json):
            current.target, current.folder_id, current.tags, current.origin_json = new
            note(current, "Imported", user)
        _take_code(current, decided.code)
        current.save()
        taken.changed += current.edit > edits
    return current


def _take_code(current: TextureSet, code: str) -> None:
    """Outputs are named by a set's code: it becomes the document's. Whoever has it here is called otherwise from now on."""
    if current.code == code:
        return
    other = TextureSet.objects.filter(project=current.project_id, code=code).exclude(pk=current.pk).first()
    if other:
        others = set(TextureSet.objects.filter(project=current.project_id).values_list("code", flat=True))
        number = 2
        while f"{code}_{number}"[:64] in others:
            number += 1
        TextureSet.objects.filter(pk=other.pk).update(code=f"{code}_{number}"[:64])
    current.code = code


def _take_variant(by_code: Mapping[str, TextureSet], variant: Variant, version: MasterVersion, user: Any) -> None:
    texture_set = by_code[variant.set]
    found = SetVariant.objects.filter(project=texture_set.project, name=variant.name).first()
    if found and (found.set_id != texture_set.pk or found.version.master_id != version.master_id):
        raise TexelError(variant.name, "is the name of another variant of this project.", "Rename that one first.")
    made = found or make_variant(texture_set, version, variant.name, user)
    others = {name: Worn(by_code[held.set].pk, held.property) for name, held in variant.others.items() if held.set in by_code}
    layers = {"": Worn(texture_set.pk), **others}
    change_variant(made, VariantEdit(values=variant.values, version=version.number, layers=layers), user)
