"""What a design lets one expect of a series on a day: its own figures, the water that was read then, and what was done since the last service."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

from ..chemistry.water import Water
from ..language.analytes import MICROBES, analytes
from ..language.figure import Line, rounded, stated, work
from ..language.log_keys import SOURCE, TAP
from ..language.tables import table
from ..planning.variant import Variant
from ..starting.expected import Expectations
from ..train.room import StageRun
from ..train.runner import Walk
from .readings import Readings
from .series import METER
from .upkeep import Task

_TABLE = table("upkeep")
_MARKS: dict[str, float] = _TABLE["marks"]


@dataclass(frozen=True, slots=True)
class Band:
    """What is expected of a series, canonical; None where an end is open."""

    low: float | None
    high: float | None
    unit: str
    working: tuple[Line, ...] = ()

    def holds(self, value: float) -> bool:
        """Whether a value lies within."""
        return (self.low is None or value >= self.low) and (self.high is None or value <= self.high)

    def as_json(self) -> dict[str, Any]:
        """As the diagnosis prints it."""
        low, high = (None if end is None else rounded(end) for end in (self.low, self.high))
        return {"low": low, "high": high, "unit": self.unit, "working": [line.as_json() for line in self.working]}


@dataclass(frozen=True, slots=True)
class Mark:
    """A value that calls for somebody, from below or from above."""

    value: float
    unit: str
    above: bool


def least(line: Line) -> Band:
    """At least what a line says."""
    return Band(line.value, None, line.unit, (line,))


def most(line: Line) -> Band:
    """At most what a line says."""
    return Band(None, line.value, line.unit, (line,))


def between(low: Line, high: Line, *before: Line) -> Band:
    """Between what two lines say."""
    return Band(low.value, high.value, low.unit, (*before, low, high))


class Bands:
    """The bands of a train's series, each worked out once for a day."""

    def __init__(self, variant: Variant, tasks: Sequence[Task], readings: Readings, as_of: dt.date):
        self.variant, self.readings, self.as_of = variant, readings, as_of
        self.tasks = {task.id: task for task in tasks}
        self.stages: dict[str, StageRun[Any]] = {stage.id: stage for stage in variant.run.stages}
        self.expected = Expectations(variant)
        self.daily = variant.audit.duty.daily
        self._known: dict[tuple[str, dt.date], Band | None] = {}
        self._walks: dict[Water, Walk] = {}

    def band(self, key: str, on: dt.date | None = None) -> Band | None:
        """What is expected of a series on a day, without one on that of its newest reading; None where nothing is."""
        if on is None:
            last = self.readings.last(key)
            on = self.as_of if last is None else last[0]
        if (key, on) not in self._known:
            self._known[key, on] = self._band(key, on)
        return self._known[key, on]

    def _band(self, key: str, on: dt.date) -> Band | None:
        place, _, what = key.rpartition(".")
        if place in (SOURCE, TAP):
            return self._water_at(place, what, on) if what in analytes() else self._supply(what) if place == SOURCE else None
        if key == METER:
            return self._use()
        stage = self.stages.get(place)
        if stage is None:
            return None
        base, _, side = what.rpartition("_")
        if side in ("in", "out") and base in analytes():
            first = stage.index == 0 and side == "in"
            ends = (stage.water_in, stage.mild_in) if side == "in" else (stage.water_out, stage.mild_out)
            walk = None if first else self.walk(on)
            taken_out = side == "out" and stage.water_in.value(base) - stage.water_out.value(base) > self.tells(key)
            return self._water(base, ends, walk and (walk.met[stage.index][side == "out"],), side == "in", taken_out)
        return STATE[what](self, stage, on) if what in STATE else None

    def mark(self, key: str) -> Mark | None:
        """The value of a series that calls for somebody."""
        what, band = key.rpartition(".")[2], self.band(key)
        called = _TABLE["called"]
        if what in called["own"]:
            return Mark(_MARKS[what], self.readings.series(key).unit, False)
        if band is None or key == METER:
            return None
        kept_up = band.low is not None and band.low > 0 and what in called["residual"]
        if band.low is not None and (what in called["below"] or kept_up):
            return Mark(band.low, band.unit, False)
        if band.high is not None and what in (*called["above"], *called["residual"]):
            return Mark(band.high, band.unit, True)
        return None

    def tells(self, key: str) -> float:
        """What a reading of a key tells apart, canonical; where no test is known, a share of its usual value."""
        what = key.rpartition(".")[2]
        base = what.removesuffix("_in").removesuffix("_out")
        for known, name in ((self.expected.tells, base), (_TABLE["tells"], base), (_TABLE["tells"], what)):
            if name in known:
                return float(known[name])
        return float(_TABLE["tells"]["share"]) * self.readings.usual.get(key, 1.0)

    # --- water --------------------------------------------------------------------------------------------------------
    @cached_property
    def raw(self) -> dict[str, list[tuple[dt.date, float]]]:
        """Analyte -> what was read of the raw water, at the source or before the first stage, in order; microbes are not of it."""
        found = {
            name: sorted(point for key in self._raw_keys(name) for point in self.readings.points(key)) for name in analytes() if name not in MICROBES
        }
        return {name: points for name, points in found.items() if points}

    def raw_key(self, name: str) -> str:
        """The series of raw water that holds the newest reading of an analyte."""
        return max(self._raw_keys(name), key=lambda key: self.readings.points(key)[-1:] or [(dt.date.min, 0.0)])

    def _raw_keys(self, name: str) -> tuple[str, ...]:
        first = tuple(f"{stage.id}.{name}_in" for stage in self.variant.run.stages[:1])
        return (f"{SOURCE}.{name}", *first)

    def walk(self, on: dt.date) -> Walk | None:
        """The train run on the raw water as it was read on a day or shortly before; None where it was not."""
        read = {}
        for name, points in self.raw.items():
            near = [value for day, value in points if 0 <= (on - day).days <= _MARKS["near"]]
            if near:
                read[name] = near[-1]
        if not read:
            return None
        raw = self.variant.run.raw.as_read(read)
        if raw not in self._walks:
            self._walks[raw] = self.variant.audit.runner.carried(self.variant.run, raw)
        return self._walks[raw]

    def _water_at(self, place: str, name: str, on: dt.date) -> Band | None:
        run = self.variant.run
        if place == SOURCE:
            return self._water(name, (run.raw, self.variant.audit.evidence.favourable), None, True)
        walk = self.walk(on)  # which tap was meant is not told: that of the house, or one with a unit of its own
        return self._water(
            name,
            (run.finished, run.mild_finished, run.tap),
            walk and (walk.house, walk.tap),
            False,
            run.raw.value(name) - run.finished.value(name) > self.tells(f"x.{name}_out"),
        )

    def _water(self, name: str, ends: tuple[Water, ...], read: tuple[Water, ...] | None, loose: bool, taken_out: bool = False) -> Band | None:
        """Between the ends of the design's water and what the train makes of the water read then, give or take what a test tells.

        loose: what arrives moves by itself, by a third of what is dissolved or of what darkens it; taken_out: less of it is as good.
        """
        design = [found for water in ends if (found := water.known().get(name)) is not None]
        if not design:
            return None
        design = design if len(design) > 1 else design * 2
        row, today = analytes()[name], [found for water in read or () if (found := water.known().get(name)) is not None]
        if row.is_microbe:
            return Band(None, max(design), row.unit, (stated("most", "as designed", max(design), row.unit, "upkeep.log"),))
        known = zip(("one", "other", "at_tap", "today", "today_at_tap"), (*design, *[None] * (3 - len(design)), *today), strict=False)
        symbols = {symbol: (value, row.unit) for symbol, value in known if value is not None}
        tells, of, moves = self.tells(f"x.{name}_out"), ", ".join(symbols), _TABLE["moves"]
        given: dict[str, Any] = {**symbols, "tells": (tells, row.unit)}
        if taken_out and row.adverse == "high":
            low = stated("least", "the less the better", 0.0, row.unit, "upkeep.log")
            high = work("most", f"max({of}) + tells", row.unit, "upkeep.log", **given)
        elif loose and name == "uvt":
            share = (1 + moves["share"], "times what darkens it")
            low = work("least", f"100 × (min({of}) ÷ 100)^share − tells", row.unit, "upkeep.log", **given, share=share)
            high = work("most", f"max({of}) + tells", row.unit, "upkeep.log", **given)
        elif loose and name not in moves["steady"]:
            share = (moves["share"], "of it")
            low = work("least", f"max(0, min({of}) − max(tells, share × max({of})))", row.unit, "upkeep.log", **given, share=share)
            high = work("most", f"max({of}) + max(tells, share × max({of}))", row.unit, "upkeep.log", **given, share=share)
        else:
            low = work("least", f"max(0, min({of}) − tells)", row.unit, "upkeep.log", **given)
            high = work("most", f"max({of}) + tells", row.unit, "upkeep.log", **given)
        return between(low, high)

    # --- source and use -----------------------------------------------------------------------------------------------
    def _supply(self, what: str) -> Band | None:
        supply, gauge = self.variant.audit.duty.supply, (_TABLE["tells"]["pressure"], "kPa")
        ends = {
            "pressure_low": (supply.pressure_low, supply.pressure_low),
            "pressure_high": (supply.pressure_high, supply.pressure_high),
            "pressure": (supply.pressure_low, supply.pressure_high),
        }
        if what in ends:
            low, high = ends[what]
            return between(
                work("least", "end − gauge", "kPa", "upkeep.log", end=(low, "kPa"), gauge=gauge),
                work("most", "end + gauge", "kPa", "upkeep.log", end=(high, "kPa"), gauge=gauge),
            )
        if what == "flow":
            share = (_MARKS["pressure_lost"], "of it")
            return least(work("least", "given × share", "L/min", "upkeep.log", given=(supply.flow, "L/min"), share=share))
        return None

    def _use(self) -> Band:
        daily = (self.daily, "L/day")
        low = work("least", "daily × least", "L/day", "upkeep.use", daily=daily, least=(_MARKS["less_use"], "of it"))
        return between(low, work("most", "daily × most", "L/day", "upkeep.use", daily=daily, most=(_MARKS["more_use"], "of it")))

    # --- the state of a stage -----------------------------------------------------------------------------------------
    def _drop(self, stage: StageRun[Any], on: dt.date) -> Band:
        low = stated("least", "nothing", 0.0, "kPa", "upkeep.log")
        clean, more = (stage.loss_clean, "kPa"), (_MARKS["drop"], "kPa")
        return between(low, work("most", "clean + more", "kPa", "upkeep.log", clean=clean, more=more))

    def _pressure(self, stage: StageRun[Any], side: str) -> Band | None:
        if stage.at_tap:
            return None
        reading = self.expected.pressure(f"{stage.id}.pressure_{side}", stage.index + (1 if side == "in" else 2))
        return Band(reading.low, reading.high, "kPa", reading.working)

    def _backwash(self, stage: StageRun[Any], on: dt.date) -> Band | None:
        need = stage.figures.get("backwash_flow")
        share = (_MARKS["backwash"], "of it")
        return None if need is None else least(work("least", "need × share", "L/min", "upkeep.beds", need=(need.value, "L/min"), share=share))

    def _hours(self, stage: StageRun[Any], on: dt.date) -> Band:
        return most(stated("most", "hours of a lamp", self.lamp_life(stage), "hour", "upkeep.lamps"))

    def _light(self, stage: StageRun[Any], on: dt.date) -> Band:
        """What a lamp of this age gives with a clean sleeve, less three times what a sensor tells apart."""
        given = {
            "new": (_MARKS["intensity_new"], "%"), "old": (_MARKS["intensity_old"], "%"), "age": (self.lamp_age(stage, on), "hour"),
            "life": (self.lamp_life(stage), "hour"), "tells": (self.tells("x.intensity"), "%"),
        }  # fmt: skip
        low = work("least", "new − (new − old) × min(age ÷ life, 1.2) − 3 × tells", "%", "upkeep.lamps", **given)
        high = work("most", "new + more", "%", "upkeep.lamps", new=given["new"], more=(_MARKS["intensity_more"], "%"))
        return between(low, high)

    def lamp_life(self, stage: StageRun[Any]) -> float:
        """Hours after which a lamp is old."""
        task = self.tasks.get(f"{stage.id}/lamp")
        return float((task and task.row.hours) or _MARKS["lamp_life"])

    def lamp_age(self, stage: StageRun[Any], on: dt.date | None = None) -> float:
        """Hours that the lamp had burnt on a day, by its counter, or by days as if always lit."""
        day = self.as_of if on is None else on
        points = self.readings.since(f"{stage.id}.lamp_hours", day)
        if points:
            return points[-1][1]
        lamps = [entry.on for entry in self.readings.log.services.get(f"{stage.id}/lamp", []) if entry.on <= day]
        return max((day - max(lamps, default=self.readings.log.started_on)).days, 0) * 24.0

    def _passage(self, stage: StageRun[Any], on: dt.date) -> Band | None:
        first = self.readings.since(f"{stage.id}.passage", on)[:1]
        times = (_MARKS["passage"], "times")
        return most(work("most", "first × times", "1", "upkeep.membranes", first=(first[0][1], ""), times=times)) if first else None

    def _normal_flow(self, stage: StageRun[Any], on: dt.date) -> Band | None:
        first, fading = self.readings.since(f"{stage.id}.normal_flow", on)[:1], (_MARKS["fading"], "of it")
        return least(work("least", "first × fading", "L/min", "upkeep.membranes", first=(first[0][1], "L/min"), fading=fading)) if first else None

    def _permeate(self, stage: StageRun[Any], on: dt.date) -> Band | None:
        """What it is rated for at the temperature read then, less what a membrane may fade."""
        rated, fading = stage.sizing.params.get("rated"), (_MARKS["fading"], "of it")
        near = [value for day, value in self._warmth(stage) if 0 <= (on - day).days <= _MARKS["near"]]
        if rated is None or "output" not in stage.figures:
            return None
        school = stage.duty.facts.schools.ro_temperature
        warm = stage.room.output_share(near[-1], school) if near else stage.figures["temperature_factor"].working[-1]
        if warm is None:
            return None
        low = work("least", "rated × warm ÷ 1440 × fading", "L/min", "upkeep.membranes", rated=(rated, "L/day"), warm=(warm.value, ""), fading=fading)
        return Band(low.value, None, "L/min", (warm, low))

    def _warmth(self, stage: StageRun[Any]) -> list[tuple[dt.date, float]]:
        return sorted([*self.readings.points(f"{SOURCE}.temperature"), *self.readings.points(f"{stage.id}.temperature_in")])

    def _salt(self, stage: StageRun[Any], on: dt.date) -> Band | None:
        """Where the salt stands that was read first since it was filled: it falls as the design, or this house's meter, uses it up."""
        found = self.readings.since(f"{stage.id}.salt_level", on)[:1]
        yearly = stage.figures.get("salt_per_year")
        if not found or yearly is None:
            return None
        tank = table("vessels")["brine_tank_mm"]
        given = {"yearly": (yearly.value, "kg"), "dense": (_TABLE["limits"]["salt_dense"], "kg/L"), "wide": (tank["width"] / 1000, "m")}
        falls = work("falls", "yearly ÷ 365 ÷ dense ÷ 1000 ÷ wide^2", "m/day", "upkeep.salt", **given)
        return self._used(falls, found[0], on, "salt_level")

    def _medium(self, stage: StageRun[Any], on: dt.date) -> Band | None:
        """How high a bed stands that dissolves: full when it was filled last."""
        bed, yearly = stage.sizing.bed, stage.figures.get("media_per_year")
        if bed is None or yearly is None:
            return None
        fills = [day for day in self.readings.services(f"{stage.id}.medium_level") if day <= on]
        begin = fills[-1] if fills else self.readings.log.started_on
        full, mass = (bed.depth, "m"), (bed.total_volume * bed.medium.density, "kg")
        falls = work("falls", "full × yearly ÷ mass ÷ 365", "m/day", "upkeep.beds", full=full, yearly=(yearly.value, "kg"), mass=mass)
        return self._used(falls, (begin, bed.depth), on, "medium_level")

    def _used(self, falls: Line, first: tuple[dt.date, float], on: dt.date, what: str) -> Band:
        """A height that falls from a first one, in a busy and in a careful year, give or take what a stick tells."""
        spread, tells = _TABLE["spread"], (self.tells(f"x.{what}"), "m")
        given: dict[str, Any] = {
            "first": (first[1], "m"),
            "falls": (falls.value, "m/day"),
            "days": (max((on - first[0]).days, 0), "day"),
            "tells": tells,
        }
        low = work(
            "least", "max(0, first − falls × days × busy − tells)", "m", "upkeep.use", **given, busy=(spread["use_high"], "of the design's use")
        )
        high = work(
            "most", "max(0, first − falls × days × calm) + tells", "m", "upkeep.use", **given, calm=(spread["use_low"], "of the design's use")
        )
        return between(low, high, falls)


#: what is read at a stage that is no analyte -> what it should be by the stage's state
STATE: dict[str, Callable[[Bands, StageRun[Any], dt.date], Band | None]] = {
    "pressure_drop": Bands._drop,
    "pressure_in": lambda bands, stage, on: bands._pressure(stage, "in"),
    "pressure_out": lambda bands, stage, on: bands._pressure(stage, "out"),
    "backwash_flow": Bands._backwash,
    "lamp_hours": Bands._hours,
    "intensity": Bands._light,
    "passage": Bands._passage,
    "normal_flow": Bands._normal_flow,
    "permeate_flow": Bands._permeate,
    "salt_level": Bands._salt,
    "medium_level": Bands._medium,
}
