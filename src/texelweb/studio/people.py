"""Who belongs to the studio and its projects: invitations, roles, and the end of both.

A studio lead looks after all people; a lead of a project after its members. There is always a lead left of either: whoever
takes the last one away is refused, also where two leads remove each other at the same moment.
"""

from __future__ import annotations

import re
from typing import Any

from django.contrib.auth import get_user_model
from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError
from django.db import connection, transaction
from django.utils import timezone

from texelcore.pixels.errors import TexelError
from texelweb.accounts.models import AccessToken, digest_of
from texelweb.accounts.sessions import end_all
from texelweb.projects.models import Membership, Project, Role
from texelweb.record.steps import note_deed
from texelweb.studio.models import Invitation

# People in the record.
PEOPLE = "people"
MOST_OPEN = 200
ACCOUNT_NAME = re.compile(r"[A-Za-z][A-Za-z0-9._@+-]*")
LONGEST_NAME = 40
# One change of leads at a time (PostgreSQL's advisory locks go by number).
_LEADS = 0x1EAD5


def is_empty() -> bool:
    """Whether nobody has an account yet."""
    return not get_user_model().objects.exists()


@transaction.atomic
def first_lead(name: str, password: str) -> Any:
    """The first account of all, a studio lead. Raises TexelError when there is one already, and as `make_account` does."""
    _one_at_a_time()
    if not is_empty():
        raise TexelError("The studio", "has its first lead already.", "Sign in, or ask a lead for an invitation.")
    user = make_account(name, password, studio=True)
    note_deed(None, PEOPLE, f"Studio set up by {user.get_username()}", user, user.get_username())
    return user


def make_account(name: str, password: str, *, studio: bool = False) -> Any:
    """A new account. Raises TexelError for a name that is taken or will not do, and a password that Django's validators
    refuse."""
    model = get_user_model()
    plain = name.strip()
    # Of other scripts' letters many look like these: two accounts that nobody can tell apart are one too many.
    if len(plain) > LONGEST_NAME or not ACCOUNT_NAME.fullmatch(plain):
        problem = f"will not do as a name: 1 to {LONGEST_NAME} letters a–z, digits and . _ - @ + without spaces, a letter first."
        raise TexelError(f"“{plain[:40]}”", problem, "Choose another.")
    if model.objects.filter(username__iexact=plain).exists():
        raise TexelError(f"“{plain}”", "is somebody's name already.", "Choose another.")
    user = model(username=plain, is_staff=studio)
    _give_password(user, password)
    return user


def _give_password(user: Any, password: str) -> None:
    try:
        validate_password(password, user)
    except ValidationError as error:
        raise TexelError("The password", f"will not do: {error.messages[0]}", "Choose another.") from error
    user.set_password(password)
    user.save()


def leads_something(user: Any) -> bool:
    """Whether somebody may make projects: a studio lead, or a lead of some project."""
    return user.is_staff or Membership.objects.filter(user=user, role=Role.LEAD).exists()


@transaction.atomic
def invite(by: Any, project: Project | None, role: Role | None, note: str, *, studio: bool = False) -> tuple[Invitation, str]:
    """A link into a project in a role, or (`studio`) into the studio as one of its leads. Gives it with its secret. That `by`
    may do so is the caller's to see. Raises TexelError when too many are open."""
    if Invitation.objects.filter(project=project, user=None, used=None, expires__gt=timezone.now()).count() >= MOST_OPEN:
        raise TexelError("The invitation", f"would be one too many: {MOST_OPEN} are open.", "Withdraw some first.")
    label = " ".join(note.split())[:80]
    made, secret = Invitation.make(by, project=project, role=role or "", studio=studio, note=label)
    what = f"Invited{f' {label}' if label else ''} as {_as_what(made)}"
    note_deed(project, PEOPLE, what, by, label, made.pk)
    return made, secret


@transaction.atomic
def offer_password(by: Any, user: Any) -> tuple[Invitation, str]:
    """A link by which somebody chooses a new password; links for the same that were open end."""
    Invitation.objects.filter(user=user, used=None).delete()
    made, secret = Invitation.make(by, user=user)
    note_deed(None, PEOPLE, f"Link for a new password made for {user.get_username()}", by, user.get_username(), user.pk)
    return made, secret


def look_at(secret: str) -> Invitation:
    """The invitation of a secret. Raises TexelError when there is none, it is over or used, or whoever made it may not do so any
    more: the same words for all, since a guess must learn nothing."""
    found = Invitation.objects.select_related("project", "by", "user").filter(digest=digest_of(secret)).first()
    if found is None or not found.is_open or not _still_good(found):
        raise _dead_link()
    return found


@transaction.atomic
def take(secret: str, user: Any, name: str, password: str) -> Any:
    """Take an invitation: as `user` where somebody is signed in, and else with a new account of that name and password; a link
    for a new password gives it. Gives the user. Raises TexelError as `look_at` and `make_account` do; the link can be tried
    again then.
    """
    found = look_at(secret)
    # Whoever comes at the same moment waits here, and finds it used.
    held = Invitation.objects.select_for_update(of=("self",)).get(pk=found.pk)
    if not held.is_open:
        raise _dead_link()
    if held.user is not None:
        taker = held.user
        _give_password(taker, password)
        AccessToken.objects.filter(user=taker).delete()
        end_all(taker)
        what = f"{taker.get_username()} chose a new password by a link"
    else:
        taker = user or make_account(name, password)
        _let_in(held, taker)
        what = f"{taker.get_username()} came in as {_as_what(held)}, invited by {held.by.get_username()}"
    held.used, held.used_by = timezone.now(), taker
    held.save(update_fields=["used", "used_by"])
    note_deed(held.project, PEOPLE, what, taker, taker.get_username(), taker.pk)
    return taker


