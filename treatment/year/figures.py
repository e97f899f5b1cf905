"""What a year comes to: totals, daily series, balances, minutes beyond limits; from what the machine kept."""

from __future__ import annotations

from collections.abc import Iterator
from functools import cached_property
from typing import Any, NamedTuple

import numpy as np

from ..house.needs import soften_above
from ..job.limits import Limit
from ..language.analytes import MICROBES, analytes
from ..language.figure import constant, rounded
from ..language.tables import table
from .household import Array
from .machine import Machine, Year
from .place import WEIGHED, Place
from .pressure import Pressures, pressures
from .source import drawdown


class YearTotal(NamedTuple):
    """A value and its unit."""

    value: float
    unit: str

    def as_json(self) -> dict[str, Any]:
        return {"value": rounded(float(self.value)), "unit": self.unit}


class YearBalance(NamedTuple):
    """What came in, went out and is held at the end more than at the start."""

    came: float
    went: float
    held: float
    unit: str

    @property
    def residue(self) -> float:
        """What does not add up, in percent of what came in or went out."""
        most = max(abs(self.came), abs(self.went), abs(self.held))
        return round(100 * (self.came - self.went - self.held) / most, 6) + 0.0 if most > 1e-9 else 0.0

    def as_json(self) -> dict[str, Any]:
        sides = {"in": self.came, "out": self.went, "held": self.held}
        return {name: {"value": rounded(value), "unit": self.unit} for name, value in sides.items()} | {"residue_percent": rounded(self.residue)}


