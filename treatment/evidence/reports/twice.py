"""A picture read twice: what both readings agree on is to be compared with it, what they differ on is asked. Nothing of it is sure."""

from __future__ import annotations

import datetime as dt
import re
from dataclasses import replace
from difflib import SequenceMatcher

from .names import danger_of
from .numbers import number
from .report import Report, ReportRow, ReportSample
from .sheets import plain

ALIKE = 0.7  # share of letters that two readings of a name have in common
FAR = 10.0  # times its limit, without a decimal point: one may have been lost
COMPARE = "read from a picture: compare it"


def compared(one: Report, other: Report) -> Report:
    """The report that two readings of its picture make. A row that only one of them holds is asked, or aside where it names nothing we know."""
    if not one.samples or not other.samples:
        one, other = (one, other) if one.samples else (other, one)
    if len(one.samples) != len(other.samples):  # tables were parted differently: the reading that holds more tells how
        one, other = sorted((one, other), key=lambda report: -sum(row.reading is not None for sample in report.samples for row in sample.rows))
    left = [row for sample in other.samples for row in sample.rows]
    samples = []
    for sample in one.samples:
        rows = []
        for row in sample.rows:
            twin = _twin(row, left)
            if twin is not None:
                left = [each for each in left if each is not twin]
            rows.append(_agreed(row, twin))
        samples.append(replace(sample, rows=rows, taken_on=_same_day(sample, other)))
    for row in left:
        if samples and (row.analyte is not None or danger_of(row.label)):
            samples[-1].rows.append(_agreed(row, None))
    known = [replace(sample, rows=[row for row in sample.rows if row.status != "aside" or row.reading or danger_of(row.label)]) for sample in samples]
    known = [sample for sample in known if sample.rows]
    _shifted(known)
    return Report(known, one.why or other.why if not known else "", "")


def _twin(row: ReportRow, left: list[ReportRow]) -> ReportRow | None:
    """The same row in the other reading: of the same analyte, or by a name that is nearly the same with the same result."""
    same = [each for each in left if row.analyte is not None and each.analyte is row.analyte]
    if same:
        return same[0]
    near = [each for each in left if _alike(row.label, each.label) >= ALIKE and (row.analyte is None or each.analyte is None)]
    return max(near, key=lambda each: _alike(row.label, each.label), default=None)


def _alike(one: str, other: str) -> float:
    return SequenceMatcher(None, plain(one), plain(other), autojunk=False).ratio()


def _agreed(row: ReportRow, twin: ReportRow | None) -> ReportRow:
    """A row as both readings, or the only one, show it."""
    if row.analyte is None and twin is not None and twin.analyte is not None:
        row, twin = twin, row
    if row.reading is None:
        return row
    if twin is None:
        return _asked(row, "only one of two readings of the picture shows this row")
    same_result = _bare(row.result) == _bare(twin.result)
    if twin.reading is None and not (twin.analyte is None and same_result):
        return _asked(row, f"the picture was read as “{_printed(row)}” and as “{_printed(twin)}”")
    if twin.reading is not None and (row.reading.low, row.reading.high) != (twin.reading.low, twin.reading.high):
        return _asked(row, f"the picture was read as “{_printed(row)}” and as “{_printed(twin)}”")
    if _far(row):
        return _asked(row, f"“{row.result}” is far above the limit “{row.limit}” printed beside it: a decimal point may be lost")
    return replace(row, status="check" if row.status == "sure" else row.status, why="; ".join(filter(None, (COMPARE, row.why))))


def _asked(row: ReportRow, why: str) -> ReportRow:
    return replace(row, status="ask", reading=None, why=f"{why}; enter what is printed")


def _printed(row: ReportRow) -> str:
    return f"{row.result} {row.unit}".strip()


def _bare(text: str) -> str:
    return re.sub(r"\s+", "", plain(text))


def _far(row: ReportRow) -> bool:
    """Whether a whole number is ten times its printed limit or more: 52 beside 5, where 5.2 may stand."""
    limit, value = re.search(r"\d[\d.,]*", row.limit), re.fullmatch(r"\D*(\d+)\D*", row.result)
    if not limit or not value or row.analyte is None or row.analyte.is_microbe:
        return False
    most, _ = number(limit[0], "")
    return bool(most) and float(most) > 0 and float(value[1]) >= FAR * float(most)


def _shifted(samples: list[ReportSample]) -> None:
    """Ask for results that have the digits of another sample's and their point elsewhere."""
    rows = [row for sample in samples for row in sample.rows if row.reading is not None]
    for row in rows:
        for each in rows:
            if row.analyte is each.analyte and row is not each and row.reading is not None and each.reading is not None:
                mine, its = (re.sub(r"\D", "", text.result).strip("0") for text in (row, each))
                if (
                    len(mine) > 1
                    and mine == its
                    and row.reading.low >= 9.9 * each.reading.low > 0
                    and "." not in row.result
                    and "," not in row.result
                ):
                    row.status, row.reading = "ask", None
                    row.why = (
                        f"“{row.result}” has the digits of “{each.result}” in another sample: a decimal point may be lost; enter what is printed"
                    )
                    break


def _same_day(sample: ReportSample, other: Report) -> dt.date | None:
    days = {each.taken_on for each in other.samples}
    return sample.taken_on if sample.taken_on in days else None
