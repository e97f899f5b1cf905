"""What the supply can do: runs of a bucket or drawdown test, the pump's curve against the system's losses, what limits, drains, what if."""

from __future__ import annotations

from dataclasses import dataclass
from math import pi
from typing import TYPE_CHECKING

from fluids.friction import ft_Crane

from .beds import INCH
from .carbonate import water_density
from .checks.install import drain_of, drain_rule
from .demand import peak_of
from .figure import Figure, figure, work
from .hydraulics import FITTINGS, G, PipeRun, Supply, bore, friction
from .pump import flow_at, known, meets, pump_pressure
from .tables import table
from .train import pressure_along

if TYPE_CHECKING:
    from .design import Design, Variant
    from .drawing.wall_parts import Wall
    from .train import StageRun

SCHOOLS = ("fixture_units", "simultaneous", "bathrooms")


@dataclass(frozen=True, slots=True)
class Spread:
    """Several runs of one measurement: their mean, and how far the furthest lies from it [-]."""

    mean: Figure
    off: float
    runs: tuple[float, ...]

    @property
    def wide(self) -> bool:
        """Whether the runs lie so far apart that they are worth doing again."""
        return bool(self.off > table("plumbing")["measuring"]["spread"])


def measured_flow(runs: list[tuple[float, float]]) -> Spread:
    """Flow [L/min] from runs of volume [L] over time [min]; the mean of the runs, and their spread.

    >>> measured_flow([(30.0, 1.0), (32.0, 1.0)]).mean.value
    31.0
    """
    flows = tuple(volume / minutes for volume, minutes in runs)
    mean = sum(flows) / len(flows)
    lines = [
        work(f"run {i}", f"volume{i} ÷ time{i}", flow, "L/min", "demand.drawdown", **{f"volume{i}": (volume, "L"), f"time{i}": (minutes, "min")})
        for i, ((volume, minutes), flow) in enumerate(zip(runs, flows, strict=True), 1)
    ]
    total = " + ".join(f"run{i}" for i in range(1, len(flows) + 1))
    lines.append(
        work("mean", f"({total}) ÷ {len(flows)}", mean, "L/min", "demand.drawdown", **{f"run{i}": (flow, "L/min") for i, flow in enumerate(flows, 1)})
    )
    return Spread(figure(*lines), max(abs(flow - mean) for flow in flows) / mean if mean else 0.0, flows)


@dataclass(frozen=True, slots=True)
class PressureSpan:
    """What a gauge showed [kPa]: lowest and highest by day, highest at night; None where nothing was read then."""

    low: float | None
    high: float | None
    night: float | None


def is_night(hour: int) -> bool:
    """Whether a reading taken in this hour of the day counts as one of the night, when nobody draws and mains pressure rises.

    >>> is_night(23), is_night(5), is_night(12)
    (True, True, False)
    """
    row = table("plumbing")["measuring"]
    return bool(hour >= row["night_from"] or hour < row["night_to"])


def pressure_span(readings: list[tuple[bool, float]]) -> PressureSpan:
    """The span of gauge readings, each (at night, pressure [kPa]): a design stands on the lowest by day, its limits on the highest.

    >>> pressure_span([(False, 300.0), (False, 380.0), (True, 520.0)])
    PressureSpan(low=300.0, high=380.0, night=520.0)
    """
    day, night = [value for late, value in readings if not late], [value for late, value in readings if late]
    return PressureSpan(min(day, default=None), max(day, default=None), max(night, default=None))


def operating_point(design: Design, variant: Variant, dirty: bool = False) -> Figure | None:
    """Where the pump's curve meets the losses of pipe, train and height with taps wide open; None without a curve."""
    pump = design.job.facts.supply.pump
    if pump is None or not known(pump):
        return None
    duty, temperature = design.duty, variant.run.raw.temperature

    def asks(flow: float) -> float:
        units = sum(
            stage.room.loss(stage.keys, stage.sizing, max(flow, 1e-6), temperature)[1 if dirty else 0]
            for stage in variant.run.stages
            if not stage.at_tap
        )
        return duty.supply.pipe.loss(flow, temperature) + units + duty.supply.height * G

    flow = meets(lambda q: pump_pressure(pump, q), asks, 2000.0)
    return figure(
        work(
            "pump gives there",
            "solve(curve)",
            pump_pressure(pump, flow),
            "kPa",
            "supply.curve",
            curve=(pump.shut_off or pump_pressure(pump, 0.0), "kPa at no flow"),
        ),
        work("flow", "solve(gives, asks)", flow, "L/min", "supply.curve", gives=(pump_pressure(pump, flow), "kPa"), asks=(asks(flow), "kPa")),
    )


