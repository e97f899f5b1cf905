"""Readings of one analyte over time: each a bar from its low to its high end, raw and treated apart, with limit and design value."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass

from ..evidence.gather import Evidence
from ..evidence.samples import standing_for_raw
from ..job.facts import Facts
from ..job.limits import strictest
from ..language.analytes import Analyte, analytes

WIDTH, HEIGHT = 300.0, 96.0
LEFT, RIGHT, TOP, BOTTOM = 34.0, 8.0, 10.0, 8.0


@dataclass(frozen=True, slots=True)
class HistoryMark:
    """One reading in the chart: x, the y of its ends, whether it stands for the raw water, whether it has no upper end."""

    x: float
    top: float
    bottom: float
    raw: bool
    open_end: bool
    sample: int

    @property
    def left(self) -> float:
        return self.x - 3.5

    @property
    def tall(self) -> float:
        """Height of the bar; an exact reading still shows."""
        return max(self.bottom - self.top, 3.0)

    @property
    def arrow(self) -> str:
        """A head on the bar of a reading that has no upper end, as path data."""
        return f"M{self.x - 5:.1f} {self.top + 6:.1f}L{self.x:.1f} {self.top - 1:.1f}L{self.x + 5:.1f} {self.top + 6:.1f}"

    @property
    def label_y(self) -> float:
        """Where the number of its sample stands: above the mark, below it where there is no room."""
        return self.top - 7 if self.top > TOP + 8 else self.bottom + 16

    @property
    def exact(self) -> bool:
        return self.bottom - self.top < 1.5 and not self.open_end


@dataclass(frozen=True, slots=True)
class Note:
    """A word in the chart: its place, and which way it runs from there; value: what it tells, canonical, low and high."""

    x: float
    y: float
    anchor: str
    value: tuple[float, float | None] = (0.0, None)


@dataclass(frozen=True, slots=True)
class History:
    """The chart of an analyte. limit and design: heights of their lines, None where there is none. The scale starts at 0, pH apart.

    scale: the highest reading and the foot, at their heights; newest: the value of the last reading; limit_word: where the limit is called that. None stands on a mark.
    """

    analyte: Analyte
    marks: tuple[HistoryMark, ...]
    limit: float | None
    design: float | None
    span: tuple[float, float]
    first: dt.date | None
    last: dt.date | None
    count: int
    scale: tuple[Note, Note]
    newest: Note
    limit_word: Note | None

    @property
    def begins(self) -> float:
        """Where lines begin, clear of the scale."""
        return LEFT - 2

    @property
    def base(self) -> str:
        """The foot of the chart, as path data."""
        return f"M{LEFT - 2:.1f} {HEIGHT - BOTTOM:.1f}H{WIDTH:.1f}"


Box = tuple[float, float, float, float]
LETTER, LINE = 6.4, 12.0  # width and height of a letter of the chart


def _box(note: Note, letters: int) -> Box:
    """What a word covers: left, top, right, bottom."""
    wide = letters * LETTER
    left = {"start": note.x, "middle": note.x - wide / 2, "end": note.x - wide}[note.anchor]
    return left, note.y - LINE + 2, left + wide, note.y + 2


def _meets(one: Box, other: Box) -> bool:
    return one[0] < other[2] and other[0] < one[2] and one[1] < other[3] and other[1] < one[3]


def _free(places: list[Note], letters: int, taken: list[Box]) -> Note:
    """The first of some places where a word covers nothing that is there; else the last. What it covers is taken then."""
    found = next((each for each in places if not any(_meets(_box(each, letters), other) for other in taken)), places[-1])
    taken.append(_box(found, letters))
    return found


def histories(facts: Facts, evidence: Evidence) -> list[History]:
    """A chart for every analyte measured more than once, in the order of the analytes. Samples without a date stand at the left."""
    raw = {index for index, _ in standing_for_raw(facts)}
    days = [sample.taken_on for sample in facts.samples if sample.taken_on]
    first, last = (min(days), max(days)) if days else (None, None)
    stretch = (last - first).days if first and last else 0
    found = []
    for name, analyte in analytes().items():
        taken = [(i, sample, sample.readings[name]) for i, sample in enumerate(facts.samples) if name in sample.readings]
        if len(taken) < 2:
            continue
        limit, state = strictest(facts.job.standard, name, facts.as_of), evidence.states.get(name)
        tops = [reading.low if reading.high is None else reading.high for _, _, reading in taken]
        lows = [reading.low for _, _, reading in taken]
        marked = limit.high if limit else 0.0
        high = max(*tops, min(marked, 2.5 * max(tops)) if name != "ph" else max(tops))
        low = 0.0 if name not in ("ph", "temperature") else min(lows)
        pad = 0.12 * (high - low) or 0.5
        low, high = (low - pad, high + pad) if name in ("ph", "temperature") else (0.0, high + pad)

        def y(value: float, low: float = low, high: float = high) -> float:
            return TOP + (HEIGHT - TOP - BOTTOM) * (high - value) / (high - low)

        marks = []
        for i, sample, reading in taken:
            place = (sample.taken_on - first).days / stretch if sample.taken_on and first and stretch else 0.5 if not stretch else 0.0
            x = LEFT + 6 + (WIDTH - LEFT - RIGHT - 12) * place
            top = TOP if reading.high is None else y(reading.high)
            marks.append(HistoryMark(x, top, y(reading.low), i in raw, reading.high is None, i + 1))
        line = y(limit.high) if limit and low <= limit.high <= high and not analyte.is_microbe else None
        stands = y(state.design) if state and low <= state.design <= high else None
        taken_up: list[Box] = []
        for mark in marks:
            taken_up += [
                (mark.x - 6, mark.top - 3, mark.x + 6, mark.bottom + 5),
                _box(Note(mark.x, mark.label_y, "middle"), len(str(mark.sample)) + 1),
            ]
        most, least = max(tops), min(lows) if low > 0 else 0.0
        if y(least) - y(most) < LINE:
            least = most
        scale = (Note(0.0, y(most) + 4, "start", (most, most)), Note(0.0, y(least) + 4 if low > 0 else HEIGHT - BOTTOM - 3, "start", (least, least)))
        taken_up += [_box(each, 4) for each in scale]
        latest = max(range(len(taken)), key=lambda k: (taken[k][1].taken_on or dt.date.min, k))
        mark, reading = marks[latest], taken[latest][2]
        sides = [(mark.x - 9, "end"), (mark.x + 9, "start")] if mark.x > WIDTH / 2 else [(mark.x + 9, "start"), (mark.x - 9, "end")]
        places = [
            Note(x, y_at, way, (reading.low, reading.high)) for y_at in (mark.bottom + 4, mark.bottom - 10, mark.bottom + 17) for x, way in sides
        ]
        newest = _free(places, 6, taken_up)
        word = None
        if line is not None:
            ends = ((WIDTH, "end"), (WIDTH / 2, "middle"), (WIDTH / 4, "middle"), (0.0, "start"))
            word = _free([Note(x, y_at, way) for y_at in (line - 4, line + 13) for x, way in ends if y_at > 9], 5, taken_up)
        found.append(History(analyte, tuple(marks), line, stands, (min(lows), max(tops)), first, last, len(taken), scale, newest, word))
    return found
