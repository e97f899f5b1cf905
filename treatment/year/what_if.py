"""What if: the train as it is sized, with more people, harder water, another dose or bed, run through the year beside the year as designed."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from functools import cached_property, lru_cache
from typing import Any

from ..design import Design, design
from ..job_file import Job
from ..language.display import show, show_minutes
from ..language.tables import table
from ..planning.evaluated import EvaluatedTrain
from ..train.treatment import StageRun
from .figures import Came, came_of
from .machine import Machine
from .scenarios import Scenario, read_scenarios

DAYS = 365
KEPT = 8  # answers of a design, for who moves back and forth


@dataclass(frozen=True, slots=True)
class Handle:
    """Something that can be moved. now: as designed; values in the canonical unit; shown: the unit of ``data/display.toml`` people read it in."""

    name: str
    words: str
    shown: str
    low: float
    high: float
    step: float
    now: float

    def shows(self, value: float, system: str) -> str:
        """A value as a person reads it; a share as times what was tested."""
        if self.shown == "share":
            return f"{value:.2f} times the test"
        return f"{value:g}" if self.shown == "1" else show(value, self.shown, system)

    def held(self, value: float) -> float:
        """A value inside what can be."""
        return min(max(value, self.low), self.high)


@dataclass(frozen=True, slots=True)
class WhatIfRow:
    """One line of the answer: as designed and as moved."""

    what: str
    before: str
    after: str

    @property
    def differs(self) -> bool:
        return self.before != self.after


class WhatIfYear:
    """What may be asked of a design, and the year as designed that each answer is held against. Each is worked out when it is first asked for."""

    def __init__(self, found: Design, start: dt.date):
        self.found, self.start = found, start
        self._after = lru_cache(maxsize=KEPT)(self._worked)

    @cached_property
    def handles(self) -> tuple[Handle, ...]:
        """What can be moved: the hardness as a share of the tested one, people, and the dose and bed of the first softener."""
        softener, people, made = _softener(self.found.chosen), self.found.facts.building.people, []
        if self.found.chosen.run.raw.hardness > 0:
            made.append(_handle("hardness", "Hardness of the water", "share", 1.0))
        if people is not None:
            made.append(_handle("people", "People", "1", float(people)))
        if softener is not None:
            dose, volume = float(softener.sizing.params["salt_dose"]), float(softener.sizing.params["volume"])
            made += [_handle("dose", "Salt dose", "g/L", dose), _handle("volume", "Resin in each vessel", "L media", volume, volume)]
        return tuple(made)

    @cached_property
    def before(self) -> Came:
        """The year as designed."""
        return _year(self.found.with_train(self.found.chosen.as_sized).chosen, (), self.start)

    def asked(self, moved: Mapping[str, float]) -> dict[str, float]:
        """What was really moved, by at least half a step, held inside its ends. moved: handle -> value in its canonical unit."""
        known = {handle.name: handle for handle in self.handles}
        held = {name: known[name].held(value) for name, value in moved.items() if name in known}
        return {name: value for name, value in held.items() if abs(value - known[name].now) > known[name].step / 2}

    def answer(self, moved: Mapping[str, float]) -> tuple[WhatIfRow, ...]:
        """A year of the train as it is sized, as designed and with what was moved."""
        values = self.asked(moved)
        before = tuple(_told(self.before, self.found.facts.job.units))
        after = self._after(tuple(sorted(values.items()))) if values else before
        return tuple(WhatIfRow(what, one, other) for (what, one), (_, other) in zip(before, after, strict=True))

    def _worked(self, moved: tuple[tuple[str, float], ...]) -> tuple[tuple[str, str], ...]:
        """What is told of the year with what was moved."""
        values = dict(moved)
        year = _year(_moved(self.found, values), _harder(values.get("hardness"), self.start), self.start)
        return tuple(_told(year, self.found.facts.job.units))


def _handle(name: str, words: str, shown: str, now: float, times: float = 1.0) -> Handle:
    """A handle with its ends of ``data/year.toml``, which reach as far as the job does. times: what the ends are told in."""
    low, high, step = (end * times for end in table("year")["what_if"][name])
    return Handle(name, words, shown, min(low, now), max(high, now), step, now)


def _moved(found: Design, values: Mapping[str, float]) -> EvaluatedTrain:
    """The train as it is sized, in the house and with the softener that were asked for."""
    softener, train = _softener(found.chosen), list(found.chosen.as_sized)
    changes = {key: values[name] for name, key in (("dose", "salt_dose"), ("volume", "volume")) if name in values}
    if softener is not None and changes:
        own: Any = train[softener.index].keys
        train[softener.index] = replace(train[softener.index], keys=replace(own, **changes, **({"tank": None} if "volume" in changes else {})))
    facts = found.facts
    if "people" in values:
        facts = replace(facts, building=replace(facts.building, people=values["people"]))
        return design(Job(facts, tuple(train))).chosen
    return found.with_train(tuple(train)).chosen


def _harder(share: float | None, start: dt.date) -> tuple[Scenario, ...]:
    return () if share is None else tuple(read_scenarios([f"hard_season:from={start},days={DAYS},share={share:.3f}"], start, DAYS))


def _year(variant: EvaluatedTrain, scenarios: tuple[Scenario, ...], start: dt.date) -> Came:
    return came_of(Machine(variant, start, DAYS, 1, scenarios))


def _told(came: Came, system: str) -> Iterator[tuple[str, str]]:
    """The answer in words and the job's units."""
    totals, softener = came.totals, _softener(came.year.variant)
    yield "Salt a year", show(totals["salt"].value, "kg", system)
    yield "Water to the drain a year", show(totals["water_to_drain"].value, "L", system)
    if softener is not None:
        place = next(place for place in came.year.places if place.id == softener.id)
        times = place.kept.events.get("regeneration", 0)
        yield "Days between regenerations", show(DAYS / times, "day", system) if times else "none in the year"
    for name, words in (("hardness", "Hardness"), ("iron", "Iron"), ("manganese", "Manganese")):
        if name in came.limits:
            yield f"{words} beyond its limit at the taps", show_minutes(came.minutes_beyond[name].value)
    yield "Too little pressure", show_minutes(totals["minutes_low_pressure"].value)


def _softener(variant: EvaluatedTrain) -> StageRun[Any] | None:
    """The first stage that regenerates with salt for hardness."""
    return next((stage for stage in variant.run.stages if "salt_dose" in stage.sizing.params and "volume" in stage.sizing.params), None)
