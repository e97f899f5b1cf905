"""The run sheet: which steps this very train has, what each of them needs, and an order in which they can be walked.

No tap and no heater is served through a unit that is not ready. Units that can be made ready on the day the water is shut are; the
house's air is let out through them. A unit that cannot, and that water can go round, stands in bypass and joins later, with its own
venting; one that nothing goes round makes the house wait.
"""

from __future__ import annotations

import heapq
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property, lru_cache
from graphlib import CycleError, TopologicalSorter
from typing import Any

from ..language.prose import listed
from ..language.tables import table
from ..planning.evaluated import EvaluatedTrain
from ..train.treatment import StageRun
from .situation import Situation
from .step import Name, Step, StepNeed, rows, rows_of, with_own
from .told import amounts, told

#: steps of a unit that its opening waits for by their phase
BEFORE_WATER = ("before", "build")
#: phases of a unit's steps that are not part of making it ready
AFTER_READY = ("settle", "prove", "hand_over")
#: the first step of the piece of work during which the house is without water, and the one that gives it hot water back
OFF, WARM = "site/heater_off", "site/heater_on"


class NoOrder(Exception):
    """Steps that wait for each other in a circle: a mistake of the tables."""


@dataclass(frozen=True)
class Sheet:
    """The steps of a job in an order that may be walked from top to bottom; every need of a step stands above it.

    late: units that stand in bypass when the house gets its water back, and join later.
    """

    steps: tuple[Step, ...]
    late: frozenset[str] = field(default=frozenset())

    @cached_property
    def by_id(self) -> dict[str, Step]:
        return {step.id: step for step in self.steps}

    @property
    def hands_on(self) -> float:
        """Work of hands altogether [min]."""
        return sum(step.row.hands_on for step in self.steps)

    @cached_property
    def soonest(self) -> dict[str, float]:
        """Step -> minutes from the first step to its begin, where all hands are there at once and nobody sleeps.

        What remains of a time plan if only needs and waits count: a step begins when all its needs are done and their
        waits have passed. No visit can begin a step sooner.
        """
        begins: dict[str, float] = {}
        for step in self.steps:
            begins[step.id] = max((begins[need.id] + self.by_id[need.id].row.hands_on + (need.after or 0.0) for need in step.needs), default=0.0)
        return begins


@lru_cache(maxsize=4)
def sheet(variant: EvaluatedTrain) -> Sheet:
    """The run sheet of a train. Empty for an empty train: there is nothing to start. Raises NoOrder for needs in a circle."""
    if not variant.run.stages:
        return Sheet(())
    situation, _, late = _begun(variant)
    return Sheet(tuple(walked(Ties(_steps(situation, late), situation, late).tied())), late)


@lru_cache(maxsize=4)
def work(variant: EvaluatedTrain) -> tuple[Step, ...]:
    """The steps of a run sheet by themselves: what each takes of hands and tools, without an order, figures or who waits for whom."""
    if not variant.run.stages:
        return ()
    situation, steps, late = _begun(variant)
    return tuple(_steps(situation, late, bare=True) if late else steps)


@lru_cache(maxsize=4)
def _begun(variant: EvaluatedTrain) -> tuple[Situation, list[Step], frozenset[str]]:
    """Where a train is started, its steps by themselves if all units joined at once, and the units that join later."""
    situation = Situation(variant)
    steps = _steps(situation, frozenset(), bare=True)
    return situation, steps, joins_later(situation, Ties(steps, situation, frozenset()).bound())


def _steps(situation: Situation, late: frozenset[str], bare: bool = False) -> list[Step]:
    """The steps that apply. late: units that join later; bare: without the figures that their lines name."""
    variant, own, system = situation.variant, situation.facts.working_values, situation.facts.job.units
    named = [Name("late_units", listed(stage.said for stage in situation.stages if stage.id in late))] if late else []
    words = situation.words | ({"late"} if late else frozenset()) | ({"waits"} if situation.no_way else frozenset())
    steps = []
    for row in rows("site"):
        if row.applies({}, words):
            spoken_row = row.spoken(words)
            held = with_own((spoken_row if bare else spoken_row.in_units(system)).scaled(situation.counts), own)
            names = () if bare else (*named, *told(situation, row, None))
            steps.append(Step(f"site/{row.verb}", None, held, row.phase, told=names, occasion=words))
    for stage in situation.stages:
        words = situation.words_of(stage) | ({"late"} if stage.id in late else frozenset())
        for row in rows_of(stage, words):
            held = with_own((row if bare else row.in_units(system)).scaled(situation.counts_of(stage)), own)
            spoken = ((), ()) if bare else (tuple(amounts(stage, row.amounts, variant.hours)), told(situation, row, stage))
            phase = "first_fill" if row.verb == "cartridge" and "bare_unit" in words else row.phase
            steps.append(Step(f"{stage.id}/{row.verb}", stage, held, phase, amounts=spoken[0], told=spoken[1], occasion=words))
    return steps


