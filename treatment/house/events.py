"""Use hour by hour: the busiest week of a light-commercial job, and the storage a steady production needs for it."""

from __future__ import annotations

from functools import lru_cache
from math import ceil

from ..job.facts import Facts
from ..language.tables import table


def hours_between(first: float, last: float) -> list[int]:
    """The hours of a day from one time to another, past midnight where the second comes before; both the same: all day.

    >>> hours_between(22.0, 2.0)
    [22, 23, 0, 1]
    """
    return [(int(first) + step) % 24 for step in range(max(ceil((last - first) % 24), 1) if first != last else 24)]


def busiest_week(facts: Facts, daily: float) -> tuple[float, ...]:
    """Litres asked in each of 168 hours. Events fall evenly on the hours they name; the house has its own pattern.

    daily: the whole daily use [L/day], events at their busiest day included.
    """
    week, use = [0.0] * 168, table("plumbing")["use"]
    busiest = 0.0
    for event in facts.building.events:
        per_day = event.per_day if event.per_day is not None else 1.0
        days = per_day if isinstance(per_day, tuple) else (per_day,) * 7
        busiest += (event.volume or 0.0) * max(days)
        first, last = event.hours or use["event_hours"]
        hours = hours_between(first, last)
        for day, count in enumerate(days):
            for hour in hours:
                week[day * 24 + hour] += (event.volume or 0.0) * count / len(hours)
    house = max(daily - busiest, 0.0)
    total = sum(use["hourly"])
    for hour in range(168):
        week[hour] += house * use["hourly"][hour % 24] / total
    return tuple(week)


@lru_cache(maxsize=256)
def storage_for(week: tuple[float, ...], hourly: float, usable: float) -> float:
    """Storage [L] that carries a week's use with a steady production [L/h], only ``usable`` of it counting.

    Walked over two weeks from full; what is drawn deepest is what the tank must hold. Production stops when it is full.
    Ten litres an hour for ten hours a day against five made around the clock: 50 L short after the day, 62.5 L of tank.

    >>> day = tuple(10.0 if 8 <= hour < 18 else 0.0 for hour in range(24))
    >>> storage_for(day * 7, 5.0, 0.8)
    62.5
    """
    short = deepest = 0.0
    for used in week * 2:
        short = max(short + used - hourly, 0.0)
        deepest = max(deepest, short)
    return deepest / usable
