"""Use hour by hour: the busiest week of a light-commercial job, and the storage a steady production needs for it."""

from __future__ import annotations

from functools import lru_cache

from ..job.facts import Facts

#: share of a house's daily use in each hour, a morning and an evening peak
HOUSE = (1, 1, 1, 1, 1, 2, 6, 8, 7, 5, 4, 4, 4, 4, 3, 3, 4, 6, 8, 8, 7, 6, 4, 2)


def busiest_week(facts: Facts, daily: float) -> tuple[float, ...]:
    """Litres asked in each of 168 hours. Events fall evenly on the hours they name; the house has its own pattern.

    daily: the whole daily use [L/day], events at their busiest day included.
    """
    week = [0.0] * 168
    busiest = 0.0
    for event in facts.building.events:
        per_day = event.per_day if event.per_day is not None else 1.0
        days = per_day if isinstance(per_day, tuple) else (per_day,) * 7
        busiest += (event.volume or 0.0) * max(days)
        first, last = event.hours or (8.0, 18.0)
        hours = [hour for hour in range(24) if first <= hour < max(last, first + 1)] or [int(first) % 24]
        for day, count in enumerate(days):
            for hour in hours:
                week[day * 24 + hour] += (event.volume or 0.0) * count / len(hours)
    house = max(daily - busiest, 0.0)
    total = sum(HOUSE)
    for hour in range(168):
        week[hour] += house * HOUSE[hour % 24] / total
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
