"""Limits by standard set, from ``data/limits.toml``."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache

from .analytes import analytes
from .figure import source
from .tables import table


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
def limits(standard: str) -> tuple[Limit, ...]:
    """Every limit of a standard set, health limits first."""
    rows, cited = table("limits")[standard], source(f"limits.{standard}")
    found = [Limit(name, None, float(high), True, cited) for name, high in rows["health"].items()]
    found.append(Limit("ph", rows["ph"][0], rows["ph"][1], False, cited))
    found += [Limit(name, None, float(high), False, cited) for name, high in rows["aesthetic"].items()]
    return tuple(found)


def strictest(standard: str, analyte: str) -> Limit | None:
    """The limit to show beside a reading: the lowest ceiling of the set for this analyte."""
    own = [limit for limit in limits(standard) if limit.analyte == analyte]
    return min(own, key=lambda limit: limit.high) if own else None
