"""The run sheet: which steps this very train has, what each of them needs, and an order in which they can be walked."""

from __future__ import annotations

import heapq
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from graphlib import CycleError, TopologicalSorter
from typing import Any

from ..planning.variant import Variant
from ..train.room import StageRun
from .expected import amounts
from .occasion import of_a_stage, of_the_job
from .step import Need, Row, Step, rows, rows_of, with_own

#: steps of a unit that its opening waits for by their phase
BEFORE_WATER = ("before", "build")


class NoOrder(Exception):
    """Steps that wait for each other in a circle: a mistake of the tables."""


@dataclass(frozen=True)
class Sheet:
    """The steps of a job in an order that may be walked from top to bottom; every need of a step stands above it."""

    steps: tuple[Step, ...]

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


def sheet(variant: Variant) -> Sheet:
    """The run sheet of a train. Empty for an empty train: there is nothing to start. Raises NoOrder for needs in a circle."""
    stages = variant.run.stages
    if not stages:
        return Sheet(())
    whole, own = of_the_job(variant), variant.audit.facts.working_values
    steps = [Step(f"site/{row.verb}", None, with_own(row, own), row.phase) for row in rows("site") if row.applies({}, whole)]
    for stage in stages:
        for row in rows_of(stage, whole | of_a_stage(stage)):
            named = tuple(amounts(stage, row.amounts, variant.hours))
            steps.append(Step(f"{stage.id}/{row.verb}", stage, with_own(row, own), row.phase, amounts=named))
    return Sheet(tuple(walked(Ties(steps).tied())))


class Ties:
    """Who waits for whom among the steps of a sheet."""

    def __init__(self, steps: Sequence[Step]):
        self.steps = steps
        self.by_id = {step.id: step for step in steps}
        self.of_stage: dict[str, list[Step]] = {}
        for step in steps:
            if step.stage is not None:
                self.of_stage.setdefault(step.stage.id, []).append(step)

    def tied(self) -> list[Step]:
        """The steps with their needs; what a step of the days before needs is done in the days before, too."""
        tied = [replace(step, needs=self._needs(step)) for step in self.steps]
        early = ahead_of({step.id: step for step in tied}, [step.id for step in tied if step.row.phase == "before"])
        return [replace(step, phase="before") if step.id in early else step for step in tied]

    def _needs(self, step: Step) -> tuple[Need, ...]:
        found: dict[str, float | None] = {}
        for id, after in self._asked(step):
            if id != step.id:
                found[id] = max((value for value in (found.get(id), after) if value is not None), default=None)
        return tuple(Need(id, after) for id, after in found.items())

    def _asked(self, step: Step) -> Iterator[tuple[str, float | None]]:
        """Each step that is needed, and the minutes after it; what this job does not have is not needed."""
        for text in step.row.needs:
            name, more = text.removesuffix("+"), text.endswith("+")
            for other in self._named(step, name):
                yield other.id, step.row.after if more else other.row.wait
        if step.stage is not None and step.row.verb == "open":
            own = [other for other in self.of_stage[step.stage.id] if other.row.ahead or other.row.phase in BEFORE_WATER]
            for other in (*own, *self._chain(step.stage, "open"), *self._chain(step.stage, "clears")):
                yield other.id, other.row.wait

    def _named(self, step: Step, name: str) -> Iterable[Step]:
        """The steps a need names: ``verb`` of its own stage, ``site/verb``, ``own/…`` of its own by what they are, ``chain/…`` of the
        units before it, ``every/…`` of all, ``served/…`` of those before the first that soaks in bypass."""
        whose, _, verb = name.rpartition("/")
        if whose == "own":
            return [other for other in self.of_stage[step.stage.id] if _is(other.row, verb)] if step.stage is not None else ()
        if whose == "every":
            return [other for others in self.of_stage.values() for other in others if _is(other.row, verb)]
        if whose == "served":
            soaking = next((step.stage for others in self.of_stage.values() for step in others if step.row.in_bypass), None)
            return self._chain(soaking, verb) if soaking is not None else self._named(step, f"every/{verb}")
        if whose == "chain":
            return self._chain(step.stage, verb) if step.stage is not None else ()
        at = whose or (step.stage.id if step.stage is not None else "site")
        other = self.by_id.get(f"{at}/{verb}")
        return () if other is None else (other,)

    def _chain(self, stage: StageRun[Any], verb: str) -> list[Step]:
        """What the units before one must have done before it gets water."""
        return [
            other
            for others in self.of_stage.values()
            for other in others
            if other.stage is not None and other.stage.index < stage.index and _is(other.row, verb)
        ]


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


def _is(row: Row, verb: str) -> bool:
    if verb == "clears":
        return row.clears
    if verb == "last":
        return row.phase not in ("settle",)
    return row.verb == verb


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
