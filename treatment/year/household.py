"""How a house draws: every use with its time, litres and flow, so that a year of them is the daily use the design stands on."""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence
from dataclasses import dataclass
from math import pi
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..house.duty import Duty
from ..house.events import hours_between
from ..job.facts import Facts
from ..language.tables import table
from .scenarios import Scenario

Array = NDArray[np.float64]
MINUTES = 1440.0


@dataclass(frozen=True, slots=True)
class Draws:
    """A year of draws in the order of their time.

    at: minutes after the start; volume: L each; flow: of all that run together when it begins [L/min]; day: the index of the first draw
    of each day, and one past the last.
    """

    at: Array
    volume: Array
    flow: Array
    day: NDArray[np.int64]

    @property
    def minutes(self) -> Array:
        """How long each draw lasts as a share of all that run together: they add up to the time that water runs [min]."""
        return np.asarray(self.volume / self.flow)


def household(duty: Duty, start: dt.date, days: int, seed: int, scenarios: Sequence[Scenario] = (), metered: float | None = None) -> Draws:
    """The draws of a house. The litres of all days are exactly those of the design's daily use, outdoor use and events with their own times.

    metered: this house's own use in place of the design's [L/day].
    """
    facts, rng = duty.facts, np.random.default_rng([seed, 1])
    weekday = np.array([(start + dt.timedelta(days=day)).weekday() for day in range(min(days, 7))])[np.arange(days) % 7]
    season = _summer(start, days)
    daily = max((duty.daily if metered is None else metered) - _events_a_day(facts), 0.0)
    rows = table("year")["use"]
    at, volume, flow = [np.empty(0)], [np.empty(0)], [np.empty(0)]
    if daily > 1e-6:
        persons = max(daily / _each(rows), 0.05)
        uses = _uses(rows, persons, weekday, season, rng)
        wanted = daily * _expected(rows, weekday, season)
        scale = wanted / max(sum(float(found[1].sum()) for found in uses), 1e-9)
        home = _at_home(scenarios, days)
        for times, litres, flows in uses:
            kept = home[np.minimum(times // MINUTES, days - 1).astype(int)]
            at.append(times[kept])
            volume.append(litres[kept] * scale)
            flow.append(flows[kept])
        for guest in _guests(scenarios, facts, persons, rows, weekday, season, seed):
            at.append(guest[0])
            volume.append(guest[1] * scale)
            flow.append(guest[2])
    for business in _business(facts, weekday, days):
        at.append(business[0])
        volume.append(business[1])
        flow.append(business[2])
    for one in scenarios:
        if one.name == "leak":
            times = np.arange(max(one.begin, 0.0) * 24, min(one.end, days) * 24) * 60.0
            at.append(times)
            volume.append(np.full(len(times), one.more["flow"] * 60))
            flow.append(np.full(len(times), one.more["flow"]))
    return _together(np.concatenate(at), np.concatenate(volume), np.concatenate(flow), days, duty.passable)


def _each(rows: Sequence[dict[str, Any]]) -> float:
    """Litres a head and day of the table of uses."""
    return float(sum(row["flow"] * row["minutes"] * row["each"] for row in rows))


def _summer(start: dt.date, days: int) -> Array:
    """How much outdoor use a day has beside its year's mean [-]."""
    first = start.timetuple().tm_yday - 1
    day = (np.arange(days) + first) % 365
    return np.asarray(pi * np.maximum(np.cos(2 * pi * (day - table("year")["draws"]["summer"]) / 365), 0.0))


def _expected(rows: Sequence[dict[str, Any]], weekday: Array, season: Array) -> float:
    """Days' worth of use that these days have: summer days more, winter days less, 1 each over a year."""
    outdoor = sum(row["flow"] * row["minutes"] * row["each"] for row in rows if row.get("outdoor")) / _each(rows)
    return float(len(weekday) * (1 - outdoor) + outdoor * season.sum()) if len(weekday) < 365 else float(len(weekday))


def _uses(
    rows: Sequence[dict[str, Any]], persons: float, weekday: Array, season: Array, rng: np.random.Generator
) -> list[tuple[Array, Array, Array]]:
    """Times [min], litres and flows [L/min] of every use; of a large house draws are as many times longer as they are fewer."""
    marks = table("year")["draws"]
    longer = max(persons * sum(row["each"] for row in rows) / marks["most_a_day"], 1.0)
    hours, found = table("year")["hours"], []
    weekend = weekday >= 5
    for row in rows:
        often = np.where(weekend, row["weekend"], 1.0) * 7 / (5 + 2 * row["weekend"]) * (season if row.get("outdoor") else 1.0)
        counts = rng.poisson(often * row["each"] * persons / longer)
        total = int(counts.sum())
        day = np.repeat(np.arange(len(weekday)), counts)
        hour = _hours(hours[row["hours"]], weekend[day], rng)
        length = rng.gamma(marks["spread"], row["minutes"] * longer / marks["spread"], total)
        found.append((day * MINUTES + hour, length * row["flow"], np.full(total, float(row["flow"]))))
    return found


def _hours(patterns: Sequence[Sequence[float]], weekend: NDArray[np.bool_], rng: np.random.Generator) -> Array:
    """A minute of the day for each use, by the pattern of its kind of day."""
    picked = rng.random(len(weekend))
    edges = [np.concatenate([[0.0], np.cumsum(pattern) / sum(pattern)]) for pattern in patterns]
    marks = np.arange(25) * 60.0
    return np.asarray(np.where(weekend, np.interp(picked, edges[1], marks), np.interp(picked, edges[0], marks)) * (1 - 1e-9))


def _at_home(scenarios: Sequence[Scenario], days: int) -> NDArray[np.bool_]:
    home = np.ones(days, dtype=bool)
    for one in scenarios:
        if one.name == "away":
            home[max(int(one.begin), 0) : max(int(one.end), 0)] = False
    return home


def _guests(
    scenarios: Sequence[Scenario], facts: Facts, persons: float, rows: Sequence[dict[str, Any]], weekday: Array, season: Array, seed: int
) -> list[tuple[Array, Array, Array]]:
    """What guests draw: as much a head as those who live here."""
    found = []
    people = facts.building.people or float(table("plumbing")["use"]["people"])
    for number, one in enumerate(scenarios):
        if one.name != "guests":
            continue
        first, last = max(int(one.begin), 0), min(int(np.ceil(one.end)), len(weekday))
        if last <= first:
            continue
        rng = np.random.default_rng([seed, 2, number])
        share = one.more["people"] / people
        found += [
            (at + first * MINUTES, litres, flow) for at, litres, flow in _uses(rows, persons * share, weekday[first:last], season[first:last], rng)
        ]
    return found


def _counts(facts: Facts) -> list[tuple[float, tuple[float, ...], list[int]]]:
    """Each event of a business: litres, how often from Monday to Sunday, the hours it falls in."""
    found = []
    for event in facts.building.events:
        per_day = event.per_day if event.per_day is not None else 1.0
        week = per_day if isinstance(per_day, tuple) else (per_day,) * 7
        found.append((event.volume or 0.0, week, hours_between(*(event.hours or table("plumbing")["use"]["event_hours"]))))
    return found


def _events_a_day(facts: Facts) -> float:
    """Litres that the design counts for events on their busiest days [L/day]."""
    return sum(volume * max(week) for volume, week, _ in _counts(facts))


def _business(facts: Facts, weekday: Array, days: int) -> list[tuple[Array, Array, Array]]:
    """A business draws by its own week: each event spread evenly over its hours, as fast as that asks for."""
    found = []
    least = float(table("year")["draws"]["event_flow"])
    for volume, week, hours in _counts(facts):
        litres = np.array(week)[weekday.astype(int)] * volume / len(hours)
        at = (np.arange(days)[:, None] * MINUTES + np.array(hours)[None, :] * 60.0).ravel()
        each = np.repeat(litres, len(hours))
        kept = each > 0
        found.append((at[kept], each[kept], np.maximum(each[kept] / 60.0, np.minimum(least, each[kept]))))
    return found


def _together(at: Array, volume: Array, flow: Array, days: int, passable: float) -> Draws:
    """Draws in order, each with the flow of all that run when it begins, as far as the plumbing passes it."""
    order = np.argsort(at, kind="stable")
    at, volume, flow = at[order], volume[order], flow[order]
    ends = at + volume / np.maximum(flow, 1e-9)
    ending = np.argsort(ends, kind="stable")
    ended = np.concatenate([[0.0], np.cumsum(flow[ending])])[np.searchsorted(ends[ending], at, side="right")]
    running = np.maximum(np.cumsum(flow) - ended, flow)
    return Draws(at, volume, np.minimum(running, passable), np.searchsorted(at, np.arange(days + 1) * MINUTES))
