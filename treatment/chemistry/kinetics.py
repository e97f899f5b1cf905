"""How calcite dissolves along a bed: the rate law walked towards saturation in a few steps."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from itertools import pairwise
from math import log

from . import carbonate
from .carbonate import Solution, State

STEPS = 6
NEARLY = 0.9995  # of the way in pH, where the walk ends just short of saturation


@dataclass(frozen=True, slots=True)
class DissolvingStretch:
    """A part of the way in which slowness goes as a power of what is left to saturation.

    done: dissolved before it [mol/L]; left: what is left to saturation at its start and end [mol/L]; slow: surface time
    for each mol/L at its start [s m2/m3 per mol/L]; power: slowness = slow × (left at the start ÷ left)^power.
    """

    done: float
    left: tuple[float, float]
    slow: float
    power: float

    def time_to(self, left: float) -> float:
        """Surface time from its start until so much is left [s m2/m3]."""
        start, bend = self.left[0], 1 - self.power
        return float(self.slow * start / bend * (1 - (left / start) ** bend))

    def left_after(self, time: float) -> float:
        """What is left after a surface time from its start [mol/L]."""
        start, bend = self.left[0], 1 - self.power
        return float(start * max(1 - time * bend / (self.slow * start), 0.0) ** (1 / bend))


@dataclass(frozen=True, slots=True)
class Dissolving:
    """How calcite dissolves into one closed water; ceiling: at saturation [mol/L]."""

    ceiling: float
    stretches: tuple[DissolvingStretch, ...]

    def after(self, time: float) -> float:
        """Dissolved after a surface time [mol/L]; rises with time, never beyond saturation."""
        for stretch in self.stretches:
            span = stretch.time_to(stretch.left[1])
            if time <= span:
                return self.ceiling - stretch.left_after(time)
            time -= span
        return self.ceiling - self.stretches[-1].left[1] if self.stretches else 0.0

    def time_to(self, amount: float) -> float:
        """Surface time until so much is dissolved [s m2/m3]; that of the whole walk where it is never reached."""
        left, total = self.ceiling - amount, 0.0
        for stretch in self.stretches:
            if left >= stretch.left[1]:
                return total + stretch.time_to(min(left, stretch.left[0]))
            total += stretch.time_to(stretch.left[1])
        return total


@lru_cache(maxsize=512)
def dissolving(solution: Solution, carbon: float) -> Dissolving:
    """Calcite dissolving into a closed water by the rate law of Plummer, Wigley & Parkhurst (1978).

    solution, carbon [mol/L]: the water as it enters. The time is a surface time: contact times the bed's surface per
    volume. The walk goes in steps of pH that grow shorter; between two steps slowness is taken as a power of what is left,
    which six steps hold within 0.2 % of a hundred and fifty on nineteen waters of twenty (docs/decisions/0004).
    """
    start = carbonate.solve_ph(solution, carbon)
    ceiling = carbonate.calcite_to_saturation(solution, carbon)
    if ceiling.amount <= 0:
        return Dissolving(0.0, ())
    points = [(0.0, _seconds(start, solution.temperature))]
    shares = [1 - (1 - i / STEPS) ** 1.5 for i in range(1, STEPS)] + [NEARLY]
    for dosed in carbonate.calcite_on_the_way(solution, carbon, [start.ph + (ceiling.state.ph - start.ph) * share for share in shares]):
        if points[-1][0] < dosed.amount < ceiling.amount:
            points.append((dosed.amount, _seconds(dosed.state, solution.temperature)))
    stretches = []
    for (done, slow), (after, slower) in pairwise(points):
        left = (ceiling.amount - done, ceiling.amount - after)
        power = log(slower / slow) / log(left[0] / left[1])
        stretches.append(DissolvingStretch(done, left, slow, power if abs(power - 1) > 1e-6 else 1 + 1e-6))
    return Dissolving(ceiling.amount, tuple(stretches))


def _seconds(state: State, temperature: float) -> float:
    """Surface time [s m2/m3] for each mol/L dissolved at this state."""
    return 1000.0 / max(carbonate.calcite_rate(state, temperature), 1e-14)
