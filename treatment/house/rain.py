"""Rain: what a roof catches, and how long a tank carries a house; a daily mass balance over the record."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

from ..job.facts import Facts
from ..job.working import rows_of
from ..language.figure import constant
from ..language.quantity import unit_named

MONTH_DAYS = (31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31)
FT2_100 = 100 * unit_named("ft2", "area").factor  # m2 in 100 ft2
WET_EVERY = 4  # days: a month's rain is taken to fall on every fourth day where only months are known


@dataclass(frozen=True, slots=True)
class RainRecord:
    """A rain record: depth of each day [m], roof [m2], runoff [-], depth lost to the first flush of each wet day [m]."""

    days: tuple[float, ...]
    roof: float
    runoff: float
    flush: float

    @property
    def yearly(self) -> float:
        """Rain a year [m]."""
        return sum(self.days) * 365 / len(self.days)


@dataclass(frozen=True, slots=True)
class RainBalance:
    """What a tank does over a record: days served in full, days in all, what is caught in a year [L]."""

    served: int
    days: int
    caught: float

    @property
    def reliability(self) -> float:
        """Share of the days served in full [-]."""
        return self.served / self.days if self.days else 0.0


def record(facts: Facts) -> RainRecord | None:
    """The rain record of a job; None where there is none."""
    rain = facts.source.rain
    if rain is None or rain.roof_area is None:
        return None
    row = rows_of(facts.working_values)["first_flush"]
    runoff = rain.runoff if rain.runoff is not None else float(row["runoff"])
    flush = (
        (rain.first_flush / 1000 / rain.roof_area) if rain.first_flush is not None else row["gal_per_100ft2"] * constant("US_gal") / 1000 / FT2_100
    )
    if rain.daily_rain:
        return RainRecord(tuple(rain.daily_rain), rain.roof_area, runoff, flush)
    if not rain.monthly_rain:
        return None
    days: list[float] = []
    for depth, count in zip(rain.monthly_rain, MONTH_DAYS, strict=True):
        wet = [day for day in range(count) if day % WET_EVERY == 0]
        days += [depth / len(wet) if day in wet else 0.0 for day in range(count)]
    return RainRecord(tuple(days), rain.roof_area, runoff, flush)


@lru_cache(maxsize=256)
def balance(record: RainRecord, daily: float, tank: float) -> RainBalance:
    """Run a tank [L] through the record with a daily use [L], starting full, twice over so that the start does not count.

    >>> balance(RainRecord((0.01,) * 10, 100.0, 1.0, 0.0), 500.0, 2000.0).reliability
    1.0
    """
    level, served, caught = tank, 0, 0.0
    for turn in range(2):
        for depth in record.days:
            inflow = max(depth - record.flush, 0.0) * record.roof * record.runoff * 1000
            level = min(level + inflow, tank)
            full = level >= daily
            level -= min(level, daily)
            if turn:
                served += full
                caught += inflow
    return RainBalance(served, len(record.days), sum(record.days) * 365 / len(record.days) * record.roof * record.runoff * 1000)


def smallest(record: RainRecord, daily: float, reliability: float, sizes: Sequence[float]) -> float:
    """The smallest tank [L] of some sizes that serves this share of the days; the largest where none does."""
    return next((float(size) for size in sizes if balance(record, daily, float(size)).reliability >= reliability), float(sizes[-1]))
