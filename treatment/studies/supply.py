"""What the supply can do: the pump's curve against the system's losses, what limits, drains, what if."""

from __future__ import annotations

from dataclasses import dataclass
from math import pi
from typing import Any

from fluids.friction import ft_Crane

from ..chemistry.carbonate import water_density
from ..design import Design
from ..house.demand import peak_of
from ..house.hydraulics import G, PipeRun, Supply
from ..house.pipes import PipeSize, sizes_of
from ..house.pump import flow_at, known, meets, pump_pressure
from ..language.figure import Figure, figure, solved, stated, work
from ..language.tables import table
from ..planning.evaluated import EvaluatedTrain
from ..train.drains import drain_by_losses, drain_of, drain_rule
from ..train.piping import PipeStretch
from ..train.pressure import losses_at, pressure_along
from ..train.treatment import StageRun

SCHOOLS = ("fixture_units", "simultaneous", "bathrooms")


def operating_point(design: Design, variant: EvaluatedTrain, dirty: bool = False) -> Figure | None:
    """Where the pump's curve meets the losses of pipe, train and height with taps wide open; None without a curve."""
    pump = design.facts.supply.pump
    if pump is None or not known(pump):
        return None
    duty, temperature = design.duty, variant.run.raw.temperature

    def asks(flow: float) -> float:
        units = sum(
            stage.room.loss(stage.keys, stage.sizing, max(flow, 1e-6), temperature)[1 if dirty else 0]
            for stage in variant.run.stages
            if not stage.at_tap
        )
        wall = variant.audit.piping.whole.loss(duty.supply.pipe, flow, temperature)
        return duty.supply.pipe.loss(flow, temperature) + wall + units + duty.supply.height * G

    flow = meets(lambda q: pump_pressure(pump, q), asks, 2000.0)
    return figure(
        solved(
            "pump gives there",
            "curve",
            pump_pressure(pump, flow),
            "kPa",
            "supply.curve",
            curve=(pump.shut_off or pump_pressure(pump, 0.0), "kPa at no flow"),
        ),
        solved("flow", "gives, asks", flow, "L/min", "supply.curve", gives=(pump_pressure(pump, flow), "kPa"), asks=(asks(flow), "kPa")),
    )


def wash_flow(design: Design) -> Figure:
    """What the source gives for a backwash [L/min]: as measured, or by the pump's curve at cut-in where that gives less."""
    duty, pump = design.duty, design.facts.supply.pump
    measured = duty.demand.supply_flow
    if pump is None or not known(pump):
        return figure(stated("for a backwash", "measured", duty.wash, "L/min", "beds.backwash_pressure"))
    curve = flow_at(pump, duty.supply.pressure_low)
    return figure(
        solved("by the curve at cut-in", "curve, cut_in", curve, "L/min", "supply.curve", curve=(pump_pressure(pump, 0.0), "kPa at no flow"),
        cut_in=(duty.supply.pressure_low, "kPa")),
        work("for a backwash", "min(measured, by_curve)", "L/min", "beds.backwash_pressure", measured=(measured, "L/min"), by_curve=(curve, "L/min")),
    )  # fmt: skip


def peaks(design: Design) -> list[tuple[str, Figure]]:
    """The peak of the house by each of the three schools."""
    return [(school, peak_of(design.facts, school)) for school in SCHOOLS]


def what_limits(design: Design, variant: EvaluatedTrain) -> list[tuple[str, float]]:
    """What each part of the way can carry [L/min], the least first: source, peak demand, pipe at 5 ft/s, the narrowest unit."""
    pipe = design.duty.supply.pipe
    found = [
        ("the source", design.duty.demand.supply_flow),
        ("peak demand", design.duty.demand.peak_flow.value),
        ("the pipe at its velocity limit", design.duty.rows["house"]["velocity_max"] * pi * pipe.bore**2 / 4 * 60000),
    ]
    units = [(stage.said, steady) for stage in variant.run.stages if not stage.at_tap and (steady := stage.room.steady(stage.sizing)) is not None]
    if units:
        found.append(min(units, key=lambda pair: pair[1]))
    return sorted(found, key=lambda pair: pair[1])


@dataclass(frozen=True, slots=True)
class DrainCheck:
    """The drain line of a unit: bore by the rule of thumb, bore by its losses [m], and which of them governs."""

    stage: str
    by_rule: float
    by_losses: Figure
    governs: str
    given: float | None

    @property
    def rule_mm(self) -> float:
        return self.by_rule * 1000

    @property
    def losses_mm(self) -> float:
        return self.by_losses.value * 1000

    @property
    def given_mm(self) -> float | None:
        return self.given * 1000 if self.given else None


