"""Rows of a report that are no reading of ours: which of them must be told all the same, and how gravely."""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Iterator
from dataclasses import dataclass
from functools import cache

from ..job.facts import Facts, SampleFacts, SeenRow
from ..job.limits import Limit, outside, strictest
from ..language.analytes import fold
from ..language.tables import table
from .reports.names import meaning
from .reports.numbers import NUMBER, number, powers
from .reports.results import Printed, judge
from .reports.sheets import plain

_RESULT = re.compile(rf"^\s*(?P<sign><=|>=|[<>≤≥])?\s*(?P<value>{NUMBER})")
_RANGE = re.compile(rf"^\s*(?P<low>{NUMBER})\s*(?:-|–|to|bis|à|a|tot)\s*(?P<high>{NUMBER})", re.IGNORECASE)


@dataclass(frozen=True, slots=True)
class Untreated:
    """A row that is told. severity: danger or caution; why: in a sentence, after the row itself."""

    row: SeenRow
    severity: str
    why: str


def untreated(facts: Facts) -> Iterator[Untreated]:
    """Every row of the samples that is above the limit printed beside it, above one of ours, or dangerous by its name; each name once."""
    told: dict[str, Untreated] = {}
    for sample in facts.samples:
        for row in sample.seen:
            found = judged(row, sample, facts.job.standard, facts.as_of)
            known = told.get(fold(row.name))
            if found is not None and (known is None or (found.severity, known.severity) == ("danger", "caution")):
                told[fold(row.name)] = found
    yield from told.values()


def judged(row: SeenRow, sample: SampleFacts, standard: str, on: dt.date | None = None) -> Untreated | None:
    """What must be told of one row; None where nothing has to be. A reading of the same thing that is beyond its limit speaks for itself."""
    value = _found(row.result)
    analyte = meaning(row.name).analyte
    limit = strictest(standard, analyte.key, on) if analyte is not None else None
    used = sample.readings.get(analyte.key) if analyte is not None else None
    if value is None or (used is not None and (limit is None or outside(limit, used.low, used.high))):
        return None
    comfort = analyte is not None and not (limit is not None and limit.health) and not danger_of(row.name)
    if above := _above(value, row.limit):
        return Untreated(row, "caution" if comfort else "danger", f"outside the limit printed beside it ({row.limit.strip()})")
    if analyte is not None and limit is not None:
        return _against(row, limit)
    words = danger_of(row.name)
    return Untreated(row, "danger", f"{words}, with no limit printed beside it") if words and above is None else None


def _against(row: SeenRow, limit: Limit) -> Untreated | None:
    """A row of one of ours that was not used, held against the job's limit."""
    reading = judge(meaning(row.name), Printed(result=row.result, limit=row.limit), "").reading
    if reading is None:
        return Untreated(row, "caution", "it could not be read, and this job has a limit for it")
    return Untreated(row, "danger" if limit.health else "caution", "outside this job's limit") if limit.broken_by(reading.low) else None


def danger_of(name: str) -> str:
    """The class that makes a row dangerous by its name alone, in words; empty where none does."""
    said = plain(name)
    return next((words for words, pattern in _dangerous() if pattern.search(said)), "")


@cache
def _dangerous() -> tuple[tuple[str, re.Pattern[str]], ...]:
    def part(name: str) -> str:
        """A name as a whole word; a star leaves that side open."""
        before, after = "" if name.startswith("*") else r"(?<![a-z0-9])", "" if name.endswith("*") else r"(?![a-z0-9])"
        return f"{before}{re.escape(name.strip('*'))}{after}"

    rows = table("report_words")["dangerous"]
    return tuple((row["words"], re.compile("|".join(part(name) for name in row["names"]))) for row in rows.values())


def _found(result: str) -> float | None:
    """How much a row found, at least; None where it found nothing or says nothing."""
    said = " ".join(result.casefold().split()).strip(" .")
    words = table("report_words")["results"]
    if not said or said in words["absent"] or said in words["undetected"] or said in words["nothing"]:
        return None
    if said in words["present"] or said in words["uncountable"]:
        return float("inf")
    match = _RESULT.match(powers(result))
    if match is None or (match["sign"] or "") in ("<", "<=", "≤"):
        return None
    value, _ = number(match["value"], "")
    return float(value) if value and float(value) > 0 else None


def _above(value: float, limit: str) -> bool | None:
    """Whether a value is outside a printed limit; None where none is printed that can be read."""
    said = " ".join(limit.casefold().split()).strip(" .")
    if said and said in table("report_words")["results"]["absent"]:
        return value > 0
    if span := _RANGE.match(limit):
        low, high = (number(span[end], "")[0] for end in ("low", "high"))
        return not float(low) <= value <= float(high) if low and high else None
    match = _RESULT.match(powers(re.sub(r"^\s*(?:max\.?|mcl|≤|<=?)\s*", "", limit, flags=re.IGNORECASE)))
    high, _ = number(match["value"], "") if match else ("", "")
    return value > float(high) if high else None


__all__ = ["Untreated", "danger_of", "judged", "untreated"]
