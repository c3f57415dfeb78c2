"""People: members of a project and their roles, invitations, and for studio leads everybody's accounts."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from django.contrib.auth import get_user_model
from django.db.models import Count, Q
from django.http import HttpRequest
from django.utils import timezone
from ninja import Field, Router, Schema

from texelweb.accounts.access import enter, enter_studio
from texelweb.accounts.events import note
from texelweb.accounts.models import AccessToken, Sitting
from texelweb.accounts.sessions import end_all
from texelweb.api.schemas import ErrorBody, RoleName
from texelweb.projects.models import Membership, Project, Role
from texelweb.refusals import not_found
from texelweb.studio import people
from texelweb.studio.models import Invitation

router = Router(tags=["people"])


class PersonInProject(Schema):
    """A member of a project."""

    id: int
    name: str
    role: RoleName
    active: bool
    me: bool


class InvitationView(Schema):
    """An invitation that nobody has taken yet. Its secret is not kept. Without a role it leads to no project."""

    id: int
    role: RoleName | None
    studio: bool
    note: str
    by: str
    expires: datetime


class ProjectPeople(Schema):
    """Who belongs to a project; invitations are shown to its leads."""

    members: list[PersonInProject]
    invitations: list[InvitationView]
    may_edit: bool


class NewInvitation(Schema):
    """Whom an invitation is for, in a few words, and the role that it gives."""

    role: RoleName
    note: str = Field(default="", max_length=200)


class NewStudioInvitation(Schema):
    """Whom an invitation into the studio is for; with `studio` it makes a studio lead."""

    note: str = Field(default="", max_length=200)
    studio: bool = False


class InvitationMade(Schema):
    """An invitation and its secret, which is shown once."""

    invitation: InvitationView
    secret: str


class LinkMade(Schema):
    """A secret, which is shown once, and when it ends."""

    secret: str
    expires: datetime


class RoleChange(Schema):
    """Another role."""

    role: RoleName


class Seat(Schema):
    """A person's role in a project."""

    slug: str
    title: str
    role: RoleName


class SessionLine(Schema):
    """One browser in which a person is signed in, by when that ends unless it is used."""

    key: str
    ends: datetime


class TokenLine(Schema):
    """An access token of a person."""

    id: int
    name: str
    begins: str
    project: str | None
    writes: bool
    used: datetime | None
    over: bool


class PersonLine(Schema):
    """Somebody with an account."""

    id: int
    name: str
    active: bool
    studio: bool
    me: bool
    last_seen: datetime | None
    sessions: int
    tokens: int
    projects: list[Seat]


class Person(PersonLine):
    """Somebody with an account, with the sessions and tokens that stand open."""

    open_sessions: list[SessionLine]
    open_tokens: list[TokenLine]


class StudioPeople(Schema):
    """Everybody, and the open invitations that lead to no project."""

    people: list[PersonLine]
    invitations: list[InvitationView]


class PersonChange(Schema):
    """Whether somebody's account is open, and whether they lead the studio; null leaves it."""

    active: bool | None = None
    studio: bool | None = None


MEMBERS = {200: ProjectPeople, 403: ErrorBody, 404: ErrorBody, 409: ErrorBody}
STUDIO = {200: StudioPeople, 403: ErrorBody, 404: ErrorBody, 409: ErrorBody}
PERSON = {200: Person, 403: ErrorBody, 404: ErrorBody, 409: ErrorBody}
# Of a session's key so much is said as tells it from the others: the key itself would open it.
SHOWN = 8


@router.get("/projects/{slug}/people", response={200: ProjectPeople, 404: ErrorBody}, operation_id="list_members")
def list_members(request: HttpRequest, slug: str) -> ProjectPeople:
    """Who belongs to a project."""
    return _members(request, enter(request, slug).project)


@router.post(
    "/projects/{slug}/invitations",
    response={200: InvitationMade, 403: ErrorBody, 404: ErrorBody, 409: ErrorBody},
    operation_id="invite",
)
def invite(request: HttpRequest, slug: str, body: NewInvitation) -> InvitationMade:
    """A link that makes whoever takes it a member. It works once, for a week; its secret is in this answer and nowhere else."""
    access = enter(request, slug, Role.LEAD)
    made, secret = people.invite(access.user, access.project, Role(body.role), body.note)
    note("invited", request, project=access.project.slug, role=body.role)
    return InvitationMade(invitation=_invitation(made), secret=secret)


