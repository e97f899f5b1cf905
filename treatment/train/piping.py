"""What pipe and fittings on the wall cost in pressure: before and behind each unit, and on to the house."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

from fluids.friction import ft_Crane

from ..chemistry.carbonate import water_density
from ..house.hydraulics import PipeRun, friction
from ..language.tables import table


@dataclass(frozen=True, slots=True)
class PipeStretch:
    """Pipe [m], and its fittings as a length of pipe in diameters (Crane TP 410), that all of the flow passes."""

    length: float = 0.0
    diameters: float = 0.0

    def __add__(self, other: PipeStretch) -> PipeStretch:
        return PipeStretch(self.length + other.length, self.diameters + other.diameters)

    def loss(self, pipe: PipeRun, flow: float, temperature: float) -> float:
        """What it takes [kPa] at a flow [L/min]: friction by Darcy-Weisbach, fittings by K = fT x L/D."""
        metre, diameter = _each(pipe, flow, temperature)
        return self.length * metre + self.diameters * diameter


@lru_cache(maxsize=256)
def _each(pipe: PipeRun, flow: float, temperature: float) -> tuple[float, float]:
    """What a metre of pipe, and fittings of one diameter, take [kPa]."""
    rough = table("plumbing")["roughness_mm"][pipe.material] / 1000
    dynamic = water_density(temperature) * pipe.velocity(flow) ** 2 / 2000
    return friction(flow, pipe.bore, 1.0, rough, temperature), ft_Crane(pipe.bore) * dynamic


@dataclass(frozen=True, slots=True)
class Piping:
    """The pipe on a wall. before, behind: of each unit, in the order of the train; house: from the last of them to where it leaves.

    taken: how far along the wall the units reach [mm], as they are drawn.
    """

    before: tuple[PipeStretch, ...] = ()
    behind: tuple[PipeStretch, ...] = ()
    house: PipeStretch = PipeStretch()
    taken: float = 0.0

    @property
    def whole(self) -> PipeStretch:
        """All of it."""
        return sum((*self.before, *self.behind), self.house)

    def losses(self, pipe: PipeRun, flow: float, temperature: float) -> tuple[Sequence[float], Sequence[float], float]:
        """What each stretch takes [kPa] at a flow [L/min]: before each unit, behind each, on to the house."""
        return (
            [stretch.loss(pipe, flow, temperature) for stretch in self.before], [stretch.loss(pipe, flow, temperature) for stretch in self.behind],
            self.house.loss(pipe, flow, temperature),
        )  # fmt: skip
