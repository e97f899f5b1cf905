"""A series of a log as a drawing: points, the band that is expected, the mark, the trend and where it crosses. Plain shapes."""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence
from dataclasses import dataclass

from ..drawing.shapes import Box, Label, Line
from ..language.display import digits, unit_text
from ..language.log_keys import log_key
from .diagnosis import Diagnosis
from .look import unit_of
from .trend import Point

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
    """The drawing of one series. band: what is expected; mark: the line that calls for somebody; services: when it started anew."""

    key: str
    title: str
    dots: tuple[Dot, ...]
    band: Box | None
    mark: Line | None
    trend: Line | None
    services: tuple[Line, ...]
    labels: tuple[Label, ...]
    crosses: str
    width: float = WIDTH
    height: float = HEIGHT


def chart(found: Diagnosis, key: str, title: str, shown: str, system: str) -> Chart | None:
    """The chart of a series; None where nothing was read. shown: unit of ``data/display.toml`` that people read it in."""
    look = found.look
    points = [(each.end, each.daily) for each in look.use.stretches] if key == "meter" else look.points(key)
    doubted = {(doubt.on, doubt.key) for doubt in look.doubted}
    raw = [(on, value.middle) for on, value in look.log.points.get(key, []) if (on, key) in doubted] if key != "meter" else []
    if not points and not raw:
        return None
    series = next((each for each in found.series if each["key"] == key), None)
    band, mark, line = look.band(key), look.mark(key), found.trend_of(key)
    crossing = dt.date.fromisoformat(series["crosses"]["on"]) if series and series["crosses"] else None
    begin = min([found.log.started_on, *(on for on, _ in [*points, *raw])])
    behind = max((found.as_of - begin).days, 30)
    end = found.as_of + dt.timedelta(days=int(behind * AHEAD)) if crossing and crossing > found.as_of else found.as_of
    end = min(end, crossing + dt.timedelta(days=max(behind // 12, 5))) if crossing and crossing > found.as_of else end
    values = [value for _, value in [*points, *raw]]
    edges = [edge for edge in ((band.low, band.high) if band else (None, None)) if edge is not None]
    near = [edge for edge in [*edges, *([mark.value] if mark else [])] if edge <= 3 * max([*values, 1e-9])]
    low, high = min([*values, *near]), max([*values, *near])
    room = (high - low or abs(high) or 1.0) * 0.12
    low, high = (0.0 if low >= 0 and low < 0.4 * high else low - room), high + room

    def x(day: dt.date) -> float:
        return LEFT + (WIDTH - LEFT - RIGHT) * (day - begin).days / max((end - begin).days, 1)

    def y(value: float) -> float:
        return HEIGHT - BOTTOM - (HEIGHT - TOP - BOTTOM) * (min(max(value, low), high) - low) / (high - low)

    def dots(which: Sequence[Point], hollow: bool) -> list[Dot]:
        return [Dot(x(on), y(value), hollow, f"{on}: {digits(value, shown, system)} {unit_text(shown, system)}".strip()) for on, value in which]

    labels = [
        Label(LEFT, HEIGHT - 5, f"{begin:%b %Y}", "axis", "start"),
        Label(WIDTH - RIGHT, HEIGHT - 5, f"{end:%b %Y}", "axis", "end"),
    ]
    box = None
    if band is not None:
        top, foot = y(high if band.high is None else band.high), y(low if band.low is None else band.low)
        box = Box(LEFT, top, WIDTH - LEFT - RIGHT, max(foot - top, 1.0), "band")
    rule = None
    if mark is not None and low <= mark.value <= high:
        rule = Line(f"M{LEFT:g} {y(mark.value):.1f}H{WIDTH - RIGHT:g}", "mark")
        labels.append(Label(WIDTH - RIGHT + 4, y(mark.value) + 4, f"{digits(mark.value, shown, system)}", "mark", "start"))
    run = None
    since = points if key == "meter" else look.lately(key)
    if line is not None and len(since) > 2:
        last = crossing if crossing and crossing > found.as_of and crossing <= end else found.as_of
        run = Line(f"M{x(since[0][0]):.1f} {y(line.at(since[0][0])):.1f}L{x(last):.1f} {y(line.at(last)):.1f}", "trend")
    services = tuple(Line(f"M{x(day):.1f} {TOP - 6:g}V{HEIGHT - BOTTOM:g}", "service") for day in look.services(key) if begin <= day <= end)
    if points:
        _, value = points[-1]
        if mark is None or abs(y(value) - y(mark.value)) > 13:
            labels.append(Label(WIDTH - RIGHT + 4, y(value) + 4, f"{digits(value, shown, system)}", "value", "start"))
    told = f"crosses its mark on {crossing:%-d %b %Y}" if crossing and crossing > found.as_of else ""
    return Chart(key, title, tuple(dots(points, False) + dots(raw, True)), box, rule, run, services, tuple(labels), told)


def shown_unit(key: str, ids: Sequence[str]) -> str:
    """The unit of ``data/display.toml`` in which a series is shown, those that were worked out included."""
    what = key.rpartition(".")[2]
    if what in ("pressure_drop", "normal_flow", "passage") or key == "meter":
        return {"passage": "share"}.get(what, unit_of(key, ids))
    return log_key(key, ids).shown
