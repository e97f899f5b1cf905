"""Pressure from the source to the highest tap: pipe, units clean and dirty, height."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from math import pi

from fluids.friction import friction_factor
from fluids.packed_bed import Ergun

from ..chemistry.carbonate import water_density, water_viscosity
from ..evidence.samples import Assumption
from ..job.facts import Facts
from ..language.display import show
from ..language.figure import constant
from ..language.tables import table
from .pipes import INCH, PipeSize, assumed_material, size_of

PSI = constant("psi")
GPM = constant("US_gpm")
G = constant("gravity")


@dataclass(frozen=True, slots=True)
class PipeRun:
    """The pipe the train stands in: its size with the real bore, and its length [m]."""

    size: PipeSize
    length: float

    @property
    def material(self) -> str:
        return self.size.material

    @property
    def bore(self) -> float:
        """Inside diameter [m]."""
        return self.size.bore

    def velocity(self, flow: float) -> float:
        """Velocity [m/s] at a flow [L/min]."""
        return flow / 60000.0 / (pi * self.bore**2 / 4)

    def loss(self, flow: float, temperature: float) -> float:
        """Friction loss [kPa] at a flow [L/min], so much of the length again allowed for fittings as its kind of joint asks."""
        return friction(flow, self.bore, self.counted, table("plumbing")["roughness_mm"][self.material] / 1000, temperature)

    @property
    def counted(self) -> float:
        """Its length with what its fittings are counted as [m]."""
        allowed = table("plumbing")["allowance"]
        return float(allowed.get(self.material, allowed["fittings"])) * self.length


@dataclass(frozen=True, slots=True)
class Supply:
    """What arrives: flow [L/min], cut-in and cut-out pressure and night pressure [kPa], temperature [degC]."""

    flow: float
    pressure_low: float
    pressure_high: float
    night_pressure: float | None
    height: float
    pipe: PipeRun


def friction(flow: float, bore: float, length: float, roughness: float, temperature: float) -> float:
    """Friction loss of a pipe [kPa]; Darcy-Weisbach with the friction factor of the library `fluids` (Colebrook, solved exactly).

    flow [L/min], bore, length, roughness [m], temperature [degC].
    """
    if flow <= 0:
        return 0.0
    speed = flow / 60000.0 / (pi * bore**2 / 4)
    reynolds = water_density(temperature) * speed * bore / water_viscosity(temperature)
    factor = friction_factor(Re=reynolds, eD=roughness / bore)
    return factor * length / bore * water_density(temperature) * speed**2 / 2 / 1000


@lru_cache(maxsize=4096)
def packed_bed_loss(flow: float, area: float, depth: float, grain: float, porosity: float, temperature: float) -> float:
    """Pressure loss of a clean granular bed [kPa]; Ergun (1952), from the library `fluids`.

    flow [L/min], area [m2], depth [m], grain diameter [m], porosity [-], temperature [degC].
    """
    if flow <= 0:
        return 0.0
    speed = flow / 60000.0 / area
    pascal: float = Ergun(dp=grain, voidage=porosity, vs=speed, rho=water_density(temperature), mu=water_viscosity(temperature), L=depth)
    return pascal / 1000


def valve_loss(flow: float, cv: float) -> float:
    """Loss through a valve [kPa] at a flow [L/min]: (Q/Cv)^2 with Q in gpm and loss in psi."""
    return (flow / GPM / cv) ** 2 * PSI


def square_law(flow: float, rated_flow: float, rated_loss: float) -> float:
    """A loss [kPa] that grows with the square of flow [L/min], from its rated point [L/min, kPa]."""
    return rated_loss * (flow / rated_flow) ** 2


def supply(facts: Facts, source_flow: float, flow: float) -> tuple[Supply, list[Assumption]]:
    """The supply of a job, gaps filled by stated assumptions. source_flow: what it gives; flow: design flow [L/min]."""
    notes: list[Assumption] = []
    given, assumed = facts.supply, table("assumed")["supply"]
    cut_in, floor = assumed["cut_in_psi"] * PSI, float(assumed["height_m"])

    def take(path: str, value: float | None, assumed: float, said: str, why: str) -> float:
        if value is not None:
            return value
        notes.append(Assumption(path, said, why))
        return assumed

    low = take(
        "$.supply.pressure_low",
        given.pressure_low,
        cut_in,
        show(cut_in, "kPa", facts.job.units),
        "the cut-in pressure was not given; a common switch setting",
    )
    high = given.pressure_high
    if high is None:
        high = low + assumed["span_psi"] * PSI
        notes.append(
            Assumption(
                "$.supply.pressure_high",
                show(high, "kPa", facts.job.units),
                f"the cut-out pressure was not given; {assumed['span_psi']} psi above cut-in",
            )
        )
    height = take(
        "$.building.top_fixture_height",
        facts.building.top_fixture_height,
        floor,
        show(floor, "m", facts.job.units),
        "height of the highest tap not given; an upper floor assumed",
    )
    pipe = given.pipe
    material = (pipe and pipe.material) or assumed_material()
    length = pipe.length if pipe and pipe.length is not None else float(assumed["pipe_m"])
    given_class = pipe.pressure_class if pipe else None
    size = size_of(material, pipe.size, given_class) if pipe and pipe.size else None
    if size is None:
        size = _pipe_for(material, flow, length)
        notes.append(
            Assumption(
                "$.supply.pipe",
                f"{size.called}, {show(length, 'm', facts.job.units)}",
                "pipe not given; the smallest common size that keeps the velocity limit at design flow",
            )
        )
    return Supply(source_flow, low, max(high, low), given.night_pressure, height, PipeRun(size, length)), notes


def _pipe_for(material: str, flow: float, length: float) -> PipeSize:
    """The smallest common size, 3/4 in or more, that keeps to the velocity mark."""
    most = table("stages")["house"]["velocity_max"]
    sizes = [size for inch in table("assumed")["supply"]["pipe_in"] if (size := size_of(material, inch * INCH)) is not None]
    return next((size for size in sizes if PipeRun(size, length).velocity(flow) <= most), sizes[-1])
