"""Who a request is, known to all that answers it: a visitor, until somebody says otherwise. Outside requests it is the installation itself."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar

#: who is no member: the installation itself (its commands and tasks), a request nobody has spoken for yet, and who comes by a private address
ITSELF, VISITOR, DEVICE, HOUSE, LINK = "itself", "visitor", "device", "house", "link"

_who: ContextVar[str] = ContextVar("who acts: a role, a door, or the installation itself", default=ITSELF)


@contextmanager
def a_request() -> Iterator[None]:
    """While a request is answered: until somebody says who it is, a visitor acts."""
    before = _who.set(VISITOR)
    try:
        yield
    finally:
        _who.reset(before)


def acts_as(who: str) -> None:
    """Say who the request is: a role, or the door that it came by. Outside of requests nobody can."""
    if _who.get() != ITSELF:
        _who.set(who)


def acting() -> str:
    """Who acts just now."""
    return _who.get()
