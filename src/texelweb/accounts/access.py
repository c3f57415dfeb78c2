"""Who may do what: every endpoint asks here."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from django.http import HttpRequest

from texelweb.accounts.events import note
from texelweb.projects.models import RANK, Membership, Project, Role
from texelweb.refusals import Refused, not_found

LONGEST_NAME = 48


@dataclass(frozen=True)
class Access:
    """A signed-in user inside a project. `looks_at` names the target that the asking page shows; "" where it says none."""

    user: Any
    project: Project
    role: Role
    looks_at: str = ""


def enter(request: HttpRequest, project: Project | str, least: Role = Role.GUEST, *, archived: bool = False) -> Access:
    """The asking user's access to a project, by slug or object. `archived` says that also an archived one may be changed so.

    Raises Refused 404 when the project does not exist or the user is no member, 403 when the role is not enough, 409 when it is
    archived.
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
    if membership.project.archived and RANK[least] > RANK[Role.GUEST] and not archived:
        raise Refused(409, membership.project.title, "is archived: it is only looked at.", "A lead may bring it back.")
    if RANK[role] < RANK[least]:
        note("role refused", request, project=membership.project.slug, role=role.value, needed=least.value)
        problem = f"may look at {membership.project.title} but not change it: that takes the role {least.value}."
        raise Refused(403, f"You ({role.value})", problem, "Ask a lead of the project.")
    # Pictures are asked for by their address alone.
    looks_at = request.headers.get("X-Target") or request.GET.get("target", "")
    return Access(request.user, membership.project, role, looks_at[:LONGEST_NAME])


def leads_studio(request: HttpRequest) -> bool:
    """Whether the asking user leads the studio; with an access token nobody does."""
    return bool(request.user.is_staff and not getattr(request, "access_token", None))


def enter_studio(request: HttpRequest) -> Any:
    """The asking user, a studio lead. Raises Refused 403 for others; access tokens open nothing here."""
    if not leads_studio(request):
        note("role refused", request, needed="studio lead")
        raise Refused(403, "You", "are no studio lead.", "Ask one of them.")
    return request.user
