"""Tanks on the way, before any water is known: what they are asked for by the hour, what they serve, and what fills them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from .household import Array
from .place import Place
from .slugs import Stream

HOURS = 24
NIGHT = 2  # the hour in which washes are drawn


@dataclass(frozen=True, slots=True)
class Stood:
    """A tank over the year. made: L into it and share: served, by day and hour; levels: at the end of each day [L]; washes: L a day served."""

    made: Array
    share: Array
    levels: Array
    empty: Array
    washes: Array
    overflow: Array


def by_hour(stream: Stream) -> Array:
    """Litres asked in each hour of each day."""
    hour = np.minimum(stream.at // 60, HOURS - 1).astype(int)
    day = np.repeat(np.arange(stream.days), np.diff(stream.day))
    return np.asarray(np.bincount(day * HOURS + hour, stream.volume, stream.days * HOURS).reshape(stream.days, HOURS), dtype=np.float64)


def stood(place: Place, asked: Array, washes: Array, makes: Array, caught: Array | None, most: Array | None = None) -> Stood:
    """Walk a tank through the hours. makes: L/h it can be given, by day; caught: L of rain a day instead; most: of each hour [L], where less can come."""
    store = place.store
    assert store is not None
    days = len(asked)
    wanted = asked.copy()
    wanted[:, NIGHT] += washes
    made, share = np.zeros((days, HOURS)), np.ones((days, HOURS))
    levels, empty, overflow = np.zeros(days), np.zeros(days), np.zeros(days)
    level = place.first["level"]
    for day, hours in enumerate(wanted.tolist()):
        begin = level
        if caught is not None:
            stored = min(float(caught[day]), max(store.tank.holds - level, 0.0))
            overflow[day] = caught[day] - stored
            filled = store.fills(level + stored, hours, 0.0)
            made[day, 0] = stored
        else:
            filled = store.fills(level, hours, float(makes[day]) if most is None else most[day].tolist())
            made[day] = filled.made
        level = levels[day] = filled.level
        low, high = min(begin, filled.low), max(begin, begin + made[day, 0] if caught is not None else begin, level)
        place.kept.keep("level", "L", (low, min(max((begin + level) / 2, low), high), high))
        if filled.empty > 0:
            empty[day] = filled.empty
            share[day] = np.divide(filled.served, hours, out=np.ones(HOURS), where=np.array(hours) > 0)
            place.tell(day * 1440.0 + 720, "empty", f"the tank is empty for {filled.empty:.0f} min")
    return Stood(made, share, levels, empty, washes * share[:, NIGHT], overflow)


def filling(place: Place, tank: Stood, water: Array) -> Stream:
    """What passes before a tank while it is filled: a slug for each hour in which something is made."""
    store = place.store
    assert store is not None
    running = tank.made > 1e-9
    litres = tank.made[running] * store.tank.takes
    day = np.concatenate([[0], np.cumsum(running.sum(axis=1))])
    at = np.broadcast_to(np.arange(HOURS) * 60.0, running.shape)[running]
    return Stream(litres, np.full(len(litres), max(store.tank.flow, 1e-6)), at, day, water)
