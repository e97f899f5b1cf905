"""What is expected of a reading, as an interval with its working; and the value that calls for somebody."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from ...language.figure import Line, rounded


@dataclass(frozen=True, slots=True)
class Band:
    """What is expected of a series, canonical; None where an end is open."""

    low: float | None
    high: float | None
    unit: str
    working: tuple[Line, ...] = ()

    def holds(self, value: float) -> bool:
        """Whether a value lies within."""
        return self.passed(value) is None

    def passed(self, value: float) -> float | None:
        """The end that a value is past; None where it lies within."""
        if self.low is not None and value < self.low:
            return self.low
        return self.high if self.high is not None and value > self.high else None

    def as_json(self) -> dict[str, Any]:
        """As the diagnosis prints it."""
        low, high = (None if end is None else rounded(end) for end in (self.low, self.high))
        return {"low": low, "high": high, "unit": self.unit, "working": [line.as_json() for line in self.working]}


@dataclass(frozen=True, slots=True)
class Mark:
    """A value that calls for somebody, from below or from above."""

    value: float
    unit: str
    above: bool


def least(line: Line) -> Band:
    """At least what a line says."""
    return Band(line.value, None, line.unit, (line,))


def most(line: Line) -> Band:
    """At most what a line says."""
    return Band(None, line.value, line.unit, (line,))


def between(low: Line, high: Line, *before: Line) -> Band:
    """Between what two lines say."""
    return Band(low.value, high.value, low.unit, (*before, low, high))
