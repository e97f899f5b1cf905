"""What a stage uses while it runs: water to the drain and power in a year, the same for every treatment that does either."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from ..house.demand import draw_flow
from ..house.duty import Duty
from ..language.figure import Figure, Line, figure, work
from ..language.tables import table

#: hours that something runs which is always on
ALWAYS = 8760.0


def drained(figures: Mapping[str, Figure]) -> Line | None:
    """What washes or regenerations send to the drain in a year [L]; None where there are none."""
    for each, every in (("water_per_regeneration", "regeneration_interval"), ("water_per_backwash", "backwash_interval")):
        if each in figures and every in figures:
            water, interval = (figures[each].value, "L"), (figures[every].value, "day")
            return work("to the drain a year", "365 ÷ interval × water", "L", "beds.cycle", interval=interval, water=water)
    return None


def rejected(permeate: float, recovery: float) -> Line:
    """What a membrane sends to the drain in a year [L]. permeate [L/day]; recovery [-]."""
    return work(
        "to the drain a year",
        "permeate × (1 − recovery) ÷ recovery × 365",
        "L",
        "membrane.balance",
        permeate=(permeate, "L/day"),
        recovery=(recovery, ""),
    )


def burned(watts: float, hours: float) -> Line:
    """Power of a year [kWh]. watts; hours that they run."""
    return work("power a year", "watts × hours ÷ 1000", "kWh", "costs.running", watts=(watts, "W"), hours=(hours, "h"))


def lifted(litres: float, pressure: float, efficiency: float) -> Line:
    """Power of a pump in a year [kWh]. litres that it lifts in a year; pressure [kPa]; efficiency of pump and motor [-]."""
    return work("power a year", "liters × pressure ÷ efficiency ÷ J_kWh", "kWh", "costs.running",
                liters=(litres, "L"), pressure=(pressure, "kPa"), efficiency=(efficiency, ""))  # fmt: skip


def hours_of_draw(duty: Duty) -> float:
    """Hours of a year in which water is drawn [h]."""
    return duty.daily_mean * 365 / draw_flow() / 60


def usual_power(kind: str, duty: Duty) -> Line:
    """Power of what has a control valve, a metering pump or an air pump in a year [kWh], by ``data/vessels.toml``."""
    rows: dict[str, Any] = table("vessels")["watts"]
    watts, how = rows.get(kind, rows["control_valve"])
    return burned(float(watts), hours_of_draw(duty) if how == "draw" else ALWAYS)


def running(drain: Line | None, power: Line | None) -> dict[str, Figure]:
    """The figures of a year's drain and power, as far as a stage has either."""
    found = {}
    if drain is not None:
        found["drain_per_year"] = figure(drain)
    if power is not None:
        found["energy_per_year"] = figure(power)
    return found
