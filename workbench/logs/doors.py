"""Who writes in a logbook, or reads a calendar, without a log-in: devices by token, the owner by a private address, calendars."""

from __future__ import annotations

import hashlib
import secrets
from typing import Any, TypeVar

from django.db import transaction
from django.utils import timezone

from ..accounts.models import Workspace
from ..jobs.models import Job
from .models import CalendarLink, Device, OwnerLink, Sender
from .services import Refused, log_of, started

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


def new_device(job: Job, name: str) -> tuple[Device, str]:
    """A device and its token, which is told this once."""
    log = log_of(job) or started(job, timezone.localdate())
    token = secrets.token_urlsafe(24)
    return Device.objects.create(log=log, name=name.strip()[:60] or "device", token_hash=hashed(token)), token


def device_of(token: str) -> Device | None:
    """The device of a token; None for any other."""
    return Device.objects.select_related("log__job__survey", "log__job__workspace").filter(token_hash=hashed(token)).first() if token else None


def new_owner_link(job: Job, user: Any) -> OwnerLink:
    """A private address of a house for its owner. Raises Refused where the firm does not allow them."""
    if not job.workspace.owner_links:
        raise Refused("The firm does not allow owners' addresses; its page has the switch.")
    log = log_of(job) or started(job, timezone.localdate())
    return OwnerLink.objects.create(log=log, secret=secrets.token_urlsafe(24), by_name=user.get_username())


def owner_link(secret: str) -> OwnerLink | None:
    """The owner's door of an address; None for any other, for one that was ended, and where the firm no longer allows them."""
    found = OwnerLink.objects.select_related("log__job__survey", "log__job__workspace").filter(secret=secret).first()
    return found if found is not None and found.log.job.workspace.owner_links else None


def new_link(workspace: Workspace, job: Job | None, user: Any, technician: Any = None) -> CalendarLink:
    """A private address of a calendar: of a job, of a technician's houses, or of the firm."""
    return CalendarLink.objects.create(
        workspace=workspace, job=job, technician=technician, secret=secrets.token_urlsafe(24), by_name=user.get_username()
    )