def _dead_link() -> TexelError:
    return TexelError("The link", "does not work: it was used, withdrawn or is older than a week.", "Ask a lead for a new one.")


def _let_in(invitation: Invitation, taker: Any) -> None:
    if invitation.studio:
        taker.is_staff = True
        taker.save(update_fields=["is_staff"])
    if invitation.project is None:
        return
    member = Membership.objects.filter(project=invitation.project, user=taker).first()
    if member is not None:
        # A link never changes the role of somebody who has one: a lead does that on the people page.
        problem = f"are a member of {invitation.project.title} already, as {member.role}."
        raise TexelError("You", problem, "A lead may change your role; the link can be used by somebody else.")
    Membership.objects.create(project=invitation.project, user=taker, role=invitation.role)


def _still_good(invitation: Invitation) -> bool:
    """Whether whoever made a link could make it now."""
    by, project = invitation.by, invitation.project
    if by is None or not by.is_active:
        return False
    if project is None:
        return by.is_staff and (invitation.user is None or invitation.user.is_active)
    if project.deleted or project.archived:
        return False
    return by.is_staff or Membership.objects.filter(project=project, user=by, role=Role.LEAD).exists()


def _as_what(invitation: Invitation) -> str:
    if invitation.project:
        return f"{invitation.role} of {invitation.project.title}"
    return "studio lead" if invitation.studio else "member of the studio"


@transaction.atomic
def withdraw(invitation: Invitation, by: Any) -> None:
    """End an invitation that nobody took."""
    gone, _ = Invitation.objects.filter(pk=invitation.pk, used=None).delete()
    if gone:
        note_deed(invitation.project, PEOPLE, f"Invitation withdrawn: {invitation.note or _as_what(invitation)}", by)


@transaction.atomic
def change_role(project: Project, user: Any, role: Role, by: Any) -> None:
    """Give a member another role. Raises TexelError for the last lead, and for somebody who is no member."""
    _one_at_a_time()
    member = _member(project, user)
    if member.role == role:
        return
    if member.role == Role.LEAD:
        _refuse_last_lead(project, user)
    note_deed(project, PEOPLE, f"{user.get_username()}: {member.role} → {role}", by, user.get_username(), user.pk)
    member.role = role
    member.save(update_fields=["role"])


@transaction.atomic
def remove_member(project: Project, user: Any, by: Any) -> None:
    """Take somebody out of a project: at once, with their access tokens for it. Raises TexelError as `change_role` does."""
    _one_at_a_time()
    member = _member(project, user)
    if member.role == Role.LEAD:
        _refuse_last_lead(project, user)
    member.delete()
    AccessToken.objects.filter(user=user, project=project).delete()
    Invitation.objects.filter(project=project, by=user, used=None).delete()
    note_deed(project, PEOPLE, f"{user.get_username()} removed from the project", by, user.get_username(), user.pk)


@transaction.atomic
def disable(user: Any, by: Any) -> None:
    """Close an account: its sessions, tokens and links end at once. Raises TexelError for the last studio lead, and for the last
    lead of a project."""
    _one_at_a_time()
    user.refresh_from_db()
    if not user.is_active:
        return
    if user.is_staff:
        _refuse_last_studio_lead(user)
    for member in Membership.objects.filter(user=user, role=Role.LEAD).select_related("project"):
        _refuse_last_lead(member.project, user)
    user.is_active = False
    user.save(update_fields=["is_active"])
    end_all(user)
    AccessToken.objects.filter(user=user).delete()
    Invitation.objects.filter(by=user, used=None).delete()
    Invitation.objects.filter(user=user, used=None).delete()
    note_deed(None, PEOPLE, f"{user.get_username()} disabled", by, user.get_username(), user.pk)


@transaction.atomic
def enable(user: Any, by: Any) -> None:
    """Open a closed account again. Sessions and tokens stay ended."""
    if get_user_model().objects.filter(pk=user.pk, is_active=False).update(is_active=True):
        note_deed(None, PEOPLE, f"{user.get_username()} enabled", by, user.get_username(), user.pk)


@transaction.atomic
def make_studio_lead(user: Any, by: Any, *, lead: bool) -> None:
    """Make somebody a studio lead, or end that. Raises TexelError for the last one."""
    _one_at_a_time()
    user.refresh_from_db()
    if user.is_staff == lead:
        return
    if not lead:
        _refuse_last_studio_lead(user)
    user.is_staff = lead
    user.save(update_fields=["is_staff"])
    said = "is a studio lead" if lead else "is no studio lead any more"
    note_deed(None, PEOPLE, f"{user.get_username()} {said}", by, user.get_username(), user.pk)


def _member(project: Project, user: Any) -> Membership:
    member = Membership.objects.filter(project=project, user=user).first()
    if member is None:
        raise TexelError(user.get_username(), f"is no member of {project.title}.", "Reload the page.")
    return member


def _refuse_last_lead(project: Project, user: Any) -> None:
    others = Membership.objects.filter(project=project, role=Role.LEAD, user__is_active=True).exclude(user=user)
    if not others.exists():
        raise TexelError(user.get_username(), f"is the last lead of {project.title}.", "Make somebody else its lead first.")


def _refuse_last_studio_lead(user: Any) -> None:
    others = get_user_model().objects.filter(is_staff=True, is_active=True).exclude(pk=user.pk)
    if not others.exists():
        raise TexelError(user.get_username(), "is the last studio lead.", "Make somebody else a studio lead first.")


def _one_at_a_time() -> None:
    """Wait until nobody else changes who leads; until the transaction ends nobody does."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT pg_advisory_xact_lock(%s)", [_LEADS])
