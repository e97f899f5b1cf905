"""What a log shows beside what the design expects; which readings nobody should believe."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

from ...language.analytes import MICROBES
from ...language.display import show, show_within
from ...language.log_keys import TAP, LogKey
from ...language.series_key import SeriesKey
from ...planning.evaluated import EvaluatedTrain
from ...train.marks import mark
from ...train.treatment import StageRun
from ..maintenance.due import Due
from ..maintenance.log import Log
from ..maintenance.upkeep import Task
from ..maintenance.use import Use
from ..monitoring.bands import Bands
from ..monitoring.elsewhere import from_elsewhere
from ..monitoring.readings import Readings, worked_out
from ..monitoring.series import series
from ..monitoring.trend import Point, alone, trend

#: readings whose trend says where a series stands now
NEWEST = 6
#: what is counted on and never falls, or is a level that is filled: no outliers are looked for there
COUNTED = ("lamp_hours", "starts", "regenerations", "meter", "salt_level", "brine_level", "solution_level", "days_since_regeneration")


@dataclass(frozen=True, slots=True)
class Doubt:
    """A reading, or an entry, that is not taken as it stands, and why; whether no water and no lamp can give it."""

    on: dt.date
    key: str
    why: str
    impossible: bool = False

    def as_json(self) -> dict[str, Any]:
        return {"on": self.on.isoformat(), "key": self.key, "why": self.why}


def feeds_chlorine(stage: StageRun[Any]) -> bool:
    """Whether a unit gives the water a residual that was not in it."""
    return stage.water_out.value("free_chlorine") - stage.water_in.value("free_chlorine") > mark("chemical_feed", "residual_gone")


class DataQuality:
    """A log of a train as it was known on a day: what is believed of it, what is expected, what is doubted."""

    def __init__(self, variant: EvaluatedTrain, tasks: Sequence[Task], log: Log, as_of: dt.date, due: Sequence[Due]):
        self.variant, self.tasks, self.as_of, self.due = variant, tasks, as_of, {each.task.id: each for each in due}
        self.whole, self.log = log, log.until(as_of)
        self.stages: tuple[StageRun[Any], ...] = variant.run.stages
        self.ids = [stage.id for stage in self.stages]
        self.use = Use(variant, self.log)
        self.system = variant.audit.facts.job.units
        self.doubted: list[Doubt] = []
        read = self._read()
        self.readings = self._believed(read, Bands(variant, tasks, read, as_of))
        self.bands = Bands(variant, tasks, self.readings, as_of)
        self.barely = frozenset(self._barely())
        self._tell_rest()

    # --- what is believed ---------------------------------------------------------------------------------------------
    def _read(self) -> Readings:
        """All that can be, with what is worked out from it."""
        raw = {
            key: [(on, value.middle) for on, value in values if self._possible(on, value.key, value.low)] for key, values in self.log.points.items()
        }
        plain = raw | worked_out(raw, self.stages)
        if not any(SeriesKey.of(key).place == TAP or SeriesKey.of(key).side == "in" for key in raw):
            return Readings(self.log, self.ids, plain)
        tells = Bands(self.variant, self.tasks, Readings(self.log, self.ids, plain), self.as_of).tells
        return Readings(self.log, self.ids, plain, from_elsewhere(raw, self.variant.run, tells))

    def _possible(self, on: dt.date, key: LogKey, value: float) -> bool:
        if key.analyte is not None and not key.analyte.is_microbe:
            low, high = key.analyte.plausible
            if not low <= value <= high and not self._designed(on, key.key, value):
                span = show_within(low, high, key.shown, self.system)
                self.doubted.append(Doubt(on, key.key, f"{self.said(key.key, value)} is outside what is possible ({span})", impossible=True))
                return False
        if key.what == "intensity" and value > mark("uv", "light_most"):
            self.doubted.append(Doubt(on, key.key, f"{value:.0f}% is more than a new lamp gives", impossible=True))
            return False
        return True

    def said(self, key: str, value: float) -> str:
        """A value of a series, in the job's units."""
        return show(value, series(key, self.ids).shown, self.system)

    def place_of(self, key: str, day: dt.date) -> str:
        """Where what a unit left on a day was read, in words, if it was read elsewhere."""
        place = SeriesKey.of(self.readings.elsewhere(key, day)).place
        stage = next((stage for stage in self.stages if stage.id == place), None)
        return "at a tap" if place == TAP else f"before the {stage.said}" if stage is not None else ""

    def _designed(self, on: dt.date, key: str, value: float) -> bool:
        """Whether a value that natural water does not have is what the design makes of it: a membrane's permeate, rain."""
        band = Bands(self.variant, self.tasks, Readings(self.log, self.ids, {}), self.as_of).band(key, on)
        return band is not None and band.holds(value)

    def _believed(self, read: Readings, bands: Bands) -> Readings:
        """What is left without readings that stand alone, and counters that were misread."""
        found = {}
        for key, points in read.by_key.items():
            what = SeriesKey.of(key).name
            if what in COUNTED or SeriesKey.of(key).what in MICROBES:
                found[key] = self._counted(key, read) if what == "lamp_hours" else points
                continue
            gone = set(self._alone(key, read, bands))
            told = {(doubt.on, doubt.key) for doubt in self.doubted}
            self.doubted += [
                Doubt(on, own, f"{self.said(key, value)} differs from the readings before and after it, and nothing else supports it")
                for on, value in sorted(gone)
                if (on, own := read.told_by(key, on)) not in told
            ]
            found[key] = [point for point in points if point not in gone]
        return read.only(found)

    def _alone(self, key: str, read: Readings, bands: Bands) -> list[Point]:
        """Readings that stand alone, in each stretch between services; one that something else agrees with does not."""
        found: list[Point] = []
        points = read.points(key)
        for begin, end in read.stretches(key):
            part = points[begin:end]
            found += [part[i] for i in alone(part, bands.tells(key)) if not self._agreed(key, part, i, read, bands)]
        return found

    def _agreed(self, key: str, part: list[Point], place: int, read: Readings, bands: Bands) -> bool:
        """Whether a reading is as designed, or something says the same: the one before it where none came after, another of its unit within
        a fortnight, one of another unit on the same visit, an alarm, or what was seen then."""
        on, value = part[place]
        if place == len(part) - 1 and self._grave(key, value):
            return True  # if it is so, somebody is in danger: told, not doubted
        band = bands.band(key, on)
        if band is None or band.holds(value):
            return True  # it is odd, but as designed: nothing to doubt
        if place == len(part) - 1 and not band.holds(part[place - 1][1]) and (value > part[0][1]) == (part[place - 1][1] > part[0][1]):
            return True  # the newest of a way that began before
        unit, own = SeriesKey.of(key).place, read.told_by(key, on)
        for other, values in self.log.points.items():
            if other in (key, own) or SeriesKey.of(other).name in COUNTED:
                continue
            days = 14 if SeriesKey.of(other).place == unit else 1  # another unit says the same only on the same visit
            if any(
                abs((day - on).days) <= days and (beyond := bands.band(other, day)) is not None and not beyond.holds(each.middle)
                for day, each in values
            ):
                return True
        return any(abs((entry.on - on).days) <= 14 and (entry.alarm == unit or entry.seen) for entry in self.log.entries)

    def _grave(self, key: str, value: float) -> bool:
        """Whether a reading says that a barrier is gone: a sensor that sees no light, no residual behind a feed."""
        taken = SeriesKey.of(key)
        if taken.name == "intensity":
            return value < mark("uv", "light_gone")
        feeds = any(stage.id == taken.place and feeds_chlorine(stage) for stage in self.stages)
        return feeds and taken.name == "free_chlorine_out" and value <= mark("chemical_feed", "residual_gone")

    def _barely(self) -> Iterator[str]:
        """Series whose newest reading is past its band by no more than it may be once (`Bands.once`), where neither the one before it nor their trend is.

        One such reading is no fault yet: it is read again.
        """
        for key in self.readings.by_key:
            points, taken = self.readings.lately(key), SeriesKey.of(key)
            if len(points) < 2 or taken.name in COUNTED or taken.what in MICROBES or (band := self.bands.band(key)) is None:
                continue
            (before, then), (on, value) = points[-2:]
            end = band.passed(value)
            if end is None or before == on or abs(value - end) > self.bands.once(key, end) or band.passed(then) == end:
                continue
            line = trend(points[-NEWEST:]) if len(points) > 2 else None
            if line is None or band.passed(line.level) != end:
                bound = f"at {'most' if value > end else 'least'} {self.said(key, end)}"
                own = self.readings.told_by(key, on)
                told = f"{self.said(key, value)} is only just past what is expected ({bound}), and the reading before it was not: read it again"
                if not any((doubt.on, doubt.key) == (on, own) for doubt in self.doubted):
                    self.doubted.append(Doubt(on, own, told))
                yield key

    def comes_and_goes(self, key: str) -> list[Point]:
        """Readings of a series clearly above its band, of late and between such as are within; empty where they are few, old, or no news."""
        points, band = self.readings.since(key), self.bands.band(key)
        if band is None or band.high is None or not points or not self.readings.speaks(key, points[-1][0], self.as_of):
            return []
        clear = band.high + self.bands.tells(key)
        above = [place for place, (_, value) in enumerate(points) if value > clear]
        if len(above) < mark("log", "comes") or above[0] < mark("log", "fine") or len(points) - 1 - above[-1] >= mark("log", "chances"):
            return []
        since = len(points) - above[0]
        return [points[place] for place in above] if mark("log", "often") * since <= len(above) < since else []

    def _counted(self, key: str, read: Readings) -> list[Point]:
        """A counter that fell without its task being done was misread; where it runs on from there, it began anew, and nobody wrote that down."""
        kept: list[Point] = []
        services, points = read.services(key), read.points(key)
        for place, (on, value) in enumerate(points):
            if kept and value < kept[-1][1] and not any(kept[-1][0] <= day <= on for day in services):
                anew = place + 1 < len(points) and value <= points[place + 1][1] < kept[-1][1]
                fell = f"{value:.0f} is less than {kept[-1][1]:.0f} before, and no new lamp was recorded"
                self.doubted.append(
                    Doubt(on, key, f"{fell}: it continues from there, so the lamp was replaced or the counter reset" if anew else fell)
                )
                if not anew:
                    continue
                kept = []
            kept.append((on, value))
        return kept

    def _tell_rest(self) -> None:
        for entry in self.whole.after(self.as_of):
            for key in [value.key.key for value in entry.readings] or [entry.did or entry.alarm or "entry"]:
                self.doubted.append(Doubt(entry.on, key, f"later than {self.as_of}: it is not used"))
        for entry in self.log.repeated:
            key = entry.readings[0].key.key if entry.readings else entry.did or "entry"
            self.doubted.append(Doubt(entry.on, key, "this entry was made twice; it counts once"))
        for on, value in self.use.backwards:
            self.doubted.append(Doubt(on, "meter", f"{show(value, 'L', self.system)} is less than before: the meter was replaced, or misread"))

    @cached_property
    def keys(self) -> list[str]:
        """Every series, those that were worked out among them; what was only read elsewhere stands there."""
        return sorted({*self.log.points, *self.readings.by_key} - self.readings.only_elsewhere)