def drain_check(design: Design, stage: StageRun[Any]) -> DrainCheck | None:
    """Bores a drain line needs: the trade's rule, and the least that carries the backwash from 20 psi at the valve over length and lift."""
    wash = stage.figures.get("backwash_flow")
    if wash is None:
        return None
    told, valve = drain_of(design.facts, stage.keys), float(design.duty.rows["house"]["residual_kpa"])
    length = (told and told.distance) or table("plumbing")["drain_line"]["length_m"]
    rule, by_losses = drain_rule(length), figure(*drain_by_losses(told, wash.value, stage.water_in.temperature, valve))
    high = by_losses.value
    return DrainCheck(stage.id, rule, by_losses, "losses" if high > rule else "rule", told.bore if told else None)


@dataclass(frozen=True, slots=True)
class WhatIf:
    """Pressure left at the highest tap [kPa] at another flow, pipe or state of the cartridges; velocity [m/s]."""

    flow: float
    size: PipeSize
    dirt: float
    residual: Figure
    velocity: float
    enough: bool


def what_if(design: Design, variant: EvaluatedTrain, flow: float, size: PipeSize, dirt: float) -> WhatIf:
    """Pressure left at a flow [L/min], a size of pipe, dirt 0 (clean) to 1 (time to change); Darcy-Weisbach and each unit's loss."""
    supply: Supply = design.duty.supply
    pipe = PipeRun(size, supply.pipe.length)
    temperature = variant.run.raw.temperature
    pairs = [stage.room.loss(stage.keys, stage.sizing, flow, temperature) for stage in variant.run.stages]
    losses = losses_at(variant.run, design.duty, variant.audit.piping, flow, [clean + (dirty - clean) * dirt for clean, dirty in pairs], pipe)
    left = pressure_along(variant.run, design.duty, losses)[-1]
    units = supply.pressure_low - losses.pipe - losses.wall - supply.height * G - left
    residual = figure(
        solved("pipe", "flow, bore", pipe.loss(flow, temperature), "kPa", "hydraulics.darcy", flow=(flow, "L/min"), bore=(pipe.bore, "m")),
        work("pressure at the highest tap", "cut_in − pipe − wall − units − gravity × height", "kPa", "hydraulics.residual",
             cut_in=(supply.pressure_low, "kPa"), pipe=(losses.pipe, "kPa"), wall=(losses.wall, "kPa"), units=(units, "kPa, less what pumps add"), height=(supply.height, "m")),
    )  # fmt: skip
    return WhatIf(flow, size, dirt, residual, pipe.velocity(flow), residual.value >= design.duty.rows["house"]["residual_kpa"])


@dataclass(frozen=True, slots=True)
class WhatIfRange:
    """What the what-if may be asked: flows up to most [L/min], sizes of the job's pipe; where it starts."""

    flow: float
    most: float
    own: PipeSize
    sizes: tuple[PipeSize, ...]


def what_if_range(design: Design) -> WhatIfRange:
    """Up to twice the design flow, or the most that can pass; the sizes that its pipe is made in, inches or millimetres as its own."""
    own, flow = design.duty.supply.pipe.size, design.duty.flow
    listed = tuple(own if size.nominal == own.nominal else size for size in sizes_of(own.material) if size.metric == own.metric)
    return WhatIfRange(flow, max(2 * flow, design.duty.passable), own, listed)


def routed_loss(design: Design, variant: EvaluatedTrain) -> Figure:
    """Loss of the drawn pipe in service at design flow [kPa]: its length, and its fittings by K = fT x L/D, Crane TP 410.

    A unit's bypass turns the water through the branch of two tees; the tee of a drinking tap is passed straight; of several vessels
    each takes its share of the flow.
    """
    pipe, flow, temperature = design.duty.supply.pipe, design.duty.flow, variant.run.raw.temperature
    whole = variant.audit.piping.whole
    along = PipeStretch(length=whole.length).loss(pipe, flow, temperature)
    k = work(
        "K", "fT × lengths", "", "hydraulics.crane", fT=(ft_Crane(pipe.bore), ""), lengths=(whole.diameters, "diameters of pipe, for all fittings")
    )
    lost = work(
        "fittings",
        "K × density × velocity^2 ÷ 2000",
        "kPa",
        "hydraulics.crane",
        K=(k.value, ""),
        density=(water_density(temperature), "kg/m3"),
        velocity=(pipe.velocity(flow), "m/s"),
    )
    piped = solved(
        "pipe", "flow, bore, length", along, "kPa", "hydraulics.darcy", flow=(flow, "L/min"), bore=(pipe.bore, "m"), length=(whole.length, "m")
    )
    return figure(
        k,
        lost,
        piped,
        work("pressure drop on the wall", "pipe + fittings", "kPa", "hydraulics.darcy", pipe=(along, "kPa"), fittings=(lost.value, "kPa")),
    )
