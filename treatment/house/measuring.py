"""Measurements at the tap and the gauge: bucket and drawdown tests, pressures by day and by night, what a tank gives."""

from __future__ import annotations

from dataclasses import dataclass

from ..language.figure import Figure, figure, work
from ..language.tables import table


@dataclass(frozen=True, slots=True)
class MeasuredSpread:
    """Several runs of one measurement: their mean, and how far the furthest lies from it [-]."""

    mean: Figure
    off: float
    runs: tuple[float, ...]

    @property
    def wide(self) -> bool:
        """Whether the runs lie so far apart that they are worth doing again."""
        return bool(self.off > table("plumbing")["measuring"]["spread"])


def measured_flow(runs: list[tuple[float, float]]) -> MeasuredSpread:
    """Flow [L/min] from runs of volume [L] over time [min]; the mean of the runs, and their spread.

    >>> measured_flow([(30.0, 1.0), (32.0, 1.0)]).mean.value
    31.0
    """
    flows = tuple(volume / minutes for volume, minutes in runs)
    lines = [
        work(f"run {i}", f"volume{i} ÷ time{i}", "L/min", "demand.drawdown", **{f"volume{i}": (volume, "L"), f"time{i}": (minutes, "min")})
        for i, (volume, minutes) in enumerate(runs, 1)
    ]
    total = " + ".join(f"run{i}" for i in range(1, len(flows) + 1))
    mean = work("mean", f"({total}) ÷ {len(flows)}", "L/min", "demand.drawdown", **{f"run{i}": (flow, "L/min") for i, flow in enumerate(flows, 1)})
    return MeasuredSpread(figure(*lines, mean), max(abs(flow - mean.value) for flow in flows) / mean.value if mean.value else 0.0, flows)


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


def drawdown_of(volume: float, cut_in: float, cut_out: float) -> Figure:
    """Water a pressure tank gives back between its switch points [L]; Boyle, air charged 14 kPa below cut-in.

    volume [L], cut_in and cut_out [kPa]. 75 L between 276 and 414 kPa: 75 x (363/377 - 363/515) = 19.4 L.
    >>> round(drawdown_of(75.0, 276.0, 414.0).value, 1)
    19.4
    """
    row = table("plumbing")["pressure_tank"]
    below, air = (float(row["charge_below_kpa"]), "kPa"), (float(row["atmosphere_kpa"]), "kPa")
    return figure(
        work("drawdown", "volume × ((cut_in − below + air) ÷ (cut_in + air) − (cut_in − below + air) ÷ (cut_out + air))", "L", "supply.boyle",
             volume=(volume, "L"), cut_in=(cut_in, "kPa"), cut_out=(cut_out, "kPa"), below=below, air=air),
    )  # fmt: skip
