"""A series of a log as a drawing: points, the band that is expected, the mark, the trend and where it crosses. Plain shapes."""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence
from dataclasses import dataclass

from ...drawing.shapes import DrawnLine, Label
from ...language.display import digits, unit_text
from ..monitoring.band import Band
from ..monitoring.series import METER
from ..monitoring.trend import Point, thinned
from .diagnosis import Diagnosis

WIDTH, HEIGHT = 460.0, 150.0
LEFT, RIGHT, TOP, BOTTOM = 8.0, 54.0, 14.0, 20.0
#: how far beyond today a crossing is drawn, as a share of what lies behind
AHEAD = 0.5


@dataclass(frozen=True, slots=True)
class Dot:
    """A reading: its place; doubted ones are hollow."""

    x: float
    y: float
    doubted: bool
    words: str


@dataclass(frozen=True, slots=True)
class Chart:
    """The drawing of one series. bands: what is expected, day by day; mark: the line that calls for somebody; services: when it started anew."""

    key: str
    title: str
    dots: tuple[Dot, ...]
    bands: tuple[DrawnLine, ...]
    mark: DrawnLine | None
    trend: DrawnLine | None
    services: tuple[DrawnLine, ...]
    labels: tuple[Label, ...]
    crosses: str
    width: float = WIDTH
    height: float = HEIGHT


@dataclass(frozen=True, slots=True)
class Scale:
    """From days and values to places of the drawing."""

    begin: dt.date
    end: dt.date
    low: float
    high: float

    def x(self, day: dt.date) -> float:
        return LEFT + (WIDTH - LEFT - RIGHT) * (day - self.begin).days / max((self.end - self.begin).days, 1)

    def y(self, value: float) -> float:
        within = min(max(value, self.low), self.high)
        return HEIGHT - BOTTOM - (HEIGHT - TOP - BOTTOM) * (within - self.low) / (self.high - self.low)


def chart(found: Diagnosis, key: str, title: str, system: str) -> Chart | None:
    """The chart of a series; None where nothing was read."""
    look, readings, bands = found.look, found.look.readings, found.look.bands
    shown = readings.series(key).shown
    points = [(each.end, each.daily) for each in look.use.stretches] if key == METER else readings.points(key)
    doubted = {(doubt.on, doubt.key) for doubt in look.doubted}
    raw = [(on, value.middle) for on, value in look.log.points.get(key, []) if (on, key) in doubted] if key != METER else []
    if not points and not raw:
        return None
    mark, line = bands.mark(key), found.trend_of(key)
    crossing = found.crossing(key)
    coming = crossing.on if crossing is not None and crossing.on > found.as_of else None
    begin = min([found.log.started_on, *(on for on, _ in [*points, *raw])])
    expected = _expected(found, key, begin, [on for on, _ in points])
    scale = _scale(begin, _end(found.as_of, begin, coming), [*points, *raw], [band for _, band in expected], mark.value if mark else None)
    labels = [
        Label(LEFT, HEIGHT - 5, f"{begin:%b %Y}", "axis", "start"),
        Label(WIDTH - RIGHT, HEIGHT - 5, f"{scale.end:%b %Y}", "axis", "end"),
    ]
    rule = run = None
    if mark is not None and scale.low <= mark.value <= scale.high:
        rule = DrawnLine(f"M{LEFT:g} {scale.y(mark.value):.1f}H{WIDTH - RIGHT:g}", "mark")
        labels.append(Label(WIDTH - RIGHT + 4, scale.y(mark.value) + 4, f"{digits(mark.value, shown, system)}", "mark", "start"))
    since = points if key == METER else readings.lately(key)
    if line is not None and len(since) > 2:
        last = coming if coming is not None and coming <= scale.end else found.as_of
        ends = [(day, line.at(day)) for day in (since[0][0], last)]
        run = DrawnLine(f"M{_place(scale, *ends[0])}L{_place(scale, *ends[1])}", "trend")
    services = tuple(
        DrawnLine(f"M{scale.x(day):.1f} {TOP - 6:g}V{HEIGHT - BOTTOM:g}", "service") for day in readings.services(key) if begin <= day <= scale.end
    )
    if points:
        level = scale.y(points[-1][1])
        if rule is None or mark is None or abs(level - scale.y(mark.value)) > 13:
            labels.append(Label(WIDTH - RIGHT + 4, level + 4, f"{digits(points[-1][1], shown, system)}", "value", "start"))
    dots = [
        Dot(scale.x(on), scale.y(value), hollow, f"{on}: {digits(value, shown, system)} {unit_text(shown, system)}".strip())
        for which, hollow in ((points, False), (raw, True))
        for on, value in which
    ]
    told = f"reaches its alert level on {coming}" if coming is not None else ""
    return Chart(key, title, tuple(dots), tuple(_shapes(scale, expected)), rule, run, services, tuple(labels), told)


def _end(as_of: dt.date, begin: dt.date, coming: dt.date | None) -> dt.date:
    """The last day that is drawn: today, or a little beyond a crossing that is near enough."""
    behind = max((as_of - begin).days, 30)
    if coming is None or (coming - as_of).days > behind * AHEAD:
        return as_of
    return coming + dt.timedelta(days=max(behind // 12, 5))


def _expected(found: Diagnosis, key: str, begin: dt.date, days: Sequence[dt.date]) -> list[tuple[dt.date, Band | None]]:
    """The band on the days that were read, on those of services and the day after, and today."""
    after = [day + dt.timedelta(days=more) for day in found.look.readings.services(key) for more in (0, 1)]
    wanted = sorted({begin, found.as_of, *(day for day, _ in thinned([(day, 0.0) for day in days])), *after[-16:]})
    return [(day, found.look.bands.band(key, day)) for day in wanted if begin <= day <= found.as_of]


def _scale(begin: dt.date, end: dt.date, points: Sequence[Point], bands: Sequence[Band | None], mark: float | None) -> Scale:
    """Room for what was read, for the mark, and for edges of bands that are not far beyond."""
    values = [value for _, value in points]
    edges = [edge for band in bands if band is not None for edge in (band.low, band.high) if edge is not None]
    near = [edge for edge in [*edges, *([] if mark is None else [mark])] if edge <= 3 * max([*values, 1e-9])]
    low, high = min([*values, *near]), max([*values, *near])
    room = (high - low or abs(high) or 1.0) * 0.12
    return Scale(begin, end, 0.0 if low >= 0 and low < 0.4 * high else low - room, high + room)


def _shapes(scale: Scale, expected: Sequence[tuple[dt.date, Band | None]]) -> list[DrawnLine]:
    """Each stretch of days with a band as a closed path: there along its upper edge, back along its lower one."""
    stretches: list[list[tuple[dt.date, Band]]] = [[]]
    for day, band in expected:
        if band is None:
            stretches.append([])
        else:
            stretches[-1].append((day, band))
    shapes = []
    for stretch in stretches:
        if len(stretch) < 2:
            continue
        upper = [(day, scale.high if band.high is None else band.high) for day, band in stretch]
        lower = [(day, scale.low if band.low is None else band.low) for day, band in reversed(stretch)]
        if all(one[1] == upper[0][1] for one in upper) and all(one[1] == lower[0][1] for one in lower):
            upper, lower = [upper[0], upper[-1]], [lower[0], lower[-1]]
        shapes.append(DrawnLine("M" + "L".join(_place(scale, *each) for each in [*upper, *lower]) + "Z", "band"))
    return shapes


def _place(scale: Scale, day: dt.date, value: float) -> str:
    return f"{scale.x(day):.1f} {scale.y(value):.1f}"
