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
LEFT, RIGHT, TOP, BOTTOM = 8.0, 8.0, 10.0, 8.0


@dataclass(frozen=True, slots=True)
class Mark:
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
class History:
    """The chart of an analyte. limit and design: heights of their lines, None where there is none. The scale starts at 0, pH apart."""

    analyte: Analyte
    marks: tuple[Mark, ...]
    limit: float | None
    design: float | None
    span: tuple[float, float]
    first: dt.date | None
    last: dt.date | None
    count: int

    @property
    def base(self) -> str:
        """The foot of the chart, as path data."""
        return f"M0 {HEIGHT - BOTTOM:.1f}H{WIDTH:.1f}"

    @property
    def limit_text_y(self) -> float:
        """Where the word for the limit stands: above its line, below it at the top of the chart."""
        line = self.limit or 0.0
        return line - 4 if line > 16 else line + 13


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
            marks.append(Mark(x, top, y(reading.low), i in raw, reading.high is None, i + 1))
        line = y(limit.high) if limit and low <= limit.high <= high and not analyte.is_microbe else None
        stands = y(state.design) if state and low <= state.design <= high else None
        found.append(History(analyte, tuple(marks), line, stands, (min(lows), max(tops)), first, last, len(taken)))
    return found
