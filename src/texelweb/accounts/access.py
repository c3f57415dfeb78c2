"""Who may do what: every endpoint asks here."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from django.http import HttpRequest

from texelweb.accounts.events import note
from texelweb.projects.models import RANK, Membership, Project, Role
from texelweb.refusals import Refused, not_found


@dataclass(frozen=True)
class Access:
    """A signed-in user inside a project."""

    user: Any
    project: Project
    role: Role


def enter(request: HttpRequest, project: Project | str, least: Role = Role.GUEST) -> Access:
    """The asking user's access to a project, by slug or object.

    Raises Refused 404 when the project does not exist or the user is no member, 403 when the role is not enough.
    """
    found = Membership.objects.filter(user=request.user).select_related("project")
    found = found.filter(project__slug=project) if isinstance(project, str) else found.filter(project=project)
    membership = found.first()
    token = getattr(request, "access_token", None)
    if membership is None or (token and token.project_id not in (None, membership.project_id)):
        raise not_found("The project")
    role = Role(membership.role)
    if token and not token.writes and RANK[least] > RANK[Role.GUEST]:
        note("token refused", request, token=token.pk, why="may only read")
        raise Refused(403, f"The access token “{token.name}”", "may only read.", "Make one that may write, on the account page.")
    if RANK[role] < RANK[least]:
        note("role refused", request, project=membership.project.slug, role=role.value, needed=least.value)
        problem = f"may look at {membership.project.title} but not change it: that takes the role {least.value}."
        raise Refused(403, f"You ({role.value})", problem, "Ask a lead of the project.")
    return Access(request.user, membership.project, role)
