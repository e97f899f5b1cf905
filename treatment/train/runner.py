"""Runs water through a train, stage by stage, and remembers what each one does to a water."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from typing import Any, NamedTuple

from ..chemistry.water import Water
from ..house.demand import Demand, behind_a_pump, feeding
from ..house.duty import Duty
from .treatment import Sizing, Stage, StageRun, TrainRun, Treatment

MOST_REMEMBERED = 5000


class Passed(NamedTuple):
    """What a stage does to a water: its sizing, and the water out."""

    sizing: Sizing
    water: Water


class Walk(NamedTuple):
    """One water through a train: what meets and leaves each stage, what the house gets, what the last tap gives."""

    met: tuple[tuple[Water, Water], ...]
    house: Water
    tap: Water


class Runner:
    """Runs trains for one duty; remembers what a stage does to a water, so that searching is cheap."""

    def __init__(self, duty: Duty, plumbing: Mapping[str, float] | None = None):
        """plumbing: metals that pipe and fittings give to the water on its way to the tap [mg/L]."""
        self.duty, self._plumbing = duty, dict(plumbing or {})
        self._sized: dict[tuple[Treatment[Any], Any, Water, int], Passed] = {}
        self._other: dict[tuple[Treatment[Any], Any, Water, Water, int], Water] = {}
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
            if not stage.room.draws(stage.keys):
                continue
            fed = stage.room.fed(stage.keys, self._arrives(train, raw, found, index), found[index])
            if fed is not None:
                before = self._duty(fed, lambda fed=fed: feeding(self.duty.demand, *fed))  # type: ignore[misc]
                found[:index] = [each if other.at_tap else before for each, other in zip(found[:index], train[:index], strict=True)]
                self._pass_washes(train, raw, found, index, fed)
        return found

    def _arrives(self, train: Sequence[Stage[Any]], raw: Water, duties: Sequence[Duty], index: int) -> Water:
        """The water that reaches a stage of a train whose stages serve these duties."""
        here = raw
        for stage, duty in zip(train[:index], duties, strict=False):
            if not stage.at_tap:
                here = self.through(stage.room, stage.keys, here, duty).water
        return here

    def _pass_washes(self, train: Sequence[Stage[Any]], raw: Water, found: list[Duty], index: int, fed: tuple[float, float, float]) -> None:
        """What stands before a bed that is washed passes its wash, though the membrane behind them draws far less."""
        here, washes = raw, list[float]()
        for stage, duty in zip(train[:index], found, strict=False):
            sizing = self.through(stage.room, stage.keys, here, duty).sizing
            washed = sizing.bed is not None and stage.room.washes(stage.keys)
            washes.append(sizing.vessels.backwash_flow(here.temperature) if washed else 0.0)
            here = here if stage.at_tap else self.through(stage.room, stage.keys, here, duty).water
        for at, stage in enumerate(train[:index]):
            most = max(washes[at + 1 :], default=0.0)
            if most > fed[2] * 1.001 and stage.room.passes_washes(stage.keys) and not stage.at_tap:
                found[at] = self._duty((*fed, most), lambda most=most: feeding(self.duty.demand, *fed, most))  # type: ignore[misc]

    def _duty(self, key: tuple[float, ...], make: Callable[[], Demand]) -> Duty:
        if key not in self._duties:
            self._duties[key] = replace(self.duty, demand=make())
        return self._duties[key]

    def through(self, room: Treatment[Any], keys: Any, water: Water, duty: Duty | None = None) -> Passed:
        """Size a stage for the water that arrives and treat it. duty: what it serves, where that is not the house."""
        duty = duty or self.duty
        known = (room, keys, water, id(duty))
        found = self._sized.get(known)
        if found is None:
            if len(self._sized) > MOST_REMEMBERED:
                self._sized.clear()
                self._other.clear()
            sizing = room.sized(keys, water, duty)
            found = self._sized[known] = Passed(sizing, room.treat(keys, sizing, water, duty))
        return found

    def drawn(self, water: Water) -> Water:
        """A water as it comes from the tap: with what pipe and fittings give it."""
        more = {name: value for name, value in self._plumbing.items() if value > water.value(name)}
        return water.with_(**more) if more else water

    def arriving(self, room: Treatment[Any], keys: Any, water: Water, branch: Water | None = None) -> Water:
        """The water that reaches a treatment: that of the house; at a tap what the branch brings, else what has been through the pipe.

        branch: what the unit just before it left, where that stands on a branch to a tap.
        """
        if not room.at_tap(keys):
            return water
        return self.drawn(water) if branch is None else branch

    def as_sized(self, room: Treatment[Any], keys: Any, sizing: Sizing, sized_for: Water, water: Water, duty: Duty | None = None) -> Water:
        """What a stage that was sized for one water does to another."""
        duty = duty or self.duty
        known = (room, keys, sized_for, water, id(duty))
        found = self._other.get(known)
        if found is None:
            found = self._other[known] = room.treat(keys, sizing, water, duty)
        return found

    def run(self, train: Sequence[Stage[Any]], adverse: Water, mild: Water) -> TrainRun:
        """The train as it runs on the adverse water, with the mild one beside it."""
        passed: list[Passed] = []
        duties = self.duties(train, adverse)

        def size(index: int, met: Water) -> Water:
            passed.append(self.through(train[index].room, train[index].keys, met, duties[index]))
            return passed[-1].water

        def beside(index: int, met: Water) -> Water:
            water, out = adverse_walk.met[index]
            stage = train[index]
            return out if met == water else self.as_sized(stage.room, stage.keys, passed[index].sizing, water, met, duties[index])

        adverse_walk = self._walk(train, adverse, size)
        mild_walk = self._walk(train, mild, beside)
        runs = [
            StageRun(
                i,
                stage.id,
                stage.keys,
                stage.room,
                by.sizing,
                *one,
                *other,
                *stage.room.loss(stage.keys, by.sizing, duty.flow, one[0].temperature),
                duty,
            )
            for i, (stage, by, one, other, duty) in enumerate(zip(train, passed, adverse_walk.met, mild_walk.met, duties, strict=True))
        ]
        return TrainRun(tuple(runs), adverse, adverse_walk.house, mild_walk.house, adverse_walk.tap)

    def carried(self, run: TrainRun, raw: Water) -> Walk:
        """What a train, sized as it is, does to another water than it was sized for."""
        stages = run.stages
        return self._walk(stages, raw, lambda i, met: stages[i].room.treat(stages[i].keys, stages[i].sizing, met, stages[i].duty))

    def _walk(self, train: Sequence[Stage[Any] | StageRun[Any]], raw: Water, treat: Callable[[int, Water], Water]) -> Walk:
        """A water through a train, stage by stage; a branch to a tap leaves the water of the house as it is."""
        met: list[tuple[Water, Water]] = []
        here, tap, branch = raw, None, None
        for index, stage in enumerate(train):
            arrives = self.arriving(stage.room, stage.keys, here, branch)
            out = treat(index, arrives)
            met.append((arrives, out))
            if stage.room.at_tap(stage.keys):
                tap = branch = out
            else:
                here, branch = out, None
        return Walk(tuple(met), here, self.drawn(here) if tap is None else tap)
