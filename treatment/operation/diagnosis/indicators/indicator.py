"""What can be seen in a log: each sign says yes, no, or nothing, with a sentence that names the readings it stands on."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from typing import Any

from ....language.analytes import analytes
from ....language.display import show
from ....train.marks import mark
from ....train.treatment import StageRun
from ...maintenance.use import Stretch
from ...monitoring.trend import Point, trend
from ..data_quality import DataQuality


@dataclass(frozen=True, slots=True)
class Indicator:
    """Whether something is so, why, and the readings (day and key) that say it."""

    holds: bool
    words: str
    stands_on: tuple[tuple[dt.date, str], ...] = field(default=())


#: the signs by their names in ``data/causes.toml``
ALL: dict[str, Callable[[Indicators], Indicator | None]] = {}


def sign(work: Callable[[Indicators], Indicator | None]) -> Callable[[Indicators], Indicator | None]:
    """Registers a sign by its name."""
    ALL[work.__name__.removeprefix("_")] = work
    return work


def yes(words: str, *on: tuple[dt.date, str]) -> Indicator:
    return Indicator(True, words, on)


def no(words: str, *on: tuple[dt.date, str]) -> Indicator:
    return Indicator(False, words, on)


class Indicators:
    """The signs of one stage, or of the place where stage is None; each is worked out once."""

    def __init__(self, look: DataQuality, stage: StageRun[Any] | None):
        self.look, self.stage, self.readings, self.bands = look, stage, look.readings, look.bands
        self.id = stage.id if stage is not None else ""
        self.known: dict[str, Indicator | None] = {}
        self.system = look.variant.audit.facts.job.units

    def of(self, name: str) -> Indicator | None:
        """A sign by its name; None where the log does not tell."""
        if name not in self.known:
            self.known[name] = ALL[name](self)
        return self.known[name]

    def denied(self, name: str) -> Indicator | None:
        """The sign that says no where the named one says yes, on the same readings; None where the log does not tell."""
        found = self.of(name)
        return None if found is None else replace(found, holds=not found.holds)

    # --- helpers ------------------------------------------------------------------------------------------------------
    def key(self, what: str) -> str:
        return f"{self.id}.{what}"

    def today(self, day: dt.date) -> bool:
        """Whether what was so on a day still says something of today."""
        return bool((self.look.as_of - day).days <= mark("log", "stale"))

    def fresh(self, key: str) -> Point | None:
        """The newest reading that still says something."""
        point = self.readings.last(key)
        return point if point is not None and self.readings.speaks(key, point[0], self.look.as_of) else None

    def current(self, key: str) -> list[Point]:
        """Readings since the last service, where the newest still says something."""
        return self.readings.since(key) if self.fresh(key) is not None else []

    def paired(self, what: str, beside: str) -> list[tuple[float, float, dt.date]]:
        """Readings of a series of this stage with what another read on the same day: (the other, its value, the day)."""
        other = dict(self.readings.points(self.key(beside)))
        return [(other[day], value, day) for day, value in self.readings.points(self.key(what)) if day in other]

    @property
    def stretches(self) -> list[Stretch]:
        """What ran through the meter between its readings, where the newest still says something."""
        found = self.look.use.stretches
        return found if found and self.today(found[-1].end) else []

    def said(self, key: str, value: float) -> str:
        """A value of a series, in the job's units."""
        return show(value, self.readings.series(key).shown, self.system)

    def shown(self, value: float, unit: str) -> str:
        """A value of a unit of ``data/display.toml``, in the job's units."""
        return show(value, unit, self.system)

    def reads(self, name: str, value: float) -> str:
        """A value of an analyte, in the job's units."""
        return show(value, analytes()[name].shown_unit, self.system)

    def seen(self, what: str, words: str, days: int | None = None) -> Indicator | None:
        """What somebody saw, smelt or tasted within so many days; nothing where nobody told."""
        within = mark("log", "stale") if days is None else days
        lately = [day for day in self.look.log.seen.get(what, []) if (self.look.as_of - day).days <= within]
        return yes(f"{words} on {lately[-1]}", (lately[-1], what)) if lately else None

    def lately(self, what: str, words: str) -> Indicator | None:
        """What somebody saw, smelt or tasted so lately that it is still so."""
        return self.seen(what, words, 2 * int(mark("log", "near")))

    def beyond(self, key: str, above: bool, words: str) -> Indicator | None:
        """Whether the newest reading lies beyond its band on one side; inside it says no, and nothing where it is only just past, once."""
        point, band = self.fresh(key), self.bands.band(key)
        if point is None or band is None or key in self.look.barely:
            return None
        end = band.high if above else band.low
        if end is None:
            return None
        out = point[1] > end if above else point[1] < end
        words = self.worded(key, point[0], words)
        told = f"{words} {self.said(key, point[1])} on {point[0]}, expected {'at most' if above else 'at least'} {self.said(key, end)}"
        return Indicator(out, told, ((point[0], key),))

    def worded(self, key: str, day: dt.date, words: str) -> str:
        """What a reading is called in evidence: what was read at a tap, or before another unit, is called so."""
        return words.replace(" after it", f" {place}") if (place := self.look.place_of(key, day)) else words

    def moves(self, key: str, least: float, words: str, days: int = 60) -> Indicator | None:
        """Whether a series moved by so much (signed) along its trend since the last service, over so many days at the least."""
        points = self.readings.lately(key)
        line = trend(points)
        if line is None or len(points) < 3 or not self.today(points[-1][0]):
            return None
        span = (points[-1][0] - points[0][0]).days
        moved = line.slope * span
        if span < days:
            return None
        so = moved >= least if least > 0 else moved <= least
        words = self.worded(key, points[-1][0], words)
        told = f"{words}: {self.said(key, points[0][1])} on {points[0][0]}, {self.said(key, points[-1][1])} on {points[-1][0]}"
        return Indicator(so, told, tuple((day, key) for day, _ in points))

    def overdue(self, task: str, times: float = 1.0) -> Indicator | None:
        """Whether a task is past its day by so many times its interval."""
        found = self.look.due.get(f"{self.id}/{task}")
        if found is None:
            return None
        passed, interval = (self.look.as_of - found.last).days, max((found.due_on - found.last).days, 1)
        is_due = "was" if found.due_on < self.look.as_of else "is"
        done = f"last done on {found.last}" if found.ever else f"no record, in service since {found.last}"
        return Indicator(passed > times * interval, f"{found.task.row.task.lower()} {is_due} due on {found.due_on}, {done}")


def level(s: Indicators, what: str) -> list[Point]:
    return s.current(s.key(what))


def stands(s: Indicators, what: str, words: str) -> Indicator | None:
    """Whether a level that should fall stands: three readings, and less than what tells apart over a fortnight or more."""
    points = level(s, what)
    near = [point for point in points if (points[-1][0] - point[0]).days <= mark("log", "stands_within")] if points else []
    if len(near) < 3 or (near[-1][0] - near[0][0]).days < mark("log", "stands_over"):
        return None
    fell = max(value for _, value in near) - near[-1][1]
    key = s.key(what)
    told = f"{words} was at {s.said(key, near[0][1])} on {near[0][0]} and at {s.said(key, near[-1][1])} on {near[-1][0]}"
    return Indicator(fell <= s.bands.tells(key), told, tuple((day, key) for day, _ in near))
