"""The demonstration's logs, by the stories of the core; who looks after its houses, and its simulated meter."""

from __future__ import annotations

import datetime as dt
from typing import Any

from django.utils import timezone

from treatment.demonstration import Story, log_document

from ..records.job import Job
from ..records.log import Device, JobLog, LogEntry, OwnerLink
from ..repository.door import design_of
from ..usecases import books as services
from ..usecases.books import opened, remember
from ..usecases.doors import hashed
from ..usecases.trains import shown_stages


def kept(job: Job, user: Any, story: Story) -> None:
    """The log of a job, as its story tells it."""
    document = log_document(story, design_of(job, shown_stages(job)).chosen, timezone.localdate())
    log = JobLog.objects.create(job=job, started_on=dt.date.fromisoformat(document["started_on"]))
    LogEntry.objects.bulk_create(
        LogEntry(log=log, on=dt.date.fromisoformat(body.pop("on")), body=body, key=f"demo-{number}", by=user, by_name=user.get_username())
        for number, body in enumerate(document["entries"])
    )
    book = opened(job)
    if book is not None:
        remember(book)


def looked_after_by(job: Job, username: str, area: str, user: Any) -> None:
    """Who looks after a house, its area, and an address for its owner."""
    services.look_after(job, username, area)
    OwnerLink.objects.create(log=job.log, secret_hash=hashed(f"larkfell-demo-owner-{job.pk}"), by=user, by_name=user.get_username())


def meter(job: Job, user: Any) -> None:
    """A log that a simulated meter may fill: ``./cairn simulate http://127.0.0.1:8000 larkfell-demo-meter``."""
    log = JobLog.objects.create(job=job, started_on=timezone.localdate() - dt.timedelta(days=30))
    Device.objects.create(log=log, name="simulated meter", token_hash=hashed("larkfell-demo-meter"), by=user)
