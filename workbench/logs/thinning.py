"""What devices wrote is thinned by day once it is old: a log that a meter fills each minute stays one that can be read.

Of a day are kept, for each thing that was read, the reading in the middle (of a running count the last) as the log's entry, and beside
it the lowest, the mean, the highest and how many there were.
"""

from __future__ import annotations

import datetime as dt
import secrets
from collections.abc import Sequence
from statistics import fmean
from typing import Any

from django.db import transaction
from django.db.models import Count, QuerySet

from treatment.language.errors import NotUnderstood
from treatment.language.log_keys import log_key

from ..jobs.services import hold
from .models import JobLog, LogEntry

#: how the name of who wrote an entry begins where it was a device, and that of a day's summary
DEVICE, BY_DAY = "device ", "devices, by day"
#: days that are kept as they came, and days that are thinned at one time
WHOLE_DAYS, AT_ONCE = 3, 40
#: running counts: the last says all
COUNTS = ("meter", "starts", "regenerations", "lamp_hours")


def raw(log: JobLog) -> QuerySet[LogEntry]:
    """What devices wrote and nobody thinned."""
    return log.entries.filter(by=None, by_name__startswith=DEVICE, gone=False)


def thin(log: JobLog, ids: Sequence[str], today: dt.date) -> int:
    """Thin the days that are old, the newest of them first, so that days nobody can read any more never stand before others; how many were. ids: of the train's stages."""
    old = raw(log).filter(on__lt=today - dt.timedelta(days=WHOLE_DAYS))
    days = list(old.values("on").annotate(count=Count("pk")).filter(count__gt=1).order_by("-on").values_list("on", flat=True)[:AT_ONCE])
    for day in days:
        with transaction.atomic():
            hold(log.job)
            entries = list(raw(log).filter(on=day).order_by("pk"))
            body, read = summary([entry.body for entry in entries], ids)
            if body["readings"]:
                LogEntry.objects.filter(pk__in=[entry.pk for entry, taken in zip(entries, read, strict=True) if taken]).delete()
                LogEntry.objects.create(log=log, on=day, body=body, key=f"day-{secrets.token_hex(12)}", by=None, by_name=BY_DAY)
    return len(days)


def summary(bodies: Sequence[dict[str, Any]], ids: Sequence[str]) -> tuple[dict[str, Any], list[bool]]:
    """One entry for those of a day, and which of them it stands for: all that hold readings alone, every one of which is understood."""
    values: dict[str, list[tuple[float, str]]] = {}
    taken = []
    for body in bodies:
        found = {}
        try:
            if set(body) - {"readings", "at"}:
                raise NotUnderstood("", "more than readings")
            for key, text in body.get("readings", {}).items():
                low, high = log_key(key, ids).read(str(text))
                found[key] = ((low + high) / 2, text)
        except NotUnderstood:
            taken.append(False)
            continue
        taken.append(True)
        for key, value in found.items():
            values.setdefault(key, []).append(value)
    readings, told = {}, {}
    for key, held in values.items():
        numbers = sorted(held, key=lambda each: each[0])
        readings[key] = (numbers[-1] if key.rpartition(".")[2] in COUNTS else numbers[(len(numbers) - 1) // 2])[1]
        told[key] = [numbers[0][0], fmean(number for number, _ in numbers), numbers[-1][0], len(numbers)]
    return {"readings": readings, "thinned": told}, taken
