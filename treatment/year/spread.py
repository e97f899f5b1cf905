"""The same house over many years of chance: percentiles of its totals, on every core."""

from __future__ import annotations

import multiprocessing
import os
from typing import Any, NamedTuple

import numpy as np

from ..language.figure import rounded
from ..planning.evaluated import EvaluatedTrain
from .asked import YearAsked
from .figures import Came
from .machine import Machine

FEW = 4  # runs below which another core is not worth starting

#: what the runs of a process stand on; set before its workers are forked
_SHARED: dict[str, Any] = {}


class Percentiles(NamedTuple):
    """The 5th, 50th and 95th percentile of a figure over the runs."""

    p5: float
    p50: float
    p95: float
    unit: str

    def as_json(self) -> dict[str, Any]:
        return {"p5": rounded(self.p5), "p50": rounded(self.p50), "p95": rounded(self.p95), "unit": self.unit}


def spread(variant: EvaluatedTrain, asked: YearAsked) -> dict[str, Percentiles]:
    """Percentiles of totals, of days between regenerations, of minutes beyond limits, over ``asked.runs`` seeds from ``asked.seed`` on."""
    _SHARED["variant"], _SHARED["asked"] = variant, asked
    seeds = range(asked.seed, asked.seed + asked.runs)
    cores = os.cpu_count() or 1
    if asked.runs < FEW or cores == 1 or multiprocessing.current_process().daemon:
        found = [_one(seed) for seed in seeds]
    else:
        with multiprocessing.get_context("fork").Pool(cores) as pool:
            found = pool.map(_one, seeds, chunksize=max(asked.runs // cores // 4, 1))
    units = {name: unit for run in found for name, (_, unit) in run.items()}
    return {name: _percentiles([run[name][0] for run in found if name in run], unit) for name, unit in units.items()}


def _percentiles(values: list[float], unit: str) -> Percentiles:
    low, middle, high = np.percentile(np.array(values), [5, 50, 95])
    return Percentiles(float(low), float(middle), float(high), unit)


def _one(seed: int) -> dict[str, tuple[float, str]]:
    """The figures of one run."""
    asked: YearAsked = _SHARED["asked"]
    came = Came(Machine(_SHARED["variant"], asked.start, asked.days, seed, asked.scenarios, asked.begin, asked.daily).run())
    found = {name: (float(amount.value), amount.unit) for name, amount in came.totals.items()}
    found |= {f"minutes_beyond/{name}": (amount.value, amount.unit) for name, amount in came.minutes_beyond.items()}
    for place in came.year.places:
        if place.kept.intervals and "since_regeneration" in place.first:
            found[f"days_between_regenerations/{place.id}"] = (float(np.mean(place.kept.intervals)), "day")
    return found
