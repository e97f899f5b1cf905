"""The duty: what the whole train must serve. One value handed to every room."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from .demand import Demand
from .hydraulics import Supply
from .job import Facts
from .pump import flow_at, known
from .tables import table


@dataclass(frozen=True, slots=True)
class Duty:
    """Facts of the job, its demand and its supply; flows in L/min, daily use in L/day.

    rows: the working values of every treatment (``data/stages.toml``), the designer's own in place of ours.
    """

    facts: Facts
    demand: Demand
    supply: Supply
    rows: dict[str, Any] = field(hash=False, compare=False)

    @property
    def flow(self) -> float:
        """Design flow [L/min]."""
        return self.demand.design_flow.value

    @property
    def daily(self) -> float:
        """Daily use [L/day]."""
        return self.demand.daily_use.value

    @property
    def drinking(self) -> float:
        """Flow at a drinking tap [L/min]."""
        return float(self.rows["reverse_osmosis"]["tap_l_min"])

    @property
    def drinking_daily(self) -> float:
        """Drinking and cooking water of the house [L/day]."""
        return float((self.facts.building.people or table("plumbing")["use"]["people"]) * self.rows["reverse_osmosis"]["drink_l"])

    @property
    def passable(self) -> float:
        """The greatest flow the plumbing can pass [L/min]."""
        return self.demand.passable.value

    @property
    def wash(self) -> float:
        """What the source gives for a backwash [L/min]: as measured; by the pump's curve at cut-in where that gives less.

        Washing at less pressure would draw more, but leaves the house below its switch point.
        """
        pump, measured = self.facts.supply.pump, self.demand.supply_flow
        return min(measured, flow_at(pump, self.supply.pressure_low)) if pump is not None and known(pump) else measured