def makes_ready(step: Step) -> bool:
    """Whether a step of a unit is part of making it ready: filled, vented, soaked, rinsed, washed, renewed, set."""
    return step.stage is not None and step.row.phase not in AFTER_READY


def joins_later(situation: Situation, steps: Sequence[Step]) -> frozenset[str]:
    """Units that stand in bypass when the house gets its water back. steps: those of a day on which all join, with their needs.

    One whose start asks for a longer wait than people stand beside; and, where a day is too short to make all ready, those
    that water can go round, from the end of the train. What shares a bypass joins together; what feeds a tank that stands
    open, or a membrane, is not left out before it.
    """
    hours = table("commissioning")["visits"]
    in_line = [step for step in steps if makes_ready(step) and step.stage is not None and step.row.phase not in BEFORE_WATER and not _ahead(step)]
    late = {
        step.stage.id for step in in_line if step.stage is not None and (step.row.wait or 0.0) > hours["stand"] and step.stage.id in situation.ways
    }
    guarded = max((stage.index for stage in situation.no_way if stage.room.stores and stage.id not in situation.source), default=-1)
    tied = {step.id: step for step in steps}
    inside = ahead_of(tied, [WARM]) & behind_of(tied, OFF)
    left = float(hours["most"]) - sum(step.row.hands_on for id, step in tied.items() if id in inside and step.stage is None)
    work: dict[str, float] = {}
    for id, step in tied.items():
        if id in inside and step.stage is not None:
            work[step.stage.id] = work.get(step.stage.id, 0.0) + step.row.hands_on + (step.row.wait or 0.0)
    movable = [stage.id for stage in situation.stages if stage.id in situation.ways and stage.index > guarded]
    left -= sum(minutes for id, minutes in work.items() if id not in movable and id not in late)
    full = False
    for id in movable:
        if id in late:
            continue
        left -= work.get(id, 0.0)
        full = full or left < 0
        if full:
            late.add(id)
    return frozenset(other for id in late for other in situation.ways[id].units)


def _ahead(step: Step) -> bool:
    """Whether a step may be done before the water is shut."""
    return step.row.phase == "before" or step.row.where != "house"


class Ties:
    """Who waits for whom among the steps of a sheet. late: units that join later."""

    def __init__(self, steps: Sequence[Step], situation: Situation, late: frozenset[str]):
        self.steps, self.situation, self.late = steps, situation, late
        self.by_id = {step.id: step for step in steps}
        self.of_stage: dict[str, list[Step]] = {}
        self._units: dict[str, list[Step]] = {}
        for step in steps:
            if step.stage is not None:
                self.of_stage.setdefault(step.stage.id, []).append(step)

    def tied(self) -> list[Step]:
        """The steps with their needs; what a step of the days before needs is done in the days before, too."""
        tied = self.bound()
        known = {step.id: step for step in tied}
        tied = [replace(step, needs=_plainest(step, known)) if any(text.endswith("/ready") for text in step.row.needs) else step for step in tied]
        early = ahead_of({step.id: step for step in tied}, [step.id for step in tied if step.row.phase == "before"])
        return [replace(step, phase="before") if step.id in early else step for step in tied]

    def bound(self) -> list[Step]:
        """The steps with all their needs, those that another brings along among them."""
        return [replace(step, needs=self._needs(step)) for step in self.steps]

    def _needs(self, step: Step) -> tuple[StepNeed, ...]:
        found: dict[str, float | None] = {}
        for id, after in self._asked(step):
            if id != step.id:
                found[id] = max((value for value in (found.get(id), after) if value is not None), default=None)
        return tuple(StepNeed(id, after) for id, after in found.items())

    def _asked(self, step: Step) -> Iterator[tuple[str, float | None]]:
        """Each step that is needed, and the minutes after it; what this job does not have is not needed."""
        for text in step.row.needs:
            name, more = text.removesuffix("+"), text.endswith("+")
            for other in self._named(step, name):
                yield other.id, step.row.after if more else other.row.wait
        if step.stage is None:
            return
        if step.row.verb == "cartridge" and step.stage.id in self.situation.bare:
            yield from self._each("site/shut_again")
        if step.row.verb == "open":
            own = [other for other in self.of_stage[step.stage.id] if other.row.ahead or other.row.phase in BEFORE_WATER]
            for other in (*own, *self._chain(step.stage, "open"), *self._chain(step.stage, "clears")):
                yield other.id, other.row.wait
            if step.stage.id in self.late:
                yield from self._each(WARM)
            elif step.stage.id not in self.situation.source:
                yield from self._each("site/refill")

    def _each(self, id: str) -> Iterator[tuple[str, float | None]]:
        """A step by its id, where this job has it."""
        if id in self.by_id:
            yield id, self.by_id[id].row.wait

    def _named(self, step: Step, name: str) -> Iterable[Step]:
        """The steps a need names: ``verb`` of its own stage, ``site/verb``, ``own/…`` of its own by what they are, ``chain/…`` of the
        units before it, ``every/…`` of all, ``house/…`` of those the house is served through when it gets its water back,
        ``source/…`` of those between a tank and its pump, ``bare/…`` of those flushed empty."""
        whose, _, verb = name.rpartition("/")
        if whose == "own":
            return [other for other in self.of_stage[step.stage.id] if self._is(other, verb)] if step.stage is not None else ()
        if whose == "chain":
            return self._chain(step.stage, verb) if step.stage is not None else ()
        if whose in ("every", "house", "source", "bare"):
            return [other for other in self._that(verb) if other.stage is not None and self._belongs(other.stage, whose)]
        if name == "served":  # how its own water reaches the taps
            return self._served(step)
        at = whose or (step.stage.id if step.stage is not None else "site")
        other = self.by_id.get(f"{at}/{verb}")
        return () if other is None else (other,)

    def _served(self, step: Step) -> Iterable[Step]:
        if step.stage is None or step.stage.at_tap:
            return ()
        own = f"{step.stage.id}/vent_house" if step.stage.id in self.late else "site/vent_air"
        return (self.by_id[own],)

    def _belongs(self, stage: StageRun[Any], whose: str) -> bool:
        if whose == "house":
            return stage.id not in self.late and not stage.at_tap
        return whose == "every" or stage.id in (self.situation.source if whose == "source" else self.situation.bare)

    def _chain(self, stage: StageRun[Any], verb: str) -> list[Step]:
        """What the units before one must have done before it gets water; those that join after it stand in bypass then."""
        return [
            other
            for other in self._that(verb)
            if other.stage is not None
            and other.stage.index < stage.index
            and (stage.id in self.late or other.stage.id not in self.late)
            and not (other.stage.at_tap and not stage.at_tap)
        ]

    def _that(self, verb: str) -> list[Step]:
        """The steps of all units that are what a need names, unit after unit."""
        found = self._units.get(verb)
        if found is None:
            found = self._units[verb] = [other for others in self.of_stage.values() for other in others if self._is(other, verb)]
        return found

    def _is(self, step: Step, verb: str) -> bool:
        if verb == "clears":
            return step.row.clears
        if verb == "last":
            return step.row.phase not in ("settle",)
        if verb == "ready":
            return makes_ready(step)
        if verb == "hosed":
            return "hosed" in step.occasion and step.row.phase == "before"
        if verb == "open_air":  # what needs no pipe and no pressure: the tank, what hangs in it, what fills it
            return "pressed" not in step.occasion and makes_ready(step)
        if verb == "source":
            return step.row.at_source or step.row.phase in BEFORE_WATER
        return step.row.verb == verb


