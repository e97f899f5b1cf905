"""How many houses of a firm wait for somebody: in danger, overdue, due today and within a week."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable, Mapping
from typing import Any

from django.db.models import Count, F, Q
from django.utils import timezone

from ..records.firm import Workspace
from ..records.log import JobLog


def due_counts(workspace: Workspace, chosen: Mapping[str, str] | None = None) -> dict[str, int]:
    """Over the houses of a firm that keep a log, or those chosen: how many are in danger, overdue, due today and within a week."""
    return dict(JobLog.objects.filter(job__workspace=workspace, job__binned_at=None, **(chosen or {})).aggregate(**_due_counts()))


def due_by(workspace: Workspace, what: str) -> list[dict[str, Any]]:
    """The same counts for each value of a field of the logs: whose houses, which area; those without one last."""
    rows = JobLog.objects.filter(job__workspace=workspace, job__binned_at=None).values(name=F(what)).annotate(houses=Count("pk"), **_due_counts())
    return sorted((dict(row) for row in rows), key=lambda row: (not row["name"], row["name"] or ""))


def summed(rows: Iterable[Mapping[str, Any]]) -> dict[str, int]:
    """The counts of all rows together."""
    held = list(rows)
    return {name: sum(row[name] for row in held) for name in _due_counts()}


def _due_counts() -> dict[str, Count]:
    today = timezone.localdate()
    week = today + dt.timedelta(days=7)
    return {
        "danger": Count("pk", filter=Q(dangers__gt=0)),
        "overdue": Count("pk", filter=Q(due_on__lt=today)),
        "today": Count("pk", filter=Q(due_on=today)),
        "week": Count("pk", filter=Q(due_on__gt=today, due_on__lte=week)),
    }
