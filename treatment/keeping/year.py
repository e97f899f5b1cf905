"""A year of visits as a drawing: a strip for each month, a mark for each visit, wider the more is done in it. Plain shapes."""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence
from dataclasses import dataclass

from ..drawing.shapes import Box, Label
from .due import Visit

WIDTH, ROW, LEFT, TOP = 420.0, 20.0, 66.0, 4.0
#: width of a mark for one task, and for each more
MARK, MORE = 7.0, 2.0


@dataclass(frozen=True, slots=True)
class Mark:
    """A visit: its place, when it is, and who it is for: service, where somebody has to come, or the owner."""

    box: Box
    on: dt.date
    who: str
    words: str


@dataclass(frozen=True, slots=True)
class Year:
    """Twelve months from a day on. labels: names of months, and days of the month along the top."""

    width: float
    height: float
    months: tuple[Box, ...]
    marks: tuple[Mark, ...]
    labels: tuple[Label, ...]


def year(visits: Sequence[Visit], begin: dt.date) -> Year:
    """The drawing of what lies within twelve months from the first of the month of ``begin``."""
    first = begin.replace(day=1)
    months = [dt.date(first.year + (first.month - 1 + i) // 12, (first.month - 1 + i) % 12 + 1, 1) for i in range(12)]
    day = (WIDTH - LEFT) / 31
    rows = {(month.year, month.month): i for i, month in enumerate(months)}
    boxes = tuple(Box(LEFT, TOP + i * ROW, WIDTH - LEFT, ROW - 4, "month", 3) for i in range(12))
    labels = tuple(Label(LEFT - 8, TOP + i * ROW + 12, f"{month:%b %Y}", "month", "end") for i, month in enumerate(months))
    marks = []
    for visit in visits:
        row = rows.get((visit.on.year, visit.on.month))
        if row is None:
            continue
        wide = min(MARK + MORE * (len(visit.tasks) - 1), 36.0)
        x = min(LEFT + (visit.on.day - 1) * day, WIDTH - wide)
        who = "service" if any(each.task.row.who == "service" for each in visit.tasks) else "owner"
        words = f"{visit.on}: {', '.join(each.task.row.task.lower() for each in visit.tasks)}"
        marks.append(Mark(Box(x, TOP + row * ROW, wide, ROW - 4, "visit", 2), visit.on, who, words))
    return Year(WIDTH, TOP + 12 * ROW, boxes, tuple(marks), labels)
