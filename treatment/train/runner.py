"""Runs water through a train, stage by stage, and remembers what each one does to a water."""

from __future__ import annotations

from collections.abc import Sequence
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

    def __init__(self, duty: Duty):
        self.duty = duty
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
            sizing, out, clean, dirty = self.through(room, keys, here)
            mild_out = out if beside == here else self.as_sized(room, keys, sizing, here, beside)
            runs.append(StageRun(index, stage.id, keys, room, sizing, here, out, beside, mild_out, clean, dirty))
            if room.at_tap(keys):
                tap = out
            else:
                here, beside = out, mild_out
        return TrainRun(tuple(runs), adverse, here, beside, here if tap is None else tap)
