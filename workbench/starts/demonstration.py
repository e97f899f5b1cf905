"""The demonstration's runs: one freshly begun, one with a soak running, one with its whole record. Times are counted back from now."""

from __future__ import annotations

import datetime as dt
from typing import Any

from django.utils import timezone

from treatment.commissioning.expected import ExpectedReading
from treatment.commissioning.record import SANITISED, TELLING
from treatment.commissioning.visits import visits
from treatment.language.display import digits, unit_text

from ..records.job import Job
from ..records.sample import Reading as ReadingRow
from ..records.sample import Sample
from . import services
from .services import Told


def begun(job: Job, user: Any) -> None:
    """Planned for next Monday; the kit was checked, with a note."""
    today = timezone.localdate()
    monday = dt.datetime.combine(today + dt.timedelta(days=7 - today.weekday()), dt.time(8))
    services.plan(job, 1, user, start=timezone.make_aware(monday))
    services.take(job, Told("demo-1", "site/kit_check", "tick", at=timezone.now() - dt.timedelta(hours=2)), user)
    services.take(
        job, Told("demo-2", "site/kit_check", "note", text="One gasket of the sediment housing was missing; a new one is in the bag."), user
    )


def soaking(job: Job, user: Any, unit: str = "carbon") -> None:
    """The bed was loaded yesterday morning and soaks: about a day of the two is left."""
    start = timezone.make_aware(dt.datetime.combine(timezone.localdate() - dt.timedelta(days=1), dt.time(8)))
    services.plan(job, 1, user, start=start)
    for number, verb in enumerate(
        ("site/kit_check", "site/trades", "site/main_valve", f"{unit}/place", f"{unit}/load", f"{unit}/fill", f"{unit}/soak")
    ):
        services.take(job, Told(f"demo-{number}", verb, "tick", at=start + dt.timedelta(minutes=30 + 20 * number)), user)


def recorded(job: Job, user: Any) -> None:
    """Every step done at the time of its visit, every reading within what is expected; the advice lifted by a sample of the tap."""
    _, sheet, expected = services.worked(job)
    coming = visits(sheet)
    last = coming[-1].end
    first = dt.datetime.combine(timezone.localdate() - dt.timedelta(days=int(last // 1440) + 2), dt.time())
    services.plan(job, 1, user, start=timezone.make_aware(first + dt.timedelta(minutes=coming[0].work[0].begin)))
    for number, done in enumerate(done for visit in coming for done in visit.work):
        at = timezone.make_aware(first + dt.timedelta(minutes=done.end))
        for reading in expected.of(done.step):
            text = _middle(reading, job.units)
            services.take(job, Told(f"demo-{number}-{reading.key.key}", done.step.id, "reading", text, reading.key.key, at=at), user)
        services.take(job, Told(f"demo-{number}", done.step.id, "tick", at=at), user)
    _, run = services.state_of(job, services.run_of(job))
    mark = run.of(SANITISED).mark
    if mark is not None:
        drawn = timezone.localtime(mark.at).date() + dt.timedelta(days=7)
        sample = Sample.objects.create(job=job, point="tap", taken_on=drawn, draw="flushed", method="laboratory")
        for analyte in TELLING:
            ReadingRow.objects.create(sample=sample, analyte=analyte, low=0, high=0, qualifier="absent", unit="CFU/100mL", typed="absent")
        at = timezone.make_aware(dt.datetime.combine(drawn + dt.timedelta(days=3), dt.time(11)))
        services.take(job, Told("demo-lift", "site/retest_microbes", "lift", about=str(sample.pk), at=at), user)


def _middle(reading: ExpectedReading, system: str) -> str:
    """A value well within what is expected, as people type it."""
    low, high = reading.low, reading.high
    value = (low + high) / 2 if low is not None and high is not None else low * 1.15 if low is not None else (high or 0.0) / 3
    if reading.key.analyte is not None and reading.key.analyte.is_microbe:
        return "absent"
    return f"{digits(value, reading.key.shown, system)} {unit_text(reading.key.shown, system) if reading.key.shown not in ('hour', 'pH') else ''}".strip()
