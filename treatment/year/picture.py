"""The year as one picture: bands one under the other on one line of days, what is beyond its limit, events, scenarios; and a day in its hours."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from ..language.analytes import analytes
from ..language.display import show
from ..language.series_key import SeriesKey
from .figures import Came
from .household import MINUTES, Array
from .notices import lasting
from .past import Past

WIDTH, LEFT, RIGHT = 1180.0, 196.0, 96.0
BAND, GAP, TOP, EVENTS = 54.0, 14.0, 26.0, 20.0
STEP = 2  # days that a point of a line stands for
LEAST = 0.02  # share of a series' size by which it has to move to be drawn
HOURS = 24


@dataclass(frozen=True, slots=True)
class DayLine:
    """The line of days: those of the year, and before them those of a log."""

    days: int
    past: int = 0

    def x(self, day: float) -> float:
        """Where a day is; days before the year begins are negative."""
        return round(LEFT + (WIDTH - LEFT - RIGHT) * (day + self.past) / (self.days + self.past), 1)


@dataclass(frozen=True, slots=True)
class YearBand:
    """A series. area: between its least and its most of a day; line: its mean; plain: that of the year beside it; limit: its height;
    read: what a log holds of it, before the year begins, as a line and as its points.
    """

    title: str
    y: float
    area: str
    line: str
    plain: str
    limit: float | None
    limit_words: str
    high: str
    low: str
    last: str
    beyond: tuple[tuple[float, float], ...]
    beyond_words: str
    read: str = ""
    points: tuple[tuple[float, float, str], ...] = ()
    height: float = BAND

    @property
    def top(self) -> float:
        return self.y + 11

    @property
    def foot(self) -> float:
        return self.y + self.height

    @property
    def limit_at(self) -> float | None:
        """Where the limit is written: between the ends of the scale, where there is room."""
        return self.limit if self.limit is not None and self.top + 12 < self.limit + 4 < self.foot - 11 else None


@dataclass(frozen=True, slots=True)
class Tick:
    """An event on the line of a unit."""

    x: float
    words: str
    grave: bool


@dataclass(frozen=True, slots=True)
class EventRow:
    """The events of one unit."""

    title: str
    y: float
    ticks: tuple[Tick, ...]
    count: str

    @property
    def middle(self) -> float:
        return self.y + EVENTS / 2

    @property
    def top(self) -> float:
        return self.y + 4

    @property
    def foot(self) -> float:
        return self.y + EVENTS - 4


@dataclass(frozen=True, slots=True)
class Span:
    """A scenario over its days."""

    x: float
    width: float
    words: str


@dataclass(frozen=True, slots=True)
class Month:
    """A month: where it begins, and its name."""

    x: float
    name: str


@dataclass(frozen=True, slots=True)
class Picture:
    """The whole picture; places in px of its own width."""

    bands: tuple[YearBand, ...]
    rows: tuple[EventRow, ...]
    months: tuple[Month, ...]
    spans: tuple[Span, ...]
    height: float
    chosen: float | None
    begins: float | None = None
    width: float = WIDTH
    left: float = LEFT
    right: float = WIDTH - RIGHT

    @property
    def said(self) -> str:
        """The picture in words: its bands with what is beyond limits, its units with what happened."""
        bands = "; ".join(f"{band.title}, up to {band.high}{f', {band.beyond_words}' if band.beyond_words else ''}" for band in self.bands)
        return f"Bands of the year: {bands}. Events: {'; '.join(f'{row.title}, {row.count}' for row in self.rows if row.count) or 'none'}."

    @property
    def text_right(self) -> float:
        """Where what is written at the right begins."""
        return self.right + 8


#: events that somebody has to know of at once
GRAVE = ("no_salt", "empty", "weak_wash")
#: words of the counted events of a unit
COUNTED = {
    "regeneration": "regenerations",
    "backwash": "backwashes",
    "change": "changes",
    "refill": "refills",
    "clean": "cleanings",
    "empty": "times empty",
}


def picture(came: Came, plain: Came | None, system: str, chosen: dt.date | None = None, past: Past | None = None) -> Picture:
    """Draw a year. plain: another beside it, such as the same without its scenarios; chosen: a day that is looked at; past: what a log
    holds of the days before it.
    """
    year = came.year
    axis = DayLine(year.days, 0 if past is None else past.days)
    found = {name: (unit, low, mean, high) for name, unit, low, mean, high in came.series()}
    usual = {} if plain is None else {name: mean for name, _, _, mean, _ in plain.series()}
    y, bands = TOP, []
    for name in _shown(came, found):
        unit, low, mean, high = found[name]
        read = [] if past is None else [(float((on - year.start).days), value) for on, value in past.readings.get(name, [])]
        bands.append(_band(came, name, unit, (low, mean, high), usual.get(name), read, _Place(axis, y), system))
        y += BAND + GAP
    rows = []
    for place in year.places:
        done = [] if past is None else past.done.get(place.id, [])
        if not place.events and not done:
            continue
        rows.append(_row(came, place.id, done, y, axis))
        y += EVENTS
    spans = tuple(
        Span(axis.x(max(one.begin, 0.0)), max(axis.x(min(one.end, year.days)) - axis.x(max(one.begin, 0.0)), 2.0), one.words)
        for one in year.scenarios
        if one.end > 0 and one.begin < year.days
    )
    at = None if chosen is None else axis.x((chosen - year.start).days + 0.5)
    return Picture(tuple(bands), tuple(rows), tuple(_months(year.start, axis)), spans, y + 8, at, axis.x(0) if axis.past else None)


class _Place(NamedTuple):
    """Where a band is drawn."""

    axis: DayLine
    y: float


def _shown(came: Came, found: dict[str, tuple[str, Array, Array, Array]]) -> list[str]:
    """The series that matter in this house: its use, what a limit is passed of or the train changes, pressure, what fills, ages and stands."""
    chosen = ["use"]
    beyond = came.minutes_beyond
    for name in came.limits:
        key = f"tap.{name}"
        if key in found and ((name in beyond and beyond[name].value > 1.0) or name in ("hardness", "iron", "ph")):
            chosen.append(key)
    chosen.append("tap.pressure")
    for place in came.year.places:
        for what in ("salt_level", "bed_left", "level", "dose"):
            chosen += [f"{place.id}.{what}"] if f"{place.id}.{what}" in found else []
        drop = f"{place.id}.pressure_drop"
        if drop in found and place.kept.dirt and max(place.kept.dirt) > 0.2 and "dirt" in place.state:
            chosen.append(drop)
    return [name for name in chosen if name in found]


def _title(came: Came, name: str) -> str:
    place, what = SeriesKey.of(name).place, SeriesKey.of(name).name
    words = {"pressure": "pressure at the highest tap", "pressure_drop": "pressure drop", "salt_level": "salt", "bed_left": "media left", "level": "water stored",
             "dose": "UV dose"}  # fmt: skip
    if name == "use":
        return "Water used in a day"
    if place == "tap":
        return f"{analytes()[what].name} at the taps" if what in analytes() else words[what].capitalize()
    stage = next(each.stage for each in came.year.places if each.id == place)
    return f"{words[what].capitalize() if words[what][:2] != 'UV' else words[what]}: {stage.said}"


def _band(
    came: Came,
    name: str,
    unit: str,
    ends: tuple[Array, Array, Array],
    usual: Array | None,
    read: list[tuple[float, float]],
    where: _Place,
    system: str,
) -> YearBand:
    (low, mean, high), (axis, y) = ends, where
    if name == "use":  # what a day uses, not its flow
        low = mean = high = mean * MINUTES
        usual, unit = None if usual is None else usual * MINUTES, "L/day"
    what = SeriesKey.of(name).name
    shown = analytes()[what].shown_unit if what in analytes() else {"m": "m level"}.get(unit, unit)
    limit = came.limits.get(what, (None, None)) if name.startswith("tap.") else (None, None)
    least, most = _limit_of(came, name, limit)
    drawn = least if what == "ph" or most is None else most
    top = max(float(high.max()), drawn or 0.0, float(usual.max()) if usual is not None else 0.0, *(value for _, value in read), 1e-9)
    bottom = min(float(low.min()), drawn) if what in ("ph",) and drawn is not None else 0.0
    bottom = min(bottom, float(low.min()), *(value for _, value in read)) if what == "ph" else bottom

    def at(value: float) -> float:
        return round(y + BAND - (BAND - 6) * (value - bottom) / max(top - bottom, 1e-9), 1)

    days = came.year.days
    edges = list(range(0, days, STEP))
    above = [(axis.x(day + STEP / 2), at(float(high[day : day + STEP].max()))) for day in edges]
    below = [(axis.x(day + STEP / 2), at(float(low[day : day + STEP].min()))) for day in edges]
    line = _points([(axis.x(day + STEP / 2), at(float(mean[day : day + STEP].mean()))) for day in edges])
    beside = "" if usual is None else _points([(axis.x(day + STEP / 2), at(float(usual[day : day + STEP].mean()))) for day in edges])
    late = _late(came, what) if name.startswith("tap.") and what in came.limits else np.zeros(days, dtype=bool)
    minutes = came.minutes_beyond[what].value if name.startswith("tap.") and what in came.minutes_beyond else 0.0

    def says(value: float) -> str:
        return show(value, shown, system)

    return YearBand(
        _title(came, name), y, _points([*above, *reversed(below)]), line, beside, None if drawn is None else at(drawn),
        "" if drawn is None else says(drawn), says(top), says(bottom), says(float(mean[-1])), tuple(_runs(late, axis)),
        f"{lasting(minutes)} beyond" if minutes > 1 else "", _points([(axis.x(day), at(value)) for day, value in read]),
        tuple((axis.x(day), at(value), f"{came.year.start + dt.timedelta(days=day)}: {says(value)}") for day, value in read),
    )  # fmt: skip


def _limit_of(came: Came, name: str, limit: tuple[float | None, float | None]) -> tuple[float | None, float | None]:
    """The line a band is held against: a limit, the pressure asked for, the dose required."""
    if name == "tap.pressure":
        return came.least_pressure, None
    place, what = SeriesKey.of(name).place, SeriesKey.of(name).name
    if what == "dose":
        stage = next(each.stage for each in came.year.places if each.id == place)
        return float(stage.sizing.params["required_dose"]), None
    return limit


def _late(came: Came, analyte: str) -> Array:
    """Days on which an analyte was beyond its limit for more than a minute."""
    minutes = came.beyond(analyte)
    by_day = minutes if len(minutes) == came.year.days and len(minutes) != len(came.year.draws.at) else came.day_sums(minutes)
    return np.asarray(by_day > 1.0)


def _runs(late: Array, axis: DayLine) -> Iterator[tuple[float, float]]:
    """Stretches of days as places: left edge and width."""
    begin, days = None, axis.days
    for day in range(days + 1):
        on = day < days and bool(late[day])
        if on and begin is None:
            begin = day
        elif not on and begin is not None:
            yield axis.x(begin), max(round(axis.x(day) - axis.x(begin), 1), 1.5)
            begin = None


def _points(places: Sequence[tuple[float, float]]) -> str:
    return " ".join(f"{x:g},{y:g}" for x, y in places)


def _row(came: Came, id: str, done: list[tuple[dt.date, str]], y: float, axis: DayLine) -> EventRow:
    """The events of a unit; done: what a log says was done at it before."""
    place = next(each for each in came.year.places if each.id == id)
    before = tuple(Tick(axis.x((on - came.year.start).days), f"{on}: {words}", False) for on, words in done)
    ticks = before + tuple(
        Tick(axis.x(event.at / MINUTES), f"{_date(came, event.at)}: {event.message}", event.kind in GRAVE) for event in place.events
    )
    counts = [f"{count} {COUNTED[kind]}" for kind, count in place.kept.events.items() if kind in COUNTED and count]
    return EventRow(place.stage.name, y, ticks, ", ".join(counts))


def _date(came: Came, at: float) -> str:
    return (came.year.start + dt.timedelta(days=int(at // MINUTES))).isoformat()


def _months(start: dt.date, axis: DayLine) -> Iterator[Month]:
    few = axis.days + axis.past < 800
    for day in range(-axis.past, axis.days):
        date = start + dt.timedelta(days=day)
        if date.day == 1 and (few or date.month == 1):
            yield Month(axis.x(day), date.strftime("%b") if few else str(date.year))


# --- a day in its hours -----------------------------------------------------------------------------------------------
@dataclass(frozen=True, slots=True)
class Hour:
    """An hour of a day: its bar, and what was drawn."""

    hour: int
    x: float
    y: float
    height: float
    words: str
    beyond: bool
    width: float = 30.0


@dataclass(frozen=True, slots=True)
class DayPicture:
    """A day: what was drawn hour by hour, what happened, and what came out of the taps."""

    date: dt.date
    hours: tuple[Hour, ...]
    events: tuple[str, ...]
    facts: tuple[tuple[str, str], ...]
    before: dt.date | None
    after: dt.date | None
    height: float = 120.0
    width: float = 760.0


def day_picture(came: Came, date: dt.date, system: str) -> DayPicture | None:
    """A day of the year in its hours; None where it is no day of it."""
    year = came.year
    day = (date - year.start).days
    if not 0 <= day < year.days:
        return None
    inside = slice(int(year.draws.day[day]), int(year.draws.day[day + 1]))
    hour = np.minimum((year.draws.at[inside] - day * MINUTES) // 60, HOURS - 1).astype(int)
    litres = np.bincount(hour, year.served[inside], HOURS)
    late = np.zeros(HOURS)
    for name in came.limits:
        minutes = came.beyond(name)
        if len(minutes) == len(year.draws.at):
            late += np.bincount(hour, minutes[inside], HOURS)
    most = max(float(litres.max()), 1e-9)
    bars = tuple(
        Hour(each, 10 + each * 31.0, round(100 - 84 * float(litres[each]) / most, 1), round(84 * float(litres[each]) / most, 1),
             f"{each}:00: {show(float(litres[each]), 'L', system)}", bool(late[each] > 0.5))
        for each in range(HOURS)
    )  # fmt: skip
    happened = tuple(f"{_clock(event.at)} {event.message}" for event in year.events if int(event.at // MINUTES) == day)
    facts = [("Water used", show(float(litres.sum()), "L", system))]
    if inside.stop > inside.start:
        facts.append(("Greatest flow", show(float(year.draws.flow[inside].max()), "L/min", system)))
        facts.append(("Least pressure at the highest tap", show(float(came.pressures.tap[inside].min()), "kPa", system)))
        for name in ("hardness", "iron", "ph"):
            if name in year.names:
                facts.append(
                    (
                        f"Worst {analytes()[name].said} at the taps",
                        show(_worst(name, year.at_taps(name)[inside]), analytes()[name].shown_unit, system),
                    )
                )
    facts.append(("Water at the source", show(float(year.source.temperature[day]), "degC", system)))
    before, after = date - dt.timedelta(days=1), date + dt.timedelta(days=1)
    return DayPicture(date, bars, happened, tuple(facts), before if day else None, after if day < year.days - 1 else None)


def _worst(name: str, values: Array) -> float:
    return float(values.min() if analytes()[name].adverse == "low" else values.max())


def _clock(at: float) -> str:
    minute = int(at % MINUTES)
    return f"{minute // 60:02d}:{minute % 60:02d}"
