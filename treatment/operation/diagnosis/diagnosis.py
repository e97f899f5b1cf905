"""What explains a log: causes with the evidence for and against each, ranked; and ``cairn-diagnosis/1``."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

from ...audit.rules import SEVERITIES
from ...language.figure import rounded
from ...language.prose import sentence
from ...language.schema import array, maybe, obj
from ...language.series_key import SeriesKey
from ...language.tables import table
from ...planning.evaluated import EvaluatedTrain
from ...train.treatment import StageRun
from ..maintenance.due import Due, due
from ..maintenance.log import Log
from ..maintenance.upkeep import Task, upkeep
from ..monitoring.band import Mark
from ..monitoring.series import METER
from ..monitoring.trend import Point, Trend, trend
from .cause import BOIL, Cause, CauseRow, order, rows
from .data_quality import COUNTED, DataQuality
from .indicators import Indicator, Indicators
from .pressures import pressures
from .seen import alarms, seen
from .unclear import at_taps, no_longer, unexplained
from .waters import waters

FORMAT = "cairn-diagnosis/1"
#: series whose crossing is the day of the task that begins them anew
CROSSING = ("pressure_drop", "normal_flow", "passage", "ph_out", "intensity", "salt_level", "solution_level")
#: signs of a unit that say of it what its treated water does not: its cause stands, whatever else that water shows
BY_THEMSELVES = (
    "count_stands",
    "salt_gone",
    "salt_stands",
    "brine_high",
    "medium_low",
    "drop_high",
    "drop_climbs",
    "drop_climbs_or_high",
    "backwash_below",
)
#: days at the most into which a crossing is told
FAR = 3650


@dataclass(frozen=True, slots=True)
class Crossing:
    """The day on which a series meets its mark, and the days between which it may."""

    mark: Mark
    on: dt.date
    low: dt.date
    high: dt.date

    def as_json(self) -> dict[str, Any]:
        """As the diagnosis prints it."""
        days = {"on": self.on.isoformat(), "low": self.low.isoformat(), "high": self.high.isoformat()}
        return {"mark": {"value": rounded(self.mark.value), "unit": self.mark.unit}} | days


class Diagnosis:
    """A log read against a design, as it was known on a day."""

    def __init__(self, variant: EvaluatedTrain, log: Log, as_of: dt.date, tasks: tuple[Task, ...] | None = None):
        self.variant, self.log, self.as_of = variant, log, as_of
        self.tasks = upkeep(variant) if tasks is None else tasks
        planned = due(variant, self.tasks, log, as_of)
        self.look = DataQuality(variant, self.tasks, log, as_of, planned)
        self.due: list[Due] = sorted((self._by_condition(each) for each in planned), key=lambda each: (each.due_on, each.task.id))

    # --- causes -------------------------------------------------------------------------------------------------------
    @cached_property
    def causes(self) -> tuple[Cause, ...]:
        """Dangers first, whatever their weight; then the likelier first; of those as likely, in the order of the table.

        A cause is offered where every sign it must have holds, and none that takes it away does. Its score is the number of
        signs that hold, by that number, those that say no and one for what is assumed; its weight is its share of all scores.
        """
        found = [cause for cause in (*self._by_table(), *waters(self.look)) if cause is not None]
        found = self._apart(found)
        found += no_longer(self.look, found)
        found += at_taps(self.look, found)
        found += unexplained(self.look, found)
        found += pressures(self.look, found)
        found += seen(self.look, found)
        found += alarms(self.look, found, self.unsafe)
        whole = sum(cause.score for cause in found) or 1.0
        weighed = [replace(cause, weight=cause.score / whole, stands_on=self._as_told(cause)) for cause in found]
        return tuple(
            sorted(weighed, key=lambda c: (c.severity != "danger", c.severity == "advice", -round(c.weight, 6), c.stage or "", order().get(c.id, 0)))
        )

    def _as_told(self, cause: Cause) -> tuple[tuple[dt.date, str], ...]:
        """The readings a cause stands on; what was read elsewhere by its own key."""
        read = self.look.readings
        return tuple((day, read.elsewhere(key, day) or key) for day, key in cause.stands_on)

    def _by_table(self) -> Iterator[Cause | None]:
        signs = {stage.id: Indicators(self.look, stage) for stage in self.variant.run.stages}
        place = Indicators(self.look, None)
        for row in rows():
            if not row.kinds:
                yield self._cause(row, None, place)
            for stage in self.variant.run.stages:
                choices = stage.room.choices(stage.keys) | stage.sizing.params
                if stage.kind in row.kinds and all(choices.get(name) in held for name, held in row.only):
                    yield self._cause(row, stage, signs[stage.id])

    def _cause(self, row: CauseRow, stage: StageRun[Any] | None, signs: Indicators) -> Cause | None:
        must = [signs.of(name) for name in row.must]
        if any(sign is None or not sign.holds for sign in must):
            return None
        if any(sign is not None and sign.holds for sign in (signs.of(name) for name in row.never)):
            return None
        may = [sign for name in row.may if (sign := signs.of(name)) is not None]
        speaks = [sign for sign in (*must, *may) if sign is not None and sign.holds]
        against = [sign for sign in may if not sign.holds]
        severity = row.severity
        if severity == "danger_if_unsafe":
            severity = "danger" if self.unsafe else "fault"
        if severity == "danger_if_gone":  # nothing is left of what makes unsafe water harmless
            gone = signs.of("residual_gone")
            severity = "danger" if self.unsafe and gone is not None and gone.holds else "fault"
        do = (BOIL, *(line for line in row.do if not line.startswith("Boil water"))) if severity == "danger" else row.do
        evidence = tuple(dict.fromkeys(_sentence(sign) for sign in speaks))
        score = len(evidence) / (len(evidence) + len(against) + 1)
        stands_on = tuple(dict.fromkeys(point for sign in speaks for point in sign.stands_on))
        return Cause(
            row.id,
            stage.id if stage else None,
            score,
            0.0,
            evidence,
            tuple(_sentence(sign) for sign in against),
            row.tell_apart,
            do,
            severity,
            stands_on,
            any(sign is not None and sign.holds for sign in (signs.of(name) for name in BY_THEMSELVES if name in (*row.must, *row.may))),
        )

    @property
    def unsafe(self) -> bool:
        """Whether microbes were found in this water, or its source is one that carries them."""
        return self.variant.audit.microbes_present or self.variant.run.raw.value("total_coliform") > 0

    def _apart(self, found: list[Cause]) -> list[Cause]:
        """Causes that another explains better are left out: units that show raw water at once are bypassed, not each broken."""
        ids = {cause.id for cause in found}
        if "bypass-open" in ids:
            own = {SeriesKey.of(key).place for cause in found if cause.id == "bypass-open" for _, key in cause.stands_on}
            found = [cause for cause in found if cause.id == "bypass-open" or cause.stage not in own or cause.severity == "danger" or cause.by_itself]
            most = max(cause.score for cause in found if cause.id == "bypass-open")  # it explains more, with one assumption: it stands first
            found = [replace(cause, score=min(cause.score, 0.9 * most)) if cause.stage in own else cause for cause in found]
        if "leak" in ids:
            found = [cause for cause in found if cause.id != "more-use"]
        found = self._named(found, "dark-water", "source-changed/uvt", lambda own, other: True)
        found = self._named(found, "membrane-oxidised", "membrane-leaks", lambda own, other: own.score > other.score)
        places = {stage.id: stage.index for stage in self.variant.run.stages}
        for clogged in ("cartridge-clogged", "cartridge-clogged-early"):
            found = self._named(found, clogged, "prefilter-clogged", lambda own, other: places[own.stage or ""] < places[other.stage or ""])
        return found

    def _named(self, found: list[Cause], own: str, other: str, same: Callable[[Cause, Cause], bool]) -> list[Cause]:
        """Where two ids fit one thing, that of the stage's own room is taken and the other named in its evidence."""
        taken = next((cause for cause in found if cause.id == own), None)
        second = next((cause for cause in found if cause.id == other), None)
        if taken is None or second is None or not same(taken, second):
            return found
        told = replace(taken, evidence=(*taken.evidence, *(f"{line} ({other})" for line in second.evidence if line not in taken.evidence)))
        return [told if cause is taken else cause for cause in found if cause is not second]

    # --- due dates ----------------------------------------------------------------------------------------------------
    def _by_condition(self, planned: Due) -> Due:
        """A task on the day on which a series that it begins anew crosses its mark, where that comes before its own day."""
        stage = planned.task.stage
        if stage is None:
            return planned
        name = planned.task.id.partition("/")[2]
        for key in self.look.keys:
            series = self.look.readings.series(key)
            if series.place != stage.id or series.what not in CROSSING or f"{stage.id}/{name}" not in series.anew:
                continue
            found = self.crossing(key)
            if found is None or found.on >= planned.due_on:
                continue
            points = self.look.readings.since(key)
            words = f"{series.words} {'reached' if found.on <= self.as_of else 'reaches'} its alert level on {found.on}, by {len(points)} readings"
            low, high = max(found.low, planned.last), max(min(found.high, planned.due_on), found.on)
            on, basis = max(found.on, planned.last), "consumption" if series.what in COUNTED else "condition"
            planned = replace(planned, due_on=on, low=min(low, on), high=high, basis=basis, overdue=self.as_of > on, why=f"{words}; {planned.why}")
        return planned

    # --- series -------------------------------------------------------------------------------------------------------
    @cached_property
    def series(self) -> tuple[dict[str, Any], ...]:
        """Every series: what is expected, how it moves since the last service, when it crosses its mark."""
        return tuple(self._series(key) for key in self.look.keys)

    def _series(self, key: str) -> dict[str, Any]:
        band, unit, line = self.look.bands.band(key), self.look.readings.series(key).unit, self.trend_of(key)
        crossing = self.crossing(key)
        return {
            "key": key,
            "expected": None if band is None else band.as_json(),
            "slope_per_day": None if line is None else {"value": rounded(line.slope), "unit": f"{unit}/day" if key != METER else "L/day per day"},
            "crosses": None if crossing is None else crossing.as_json(),
        }

    def crossing(self, key: str) -> Crossing | None:
        """When a series crosses its mark: the day, and the days by the slopes of half of all pairs.

        None where it never does, or past ten years; and where it is within its mark and fewer than three readings say that it moves,
        or it moved by less than a reading tells apart.
        """
        line, mark, points = self.trend_of(key), self.look.bands.mark(key), self.look.readings.lately(key)
        if line is None or mark is None:
            return None
        days = [_days(line, slope, mark) for slope in (line.slope, line.low, line.high)]
        if days[0] is None or (days[0] > 0 and not self._moves(key, line, points)):
            return None
        ends = [each for each in days if each is not None]
        on, low, high = (line.on + dt.timedelta(days=each) for each in (days[0], min(ends), max(ends) if len(ends) == len(days) else FAR))
        return Crossing(mark, on, low, high)

    def _moves(self, key: str, line: Trend, points: Sequence[Point]) -> bool:
        span = (points[-1][0] - points[0][0]).days if points else 0
        what, finer = SeriesKey.of(key).name, table("upkeep")["tells_trend"]
        tells = finer[what] * self.look.readings.usual.get(key, 1.0) if what in finer else self.look.bands.tells(key)
        return len(points) >= 3 and (what in COUNTED or abs(line.slope) * span >= tells)

    def trend_of(self, key: str) -> Trend | None:
        """How a series moves since its last service; of the meter, how the use of a day does."""
        if key == METER:
            return trend([(each.end, each.daily) for each in self.look.use.stretches])
        return self.look.readings.trend(key)

    # --- the document -------------------------------------------------------------------------------------------------
    def document(self) -> dict[str, Any]:
        """``cairn-diagnosis/1``."""
        doubted = sorted(self.look.doubted, key=lambda doubt: (doubt.on, doubt.key))
        return {
            "format": FORMAT,
            "as_of": self.as_of.isoformat(),
            "due": [each.as_json() for each in self.due],
            "series": list(self.series),
            "causes": [cause.as_json(rank) for rank, cause in enumerate(self.causes, 1)],
            "doubted": [doubt.as_json() for doubt in dict.fromkeys(doubted)],
        }


