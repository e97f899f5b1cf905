"""Reading a kit: sessions, timers with stored start times, answers that become readings or observations."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass
from math import ceil
from typing import Any

from django.utils import timezone

from treatment.evidence.kits import Kit, KitTest, Outcome, in_time, observed, outcome_readings, pad_reading, phase, times
from treatment.language.analytes import analytes
from treatment.language.errors import NotUnderstood
from treatment.language.reading import Reading as CoreReading
from treatment.language.reading import parse_reading

from ..outcome import Done, Refused, one_of
from ..records.job import Job, Survey, advance
from ..records.sample import KitRun, KitSession, Reading, Sample
from ..repository.door import reading_row
from ..usecases.acting import use_case
from ..usecases.firm_kits import kits_of
from ..usecases.jobs import bump, hold

READ_LATE = "read late: the color is no longer reliable"


@dataclass(frozen=True)
class TestRow:
    """A test of a session as a page shows it. phase: new, dip, wait, ready, late or done; due: when the phase ends."""

    test: KitTest
    run: KitRun | None
    phase: str
    due: dt.datetime | None

    seconds_left: int = 0

    @property
    def running(self) -> bool:
        return self.phase in ("dip", "wait")

    @property
    def left_words(self) -> str:
        return in_time(self.seconds_left)

    @property
    def times(self) -> str:
        return times(self.test)


def rows_of(session: KitSession, now: dt.datetime) -> list[TestRow]:
    """Every test of the session's kit with where it stands now."""
    runs = {run.test: run for run in session.runs.all()}
    return [_row(test, runs.get(test.key), now) for test in kits_of(session.job.workspace_id)[session.kit].tests]


def _row(test: KitTest, run: KitRun | None, now: dt.datetime) -> TestRow:
    if run is None:
        return TestRow(test, None, "new", None)
    if run.answered_at:
        return TestRow(test, run, "done", None)
    if not test.timed:
        return TestRow(test, run, "ready", None)
    name, left = phase(test, (now - run.started_at).total_seconds())
    return TestRow(test, run, name, now + dt.timedelta(seconds=left), ceil(left))


@use_case("job.change", apart=True)
def open_session(job: Job, kit: Kit, point: str) -> Done[KitSession]:
    return Done(KitSession.objects.create(job=job, kit=kit.key, point=point, started_at=timezone.now()))


@use_case("job.change", apart=True)
def start(session: KitSession, test: KitTest) -> Done[None]:
    """Start the timer of a test; started twice (a second tap, a second phone), the first start counts."""
    KitRun.objects.get_or_create(session=session, test=test.key, defaults={"started_at": timezone.now()})
    return Done(None)


@use_case("job.change")
def again(session: KitSession, test: KitTest, user: Any) -> Done[None]:
    """Forget a test and what it said, to do it anew."""
    hold(session.job)
    KitRun.objects.filter(session=session, test=test.key).delete()
    if session.sample_id:
        names = {test.analyte, *test.measure, *(name for outcome in test.outcomes for name in outcome.readings)}
        Reading.objects.filter(sample_id=session.sample_id, analyte__in=names).delete()
    bump(session.job, user)
    return Done(None)


@use_case("job.change")
def answer(session: KitSession, test: KitTest, data: Any, user: Any) -> Done[None]:
    """Keep what was seen or measured. Raises Refused; nothing is kept then."""
    now = timezone.now()
    hold(session.job)  # answers come one after the other
    session = one_of(KitSession.objects.select_related("job"), pk=session.pk)
    run, _ = KitRun.objects.get_or_create(session=session, test=test.key, defaults={"started_at": now})
    late = test.timed and phase(test, (now - run.started_at).total_seconds())[0] == "late"
    readings, said, outcomes = _understood(test, data)
    for reading in readings:
        sample = _sample(session)
        Reading.objects.filter(sample=sample, analyte=reading.analyte).delete()
        row = reading_row(sample, reading)
        row.note = READ_LATE if late else row.note
        row.save()
    if outcomes:
        survey = Survey.objects.select_for_update().get(job=session.job)
        survey.observations = observed(list(survey.observations), outcomes)
        survey.save(update_fields=["observations"])
    run.answered_at, run.answer, run.late = now, said[:200], late
    run.save()
    bump(session.job, user)
    return Done(None)


def _understood(test: KitTest, data: Any) -> tuple[list[CoreReading], str, list[Outcome]]:
    """The readings, the words and the outcomes of an answer."""
    if test.pads:
        low, _, high = data.get("pad", "").partition("-")
        try:
            reading = pad_reading(test, int(low), int(high or low))
        except (ValueError, NotUnderstood):
            raise Refused({"pads": "Tap the step it looks like, or the gap between two steps."}) from None
        return [reading], reading.typed, []
    if test.outcomes:
        chosen = [outcome for outcome in test.outcomes if outcome.key in data.getlist("outcome")]
        if not chosen:
            raise Refused({"outcome": "Choose what you see."})
        chosen = chosen if test.several else chosen[:1]
        return [reading for outcome in chosen for reading in outcome_readings(outcome)], "; ".join(outcome.says for outcome in chosen), chosen
    return _measured(test, data)


def _measured(test: KitTest, data: Any) -> tuple[list[CoreReading], str, list[Outcome]]:
    readings, faults = [], {}
    for name in test.measure:
        text = str(data.get(name, "")).strip()
        if not text:
            continue
        try:
            readings.append(parse_reading(analytes()[name], text))
        except NotUnderstood as error:
            faults[name] = str(error)
    if not readings and not faults:
        faults[test.measure[0]] = "Enter what the meter shows, with its unit."
    if faults:
        raise Refused(faults)
    return readings, ", ".join(f"{test.labels[reading.analyte]} {reading.typed}" for reading in readings), []


def _sample(session: KitSession) -> Sample:
    """The sample of a session, made when its first reading comes."""
    if session.sample is None:
        day = timezone.localtime(session.started_at).date()
        advance(session.job, "tested")
        session.sample = Sample.objects.create(
            job=session.job, taken_on=day, point=session.point, draw="flushed", method=kits_of(session.job.workspace_id)[session.kit].method
        )
        session.save(update_fields=["sample"])
    return session.sample
