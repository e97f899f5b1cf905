"""What a step reads and names: what to expect, and the amounts of the sheet, from the design's own figures with their working."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

from ..language.analytes import MICROBES, analytes
from ..language.figure import Line, stated, work
from ..language.log_keys import LogKey, log_key
from ..language.tables import table
from ..planning.evaluated import EvaluatedTrain
from ..train.pressure import losses_at, pressure_along
from ..train.treatment import StageRun
from .step import Step


@dataclass(frozen=True, slots=True)
class ExpectedReading:
    """A reading to take. key: as a log names it; low, high: what is expected, in its canonical unit, None where that end is open.

    working: how both were found.
    """

    key: LogKey
    low: float | None
    high: float | None
    working: tuple[Line, ...]

    def holds(self, low: float, high: float | None = None) -> bool:
        """Whether a value, or an interval that a test left, may lie within what is expected."""
        most = low if high is None else high
        return (self.low is None or most >= self.low) and (self.high is None or low <= self.high)


class Expectations:
    """What a train's own figures let one expect at each step."""

    def __init__(self, variant: EvaluatedTrain):
        self.variant = variant
        self.ids = [stage.id for stage in variant.run.stages]
        self.tells: dict[str, float] = table("commissioning")["tells"]
        self.slack: dict[str, float] = table("commissioning")["expected"]

    def of(self, step: Step) -> tuple[ExpectedReading, ...]:
        """The readings of a step; none where it has none, or where this train leaves nothing to read."""
        found: list[ExpectedReading] = []
        for word in step.row.readings:
            if step.stage is None:
                found += PLACE[word](self)
            else:
                found += UNIT[word](self, step.stage)
        return tuple(found)

    def _reading(self, key: str, low: Line | None, high: Line | None, *before: Line) -> ExpectedReading:
        lines = tuple(line for line in (*before, low, high) if line is not None)
        return ExpectedReading(log_key(key, self.ids), None if low is None else low.value, None if high is None else high.value, lines)

    # --- water --------------------------------------------------------------------------------------------------------
    def changes(self, stage: StageRun[Any]) -> Iterator[ExpectedReading]:
        """What the unit changes by more than a test in the field tells apart, behind it: at most, or at least, so much."""
        before, after, mild = (water.known() for water in (stage.water_in, stage.water_out, stage.mild_out))
        for name, tells in self.tells.items():
            if name not in before or name not in after or abs(after[name] - before[name]) <= tells:
                continue
            key = log_key(f"{stage.id}.{name}_out", self.ids)
            ends = {"one": (after[name], key.unit), "other": (mild.get(name, after[name]), key.unit), "tells": (tells, key.unit)}
            most = work("most", "max(one, other) + tells", key.unit, "commissioning.readings", **ends)
            both = after[name] > before[name] or analytes()[name].adverse == "low"
            least = work("least", "max(0, min(one, other) − tells)", key.unit, "commissioning.readings", **ends) if both else None
            yield self._reading(key.key, least, most)

    def taps(self) -> Iterator[ExpectedReading]:
        """What the job needs at the tap, where a test in the field tells it: within its limits."""
        for need in self.variant.audit.needs:
            if need.goal in MICROBES or need.goal not in self.tells or need.mark:
                continue
            if need.standing and need.goal == "ph" and abs(self.variant.run.finished.ph - self.variant.run.raw.ph) < self.tells["ph"]:
                continue  # every water within the limits has this need; it is read where the train changes it
            key = log_key(f"tap.{need.goal}", self.ids)
            low, high = (
                None if end is None else stated(name, "limit", end, key.unit, "commissioning.readings")
                for name, end in (("least", need.low), ("most", need.bound_in(self.variant.run.finished)))
            )
            yield self._reading(key.key, low, high)

    def microbes(self) -> Iterator[ExpectedReading]:
        """None at all: present is present."""
        for name in MICROBES[:2]:
            key = log_key(f"tap.{name}", self.ids)
            yield self._reading(key.key, None, stated("most", "absent", 0.0, key.unit, "commissioning.boil_water"))

    # --- pressure -----------------------------------------------------------------------------------------------------
    @cached_property
    def _resting(self) -> list[float]:
        """Pressure [kPa] at the same places where no water is drawn and the source is at its highest."""
        duty = self.variant.audit.duty
        high = replace(duty, supply=replace(duty.supply, pressure_low=duty.supply.pressure_high))
        return pressure_along(self.variant.run, high, losses_at(self.variant.run, high, self.variant.audit.piping, 0.0, [0.0] * len(self.ids)))

    def pressure(self, key: str, place: int) -> ExpectedReading:
        """Pressure at a place along the train, source 0: between the design's own at design flow and what stands there at rest."""
        gauge = (self.slack["gauge"], "kPa")
        flowing = (max(self.variant.pressure.points[place].clean, 0.0), "kPa at design flow")
        resting = (max(self._resting[place], 0.0), "kPa with no water running")
        least = work("least", "max(0, flowing − gauge)", "kPa", "commissioning.readings", flowing=flowing, gauge=gauge)
        most = work("most", "max(flowing, resting) + gauge", "kPa", "commissioning.readings", flowing=flowing, resting=resting, gauge=gauge)
        return self._reading(key, least, most)

    def pressures(self, stage: StageRun[Any]) -> Iterator[ExpectedReading]:
        """Before and behind the unit: between the design's own at design flow and what stands there at rest; none where it stands open."""
        for what, place in (("pressure_in", stage.index + 1), ("pressure_out", stage.index + 2)):
            if not stage.at_tap and max(self._resting[place], self.variant.pressure.points[place].clean) > 0:
                yield self.pressure(f"{stage.id}.{what}", place)

    def resting(self) -> Iterator[ExpectedReading]:
        """At the source with no water drawn: between cut-in and cut-out."""
        supply, gauge = self.variant.audit.duty.supply, (self.slack["gauge"], "kPa")
        yield self._reading(
            "source.pressure",
            work("least", "cut_in − gauge", "kPa", "commissioning.readings", cut_in=(supply.pressure_low, "kPa"), gauge=gauge),
            work("most", "cut_out + gauge", "kPa", "commissioning.readings", cut_out=(supply.pressure_high, "kPa"), gauge=gauge),
        )

    # --- what a unit is set to ----------------------------------------------------------------------------------------
    def backwash(self, stage: StageRun[Any]) -> Iterator[ExpectedReading]:
        """The flow to drain: what lifts the bed, at least."""
        if "backwash_flow" in stage.figures:
            need = stage.figures["backwash_flow"]
            yield self._reading(f"{stage.id}.backwash_flow", stated("least", "need", need.value, need.unit), None, *need.working)

    def brine(self, stage: StageRun[Any]) -> Iterator[ExpectedReading]:
        """How high the first water stands in the brine tank before the salt: one refill."""
        fill, wide = refill(stage), (table("vessels")["brine_tank_mm"]["width"] / 1000, "m")
        if fill is not None:
            height = work("height", "refill ÷ 1000 ÷ wide^2", "m", "commissioning.readings", refill=(fill.value, "L"), wide=wide)
            yield self._around(f"{stage.id}.brine_level", height, fill)

    def feed(self, stage: StageRun[Any]) -> Iterator[ExpectedReading]:
        """The rate of the dosing pump."""
        if "pump_rate" in stage.figures:
            rate = stage.figures["pump_rate"]
            litres = work("flow", "rate ÷ 1000", "L/min", "commissioning.readings", rate=(rate.value, rate.unit))
            yield self._around(f"{stage.id}.flow", litres, *rate.working)

    def membrane(self, stage: StageRun[Any]) -> Iterator[ExpectedReading]:
        """Permeate and reject."""
        for what, name in (("permeate_flow", "output"), ("reject_flow", "reject_flow")):
            if name in stage.figures:
                daily = stage.figures[name]
                flow = work("flow", "daily ÷ 1440", "L/min", "commissioning.readings", daily=(daily.value, daily.unit))
                yield self._around(f"{stage.id}.{what}", flow, *daily.working)

    def residual(self, stage: StageRun[Any]) -> Iterator[ExpectedReading]:
        """The free chlorine that a feed leaves behind it: as designed, give or take what a test tells and a share."""
        left = stage.water_out.get("free_chlorine")
        if left:
            key, tells = log_key(f"{stage.id}.free_chlorine_out", self.ids), (self.tells["free_chlorine"], "mg/L")
            share = (self.slack["residual_share"], "")
            least = work(
                "least", "max(tells, left × (1 − share))", key.unit, "commissioning.readings", left=(left, key.unit), share=share, tells=tells
            )
            most = work("most", "left × (1 + share) + tells", key.unit, "commissioning.readings", left=(left, key.unit), share=share, tells=tells)
            yield self._reading(key.key, least, most)

    def hours(self, stage: StageRun[Any]) -> Iterator[ExpectedReading]:
        """A counter just set to zero."""
        yield self._reading(
            f"{stage.id}.lamp_hours", None, stated("most", "set to zero, an hour of trying", self.slack["hours_tried"], "hour", "commissioning.lamps")
        )

    def _around(self, key: str, line: Line, *before: Line) -> ExpectedReading:
        """So much more or less than a figure."""
        share, value = (self.slack["share"], ""), (line.value, line.unit)
        least = work("least", f"{line.symbol} × (1 − share)", line.unit, "commissioning.readings", **{line.symbol: value, "share": share})
        most = work("most", f"{line.symbol} × (1 + share)", line.unit, "commissioning.readings", **{line.symbol: value, "share": share})
        return self._reading(key, least, most, *before, line)


def refill(stage: StageRun[Any]) -> Line | None:
    """The water that makes the brine of one regeneration [L]; None where nothing is renewed with brine."""
    if "salt_per_regeneration" not in stage.figures:
        return None
    strength, salt = float(stage.duty.rows["softener"]["brine_lb_per_gal"]), stage.figures["salt_per_regeneration"].value
    return work("refill", "salt ÷ lb ÷ strength × US_gal", "L", "softener.cycle", salt=(salt, "kg"), strength=(strength, "lb/gal"))


#: words of the table -> the readings they stand for
UNIT: dict[str, Callable[[Expectations, StageRun[Any]], Iterator[ExpectedReading]]] = {
    "changes": Expectations.changes,
    "pressures": Expectations.pressures,
    "backwash": Expectations.backwash,
    "brine": Expectations.brine,
    "feed": Expectations.feed,
    "membrane": Expectations.membrane,
    "hours": Expectations.hours,
    "residual": Expectations.residual,
}
PLACE: dict[str, Callable[[Expectations], Iterator[ExpectedReading]]] = {
    "resting": Expectations.resting,
    "taps": Expectations.taps,
    "microbes": Expectations.microbes,
}
