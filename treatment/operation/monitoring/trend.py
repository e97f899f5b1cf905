"""Trends that one bad reading does not tilt: the slope of Theil (1950) and Sen (1968), and readings that stand alone."""

from __future__ import annotations

import datetime as dt
import statistics
from collections.abc import Sequence
from dataclasses import dataclass

Point = tuple[dt.date, float]

#: points that are compared in pairs at the most; longer series are thinned evenly, the last kept
MOST = 48


@dataclass(frozen=True, slots=True)
class Trend:
    """A straight line through points: level at the last day, slope a day, and the slopes between which half of all pairs lie."""

    on: dt.date
    level: float
    slope: float
    low: float
    high: float

    def at(self, day: dt.date) -> float:
        return self.level + self.slope * (day - self.on).days


def thinned(points: Sequence[Point]) -> Sequence[Point]:
    """At most so many points, evenly, the last among them."""
    if len(points) <= MOST:
        return points
    step = (len(points) - 1) / (MOST - 1)
    return [points[round(i * step)] for i in range(MOST)]


def trend(points: Sequence[Point]) -> Trend | None:
    """The median of the slopes of all pairs, through the median of what is left; None for fewer than two days."""
    near = thinned(points)
    slopes = sorted((y - x) / (b - a).days for i, (a, x) in enumerate(near) for b, y in near[i + 1 :] if b > a)
    if not slopes:
        return None
    slope, last = statistics.median(slopes), near[-1][0]
    level = statistics.median(value - slope * (day - last).days for day, value in near)
    quarter = len(slopes) // 4
    return Trend(last, level, slope, slopes[quarter], slopes[-1 - quarter])


def alone(points: Sequence[Point], tells: float) -> list[int]:
    """Which points stand alone: far from the line through the others, while those before and after lie on it. Five points at the least.

    Far is four times the usual distance, and twice what a test tells apart. What happens oftener than once in eight is no slip.
    """
    if len(points) < 5:
        return []
    line = trend(points)
    if line is None:
        return []
    rest = [value - line.at(day) for day, value in points]
    usual = statistics.median(abs(each) for each in rest) * 1.4826
    far = max(4 * usual, 2 * tells)
    off = [abs(each) > far for each in rest]
    found = [i for i, so in enumerate(off) if so and not (i and off[i - 1]) and not (i + 1 < len(off) and off[i + 1])]
    return found if len(found) <= max(1, len(points) // 8) else []
