"""What a stage should show by its own state on a day: what was used up, aged or fouled since its last service."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Sequence
from typing import Any

from ...commissioning.expected import Expectations
from ...language.figure import Line, stated, work
from ...language.log_keys import SOURCE
from ...language.tables import table
from ...planning.evaluated import EvaluatedTrain
from ...train.treatment import StageRun
from ..maintenance.upkeep import Task
from .band import Band, between, least, most
from .readings import Readings

_TABLE = table("upkeep")
_MARKS: dict[str, float] = _TABLE["marks"]


class SeriesState:
    """The state of a train's stages by a log."""

    def __init__(self, variant: EvaluatedTrain, tasks: Sequence[Task], readings: Readings, as_of: dt.date):
        self.readings, self.as_of = readings, as_of
        self.tasks = {task.id: task for task in tasks}
        self.expected = Expectations(variant)

    def band(self, stage: StageRun[Any], what: str, on: dt.date) -> Band | None:
        """What is expected of what is read at a stage, where it is no analyte; None where nothing is."""
        return READ[what](self, stage, on) if what in READ else None

    def tells(self, key: str, size: float | None = None) -> float:
        """What a reading of a key tells apart, canonical; where no test is known, a share of its usual value, or of ``size``."""
        what = key.rpartition(".")[2]
        base = what.removesuffix("_in").removesuffix("_out")
        for known, name in ((self.expected.tells, base), (_TABLE["tells"], base), (_TABLE["tells"], what)):
            if name in known:
                return float(known[name])
        return float(_TABLE["tells"]["share"]) * (self.readings.usual.get(key, 1.0) if size is None else size)

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
        """What a lamp of this age gives with a clean sleeve, less what a sensor tells apart, a few times over."""
        given = {
            "new": (_MARKS["intensity_new"], "%"), "old": (_MARKS["intensity_old"], "%"), "age": (self.lamp_age(stage, on), "hour"),
            "life": (self.lamp_life(stage), "hour"), "past": (_MARKS["lamp_past"], "of its hours"),
            "times": (_MARKS["light_tells"], "times"), "tells": (self.tells("x.intensity"), "%"),
        }  # fmt: skip
        low = work("least", "new − (new − old) × min(age ÷ life, past) − times × tells", "%", "upkeep.lamps", **given)
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


#: what is read at a stage that is no analyte -> what it should be
READ: dict[str, Callable[[SeriesState, StageRun[Any], dt.date], Band | None]] = {
    "pressure_drop": SeriesState._drop,
    "pressure_in": lambda state, stage, on: state._pressure(stage, "in"),
    "pressure_out": lambda state, stage, on: state._pressure(stage, "out"),
    "backwash_flow": SeriesState._backwash,
    "lamp_hours": SeriesState._hours,
    "intensity": SeriesState._light,
    "passage": SeriesState._passage,
    "normal_flow": SeriesState._normal_flow,
    "permeate_flow": SeriesState._permeate,
    "salt_level": SeriesState._salt,
    "medium_level": SeriesState._medium,
}
