"""Who writes in a logbook, or reads a calendar, without a log-in: devices by token, the owner by a private address, calendars."""

from __future__ import annotations

import hashlib
import secrets
from typing import Any, TypeVar

from django.db import transaction
from django.utils import timezone

from ..outcome import Done, Refused
from ..records.firm import Membership, Workspace
from ..records.job import Job
from ..records.log import CalendarLink, Device, OwnerLink, Sender
from .acting import use_case
from .books import log_of, started
from .roles import ACTS

#: entries that may come by one door in a minute
RATE = 30
S = TypeVar("S", bound=Sender)


def hashed(token: str) -> str:
    """What is kept of a token."""
    return hashlib.sha256(token.encode()).hexdigest()


@transaction.atomic
def may_send(sender: S) -> bool:
    """Whether another entry may come by this door in this minute; it is counted."""
    held = type(sender).objects.select_for_update().get(pk=sender.pk)  # type: ignore[attr-defined]
    now = timezone.now()
    fresh = held.minute is None or (now - held.minute).total_seconds() >= 60
    held.minute, held.count = (now, 1) if fresh else (held.minute, held.count + 1)
    held.last_at = now
    held.save(update_fields=["minute", "count", "last_at"])
    return bool(held.count <= RATE)


def stands(sender: Sender, workspace: Workspace) -> bool:
    """Whether whoever let somebody in still works in the firm and may write; a door whose maker is not known any more is shut."""
    return Membership.objects.filter(workspace=workspace, user=sender.by_id, user__is_active=True, role__in=ACTS["log.write"].roles).exists()


@use_case("link.make", apart=True)
def new_device(job: Job, name: str, user: Any) -> Done[tuple[Device, str]]:
    """A device and its token, which is told this once."""
    log = log_of(job) or started(job, timezone.localdate()).made
    token = secrets.token_urlsafe(24)
    return Done((Device.objects.create(log=log, name=name.strip()[:60] or "device", token_hash=hashed(token), by=user), token))


def device_of(token: str) -> Device | None:
    """The device of a token; None for any other, and where its maker left the firm."""
    found = Device.objects.select_related("log__job__survey", "log__job__workspace").filter(token_hash=hashed(token)).first() if token else None
    return found if found is not None and found.log.job.binned_at is None and stands(found, found.log.job.workspace) else None


@use_case("link.make", apart=True)
def new_owner_link(job: Job, user: Any) -> Done[tuple[OwnerLink, str]]:
    """A private address of a house for its owner, and its secret, which is told this once. Raises Refused where the firm does not allow them."""
    if not job.workspace.owner_links:
        raise Refused("The company does not allow owner links. The Company page has the switch.")
    log, secret = log_of(job) or started(job, timezone.localdate()).made, secrets.token_urlsafe(24)
    return Done((OwnerLink.objects.create(log=log, secret_hash=hashed(secret), by=user, by_name=user.get_username()), secret))


def owner_link(secret: str) -> OwnerLink | None:
    """The owner's door of an address; None for any other, for one that was ended, whose maker left, and where the firm no longer allows them."""
    found = OwnerLink.objects.select_related("log__job__survey", "log__job__workspace").filter(secret_hash=hashed(secret)).first()
    if found is None or found.log.job.binned_at is not None or not found.log.job.workspace.owner_links:
        return None
    return found if stands(found, found.log.job.workspace) else None


@use_case("link.make", apart=True)
def end_device(job: Job, pk: int) -> Done[None]:
    """A device may write no more."""
    Device.objects.filter(log__job=job, pk=pk).delete()
    return Done(None)


@use_case("link.make", apart=True)
def end_owner_link(job: Job, pk: int) -> Done[None]:
    """An owner's address of a house opens no more."""
    OwnerLink.objects.filter(log__job=job, pk=pk).delete()
    return Done(None)


@use_case("log.write", apart=True)
def end_calendar_link(workspace: Workspace, pk: int) -> Done[None]:
    """An address of a calendar opens no more."""
    CalendarLink.objects.filter(workspace=workspace, pk=pk).delete()
    return Done(None)


@use_case("log.write", apart=True)
def new_link(workspace: Workspace, job: Job | None, user: Any, technician: Any = None) -> Done[tuple[CalendarLink, str]]:
    """A private address of a calendar, of a job, of a technician's houses, or of the firm; and its secret, which is told this once."""
    secret = secrets.token_urlsafe(24)
    link = CalendarLink.objects.create(
        workspace=workspace, job=job, technician=technician, secret_hash=hashed(secret), by=user, by_name=user.get_username()
    )
    return Done((link, secret))


def calendar_link(secret: str) -> CalendarLink | None:
    """The calendar of an address; None for any other, for one that was ended, and where its maker left the firm."""
    found = CalendarLink.objects.select_related("workspace", "job").filter(secret_hash=hashed(secret)).first()
    return found if found is not None and stands(found, found.workspace) else None
