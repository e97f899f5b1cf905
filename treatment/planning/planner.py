"""Composes the shortest train in which every feed limit holds and every need is met, and judges it like any other.

The search brings trains that meet every need, the cheapest first; each is audited. What a treatment costs, what it cannot
do without and where it never stands, its room says.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any, NamedTuple

from ..audit.rules import Finding
from ..evidence.gather import Evidence
from ..house.duty import Duty
from ..house.needs import Need
from ..language.analytes import MICROBES
from ..train.runner import Runner
from ..train.treatment import Stage, TrainRun, name_stages
from ..treatments import ROOMS
from .paths import Path, Remembered, Terms, weighs
from .reasons import why_not
from .search import Search

NEAREST = 3  # trains that are looked at where none meets every need
Score = tuple[float, ...]
AnyStage = Stage[Any]


@dataclass(frozen=True)
class Plan:
    """A composed train. complete: every need is met and no fault is left; why: tells of what is not used, when it is asked."""

    train: tuple[AnyStage, ...]
    complete: bool
    why: Callable[[], dict[str, str]]

    @cached_property
    def not_used(self) -> dict[str, str]:
        """Every treatment that is not in the train, and why not."""
        return self.why()


class Tests(NamedTuple):
    """How a train is judged. judge: its findings; pressed: how grave what more pressure would cure is; idle: the places of stages without a purpose."""

    judge: Callable[[list[AnyStage]], list[Finding]]
    pressed: Callable[[list[AnyStage]], frozenset[str]]
    idle: Callable[[list[AnyStage]], frozenset[int]]


class Planner:
    """One search, and how its trains are judged. terms: what it is composed by; remembered: by this job's searches before."""

    def __init__(
        self, duty: Duty, evidence: Evidence, needs: list[Need], runner: Runner, tests: Tests,
        terms: Terms | None = None, remembered: Remembered | None = None,
    ):  # fmt: skip
        self.judge, self.pressed, self.idle = tests
        self.duty, self.evidence, self.needs, self.runner = duty, evidence, needs, runner
        self.terms, self.remembered = terms or Terms(), remembered or Remembered()
        self.search = Search(duty, evidence.adverse, needs, runner, self.terms, self.remembered)
        self.row = self.search.row

    def plan(self) -> Plan:
        """The cheapest train that works; where none does, the one that leaves least undone."""
        best, train = self._best()
        if not works(best) and (knot := self.search.knot - self.terms.freed) and not self.terms.other:
            best, train = self._untied(knot, best, train)
        best, train = self._eased(best, train)
        if works(best) and (self.search.hurried or self.idle(name_stages(train))):
            train = self._lean(train)
        elif not works(best):
            train = self._lean(train, idle=True)
        named = tuple(name_stages(train))
        complete = works(best)
        return Plan(named, complete, lambda: why_not(named, self.search, self.duty, self.evidence, self.needs))

    def _best(self) -> tuple[Score, tuple[AnyStage, ...]]:
        best: Score = (float("inf"),)
        train: tuple[AnyStage, ...] = ()
        judged, near = Counter[int](), list[tuple[Score, Path]]()
        for path, least in self.search.paths():
            if works(best) and least >= best[-1]:
                break
            if judged[path.start] >= self.row["judged_most"]:
                continue
            unmet = self.search.unmet(path)
            if any(unmet):
                near.append(((*unmet, path.vetoed, path.price), path))
                continue
            if best[:3] == (0, 0, 0) and path.vetoed >= best[3]:
                continue  # what was found has no more faults than this one has limits passed
            judged[path.start] += 1
            for score, stages in self._judged(path):
                if score < best:
                    best, train = score, stages
            self.search.served = works(best)
        if not works(best) and not self.terms.other:
            for _, path in sorted(near, key=lambda scored: scored[0])[:NEAREST]:
                for score, stages in self._judged(self.search.finished(path)):
                    if score < best:
                        best, train = score, stages
        return best, train

    def _untied(self, knot: frozenset[str], best: Score, train: tuple[AnyStage, ...]) -> tuple[Score, tuple[AnyStage, ...]]:
        """The train in which treatments that keep each other out stand in the better order, its faults told; what was found where that helps nothing."""
        told, self.search = self.search, Search(
            self.duty, self.evidence.adverse, self.needs, self.runner, replace(self.terms, freed=self.terms.freed | knot), self.remembered
        )  # fmt: skip
        found, untied = self._best()
        if found < best:
            return found, untied
        self.search = told
        return best, train

    def _eased(self, best: Score, train: tuple[AnyStage, ...]) -> tuple[Score, tuple[AnyStage, ...]]:
        """The best train with what eases its strained stages before them, or in their place, where that leaves it no worse and costs less than the strain."""
        runner, raw = self.search.runner, self.search.raw
        for _ in range(2):
            run = runner.run(name_stages(train), raw, raw)
            strained = [(s.index, s.room.strain(s.keys, s.sizing, s.water_in, s.duty)) for s in run.stages]
            easier: list[tuple[Score, tuple[AnyStage, ...]]] = []
            whole = sum(weight for _, weight in strained)
            for at, strain in strained:
                if not strain:
                    continue
                stage = train[at]
                aids = [(aid, (*train[:at], aid, *train[at:]), weighs(aid)) for aid in stage.room.aids(stage.keys)]
                aids += [
                    (other, (*train[:at], other, *train[at + 1 :]), weighs(other) - weighs(stage))
                    for other in stage.room.instead(stage.keys, self.duty)
                ]
                for aid, other, more in aids:
                    if aid in train:
                        continue
                    eased = runner.run(name_stages(other), raw, raw)
                    if not all(need.met_by(eased.finished, eased.tap) for need in self.search.needs) and works(best):
                        continue
                    left = sum(s.room.strain(s.keys, s.sizing, s.water_in, s.duty) for s in eased.stages) - whole
                    faults = sum(finding.against_the_train for finding in self.judge(name_stages(other)))
                    easier.append(((*best[:3], faults, best[-1] + more + left), other))
            if not easier or min(easier, key=lambda scored: scored[0])[0] >= best:
                break
            best, train = min(easier, key=lambda scored: scored[0])
        return best, train

    def _lean(self, train: tuple[AnyStage, ...], idle: bool = False) -> tuple[AnyStage, ...]:
        """The train without what it does as well without: where the search was cut short, it need not be the shortest.

        idle: only what the audit calls unneeded, since a stage that does not meet its need may still lower what is in the water.
        """
        told, run, at = self._against(train), self._run(train), len(train)
        met = [need for need in self.search.needs if need.met_by(run.finished, run.tap)]
        tried = self.idle(name_stages(train)) if idle else None
        while at > 0:
            at -= 1
            if train[at].room.serves or self._asked_for(train[at]) or (tried is not None and at not in tried):
                continue
            first, last = self._with_it(train, run, at)
            other = (*train[:first], *train[last + 1 :])
            if not other or (self._refused(other) and not self._refused(train)):
                continue
            without = self._run(other)
            if not all(need.met_by(without.finished, without.tap) for need in met) or self._purposeful(run, at):
                continue
            if _wanted(other, without) >= _wanted(train, run) - {*train[first : last + 1]} and (left := self._against(other)) <= told:
                train, run, told, at = other, without, left, len(other)  # what served it may be idle now
                tried = self.idle(name_stages(train)) if idle else None
        return train

    def _run(self, train: tuple[AnyStage, ...]) -> TrainRun:
        """The raw water through a train."""
        return self.search.runner.run(name_stages(train), self.search.raw, self.search.raw)

    def _refused(self, train: tuple[AnyStage, ...]) -> bool:
        """Whether a stage would never have been put where it stands then."""
        return any(stage.room.refuses_after(stage.keys, train[:place], self.duty, self.search.raw) for place, stage in enumerate(train))

    def _with_it(self, train: tuple[AnyStage, ...], run: TrainRun, at: int) -> tuple[int, int]:
        """The first and the last place of a stage with what stands beside it for it alone."""
        stage = train[at]
        before, after = (
            {each.kind for each in side if each.room.serves} for side in stage.room.companions(stage.keys, run.stages[at].water_in, self.duty)
        )
        first, last = at, at
        while first > 0 and train[first - 1].kind in before:
            first -= 1
        while last + 1 < len(train) and train[last + 1].kind in after:
            last += 1
        return first, last

    def _asked_for(self, stage: AnyStage) -> bool:
        """Whether the train was to be made with it."""
        return self.terms.must and any(stage in block.own for block in self.terms.extra)

    def _purposeful(self, run: TrainRun, at: int) -> bool:
        """Whether a stage is there for something that no need shows."""
        stage = run.stages[at]
        return bool(stage.room.purposeful(stage, run, stage.duty, any(run.raw.value(name) > 0 for name in MICROBES)))

    def _against(self, train: tuple[AnyStage, ...]) -> frozenset[tuple[str, bool]]:
        """What is said against a train: faults that another one would mend, and cautions; each with whether it is a fault.

        What is a fault counts as a caution, too, so that a caution that becomes a fault is more than there was.
        """
        found = [each for each in self.judge(name_stages(train)) if each.against_the_train or each.severity == "caution"]
        return frozenset((each.rule, grave) for each in found for grave in {False, each.against_the_train})

    def _judged(self, path: Path) -> Iterable[tuple[Score, tuple[AnyStage, ...]]]:
        """A path audited; where the pressure is too low for it in larger housings, with a pump, or its own pump set higher, in the step that is enough.

        Larger housings come first where they leave less to say, since they cost little. Where a step is enough, what has too little
        pressure is audited only if a fault is left with the pump, too. To set a pump higher that stands there anyway costs nothing:
        that is done for a caution, too.
        """
        ways, own = [path], next((at for at, stage in enumerate(path.stages) if stage.room.pumps), None)
        if own is not None and not all(stage.room.serves for stage in path.stages[:own]):
            own = None  # it serves what follows it, not what stands before it
        grave = self.pressed(name_stages(path.stages)) & {"fault", "caution"}
        if grave and (wide := self._widened(path)) is not None and (self.pressed(name_stages(wide.stages)) & {"fault", "caution"}) < grave:
            path, grave = wide, self.pressed(name_stages(wide.stages)) & {"fault", "caution"}
            ways = [wide]
        if not grave.isdisjoint({"fault"} if own is None else {"fault", "caution"}):
            for pressure in self.duty.rows["storage"]["booster_steps_kpa"]:
                pumped = self._pumped(path, own, float(pressure))
                if pumped is None:
                    continue
                ways.append(pumped)
                if self.pressed(name_stages(pumped.stages)).isdisjoint({"fault", "caution"}):
                    ways.insert(0, ways.pop())
                    break
        for way in ways:
            score = self._score(way, self.judge(name_stages(way.stages)))
            yield score, way.stages
            if way is ways[0] and works(score):
                return

    def _widened(self, path: Path) -> Path | None:
        """The path with its cartridges in the largest housings; None where all stand in them, or where their sizes were given."""
        wider = [stage.room.wider(stage.keys, self.duty) for stage in path.stages]
        if not any(wider):
            return None
        stands = [stage.sizing.params.get("housing") for stage in self._run(path.stages).stages]
        grown = [keys if keys is not None and keys.housing != housing else None for keys, housing in zip(wider, stands, strict=True)]
        stages = tuple(stage if keys is None else Stage(stage.room, keys) for stage, keys in zip(path.stages, grown, strict=True))
        larger = sum(keys is not None for keys in grown)
        return path._replace(stages=stages, price=path.price + self.row["wider"] * larger) if larger else None

    def _pumped(self, path: Path, own: int | None, pressure: float) -> Path | None:
        """The path with a booster pump of a pressure [kPa] at its head, or its own pump set to it; None where that is not to be.

        own: the place of its own pump, where it has one.
        """
        usual = float(self.duty.rows["storage"]["booster_kpa"])
        if own is None:
            if self.duty.facts.wishes.no_power:
                return None
            room = next(room for room in ROOMS.values() if room.pumps)
            keys: Any = room.Keys()
            keys = keys if pressure == usual else replace(keys, pressure=pressure)
            pump = Stage(room, keys)
            return path._replace(stages=(pump, *path.stages), price=path.price + room.cost(keys))
        pump = path.stages[own]
        if pressure <= (pump.keys.pressure or usual):
            return None
        stronger = Stage(pump.room, replace(pump.keys, pressure=pressure))
        return path._replace(stages=(*path.stages[:own], stronger, *path.stages[own + 1 :]))

    def _score(self, path: Path, found: list[Finding]) -> Score:
        """Lower is better: microbes alive, health needs unmet, needs unmet, faults another train would mend, price with its cautions."""
        faults = sum(finding.against_the_train for finding in found)
        cautions = sum(finding.severity == "caution" and bool(finding.stage) and not finding.rule.startswith("feed-limit/") for finding in found)
        return (*self.search.unmet(path), faults, path.price + self.row["caution"] * cautions)


def works(score: Score) -> bool:
    """Whether a train of this score meets every need without a fault."""
    return score[:4] == (0, 0, 0, 0)


def _wanted(train: tuple[AnyStage, ...], run: TrainRun) -> set[AnyStage]:
    """The stages that their treatments would offer to the water that reaches them: none stays that only stood there for what is taken out."""
    return {stage for stage, stands in zip(train, run.stages, strict=True) if stage.room.candidates(stands.water_in, stands.duty)}
