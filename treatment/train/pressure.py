"""The falling line of pressure along a train, from the source's cut-in to the highest tap."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from ..house.duty import Duty
from ..language.figure import Figure, constant, figure, work
from .room import TrainRun


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


def pressure_along(run: TrainRun, duty: Duty, pipe: float, losses: Sequence[float]) -> list[float]:
    """Pressure [kPa] at the source, after the pipe, after each unit, and at the highest tap.

    pipe: loss of the pipe; losses: of each unit in order [kPa]. From a roof the water runs to its tank by itself; the pump
    there gives the pressure, and the pipe to the house follows.
    """
    roof = duty.facts.source.kind == "rain" and any(stage.room.stores for stage in run.stages)
    start = 0.0 if roof else duty.supply.pressure_low
    at = start if roof else start - pipe
    line = [start, at]
    for stage, loss in zip(run.stages, losses, strict=True):
        if not stage.at_tap:
            at = stage.room.pressure_after(stage.sizing, at, loss)
        line.append(at)
    return [*line, at - (pipe if roof else 0.0) - duty.supply.height * constant("gravity")]


def pressure_line(run: TrainRun, duty: Duty) -> PressureLine:
    """Pressure from the source's cut-in to the highest tap, at design flow.

    Supply, less pipe and fittings, less each unit, less the height to the highest tap.
    """
    supply, flow, temperature = duty.supply, duty.flow, run.raw.temperature
    pipe = supply.pipe.loss(flow, temperature)
    height = work("height", "h × gravity", "kPa", "hydraulics.static", h=(supply.height, "m"))
    clean_line = pressure_along(run, duty, pipe, [stage.loss_clean for stage in run.stages])
    dirty_line = pressure_along(run, duty, pipe, [stage.loss_dirty for stage in run.stages])
    places = ("source", "pipe", *(stage.id for stage in run.stages), "house")
    points = tuple(PressurePoint(*each) for each in zip(places, clean_line, dirty_line, strict=True))

    def residual(losses: Sequence[float], line: Sequence[float]) -> Figure:
        units = sum(losses)
        added = round(line[-1] + height.value - (supply.pressure_low - pipe - units), 6) + 0.0  # what adding up leaves over is nothing
        left = work("left at the highest tap", "cut_in + added − pipe − units − height", "kPa", "hydraulics.residual",
                    cut_in=(supply.pressure_low, "kPa"), added=(added, "kPa by pumps, tanks and valves"), pipe=(pipe, "kPa"), units=(units, "kPa"),
                    height=(height.value, "kPa"))  # fmt: skip
        return figure(height, left)

    house = [stage for stage in run.stages if not stage.at_tap]
    return PressureLine(
        points,
        residual([stage.loss_clean for stage in house], clean_line),
        residual([stage.loss_dirty for stage in house], dirty_line),
    )
