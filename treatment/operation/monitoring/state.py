"""What a stage should show by its own state on a day, as its treatment says: what was used up, aged or fouled since its last service."""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence
from typing import Any

from ...commissioning.expected import Expectations
from ...language.log_keys import SOURCE
from ...language.series_key import SeriesKey
from ...language.tables import Rows
from ...planning.evaluated import EvaluatedTrain
from ...train.marks import mark
from ...train.over_time import OverTime
from ...train.treatment import StageRun
from ..maintenance.upkeep import Task
from .band import Band
from .readings import Readings

_TABLE = Rows("upkeep")
#: gauges that the falling line of pressure tells, not the stage by itself
GAUGES = {"pressure_in": ("in", 1), "pressure_out": ("out", 2)}


class SeriesState:
    """The state of a train's stages by a log."""

    def __init__(self, variant: EvaluatedTrain, tasks: Sequence[Task], readings: Readings, as_of: dt.date):
        self.readings, self.as_of = readings, as_of
        self.tasks = {task.id: task for task in tasks}
        self.expected = Expectations(variant)
        self._over_time: dict[str, OverTime[Any]] = {}

    def band(self, stage: StageRun[Any], what: str, on: dt.date) -> Band | None:
        """What is expected of what is read at a stage, where it is no analyte; None where nothing is."""
        if what in GAUGES:
            side, ahead = GAUGES[what]
            if stage.at_tap:
                return None
            reading = self.expected.pressure(f"{stage.id}.pressure_{side}", stage.index + ahead)
            return Band(reading.low, reading.high, "kPa", reading.working)
        if stage.id not in self._over_time:
            self._over_time[stage.id] = stage.room.over_time(stage)
        shown = self._over_time[stage.id].shows(what, OfStage(self, stage, on))
        if shown is None:
            return None
        ends = [line for line in (shown.low, shown.high) if line is not None]
        low, high = (None if line is None else line.value for line in (shown.low, shown.high))
        return Band(low, high, ends[0].unit, (*shown.before, *ends))

    def tells(self, key: str, size: float | None = None) -> float:
        """What a reading of a key tells apart, canonical; where no test is known, a share of its usual value, or of ``size``."""
        taken = SeriesKey.of(key)
        what, base = taken.name, taken.what
        for known, name in ((self.expected.tells, base), (_TABLE["tells"], base), (_TABLE["tells"], what)):
            if name in known:
                return float(known[name])
        return float(_TABLE["tells"]["share"]) * (self.readings.usual.get(key, 1.0) if size is None else size)

    def lamp_life(self, stage: StageRun[Any]) -> float:
        """Hours after which a lamp is old."""
        task = self.tasks.get(f"{stage.id}/lamp")
        return float((task and task.row.hours) or mark("uv", "lamp_life"))

    def lamp_age(self, stage: StageRun[Any], on: dt.date | None = None) -> float:
        """Hours that the lamp had burnt on a day, by its counter, or by days as if always lit."""
        day = self.as_of if on is None else on
        points = self.readings.since(f"{stage.id}.lamp_hours", day)
        if points:
            return points[-1][1]
        lamps = [entry.on for entry in self.readings.log.services.get(f"{stage.id}/lamp", []) if entry.on <= day]
        return max((day - max(lamps, default=self.readings.log.started_on)).days, 0) * 24.0


class OfStage:
    """The log as one stage asks for it on a day: what `train.monitored.LogOfStage` promises."""

    def __init__(self, state: SeriesState, stage: StageRun[Any], on: dt.date):
        self._state, self._stage, self._on = state, stage, on

    @property
    def on(self) -> dt.date:
        return self._on

    @property
    def lamp_age(self) -> float:
        return self._state.lamp_age(self._stage, self._on)

    @property
    def lamp_life(self) -> float:
        return self._state.lamp_life(self._stage)

    def first(self, what: str) -> tuple[dt.date, float] | None:
        return next(iter(self._state.readings.since(f"{self._stage.id}.{what}", self._on)), None)

    def begun(self, what: str) -> dt.date:
        days = [day for day in self._state.readings.services(f"{self._stage.id}.{what}") if day <= self._on]
        return days[-1] if days else self._state.readings.log.started_on

    def tells(self, what: str) -> float:
        return self._state.tells(f"x.{what}")

    def warmth(self) -> float | None:
        read = sorted([*self._state.readings.points(f"{SOURCE}.temperature"), *self._state.readings.points(f"{self._stage.id}.temperature_in")])
        near = [value for day, value in read if 0 <= (self._on - day).days <= mark("log", "near")]
        return near[-1] if near else None
