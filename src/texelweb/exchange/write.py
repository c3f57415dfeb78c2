"""A project as a document."""

from __future__ import annotations

from django.db.models import Q

from texelcore.materials.sheets.document import Variant
from texelcore.pixels.errors import TexelError
from texelcore.project.document import ProjectDocument, ProjectFile, ProjectSet
from texelcore.targets.document import Target
from texelweb.library.pins import Pins, pins_of
from texelweb.masters.models import SetVariant
from texelweb.projects.models import Project
from texelweb.sets.changing.folders import tree_of
from texelweb.sets.models import SourceFile


def document_of(project: Project) -> ProjectDocument:
    """All that decides a project's bytes, as it is now. The same project gives the same document. Raises TexelError for a set
    whose target is gone."""
    tree, pins = tree_of(project), pins_of(project)
    sets = []
    for texture_set in project.sets.order_by("code"):
        folder = tree.paths.get(texture_set.folder_id or 0, "")
        sets.append(
            ProjectSet(
                name=texture_set.name,
                code=texture_set.code,
                target=texture_set.target,
                folder=folder,
                tags=tuple(texture_set.tags),
                ledger=texture_set.ledger,
                origin=texture_set.origin,
            )
        )
    named = {file for texture_set in sets for file in texture_set.ledger.files()}
    told = Q(pk__in=named) | Q(set=None, set_aside=True)
    files = SourceFile.objects.filter(told, project=project).order_by("path").values_list("pk", "path", "blob_id", "set_aside")
    here = {str(pk) for pk, *_ in files}
    if missing := named - here:
        owner = next(texture_set.name for texture_set in sets if missing & set(texture_set.ledger.files()))
        raise TexelError(owner, "names a file that was removed.", "Clear the row that reads it, then export again.")
    variants, masters = [], {}
    known = SetVariant.objects.filter(project=project).select_related("version__master", "set").prefetch_related("others__set")
    for variant in known.order_by("name"):
        variants.append(Variant.model_validate(variant.document.model_dump()))
        masters[variant.version.master.name, variant.version.number] = variant.version.document
    return ProjectDocument(
        title=project.title,
        code=project.code,
        target=project.target,
        all_sets=tuple(sorted(pins.for_all)),
        rules=project.rules,
        tolerances=project.tolerances,
        targets=tuple(_targets(project, pins, sets)),
        masters=tuple(document for _, document in sorted(masters.items())),
        folders=tuple(sorted(tree.paths.values())),
        files=tuple(
            ProjectFile(id=str(pk), path=path, sha256=sha256, aside=aside and str(pk) not in named)
            for pk, path, sha256, aside in files
        ),
        sets=tuple(sets),
        variants=tuple(variants),
    )


def _targets(project: Project, pins: Pins, sets: list[ProjectSet]) -> list[Target]:
    names = {project.target, *pins.targets, *(texture_set.target for texture_set in sets if texture_set.target)}
    return [pins.of(name) for name in sorted(names)]
