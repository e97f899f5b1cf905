"""Rows of a report that are no reading of ours: which of them must be told all the same, and how gravely."""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Iterator
from dataclasses import dataclass

from ..job.facts import Facts, SampleFacts, SeenRow
from ..job.limits import Limit, bounds_health, limits, outside
from ..language.analytes import Analyte, fold
from ..language.quantity import Unit, find_unit
from ..language.reading import Reading
from ..language.tables import table
from .reports.names import danger_of, meaning
from .reports.numbers import NUMBER, number, powers
from .reports.results import Printed, judge

_RESULT = re.compile(rf"^\s*(?P<sign><=|>=|[<>≤≥])?\s*(?P<value>{NUMBER})(?P<rest>.*)$", re.DOTALL)
_RANGE = re.compile(rf"^\s*(?P<low>{NUMBER})\s*(?:-|–|to|bis|à|a|tot)\s*(?P<high>{NUMBER})(?P<rest>.*)$", re.IGNORECASE | re.DOTALL)
_AT_MOST = re.compile(r"^\s*(?:max\.?|mcl|≤|<=?)\s*", re.IGNORECASE)
_DIMENSIONS = ("concentration", "activity", "count")


@dataclass(frozen=True, slots=True)
class Untreated:
    """A row that is told. severity: danger or caution; why: in a sentence, after the row itself."""

    row: SeenRow
    severity: str
    why: str


def untreated(facts: Facts) -> Iterator[Untreated]:
    """Every row of the samples that is above the limit printed beside it, above one of ours, or dangerous by its name; the same row once."""
    told = dict[tuple[str, str], Untreated]()
    for sample in facts.samples:
        for row in sample.seen:
            if (found := judged(row, sample, facts.job.standard, facts.as_of)) is not None:
                told.setdefault((fold(row.name), row.result), found)
    yield from told.values()


def judged(row: SeenRow, sample: SampleFacts, standard: str, on: dt.date | None = None) -> Untreated | None:
    """What must be told of one row; None where nothing has to be. A reading of the same thing that is as bad speaks for itself."""
    value, meant = _found(row.result), meaning(row.name)
    if value is None:
        return None
    analyte, words = meant.analyte, danger_of(row.name)
    own = [limit for limit in limits(standard, on) if analyte is not None and limit.analyte == analyte.key]
    reading = judge(meant, Printed(result=row.result, limit=row.limit), "").reading
    if analyte is not None and analyte.key in sample.readings and _covers(sample.readings[analyte.key], reading, own, analyte):
        return None
    above = _above(value, row.limit)
    if above or any(reading is not None and limit.broken_by(reading.low) for limit in own):
        severity = "danger" if analyte is None or words or _grave(analyte, own, reading) else "caution"
        return Untreated(row, severity, f"outside the limit printed beside it ({row.limit.strip()})" if above else "outside this job's limit")
    if own and reading is None:
        return Untreated(row, "caution", "it could not be read, and this job has a limit for it")
    return Untreated(row, "danger", f"{words}, with no limit printed beside it") if words and above is None and not own else None


def _grave(analyte: Analyte, own: list[Limit], reading: Reading | None) -> bool:
    """Whether what is outside a limit matters to health: of an analyte that only health bounds, or beyond its health limit too.

    Where the job's set is silent, by what the other sets say.
    """
    health = [limit for limit in own if limit.health]
    if not own:
        return bounds_health(analyte.key)
    return len(health) == len(own) or (bool(health) and (reading is None or any(limit.broken_by(reading.low) for limit in health)))


def _covers(used: Reading, row: Reading | None, own: list[Limit], analyte: Analyte) -> bool:
    """Whether a reading that is used tells what a row of the same thing would: it is beyond every limit itself, or as bad as the row."""
    if own and all(outside(limit, used.low, used.high) for limit in own):
        return True
    if row is None:
        return False
    top = float("inf") if used.high is None else used.high
    return row.low >= used.low * (1 - 1e-6) if analyte.adverse == "low" else row.low <= top * (1 + 1e-6)


@dataclass(frozen=True, slots=True)
class _Amount:
    """A printed number, and the unit behind it where one is known."""

    number: float
    unit: Unit | None = None
    dimension: str = ""

    def above(self, limit: _Amount) -> bool:
        """Whether it is more than a limit: in one unit where both say theirs, else number beside number."""
        if self.unit and limit.unit and self.dimension == limit.dimension:
            return self.unit.to_canonical(self.number) > limit.unit.to_canonical(limit.number) * (1 + 1e-9)
        return self.number > limit.number


def _amount(token: str, rest: str, most: bool = False) -> _Amount | None:
    """A printed number with its unit; most: of two numbers that it could be, the larger."""
    value, doubt = number(token, "")
    if doubt and most:
        value, _ = number(token, ".")
    for dimension in _DIMENSIONS:
        if unit := find_unit(dimension, rest.strip(" ()[]")):
            return _Amount(float(value), unit, dimension) if value else None
    return _Amount(float(value)) if value else None


def _found(result: str) -> _Amount | None:
    """How much a row found, at least; None where it found nothing or says nothing."""
    said = " ".join(result.casefold().split()).strip(" .")
    words = table("report_words")["results"]
    if not said or said in words["absent"] or said in words["undetected"] or said in words["nothing"]:
        return None
    if said in words["present"] or said in words["uncountable"]:
        return _Amount(float("inf"))
    match = _RESULT.match(powers(result))
    if match is None or (match["sign"] or "") in ("<", "<=", "≤"):
        return None
    found = _amount(match["value"], match["rest"], most=True)
    return found if found and found.number > 0 else None


def _above(value: _Amount, limit: str) -> bool | None:
    """Whether a value is outside a printed limit; None where none is printed that can be read."""
    said = " ".join(limit.casefold().split()).strip(" .")
    if said and said in table("report_words")["results"]["absent"]:
        return True
    if span := _RANGE.match(limit):
        low, high = _amount(span["low"], span["rest"]), _amount(span["high"], span["rest"])
        return value.above(high) or low.above(value) if low and high else None
    match = _RESULT.match(powers(_AT_MOST.sub("", limit)))
    most = _amount(match["value"], match["rest"]) if match else None
    return value.above(most) if most else None


__all__ = ["Untreated", "judged", "untreated"]