class Came:
    """A year in figures. Each is worked out when it is first asked for."""

    def __init__(self, year: Year):
        self.year = year

    @cached_property
    def pressures(self) -> Pressures:
        """Pressures by draw."""
        return pressures(self.year)

    @cached_property
    def minutes(self) -> Array:
        """How long each draw ran that was served [min]."""
        return np.asarray(self.year.served / self.year.draws.flow)

    # --- totals -------------------------------------------------------------------------------------------------------
    @cached_property
    def totals(self) -> dict[str, YearTotal]:
        """The totals of the year, by name."""
        year, litres = self.year, self.year.ledger.litres
        found = {"water_used": YearTotal(litres["taps"], "L"), "water_to_drain": YearTotal(litres["drain"], "L")}
        salted = [place for place in year.places if "salt" in place.state]
        found["salt"] = YearTotal(sum(place.kept.used.get("salt", 0.0) for place in salted), "kg")
        found["calcite"] = YearTotal(sum(_gone(place, "bed_left") for place in year.places), "kg")
        for place in year.places:
            events = place.kept.events
            for kind, name in (("regeneration", "regenerations"), ("backwash", "backwashes")):
                if kind in events or (place.hour is not None and kind == place.over_time.washes_by):
                    found[f"{name}/{place.id}"] = YearTotal(events.get(kind, 0), "1")
            if any(stock.renewed_by in ("cartridge", "elements") for stock in place.over_time.stocks):
                found[f"cartridges/{place.id}"] = YearTotal(events.get("change:cartridge", 0) + events.get("change:elements", 0), "1")
            if "lamp_hours" in place.state:
                found[f"lamp_hours/{place.id}"] = YearTotal(self.burned(place), "hour")
        starts, pumped = self._pump()
        found["pump_starts"] = YearTotal(starts, "1")
        found["energy"] = YearTotal(sum(_energy(place, year.days) for place in year.places) + pumped, "kWh")
        found["minutes_low_pressure"] = YearTotal(self.low_pressure, "min")
        found["storage_empty"] = YearTotal(float(year.empty.sum()), "min")
        found["minutes_without_water"] = YearTotal(float(year.no_water.sum()), "min")
        return found

    def burned(self, place: Place) -> float:
        """Hours that a lamp burned [h]."""
        return place.kept.used.get("lamp_hours", 0.0)

    def _pump(self) -> tuple[float, float]:
        """Starts of the source's pump, and its energy [kWh]: it starts when what stands between the switch points is drawn."""
        year, duty, row = self.year, self.year.variant.audit.duty, table("year")["pump"]
        if year.variant.audit.facts.source.kind in ("town", "rain"):
            return 0.0, 0.0
        taken, gives = year.ledger.litres["taken"], max(duty.demand.supply_flow, 1e-6)
        share = np.clip(1 - year.draws.flow / gives, 0.0, 1.0)
        drawn = float(year.served.sum())
        starts = float((year.served * share).sum()) / max(drawn, 1e-9) * taken / drawdown(year.variant.audit.facts)
        mean = (duty.supply.pressure_low + duty.supply.pressure_high) / 2
        return float(round(starts)), taken * mean / row["efficiency"] / constant("J_kWh")

    @property
    def least_pressure(self) -> float:
        """What is asked at the highest tap [kPa]."""
        return float(self.year.variant.audit.duty.rows["house"]["residual_kpa"])

    @cached_property
    def low_pressure(self) -> float:
        """Minutes in which the highest tap has less than is asked [min]."""
        return float(self.minutes[self.pressures.tap < self.least_pressure].sum())

    def day_sums(self, values: Array) -> Array:
        """Sums by day of a value a draw."""
        bounds = self.year.draws.day
        running = np.concatenate([[0.0], np.cumsum(values)])
        return np.asarray(running[bounds[1:]] - running[bounds[:-1]])

    # --- beyond limits ------------------------------------------------------------------------------------------------
    @cached_property
    def limits(self) -> dict[str, tuple[float | None, float]]:
        """What is held against the water at the taps: analyte -> least and most; microbes: none at all."""
        audit, names = self.year.variant.audit, {*self.year.names, *self.year.still}
        found: dict[str, tuple[float | None, float]] = {}
        for limit in sorted(audit.limits, key=_strictness):
            if limit.analyte in names:
                found.setdefault(limit.analyte, (limit.low, limit.high))
        if "hardness" in names:
            found["hardness"] = (None, soften_above(audit.facts))
        for name in MICROBES:
            if name in names:
                found[name] = (None, 0.0)
        return found

    def beyond(self, analyte: str) -> Array:
        """Minutes of each draw, or of each day at a drinking tap, in which an analyte is beyond its limit."""
        low, high = self.limits[analyte]
        values, minutes = self.where_drunk(analyte)
        out = values > high * (1 + 1e-6) + 1e-12
        if low is not None:
            out = out | (values < low - 1e-3)
        return np.asarray(np.where(out, minutes, 0.0))

    def where_drunk(self, analyte: str) -> tuple[Array, Array]:
        """Values and minutes at the drinking tap where a branch treats it, else at the taps of the house."""
        year = self.year
        if year.branch is not None and analyte in year.names and any(_treats(place, analyte) for place in year.places if place.stage.at_tap):
            duty = year.variant.audit.duty
            return year.branch[year.names.index(analyte)], np.full(year.days, duty.drinking_daily / max(duty.drinking, 1e-6))
        return year.at_taps(analyte), self.minutes

    @cached_property
    def minutes_beyond(self) -> dict[str, YearTotal]:
        """Minutes beyond its limit, by analyte, while water is drawn."""
        return {name: YearTotal(float(self.beyond(name).sum()), "min") for name in analytes() if name in self.limits}

    # --- day by day ---------------------------------------------------------------------------------------------------
    def by_day(self, values: Array, weights: Array) -> tuple[Array, Array, Array]:
        """Least, mean and most of each day of what was drawn; a day without a draw keeps the value of the day before."""
        bounds = self.year.draws.day
        begin, busy = bounds[:-1], bounds[1:] > bounds[:-1]
        if not busy.any():
            nothing = np.zeros(self.year.days)
            return nothing, nothing, nothing
        at = begin[busy]
        low, high = np.minimum.reduceat(values, at), np.maximum.reduceat(values, at)
        weight = np.add.reduceat(weights, at)
        mean = np.where(weight > 0, np.add.reduceat(values * weights, at) / np.maximum(weight, 1e-12), low)
        last = np.maximum(np.cumsum(busy) - 1, 0)
        return low[last], mean[last], high[last]

    def series(self) -> Iterator[tuple[str, str, Array, Array, Array]]:
        """Every series: name, unit, and least, mean and most of each day."""
        year, draws = self.year, self.year.draws
        high = self.by_day(draws.flow, year.served)[2]
        used = self.day_sums(year.served)
        quiet = used <= 1e-9
        yield "use", "L/min", np.where(quiet, 0.0, 0.0), used / 1440, np.where(quiet, 0.0, high)
        drained = year.ledger.drained / 1440
        yield "drain", "L/min", np.zeros(year.days), drained, np.maximum(_washing(year), drained)
        for name in analytes():
            if name in self.limits or (name in ("hardness", "iron", "ph") and name in year.names):
                yield f"tap.{name}", analytes()[name].unit, *self.by_day(year.at_taps(name), year.served)
        yield "tap.pressure", "kPa", *self.by_day(self.pressures.tap, year.served)
        for place in year.places:
            if place.id in self.pressures.drops and (place.stage.loss_dirty > 0 or place.stage.loss_clean > 0):
                yield f"{place.id}.pressure_drop", "kPa", *self.by_day(self.pressures.drops[place.id], year.served)
            for name, (unit, rows) in place.kept.series.items():
                columns = np.array(rows)
                yield f"{place.id}.{name}", unit, columns[:, 0], columns[:, 1], columns[:, 2]

    # --- balances -----------------------------------------------------------------------------------------------------
    @cached_property
    def balances(self) -> dict[str, YearBalance]:
        """What comes in goes out or is held: water, hardness, iron, chlorine, salt, calcite."""
        year, ledger = self.year, self.year.ledger
        stored = sum(place.state["level"] - place.first["level"] for place in year.places if place.store is not None and not place.stage.at_tap)
        found = {"water": YearBalance(ledger.litres["taken"], ledger.litres["taps"] + ledger.litres["drain"], stored, "L")}
        grams, stays = ledger.grams, sum((place.kept.stays for place in year.places), np.zeros(len(WEIGHED)))
        stood = sum((place.stood(ledger) for place in year.places if place.store is not None), np.zeros(len(WEIGHED)))
        for index, name in enumerate(WEIGHED):
            came, went = grams["taken"][index] + grams["given"][index], grams["taps"][index] + grams["drain"][index]
            found[name] = YearBalance(float(came), float(went), float(stays[index] + stood[index]), "g")
        for name, stock in (("salt", "salt"), ("calcite", "bed_left")):
            places = [place for place in year.places if stock in place.state]
            bought = sum(place.kept.bought.get(stock, 0.0) for place in places)
            left = sum(place.state[stock] - place.first[stock] for place in places)
            used = self.totals[name].value
            found[name] = YearBalance(bought, used, left, "kg")
        return found


