"""What a design lets one expect of a series on a day: the train run on its own water and on what was read then, and the state of its stages."""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence
from functools import cached_property
from typing import Any

from ...chemistry.water import Water
from ...language.analytes import MICROBES, analytes
from ...language.figure import stated, work
from ...language.log_keys import SOURCE, TAP
from ...language.series_key import SeriesKey
from ...language.tables import Rows
from ...planning.evaluated import EvaluatedTrain
from ...train.marks import mark
from ...train.runner import Walk
from ...train.treatment import StageRun
from ..maintenance.upkeep import Task
from .band import Band, Mark, between, least
from .readings import Readings
from .series import METER
from .state import SeriesState

_TABLE = Rows("upkeep")


class Bands:
    """The bands of a train's series, each worked out once for a day."""

    def __init__(self, variant: EvaluatedTrain, tasks: Sequence[Task], readings: Readings, as_of: dt.date):
        self.variant, self.readings, self.as_of = variant, readings, as_of
        self.state = SeriesState(variant, tasks, readings, as_of)
        self.stages: dict[str, StageRun[Any]] = {stage.id: stage for stage in variant.run.stages}
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
        taken = SeriesKey.of(key)
        place, what, side = taken.place, taken.name, taken.side
        if place in (SOURCE, TAP):
            return self._water_at(place, what, on) if what in analytes() else self._supply(what) if place == SOURCE else None
        if key == METER:
            return self._use()
        stage = self.stages.get(place)
        if stage is None:
            return None
        base = taken.what
        if side and base in analytes():
            first = stage.index == 0 and side == "in"
            ends = (stage.water_in, stage.mild_in) if side == "in" else (stage.water_out, stage.mild_out)
            walk = None if first else self.walk(on)
            taken_out = side == "out" and stage.water_in.value(base) - stage.water_out.value(base) > self.tells(key, stage.water_in.value(base))
            return self._water(base, ends, walk and (walk.met[stage.index][side == "out"],), side == "in", taken_out)
        return self.state.band(stage, what, on)

    def mark(self, key: str) -> Mark | None:
        """The value of a series that calls for somebody."""
        what, band = SeriesKey.of(key).name, self.band(key)
        called = _TABLE["called"]
        if what in called["own"]:
            return Mark(mark(called["own"][what], what), self.readings.series(key).unit, False)
        if band is None or key == METER:
            return None
        kept_up = band.low is not None and band.low > 0 and what in called["residual"]
        if band.low is not None and (what in called["below"] or kept_up):
            return Mark(band.low, band.unit, False)
        if band.high is not None and what in (*called["above"], *called["residual"]):
            return Mark(band.high, band.unit, True)
        return None

    def tells(self, key: str, size: float | None = None) -> float:
        """What a reading of a key tells apart, canonical; size: what it is a share of where no test is known."""
        return self.state.tells(key, size)

    @property
    def moves(self) -> float:
        """Share by which what arrives moves by itself."""
        return float(_TABLE["moves"]["share"])

    def once(self, key: str, end: float) -> float:
        """By how much a single reading may be past an end of its band and is read again: what it tells apart, or what it wanders by."""
        return max(1.001 * self.tells(key), float(_TABLE["wanders"].get(SeriesKey.of(key).what, 0.0)) * abs(end))

    # --- water --------------------------------------------------------------------------------------------------------
    @cached_property
    def raw(self) -> dict[str, list[tuple[dt.date, float]]]:
        """Analyte -> what was read of the raw water, at the source or before the first stage, in order; microbes are not of it."""
        found = {
            name: sorted(point for key in self.raw_keys(name) for point in self.readings.points(key)) for name in analytes() if name not in MICROBES
        }
        return {name: points for name, points in found.items() if points}

    def raw_key(self, name: str) -> str:
        """The series of raw water that holds the newest reading of an analyte."""
        return max(self.raw_keys(name), key=lambda key: self.readings.points(key)[-1:] or [(dt.date.min, 0.0)])

    def raw_keys(self, name: str) -> tuple[str, ...]:
        """The series that hold raw water: at the source, or before the first stage."""
        first = tuple(f"{stage.id}.{name}_in" for stage in self.variant.run.stages[:1])
        return (f"{SOURCE}.{name}", *first)

    def walk(self, on: dt.date) -> Walk | None:
        """The train run on the raw water as it was read on a day or shortly before; None where it was not."""
        read = {}
        for name, points in self.raw.items():
            near = [value for day, value in points if 0 <= (on - day).days <= mark("log", "near")]
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
            run.raw.value(name) - run.finished.value(name) > self.tells(name, run.raw.value(name)),
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
        tells, of, moves = self.tells(name, max(design)), ", ".join(symbols), _TABLE["moves"]
        given: dict[str, Any] = {**symbols, "tells": (tells, row.unit)}
        if taken_out and row.adverse == "high":
            low = stated("least", "lower is better", 0.0, row.unit, "upkeep.log")
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
            (low, high), drift = ends[what], (mark("pump", "switch_drifts"), "of it")
            return between(
                work("least", "end − max(gauge, drift × end)", "kPa", "upkeep.log", end=(low, "kPa"), gauge=gauge, drift=drift),
                work("most", "end + max(gauge, drift × end)", "kPa", "upkeep.log", end=(high, "kPa"), gauge=gauge, drift=drift),
            )
        if what == "flow":
            share = (mark("pump", "pressure_lost"), "of it")
            return least(work("least", "given × share", "L/min", "upkeep.log", given=(supply.flow, "L/min"), share=share))
        return None

    def _use(self) -> Band:
        daily = (self.daily, "L/day")
        low = work("least", "daily × least", "L/day", "upkeep.use", daily=daily, least=(mark("house", "less_use"), "of it"))
        return between(low, work("most", "daily × most", "L/day", "upkeep.use", daily=daily, most=(mark("house", "more_use"), "of it")))
