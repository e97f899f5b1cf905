"""What devices wrote is thinned by day once it is old: a log that a meter fills each minute stays one that can be read.

Of a day are kept, for each thing that was read, the reading in the middle (of a running count the last) as the log's entry, and beside
it the lowest, the mean, the highest and how many there were. Of days that are not old yet the hours that are over and in which a device
wrote often are thinned so; they are parts of their day later.
"""

from __future__ import annotations

import datetime as dt
import secrets
from collections.abc import Sequence
from typing import Any

from django.db import transaction
from django.db.models import Count, Q, QuerySet
from django.db.models.functions import TruncHour

from treatment.language.errors import NotUnderstood
from treatment.language.log_keys import log_key
from treatment.language.series_key import SeriesKey

from ..records.log import JobLog, LogEntry
from .jobs import hold

#: how the name of who wrote an entry begins where it was a device, and those of a day's and an hour's summary
DEVICE, BY_DAY, BY_HOUR = "device ", "devices, by day", "device readings, by hour"
#: days that are thinned by the hour only, days and hours that are thinned at one time, and entries of one hour that are kept as they came
WHOLE_DAYS, AT_ONCE, AN_HOUR = 3, 40, 12
#: entries after which the rest waits for the next time
ENTRIES_AT_ONCE = 1500
#: running counts: the last says all
COUNTS = ("meter", "starts", "regenerations", "lamp_hours")


def raw(log: JobLog) -> QuerySet[LogEntry]:
    """What devices wrote and nobody thinned by day."""
    return log.entries.filter(by=None, by_name__startswith=DEVICE, gone=False)


def thin(log: JobLog, ids: Sequence[str], now: dt.datetime) -> int:
    """Thin the days that are old, and the busy hours of the others; how many were.

    The newest of them first, so that what nobody can read any more never stands before others. ids: of the train's stages; now: with its zone.
    """
    since, most = now.date() - dt.timedelta(days=WHOLE_DAYS), AT_ONCE
    days = raw(log).filter(on__lt=since).values("on").annotate(count=Count("pk")).filter(count__gt=1).order_by("-on").values_list("on", flat=True)
    found = [(day, Q(on=day), "day", BY_DAY) for day in days[:most]]
    hours = raw(log).filter(on__gte=since, made_at__lt=now.replace(minute=0, second=0, microsecond=0) - dt.timedelta(hours=1))
    busy = (
        hours.annotate(hour=TruncHour("made_at")).values("on", "hour").annotate(count=Count("pk")).filter(count__gt=AN_HOUR).order_by("-on", "-hour")
    )
    for day, hour in busy.values_list("on", "hour")[:most]:
        found.append((day, Q(on=day, made_at__gte=hour, made_at__lt=hour + dt.timedelta(hours=1)), "hour", BY_HOUR))
    read_in_all = 0
    for number, (day, part, word, by) in enumerate(found):
        if read_in_all > ENTRIES_AT_ONCE:
            return number
        with transaction.atomic():
            hold(log.job)
            entries = list(raw(log).filter(part).order_by("pk"))
            read_in_all += len(entries)
            body, read = summary([entry.body for entry in entries], ids)
            if body["readings"]:
                taken = [entry for entry, is_read in zip(entries, read, strict=True) if is_read]
                LogEntry.objects.filter(pk__in=[entry.pk for entry in taken]).delete()
                made = LogEntry.objects.create(log=log, on=day, body=body, key=f"{word}-{secrets.token_hex(12)}", by=None, by_name=by)
                LogEntry.objects.filter(pk=made.pk).update(made_at=taken[0].made_at)
    return len(found)


def summary(bodies: Sequence[dict[str, Any]], ids: Sequence[str]) -> tuple[dict[str, Any], list[bool]]:
    """One entry for those of a day or an hour, and which of them it stands for: all that hold readings alone, every one of which is understood.

    What stands for several counts as so many, with their own lowest, mean and highest.
    """
    values: dict[str, list[tuple[float, str, Sequence[float]]]] = {}
    taken = []
    for body in bodies:
        found = {}
        try:
            if set(body) - {"readings", "at", "thinned"}:
                raise NotUnderstood("", "more than readings")
            for key, text in body.get("readings", {}).items():
                low, high = log_key(key, ids).read(str(text))
                middle = (low + high) / 2
                found[key] = (middle, text, body.get("thinned", {}).get(key) or (middle, middle, middle, 1))
        except NotUnderstood:
            taken.append(False)
            continue
        taken.append(True)
        for key, value in found.items():
            values.setdefault(key, []).append(value)
    readings, told = {}, {}
    for key, held in values.items():
        held.sort(key=lambda each: each[0])
        readings[key] = held[-1][1] if SeriesKey.of(key).name in COUNTS else _middle(held)
        count = sum(spread[3] for _, _, spread in held)
        mean = sum(spread[1] * spread[3] for _, _, spread in held) / count
        told[key] = [min(spread[0] for _, _, spread in held), mean, max(spread[2] for _, _, spread in held), count]
    return {"readings": readings, "thinned": told}, taken


def _middle(held: Sequence[tuple[float, str, Sequence[float]]]) -> str:
    """The reading in the middle, where each stands for as many as it says; the lower of two."""
    half, passed = (sum(spread[3] for _, _, spread in held) + 1) // 2, 0.0
    for _, text, spread in held:
        passed += spread[3]
        if passed >= half:
            return text
    return held[-1][1]
