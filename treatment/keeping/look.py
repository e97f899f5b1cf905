"""What a log shows beside what the design expects: series, bands, marks, trends; which readings nobody should believe."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

from ..language.analytes import analytes
from ..language.figure import Line, rounded, stated, work
from ..language.log_keys import SOURCE, TAP, LogKey, log_key
from ..language.tables import table
from ..planning.variant import Variant
from ..starting.expected import Expectations
from ..train.room import StageRun
from .due import Due
from .log import Log
from .trend import Point, Trend, alone, trend
from .upkeep import Task
from .use import Use

#: what is counted on and never falls, or is a level that is filled: no outliers are looked for there
COUNTED = ("lamp_hours", "starts", "regenerations", "meter", "salt_level", "brine_level", "solution_level", "days_since_regeneration")
#: days of which a trend is taken, where they hold four readings
RECENT = int(table("upkeep")["marks"]["recent"])
#: what was read -> the tasks after which it starts anew
ANEW = {
    "pressure_drop": ("cartridge", "medium", "prefilter"),
    "pressure_out": ("cartridge", "medium", "prefilter"),
    "lamp_hours": ("lamp",),
    "intensity": ("lamp", "sleeve", "sleeve_new"),
    "salt_level": ("salt",),
    "solution_level": ("solution",),
    "medium_level": ("medium",),
    "permeate_flow": ("membrane", "prefilter"),
    "normal_flow": ("membrane",),
    "passage": ("membrane",),
    "hardness_out": ("resin",),
    "ph_out": ("medium",),
    "iron_out": ("medium", "cartridge"),
    "free_chlorine_out": ("medium", "cartridge", "solution"),
    "total_chlorine_out": ("medium", "cartridge", "solution"),
}


@dataclass(frozen=True, slots=True)
class Band:
    """What is expected of a series, canonical; None where an end is open."""

    low: float | None
    high: float | None
    unit: str
    working: tuple[Line, ...] = ()

    def as_json(self) -> dict[str, Any]:
        """As the diagnosis prints it."""
        low, high = (None if end is None else rounded(end) for end in (self.low, self.high))
        return {"low": low, "high": high, "unit": self.unit, "working": [line.as_json() for line in self.working]}


@dataclass(frozen=True, slots=True)
class Doubt:
    """A reading, or an entry, that is not taken as it stands, and why; whether no water and no lamp can give it."""

    on: dt.date
    key: str
    why: str
    impossible: bool = False

    def as_json(self) -> dict[str, Any]:
        return {"on": self.on.isoformat(), "key": self.key, "why": self.why}


@dataclass(frozen=True, slots=True)
class Mark:
    """A value that calls for somebody, from below or from above."""

    value: float
    unit: str
    above: bool


class Look:
    """A log of a train as it was known on a day."""

    def __init__(self, variant: Variant, tasks: Sequence[Task], log: Log, as_of: dt.date, due: Sequence[Due]):
        self.variant, self.tasks, self.as_of, self.due = variant, tasks, as_of, {each.task.id: each for each in due}
        self.whole, self.log = log, log.until(as_of)
        self.stages: tuple[StageRun[Any], ...] = variant.run.stages
        self.ids = [stage.id for stage in self.stages]
        self.expected = Expectations(variant)
        self.use = Use(variant, self.log)
        self.marks: dict[str, float] = table("upkeep")["marks"]
        self.doubted: list[Doubt] = []
        self._points = self._believed()

    # --- readings -----------------------------------------------------------------------------------------------------
    def _believed(self) -> dict[str, list[Point]]:
        """Key -> readings that are believed, drops and normalised flows among them."""
        raw: dict[str, list[Point]] = {}
        for key, values in self.log.points.items():
            raw[key] = [(on, value.middle) for on, value in values if self._possible(on, value.key, value.low)]
        raw |= self._derived(raw)
        self._points = raw  # bands and what tells apart are asked of what was read, until it is known what is believed
        found = {}
        for key, points in raw.items():
            what = key.rpartition(".")[2]
            if what in COUNTED or what.removesuffix("_out") in ("total_coliform", "e_coli"):
                found[key] = self._counted(key, points) if what == "lamp_hours" else points
                continue
            gone = {points[i] for i in self._alone(key, points)}
            self.doubted += [
                Doubt(on, self._own(key), f"{value:.4g} stands alone: those before and after it say otherwise, and nothing else says the same")
                for on, value in sorted(gone)
            ]
            found[key] = [point for point in points if point not in gone]
        self._tell_rest()
        self._bands.clear()
        return found

    def _own(self, key: str) -> str:
        """The log's own name of a series that was worked out from others."""
        id, _, what = key.rpartition(".")
        return {"pressure_drop": f"{id}.pressure_out", "normal_flow": f"{id}.permeate_flow", "passage": f"{id}.tds_out"}.get(what, key)

    def _possible(self, on: dt.date, key: LogKey, value: float) -> bool:
        if key.analyte is not None and not key.analyte.is_microbe:
            low, high = key.analyte.plausible
            if not low <= value <= high:
                self.doubted.append(Doubt(on, key.key, f"{value:.4g} {key.unit} is outside what water holds ({low:g} to {high:g})", impossible=True))
                return False
        if key.what == "intensity" and value > 130:
            self.doubted.append(Doubt(on, key.key, f"{value:.0f} % is more light than a new lamp gives", impossible=True))
            return False
        return True

    def _alone(self, key: str, points: list[Point]) -> list[int]:
        """Readings that stand alone, in each stretch between services; one that something else agrees with does not."""
        found: list[int] = []
        for begin, end in self._stretches(key, points):
            part = points[begin:end]
            found += [begin + i for i in alone(part, self.tells(key)) if not self._agreed(key, part[i])]
        return found

    def _agreed(self, key: str, point: Point) -> bool:
        """Whether another reading of the same place, on nearly the same day, is out of its band, or one of another on the same visit,
        or an alarm or a sign was told then."""
        on, value = point
        band = self.band(key)
        inside = band is None or ((band.low is None or value >= band.low) and (band.high is None or value <= band.high))
        if inside:
            return True  # it is odd, but as designed: nothing to doubt
        place = key.rpartition(".")[0]
        for other, values in self.log.points.items():
            if other == key or other.rpartition(".")[2] in COUNTED or self._own(key) == other:
                continue
            days = 14 if other.rpartition(".")[0] == place else 1  # another unit says the same only on the same visit
            near = [each for day, each in values if abs((day - on).days) <= days]
            beyond = self.band(other)
            if beyond is not None and any(_out(beyond, each.middle) for each in near):
                return True
        return any(abs((entry.on - on).days) <= 14 and (entry.alarm == place or entry.seen) for entry in self.log.entries)

    def _counted(self, key: str, points: list[Point]) -> list[Point]:
        """A counter that fell without its task being done was misread."""
        kept: list[Point] = []
        services = self.services(key)
        for on, value in points:
            if kept and value < kept[-1][1] and not any(kept[-1][0] <= day <= on for day in services):
                self.doubted.append(Doubt(on, key, f"{value:.0f} is less than {kept[-1][1]:.0f} before, and no new lamp was entered"))
                continue
            kept.append((on, value))
        return kept

    def _tell_rest(self) -> None:
        for entry in self.whole.after(self.as_of):
            for key in [value.key.key for value in entry.readings] or [entry.did or entry.alarm or "entry"]:
                self.doubted.append(Doubt(entry.on, key, f"later than {self.as_of}: it moves nothing"))
        for entry in self.log.repeated:
            key = entry.readings[0].key.key if entry.readings else entry.did or "entry"
            self.doubted.append(Doubt(entry.on, key, "the same entry stands there twice; it counts once"))
        for on, value in self.use.backwards:
            self.doubted.append(Doubt(on, "meter", f"{value:.0f} L is less than before: the meter was replaced, or misread"))

    def _derived(self, raw: dict[str, list[Point]]) -> dict[str, list[Point]]:
        """Pressure drops of stages, a membrane's flow put right for temperature, and its salt passage."""
        found: dict[str, list[Point]] = {}
        for stage in self.stages:
            before, after = dict(raw.get(f"{stage.id}.pressure_in", [])), dict(raw.get(f"{stage.id}.pressure_out", []))
            if both := [(day, before[day] - after[day]) for day in sorted(before.keys() & after.keys())]:
                found[f"{stage.id}.pressure_drop"] = both
            flow, cold = raw.get(f"{stage.id}.permeate_flow", []), self._temperatures(raw, stage)
            if flow:
                per = self.marks["warm_per_degree"]
                found[f"{stage.id}.normal_flow"] = [(day, value * (1 + per * (25.0 - cold[day]))) for day, value in flow if day in cold]
            fed, made = dict(raw.get(f"{stage.id}.tds_in", [])), dict(raw.get(f"{stage.id}.tds_out", []))
            if both := [(day, made[day] / fed[day]) for day in sorted(fed.keys() & made.keys()) if fed[day] > 0]:
                found[f"{stage.id}.passage"] = both
        return {key: points for key, points in found.items() if points}

    @staticmethod
    def _temperatures(raw: dict[str, list[Point]], stage: StageRun[Any]) -> dict[dt.date, float]:
        found = dict(raw.get("source.temperature", []))
        return found | dict(raw.get(f"{stage.id}.temperature_in", []))

    # --- what is asked of it ------------------------------------------------------------------------------------------
    def points(self, key: str) -> list[Point]:
        """Readings that are believed, all of them."""
        return self._points.get(key, [])

    @property
    def worked_out(self) -> list[str]:
        """Series that were worked out from others: drops, flows put right for temperature, salt passages."""
        return [key for key in self._points if key.rpartition(".")[2] in ("pressure_drop", "normal_flow", "passage")]

    def services(self, key: str) -> list[dt.date]:
        """Days on which a series started anew."""
        id, _, what = key.rpartition(".")
        days = {entry.on for name in ANEW.get(what, ()) for entry in self.log.services.get(f"{id}/{name}", [])}
        return sorted(days)

    def since(self, key: str) -> list[Point]:
        """Readings since the series last started anew; on the day of a service the one before it is still the old."""
        points, days = self.points(key), self.services(key)
        return [point for point in points if not days or point[0] > days[-1]] if days else points

    def _stretches(self, key: str, points: list[Point]) -> Iterator[tuple[int, int]]:
        begin = 0
        for day in self.services(key):
            end = next((i for i, point in enumerate(points) if point[0] > day), len(points))
            if end > begin:
                yield begin, end
            begin = end
        if begin < len(points):
            yield begin, len(points)

    def last(self, key: str) -> Point | None:
        """The newest reading since the last service."""
        found = self.since(key)
        return found[-1] if found else None

    def lately(self, key: str) -> list[Point]:
        """Readings since the last service, of the last year or so where there are enough: years that were fine do not hide what moves now."""
        points = self.since(key)
        near = [point for point in points if (points[-1][0] - point[0]).days <= RECENT]
        return near if len(near) >= 4 else points

    def trend(self, key: str) -> Trend | None:
        """How a series moves lately."""
        return trend(self.lately(key))

    def tells(self, key: str) -> float:
        """What a reading of a key tells apart, canonical."""
        what = key.rpartition(".")[2]
        base = what.removesuffix("_in").removesuffix("_out")
        ours = table("upkeep")["tells"]
        if base in self.expected.tells:
            return float(self.expected.tells[base])
        if what in ours:
            return float(ours[what])
        values = [abs(value) for _, value in self._points.get(key, [])] if hasattr(self, "_points") else []
        return float(ours["share"]) * (sorted(values)[len(values) // 2] if values else 1.0)

    @cached_property
    def _bands(self) -> dict[str, Band | None]:
        return {}

    def band(self, key: str) -> Band | None:
        """What the design expects; None where it expects nothing."""
        if key not in self._bands:
            self._bands[key] = self._band(key)
        return self._bands[key]

    def _band(self, key: str) -> Band | None:
        id, _, what = key.rpartition(".")
        if id in (SOURCE, TAP):
            return self._at_place(id, what)
        stage = self.stage(id)
        if stage is None:
            return self._metered() if key == "meter" else None
        base, _, side = what.rpartition("_")
        if side in ("in", "out") and base in analytes():
            waters = (stage.water_in, stage.mild_in) if side == "in" else (stage.water_out, stage.mild_out)
            return self._water(base, waters[0].known(), waters[1].known(), side == "in")
        return self._set(stage, what)

    def _water(self, name: str, adverse: dict[str, float], mild: dict[str, float], loose: bool) -> Band | None:
        """Between both ends of the water, give or take what a test tells; loose: and a third, since what arrives moves."""
        if name not in adverse:
            return None
        unit = analytes()[name].unit
        ends = adverse[name], mild.get(name, adverse[name])
        tells = max(self.tells(f"x.{name}_out"), (0.35 if loose and name != "ph" else 0.0) * max(ends))
        if name in ("total_coliform", "e_coli", "protozoa"):
            return Band(None, 0.0 if max(ends) == 0 else max(ends), unit, (stated("most", "as designed", max(ends), unit, "upkeep.log"),))
        given = {"one": (ends[0], unit), "other": (ends[1], unit), "tells": (tells, unit)}
        low = work("least", "max(0, min(one, other) − tells)", unit, "upkeep.log", **given)
        high = work("most", "max(one, other) + tells", unit, "upkeep.log", **given)
        return Band(low.value, high.value, unit, (low, high))

    def _at_place(self, place: str, what: str) -> Band | None:
        run, supply = self.variant.run, self.variant.audit.duty.supply
        if what in analytes():
            if place == SOURCE:
                return self._water(what, run.raw.known(), self.variant.audit.evidence.favourable.known(), True)
            return self._water(what, run.finished.known(), run.mild_finished.known(), False)
        gauge = (table("upkeep")["tells"]["pressure"], "kPa")
        if what.startswith("pressure") and place == SOURCE:
            ends = {"pressure_low": (supply.pressure_low, supply.pressure_low), "pressure_high": (supply.pressure_high, supply.pressure_high)}
            low_end, high_end = ends.get(what, (supply.pressure_low, supply.pressure_high))
            low = work("least", "end − gauge", "kPa", "upkeep.log", end=(low_end, "kPa"), gauge=gauge)
            high = work("most", "end + gauge", "kPa", "upkeep.log", end=(high_end, "kPa"), gauge=gauge)
            return Band(low.value, high.value, "kPa", (low, high))
        if what == "flow" and place == SOURCE:
            low = work("least", "given × share", "L/min", "upkeep.log", given=(supply.flow, "L/min"), share=(self.marks["pressure_lost"], ""))
            return Band(low.value, None, "L/min", (low,))
        return None

    def _metered(self) -> Band | None:
        daily = (self.use.design, "L/day")
        low = work("least", "daily × least", "L/day", "upkeep.use", daily=daily, least=(self.marks["less_use"], "of it"))
        high = work("most", "daily × most", "L/day", "upkeep.use", daily=daily, most=(self.marks["more_use"], "of it"))
        return Band(low.value, high.value, "L/day", (low, high))

    def _set(self, stage: StageRun[Any], what: str) -> Band | None:
        """What a stage is set to, loses or has left."""
        marks = self.marks
        if what == "pressure_drop":
            low = stated("least", "nothing", 0.0, "kPa", "upkeep.log")
            high = work("most", "clean + more", "kPa", "upkeep.log", clean=(stage.loss_clean, "kPa"), more=(marks["drop"], "kPa"))
            return Band(low.value, high.value, "kPa", (high,))
        if what in ("pressure_in", "pressure_out") and not stage.at_tap:
            reading = self.expected.pressure(f"{stage.id}.{what}", stage.index + (1 if what == "pressure_in" else 2))
            return Band(reading.low, reading.high, "kPa", reading.working)
        if what == "backwash_flow" and "backwash_flow" in stage.figures:
            need = stage.figures["backwash_flow"]
            low = work("least", "need × 0.9", "L/min", "upkeep.beds", need=(need.value, "L/min"))
            return Band(low.value, None, "L/min", (low,))
        if what == "lamp_hours":
            task = next((task for task in self.tasks if task.id == f"{stage.id}/lamp"), None)
            most = float(task.row.hours or 9000) if task else 9000.0
            return Band(None, most, "hour", (stated("most", "hours of a lamp", most, "hour", "upkeep.lamps"),))
        if what == "intensity":
            light = self.light(self.lamp_age(stage))
            return Band(light, marks["intensity_new"] + 10, "%", (stated("least", "of a lamp of this age", light, "%", "upkeep.lamps"),))
        if what == "passage":
            first = self.points(f"{stage.id}.passage")
            if first:
                high = work("most", "first × times", "", "upkeep.membranes", first=(first[0][1], ""), times=(marks["passage"], ""))
                return Band(None, high.value, "1", (high,))
        if what == "normal_flow":
            points = self.since(f"{stage.id}.normal_flow")
            if points:
                low = work("least", "first × fading", "L/min", "upkeep.membranes", first=(points[0][1], "L/min"), fading=(marks["fading"], ""))
                return Band(low.value, None, "L/min", (low,))
        if what == "permeate_flow" and "output" in stage.figures:
            low = work(
                "least",
                "output ÷ 1440 × fading",
                "L/min",
                "upkeep.membranes",
                output=(stage.figures["output"].value, "L/day"),
                fading=(marks["fading"], ""),
            )
            return Band(low.value, None, "L/min", (low,))
        return None

    def lamp_age(self, stage: StageRun[Any]) -> float:
        """Hours that the lamp burns, by its counter, or by days as if always lit."""
        point = self.last(f"{stage.id}.lamp_hours")
        if point is not None:
            return point[1]
        last = max((entry.on for entry in self.log.services.get(f"{stage.id}/lamp", [])), default=self.log.started_on)
        return max((self.as_of - last).days, 0) * 24.0

    def light(self, hours: float) -> float:
        """Light that a lamp of such an age gives at the least, with a clean sleeve [%], less what a sensor tells apart."""
        new, old = self.marks["intensity_new"], self.marks["intensity_old"]
        return new - (new - old) * min(hours / 9000.0, 1.2) - 3 * self.tells("x.intensity")

    def stage(self, id: str) -> StageRun[Any] | None:
        """A stage of the train by its id."""
        return next((stage for stage in self.stages if stage.id == id), None)

    def mark(self, key: str) -> Mark | None:
        """The value of a series that calls for somebody."""
        what, band = key.rpartition(".")[2], self.band(key)
        if what == "salt_level":
            return Mark(self.marks["salt_level"], "m", False)
        if what == "intensity":
            return Mark(self.marks["intensity"], "%", False)
        if band is None or key == "meter":
            return None
        if band.high is not None and (
            what in ("pressure_drop", "lamp_hours", "passage", "hardness_out", "iron_out", "tds_out") or what.endswith("chlorine_out")
        ):
            return Mark(band.high, band.unit, True)
        if band.low is not None and what in ("ph_out", "normal_flow", "permeate_flow", "backwash_flow", "pressure_low", "flow"):
            return Mark(band.low, band.unit, False)
        return None


MICROBES = ("tap.total_coliform", "tap.e_coli")


def _out(band: Band, value: float) -> bool:
    return (band.low is not None and value < band.low) or (band.high is not None and value > band.high)


def unit_of(key: str, ids: Sequence[str]) -> str:
    """The unit of a series, those that were worked out included."""
    what = key.rpartition(".")[2]
    worked = {"pressure_drop": "kPa", "normal_flow": "L/min", "passage": "1"}
    if what in worked:
        return worked[what]
    return "L/day" if key == "meter" else log_key(key, ids).unit
