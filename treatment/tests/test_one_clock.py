"""One clock: a log read off a year is diagnosed as what happened in that year; a quiet year as nothing."""

from __future__ import annotations

import copy
import datetime as dt
from collections.abc import Iterator
from functools import cache
from typing import Any
from unittest import TestCase

import numpy as np

from ..operation.diagnosis.diagnosis import Diagnosis
from ..operation.maintenance.log import read_log
from ..operation.maintenance.upkeep import upkeep
from ..planning.evaluated import EvaluatedTrain
from ..year.figures import Came
from ..year.machine import Machine
from ..year.place import Place
from ..year.scenarios import read_scenarios
from .example import job, worked

START, DAYS, EVERY = dt.date(2026, 1, 1), 300, 14
TRAIN = [
    {"kind": "neutralizer", "id": "stone"},
    {"kind": "oxidizing_filter", "id": "iron", "medium": "air_charged"},
    {"kind": "softener", "id": "soft"},
    {"kind": "sediment", "id": "fine", "micron": "5 um"},
    {"kind": "uv", "id": "lamp"},
]


@cache
def well() -> EvaluatedTrain:
    return worked(job(readings={"turbidity": "2 NTU"}, train=copy.deepcopy(TRAIN))).chosen


def day(count: int) -> str:
    return (START + dt.timedelta(days=count)).isoformat()


def read_off(place: Place, at: int, mean: dict[str, Any]) -> dict[str, str]:
    """What somebody reads at a stage on a day of the year."""
    found = {}
    if "salt" in place.state:
        found[f"{place.id}.salt_level"] = f"{mean[f'{place.id}.salt_level'][at] * 100:.0f} cm"
        found[f"{place.id}.hardness_out"] = f"{mean['tap.hardness'][at]:.1f} mg/L as CaCO3"
    if "dirt" in place.state:
        stage = place.stage
        drop = stage.loss_clean + (stage.loss_dirty - stage.loss_clean) * place.kept.dirt[at]
        found |= {f"{place.id}.pressure_in": "350 kPa", f"{place.id}.pressure_out": f"{350 - drop:.0f} kPa"}
    if "bed_left" in place.state:
        found[f"{place.id}.ph_out"] = f"{mean['tap.ph'][at]:.1f}"
    return found


def entries(came: Came) -> Iterator[dict[str, Any]]:
    """The year as a careful owner's log: a round every fortnight, and each thing that was renewed."""
    mean = {name: middle for name, _, _, middle, _ in came.series()}
    meter = np.cumsum(came.day_sums(came.year.served))
    for at in range(0, DAYS, EVERY):
        readings = {"meter": f"{meter[at]:.0f} L"}
        for place in came.year.places:
            readings |= read_off(place, at, mean)
        yield {"on": day(at), "readings": readings}
    for place in came.year.places:
        verbs = {stock.name.replace("_", " "): stock.renewed_by for stock in place.over_time.stocks}
        for event in place.events:
            if event.kind in ("refill", "change", "clean"):
                yield {"on": day(int(event.at // 1440)), "did": f"{place.id}/{verbs[event.message.partition(':')[0]]}"}


def causes(*told: str) -> list[str]:
    """What the log of a year with these scenarios is read as."""
    variant, tasks = well(), upkeep(well())
    came = Came(Machine(variant, START, DAYS, 1, read_scenarios(told, START, DAYS)).run())
    document = {"format": "cairn-log/1", "started_on": START.isoformat(), "entries": list(entries(came))}
    log = read_log(document, tasks, [stage.id for stage in variant.run.stages])
    return [cause.id for cause in Diagnosis(variant, log, START + dt.timedelta(days=DAYS - 1), tasks).causes]


class OneClock(TestCase):
    def test_a_quiet_year_has_no_cause(self) -> None:
        """What design, upkeep, bands and year say of one house agrees: nothing to diagnose, seasons and all."""
        self.assertEqual(causes(), [])

    def test_what_happened_is_what_is_found(self) -> None:
        """Forgotten salt, forgotten filters, a house that uses more, dirtier water: each is read off its own log."""
        self.assertEqual(causes("salt_forgotten")[:1], ["salt-empty"])
        self.assertIn("cartridge-clogged", causes("filters_forgotten"))
        self.assertIn("more-use", causes("guests:people=5,from=2026-08-01,days=85"))
        self.assertIn("cartridge-clogged-early", causes("dirty_season:from=2026-08-01,days=80"))
