"""Runs water through a train, stage by stage, and remembers what each one does to a water."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, NamedTuple

from ..chemistry.water import Water
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
        self._sized: dict[tuple[Room[Any], Any, Water], Passed] = {}
        self._other: dict[tuple[Room[Any], Any, Water, Water], Water] = {}

    def through(self, room: Room[Any], keys: Any, water: Water) -> Passed:
        """Size a stage for the water that arrives and treat it."""
        known = (room, keys, water)
        found = self._sized.get(known)
        if found is None:
            if len(self._sized) > MOST_REMEMBERED:
                self._sized.clear()
                self._other.clear()
            sizing = room.sized(keys, water, self.duty)
            out = room.treat(keys, sizing, water, self.duty)
            found = self._sized[known] = Passed(sizing, out, *room.loss(keys, sizing, self.duty.flow, water.temperature))
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

    def as_sized(self, room: Room[Any], keys: Any, sizing: Sizing, sized_for: Water, water: Water) -> Water:
        """What a stage that was sized for one water does to another."""
        known = (room, keys, sized_for, water)
        found = self._other.get(known)
        if found is None:
            found = self._other[known] = room.treat(keys, sizing, water, self.duty)
        return found

    def run(self, train: Sequence[Stage[Any]], adverse: Water, mild: Water) -> TrainRun:
        """The train as it runs on the adverse water, with the mild one beside it."""
        runs: list[StageRun[Any]] = []
        here, beside = adverse, mild
        tap: Water | None = None
        for index, stage in enumerate(train):
            room, keys = stage.room, stage.keys
            branch, mild_branch = (runs[-1].water_out, runs[-1].mild_out) if runs and runs[-1].at_tap else (None, None)
            met, mild_met = self.arriving(room, keys, here, branch), self.arriving(room, keys, beside, mild_branch)
            sizing, out, clean, dirty = self.through(room, keys, met)
            mild_out = out if mild_met == met else self.as_sized(room, keys, sizing, met, mild_met)
            runs.append(StageRun(index, stage.id, keys, room, sizing, met, out, mild_met, mild_out, clean, dirty))
            if room.at_tap(keys):
                tap = out
            else:
                here, beside = out, mild_out
        return TrainRun(tuple(runs), adverse, here, beside, self.drawn(here) if tap is None else tap)
