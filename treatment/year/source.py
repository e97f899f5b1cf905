"""What the source brings day by day: seasons of its analytes and temperature, the rain of a roof, the pressure of each draw."""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence
from dataclasses import dataclass
from math import pi
from typing import Any

import numpy as np

from ..house import rain
from ..house.pump import known, pump_pressure
from ..job.facts import Facts
from ..language.tables import table
from ..planning.evaluated import EvaluatedTrain
from .household import Array, Draws
from .scenarios import DayHappens

#: what a hard season, and a dirty one, multiplies
HARD, DIRTY = ("hardness", "alkalinity"), ("turbidity", "tss", "iron", "ferric_iron")


@dataclass(frozen=True, slots=True)
class Source:
    """Raw water by analyte and day, temperature by day [degC], what may be assumed of it, the share of its flow it gives by day."""

    water: Array
    temperature: Array
    assumed: tuple[str, ...]
    yields: Array
    weak: Array


def source(variant: EvaluatedTrain, names: Sequence[str], start: dt.date, happens: Sequence[DayHappens]) -> Source:
    """The raw water of each day: the design water, with the season its samples show, or that its kind of source usually has."""
    facts, raw = variant.audit.facts, variant.run.raw.known()
    days = len(happens)
    kind = facts.source.kind or "drilled_well"
    first = start.timetuple().tm_yday - 1
    doy = (np.arange(days) + first) % 365
    peaks, usual = table("year")["source"]["peak"], table("year")["source"]["season"].get(kind, {})
    measured = _measured(variant)
    water = np.repeat(np.array([raw.get(name, 0.0) for name in names])[:, None], days, axis=1)
    assumed = []
    for index, name in enumerate(names):
        swing = np.cos(2 * pi * (doy - peaks.get(name, peaks["other"])) / 365)
        if name in measured:
            low, high = measured[name]
            water[index] = (low + high) / 2 + (high - low) / 2 * swing
        elif name in usual and name not in variant.audit.evidence.only_assumed:
            water[index] *= 1 + usual[name] * swing
            assumed.append(f"{name} swings by {usual[name]:.0%} over the year, assumed of this kind of source")
    warm = float(table("year")["source"]["temperature"].get(kind, 1.0))
    given = facts.supply.temperature if facts.supply.temperature is not None else variant.run.raw.temperature
    amplitude = given - facts.supply.coldest if facts.supply.coldest is not None and facts.supply.coldest < given else warm
    cold = np.array([day.cold for day in happens])
    temperature = given + amplitude * np.cos(2 * pi * (doy - table("year")["draws"]["summer"]) / 365) - cold
    hard, dirty = np.array([day.hard for day in happens]), np.array([day.dirty for day in happens])
    for index, name in enumerate(names):
        water[index] *= hard if name in HARD else dirty if name in DIRTY else 1.0
    return Source(
        water,
        np.maximum(temperature, 1.0),
        tuple(assumed),
        np.array([day.yields * day.weak for day in happens]),
        np.array([day.weak for day in happens]),
    )


def _measured(variant: EvaluatedTrain) -> dict[str, tuple[float, float]]:
    """Analytes that several days' samples found apart: least and most."""
    found: dict[str, list[float]] = {}
    days: dict[str, set[Any]] = {}
    for sample in variant.audit.facts.samples:
        if sample.point not in ("raw", "pressure_tank"):
            continue
        for name, reading in sample.readings.items():
            if reading.high is not None and reading.low is not None:
                found.setdefault(name, []).append((reading.low + reading.high) / 2)
                days.setdefault(name, set()).add(sample.taken_on)
    return {name: (min(values), max(values)) for name, values in found.items() if len(days[name] - {None}) > 1 and max(values) > min(values) > 0}


def rain_by_day(facts: Facts, start: dt.date, days: int, seed: int, yields: Array) -> Array:
    """What a roof brings to its tank each day [L], its first flush let go; zeros where there is none.

    Given by the day it falls as given; by the month it is dealt out to wet days that follow each other, with dry spells between.
    """
    record = rain.record(facts)
    if record is None:
        return np.zeros(days)
    told = facts.source.rain
    depth = _given(list(told.daily_rain), days) if told and told.daily_rain else _dealt(told.monthly_rain or () if told else (), start, days, seed)
    return np.asarray(np.maximum(depth - record.flush, 0.0) * record.roof * record.runoff * 1000 * np.where(yields < 1, 0.0, 1.0))


def _given(depths: Sequence[float], days: int) -> Array:
    return np.asarray(np.resize(np.array(depths, dtype=float), days))


def _dealt(months: Sequence[float], start: dt.date, days: int, seed: int) -> Array:
    """A month's sum on its wet days, in shares of a falling chance."""
    row, rng = table("year")["rain"], np.random.default_rng([seed, 3])
    depth = np.zeros(days)
    dates = [start + dt.timedelta(days=day) for day in range(days)]
    begins = row["wet_days"] / 30 * (1 - row["wet_stays"]) / (1 - row["wet_days"] / 30)
    wet, state = [], False
    for _ in dates:
        state = bool(rng.random() < (row["wet_stays"] if state else begins))
        wet.append(state)
    groups: dict[tuple[int, int], list[int]] = {}
    for day, date in enumerate(dates):
        groups.setdefault((date.year, date.month), []).append(day)
    for (_, month), inside in groups.items():
        share = len(inside) / rain.MONTH_DAYS[month - 1]
        on = [day for day in inside if wet[day]] or [inside[len(inside) // 2]]
        parts = rng.exponential(1.0, len(on))
        depth[on] += months[month - 1] * share * parts / parts.sum()
    return depth


def pressure_at_source(variant: EvaluatedTrain, draws: Draws, weak: Array, seed: int) -> Array:
    """Pressure at the source while each draw runs [kPa]: a mains by its hour; a pump and its tank anywhere between the switch points.

    A pump whose curve is known gives no more than the curve does at that flow.
    """
    facts, supply = variant.audit.facts, variant.audit.duty.supply
    low, high = supply.pressure_low, supply.pressure_high
    day = np.minimum(draws.at // 1440, len(weak) - 1).astype(int)
    if facts.source.kind == "town":
        share = np.interp(draws.at % 1440 / 60, np.arange(24) + 0.5, table("year")["town"]["hours"])
    else:
        share = np.random.default_rng([seed, 4]).random(len(draws.at))
    at = (low + (high - low) * share) * weak[day]
    pump = facts.supply.pump
    if pump is not None and known(pump):
        flows = np.linspace(0.0, max(float(draws.flow.max(initial=1.0)), 1.0), 12)
        at = np.minimum(at, np.interp(draws.flow, flows, [max(pump_pressure(pump, float(flow)), 0.0) for flow in flows]) * weak[day])
    return np.asarray(at)


def drawdown(facts: Facts) -> float:
    """Litres drawn between cut-out and cut-in [L]: as tested, by the tank's size, or usual."""
    row, supply = table("year")["pump"], facts.supply
    if supply.drawdown is not None and supply.drawdown.drawn:
        return float(supply.drawdown.drawn)
    return float(supply.pressure_tank * row["tank_share"] if supply.pressure_tank else row["drawdown_l"])
