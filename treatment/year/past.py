"""What a log holds of the days before a year begins, by the names of the year's own series."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass

from ..operation.maintenance.log import Log
from ..operation.maintenance.upkeep import upkeep
from ..operation.maintenance.use import Use
from ..operation.monitoring.readings import worked_out
from ..planning.evaluated import EvaluatedTrain

MOST = 365  # days that are shown
#: what is read at a unit and is a series of the year, too
AT_UNITS = ("salt_level", "pressure_drop", "dose", "level")


@dataclass(frozen=True)
class Past:
    """days: how many of them; readings: series -> day and value in its unit (use: L/day); done: stage -> day and what was done."""

    days: int
    readings: dict[str, list[tuple[dt.date, float]]]
    done: dict[str, list[tuple[dt.date, str]]]


def past_of(variant: EvaluatedTrain, log: Log, start: dt.date) -> Past | None:
    """What a log says of the year before a day; None where it says nothing."""
    first = max(log.started_on, start - dt.timedelta(days=MOST))
    raw = {key: [(on, value.middle) for on, value in points] for key, points in log.points.items()}
    every = raw | worked_out(raw, variant.run.stages)
    ids = [stage.id for stage in variant.run.stages]
    known = {f"{id}.{what}" for id in ids for what in AT_UNITS}
    readings = {
        key: near
        for key, points in every.items()
        if (key in known or key.startswith("tap.")) and (near := [(on, value) for on, value in points if first <= on < start])
    }
    use = [point for each in Use(variant, log).stretches if first <= each.begin for point in ((each.begin, each.daily), (each.end, each.daily))]
    if use:
        readings["use"] = [(on, value) for on, value in use if on < start]
    words = {task.id: task.row.task for task in upkeep(variant)}
    done = {
        id: sorted((entry.on, words[task]) for task, entries in log.services.items() if task in words and task.startswith(f"{id}/") for entry in entries
                   if first <= entry.on < start)
        for id in ids
    }  # fmt: skip
    done = {id: found for id, found in done.items() if found}
    return Past((start - first).days, readings, done) if readings or done else None
