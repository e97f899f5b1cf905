"""Guessing at a log-in: after a few failures for one account from one address, each further one makes the wait longer.

Counted in the database by django-axes, so that it holds over all workers; nothing of who guessed goes to the log.
A password is checked slowly on purpose: how many a process checks in a second is bounded, so that a flood of guesses from many addresses
does not take the time of who is at work.
"""

from __future__ import annotations

import datetime as dt
import time
from collections.abc import Callable
from functools import wraps
from typing import Any

import structlog
from axes.models import AccessAttempt
from axes.signals import user_locked_out
from django.dispatch import receiver
from django.http import HttpRequest, HttpResponseBase

FREE = 5  # failures before the first wait
FIRST, LONGEST = dt.timedelta(minutes=1), dt.timedelta(hours=1)
#: passwords that a process checks in a second, and at once after a quiet time
A_SECOND, AT_ONCE = 1.5, 6.0
TOO_MANY = "Too many people are logging in. Wait a minute and try again."
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


class Pace:
    """So many at once, and so many in each second after that."""

    def __init__(self, a_second: float = A_SECOND, at_once: float = AT_ONCE, clock: Callable[[], float] = time.monotonic) -> None:
        self.a_second, self.at_once, self.clock = a_second, at_once, clock
        self.left, self.last = at_once, clock()

    def take(self) -> bool:
        """Whether one more may be done now."""
        now = self.clock()
        self.left, self.last = min(self.at_once, self.left + (now - self.last) * self.a_second), now
        if self.left < 1.0:
            return False
        self.left -= 1.0
        return True


PACE = Pace()


def paced(view: Callable[..., HttpResponseBase], refused: Callable[[HttpRequest, str], HttpResponseBase]) -> Callable[..., HttpResponseBase]:
    """A view that checks a password, within the pace; above it no password is checked. refused: the answer then, from its words."""

    @wraps(view)
    def within(request: HttpRequest, *args: Any, **kwargs: Any) -> HttpResponseBase:
        if request.method == "POST" and not PACE.take():
            return refused(request, TOO_MANY)
        return view(request, *args, **kwargs)

    return within
