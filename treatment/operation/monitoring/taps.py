"""What a tap says of a unit: the water of the house is what left the unit that changes it most, where nothing behind that changes it back."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Mapping
from typing import Any

from ...language.analytes import MICROBES, analytes, shown_in
from ...language.log_keys import TAP
from ...language.series_key import SeriesKey
from ...train.treatment import StageRun, TrainRun
from .trend import Point

#: what tells of pipe and heater, or of what lives in them, and not of a unit
OF_THE_HOUSE = frozenset({*MICROBES, *shown_in("plumbing"), "temperature", "heterotrophic_count"})

#: how far two values of an analyte have to lie apart to be told apart
Tells = Callable[[str, float], float]


def from_taps(raw: Mapping[str, list[Point]], run: TrainRun, tells: Tells) -> dict[str, list[Point]]:
    """Key of a unit's treated water -> what was read at a tap since it was last read there.

    Left out is what a unit at the drinking tap itself may have given. tells: of a key and a size, what a reading tells apart.
    """
    found: dict[str, list[Point]] = {}
    for key, points in raw.items():
        name = SeriesKey.of(key).name
        if SeriesKey.of(key).place != TAP or name not in analytes() or name in OF_THE_HOUSE:
            continue
        stage = answers_for(run, name, tells)
        if stage is None:
            continue
        out = str(SeriesKey(stage.id, name, "out"))
        left, drawn, apart = stage.water_out.value(name), run.tap.value(name), tells(out, stage.water_out.value(name))
        last = max((day for day, _ in raw.get(out, [])), default=dt.date.min)
        at_own_tap = run.tap is not run.finished and abs(drawn - left) > apart
        taken = [(day, value) for day, value in points if day > last and not (at_own_tap and abs(value - drawn) <= apart)]
        if taken:
            found[out] = taken
    return found


def answers_for(run: TrainRun, name: str, tells: Tells) -> StageRun[Any] | None:
    """The unit of the house that changes an analyte most, where what leaves it is what reaches the taps; None where none does, or it cannot be told."""
    if run.finished.get(name) is None:
        return None
    most, best = 0.0, None
    for stage in run.stages:
        came, left = stage.water_in.get(name), stage.water_out.get(name)
        if stage.at_tap or came is None or left is None:
            continue
        if (change := abs(came - left)) > max(most, tells(f"{stage.id}.{name}_out", came)):
            most, best = change, stage
    if best is None or abs(run.finished.value(name) - best.water_out.value(name)) > most / 4:
        return None
    return best