@router.delete("/projects/{slug}/invitations/{invitation_id}", response=MEMBERS, operation_id="withdraw_invitation")
def withdraw_invitation(request: HttpRequest, slug: str, invitation_id: int) -> ProjectPeople:
    """Withdraw an invitation: its link ends."""
    access = enter(request, slug, Role.LEAD)
    found = Invitation.objects.filter(pk=invitation_id, project=access.project, used=None).first()
    if found is None:
        raise not_found("The invitation")
    people.withdraw(found, access.user)
    return _members(request, access.project)


@router.put("/projects/{slug}/people/{user_id}", response=MEMBERS, operation_id="change_role")
def change_role(request: HttpRequest, slug: str, user_id: int, body: RoleChange) -> ProjectPeople:
    """Give a member another role. The last lead keeps theirs."""
    access = enter(request, slug, Role.LEAD)
    people.change_role(access.project, _user(user_id, access.project), Role(body.role), access.user)
    note("role changed", request, project=access.project.slug, person=user_id, role=body.role)
    return _members(request, access.project)


@router.delete("/projects/{slug}/people/{user_id}", response=MEMBERS, operation_id="remove_member")
def remove_member(request: HttpRequest, slug: str, user_id: int) -> ProjectPeople:
    """Take somebody out of a project, with their access tokens for it. The last lead stays."""
    access = enter(request, slug, Role.LEAD)
    people.remove_member(access.project, _user(user_id, access.project), access.user)
    note("member removed", request, project=access.project.slug, person=user_id)
    return _members(request, access.project)


@router.get("/studio/people", response=STUDIO, operation_id="list_people")
def list_people(request: HttpRequest) -> StudioPeople:
    """Everybody with an account, for studio leads."""
    return _studio(enter_studio(request))


@router.post(
    "/studio/invitations", response={200: InvitationMade, 403: ErrorBody, 409: ErrorBody}, operation_id="invite_to_studio"
)
def invite_to_studio(request: HttpRequest, body: NewStudioInvitation) -> InvitationMade:
    """A link that gives an account, without a project; or makes a studio lead."""
    me = enter_studio(request)
    made, secret = people.invite(me, None, None, body.note, studio=body.studio)
    note("invited", request, studio=body.studio)
    return InvitationMade(invitation=_invitation(made), secret=secret)


@router.delete("/studio/invitations/{invitation_id}", response=STUDIO, operation_id="withdraw_studio_invitation")
def withdraw_studio_invitation(request: HttpRequest, invitation_id: int) -> StudioPeople:
    """Withdraw an invitation into the studio."""
    me = enter_studio(request)
    found = Invitation.objects.filter(pk=invitation_id, project=None, user=None, used=None).first()
    if found is None:
        raise not_found("The invitation")
    people.withdraw(found, me)
    return _studio(me)


@router.get("/studio/people/{user_id}", response=PERSON, operation_id="get_person")
def get_person(request: HttpRequest, user_id: int) -> Person:
    """Somebody's account, with open sessions and tokens, for studio leads."""
    me = enter_studio(request)
    return _person(me, _user(user_id))


@router.patch("/studio/people/{user_id}", response=PERSON, operation_id="change_person")
def change_person(request: HttpRequest, user_id: int, body: PersonChange) -> Person:
    """Disable or enable an account, or say who leads the studio. The last lead of the studio or of a project stays."""
    me = enter_studio(request)
    user = _user(user_id)
    if body.studio is not None:
        people.make_studio_lead(user, me, lead=body.studio)
    if body.active is not None:
        (people.enable if body.active else people.disable)(user, me)
    note("account changed", request, person=user_id, active=body.active, studio=body.studio)
    return _person(me, _user(user_id))


@router.post(
    "/studio/people/{user_id}/password-link",
    response={200: LinkMade, 403: ErrorBody, 404: ErrorBody, 409: ErrorBody},
    operation_id="offer_password",
)
def offer_password(request: HttpRequest, user_id: int) -> LinkMade:
    """A link by which somebody chooses a new password. It works once, for a week."""
    me = enter_studio(request)
    made, secret = people.offer_password(me, _user(user_id))
    note("password link made", request, person=user_id)
    return LinkMade(secret=secret, expires=made.expires)


