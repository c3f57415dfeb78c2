"""Making projects, changing what they are called and go by, archiving, bringing back and deleting them."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping
from typing import Any

from django.db import transaction
from django.utils import timezone
from django.utils.text import slugify

from texelcore.naming.presets import rules_preset
from texelcore.naming.rules import HouseRules
from texelcore.pixels.errors import TexelError
from texelweb.jobs.control import cancel
from texelweb.jobs.models import Job
from texelweb.library.pins import begin_with, ensure, newest_version
from texelweb.projects.models import Membership, Project, Role, RulesVersion
from texelweb.projects.versions import append_version
from texelweb.record.steps import note_deed, note_step, one_by_one, register, together
from texelweb.refusals import Overtaken

# Projects in the record.
PROJECT = "project"
LONGEST_TITLE, LONGEST_CODE, LONGEST_SLUG = 80, 16, 40


@transaction.atomic
def make_project(title: str, code: str, target: str, rules: HouseRules | None, user: Any) -> Project:
    """A project with its maker as lead; without a code the title gives one. Raises TexelError for a title, code or target that
    will not do."""
    title = plain_title(title)
    code = plain_code(code or default_code(title))
    version = newest_version(target)
    project = Project.objects.create(slug=_free_slug(title), code=code, title=title, target=version.target.name)
    begin_with(project, version)
    Membership.objects.create(project=project, user=user, role=Role.LEAD)
    if rules is not None:
        append_version(project, RulesVersion, rules, "First rules", user, None, "The house rules")
    note_deed(project, PROJECT, f"Project {title} made", user, title)
    return project


def rules_to_begin_with(source: str, user: Any) -> HouseRules | None:
    """The rules that a new project begins with: “project:SLUG” copies those of another of the user's projects, “preset:NAME”
    takes one that ships, and "" none. Habits are copied too. Raises TexelError for what is not there, or not the user's to
    see."""
    kind, _, name = source.partition(":")
    if kind == "project":
        member = Membership.objects.filter(user=user, project__slug=name).select_related("project").first()
        if member is None:
            raise TexelError("The project", "is not here, or not yours to see.", "Choose another to copy the rules from.")
        return member.project.rules
    return rules_preset(name) if kind == "preset" else None


@transaction.atomic
def change_project(project: Project, user: Any, *, title: str | None, code: str | None, target: str | None, seen: str) -> Project:
    """Give a project another title, code or usual target; None leaves each. Its address stays. `seen` is its stamp when somebody
    looked. Raises TexelError as `make_project` does, and Overtaken where it was changed since."""
    held = Project.objects.select_for_update(no_key=True).get(pk=project.pk)
    if stamp_of(held) != seen:
        last = held.steps.filter(kind=PROJECT, undone=None, undoable=True).select_related("by").order_by("-pk").first()
        by = f" ({last.by.get_username()}: {last.what})" if last and last.by else ""
        raise Overtaken(held.title, f"was changed since you looked{by}.", "Look at it as it is, then make your change again.")
    before, said = document_of(held), []
    if title is not None and (new := plain_title(title)) != held.title:
        said.append(f"Renamed from {held.title} to {new}")
        held.title = new
    # A code from before there were such rules stays as it is until somebody changes it.
    if code is not None and code.strip() != held.code:
        new = plain_code(code)
        said.append(f"Code {held.code} → {new}")
        held.code = new
    with together():
        if target is not None and target != held.target:
            # What is the usual target is for every set.
            found = ensure(held, target, user, for_all=True)
            said.append(f"Default target {found.title}")
            held.target = found.name
        if said:
            held.save()
            note_step(held, PROJECT, held.pk, held.title, "; ".join(said), user, before, document_of(held))
    return held


@transaction.atomic
def take_settings(project: Project, code: str, target: str, what: str, user: Any) -> None:
    """Give a project the code and the usual target of a document, which were checked with it."""
    held = Project.objects.select_for_update(no_key=True).get(pk=project.pk)
    before = document_of(held)
    held.code, held.target = code, target
    held.save(update_fields=["code", "target"])
    note_step(held, PROJECT, held.pk, held.title, what, user, before, document_of(held))


def stamp_of(project: Project) -> str:
    """What changes whenever a project is called or goes by something else."""
    return hashlib.sha256(json.dumps(document_of(project), sort_keys=True).encode()).hexdigest()[:12]


def document_of(project: Project) -> dict[str, Any]:
    """All that may be changed about a project by name."""
    return {"title": project.title, "code": project.code, "target": project.target}


def register_ways() -> None:
    """Tell the record how what a project is called and goes by goes back."""
    register(PROJECT, one_by_one(lambda project, _: document_of(Project.objects.get(pk=project.pk)), _write, least=Role.LEAD))


def _write(project: Project, _: str, document: Mapping[str, Any], what: str, user: Any) -> None:
    Project.objects.filter(pk=project.pk).update(**document)


@transaction.atomic
def archive(project: Project, user: Any) -> None:
    """From now on the project is only looked at. What waits or runs is stopped."""
    if Project.objects.filter(pk=project.pk, archived=None).update(archived=timezone.now()):
        _stop_jobs(project)
        note_deed(project, PROJECT, "Archived", user, project.title)


@transaction.atomic
def bring_back(project: Project, user: Any) -> None:
    """End a project's archiving."""
    if Project.objects.filter(pk=project.pk).exclude(archived=None).update(archived=None):
        note_deed(project, PROJECT, "Brought back from the archive", user, project.title)


