"""A stage in its year: day by day people renew what is due, it decides at its hour, and the day's slugs pass."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from ..operation.maintenance.upkeep import Task
from ..train.over_time import Night, OverTime, State, Stock, Storing, Wash
from ..train.treatment import StageRun
from .household import MINUTES, Array
from .scenarios import DayHappens
from .slugs import AtStage, Conditions, DesignChange, Passing, Stream, Weighed, Weights, weighed

#: what a year weighs from end to end, beside water itself
WEIGHED = ("hardness", "iron", "chlorine")
#: stocks whose use is counted as the steps go
COUNTED = ("bed_left", "lamp_hours", "solution")


@dataclass(frozen=True, slots=True)
class YearEvent:
    """Something that happened: minutes after the start, the stage (or None for the house), its kind, and words."""

    at: float
    stage: str | None
    kind: str
    message: str


class Ledger:
    """What goes in and out over the days: litres by way, and grams of what is weighed."""

    def __init__(self, weighing: Sequence[Weighed], days: int):
        self.weighing = weighing
        self.litres = dict.fromkeys(("taken", "taps", "drain"), 0.0)
        self.grams = {name: np.zeros(len(WEIGHED)) for name in ("taken", "given", "taps", "drain")}
        self.drained = np.zeros(days)

    def grams_of(self, water: Array, litres: Array | float) -> Array:
        """Grams of what is weighed in so many litres of each column, a row each."""
        return np.array([weighed(water, weights) * litres for weights in self.weighing])

    def goes(self, way: str, litres: Array, grams: Array) -> None:
        """Count water that goes a way, day by day. grams: a row for each of what is weighed."""
        self.litres[way] += float(litres.sum())
        self.grams[way] += grams.sum(axis=1)
        if way == "drain":
            self.drained += litres


@dataclass(slots=True)
class Kept:
    """What is kept of a stage. series: name -> unit and least, mean, most for each day; dirt: by day; events by kind."""

    series: dict[str, tuple[str, list[tuple[float, float, float]]]] = field(default_factory=dict)
    dirt: list[float] = field(default_factory=list)
    events: dict[str, int] = field(default_factory=dict)
    stays: Array = field(default_factory=lambda: np.zeros(len(WEIGHED)))
    bought: dict[str, float] = field(default_factory=dict)
    used: dict[str, float] = field(default_factory=dict)
    drained: float = 0.0
    energy: float = 0.0
    intervals: list[float] = field(default_factory=list)
    lives: list[float] = field(default_factory=list)

    def count(self, kind: str, more: int = 1) -> None:
        """One event of a kind more."""
        self.events[kind] = self.events.get(kind, 0) + more

    def keep(self, name: str, unit: str, values: tuple[float, float, float]) -> None:
        """Keep a day of a series."""
        self.series.setdefault(name, (unit, []))[1].append(values)


@dataclass(frozen=True)
class House:
    """What all stages of a year share. wash: flow the source gives for a wash [L/min], endless from a mains."""

    weights: Weights
    happens: Sequence[DayHappens]
    conditions: Conditions
    wash: float


class Place:
    """A stage in its year."""

    def __init__(self, stage: StageRun[Any], house: House, tasks: Mapping[str, Task], hour: float | None, begin: State):
        self.stage, self.house, self.hour = stage, house, hour
        self.over_time: OverTime[Any] = stage.room.over_time(stage)
        self.change = DesignChange(house.weights.names, stage.water_in.known(), stage.water_out.known())
        self.store = self.over_time if isinstance(self.over_time, Storing) else None
        self.first: dict[str, float] = {**self.over_time.new(), **{name: value for name, value in begin.items() if name in self.over_time.new()}}
        self.every = {stock.name: _days(tasks.get(f"{stage.id}/{stock.renewed_by}")) for stock in self.over_time.stocks if stock.renewed_by}
        self.fresh = np.array([stage.water_out.known().get(name, 0.0) for name in house.weights.names])
        self.again()

    def again(self) -> None:
        """Back to the first day."""
        self.state: State = dict(self.first)
        self.since = dict.fromkeys(self.every, 0.0)
        self.washed_since = 0.0
        self.kept = Kept()
        self.events: list[YearEvent] = []
        self.washes: dict[int, tuple[Wash, float]] = {}
        self._gone: list[tuple[int, float]] = []
        self.mix = self.fresh.copy()
        self.last_at: AtStage | None = None

    @property
    def id(self) -> str:
        return self.stage.id

    @property
    def wash_litres(self) -> Array:
        """What its washes take each day [L]."""
        litres = np.zeros(len(self.house.happens))
        for day, (wash, _) in self.washes.items():
            litres[day] = wash.litres
        return litres

    def tell(self, at: float, kind: str, message: str) -> None:
        """Write down what happened."""
        self.events.append(YearEvent(at, self.id, kind, message))
        self.kept.count(kind)

    # --- at night -----------------------------------------------------------------------------------------------------
    def night(self, day: int) -> None:
        """People do what is due; then the stage decides at its hour."""
        happens = self.house.happens[day]
        for stock in self.over_time.stocks:
            if not stock.renewed_by:
                continue
            self.since[stock.name] += 1.0
            forgotten = not happens.salt if stock.name == "salt" else not happens.filters
            if not forgotten and (stock.past(self.state[stock.name]) or self.since[stock.name] > self.every[stock.name]):
                self._renew(stock, day)
        if self.hour is not None:
            self._decide(day, happens)

    def _renew(self, stock: Stock, day: int) -> None:
        amount = abs(stock.start - self.state[stock.name])
        self.since[stock.name] = 0.0
        if amount <= 1e-9:
            return
        self.state = {**self.state, stock.name: stock.start}
        name = stock.name.replace("_", " ")
        if stock.rises:
            self.kept.count(f"{stock.event}:{stock.renewed_by}")
            self.kept.lives.append(amount)
            self._gone.append((day, 1.0))
        else:
            self.kept.bought[stock.name] = self.kept.bought.get(stock.name, 0.0) + amount
        self.tell(day * MINUTES + 600, stock.event, f"{name}: renewed" if stock.rises else f"{name}: filled up with {amount:.3g} {stock.unit}")

    def _decide(self, day: int, happens: DayHappens) -> None:
        self.washed_since += 1.0
        assert self.hour is not None
        hour, cut = (self.hour + happens.shift) % 24, happens.cut
        if self.over_time.powered and cut is not None and cut[0] <= hour * 60 < cut[1]:
            return
        wash = self.over_time.decides(self.state, Night(self.washed_since, happens.raw_setting))
        if wash is None:
            return
        given, begun = self.house.wash * happens.weak * happens.yields, day * MINUTES + hour * 60
        lifted = 1.0 if wash.flow <= given * 1.005 or wash.flow <= 0 else given / wash.flow
        salt = self.state.get("salt", 0.0)
        self.state = self.over_time.washed(self.state, wash, lifted)
        used = salt - self.state.get("salt", 0.0)
        self.kept.used["salt"] = self.kept.used.get("salt", 0.0) + used
        self.tell(begun, wash.kind, wash.message)
        self.kept.count(wash.kind, wash.times - 1)
        if "salt" in self.state and used <= 1e-9:
            self.tell(begun, "no_salt", "regenerated without salt: the resin stays exhausted")
            lifted = 0.0
        elif lifted < 0.9:
            self.tell(begun, "weak_wash", f"its wash was given {lifted:.0%} of the flow it needs")
        self._gone.append((day, lifted))
        self.kept.intervals.append(self.washed_since / wash.times)
        self.washed_since = 0.0
        self.washes[day] = wash, hour * 60

    # --- by day -------------------------------------------------------------------------------------------------------
    def passes(self, stream: Stream, ledger: Ledger) -> Stream:
        """Let all days pass: the stream behind it."""
        at = AtStage(self.house.weights, stream, self.change.of(stream.water), self.house.conditions)
        out, self.last_at = _Out(stream, at.treated), at
        for day in range(stream.days):
            self.night(day)
            slugs = Passing(at, day)
            passed = self._step(slugs)
            if passed.values:
                out.sets(day, {at.weights.row[name]: values for name, values in passed.values.items() if name in at.weights.row})
            untreated = passed.untreated
            if day in self.washes and self.over_time.bypasses:
                wash, begun = self.washes[day]
                times = stream.at[stream.bounds[day] : stream.bounds[day + 1]]
                drawn = (times >= begun) & (times < begun + wash.minutes)
                if drawn.any():
                    untreated = np.maximum(untreated, drawn)
            if not (isinstance(untreated, float) and untreated == 0.0):
                out.lets_by(day, untreated)
        behind = stream.with_water(out.water)
        if behind.water is not stream.water:
            self.weighs(stream.masses(ledger.weighing) - behind.masses(ledger.weighing), ledger)
        return behind

    def _step(self, slugs: Passing) -> Any:
        """Take a step, and count what it used up or ran."""
        passed = self.over_time.step(self.state, slugs)
        for name in COUNTED:
            if name in self.first:
                self.kept.used[name] = self.kept.used.get(name, 0.0) + abs(passed.state[name] - self.state[name])
        self.state = passed.state
        self.kept.energy += passed.energy
        for name, told in passed.told.items():
            self.kept.keep(name, "mJ/cm2", told)
        self.kept.dirt.append(self.over_time.dirt(self.state))
        for name, (value, unit) in self.over_time.watched(self.state).items():
            self.kept.keep(name, unit, (value, value, value))
        return passed

    def weighs(self, grams: Array, ledger: Ledger) -> None:
        """What it took from the water of each day stays in it until a wash or a change; what it gave to it is counted as given."""
        ledger.grams["given"] += np.maximum(-grams, 0.0).sum(axis=1)
        took, begin = np.maximum(grams, 0.0), 0
        for day, share in self._gone:
            self.kept.stays = self.kept.stays + took[:, begin:day].sum(axis=1)
            ledger.grams["drain"] += self.kept.stays * share
            self.kept.stays = self.kept.stays * (1 - share)
            begin = day
        self.kept.stays = self.kept.stays + took[:, begin:].sum(axis=1)

    def stands(self, stream: Stream, made: Array, drawn: Array, levels: Array, ledger: Ledger) -> Array:
        """Water made into a tank mixes with what stands there; a membrane lets the rest run to the drain. made, drawn: L a day.

        levels: at the end of each day [L]. The water that leaves, a column a day.
        """
        mean = stream.mean()
        out = self.change.of(mean)
        at = AtStage(self.house.weights, stream.with_water(mean), out, self.house.conditions)
        mixed, level = np.empty_like(out), self.first["level"]
        for day in range(stream.days):
            self.night(day)
            self._step(Passing(at, day))
            if level + made[day] > 1e-9:
                self.mix = (self.mix * level + out[:, day] * made[day]) / (level + made[day])
            mixed[:, day] = self.mix
            level = float(levels[day])
        self.state = {**self.state, "level": level}
        lost = ledger.grams_of(mean, stream.litres) - ledger.grams_of(out, made)
        rejected = stream.litres - made
        if float(rejected.sum()) > 1e-6:
            ledger.goes("drain", rejected, lost)
            self.kept.drained += float(rejected.sum())
        else:
            self.weighs(lost, ledger)
        return mixed

    def stood(self, ledger: Ledger) -> Array:
        """Grams of what is weighed that stand in its tank more than at first."""
        more = self.mix * self.state["level"] - self.fresh * self.first["level"]
        return ledger.grams_of(more[:, None], 1.0)[:, 0]


class _Out:
    """The water behind a stage: as designed, patched where a state says otherwise."""

    def __init__(self, stream: Stream, treated: Array):
        self.stream, self.water, self.alike = stream, treated, stream.alike

    def _own(self) -> Array:
        if self.water is self.stream.water:
            self.water = self.water.copy()
        return self.water

    def _each(self) -> None:
        if self.alike:
            self.water = np.repeat(self.water, np.diff(self.stream.day), axis=1)
            self.alike = False

    def sets(self, day: int, values: Mapping[int, Any]) -> None:
        """Rows whose value the stage works out itself."""
        one, other = self.stream.bounds[day], self.stream.bounds[day + 1]
        for row, value in values.items():
            if np.ndim(value) and self.alike:
                self._each()
            if self.alike:
                self._own()[row, day] = value
            else:
                self._own()[row, one:other] = value

    def lets_by(self, day: int, share: Any) -> None:
        """A share of the water passes as it came."""
        one, other = self.stream.bounds[day], self.stream.bounds[day + 1]
        if np.ndim(share):
            self._each()
        came = self.stream.water[:, day : day + 1] if self.stream.alike else self.stream.water[:, one:other]
        columns = slice(day, day + 1) if self.alike else slice(one, other)
        water = self._own()
        water[:, columns] += share * (came - water[:, columns])


def _days(task: Task | None) -> float:
    """The days after which people do a task whatever it looks like; by hours of run the mark decides."""
    return float("inf") if task is None or task.unit != "day" else float(task.every)
