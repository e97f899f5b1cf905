"""Guessing at a log-in: after a few failures for one account from one address, each further one makes the wait longer.

Counted in the database by django-axes, so that it holds over all workers; nothing of who guessed goes to the log.
"""

from __future__ import annotations

import datetime as dt
from typing import Any

import structlog
from axes.models import AccessAttempt
from axes.signals import user_locked_out
from django.dispatch import receiver
from django.http import HttpRequest

FREE = 5  # failures before the first wait
FIRST, LONGEST = dt.timedelta(minutes=1), dt.timedelta(hours=1)
log = structlog.get_logger("workbench.login")


def wait_after(failures: int) -> dt.timedelta:
    """How long nobody may try again after so many failures: a minute, then twice as long with each, an hour at the most.

    >>> [wait_after(n) // FIRST for n in (5, 6, 7, 12)]
    [1, 2, 4, 60]
    """
    doublings: int = min(max(failures - FREE, 0), 12)
    return min(FIRST * float(2**doublings), LONGEST)


def cool_off(request: HttpRequest | None = None) -> dt.timedelta:
    """The wait for who is asking now, by the failures counted for this account and address."""
    if request is None:
        return LONGEST
    name, address = request.POST.get("username", ""), request.META.get("REMOTE_ADDR")
    found = AccessAttempt.objects.filter(username=name, ip_address=address).order_by("-failures_since_start").first()
    return wait_after(found.failures_since_start if found else FREE)


@receiver(user_locked_out)
def told(sender: Any, **kwargs: Any) -> None:
    """An event in the log, without the name and without the address."""
    log.warning("log-in locked after failures")
