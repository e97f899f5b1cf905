"""The readings of a log by series, with what is worked out from them, and the services that begin a series anew."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Iterator, Mapping, Sequence
from functools import cached_property
from typing import Any

from ...language.analytes import analytes
from ...language.series_key import SeriesKey
from ...train.marks import mark
from ...train.treatment import StageRun
from ..maintenance.log import Log
from .elsewhere import Elsewhere
from .series import Series, series
from .trend import Point, Trend, trend

#: days of which a trend is taken, where they hold four readings


class Readings:
    """Key -> points, in the order of their days. ids: of the train's stages, in its order; elsewhere: key of a unit's treated water -> what of it
    was read at a tap, or where it arrives at another unit."""

    def __init__(self, log: Log, ids: Sequence[str], points: Mapping[str, list[Point]], elsewhere: Mapping[str, list[Elsewhere]] | None = None):
        self.log, self.ids, self.by_key = log, tuple(ids), dict(points)
        self._series: dict[str, Series] = {}
        self._lately: dict[str, list[Point]] = {}
        self._elsewhere = {key: {each.day: each.own for each in read} for key, read in (elsewhere or {}).items()}
        for key, read in (elsewhere or {}).items():
            self.by_key[key] = [*self.by_key.get(key, []), *((each.day, each.value) for each in read)]

    def only(self, points: Mapping[str, list[Point]]) -> Readings:
        """The same log with fewer points."""
        fewer = Readings(self.log, self.ids, points)
        fewer._elsewhere = self._elsewhere
        return fewer

    @property
    def only_elsewhere(self) -> set[str]:
        """Series of which nothing was read at the unit itself."""
        return {key for key, read in self._elsewhere.items() if all(day in read for day, _ in self.points(key))}

    def elsewhere(self, key: str, day: dt.date) -> str:
        """The key of the log by which what a unit left on a day was read elsewhere; empty where it was read there."""
        return self._elsewhere.get(key, {}).get(day, "")

    def told_by(self, key: str, day: dt.date) -> str:
        """The key of the log by which a reading of a series was told."""
        return self.elsewhere(key, day) or self.series(key).own

    def series(self, key: str) -> Series:
        """What a key means here."""
        if key not in self._series:
            self._series[key] = series(key, self.ids)
        return self._series[key]

    def points(self, key: str) -> list[Point]:
        """All of a series."""
        return self.by_key.get(key, [])

    def services(self, key: str) -> list[dt.date]:
        """Days on which a series started anew."""
        return sorted({entry.on for task in self.series(key).anew for entry in self.log.services.get(task, [])})

    def since(self, key: str, on: dt.date | None = None) -> list[Point]:
        """Readings since the series last started anew (before a day); on the day of a service the one before it is still the old."""
        days = [day for day in self.services(key) if on is None or day < on]
        return [point for point in self.points(key) if (not days or point[0] > days[-1]) and (on is None or point[0] <= on)]

    def stretches(self, key: str) -> Iterator[tuple[int, int]]:
        """From which to which point a series runs without a service."""
        points, begin = self.points(key), 0
        for day in self.services(key):
            end = next((i for i, point in enumerate(points) if point[0] > day), len(points))
            if end > begin:
                yield begin, end
            begin = end
        if begin < len(points):
            yield begin, len(points)

    def last(self, key: str) -> Point | None:
        """The newest reading since the last service."""
        found = self.since(key)
        return found[-1] if found else None

    def speaks(self, key: str, day: dt.date, as_of: dt.date, grave: bool = False) -> bool:
        """Whether a reading of a day still says something of today.

        grave: of what endangers, as microbes do; that speaks for as long as there were few chances to see otherwise, however long ago it was: a
        log that fell silent never makes such water well again.
        """
        lasting = (grave or _kind(key) == "microbes") and self.chances(key, day) < mark("log", "chances")
        return bool((as_of - day).days <= mark("log", "stale") or lasting)

    def chances(self, key: str, day: dt.date) -> int:
        """On how many later days something of its kind was read at its place: microbes by a sample for microbes, another analyte by any test, a gauge by any."""
        place, kind = SeriesKey.of(key).place, _kind(key)
        later = {
            on for other, points in self.by_key.items() if SeriesKey.of(other).place == place and _kind(other) == kind for on, _ in points if on > day
        }
        return len(later)

    def lately(self, key: str) -> list[Point]:
        """Readings since the last service, of the last year or so where there are enough: years that were fine do not hide what moves now."""
        if key not in self._lately:
            points, recent = self.since(key), dt.timedelta(days=mark("log", "recent"))
            near = [point for point in points if points[-1][0] - point[0] <= recent]
            self._lately[key] = near if len(near) >= 4 else points
        return self._lately[key]

    def trend(self, key: str) -> Trend | None:
        """How a series moves lately."""
        return trend(self.lately(key))

    @cached_property
    def usual(self) -> dict[str, float]:
        """The middle size of each series' values."""
        return {key: sorted(abs(value) for _, value in points)[len(points) // 2] for key, points in self.by_key.items() if points}


def _kind(key: str) -> str:
    """What has to be tested for a series to be seen again."""
    analyte = analytes().get(SeriesKey.of(key).what)
    return "gauge" if analyte is None else "microbes" if analyte.is_microbe else "analyte"


def worked_out(raw: Mapping[str, list[Point]], stages: Sequence[StageRun[Any]]) -> dict[str, list[Point]]:
    """Pressure drops of stages at the design's flow where the flow was read, a membrane's permeate as it were at 25 °C, and the share of salt that passes it."""
    found: dict[str, list[Point]] = {}
    for stage in stages:
        before, after = dict(raw.get(f"{stage.id}.pressure_in", [])), dict(raw.get(f"{stage.id}.pressure_out", []))
        ran = dict(raw.get(f"{stage.id}.flow", []))
        found[f"{stage.id}.pressure_drop"] = [
            (day, _at_design(stage, before[day] - after[day], ran.get(day))) for day in sorted(before.keys() & after.keys())
        ]
        warm = dict(raw.get("source.temperature", [])) | dict(raw.get(f"{stage.id}.temperature_in", []))
        school = stage.duty.facts.schools.ro_temperature
        shares = {day: stage.room.output_share(warm[day], school) for day, _ in raw.get(f"{stage.id}.permeate_flow", []) if day in warm}
        found[f"{stage.id}.normal_flow"] = [
            (day, flow / share.value) for day, flow in raw.get(f"{stage.id}.permeate_flow", []) if (share := shares.get(day)) is not None
        ]
        if stage.room.output_share(25.0, school) is not None:
            made = raw.get(f"{stage.id}.tds_out", [])
            fed = _fed(raw, stage)
            found[f"{stage.id}.passage"] = [(day, value / fed(day)) for day, value in made if fed(day) > 0]
    return {key: points for key, points in found.items() if points}


def _at_design(stage: StageRun[Any], drop: float, flow: float | None) -> float:
    """A drop as it would be at the design's flow, where the flow was read beside it: like is compared with like.

    What the clean unit loses at that flow is taken off; what dirt adds grows with the flow.
    """
    if flow is None or flow <= 0 or stage.loss_clean <= 0:
        return drop
    at_flow = stage.room.loss(stage.keys, stage.sizing, flow, stage.water_in.temperature)[0]
    return stage.loss_clean + (drop - at_flow) * stage.duty.flow / flow


def _fed(raw: Mapping[str, list[Point]], stage: StageRun[Any]) -> Callable[[dt.date], float]:
    """Dissolved solids that feed a stage on a day: as they were read before it on that day, else as the design has them."""
    read = dict(raw.get(f"{stage.id}.tds_in", []))
    return lambda day: read.get(day, stage.water_in.value("tds"))
