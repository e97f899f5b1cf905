"""Limits by standard set, from ``data/limits.toml``."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass
from functools import cache, lru_cache

from ..language.analytes import analytes
from ..language.figure import source
from ..language.reading import Reading
from ..language.tables import table
from .facts import Facts


@dataclass(frozen=True, slots=True)
class Limit:
    """A limit for an analyte in its canonical unit; low is None where there is only a ceiling."""

    analyte: str
    low: float | None
    high: float
    health: bool
    source: str

    @property
    def unit(self) -> str:
        return analytes()[self.analyte].unit

    def broken_by(self, value: float) -> bool:
        return value > self.high * (1 + 1e-9) or (self.low is not None and value < self.low * (1 - 1e-9))


def outside(limit: Limit, low: float, high: float | None) -> bool:
    """Whether any part of a reading breaks a limit; high None is open above. Canonical units."""
    return limit.broken_by(low) or (high is not None and limit.broken_by(high))


@cache
def limits(standard: str, on: dt.date | None = None) -> tuple[Limit, ...]:
    """Every limit of a standard set as it holds on a day, health limits first. Without a day, what holds now in the set's edition."""
    rows, cited = table("limits")[standard], source(f"limits.{standard}")
    highs = {kind: dict(rows[kind]) for kind in ("health", "aesthetic")}
    for row in rows.get("dated", ()):
        if on is not None and on >= row["from"]:
            highs[row["kind"]][row["analyte"]] = row["max"]
    found = [Limit(name, None, float(high), True, cited) for name, high in highs["health"].items()]
    found += [Limit(name, None, float(high), True, source(f"limits.{standard}_advised")) for name, high in rows["advised"].items()]
    found.append(Limit("ph", rows["ph"][0], rows["ph"][1], False, cited))
    found += [Limit(name, None, float(high), False, cited) for name, high in highs["aesthetic"].items()]
    return tuple(found)


def limits_of(facts: Facts) -> tuple[Limit, ...]:
    """The limits of a job: those of its set, replaced where the designer gives one of their own with a reason."""
    own = {name: row for name, row in facts.limits.items() if isinstance(row.high, Reading)}
    if not own:
        return _of_the_set(facts.job.standard, facts.as_of)
    found = [limit for limit in limits(facts.job.standard, facts.as_of) if limit.analyte not in own]
    for name, row in own.items():
        assert isinstance(row.high, Reading)
        health = any(limit.health for limit in limits(facts.job.standard) if limit.analyte == name)
        high = row.high.low if row.high.high is None else row.high.high
        found.append(Limit(name, None, high, health, f"the designer's own limit: {row.reason}"))
    return tuple(sorted(found, key=lambda limit: not limit.health))


@lru_cache(maxsize=64)
def _of_the_set(standard: str, on: dt.date | None) -> tuple[Limit, ...]:
    return tuple(sorted(limits(standard, on), key=lambda limit: not limit.health))


@cache
def lowest_elsewhere(analyte: str) -> float | None:
    """The lowest ceiling that any set has for an analyte, in its canonical unit; None where no set has one."""
    rows = table("limits").values()
    return min((float(row[kind][analyte]) for row in rows for kind in ("health", "advised", "aesthetic") if analyte in row[kind]), default=None)


@cache
def bounds_health(analyte: str) -> bool:
    """Whether any set has a health limit for an analyte."""
    return any(analyte in row[kind] for row in table("limits").values() for kind in ("health", "advised"))


@cache
def strictest(standard: str, analyte: str, on: dt.date | None = None) -> Limit | None:
    """The limit to show beside a reading: the lowest ceiling of the set for this analyte."""
    own = [limit for limit in limits(standard, on) if limit.analyte == analyte]
    return min(own, key=lambda limit: limit.high) if own else None
