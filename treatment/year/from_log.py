"""Where a log says the stocks stand: read where somebody read them since they were renewed, else reckoned on from there at this house's use."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Any

from ..language.errors import BadDocument, Fault
from ..language.figure import rounded
from ..operation.maintenance.log import Entry, Log, loads
from ..operation.maintenance.upkeep import upkeep
from ..operation.maintenance.use import Use
from ..operation.monitoring.readings import worked_out
from ..planning.evaluated import EvaluatedTrain
from ..train.marks import mark
from ..train.over_time import Stock, salt_of
from .asked import YearAsked
from .machine import Machine
from .place import Place

#: stocks that a year from a log begins with
TOLD = ("salt", "bed_left", "lamp_hours", "load", "dirt", "solution", "level", "since_regeneration")
LEARN = 60  # days that are run to learn what this house uses up in one
AWAY = 366  # days of the meter that count


@dataclass(frozen=True)
class Begun:
    """Where a year from a log begins. stocks: by stage id and name, with whether it was read or reckoned; daily: use by the meter [L/day]."""

    start: dt.date
    until: dt.date | None
    stocks: Mapping[str, Mapping[str, tuple[float, str, str]]]
    daily: float | None

    def asked(self, asked: YearAsked) -> YearAsked:
        """A year as asked that begins here."""
        begin = {stage: {name: value for name, (value, _, _) in stocks.items()} for stage, stocks in self.stocks.items()}
        told = {
            f"{stage}.{name}": {"value": rounded(value), "unit": unit, "from": how}
            for stage, stocks in self.stocks.items()
            for name, (value, unit, how) in stocks.items()
        }
        until = None if self.until is None else self.until.isoformat()
        return replace(asked, start=self.start, begin=begin, daily=self.daily, began_from={"log_until": until, "stocks": told})


def from_log(variant: EvaluatedTrain, text: str, start: dt.date | None) -> Begun:
    """Read a log and say where each stock stands on the morning of the start. Raises BadDocument."""
    log = loads(text, upkeep(variant), [stage.id for stage in variant.run.stages])
    return begun(variant, log, start)


def begun(variant: EvaluatedTrain, log: Log, start: dt.date | None) -> Begun:
    """Where each stock stands on the morning of ``start``: else of the day after the log's last entry, or of the day it started on.

    Raises BadDocument where the start lies before the train was started.
    """
    if start is not None and start < log.started_on:
        raise BadDocument([Fault("$.start", f"the log starts on {log.started_on}, after {start}")])
    last = max((entry.on for entry in log.entries if start is None or entry.on < start), default=None)
    first = start or (last + dt.timedelta(days=1) if last is not None else log.started_on)
    known = log.until(first - dt.timedelta(days=1))
    daily = metered(variant, known)
    if last is None and first == log.started_on:
        learned = Machine(variant, first, 1, 1, (), None, daily)
        return Begun(first, None, _new(learned), daily)
    learned = Machine(variant, first, LEARN, 1, (), None, daily)
    learned.run()
    points = {key: [(on, value.middle) for on, value in found] for key, found in known.points.items()}
    read = points | worked_out(points, variant.run.stages)
    stocks = {place.id: dict(_stocks(place, known, read, first)) for place in learned.places if place.first}
    return Begun(first, last, {stage: found for stage, found in stocks.items() if found}, daily)


def _new(machine: Machine) -> dict[str, dict[str, tuple[float, str, str]]]:
    found = {}
    for place in machine.places:
        told = {stock.name: (stock.start, stock.unit, "reckoned") for stock in place.over_time.stocks if stock.name in TOLD}
        if told:
            found[place.id] = told
    return found


def metered(variant: EvaluatedTrain, log: Log) -> float | None:
    """What the house draws a day by its meter over the last year, days away left out; None where it was not metered long enough [L/day]."""
    stretches = Use(variant, log).stretches
    if not stretches:
        return None
    last = stretches[-1].end
    near = [each for each in stretches if (last - each.begin).days <= AWAY] or stretches[-1:]
    away = {day for entry in log.entries if entry.away for day in _days(*entry.away)}
    litres = sum(each.daily * each.days for each in near)
    days = sum(each.days - sum(each.begin < day <= each.end for day in away) for each in near)
    return litres / days if days >= mark("meter", "metered") else None


def _days(begin: dt.date, end: dt.date) -> Iterator[dt.date]:
    for more in range((end - begin).days + 1):
        yield begin + dt.timedelta(days=more)


Moves = list[tuple[dt.date, int, Callable[[float], float], str]]


def _stocks(place: Place, log: Log, read: Mapping[str, list[tuple[dt.date, float]]], start: dt.date) -> Iterator[tuple[str, tuple[float, str, str]]]:
    """Each stock of a stage with its value, its unit, and whether it was read or reckoned."""
    for stock in place.over_time.stocks:
        if stock.name not in TOLD:
            continue
        if not stock.renewed_by:
            yield stock.name, _between(place, stock, read, log, start)
            continue
        moves = sorted((*_done(place, stock, log), *_seen(place, stock, read)), key=lambda move: (move[0], move[1]))
        rate, at, value, how = _rate(place, stock), log.started_on, stock.start, "reckoned"
        for on, _, sets, told in [*moves, (start, 9, _same, "")]:
            value = _within(stock, value + rate * max((on - at).days, 0))
            value, at, how = sets(value), max(on, at), told or how
        yield stock.name, (_within(stock, value), stock.unit, how)


def _same(value: float) -> float:
    return value


def _within(stock: Stock, value: float) -> float:
    return max(value, 0.0)


def _done(place: Place, stock: Stock, log: Log) -> Moves:
    """Renewals that were entered: all of it, or the amount that was put in."""
    return [(entry.on, 1, _put(stock, entry), "reckoned") for entry in log.services.get(f"{place.id}/{stock.renewed_by}", [])]


def _put(stock: Stock, entry: Entry) -> Callable[[float], float]:
    amount = entry.amount
    if amount is not None and not stock.rises and amount.unit == stock.unit:
        return lambda value: value + amount.value
    return lambda value: stock.start


def _seen(place: Place, stock: Stock, read: Mapping[str, list[tuple[dt.date, float]]]) -> Moves:
    """Readings that say where a stock stands."""
    tells: dict[str, tuple[str, Callable[[float], float]]] = {
        "salt": ("salt_level", salt_of),
        "lamp_hours": ("lamp_hours", _same),
        "bed_left": ("medium_level", lambda height: _of_bed(place, stock, height)),
        "dirt": ("pressure_drop", lambda drop: _of_drop(place, drop)),
    }
    if stock.name not in tells:
        return []
    what, means = tells[stock.name]
    return [(on, 0, lambda _, value=value: means(value), "read") for on, value in read.get(f"{place.id}.{what}", [])]  # type: ignore[misc]


def _of_bed(place: Place, stock: Stock, height: float) -> float:
    """What is left of a bed by its height [kg]."""
    return min(stock.start * height / place.stage.sizing.vessels.depth, stock.start)


def _of_drop(place: Place, drop: float) -> float:
    """The dirt that a pressure drop tells of [g]: none when clean, full at what is added by dirt."""
    stage, holds = place.stage, float(getattr(place.over_time, "holds", 0.0))
    added = stage.loss_dirty - stage.loss_clean
    return holds * min(max((drop - stage.loss_clean) / added, 0.0), 1.5) if added > 0 else 0.0


def _rate(place: Place, stock: Stock) -> float:
    """How a stock moves in a day of this house, by the days that were run [unit/day]."""
    kept, end, begin = place.kept, place.state[stock.name], place.first[stock.name]
    if stock.rises:
        return (sum(kept.lives) + end - begin) / LEARN if len(place.over_time.stocks) == 1 else (kept.used.get(stock.name, end - begin)) / LEARN
    return (end - begin - kept.bought.get(stock.name, 0.0)) / LEARN


def _between(place: Place, stock: Stock, read: Mapping[str, list[tuple[dt.date, float]]], log: Log, start: dt.date) -> tuple[float, str, str]:
    """What a stage renews by itself: by the days since it last did, where somebody read them, else as it stands half-way."""
    kept = place.kept
    interval = sum(kept.intervals) / len(kept.intervals) if kept.intervals else 1.0
    if stock.name == "level":
        return stock.start, stock.unit, "reckoned"
    days, how = interval / 2, "reckoned"
    told = read.get(f"{place.id}.days_since_regeneration", [])
    if told:
        days, how = (told[-1][1] + (start - told[-1][0]).days) % max(interval, 1.0), "read"
    else:
        counts = read.get(f"{place.id}.regenerations", [])
        risen = [then for one, then in pairwise(counts) if then[1] > one[1]]
        if risen:
            days, how = (start - risen[-1][0]).days % max(interval, 1.0), "read"
    return _a_day(place, stock) * days, stock.unit, how


def _a_day(place: Place, stock: Stock) -> float:
    """What a day adds to a stock that the stage renews by itself."""
    counts: Any = getattr(place.over_time, "counted", None)
    at = place.last_at
    if at is None:
        return 0.0
    if stock.name == "since_regeneration":
        return sum(at.litres) / len(at.litres)
    return sum(at.brought(counts)) / len(at.litres) if counts is not None else 0.0
