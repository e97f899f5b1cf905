"""What is read elsewhere says of a unit: at a tap, or where its water arrives at a later one.

It stands for what left the unit that changes it most, where nothing between changes it back.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Mapping, Sequence
from typing import Any, NamedTuple

from ...chemistry.water import Water
from ...language.analytes import MICROBES, analytes, shown_in
from ...language.log_keys import TAP
from ...language.series_key import SeriesKey
from ...train.treatment import StageRun, TrainRun
from .trend import Point

#: what tells of pipe and heater, or of what lives in them, and not of a unit
OF_THE_HOUSE = frozenset({*MICROBES, *shown_in("plumbing"), "temperature", "heterotrophic_count"})

#: how far two values of an analyte have to lie apart to be told apart
Tells = Callable[[str, float], float]


class Elsewhere(NamedTuple):
    """A reading that stands for what left a unit. own: the key of the log that it was entered with."""

    day: dt.date
    value: float
    own: str


def from_elsewhere(raw: Mapping[str, list[Point]], run: TrainRun, tells: Tells) -> dict[str, list[Elsewhere]]:
    """Key of a unit's treated water -> what was read of it elsewhere since it was last read there, each day once.

    Left out is what a unit at the drinking tap itself may have given. tells: of a key and a size, what a reading tells apart.
    """
    found: dict[str, dict[dt.date, Elsewhere]] = {}
    for key, points in raw.items():
        taken = SeriesKey.of(key)
        if taken.what not in analytes() or taken.what in OF_THE_HOUSE or taken.side == "out" or (stage := unit_of(key, run, tells)) is None:
            continue
        name, out = taken.what, str(SeriesKey(stage.id, taken.what, "out"))
        left, drawn = stage.water_out.value(name), run.tap.value(name)
        apart, last = tells(out, left), max((day for day, _ in raw.get(out, [])), default=dt.date.min)
        at_own_tap = taken.place == TAP and run.tap is not run.finished and abs(drawn - left) > apart
        for day, value in points:
            if day > last and not (at_own_tap and abs(value - drawn) <= apart):
                found.setdefault(out, {}).setdefault(day, Elsewhere(day, value, key))
    return {out: sorted(read.values()) for out, read in found.items()}


def unit_of(key: str, run: TrainRun, tells: Tells) -> StageRun[Any] | None:
    """The unit that a reading at a tap, or before a unit, speaks of; None where it speaks of none, or that cannot be told."""
    taken = SeriesKey.of(key)
    if taken.place == TAP:
        return _answers(run.stages, run.finished, taken.what, tells)
    here = next((stage for stage in run.stages if stage.id == taken.place), None)
    if here is None or taken.side != "in":
        return None
    return _answers(run.stages[: here.index], here.water_in, taken.what, tells)


def answers_for(run: TrainRun, name: str, tells: Tells) -> StageRun[Any] | None:
    """The unit of the house that answers for an analyte at the taps."""
    return _answers(run.stages, run.finished, name, tells)


def _answers(stages: Sequence[StageRun[Any]], water: Water, name: str, tells: Tells) -> StageRun[Any] | None:
    """Of some stages the one that changes an analyte most, where what leaves it is what a water behind them has."""
    if water.get(name) is None:
        return None
    most, best = 0.0, None
    for stage in stages:
        came, left = stage.water_in.get(name), stage.water_out.get(name)
        if stage.at_tap or came is None or left is None:
            continue
        if (change := abs(came - left)) > max(most, tells(f"{stage.id}.{name}_out", came)):
            most, best = change, stage
    if best is None or abs(water.value(name) - best.water_out.value(name)) > most / 4:
        return None
    return best
