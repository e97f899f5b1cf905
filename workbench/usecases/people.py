"""Who belongs to a firm: invitations, roles, leaving. The last owner stays."""

from __future__ import annotations

import datetime as dt
import hashlib
import secrets
from typing import Any

from django.contrib.auth import get_user_model
from django.contrib.auth.password_validation import validate_password
from django.contrib.sessions.models import Session
from django.core.exceptions import ValidationError
from django.utils import timezone

from ..outcome import Done, Refused
from ..records.firm import ROLES, Invitation, Membership, Workspace
from ..records.log import CalendarLink, Device, OwnerLink
from .acting import use_case
from .roles import OWNER

OPEN_FOR = dt.timedelta(days=7)


@use_case("firm.manage")
def invite(workspace: Workspace, role: str, email: str, user: Any) -> Done[str]:
    """A link that makes somebody a member, once, within seven days; the secret is shown now and never again."""
    if role not in ROLES:
        raise Refused("Choose a role.", "role")
    secret = secrets.token_urlsafe(24)
    ends = timezone.now() + OPEN_FOR
    Invitation.objects.create(workspace=workspace, role=role, email=email.strip()[:254], digest=digest_of(secret), made_by=user, ends_at=ends)
    return Done(secret)


def digest_of(secret: str) -> str:
    """What is kept of a secret."""
    return hashlib.sha256(secret.encode()).hexdigest()


def invitation(secret: str) -> Invitation | None:
    """The open invitation of a secret; None where there is none, it was taken, or has ended."""
    found = Invitation.objects.select_related("workspace", "made_by").filter(digest=digest_of(secret), taken_at=None, ends_at__gt=timezone.now())
    return found.first()


@use_case("firm.manage", apart=True)
def withdraw(workspace: Workspace, pk: int) -> Done[None]:
    """End an invitation."""
    Invitation.objects.filter(workspace=workspace, pk=pk, taken_at=None).delete()
    return Done(None)


@use_case("firm.join")
def take(secret: str, user: Any) -> Done[Membership]:
    """Make a person who is logged in a member by an invitation; it is used up. Raises Refused."""
    held = invitation(secret)
    used = Invitation.objects.filter(digest=digest_of(secret), taken_at=None, ends_at__gt=timezone.now()).update(taken_at=timezone.now())
    if held is None or not used:
        raise Refused("This invitation was used already or has ended. Get a new one from the company.")
    if held.email and user.email and held.email.lower() != user.email.lower():
        raise Refused(f"This invitation is for {held.email}. Log in with that address, or get a new one.")
    member, made = Membership.objects.get_or_create(workspace=held.workspace, user=user, defaults={"role": held.role})
    if not made:
        raise Refused(f"You are a member of {held.workspace.name} already.")
    return Done(member, f"Welcome to {member.workspace.name}.")


@use_case("firm.join")
def join(secret: str, name: str, password: str) -> Done[Membership]:
    """A new person, made a member by an invitation. Raises Refused, beside the field."""
    held = invitation(secret)
    if held is None:
        raise Refused("This invitation was used already or has ended. Get a new one from the company.")
    users = get_user_model()
    name = name.strip()
    if users.objects.filter(username__iexact=name).exists():
        raise Refused("This name is taken. Choose another, or log in first and open the link again.", "username")
    user = users(username=name, email=held.email)
    try:
        user.clean_fields(exclude=["password"])
    except ValidationError as error:
        raise Refused(" ".join(error.messages), "username") from None
    try:
        validate_password(password, user)
    except ValidationError as error:
        raise Refused(" ".join(error.messages), "password") from None
    user.set_password(password)
    user.save()
    return take(secret, user)


@use_case("firm.manage")
def set_role(workspace: Workspace, pk: int, role: str) -> Done[Membership]:
    """Give a member another role. Raises Refused for the last owner, Membership.DoesNotExist."""
    if role not in ROLES:
        raise Refused("Choose a role.", "role")
    member = _held(workspace, pk)
    if member.role == OWNER and role != OWNER:
        _not_the_last(workspace, member)
    Membership.objects.filter(pk=member.pk).update(role=role)
    member.role = role
    return Done(member, f"{member.user.get_username()} is now {role}.")


@use_case("firm.manage")
def remove(workspace: Workspace, pk: int) -> Done[Membership]:
    """End a membership: sessions, calendar addresses, devices and links of that person end at once. Raises Refused for the last owner."""
    member = _held(workspace, pk)
    if member.role == OWNER:
        _not_the_last(workspace, member)
    CalendarLink.objects.filter(workspace=workspace, by=member.user_id).delete()
    OwnerLink.objects.filter(log__job__workspace=workspace, by=member.user_id).delete()
    Device.objects.filter(log__job__workspace=workspace, by=member.user_id).delete()
    Invitation.objects.filter(workspace=workspace, made_by=member.user_id, taken_at=None).delete()
    end_sessions(member.user_id)
    member.delete()
    return Done(member, f"{member.user.get_username()} is no longer a member.")


def end_sessions(user: int) -> None:
    """Log a person out everywhere."""
    for session in Session.objects.filter(expire_date__gt=timezone.now()).iterator():
        if session.get_decoded().get("_auth_user_id") == str(user):
            session.delete()


def _held(workspace: Workspace, pk: int) -> Membership:
    """A member, while the firm's people are held: two owners who remove each other come one after the other."""
    Workspace.objects.select_for_update().get(pk=workspace.pk)
    return Membership.objects.select_related("user").get(workspace=workspace, pk=pk)


def _not_the_last(workspace: Workspace, member: Membership) -> None:
    if not Membership.objects.filter(workspace=workspace, role=OWNER).exclude(pk=member.pk).exists():
        raise Refused("This is the last owner of the company. Make somebody else an owner first.")