def _plainest(step: Step, steps: Mapping[str, Step]) -> tuple[StepNeed, ...]:
    """The needs of a step without those that another of them brings along, wait and all."""
    brought: dict[str, float] = {}
    queue, seen = [need.id for need in step.needs], set[str]()
    while queue:
        id = queue.pop()
        for need in steps[id].needs:
            brought[need.id] = max(brought.get(need.id, 0.0), need.after or 0.0)
            if need.id not in seen:
                seen.add(need.id)
                queue.append(need.id)
    return tuple(need for need in step.needs if need.id not in brought or (need.after or 0.0) > brought[need.id])


def ahead_of(steps: Mapping[str, Step], ids: Iterable[str]) -> frozenset[str]:
    """Some steps and everything that must be done before them; ids that the steps do not have are left out."""
    queue = [id for id in ids if id in steps]
    ahead = set(queue)
    while queue:
        for need in steps[queue.pop()].needs:
            if need.id not in ahead:
                ahead.add(need.id)
                queue.append(need.id)
    return frozenset(ahead)


def behind_of(steps: Mapping[str, Step], id: str) -> frozenset[str]:
    """A step and everything that waits for it, directly or not."""
    users: dict[str, list[str]] = {}
    for step in steps.values():
        for need in step.needs:
            users.setdefault(need.id, []).append(step.id)
    queue, behind = [id], {id}
    while queue:
        for user in users.get(queue.pop(), ()):
            if user not in behind:
                behind.add(user)
                queue.append(user)
    return frozenset(behind)


def walked(steps: Sequence[Step]) -> list[Step]:
    """The steps in an order that may be walked: needs first, then by phase, the place, the order of the water, the table.

    Raises NoOrder where some wait for each other.
    """
    place = {step.id: i for i, step in enumerate(steps)}
    sorter = TopologicalSorter({step.id: [need.id for need in step.needs] for step in steps})
    try:
        sorter.prepare()
    except CycleError as error:
        raise NoOrder(", ".join(sorted(set(error.args[1])))) from None
    ready: list[tuple[tuple[int, int], int]] = []
    order: list[Step] = []
    while sorter.is_active():
        for id in sorter.get_ready():
            heapq.heappush(ready, (steps[place[id]].rank, place[id]))
        order.append(steps[heapq.heappop(ready)[1]])
        sorter.done(order[-1].id)
    return order