def wash_flow(design: Design) -> Figure:
    """What the source gives for a backwash [L/min]: as measured, or by the pump's curve at cut-in where that gives less."""
    duty, pump = design.duty, design.job.facts.supply.pump
    measured = duty.demand.supply_flow
    if pump is None or not known(pump):
        return figure(work("for a backwash", "measured", duty.wash, "L/min", "beds.backwash_pressure", measured=(measured, "L/min")))
    curve = flow_at(pump, duty.supply.pressure_low)
    return figure(
        work("by the curve at cut-in", "solve(curve, cut_in)", curve, "L/min", "supply.curve", curve=(pump_pressure(pump, 0.0), "kPa at no flow"), cut_in=(duty.supply.pressure_low, "kPa")),
        work("for a backwash", "min(measured, by_curve)", duty.wash, "L/min", "beds.backwash_pressure", measured=(measured, "L/min"), by_curve=(curve, "L/min")),
    )  # fmt: skip


def peaks(design: Design) -> list[tuple[str, Figure]]:
    """The peak of the house by each of the three schools."""
    return [(school, peak_of(design.job.facts, school)) for school in SCHOOLS]


def what_limits(design: Design, variant: Variant) -> list[tuple[str, float]]:
    """What each part of the way can carry [L/min], the least first: source, peak demand, pipe at 5 ft/s, the narrowest unit."""
    pipe = design.duty.supply.pipe
    found = [
        ("the source", design.duty.demand.supply_flow),
        ("the house's own peak", design.duty.demand.peak_flow.value),
        ("the pipe at its velocity mark", design.duty.rows["house"]["velocity_max"] * pi * pipe.bore**2 / 4 * 60000),
    ]
    units = [
        (stage.said, stage.sizing.figures["service_flow_limit"].value)
        for stage in variant.run.stages
        if "service_flow_limit" in stage.sizing.figures and not stage.at_tap and stage.kind != "uv"
    ]
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


def drain_check(design: Design, stage: StageRun) -> DrainCheck | None:
    """Bores a drain line needs: the trade's rule, and the least that carries the backwash from 20 psi at the valve over length and lift."""
    wash = stage.sizing.figures.get("backwash_flow")
    if wash is None:
        return None
    told, row, house = drain_of(design.job.facts, stage), table("plumbing")["drain_line"], design.duty.rows["house"]
    length = (told and told.distance) or row["length_m"]
    lift = (told and told.lift) or 0.0
    rule = drain_rule(length)
    left = max(house["residual_kpa"] - max(lift, 0.0) * G, 1.0)
    low, high = 0.004, 0.1
    for _ in range(40):
        middle = (low + high) / 2
        low, high = (
            (middle, high)
            if friction(wash.value, middle, FITTINGS * length, table("plumbing")["roughness_mm"][row["material"]] / 1000, stage.water_in.temperature)
            > left
            else (low, middle)
        )
    by_losses = figure(
        work(
            "pressure for the drain",
            "valve − 9.80665 × lift",
            left,
            "kPa",
            "hydraulics.residual",
            valve=(house["residual_kpa"], "kPa"),
            lift=(max(lift, 0.0), "m"),
        ),
        work(
            "bore", "solve(flow, length, left)", high, "m", "hydraulics.darcy", flow=(wash.value, "L/min"), length=(length, "m"), left=(left, "kPa")
        ),
    )
    return DrainCheck(stage.id, rule, by_losses, "losses" if high > rule else "rule", told.bore if told else None)


@dataclass(frozen=True, slots=True)
class WhatIf:
    """Pressure left at the highest tap [kPa] at another flow, pipe or state of the cartridges; velocity [m/s]."""

    flow: float
    nominal: float
    dirt: float
    residual: Figure
    velocity: float
    enough: bool


def what_if(design: Design, variant: Variant, flow: float, nominal: float, dirt: float) -> WhatIf:
    """Pressure left at a flow [L/min], a nominal pipe size [m], dirt 0 (clean) to 1 (time to change); Darcy-Weisbach and each unit's loss."""
    supply: Supply = design.duty.supply
    pipe = PipeRun(supply.pipe.material, nominal, bore(supply.pipe.material, nominal), supply.pipe.length)
    temperature = variant.run.raw.temperature
    pairs = [stage.room.loss(stage.keys, stage.sizing, flow, temperature) for stage in variant.run.stages]
    left = pressure_along(variant.run, design.duty, pipe.loss(flow, temperature), [clean + (dirty - clean) * dirt for clean, dirty in pairs])[-1]
    units = supply.pressure_low - pipe.loss(flow, temperature) - supply.height * G - left
    residual = figure(
        work("pipe", "solve(flow, bore)", pipe.loss(flow, temperature), "kPa", "hydraulics.darcy", flow=(flow, "L/min"), bore=(pipe.bore, "m")),
        work("left at the highest tap", "cut_in − pipe − units − 9.80665 × height", left, "kPa", "hydraulics.residual",
             cut_in=(supply.pressure_low, "kPa"), pipe=(pipe.loss(flow, temperature), "kPa"), units=(units, "kPa, less what pumps add"), height=(supply.height, "m")),
    )  # fmt: skip
    return WhatIf(flow, nominal, dirt, residual, pipe.velocity(flow), residual.value >= design.duty.rows["house"]["residual_kpa"])