def _days(line: Trend, slope: float, mark: Mark) -> int | None:
    """Days from the line's own day until it meets the mark; 0 where it is past it."""
    left = mark.value - line.level
    if (left <= 0) == mark.above and left != 0:
        return 0
    if slope == 0 or (slope > 0) != mark.above:
        return None
    days = left / slope
    return int(days) if days <= FAR else None


def _sentence(sign: Indicator) -> str:
    return sentence(sign.words)


def diagnosis_schema() -> dict[str, Any]:
    """The JSON Schema of ``cairn-diagnosis/1``."""

    text, number, day = {"type": "string"}, {"type": "number"}, {"type": "string", "format": "date"}
    end = {"type": ["number", "null"]}
    quantity = obj({"value": number, "unit": text})
    lines = array({"type": "object"})
    band = obj({"low": end, "high": end, "unit": text, "working": lines})
    series = obj(
        {
            "key": text,
            "expected": maybe(band),
            "slope_per_day": maybe(quantity),
            "crosses": maybe(obj({"mark": quantity, "on": day, "low": day, "high": day})),
        }
    )
    texts = array(text)
    cause = obj({
        "id": text, "stage": {"type": ["string", "null"]}, "rank": number, "weight": number, "evidence": texts, "against": texts, "tell_apart": text,
        "do": texts, "severity": {"enum": list(SEVERITIES)},
    })  # fmt: skip
    task = obj({"task": text, "due_on": day, "low": day, "high": day, "basis": text, "overdue": {"type": "boolean"}, "why": text})
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "$id": FORMAT,
        "title": "Vivid Cairn diagnosis",
        **obj({
            "format": {"const": FORMAT}, "as_of": day, "due": array(task), "series": array(series),
            "causes": array(cause), "doubted": array(obj({"on": day, "key": text, "why": text})),
        }),
    }  # fmt: skip
