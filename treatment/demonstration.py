"""The stories that the demonstration's logbooks tell: years of a made-up house, with something to find in each.

Written by a fixed seed, counted back from the day they end on; each is a ``cairn-log/1`` document for the train of its job.
"""

from __future__ import annotations

import datetime as dt
import random
from collections.abc import Callable
from typing import Any, NamedTuple

from .operation.maintenance.log import FORMAT
from .operation.maintenance.upkeep import upkeep
from .planning.evaluated import EvaluatedTrain

Entries = list[tuple[int, dict[str, Any]]]


class Story(NamedTuple):
    """Years of a log, what happens in them (entries of day numbers since its start), and the seed of its small differences."""

    years: float
    told: Callable[[EvaluatedTrain, int, random.Random], Entries]
    seed: int


def log_document(story: Story, train: EvaluatedTrain, today: dt.date) -> dict[str, Any]:
    """The logbook of a story as ``cairn-log/1``, ending today: what happens, and beside it what is done as it is due."""
    days = round(story.years * 365)
    start = today - dt.timedelta(days=days)
    told = story.told(train, days, random.Random(story.seed))
    rows = sorted([*told, *looked_after(train, days, {body.get("did", "") for _, body in told})], key=lambda row: row[0])
    entries = [{"on": (start + dt.timedelta(days=day)).isoformat()} | body for day, body in rows if day <= days]
    return {"format": FORMAT, "started_on": start.isoformat(), "entries": entries}


def looked_after(train: EvaluatedTrain, days: int, told: set[str]) -> Entries:
    """What is done as it is due, beside the story. told: what the story itself does, or leaves out."""
    found: Entries = []
    for task in upkeep(train):
        every = task.every if task.unit == "day" else 365.0
        if task.id not in told and not task.id.endswith(("/lamp", "/microbes")) and every >= 25:
            found += [(round(every * number * 0.97), {"did": task.id}) for number in range(1, int(days / every) + 1)]
    return found


def farm(train: EvaluatedTrain, days: int, pick: random.Random) -> Entries:
    """A softener whose capacity sinks over the last year, since the iron filter lets iron through; all else is as designed."""
    found: Entries = []
    for month in range(1, days // 30 + 1):
        day = 30 * month
        late = max(0, day - (days - 400)) / 400
        found.append((day, {"readings": {
            "softener.hardness_out": f"{0.3 + 4.5 * late + pick.uniform(0, 0.2):.1f} gpg", "softener.iron_in": f"{0.04 + 0.7 * min(2 * late, 1):.2f} mg/L",
            "neutralizer.ph_out": f"{7.1 + pick.uniform(-0.1, 0.1):.1f}", "oxidizing_filter.iron_out": f"{0.04 + 0.7 * min(2 * late, 1):.2f} mg/L",
            "sediment.pressure_in": "46 psi", "sediment.pressure_out": f"{44 - 0.8 * (month % 6) - pick.uniform(0, 0.3):.1f} psi",
            "uv.lamp_hours": 720 * (month % 12 or 12), "uv.intensity": f"{98 - 2 * (month % 12):.0f} %", "meter": f"{round(day * 205 + pick.uniform(0, 60))} gal",
            "softener.salt_level": f"{10 + 4 * (month % 3)} in", "softener.regenerations": 6 * month,
        }}))  # fmt: skip
        found.append((day + 2, {"did": "softener/salt", "amount": f"{pick.choice([40, 40, 80])} lb"}))
        if month % 6 == 0:
            found.append((day + 1, {"did": "sediment/cartridge"}))
        if month % 12 == 0:
            found += [(day + 1, {"did": "uv/lamp"}), (day + 3, {"readings": {"tap.total_coliform": "absent", "tap.e_coli": "absent"}})]
        if month % 14 == 0:
            found.append((day, {"did": "neutralizer/medium", "amount": "90 lb"}))
    found.append((days - 20, {"seen": ["orange_stains"], "note": "In the laundry sink."}))
    found.append((days // 2, {"readings": {"softener.hardness_out": "14 gpg"}, "note": "Strip out of date?"}))
    return found


def bothy(train: EvaluatedTrain, days: int, pick: random.Random) -> Entries:
    """A cartridge at a peaty spring that dies earlier each year; the water is turbid each spring, and was before."""
    found: Entries = []
    run = train.run
    stone = next(stage for stage in run.stages if stage.kind == "neutralizer")
    day, life = 0, 62.0
    while day < days:
        day += round(life)
        life = max(life * 0.95, 18.0)
        found.append((day, {"did": "sediment/cartridge", "note": pick.choice(["", "Brown through and through.", "Stained inside."])}))
    for month in range(1, days // 30 + 1):
        at = 30 * month
        found.append((at, {"readings": {f"{stone.id}.ph_out": f"{stone.water_out.ph + pick.uniform(-0.1, 0.1):.1f}", "anion_exchange.salt_level": f"{12 + 3 * (month % 2)} in",
                                        "uv.lamp_hours": 720 * (month % 12 or 12), "meter": f"{at * 235} L"}}))  # fmt: skip
        if month % 12 == 0:
            found += [(at + 1, {"did": "uv/lamp"}), (at + 2, {"readings": {"tap.total_coliform": "absent", "tap.e_coli": "absent"}})]
        found += [(at - 10, {"did": "anion_exchange/salt", "amount": "40 kg"}), (at + 4, {"did": "anion_exchange/salt", "amount": "40 kg"})]
        found.append((at + 4, {"did": "softener/salt", "amount": "25 kg"}))
        if month % 4 == 0:
            found.append((at + 1, {"did": "neutralizer/medium", "amount": f"{stone.figures['media_per_year'].value / 3:.0f} kg"}))
    return found


def house(train: EvaluatedTrain, days: int, pick: random.Random) -> Entries:
    """A lamp that was changed once and then forgotten; its counter says so."""
    found: Entries = []
    for month in range(1, days // 30 + 1):
        at = 30 * month
        hours = 720 * month if month < 12 else 720 * (month - 11)
        found.append((at, {"readings": {"uv.lamp_hours": hours, "uv.intensity": f"{max(99 - hours / 300, 55):.0f} %", "neutralizer.ph_out": f"{8.5 + pick.uniform(-0.2, 0.2):.1f}",
                                        "sediment.pressure_in": "3.5 bar", "sediment.pressure_out": f"{3.4 - 0.03 * (month % 6):.2f} bar"}}))  # fmt: skip
        if month == 11:
            found.append((at + 1, {"did": "uv/lamp"}))
        if month % 6 == 0:
            found.append((at + 1, {"did": "sediment/cartridge"}))
    return found


#: job of the demonstration -> its story
STORIES = {"High Tarn Farm": Story(4.2, farm, 1), "Peat Bothy": Story(2.6, bothy, 2), "Becklow Guest House": Story(2.4, house, 3)}
