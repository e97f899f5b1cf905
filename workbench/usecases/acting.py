"""What whoever acts (see `who`) may: asked by every use case itself, whatever page, door or command called it."""

from __future__ import annotations

from collections.abc import Callable
from contextvars import ContextVar
from functools import wraps
from typing import ParamSpec, TypeVar

from django.core.exceptions import PermissionDenied
from django.db import transaction

from intake.pictures import NoPhoto
from treatment.language.errors import BadDocument

from ..outcome import Done, Refused, Unread
from ..who import acting
from .roles import ACTS, may

P = ParamSpec("P")
R = TypeVar("R")

_inside: ContextVar[bool] = ContextVar("whether a use case runs already, which was asked for", default=False)

#: every use case, and the act of the table that it is
USE_CASES: dict[str, str] = {}


def needs(act: str) -> None:
    """Within a use case: what it is depends on what is asked of it. Raises PermissionDenied where this may not be done."""
    if not may(acting(), act):
        raise PermissionDenied(ACTS[act].refused)


def use_case(act: str, apart: bool = False) -> Callable[[Callable[P, Done[R]]], Callable[P, Done[R]]]:
    """Marks what can be done: asked of the table of roles before anything else, and done whole or not at all.

    act: the row of the table. apart: its parts are kept apart from each other, each in a transaction of its own. What another use case
    does on its way is part of that one and is not asked for again. It answers `Done` or raises
    `Refused`, also for a document that cannot be read or a picture that is none; PermissionDenied where it may not be.
    """
    assert act in ACTS, act

    def marked(do: Callable[P, Done[R]]) -> Callable[P, Done[R]]:
        whole = do if apart else transaction.atomic(do)

        @wraps(do)
        def done(*args: P.args, **kwargs: P.kwargs) -> Done[R]:
            if _inside.get():
                return whole(*args, **kwargs)
            needs(act)
            before = _inside.set(True)
            try:
                return whole(*args, **kwargs)
            except BadDocument as error:
                raise Unread(error.faults) from error
            except NoPhoto as error:
                raise Refused(str(error), "photo") from None
            finally:
                _inside.reset(before)

        USE_CASES[f"{do.__module__}.{do.__qualname__}"] = act
        return done

    return marked
