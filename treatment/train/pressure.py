"""The falling line of pressure along a train, from the source's cut-in to the highest tap."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from ..house.duty import Duty
from ..house.hydraulics import PipeRun
from ..language.figure import Figure, constant, figure, work
from .piping import Piping
from .treatment import TrainRun


@dataclass(frozen=True, slots=True)
class PressurePoint:
    """Pressure [kPa] after a place along the train, units clean and dirty."""

    at: str
    clean: float
    dirty: float


@dataclass(frozen=True, slots=True)
class PressureLine:
    """The falling line of pressure at design flow, and what is left at the highest tap [kPa]."""

    points: tuple[PressurePoint, ...]
    residual_clean: Figure
    residual_dirty: Figure


@dataclass(frozen=True, slots=True)
class Losses:
    """What the way takes [kPa]: the pipe to the house, each unit, and the wall's own pipe before and behind each unit and on to the house."""

    pipe: float
    units: Sequence[float]
    before: Sequence[float]
    behind: Sequence[float]
    house: float

    @property
    def wall(self) -> float:
        """All of the wall's own pipe and fittings."""
        return sum(self.before) + sum(self.behind) + self.house


def losses_at(run: TrainRun, duty: Duty, piping: Piping, flow: float, units: Sequence[float], pipe: PipeRun | None = None) -> Losses:
    """What the way takes at a flow [L/min], in the job's pipe or another one. units: loss of each unit [kPa]."""
    held, temperature = pipe or duty.supply.pipe, run.raw.temperature
    before, behind, house = piping.losses(held, flow, temperature)
    return Losses(held.loss(flow, temperature), units, before, behind, house)


def pressure_along(run: TrainRun, duty: Duty, losses: Losses) -> list[float]:
    """Pressure [kPa] at the source, after the pipe, after each unit, and at the highest tap.

    What the wall's pipe takes before a unit and behind it counts with the unit; between an open tank and its pump nothing does. From a roof the water runs to its tank by itself;
    the pump there gives the pressure, and the pipe to the house follows.
    """
    roof = duty.facts.source.kind == "rain" and any(stage.room.stores for stage in run.stages)
    start = 0.0 if roof else duty.supply.pressure_low
    at = start if roof else start - losses.pipe
    line = [start, at]
    falls = roof  # water falls into a tank, and runs to its pump, by itself
    for stage, loss, before, behind in zip(run.stages, losses.units, losses.before, losses.behind, strict=True):
        at -= 0.0 if falls else before
        if not stage.at_tap:
            at = stage.room.pressure_after(stage.sizing, at, loss)
        falls = stage.room.stores or (falls and at <= 0)
        at -= 0.0 if falls else behind
        line.append(at)
    return [*line, at - losses.house - (losses.pipe if roof else 0.0) - duty.supply.height * constant("gravity")]


def pressure_line(run: TrainRun, duty: Duty, piping: Piping) -> PressureLine:
    """Pressure from the source's cut-in to the highest tap, at design flow.

    Supply, less the pipe to the house, less the wall's own pipe and fittings, less each unit, less the height to the highest tap.
    """
    supply, flow = duty.supply, duty.flow
    clean = losses_at(run, duty, piping, flow, [stage.loss_clean for stage in run.stages])
    dirty = replace(clean, units=[stage.loss_dirty for stage in run.stages])
    height = work("height", "h × gravity", "kPa", "hydraulics.static", h=(supply.height, "m"))
    clean_line, dirty_line = pressure_along(run, duty, clean), pressure_along(run, duty, dirty)
    places = ("source", "pipe", *(stage.id for stage in run.stages), "house")
    points = tuple(PressurePoint(*each) for each in zip(places, clean_line, dirty_line, strict=True))

    def residual(losses: Losses, line: Sequence[float]) -> Figure:
        units = sum(loss for stage, loss in zip(run.stages, losses.units, strict=True) if not stage.at_tap)
        added = (
            round(line[-1] + height.value - (supply.pressure_low - losses.pipe - losses.wall - units), 6) + 0.0
        )  # what adding up leaves over is nothing
        left = work("pressure at the highest tap", "cut_in + added − pipe − wall − units − height", "kPa", "hydraulics.residual",
                    cut_in=(supply.pressure_low, "kPa"), added=(added, "kPa by pumps, tanks and valves"), pipe=(losses.pipe, "kPa to the house"),
                    wall=(losses.wall, "kPa in the wall's own pipe and fittings"), units=(units, "kPa"), height=(height.value, "kPa"))  # fmt: skip
        return figure(height, left)

    return PressureLine(points, residual(clean, clean_line), residual(dirty, dirty_line))
