"""What the house asks for and what the source gives."""

from __future__ import annotations

from bisect import bisect_right
from dataclasses import dataclass

from ..evidence.samples import Assumption
from ..job.facts import Building, Facts
from ..language.display import show
from ..language.figure import Figure, figure, work
from ..language.tables import table
from .hydraulics import GPM, PSI
from .pump import flow_at, known


@dataclass(frozen=True, slots=True)
class Demand:
    """Flows the design stands on: daily_use [L/day]; the rest [L/min].

    passable is the greatest flow the plumbing can pass: what an ultraviolet lamp has to treat.
    """

    daily_use: Figure
    peak_flow: Figure
    supply_flow: float
    design_flow: Figure
    passable: Figure


def interpolate(x: float, xs: list[float], ys: list[float]) -> float:
    """Straight-line interpolation in a rising table; held at both ends."""
    if x <= xs[0]:
        return float(ys[0])
    if x >= xs[-1]:
        return float(ys[-1])
    i = bisect_right(xs, x)
    return float(ys[i - 1] + (ys[i] - ys[i - 1]) * (x - xs[i - 1]) / (xs[i] - xs[i - 1]))


def demand(facts: Facts) -> tuple[Demand, list[Assumption]]:
    """Daily use, peak and design flow of a job, with what had to be assumed."""
    notes: list[Assumption] = []
    building = facts.building
    daily = _daily_use(facts, notes)
    peak = _peak(facts, building, notes)
    supply = _supply(facts, peak.value, notes)
    design = figure(work("design flow", "min(peak, supply)", "L/min", "demand.design_flow", peak=(peak.value, "L/min"), supply=(supply, "L/min")))
    passable = figure(work("greatest flow", "max(peak, supply)", "L/min", "demand.passable", peak=(peak.value, "L/min"), supply=(supply, "L/min")))
    return Demand(daily, peak, supply, design, passable), notes


def draw_flow() -> float:
    """The mean flow of a household's draws [L/min], by the end uses of ``data/year.toml``: liters of a day over the minutes that run."""
    rows = table("year")["use"]
    litres = sum(row["flow"] * row["minutes"] * row["each"] for row in rows)
    return float(litres / sum(row["minutes"] * row["each"] for row in rows))


def behind_a_pump(before: Demand) -> Demand:
    """What is served behind a tank and its pump: the whole peak, whatever the source gives."""
    peak, given = before.peak_flow, max(before.peak_flow.value, before.supply_flow)
    design = figure(work("design flow after the pump", "peak", "L/min", "demand.stored", peak=(peak.value, "L/min")))
    return Demand(before.daily_use, peak, given, design, figure(work("greatest flow", "gives", "L/min", "demand.stored", gives=(given, "L/min"))))


def feeding(before: Demand, permeate: float, recovery: float, flow: float, wash: float = 0.0) -> Demand:
    """What stands before a membrane for a house: it treats the feed, permeate and reject, at the flow of the feed.

    permeate: of a day [L/day]; recovery [-]; flow: of the feed [L/min]; wash: what a bed behind it takes to be washed [L/min].
    """
    daily = work("feed of a day", "permeate ÷ recovery", "L/day", "membrane.feed_days", permeate=(permeate, "L/day"), recovery=(recovery, ""))
    feed = figure(work("feed flow", "max(feed, wash)", "L/min", "membrane.feed_days", feed=(flow, "L/min"), wash=(wash, "L/min")))
    return Demand(figure(daily), feed, before.supply_flow, feed, feed)


def _daily_use(facts: Facts, notes: list[Assumption]) -> Figure:
    building = facts.building
    people, each = building.people, building.use_per_person
    if people is None:
        people = 0.0 if building.events else float(table("plumbing")["use"]["people"])
        if not building.events:
            notes.append(Assumption("$.building.people", "3 people", "the number of people was not given; a typical household"))
    if each is None:
        usual = table("plumbing")["use"]["each_l"]
        each = float(usual.get(facts.job.standard, usual["other"]))
        notes.append(
            Assumption("$.building.use_per_person", show(each, "L/day", facts.job.units), "typical use per person; a metered bill is more accurate")
        )
    extra = building.extra_daily_use or 0.0
    events = 0.0
    for event in building.events:
        per_day = event.per_day if event.per_day is not None else 1.0
        events += (event.volume or 0.0) * (max(per_day) if isinstance(per_day, tuple) else per_day)
    return figure(
        work(
            "daily use",
            "max(people × each + extra + events, 1)",
            "L/day",
            "demand.per_person",
            people=(people, ""),
            each=(each, "L/day"),
            extra=(extra, "L/day"),
            events=(events, "L/day"),
        )
    )


