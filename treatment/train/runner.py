"""Runs water through a train, stage by stage, and remembers what each one does to a water."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from typing import Any, NamedTuple

from ..chemistry.water import Water
from ..house.demand import Demand, behind_a_pump, feeding
from ..house.duty import Duty
from .room import Room, Sizing, Stage, StageRun, TrainRun

MOST_REMEMBERED = 5000


class Passed(NamedTuple):
    """What a stage does to a water: its sizing, the water out, pressure loss clean and dirty [kPa]."""

    sizing: Sizing
    water: Water
    clean: float
    dirty: float


class Runner:
    """Runs trains for one duty; remembers what a stage does to a water, so that searching is cheap."""

    def __init__(self, duty: Duty, plumbing: Mapping[str, float] | None = None):
        """plumbing: metals that pipe and fittings give to the water on its way to the tap [mg/L]."""
        self.duty, self._plumbing = duty, dict(plumbing or {})
        self._sized: dict[tuple[Room[Any], Any, Water, int], Passed] = {}
        self._other: dict[tuple[Room[Any], Any, Water, Water, int], Water] = {}
        self._duties: dict[tuple[float, ...], Duty] = {}

    def duties(self, train: Sequence[Stage[Any]], raw: Water) -> list[Duty]:
        """What each stage of a train serves: the house; behind a tank and its pump the whole peak; before a membrane its feed."""
        here, stored, found = self.duty, False, []
        for stage in train:
            stored = stored or stage.room.stores
            if stored and stage.room.pumps and self.duty.facts.source.kind != "rain":  # from a roof the flow told is the pump's
                here = self._duty((), lambda: behind_a_pump(self.duty.demand))
            found.append(here)
        for index, stage in enumerate(train):
            fed = stage.room.fed(stage.keys, raw, found[index])
            if fed is not None:
                before = self._duty(fed, lambda fed=fed: feeding(self.duty.demand, *fed))  # type: ignore[misc]
                found[:index] = [each if other.at_tap else before for each, other in zip(found[:index], train[:index], strict=True)]
        return found

    def _duty(self, key: tuple[float, ...], make: Callable[[], Demand]) -> Duty:
        if key not in self._duties:
            self._duties[key] = replace(self.duty, demand=make())
        return self._duties[key]

    def through(self, room: Room[Any], keys: Any, water: Water, duty: Duty | None = None) -> Passed:
        """Size a stage for the water that arrives and treat it. duty: what it serves, where that is not the house."""
        duty = duty or self.duty
        known = (room, keys, water, id(duty))
        found = self._sized.get(known)
        if found is None:
            if len(self._sized) > MOST_REMEMBERED:
                self._sized.clear()
                self._other.clear()
            sizing = room.sized(keys, water, duty)
            out = room.treat(keys, sizing, water, duty)
            found = self._sized[known] = Passed(sizing, out, *room.loss(keys, sizing, duty.flow, water.temperature))
        return found

    def drawn(self, water: Water) -> Water:
        """A water as it comes from the tap: with what pipe and fittings give it."""
        more = {name: value for name, value in self._plumbing.items() if value > water.value(name)}
        return water.with_(**more) if more else water

    def arriving(self, room: Room[Any], keys: Any, water: Water, branch: Water | None = None) -> Water:
        """The water that reaches a treatment: that of the house; at a tap what the branch brings, else what has been through the pipe.

        branch: what the unit just before it left, where that stands on a branch to a tap.
        """
        if not room.at_tap(keys):
            return water
        return self.drawn(water) if branch is None else branch

    def as_sized(self, room: Room[Any], keys: Any, sizing: Sizing, sized_for: Water, water: Water, duty: Duty | None = None) -> Water:
        """What a stage that was sized for one water does to another."""
        duty = duty or self.duty
        known = (room, keys, sized_for, water, id(duty))
        found = self._other.get(known)
        if found is None:
            found = self._other[known] = room.treat(keys, sizing, water, duty)
        return found

    def run(self, train: Sequence[Stage[Any]], adverse: Water, mild: Water) -> TrainRun:
        """The train as it runs on the adverse water, with the mild one beside it."""
        runs: list[StageRun[Any]] = []
        here, beside = adverse, mild
        tap: Water | None = None
        duties = self.duties(train, adverse)
        for index, stage in enumerate(train):
            duty = duties[index]
            room, keys = stage.room, stage.keys
            branch, mild_branch = (runs[-1].water_out, runs[-1].mild_out) if runs and runs[-1].at_tap else (None, None)
            met, mild_met = self.arriving(room, keys, here, branch), self.arriving(room, keys, beside, mild_branch)
            sizing, out, clean, dirty = self.through(room, keys, met, duty)
            mild_out = out if mild_met == met else self.as_sized(room, keys, sizing, met, mild_met, duty)
            runs.append(StageRun(index, stage.id, keys, room, sizing, met, out, mild_met, mild_out, clean, dirty, duty))
            if room.at_tap(keys):
                tap = out
            else:
                here, beside = out, mild_out
        return TrainRun(tuple(runs), adverse, here, beside, self.drawn(here) if tap is None else tap)
