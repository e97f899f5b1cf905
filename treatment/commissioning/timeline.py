"""The visits and waits of a run sheet as a drawing over time: plain shapes, the long empty days between visits drawn short."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

from ..drawing.shapes import Box, DrawnLine, Label
from .visits import DAY, Done, InstallVisit

LEFT, GAP, ROW, TOP = 8.0, 50.0, 26.0, 34.0
#: width of a minute within a visit, and the least width of a visit
MINUTE, LEAST = 0.4, 142.0
#: waits that are drawn: those that people walk away from
SHOWN = 60.0
#: room for a letter of a label
LETTER = 6.6


@dataclass(frozen=True, slots=True)
class Bar:
    """A wait. box: from its begin to its end; step: whose; label: what it is, where there is room for it."""

    box: Box
    step: str
    label: Label
    minutes: float


@dataclass(frozen=True, slots=True)
class VisitBlock:
    """A visit. box: from its begin to its end; dry: the hours without water, if any; label: its number; hours: when."""

    box: Box
    number: int
    label: Label
    hours: Label
    dry: Box | None


@dataclass(frozen=True, slots=True)
class Timeline:
    """The drawing: blocks of visits on one line, a bar for each long wait below, a mark where days are left out."""

    width: float
    height: float
    blocks: tuple[VisitBlock, ...]
    bars: tuple[Bar, ...]
    gaps: tuple[Label, ...]
    rules: tuple[DrawnLine, ...]


class Axis:
    """Minutes -> places: within a visit by its length, between two visits a gap of one width."""

    def __init__(self, coming: tuple[InstallVisit, ...]):
        self.points: list[tuple[float, float]] = []
        at = LEFT
        for visit in coming:
            self.points.append((visit.work[0].begin, at))
            at += max(visit.length * MINUTE, LEAST)
            self.points.append((visit.end, at))
            at += GAP
        self.end = at

    def x(self, minute: float) -> float:
        """Where a minute lies; what lies beyond the last visit ends at the edge."""
        for (t0, x0), (t1, x1) in pairwise(self.points):
            if minute <= t1:
                return x0 + (x1 - x0) * max(0.0, (minute - t0) / (t1 - t0)) if t1 > t0 else x0
        return self.end - GAP / 4 if minute > self.points[-1][0] else self.points[-1][1]


def timeline(coming: tuple[InstallVisit, ...], hours: tuple[str, ...] = ()) -> Timeline:
    """The drawing of some visits. hours: when each is, in words; ``day 3, 09:00–11:30`` where it is not given."""
    if not coming:
        return Timeline(0.0, 0.0, (), (), (), ())
    axis = Axis(coming)
    blocks = tuple(_block(visit, axis, hours[i] if i < len(hours) else _hours(visit)) for i, visit in enumerate(coming))
    gaps = []
    for before, after in pairwise(coming):
        x = (axis.x(before.end) + axis.x(after.work[0].begin)) / 2
        nights = int(after.work[0].begin // DAY) - int(before.end // DAY)
        gaps.append(Label(x, TOP + ROW / 2 + 4, f"{nights} day{'s' if nights != 1 else ''}" if nights else "", "gap"))
    bars = _bars([done for visit in coming for done in visit.work], axis)
    height = max([TOP + ROW + 24, *(bar.box.bottom + 8 for bar in bars)])
    rules = tuple(DrawnLine(f"M{block.box.x:g} {TOP - 6:g}V{height - 4:g}", "rule") for block in blocks)
    width = max(
        [
            axis.end - GAP + LEFT,
            *(bar.label.x + len(bar.label.text) * LETTER for bar in bars),
            *(block.hours.x + len(block.hours.text) * LETTER for block in blocks),
        ]
    )
    return Timeline(width, height, blocks, bars, tuple(gaps), rules)


def _hours(visit: InstallVisit) -> str:
    end = visit.end % DAY
    return f"day {visit.day}, {visit.at}–{int(end // 60):02d}:{round(end % 60):02d}"


def _block(visit: InstallVisit, axis: Axis, hours: str) -> VisitBlock:
    x, right = axis.x(visit.work[0].begin), axis.x(visit.end)
    box = Box(x, TOP, right - x, ROW, "visit", 3)
    dry = [done for done in visit.work if done.step.row.water_off]
    shut = Box(axis.x(dry[0].begin), TOP + ROW - 7, axis.x(max(done.end for done in dry)) - axis.x(dry[0].begin), 7, "dry") if dry else None
    return VisitBlock(
        box, visit.number, Label(x + 8, TOP + 16, f"Visit {visit.number}", "number", "start"), Label(x, TOP - 10, hours, "hours", "start"), shut
    )


def _bars(work: list[Done], axis: Axis) -> tuple[Bar, ...]:
    """Long waits, each on the highest line that is free where it stands, its label included."""
    found: list[Bar] = []
    ends: list[float] = []
    for done in work:
        wait = done.step.row.wait or 0.0
        if wait < SHOWN:
            continue
        x, right = axis.x(done.end), axis.x(done.end + wait)
        unit = done.step.stage.name if done.step.stage is not None else ""
        words = f"{unit}: {done.step.row.title}" if unit else done.step.row.title
        takes = x + max(right - x, 10.0) + 6 + len(words) * LETTER
        row = next((i for i, end in enumerate(ends) if end + 10 <= x), len(ends))
        if row == len(ends):
            ends.append(0.0)
        ends[row] = takes
        box = Box(x, TOP + ROW + 14 + row * 20, max(right - x, 10.0), 10, "wait", 2)
        found.append(Bar(box, done.step.id, Label(box.right + 6, box.y + 9, words, "words", "start"), wait))
    return tuple(found)
