"""Which version of which target a project is made with: taken, exchanged for another, and given up, as steps of the record."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from django.db import transaction

from texelcore.pixels.errors import TexelError
from texelcore.targets.document import Target
from texelweb.library.models import ProjectTarget, StudioTarget, TargetVersion
from texelweb.projects.models import Project, Role
from texelweb.record.steps import Noted, Way, note_steps, register

# Targets in the record, of the studio and of a project.
TARGET = "target"
_OTHER_USUAL = "Make another one the usual first."


@dataclass(frozen=True)
class Pins:
    """The targets of a project by name, each at its version; the usual one first, then by title."""

    usual: str
    targets: Mapping[str, Target]
    for_all: frozenset[str]

    def of(self, name: str) -> Target:
        """The version that the project has taken; of a target that it has not, the newest. Raises TexelError for one that nobody
        has published."""
        return self.targets.get(name) or newest(name)

    def seen(self, own: str, looks_at: str) -> Target:
        """The target that a set is shown for: its own, or the one that the page looks at, or else the usual one."""
        return self.of(own or (looks_at if looks_at in self.targets else self.usual))

    def of_set(self, own: str) -> list[Target]:
        """The targets that a set is made for: its own alone, or the usual one and then all others that are for every set."""
        more = [name for name in self.targets if name in self.for_all and name != self.usual]
        return [self.of(name) for name in ([own] if own else [self.usual, *more])]


def pins_of(project: Project) -> Pins:
    """A project's targets, in one query."""
    rows = list(ProjectTarget.objects.filter(project=project).values_list("name", "version", "for_all"))
    found = {name: TargetVersion(pk=version).document for name, version, _ in rows}
    order = sorted(found, key=lambda name: (name != project.target, found[name].title.casefold()))
    return Pins(project.target, {name: found[name] for name in order}, frozenset(name for name, _, for_all in rows if for_all))


def target_of(project: Project, name: str) -> Target:
    """One target of a project, as `Pins.of` gives it."""
    version = ProjectTarget.objects.filter(project=project, name=name).values_list("version", flat=True).first()
    return TargetVersion(pk=version).document if version else newest(name)


def newest(name: str) -> Target:
    """The newest version of a target of the studio. Raises TexelError where nobody has published one."""
    return newest_version(name).document


def newest_version(name: str) -> TargetVersion:
    """As `newest`, as the row."""
    found = TargetVersion.objects.filter(target__name=name).order_by("-number").first()
    if found is None:
        known = ", ".join(StudioTarget.objects.exclude(versions=None).order_by("name").values_list("name", flat=True).distinct())
        raise TexelError(name, "is not a known target.", f"Known targets: {known}.")
    return found


def offered() -> list[Target]:
    """The newest version of every target that may be taken, by title: those that were published and are not deprecated."""
    rows = TargetVersion.objects.filter(target__deprecated=None).order_by("target", "-number").distinct("target")
    return sorted((row.document for row in rows), key=lambda target: target.title.casefold())


def row_of(target: Target) -> TargetVersion:
    """The row of a document that came from the library."""
    return TargetVersion.objects.get(target__name=target.name, number=target.version)


def begin_with(project: Project, version: TargetVersion) -> None:
    """Give a project that is being made its usual target, for every set. That is no step of anybody's: making it is the deed."""
    _set(project, {version.target.name: {"version": version.number, "for_all": True}})


@transaction.atomic
def take(project: Project, version: TargetVersion, user: Any, *, for_all: bool | None = None) -> None:
    """Take a version of a target into a project, in place of another version of it. `for_all` is left as it was where None; a new
    one is for those sets alone that ask for it. Raises TexelError for the usual one that is not to be for every set."""
    name = version.target.name
    if for_all is False and name == project.target:
        raise TexelError(version.document.title, "is the project's usual target, so every set is made for it.", _OTHER_USUAL)
    before = _standing(project, [name])[name]
    wanted = before["for_all"] if for_all is None else for_all
    after = {"version": version.number, "for_all": wanted}
    if before == after:
        return
    was = before["version"]
    what = f"Version {version.number} taken" if not was else f"Version {was} → {version.number}"
    if was == version.number:
        what = "For every set" if wanted else "For those sets alone that ask for it"
    _set(project, {name: after})
    note_steps(project, TARGET, [Noted(name, version.document.title, before, after)], what, user)


@transaction.atomic
def ensure(project: Project, name: str, user: Any, *, for_all: bool | None = None) -> Target:
    """A target of a project; one that it has not taken yet is taken at its newest version. Raises TexelError for one that is not
    known."""
    held = ProjectTarget.objects.filter(project=project, name=name).select_related("version__target").first()
    take(project, held.version if held else newest_version(name), user, for_all=for_all)
    return target_of(project, name)


@transaction.atomic
def give_up(project: Project, name: str, user: Any) -> None:
    """Take a target out of a project. Raises TexelError for the usual one, and where sets are made for it alone."""
    held = ProjectTarget.objects.filter(project=project, name=name).select_related("version").first()
    if held is None:
        return
    title = held.version.document.title
    if name == project.target:
        raise TexelError(title, "is the project's usual target.", _OTHER_USUAL)
    if count := project.sets.filter(target=name).count():
        sets = "1 set is" if count == 1 else f"{count} sets are"
        raise TexelError(title, f"is needed: {sets} made for it alone.", "Give them another target first.")
    before = _standing(project, [name])[name]
    after = {"version": 0, "for_all": False}
    _set(project, {name: after})
    note_steps(project, TARGET, [Noted(name, title, before, after)], "Taken out of the project", user)


def register_ways() -> None:
    """Tell the record how the targets of a project go back."""
    register(TARGET, Way(_standing, lambda project, documents, what, user: _set(project, documents), least=Role.LEAD))


def _standing(project: Project, names: Sequence[str]) -> dict[str, dict[str, Any]]:
    rows = ProjectTarget.objects.filter(project=project, name__in=names).values_list("name", "version__number", "for_all")
    known = {name: {"version": number, "for_all": for_all} for name, number, for_all in rows}
    return {name: known.get(name, {"version": 0, "for_all": False}) for name in names}


def _set(project: Project, documents: Mapping[str, Mapping[str, Any]]) -> None:
    for name, document in documents.items():
        if not document["version"]:
            ProjectTarget.objects.filter(project=project, name=name).delete()
            continue
        version = TargetVersion.objects.filter(target__name=name, number=document["version"]).first()
        if version is None:
            raise TexelError(name, f"has no version {document['version']} any more.", "Take another one.")
        values = {"version": version, "for_all": document["for_all"]}
        ProjectTarget.objects.update_or_create(project=project, name=name, defaults=values)
