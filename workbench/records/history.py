"""What is kept of every change: the database's own triggers write a row beside each row that comes, changes or goes, with who and where."""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeVar

import pghistory
from django.db import models

M = TypeVar("M", bound=type[models.Model])


def kept(*fields: str) -> Callable[[M], M]:
    """Keep every change of these fields of a table, for good: what is kept cannot be changed or deleted through the application."""

    def decorate(model: M) -> M:
        events = (pghistory.InsertEvent(), pghistory.UpdateEvent(), pghistory.DeleteEvent())
        tracked: M = pghistory.track(*events, fields=list(fields), model_name=f"{model.__name__}Change", append_only=True)(model)
        return tracked

    return decorate
