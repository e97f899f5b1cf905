"""The duty: what the whole train must serve. One value handed to every room."""

from __future__ import annotations

from dataclasses import dataclass

from .demand import Demand
from .hydraulics import Supply
from .job import Facts


@dataclass(frozen=True, slots=True)
class Duty:
    """Facts of the job, its demand and its supply; flows in L/min, daily use in L/day."""

    facts: Facts
    demand: Demand
    supply: Supply

    @property
    def flow(self) -> float:
        """Design flow [L/min]."""
        return self.demand.design_flow.value

    @property
    def daily(self) -> float:
        """Daily use [L/day]."""
        return self.demand.daily_use.value

    @property
    def passable(self) -> float:
        """The greatest flow the plumbing can pass [L/min]."""
        return self.demand.passable.value

    @property
    def wash(self) -> float:
        """What the source gives for a backwash [L/min]."""
        return self.demand.supply_flow
