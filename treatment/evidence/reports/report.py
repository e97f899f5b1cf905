"""What a report is once it is read: samples, each with its rows as they are printed and as they are understood."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass, field

from ...language.analytes import Analyte
from ...language.reading import Reading


@dataclass(slots=True)
class ReportRow:
    """A printed row. at: where; label, result, unit: as printed; status: sure, check, ask or aside; why: what speaks against being sure."""

    at: str
    label: str
    result: str
    unit: str
    status: str
    analyte: Analyte | None
    reading: Reading | None
    why: str


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
