"""Water on its way: all slugs of the year side by side, and those of one day as the steps of the treatments ask for them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from ..train.over_time import Counted, Numbers
from .household import Array


class Weights:
    """Which row of the water each analyte is, and what is counted as a row of weights."""

    def __init__(self, names: Sequence[str]):
        self.names = tuple(names)
        self.row = {name: index for index, name in enumerate(names)}

    def of(self, counted: Counted) -> Weighed:
        """The rows that count, each with its weight; mg/L become g."""
        return tuple((self.row[name], weight / 1000) for name, weight in counted.weights if name in self.row)

    def grams(self, name: str) -> Weighed:
        """The row of one analyte, weighed in g; none where it is not followed."""
        return ((self.row[name], 0.001),) if name in self.row else ()


#: rows of a water that are weighed, each with its weight for a litre
Weighed = tuple[tuple[int, float], ...]


def weighed(water: Array, weights: Weighed) -> Array:
    """What each column holds of what is weighed, in a litre."""
    if not weights:
        return np.zeros(water.shape[1])
    first, *rest = weights
    found = water[first[0]] * first[1]
    for row, weight in rest:
        found += water[row] * weight
    return np.asarray(found)


class Stream:
    """All slugs that pass a place.

    volume [L], flow [L/min], at [min of the day] of each; day: index of the first of each day, and one past the last.
    water: a row an analyte; a column a day as long as a day's slugs are alike, else a column a slug.
    """

    def __init__(self, volume: Array, flow: Array, at: Array, day: NDArray[np.int64], water: Array, bounds: list[int] | None = None):
        self.volume, self.flow, self.at, self.day, self.water = volume, flow, at, day, water
        self.bounds: list[int] = day.tolist() if bounds is None else bounds

    @property
    def days(self) -> int:
        return len(self.bounds) - 1

    @property
    def alike(self) -> bool:
        """Whether its water has a column a day."""
        return bool(self.water.shape[1] == self.days)

    @cached_property
    def minutes(self) -> Array:
        """How long water runs in each day [min]."""
        return self.sums(self.volume / self.flow)

    @cached_property
    def litres(self) -> Array:
        """Litres of each day."""
        return self.sums(self.volume)

    def sums(self, values: Array) -> Array:
        """Sums by day; rows stay rows."""
        one, other = self.day[:-1], self.day[1:]
        busy = other > one
        found = np.zeros((*values.shape[:-1], self.days))
        if busy.any():  # from the first of each busy day to the first of the next: days without a slug lie between them
            found[..., busy] = np.add.reduceat(values, one[busy], axis=-1)
        return found

    def carried(self, weights: Weighed) -> Array:
        """What each day brings of what is weighed."""
        each = weighed(self.water, weights)
        return np.asarray(each * self.litres if self.alike else self.sums(each * self.volume))

    def masses(self, weighing: Sequence[Weighed]) -> Array:
        """The same of several, a row each."""
        return np.array([self.carried(weights) for weights in weighing])

    def mean(self) -> Array:
        """The water of each day, mixed by volume."""
        if self.alike:
            return self.water
        return np.asarray(self.sums(self.water * self.volume) / np.maximum(self.litres, 1e-12))

    def each(self) -> Array:
        """Its water with a column a slug."""
        if not self.alike:
            return self.water
        return np.repeat(self.water, np.diff(self.day), axis=1)

    def with_water(self, water: Array) -> Stream:
        """The same slugs of another water."""
        found = Stream(self.volume, self.flow, self.at, self.day, water, self.bounds)
        found.minutes, found.litres = self.minutes, self.litres
        return found

    def times(self, share: float) -> Stream:
        """A share of each slug."""
        return self if share == 1.0 else Stream(self.volume * share, self.flow, self.at, self.day, self.water)


class Conditions:
    """What the days are like: whether there is power [min from, to], whether lamps are lit, how warm the water is."""

    def __init__(self, cuts: Sequence[tuple[float, float] | None], lit: Sequence[float], temperature: Sequence[float]):
        self.cuts, self.lit, self.temperature = cuts, lit, temperature


class Passing:
    """The slugs of one day at a stage: what `train.over_time.Slugs` promises."""

    __slots__ = ("_one", "_other", "_owner", "day", "lit", "minutes", "temperature", "total")

    def __init__(self, owner: AtStage, day: int):
        self._owner, self.day = owner, day
        self._one, self._other = owner.stream.bounds[day], owner.stream.bounds[day + 1]
        self.total, self.minutes = owner.litres[day], owner.minutes[day]
        self.lit, self.temperature = owner.conditions.lit[day], owner.conditions.temperature[day]

    @property
    def volume(self) -> Numbers:
        return self._owner.stream.volume[self._one : self._other]

    @property
    def flow(self) -> Numbers:
        return self._owner.stream.flow[self._one : self._other]

    @property
    def powered(self) -> Numbers:
        cut = self._owner.conditions.cuts[self.day]
        if cut is None:
            return 1.0
        at = self._owner.stream.at[self._one : self._other]
        return np.where((at >= cut[0]) & (at < cut[1]), 0.0, 1.0)

    def _columns(self, water: Array) -> Array:
        return water[:, self.day : self.day + 1] if self._owner.stream.alike else water[:, self._one : self._other]

    def brought(self, counted: Counted) -> float:
        return self._owner.brought(counted)[self.day]

    def running(self, counted: Counted) -> Numbers:
        each = weighed(self._columns(self._owner.stream.water), self._owner.weights.of(counted))
        return np.cumsum((each + counted.each_litre) * self.volume)

    def ramp(self, values: Numbers, low: float, high: float) -> Numbers:
        return np.minimum(np.maximum((values - low) / (high - low), 0.0), 1.0)

    def at_most(self, values: Numbers, most: float) -> Numbers:
        return np.minimum(np.maximum(values, 1e-6), most)

    def along(self, values: Numbers, xs: Sequence[float], ys: Sequence[float]) -> Numbers:
        return np.interp(values, xs, ys)

    def shaped(self, analyte: str, xs: Sequence[float], ys: Sequence[float]) -> Numbers:
        values = self._owner.shaped(analyte, xs, ys)
        return values[self.day] if self._owner.stream.alike else values[self._one : self._other]

    def treated(self, analyte: str) -> Numbers:
        return self._row(self._owner.treated, analyte)

    def arriving(self, analyte: str) -> Numbers:
        return self._row(self._owner.stream.water, analyte)

    def _row(self, water: Array, analyte: str) -> Numbers:
        row = self._owner.weights.row.get(analyte)
        if row is None:
            return 0.0
        return water[row, self.day] if self._owner.stream.alike else water[row, self._one : self._other]

    def where(self, condition: Numbers, one: Numbers, other: Numbers) -> Numbers:
        return np.where(condition, one, other)

    def spread(self, values: Numbers) -> tuple[float, float, float]:
        if np.ndim(values) == 0:
            value = float(values)
            return value, value, value
        if not len(values):
            return 0.0, 0.0, 0.0
        mean = float(values @ self.volume) / self.total if self.total > 0 else float(values.mean())
        return float(values.min()), mean, float(values.max())


class AtStage:
    """A stream at a stage, with what the design makes of it: what the days' slugs look into."""

    def __init__(self, weights: Weights, stream: Stream, treated: Array, conditions: Conditions):
        self.weights, self.stream, self.treated, self.conditions = weights, stream, treated, conditions
        self.litres: list[float] = stream.litres.tolist()
        self.minutes: list[float] = stream.minutes.tolist()
        self._brought: dict[int, list[float]] = {}
        self._shaped: dict[str, Array] = {}

    def brought(self, counted: Counted) -> list[float]:
        """How much of what is counted each day brings."""
        found = self._brought.get(id(counted))
        if found is None:
            mass = self.stream.carried(self.weights.of(counted)) + counted.each_litre * self.stream.litres
            found = self._brought[id(counted)] = mass.tolist()
        return found

    def shaped(self, analyte: str, xs: Sequence[float], ys: Sequence[float]) -> Array:
        """What follows from an analyte by a table, worked out once for all days."""
        found = self._shaped.get(analyte)
        if found is None:
            row = self.weights.row.get(analyte)
            values = self.stream.water[row] if row is not None else np.full(self.stream.water.shape[1], 100.0 if analyte == "uvt" else 0.0)
            found = self._shaped[analyte] = np.interp(values, xs, ys)
        return found


class DesignChange:
    """What a stage does to a water as designed: of what it takes out a share is left, what it adds is added; pH and transmittance shift."""

    SHIFTED = ("ph", "uvt", "temperature")

    def __init__(self, names: Sequence[str], water_in: Mapping[str, float], water_out: Mapping[str, float]):
        self.left: dict[int, float] = {}
        self.added: dict[int, float] = {}
        for index, name in enumerate(names):
            one, other = water_in.get(name, 0.0), water_out.get(name, 0.0)
            if name in self.SHIFTED or other > one:
                if other != one:
                    self.added[index] = other - one
            elif one > 0 and other != one:
                self.left[index] = other / one

    def of(self, water: Array) -> Array:
        """The water as the design leaves it."""
        if not self.left and not self.added:
            return water
        out = water.copy()
        for index, share in self.left.items():
            out[index] *= share
        for index, more in self.added.items():
            out[index] += more
        return out
