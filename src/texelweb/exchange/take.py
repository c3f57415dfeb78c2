"""Taking a project document in: what it has decided holds for the files that the project has. It is one act, which one undo
takes back."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from django.db import transaction

from texelcore.materials.document import Variant
from texelcore.materials.typing import check_master
from texelcore.pixels.errors import TexelError
from texelcore.project.document import ProjectDocument
from texelcore.project.meeting import MetSet, meet
from texelcore.surface.ledger import Ledger
from texelweb.library.models import ProjectTarget, StudioTarget, TargetVersion
from texelweb.library.pins import take
from texelweb.masters.models import MasterVersion, SetVariant, StudioMaster
from texelweb.masters.variants import VariantEdit, Worn, change_variant, make_variant
from texelweb.projects.models import Project
from texelweb.record.steps import note_step, together
from texelweb.sets import questions
from texelweb.sets.folders import ensure
from texelweb.sets.house import change_rules, change_tolerances
from texelweb.sets.ledgers import create_set, edit_held
from texelweb.sets.models import SourceFile, TextureSet
from texelweb.sets.removal import take_away
from texelweb.sets.writing import SET, lock_project, note, writing
from texelweb.studio.projects import take_settings


@dataclass
class Taken:
    """What became of a document: sets that were changed and made, and those that were left, each with the reason."""

    changed: int = 0
    made: int = 0
    variants: int = 0
    left: list[tuple[str, str]] = field(default_factory=list)


@transaction.atomic
def take_document(project: Project, document: ProjectDocument, user: Any) -> Taken:
    """Take a document in. Rules, tolerances, code and default target become the document's; a set whose files are all here
    becomes as it says; sets that it does not name stay. Raises TexelError, and changes nothing, for targets and masters that
    the studio does not have as they are in the document."""
    held = lock_project(project.pk)
    targets = _take_targets(document, user)
    _take_masters(document, user)
    taken = Taken()
    with together():
        change_rules(held, document.rules, "Imported with a project document", user, None)
        change_tolerances(held, document.tolerances, "Imported with a project document", user, None)
        for version in targets:
            take(held, version, user, for_all=True if version.document in document.targets_of() else None)
        take_settings(held, document.code, document.target, "Code and default target imported", user)
        _keep_from_all(held, document, user)
        rows = {str(file.pk): file for file in SourceFile.objects.filter(project=held)}
        met = meet(document, {key: file.facts for key, file in rows.items()})
        wanted = [entry for entry in met.sets if entry.decided is not None]
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
                _take_variant(by_code, variant, user)
                taken.variants += 1
        aside = SourceFile.objects.filter(project=held, pk__in=[int(file) for file in met.aside], set=None)
        aside.update(set_aside=True, why_open="It was set aside in the project document.", open_json=None)
        questions.refresh(held)
    return taken


def _take_targets(document: ProjectDocument, user: Any) -> list[TargetVersion]:
    """The versions that the document's targets are here. Those that the studio does not have come with the document; one that
    it has by the same number must be the same."""
    found = []
    for target in document.targets:
        known, _ = StudioTarget.objects.get_or_create(name=target.name, defaults={"title": target.title, "by": user})
        version = known.versions.filter(number=target.version).first()
        if version is None:
            said = {"document_json": target.model_dump(mode="json"), "what": "Came with a project document", "by": user}
            version = known.versions.create(number=target.version, **said)
        elif version.document != target:
            problem = f"v{target.version} is another in this studio than in the document."
            raise TexelError(target.title, problem, "Publish it in one of the studios as a new version first.")
        found.append(version)
    return found


def _keep_from_all(project: Project, document: ProjectDocument, user: Any) -> None:
    """Targets that the document does not make every set with stay in the project, for the sets that ask for them."""
    if not document.all_sets:
        # Older documents do not say which those are.
        return
    named = {target.name for target in document.targets_of()}
    others = ProjectTarget.objects.filter(project=project, for_all=True).exclude(name__in=named)
    for pin in others.select_related("version__target"):
        take(project, pin.version, user, for_all=False)


def _take_masters(document: ProjectDocument, user: Any) -> None:
    """Masters that the studio does not have come with the document; those that it has must be the same."""
    for master in document.masters:
        found = StudioMaster.objects.filter(name=master.name).first()
        version = found.versions.filter(number=master.version).first() if found else None
        if version and version.document == master:
            continue
        if found:
            said = "is another here than in the document" if version else "was never published here"
            problem = f"v{master.version} {said}."
            raise TexelError(found.title, problem, "Publish it here first, or move the variants to a version that both have.")
        check_master(master)
        made = StudioMaster.objects.create(name=master.name, title=master.title)
        body = master.model_dump(mode="json")
        MasterVersion.objects.create(
            master=made, number=master.version, document_json=body, what="Came with a project document", by=user
        )


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
    left = tuple(entry for entry in ledger.left_out if entry.file not in files)
    return ledger.model_copy(update={"rows": rows, "left_out": left})


def _take_set(
    project: Project, entry: MetSet, home: int | None, places: Mapping[str, int | None], user: Any, taken: Taken
) -> TextureSet:
    decided = entry.decided
    if decided is None:
        raise ValueError("only what the document has decided is taken")
    if home is None:
        made = create_set(project, entry.ledger, user, "Came with a project document", folder=places[decided.folder])
        note_step(project, SET, made.pk, made.name, "Made", user, {"there": False}, {"there": True}, about=made.pk)
        SourceFile.objects.filter(project=project, pk__in=[int(file) for file in entry.ledger.files()]).update(
            set=made, set_aside=False, why_open="", open_json=None
        )
        home = made.pk
        taken.made += 1
    with writing(home, None, user, names=True) as current:
        edits = current.edit
        edit_held(current, entry.ledger, "Imported", user)
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


def _take_variant(by_code: Mapping[str, TextureSet], variant: Variant, user: Any) -> None:
    texture_set = by_code[variant.set]
    version = MasterVersion.objects.select_related("master").get(master__name=variant.master, number=variant.version)
    found = SetVariant.objects.filter(project=texture_set.project, name=variant.name).first()
    if found and (found.set_id != texture_set.pk or found.version.master_id != version.master_id):
        raise TexelError(variant.name, "is the name of another variant of this project.", "Rename that one first.")
    made = found or make_variant(texture_set, version, variant.name, user)
    others = {name: Worn(by_code[held.set].pk, held.property) for name, held in variant.others.items() if held.set in by_code}
    layers = {"": Worn(texture_set.pk), **others}
    change_variant(made, VariantEdit(values=variant.values, version=variant.version, layers=layers), user)