@router.delete("/studio/people/{user_id}/sessions", response=PERSON, operation_id="end_sessions")
def end_sessions(request: HttpRequest, user_id: int, key: str = "") -> Person:
    """End a person's sessions: all, or the one whose key begins so."""
    me = enter_studio(request)
    user = _user(user_id)
    if key:
        Sitting.objects.filter(user=user, session_key__startswith=key[:SHOWN]).delete()
    else:
        end_all(user)
    note("sessions ended", request, person=user_id)
    return _person(me, user)


@router.delete("/studio/people/{user_id}/tokens/{token_id}", response=PERSON, operation_id="end_token")
def end_token(request: HttpRequest, user_id: int, token_id: int) -> Person:
    """End an access token of a person."""
    me = enter_studio(request)
    user = _user(user_id)
    gone, _ = AccessToken.objects.filter(user=user, pk=token_id).delete()
    if not gone:
        raise not_found("The token")
    note("token revoked", request, token=token_id)
    return _person(me, user)


def _user(user_id: int, project: Project | None = None) -> Any:
    rows = get_user_model().objects.filter(pk=user_id)
    found = (rows.filter(memberships__project=project) if project else rows).first()
    if found is None:
        raise not_found("The person")
    return found


def _members(request: HttpRequest, project: Project) -> ProjectPeople:
    found = Membership.objects.filter(project=project).select_related("user").order_by("user__username")
    mine = next((entry for entry in found if entry.user_id == request.user.pk), None)
    lead = mine is not None and mine.role == Role.LEAD
    waiting = Invitation.objects.filter(project=project, used=None, expires__gt=timezone.now()).select_related("by")
    return ProjectPeople(
        members=[
            PersonInProject(
                id=entry.user_id,
                name=entry.user.get_username(),
                role=entry.role,
                active=entry.user.is_active,
                me=entry.user_id == request.user.pk,
            )
            for entry in found
        ],
        invitations=[_invitation(entry) for entry in waiting.order_by("pk")] if lead else [],
        may_edit=lead and project.archived is None,
    )


def _invitation(invitation: Invitation) -> InvitationView:
    return InvitationView(
        id=invitation.pk,
        role=invitation.role or None,
        studio=invitation.studio,
        note=invitation.note,
        by=invitation.by.get_username() if invitation.by else "",
        expires=invitation.expires,
    )


def _studio(me: Any) -> StudioPeople:
    waiting = Invitation.objects.filter(project=None, user=None, used=None, expires__gt=timezone.now()).select_related("by")
    return StudioPeople(
        people=[PersonLine(**_line(me, user)) for user in _rows().order_by("username")],
        invitations=[_invitation(entry) for entry in waiting.order_by("pk")],
    )


def _rows() -> Any:
    now = timezone.now()
    return (
        get_user_model()
        .objects.annotate(
            session_count=Count("sittings", filter=Q(sittings__expire_date__gt=now), distinct=True),
            token_count=Count(
                "access_tokens", filter=Q(access_tokens__expires=None) | Q(access_tokens__expires__gt=now), distinct=True
            ),
        )
        .prefetch_related("memberships__project")
    )


def _line(me: Any, user: Any) -> dict[str, Any]:
    seats = [membership for membership in user.memberships.all() if membership.project.deleted is None]
    return {
        "id": user.pk,
        "name": user.get_username(),
        "active": user.is_active,
        "studio": user.is_staff,
        "me": user.pk == me.pk,
        "last_seen": user.last_login,
        "sessions": user.session_count,
        "tokens": user.token_count,
        "projects": [
            Seat(slug=membership.project.slug, title=membership.project.title, role=membership.role) for membership in seats
        ],
    }


def _person(me: Any, user: Any) -> Person:
    row = _rows().get(pk=user.pk)
    sessions = Sitting.objects.filter(user=user, expire_date__gt=timezone.now()).order_by("-expire_date")
    tokens = AccessToken.objects.filter(user=user).select_related("project").order_by("-pk")
    return Person(
        **_line(me, row),
        open_sessions=[SessionLine(key=entry.session_key[:SHOWN], ends=entry.expire_date) for entry in sessions],
        open_tokens=[
            TokenLine(
                id=token.pk,
                name=token.name,
                begins=token.begins,
                project=token.project.title if token.project else None,
                writes=token.writes,
                used=token.used,
                over=token.is_over,
            )
            for token in tokens
        ],
    )
