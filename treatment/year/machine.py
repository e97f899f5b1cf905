"""Runs a train through its days: what is asked goes up from the taps to the source, then the water comes down from stage to stage.

What washes a bed, and what a membrane at a tap lets run off, only runs to a drain: as in the design's own figures it loads nothing
on its way. A tank behind which beds are washed is walked again until it gives what they took.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from ..language.analytes import analytes
from ..operation.maintenance.upkeep import upkeep
from ..planning.evaluated import EvaluatedTrain
from ..train.over_time import State
from .household import MINUTES, Array, Draws, household
from .place import WEIGHED, House, Ledger, Place, YearEvent
from .scenarios import DayHappens, Scenario, days_of
from .slugs import Conditions, Stream, Weights
from .source import Source, rain_by_day, source
from .tanks import Stood, by_hour, filling, stood

CHLORINE = ("total_chlorine", "free_chlorine")
#: what the steps of treatments look at, though nothing changes it
GUIDES = (*CHLORINE, "turbidity", "tss", "uvt", "nitrate", "sulfate", "manganese", "tannin")
NEAR = 0.05  # share by which the washes of two walks may differ
WALKS = 4  # how often tanks are walked again at the most


@dataclass(slots=True)
class Year:
    """A year as it ran: its draws and what of them was served [L], the water at the taps by draw, what each stage kept, what happened.

    branch: water at the drinking tap, a column a day; no_water: minutes of draw in each day that got nothing; empty: of an empty tank.
    """

    variant: EvaluatedTrain
    start: dt.date
    days: int
    seed: int
    scenarios: tuple[Scenario, ...]
    happens: list[DayHappens]
    draws: Draws
    served: Array
    source: Source
    names: tuple[str, ...]
    still: tuple[str, ...]
    places: list[Place]
    taps: Array
    branch: Array | None
    events: list[YearEvent]
    ledger: Ledger
    no_water: Array
    empty: Array

    def at_taps(self, analyte: str) -> Array:
        """An analyte at the taps, a value a draw; KeyError where it is not followed."""
        if analyte in self.names:
            return np.asarray(self.taps[self.names.index(analyte)])
        row = len(self.names) + self.still.index(analyte)
        return np.repeat(self.source.water[row], np.diff(self.draws.day))


class Machine:
    """One run of a train through its days."""

    def __init__(
        self, variant: EvaluatedTrain, start: dt.date, days: int, seed: int, scenarios: Sequence[Scenario] = (),
        begin: Mapping[str, State] | None = None, daily: float | None = None,
    ):  # fmt: skip
        """begin: where stocks stand, by stage id; daily: this house's own use where a meter told it [L/day]."""
        self.variant, self.start, self.days, self.seed, self.scenarios = variant, start, days, seed, tuple(scenarios)
        facts, duty = variant.audit.facts, variant.audit.duty
        self.happens = days_of(scenarios, days)
        self.draws = household(duty, start, days, seed, scenarios, daily)
        self.names, self.still = followed(variant)
        self.source = source(variant, (*self.names, *self.still), start, self.happens)
        self.raw = self.source.water[: len(self.names)]
        self.pumped = facts.source.kind != "town"
        self.rain = rain_by_day(facts, start, days, seed, self.source.yields) if facts.source.kind == "rain" else None
        conditions = Conditions(
            [day.cut for day in self.happens], [0.0 if day.dead else 1.0 for day in self.happens], self.source.temperature.tolist()
        )
        house = House(Weights(self.names), self.happens, conditions, duty.wash if self.pumped else float("inf"))
        tasks = {task.id: task for task in upkeep(variant)}
        self.places = [Place(stage, house, tasks, variant.hours.get(stage.id), (begin or {}).get(stage.id, {})) for stage in variant.run.stages]
        self.main = [place for place in self.places if not place.stage.at_tap]
        self.branch = [place for place in self.places if place.stage.at_tap]
        self.leaves = sum(place.stage.index < self.branch[0].stage.index for place in self.main) if self.branch else -1
        self.drinks = min(duty.drinking_daily / duty.daily, 0.9) if self.branch else 0.0
        counted = {"chlorine": next((name for name in CHLORINE if name in self.names), "")}
        self.weighing = [house.weights.grams(counted.get(name, name)) for name in WEIGHED]

    def run(self) -> Year:
        """Walk the days, tanks again where what was washed behind them changed what they gave."""
        first = next((index for index, place in enumerate(self.main) if place.store), len(self.main))
        washes = [np.zeros(self.days)] * len(self.main)
        for _ in range(WALKS):
            year, found = self._walk(washes), [place.wash_litres for place in self.main]
            if all(_near(one, other) for one, other in zip(washes[first + 1 :], found[first + 1 :], strict=True)):
                break
            washes = found
        return year

    def _walk(self, washes: list[Array]) -> Year:
        for place in self.places:
            place.again()
        served = self.draws.volume.copy()
        no_water = self._without_power(served)
        taps = Stream(served, self.draws.flow, self.draws.at % MINUTES, self.draws.day, self.raw)
        ledger = Ledger(self.weighing, self.days)
        streams, tanks = self._asked(taps, washes)
        empty = sum((tank.empty for tank in tanks.values()), np.zeros(self.days))
        finished, branch = self._down(streams, tanks, ledger)
        minutes = taps.sums((taps.volume - finished.volume / (1 - self.drinks)) / taps.flow)
        events = sorted((event for place in self.places for event in place.events), key=lambda event: event.at)
        return Year(
            self.variant, self.start, self.days, self.seed, self.scenarios, self.happens, self.draws, finished.volume, self.source, self.names, self.still, self.places,
            finished.each(), branch, events, ledger, no_water + minutes, empty,
        )  # fmt: skip

    def _without_power(self, served: Array) -> Array:
        """Take away what is drawn while the pump has no power; minutes of it in each day."""
        lost = np.zeros(self.days)
        if not self.pumped:
            return lost
        for day, happens in enumerate(self.happens):
            if happens.cut is None:
                continue
            inside = slice(int(self.draws.day[day]), int(self.draws.day[day + 1]))
            at = self.draws.at[inside] - day * MINUTES
            dark = (at >= happens.cut[0]) & (at < happens.cut[1])
            lost[day] = float((served[inside] / self.draws.flow[inside])[dark].sum())
            served[inside] = np.where(dark, 0.0, served[inside])
        return lost

    # --- up -----------------------------------------------------------------------------------------------------------
    def _asked(self, taps: Stream, washes: list[Array]) -> tuple[list[Stream], dict[int, Stood]]:
        """What passes each stage of the house, and what reaches the taps, last; how its tanks stand.

        Tanks are walked from the taps to the source, for what each is asked; then from the source to the taps, for what each is given.
        """
        tanks, here, wasted, asks = dict[int, Stood](), taps, np.zeros(self.days), dict[int, tuple[Array, Array]]()
        for index in range(len(self.main) - 1, -1, -1):
            place = self.main[index]
            if place.store is None:
                wasted = wasted + washes[index]
                continue
            asks[index] = by_hour(here), wasted
            tanks[index] = stood(place, *asks[index], self._makes(index), self._caught(place))
            here, wasted = filling(place, tanks[index], self.raw), np.zeros(self.days)
        given: Stood | None = None
        for index in sorted(tanks):
            if given is not None and given.empty.any():  # the tank before it could not give all that this one asked
                self.main[index].again()
                tanks[index] = stood(self.main[index], *asks[index], self._makes(index), None, tanks[index].made * given.share)
            given = tanks[index]
        finished = taps if given is None or not given.empty.any() else _served(taps, given)
        following = [min((at for at in tanks if at >= index), default=None) for index in range(len(self.main))]
        filled = {index: filling(self.main[index], tank, self.raw) for index, tank in tanks.items()}
        return [*(finished if at is None else filled[at] for at in following), finished], tanks

    def _makes(self, index: int) -> Array:
        """What a tank can be given in an hour of each day [L/h]: by its own unit, and by those that make water before it."""
        most = np.full(self.days, np.inf)
        for place in self.main[: index + 1]:
            if place.store is None:
                continue
            each = np.array([place.store.makes(float(warm)) for warm in self.source.temperature])
            most = np.minimum(most, each if place.stage.room.rejects else each * self.source.yields)
        return most

    def _caught(self, place: Place) -> Array | None:
        first = next((each for each in self.main if each.store is not None), None)
        return self.rain if place is first else None

    # --- down ---------------------------------------------------------------------------------------------------------
    def _down(self, streams: list[Stream], tanks: dict[int, Stood], ledger: Ledger) -> tuple[Stream, Array | None]:
        """The water from the source to the taps: what reaches them, and the water of the drinking tap."""
        here, raw, branch = streams[0], self.raw, None
        ledger.goes("taken", here.litres, here.masses(ledger.weighing))
        for index, place in enumerate(self.main):
            if index == self.leaves:
                here, branch = self._drinks(here, ledger)
            tank = tanks.get(index)
            if tank is None:
                here = place.passes(here, ledger)
                self._wasted(place.wash_litres, raw, ledger, tanks, index)
                place.kept.drained += float(place.wash_litres.sum())
                continue
            behind = streams[index + 1]
            made = tank.made.sum(axis=1)
            mixed = place.stands(here, made, behind.litres + tank.washes, tank.levels, ledger)
            ledger.goes("drain", tank.washes, ledger.grams_of(mixed, tank.washes))
            if tank.overflow.any():
                grams = ledger.grams_of(raw, tank.overflow)
                ledger.goes("taken", tank.overflow, grams)
                ledger.goes("drain", tank.overflow, grams)
            share = 1.0 if self.leaves < 0 or index < self.leaves else 1 - self.drinks
            here = behind.with_water(mixed).times(share)
        if self.leaves == len(self.main):
            here, branch = self._drinks(here, ledger)
        ledger.goes("taps", here.litres, here.masses(ledger.weighing))
        return here, branch

    def _wasted(self, litres: Array, water: Array, ledger: Ledger, tanks: dict[int, Stood], index: int) -> None:
        """What a wash draws from the source; behind a tank the tank has given it."""
        if not litres.any() or any(at < index for at in tanks):
            return
        grams = ledger.grams_of(water, litres)
        ledger.goes("taken", litres, grams)
        ledger.goes("drain", litres, grams)

    def _drinks(self, here: Stream, ledger: Ledger) -> tuple[Stream, Array]:
        """What leaves the house's pipe for the drinking tap, and what its branch makes of it."""
        duty = self.variant.audit.duty
        litres, days = here.litres * self.drinks, np.arange(self.days + 1)
        stream = Stream(litres, np.full(self.days, max(duty.drinking, 0.1)), np.full(self.days, 720.0), days, here.mean())
        for place in self.branch:
            if place.store is None:
                stream = place.passes(stream, ledger)
                continue
            rejected = litres * (place.store.tank.takes - 1)
            mixed = place.stands(stream, litres, litres, np.full(self.days, place.first["level"]), ledger)
            grams = ledger.grams_of(self.raw, rejected)
            ledger.goes("taken", rejected, grams)
            ledger.goes("drain", rejected, grams)
            place.kept.drained += float(rejected.sum())
            stream = stream.with_water(mixed)
        ledger.goes("taps", litres, stream.masses(ledger.weighing))
        return here.times(1 - self.drinks), stream.mean()