def peak_of(facts: Facts, school: str) -> Figure:
    """The peak of the house by one school."""
    return _peak(facts, facts.building, [], school)


def _peak(facts: Facts, building: Building, notes: list[Assumption], school: str = "") -> Figure:
    tables = table("plumbing")
    school = school or facts.schools.peak_flow
    bathrooms = building.bathrooms
    if bathrooms is None and building.fixtures is None:
        bathrooms = float(table("assumed")["house"]["bathrooms"])
        notes.append(Assumption("$.building.bathrooms", f"{bathrooms:g} bathrooms", "neither fixtures nor bathrooms were given"))
    if school == "bathrooms" and bathrooms is None:
        bathrooms = float(max((building.fixtures or {}).get("bath", 0) + (building.fixtures or {}).get("shower", 0), 1))
        notes.append(Assumption("$.building.bathrooms", f"{bathrooms:g} bathrooms", "not given; one for each shower or bath"))
    if school == "bathrooms" and bathrooms is not None:
        steps = tables["bathrooms"]
        xs, ys = [float(k) for k in steps["gpm"]], list(steps["gpm"].values())
        gpm = interpolate(bathrooms, xs, ys) if bathrooms <= xs[-1] else ys[-1] + steps["more"] * (bathrooms - xs[-1])
        return figure(work("peak", "table × US_gpm", "L/min", "demand.bathrooms", table=(gpm, "gpm")))
    fixtures = dict(building.fixtures or {})
    if not fixtures:
        baths = bathrooms or 1.0
        fixtures = {"wc": round(baths + 0.49), "basin": round(baths + 0.49), "shower": max(int(baths), 1), "kitchen_sink": 1, "washer": 1}
        said = ", ".join(f"{n} {name.replace('_', ' ')}" for name, n in fixtures.items())
        notes.append(Assumption("$.building.fixtures", said, f"fixtures were not listed; typical for {baths:g} bathrooms"))
    if facts.wishes.spare_outdoor_taps:
        fixtures.pop("hose_tap", None)
    if school == "simultaneous":
        rates = tables["fixture_gpm"]
        running = {
            name: min(n, 1 if name != "shower" else 2)
            for name, n in fixtures.items()
            if name in ("wc", "basin", "shower", "kitchen_sink", "bathroom_group")
        }
        gpm = max(sum(rates[name] * n for name, n in running.items()), tables["hunter"]["gpm"][0])  # never less than the curve of one unit
        return figure(work("peak", "together × US_gpm", "L/min", "demand.simultaneous", together=(gpm, "gpm")))
    weights = tables["fixture_units"]
    units = sum(weights[name] * n for name, n in fixtures.items())
    gpm = interpolate(units, tables["hunter"]["units"], tables["hunter"]["gpm"])
    if units > tables["hunter"]["units"][-1]:
        notes.append(
            Assumption("$.building.fixtures", f"{units:g} fixture units", "beyond the fixture-unit curve (500): consult a plumbing engineer")
        )
    return figure(
        work("fixture units", " + ".join(f"{name} × {name}_units" for name in fixtures) or "0", "", "demand.hunter",
             **{name: (float(n), "") for name, n in fixtures.items()}, **{f"{name}_units": (weights[name], "") for name in fixtures}),
        work("peak", "curve × US_gpm", "L/min", "demand.hunter", curve=(gpm, f"gpm at {units:g} units")),
    )  # fmt: skip


def _supply(facts: Facts, peak: float, notes: list[Assumption]) -> float:
    supply = facts.supply
    if supply.flow is not None:
        return supply.flow
    if supply.drawdown and supply.drawdown.drawn and supply.drawdown.recovery:
        flow = supply.drawdown.drawn / supply.drawdown.recovery
        notes.append(Assumption("$.supply.flow", show(flow, "L/min", facts.job.units), "pump rate from the drawdown test: drawn ÷ recovery time"))
        return flow
    if supply.pump is not None and known(supply.pump):
        flow = flow_at(supply.pump, supply.pressure_low if supply.pressure_low is not None else table("assumed")["supply"]["cut_in_psi"] * PSI)
        notes.append(
            Assumption("$.supply.flow", show(flow, "L/min", facts.job.units), "by the pump's curve at cut-in; what the well yields was not measured")
        )
        return flow
    flow = peak if facts.source.kind == "town" else table("assumed")["house"]["supply_gpm"] * GPM
    notes.append(
        Assumption(
            "$.supply.flow",
            show(flow, "L/min", facts.job.units),
            "the supply was not measured: do a bucket or drawdown test before buying anything that backwashes",
        )
    )
    return flow