def _strictness(limit: Limit) -> float:
    return limit.high


def _energy(place: Place, days: int) -> float:
    """Power that a stage used [kWh]: by its steps, or what its figures say of one that is on by the clock."""
    steady = place.stage.figures.get("energy_per_year")
    return place.kept.energy or (steady.value * days / 365 if steady is not None else 0.0)


def _gone(place: Place, stock: str) -> float:
    """How much of what a stage gives off is gone in the year."""
    return place.kept.used.get(stock, 0.0)


def _treats(place: Place, analyte: str) -> bool:
    one, other = place.stage.water_in.known(), place.stage.water_out.known()
    return abs(one.get(analyte, 0.0) - other.get(analyte, 0.0)) > 1e-12


def _washing(year: Year) -> Array:
    """The greatest flow to drain of each day [L/min]."""
    most = np.zeros(year.days)
    flows = {place.id: place.stage.wash_flow for place in year.places}
    for event in year.events:
        if event.stage in flows and event.kind in ("regeneration", "backwash"):
            day = min(int(event.at // 1440), year.days - 1)
            most[day] = max(most[day], flows[event.stage])
    return most


def came_of(machine: Machine) -> Came:
    """A year that is run to be kept, with what came of it: a quarter of its weight, without the waters that only its walk needed."""
    came = Came(machine.run())
    for place in machine.places:
        place.last_at = None
    return came
