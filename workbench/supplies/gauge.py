"""Pressure read from a gauge by day and by night: each reading with its moment, summed up by the core."""

from __future__ import annotations

import datetime as dt
from typing import Any

from django.utils import timezone

from treatment.house.measuring import PressureSpan, is_night, pressure_span
from treatment.job.facts import PRESSURE
from treatment.language.display import show
from treatment.language.errors import NotUnderstood
from treatment.language.measures import completed
from treatment.language.quantity import parse_quantity

from ..fields import sentence
from ..outcome import Done, Refused
from ..records.job import Job, PressureReading
from ..usecases.acting import use_case
from ..usecases.jobs import touch

PERIODS = (("now", "just now"), ("day", "by day"), ("night", "at night"))


@use_case("job.change", apart=True)
def note(job: Job, text: str, period: str, now: dt.datetime) -> Done[None]:
    """Keep a gauge reading: taken now, or noted by somebody by day or at night. Raises Refused."""
    if period not in dict(PERIODS):
        raise Refused("Choose whether it was read now, by day or at night.")
    try:
        text = completed(text.strip(), "52 psi", "pressure", job.units)
        read = parse_quantity(text, "pressure")
    except NotUnderstood as error:
        raise Refused(sentence(str(error))) from None
    if not 0 < read.value <= (PRESSURE.high or 0.0):
        raise Refused("Enter a pressure above 0 with a unit, for example 52 psi.")
    night = is_night(timezone.localtime(now).hour) if period == "now" else period == "night"
    PressureReading.objects.create(job=job, taken_at=now, night=night, value_kpa=read.value, typed=text.strip()[:40])
    return Done(None)


def span_of(job: Job) -> PressureSpan | None:
    """Lowest and highest by day, highest at night; None where nothing was read."""
    readings = [(reading.night, reading.value_kpa) for reading in job.pressure_readings.all()]
    return pressure_span(readings) if readings else None


@use_case("job.change")
def use(job: Job, span: PressureSpan, version: int, user: Any) -> Done[None]:
    """Write what was read as the pressures of the supply; what was not read stays. Raises Late."""
    touch(job, version, user)
    survey = job.survey
    for name, value in (("pressure_low_kpa", span.low), ("pressure_high_kpa", span.high), ("night_pressure_kpa", span.night)):
        if value is not None:
            setattr(survey, name, value)
            survey.typed = survey.typed | {name: show(value, "kPa", job.units)}
    survey.save(update_fields=["pressure_low_kpa", "pressure_high_kpa", "night_pressure_kpa", "typed"])
    return Done(None)


@use_case("job.change", apart=True)
def drop(job: Job, number: int) -> Done[None]:
    """A reading of the gauge that does not count."""
    job.pressure_readings.filter(pk=number).delete()
    return Done(None)
