"""A run sheet as a page shows it: every word and place comes from the core, this only puts them beside each other."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass
from functools import lru_cache
from itertools import groupby
from typing import Any
from urllib.parse import urlencode

from django.template.loader import render_to_string
from django.urls import reverse
from django.utils import timezone
from django.utils.safestring import SafeString, mark_safe

from treatment.commissioning.expected import ExpectedReading
from treatment.commissioning.printed import band, minutes, people
from treatment.commissioning.record import LIFTED, SANITISED, advice_stands, lifted
from treatment.commissioning.run import Missing, Run, RunEvent, RunStanding
from treatment.commissioning.sheet import Sheet
from treatment.commissioning.shown import ShownVessel, states, vessel
from treatment.commissioning.step import Step
from treatment.commissioning.timeline import Timeline, timeline
from treatment.commissioning.visits import Calendar, InstallVisit, Late, Misfit, minute_of, opens
from treatment.language.interface import word

from ..readers import written
from ..records.job import Job
from ..records.run import StartPhoto, StartRun

#: how many of the steps that are missing are named
NAMED = 2


@dataclass(frozen=True)
class ReadingRow:
    """A reading of a step: what is expected, what was typed, and whether it lies within."""

    reading: ExpectedReading
    band: str
    event: RunEvent | None
    holds: bool | None

    @property
    def working(self) -> list[str]:
        """Its working, a line each."""
        return [f"{line.symbol} = {line.expression} = {line.with_numbers()} = {line.result}. {line.cited}" for line in self.reading.working]


@dataclass(frozen=True)
class About:
    """What a step says whoever does it and whenever."""

    do: tuple[str, ...]
    why: str
    bad_sign: str
    hazards: tuple[str, ...]
    tools: tuple[str, ...]
    source: str
    title: str
    unit: str
    wall: str
    #: whether the picture belongs to the step itself, on a phone too
    shows: bool
    valves: str
    vessel: ShownVessel | None


@lru_cache(2048)
def said_about(about: About) -> SafeString:
    """It as a piece of the page; it stays the same while the run goes on, so it is written once."""
    return mark_safe(render_to_string("starts/_about.html", {"about": about}))


@dataclass(frozen=True)
class Row:
    """A step as it stands on the page."""

    number: int
    id: str
    title: str
    critical: bool
    wait: float | None
    #: when its wait ends [ms since 1970]; 0 where it was not begun
    ends: int
    bad_sign: str
    step: Step
    unit: str
    standing: RunStanding
    facts: tuple[str, ...]
    missing: str
    ready: bool
    readings: tuple[ReadingRow, ...]
    about: SafeString
    photos: tuple[tuple[str, str, str], ...]
    added: bool

    @property
    def anchor(self) -> str:
        """Its place on the page."""
        return f"s-{self.id.replace('/', '-')}"


@dataclass(frozen=True)
class Group:
    """Steps under one heading: a phase or a visit. over: how many of them are done or skipped."""

    title: str
    about: tuple[str, ...]
    rows: tuple[Row, ...]
    visit: InstallVisit | None = None
    wanted: str = ""

    @property
    def over(self) -> int:
        return sum(row.standing.state != "open" for row in self.rows)


def first_day(run: StartRun | None) -> dt.datetime:
    """When the first visit begins, by the clock of the place; tomorrow morning where nobody said."""
    if run is not None and run.start is not None:
        return timezone.localtime(run.start).replace(tzinfo=None)
    return dt.datetime.combine(timezone.localdate() + dt.timedelta(days=1), opens())


def rows_of(job: Job, run: Run, now: dt.datetime) -> list[Row]:
    """Every step of the sheet."""
    photos: dict[str, list[tuple[str, str, str]]] = {}
    for photo in StartPhoto.objects.filter(event__run__job=job).select_related("event").defer("image"):
        where = reverse("commission-photo", args=[job.pk, photo.pk])
        photos.setdefault(photo.event.step, []).append((where, photo.event.text, photo.event.by_name))
    added = {step.id for step in run.added}
    wall = reverse("wall-svg", args=[job.pk])
    numbers = {step.id: number for number, step in enumerate(run.sheet.steps, 1)}
    return [_row(job, run, now, step, numbers, wall, tuple(photos.get(step.id, ())), step.id in added) for step in run.sheet.steps]


def _row(
    job: Job, run: Run, now: dt.datetime, step: Step, numbers: dict[str, int], wall: str, photos: tuple[tuple[str, str, str], ...], added: bool
) -> Row:
    row, standing = step.row, run.of(step.id)
    missing = run.missing(step, now) if standing.state == "open" else []
    valves = states(run.sheet, step)
    facts = [word("who", row.who), minutes(row.hands_on), word("where", row.where)]
    facts += [f"then waits {minutes(row.wait)}"] if row.wait else []
    facts += ["water off"] if row.water_off else []
    loads, unit = vessel(step, job.units), step.stage.name if step.stage is not None else ""
    about = About(
        do=tuple(step.do(job.units)),
        why=row.why,
        bad_sign=row.bad_sign,
        hazards=tuple(step.hazards),
        tools=row.tools,
        source=row.source,
        title=row.title,
        unit=unit,
        wall="" if loads is not None else f"{wall}?{urlencode({'near': step.stage.id if step.stage is not None else ''} | valves)}",
        shows=bool(row.shows),
        valves=said_valves(run.sheet, valves),
        vessel=loads,
    )
    return Row(
        number=numbers[step.id],
        id=step.id,
        title=row.title,
        critical=row.critical,
        wait=row.wait,
        ends=0 if (timer := run.timer(step)) is None else round(timer.ends.timestamp() * 1000),
        bad_sign=row.bad_sign,
        step=step,
        unit=unit,
        standing=standing,
        facts=tuple(fact for fact in facts if fact),
        missing=_some(missing, numbers),
        ready=not missing,
        readings=tuple(_reading(reading, standing, job.units) for reading in run.readings_of(step)),
        about=said_about(about),
        photos=photos,
        added=added,
    )


def _some(missing: list[Missing], numbers: dict[str, int]) -> str:
    """What a step waits for: waits that run first, the last steps before it next, the rest counted."""
    near = sorted(missing, key=lambda each: (each.until is None, -numbers[each.step.id]))
    more = f" and {len(near) - NAMED} more" if len(near) > NAMED else ""
    return "; ".join(said(each, numbers) for each in near[:NAMED]) + more


def said(missing: Missing, numbers: dict[str, int]) -> str:
    """What a step still waits for, in words."""
    title = f"{numbers[missing.step.id]}. {missing.step.row.title}"
    if missing.until is None:
        return title
    return f"{title}: done {written(timezone.localtime(missing.until), 'D j M, H:i')}"


def _reading(reading: ExpectedReading, standing: RunStanding, system: str) -> ReadingRow:
    event = standing.readings.get(reading.key.key)
    holds = None if event is None or event.low is None else reading.holds(event.low, event.high)
    return ReadingRow(reading, band(reading, system), event, holds)


def said_valves(sheet: Sheet, valves: dict[str, str]) -> str:
    """How the valves stand, in words: which units are in service and which in bypass; empty while there is no water."""
    called = {step.stage.id: step.stage.name for step in sheet.steps if step.stage is not None}
    held = [(state, [called[id] for id, each in valves.items() if each == state]) for state in ("service", "bypass")]
    return "; ".join(f"in {state}: {', '.join(names)}" for state, names in held if names)


def calendar_of(row: StartRun | None, run: Run) -> Calendar:
    """The visits as they are planned and as the work went: a wait that was ticked late moves what hangs on it."""
    start = first_day(row)
    ticks = {step.id: mark for step in run.sheet.steps if step.row.wait and (mark := run.of(step.id).mark) is not None and mark.kind == "tick"}
    ticked = {id: minute_of(timezone.localtime(mark.at).replace(tzinfo=None), start) for id, mark in ticks.items()}
    return Calendar(run.sheet, minute_of(start), row.wanted if row else {}, ticked)


def context_of(job: Job, row: StartRun | None, run: Run, now: dt.datetime, by: str) -> dict[str, Any]:
    """All that the page shows."""
    start = first_day(row)
    calendar = calendar_of(row, run)
    coming = calendar.visits()
    rows = rows_of(job, run, now)
    held = {each.step.id: each for each in rows}
    dates = [visit.date(start) for visit in coming]
    cleared = lifted(run)
    running = [(timer, held[timer.step.id]) for timer in run.timers(now)]
    following, later = _next(run, coming, held, now)
    return {
        "run": run,
        "tell": reverse("commission-tell", args=[job.pk]),
        "row": row,
        "start": start,
        "rows": rows,
        "by": by,
        "groups": _by_visit(coming, dates, held) if by == "visit" else _by_phase(rows),
        "visits": [(visit, date, ", ".join(people(visit))) for visit, date in zip(coming, dates, strict=True)],
        "misfits": [_misfit(each, start, held) for each in calendar.misfits] + [_late(each, held) for each in calendar.late],
        "moved": set(row.wanted if row else ()),
        "timeline": _timeline(coming, dates),
        "running": running,
        "next": following,
        "later": later,
        "apart": [each for each in rows if each.standing.apart],
        "lost": run.lost,
        "advice": SANITISED in run.sheet.by_id,
        "stands": advice_stands(run),
        "lifted": cleared,
        "lift_step": LIFTED,
        "past": timezone.make_aware(start) < now and run.done == 0,
        "hands_on": minutes(run.sheet.hands_on),
        "version": row.version if row else 1,
    }


def _next(run: Run, coming: tuple[InstallVisit, ...], held: dict[str, Row], now: dt.datetime) -> tuple[Row | None, str]:
    """What to do next: of the visit that is under way, the first step that can be done; else, in words, what its rest waits for."""
    for visit in coming:
        rest = [held[done.step.id] for done in visit.work if held[done.step.id].standing.state == "open"]
        if not rest:
            continue
        ready = next((row for row in rest if row.ready), None)
        over = [each for row in rest for each in run.missing(row.step, now) if each.until is not None]
        soon = min(over, key=lambda each: each.until or now, default=None)
        numbers = {id: row.number for id, row in held.items()}
        return ready, "" if ready or soon is None else f"Visit {visit.number} waits for {said(soon, numbers)}"
    return None, ""


def _timeline(coming: tuple[InstallVisit, ...], dates: list[dt.datetime]) -> Timeline:
    hours = (
        f"{written(date, 'D j M, H:i')}–{written(date + dt.timedelta(minutes=visit.length), 'H:i')}"
        for visit, date in zip(coming, dates, strict=True)
    )
    return timeline(coming, tuple(hours))


def _misfit(misfit: Misfit, start: dt.datetime, held: dict[str, Row]) -> str:
    """What does not fit, in words: ``Visit 2 cannot begin Tue 8 Dec, 10:00: …``."""
    midnight = dt.datetime.combine(start.date(), dt.time())
    wanted, begin = (written(midnight + dt.timedelta(minutes=at), "D j M, H:i") for at in (misfit.asked, misfit.begin))
    why = "the visit before it is not done"
    if misfit.step is not None:
        row = held[misfit.step.id]
        why = f"step {row.number}, {row.unit + ': ' if row.unit else ''}{row.step.row.title}, is not done"
    return f"Visit {misfit.number} does not fit {wanted}: {why}. It is planned for {begin}."


def _late(late: Late, held: dict[str, Row]) -> str:
    """What a wait that was started late has moved, in words."""
    row = held[late.step.id]
    unit = f"{row.unit}: " if row.unit else ""
    return (
        f"Step {row.number}, {unit}{row.title}, was started {minutes(late.by)} later than planned: visit {late.number} and what follows come later."
    )


def _by_phase(rows: list[Row]) -> list[Group]:
    """The steps in the order in which they are done, under the heading of their phase; a heading comes again where its steps do."""
    return [Group(word("phase", phase), (), tuple(of)) for phase, of in groupby(rows, key=lambda row: row.step.phase)]


def _by_visit(coming: tuple[InstallVisit, ...], dates: list[dt.datetime], held: dict[str, Row]) -> list[Group]:
    found = []
    for visit, date in zip(coming, dates, strict=True):
        about = [written(date, "l j F, H:i"), minutes(visit.length), ", ".join(people(visit))]
        about += [f"house without water {minutes(visit.water_off)}"] if visit.water_off else []
        about += [f"bring {', '.join(visit.bring)}"] if visit.bring else []
        found.append(Group(f"Visit {visit.number}", tuple(about), tuple(held[done.step.id] for done in visit.work), visit))
    return found
