"""A reading drawn against its mark: a track, the mark on it, the reading as a bar from its low to its high end."""

from __future__ import annotations

from dataclasses import dataclass

from ..evidence.verdict import Verdict

WIDTH, HEIGHT = 240.0, 22.0
TRACK = 8.0  # height of the track
PH = (4.0, 11.0)  # the ends of the pH track


@dataclass(frozen=True, slots=True)
class Gauge:
    """Places along a track of WIDTH. mark_low and mark_high bound what is allowed; open_end: the reading has no upper end."""

    low: float
    high: float
    mark_low: float | None
    mark_high: float | None
    open_end: bool
    allowed: tuple[float, float]

    @property
    def bar(self) -> tuple[float, float]:
        """Left edge and width of the reading; an exact one still shows."""
        width = max(self.high - self.low, 3.0)
        return min(self.low, WIDTH - width), width

    @property
    def allowed_width(self) -> float:
        """Width of the part of the track that is allowed."""
        return self.allowed[1] - self.allowed[0]

    @property
    def point(self) -> bool:
        """Whether the reading is exact, a point and not a span."""
        return self.high - self.low < 0.5 and not self.open_end


def gauge(verdict: Verdict) -> Gauge | None:
    """The gauge of a verdict; None where there is nothing to measure (absent or present).

    A concentration at its mark stands in the middle of the track, at twice the mark two thirds along, without end:
    place = value / (value + mark). pH stands on a plain scale.
    """
    if verdict.analyte.is_microbe or (not verdict.mark_high and not verdict.mark_low):
        return None
    if verdict.analyte.key == "ph":
        place = _ph
    else:
        mark = verdict.mark_high or verdict.mark_low or 1.0

        def place(value: float) -> float:
            return WIDTH * max(value, 0.0) / (max(value, 0.0) + mark)

    high = WIDTH if verdict.high is None else place(verdict.high)
    low_mark = place(verdict.mark_low) if verdict.mark_low is not None else None
    high_mark = place(verdict.mark_high) if verdict.mark_high is not None else None
    allowed = (low_mark or 0.0, high_mark if high_mark is not None else WIDTH)
    return Gauge(place(verdict.low), high, low_mark, high_mark, verdict.high is None, allowed)


def _ph(value: float) -> float:
    return WIDTH * (min(max(value, PH[0]), PH[1]) - PH[0]) / (PH[1] - PH[0])
