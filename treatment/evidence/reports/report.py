"""What a report is once it is read: samples, each with its rows as they are printed and as they are understood."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass, field
from typing import Any

from ...language.analytes import Analyte, analytes
from ...language.reading import Reading, parse_reading


@dataclass(slots=True)
class ReportRow:
    """A printed row. at: where; label, result, unit: as printed; status: sure, check, ask or aside; why: what speaks against being sure;

    limit: as printed beside it; marks: letters beside the result; flag: what the laboratory says against it, in our words; cut: which of
    the tables of its sample it stands in.
    """

    at: str
    label: str
    result: str
    unit: str
    status: str
    analyte: Analyte | None
    reading: Reading | None
    why: str
    limit: str = ""
    marks: tuple[str, ...] = ()
    flag: str = ""
    cut: int = 0


@dataclass(slots=True)
class ReportSample:
    """What belongs to one sample: when and where it was taken as far as that is told, the laboratory's name for it, its rows."""

    taken_on: dt.date | None = None
    point: str | None = None
    label: str = ""
    rows: list[ReportRow] = field(default_factory=list)


@dataclass(slots=True)
class Report:
    """samples: those that hold rows; why: where there are none; layout: the words of its first heading, folded."""

    samples: list[ReportSample]
    why: str = ""
    layout: str = ""


def as_plain(report: Report) -> dict[str, Any]:
    """A report as lists and texts, to be sent from one process to another."""
    return {
        "why": report.why,
        "layout": report.layout,
        "samples": [
            {
                "taken_on": sample.taken_on.isoformat() if sample.taken_on else None,
                "point": sample.point,
                "label": sample.label,
                "rows": [
                    (
                        row.at,
                        row.label,
                        row.result,
                        row.unit,
                        row.status,
                        row.analyte.key if row.analyte else None,
                        row.reading.typed if row.reading else None,
                        row.why,
                        row.limit,
                        row.flag,
                    )
                    for row in sample.rows
                ],
            }
            for sample in report.samples
        ],
    }


def from_plain(told: dict[str, Any]) -> Report:
    """The report that `as_plain` wrote; every reading is read again."""
    samples = []
    for each in told["samples"]:
        sample = ReportSample(dt.date.fromisoformat(each["taken_on"]) if each["taken_on"] else None, each["point"], each["label"])
        for at, label, result, unit, status, key, typed, why, limit, flag in each["rows"]:
            analyte = analytes()[key] if key else None
            reading = parse_reading(analyte, typed) if analyte and typed is not None else None
            sample.rows.append(ReportRow(at, label, result, unit, status, analyte, reading, why, limit, flag=flag))
        samples.append(sample)
    return Report(samples, told["why"], told["layout"])