def _near(one: Array, other: Array) -> bool:
    """Whether two walks washed as much, if not on the same nights: what the tank gave is what counts."""
    return abs(float(one.sum() - other.sum())) <= NEAR * max(float(one.sum()), float(other.sum()))


def _served(stream: Stream, tank: Stood) -> Stream:
    """As much of a stream as a tank before it could serve."""
    hour = np.minimum(stream.at // 60, 23).astype(int)
    day = np.repeat(np.arange(stream.days), np.diff(stream.day))
    return Stream(stream.volume * tank.share[day, hour], stream.flow, stream.at, stream.day, stream.water)


def followed(variant: EvaluatedTrain) -> tuple[tuple[str, ...], tuple[str, ...]]:
    """The analytes that a year follows: those that are weighed or changed on the way; and those that have a limit and go through as they came."""
    limited = {limit.analyte for limit in variant.audit.limits}
    changed, known = {"hardness", "iron", "ph", *GUIDES}, set(variant.run.raw.known())
    for stage in variant.run.stages:
        one, other = stage.water_in.known(), stage.water_out.known()
        changed |= {name for name in other if abs(other[name] - one.get(name, 0.0)) > 1e-12}
        known |= set(other)
    moved = tuple(name for name in analytes() if name in known and name in changed and name != "temperature")
    return moved, tuple(name for name in analytes() if name in known and name in limited and name not in moved)