@transaction.atomic
def delete_project(project: Project, typed: str, user: Any) -> None:
    """Delete a project: nobody sees it from now on, its jobs are stopped, and its address is free. Its rows go when nothing works
    on them any more (upkeep.tidy). Raises TexelError unless `typed` is its title."""
    if typed.strip() != project.title:
        raise TexelError(f"“{typed[:60]}”", f"is not the project's title, {project.title}.", "Type the title as it stands.")
    held = Project.objects.select_for_update(no_key=True).get(pk=project.pk)
    _stop_jobs(held)
    held.deleted, held.slug = timezone.now(), f"deleted-{held.pk}"
    held.save(update_fields=["deleted", "slug"])
    note_deed(None, PROJECT, f"Project {held.title} deleted", user, held.title)


def _stop_jobs(project: Project) -> None:
    for job in project.jobs.filter(state__in=[Job.State.QUEUED, Job.State.RUNNING]):
        cancel(job)


def plain_title(title: str) -> str:
    """A project's title without stray spaces. Raises TexelError for an empty or overlong one."""
    plain = " ".join(title.split())
    if not 1 <= len(plain) <= LONGEST_TITLE or not slugify(plain, allow_unicode=True):
        shown = f"“{plain[:60]}”" if plain else "The title"
        problem = f"has {len(plain)} characters; a project's title has 1 to {LONGEST_TITLE}, with a letter or a digit."
        raise TexelError(shown, problem, f"Enter a title, 1–{LONGEST_TITLE} characters.")
    return plain


def plain_code(code: str) -> str:
    """A project's code: what {project} becomes in file names. Raises TexelError for one that no file name should hold."""
    plain = code.strip()
    if not plain.isascii() or not plain.replace("_", "").isalnum() or not 1 <= len(plain) <= LONGEST_CODE:
        problem = (
            f"will not do as a code: it is 1 to {LONGEST_CODE} letters, digits and underscores, since it stands in file names."
        )
        raise TexelError(f"“{plain[:40]}”", problem, "Choose another, for example “gh9”.")
    return plain


def default_code(title: str) -> str:
    """A code from a title: the first letters of its words, or the beginning of its only one."""
    words = slugify(title).split("-")
    code = "".join(word[:1] for word in words) if len(words) > 2 else words[0][:4] if words[0] else ""
    return code or "p"


def _free_slug(title: str) -> str:
    slug = slugify(title)[:LONGEST_SLUG].strip("-") or "project"
    taken = set(Project.everything.filter(slug__startswith=slug).values_list("slug", flat=True))
    wanted, number = slug, 2
    while wanted in taken or wanted.startswith("deleted-"):
        wanted, number = f"{slug}-{number}", number + 1
    return wanted