def drawdown_of(volume: float, cut_in: float, cut_out: float) -> Figure:
    """Water a pressure tank gives back between its switch points [L]; Boyle, air charged 14 kPa below cut-in.

    volume [L], cut_in and cut_out [kPa]. 75 L between 276 and 414 kPa: 75 x (363/377 - 363/515) = 19.4 L.
    >>> round(drawdown_of(75.0, 276.0, 414.0).value, 1)
    19.4
    """
    air = cut_in - 14 + 101
    found = volume * (air / (cut_in + 101) - air / (cut_out + 101))
    return figure(
        work("drawdown", "volume × ((cut_in + 87) ÷ (cut_in + 101) − (cut_in + 87) ÷ (cut_out + 101))", found, "L", "supply.boyle",
             volume=(volume, "L"), cut_in=(cut_in, "kPa"), cut_out=(cut_out, "kPa")),
    )  # fmt: skip


@dataclass(frozen=True, slots=True)
class WhatIfRange:
    """What the what-if may be asked: flows up to most [L/min], nominal sizes of the job's pipe [in]; where it starts."""

    flow: float
    most: float
    inches: float
    sizes: tuple[float, ...]


def what_if_range(design: Design) -> WhatIfRange:
    """Up to twice the design flow, or the most that can pass; the sizes listed for the pipe, and its own."""
    pipe, flow = design.duty.supply.pipe, design.duty.flow
    own = pipe.nominal / INCH
    listed = sorted(float(size) for size in table("plumbing")["bore_mm"][pipe.material])
    near = [size for size in listed if abs(size - own) > 0.01]
    return WhatIfRange(flow, max(2 * flow, design.duty.passable), own, tuple(sorted([*near, own])))


def routed_loss(design: Design, wall: Wall) -> Figure:
    """Loss of the drawn pipe in service at design flow [kPa]: its length, and its fittings by K = fT x L/D, Crane TP 410.

    A unit's bypass turns the water through the branch of two tees; the tee of a drinking tap is passed straight.
    """
    pipe, flow, temperature = design.duty.supply.pipe, design.duty.flow, design.evidence.adverse.temperature
    rows = table("wall")["fitting"]
    straight = PipeRun(pipe.material, pipe.nominal, pipe.bore, wall.pipe_length("main", "leg", "metal"))
    along = friction(flow, pipe.bore, straight.length, table("plumbing")["roughness_mm"][pipe.material] / 1000, temperature)
    taps = {unit.id for unit in wall.units if unit.at_tap}
    passed = [fitting for fitting in wall.fittings if fitting.kind in ("elbow", "union") and fitting.unit not in taps]
    valves = [fitting for fitting in wall.fittings if fitting.kind == "valve" and fitting.part != "bypass" and fitting.unit not in taps]
    branches = [fitting for fitting in wall.fittings if fitting.kind == "tee" and fitting.unit not in taps]
    counts = {"elbow": sum(f.kind == "elbow" for f in passed), "union": sum(f.kind == "union" for f in passed), "valve": len(valves),
              "tee_branch": len(branches), "tee_run": sum(f.kind == "tee" and f.unit in taps for f in wall.fittings)}  # fmt: skip
    lengths = sum(rows[name] * count for name, count in counts.items())
    if design.job.facts.site.joining == "crimp":
        lengths += rows["crimp"] * sum(counts.values())
    turbulent = ft_Crane(pipe.bore)
    k = turbulent * lengths
    speed = pipe.velocity(flow)
    fittings = k * water_density(temperature) * speed**2 / 2000
    return figure(
        work("K", "fT × lengths", k, "", "hydraulics.crane", fT=(turbulent, ""), lengths=(lengths, f"diameters, {sum(counts.values())} fittings")),
        work("fittings", "K × density × velocity² ÷ 2000", fittings, "kPa", "hydraulics.crane", K=(k, ""), density=(water_density(temperature), "kg/m3"), velocity=(speed, "m/s")),
        work("pipe", "solve(flow, bore, length)", along, "kPa", "hydraulics.darcy", flow=(flow, "L/min"), bore=(pipe.bore, "m"), length=(straight.length, "m")),
        work("lost on the wall", "pipe + fittings", along + fittings, "kPa", "hydraulics.darcy", pipe=(along, "kPa"), fittings=(fittings, "kPa")),
    )  # fmt: skip
