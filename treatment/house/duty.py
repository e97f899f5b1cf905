"""The duty: what the whole train must serve. One value handed to every room."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import Any

from ..chemistry.water import Water
from ..job.facts import Facts
from ..language.tables import table
from .beds import Bed
from .choosing import BedAsked, choose_bed
from .demand import Demand
from .events import busiest_week, hours_between
from .hydraulics import GPM, Supply
from .needs import tasted
from .pipes import INCH
from .pump import flow_at, known
from .stock import GENERIC, Library


@dataclass(frozen=True, slots=True)
class Duty:
    """Facts of the job, its demand and its supply; flows in L/min, daily use in L/day.

    rows: the working values of every treatment (``data/stages.toml``), the designer's own in place of ours. assumed: what of
    the water nobody measured, at the value it was taken to have; undetected: what was looked for and not found;
    stored: whether a tank is to be tried, since nothing works at what the source gives; eats_metal: whether a metal of the pipe
    is over its limit at the tap; stock: the equipment it is built of.
    """

    facts: Facts
    demand: Demand
    supply: Supply
    rows: dict[str, Any] = field(hash=False, compare=False)
    assumed: dict[str, float] = field(default_factory=dict, hash=False, compare=False)
    undetected: dict[str, float] = field(default_factory=dict, hash=False, compare=False)
    stored: bool = False
    eats_metal: bool = False
    stock: Library = field(default=GENERIC, hash=False)

    def bed(
        self,
        key: str,
        volume: float,
        wash: float | None,
        temperature: float,
        tank: str | None = None,
        vessels: int | None = None,
        given: float | None = None,
    ) -> Bed:
        """The bed of a medium for this duty: of the vessels that this job is built of, as far as the room takes them; see `choose_bed`."""
        return choose_bed(BedAsked(key, self.flow, volume, wash, temperature, tank, vessels, given, self.tallest), self.stock.shells)

    def only_assumed(self, analyte: str, value: float) -> bool:
        """Whether this value of an analyte is the assumption about the source, unchanged."""
        taken = self.assumed.get(analyte)
        return taken is not None and abs(value - taken) <= 1e-6 * max(abs(taken), 1.0)

    def not_found(self, analyte: str, value: float) -> bool:
        """Whether this much of an analyte is no more than what a test that found none would have missed."""
        missed = self.undetected.get(analyte)
        return missed is not None and value <= missed * (1 + 1e-6)

    def gives_wash(self, flow: float) -> bool:
        """Whether a wash of so much [L/min] is given."""
        return flow <= self.wash * 1.001

    @property
    def flow(self) -> float:
        """Design flow [L/min]."""
        return self.demand.design_flow.value

    @property
    def daily(self) -> float:
        """Daily use [L/day]."""
        return self.demand.daily_use.value

    @property
    def daily_mean(self) -> float:
        """Daily use over the week [L/day]: a business counts with its own week, not with its busiest day."""
        building = self.facts.building
        if not building.events:
            return self.daily
        return sum(busiest_week(self.facts, self.daily)) / 7

    @property
    def weak(self) -> bool:
        """Whether the source was measured to give less than the peak and less than the largest single use, so that water is stored."""
        if self.stored:
            return True
        supply, row = self.facts.supply, self.rows["storage"]
        tested = supply.drawdown.drawn / supply.drawdown.recovery if supply.drawdown and supply.drawdown.drawn and supply.drawdown.recovery else None
        gives = supply.flow if supply.flow is not None else tested
        if gives is None or self.facts.source.kind in ("rain", "town"):
            return False
        return bool(gives < min(self.demand.peak_flow.value, row["largest_use_gpm"] * GPM) * row["weak_share"])

    @property
    def may_store(self) -> bool:
        """Whether a tank with a pump may help: a source of little flow that is not weak by itself, and power."""
        little = self.demand.supply_flow < self.rows["storage"]["little_gpm"] * GPM
        return little and not self.weak and not self.facts.wishes.no_power and self.facts.source.kind != "rain"

    def with_storage(self) -> Duty:
        """The same, with a tank to be tried."""
        return replace(self, stored=True)

    @property
    def drunk(self) -> bool:
        """Whether anybody drinks this water: not where it only rinses for a business, nor where the job says it is not for drinking."""
        building, wishes = self.facts.building, self.facts.wishes
        business = bool(building.events) and not building.people
        return wishes.safe_to_drink if wishes.safe_to_drink is not None else not (wishes.high_purity and business)

    @property
    def busy_hours(self) -> frozenset[int]:
        """Hours of the day in which uses that were named run; empty where only a household was told."""
        found: set[int] = set()
        for event in self.facts.building.events:
            if event.hours:
                found.update(hours_between(*event.hours))
        return frozenset(found)

    @property
    def round_the_clock(self) -> bool:
        """Whether water is used at every hour, so that nothing can regenerate unnoticed."""
        return len(self.busy_hours) >= int(self.rows["schedule"]["round_the_clock"])

    @property
    def no_drain(self) -> bool:
        """Whether the site has nowhere for wash water to go."""
        drain = self.facts.site.drain
        return drain is not None and drain.kind == "none"

    @property
    def tallest(self) -> float | None:
        """The tallest shell [m] that the room takes with its valve and a hand's room to fill it; None where no ceiling is known."""
        ceiling = self.facts.site.ceiling
        rows = table("vessels")
        return None if ceiling is None else ceiling - (rows["valve_in"] + rows["headroom_in"]) * INCH

    @property
    def drinking(self) -> float:
        """Flow at a drinking tap [L/min]."""
        return float(self.rows["reverse_osmosis"]["tap_l_min"])

    @property
    def people(self) -> float:
        """People who drink here; a usual household where the job tells nothing."""
        return float(self.facts.building.people or table("plumbing")["use"]["people"])

    @property
    def drinking_daily(self) -> float:
        """Drinking and cooking water of the house [L/day]."""
        return float(self.people * self.rows["reverse_osmosis"]["drink_l"])

    def carbon_first(self, raw: Water) -> bool:
        """Whether carbon stands before the softener: the job's school; else on chlorinated water, not on a clear well."""
        school = self.facts.schools.carbon_order
        if school != "auto":
            return school == "first"
        chlorinated = self.facts.source.disinfectant in ("chlorine", "chloramine")
        return chlorinated or max(raw.value("free_chlorine"), raw.value("total_chlorine")) > tasted()

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
