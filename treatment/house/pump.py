"""A pump's curve: the pressure it gives at a flow, and the flow at which it meets what a system asks."""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from itertools import pairwise

from ..job.facts import PumpFacts


def pump_pressure(pump: PumpFacts, flow: float) -> float:
    """Pressure of a pump [kPa] at a flow [L/min]: a parabola through its shut-off and best point, or straight between given points."""
    if pump.points:
        points = sorted((point.flow, point.pressure) for point in pump.points if point.flow is not None and point.pressure is not None)
        if flow >= points[-1][0] and len(points) > 1:
            (q1, p1), (q2, p2) = points[-2:]
            return p2 + (p2 - p1) / max(q2 - q1, 1e-9) * (flow - q2)
        for (q1, p1), (q2, p2) in pairwise(points):
            if flow <= q2:
                return p1 + (p2 - p1) * (flow - q1) / max(q2 - q1, 1e-9)
        return points[0][1]
    if pump.shut_off is None or pump.best_flow is None or pump.best_pressure is None:
        return 0.0
    return pump.shut_off - (pump.shut_off - pump.best_pressure) * (flow / pump.best_flow) ** 2


def known(pump: PumpFacts | None) -> bool:
    """Whether a pump's curve is told: two points or more, or shut-off and best point."""
    if pump is None:
        return False
    told = [point for point in pump.points if point.flow is not None and point.pressure is not None]
    return len(told) > 1 or (
        pump.shut_off is not None and pump.best_flow is not None and pump.best_pressure is not None and pump.shut_off > pump.best_pressure
    )


def meets(gives: Callable[[float], float], asks: Callable[[float], float], most: float) -> float:
    """The flow [L/min] at which what a pump gives is what the system asks [kPa]; 0 where it never does, ``most`` where it always does."""
    if gives(0.0) <= asks(0.0):
        return 0.0
    low, high = 0.0, most
    if gives(most) >= asks(most):
        return most
    for _ in range(60):
        middle = (low + high) / 2
        low, high = (middle, high) if gives(middle) > asks(middle) else (low, middle)
    return (low + high) / 2


@lru_cache(256)
def flow_at(pump: PumpFacts, pressure: float) -> float:
    """Flow [L/min] of a pump against a pressure [kPa]."""
    return meets(lambda flow: pump_pressure(pump, flow), lambda _: pressure, 2000.0)
