"""Causes that are the water itself: raw water that moved, or does so each year; treated water beyond a health limit."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator

from ...job.limits import limits_of
from ...language.analytes import analytes
from ...language.display import show
from ...language.log_keys import TAP, log_key
from ...language.prose import sentence
from ...language.tables import table
from ...train.marks import mark
from ..monitoring.band import Band
from ..monitoring.trend import Point
from .cause import Cause
from .data_quality import DataQuality

DRINK = "Use other water for drinking and cooking until a laboratory sample is below the limit"
#: what a cause that rests on one sign scores: that sign, beside what is assumed, and a second sample that is wanted
ALONE = 2 / 3


def waters(look: DataQuality) -> Iterator[Cause]:
    """What the water itself explains."""
    yield from moved(look)
    yield from beyond_health(look)


def moved(look: DataQuality) -> Iterator[Cause]:
    """Raw water beyond what the design took it to be, twice over where there is more than one reading before; as in earlier years, a season."""
    for name, points in look.bands.raw.items():
        row, key = analytes()[name], look.bands.raw_key(name)
        band = look.bands.band(key)
        if row.is_microbe or name == "temperature" or band is None:
            continue
        day, value = points[-1]
        above = band.high is not None and value > band.high
        below = band.low is not None and value < band.low and row.adverse == "low"
        end = (band.high if above else band.low) or 0.0
        season = _in_years_before(points, end, above) if above or below else None
        if not (above or below) or (season is None and len(points) > 2 and not _before_too(points, band, above)):
            continue
        system = look.variant.audit.facts.job.units
        bound = f"{'at most' if above else 'at least'} {show(end, row.shown_unit, system)}"
        told = f"{row.said} {show(value, row.shown_unit, system)} in the raw water on {day}, the design is based on {bound}"
        if season is not None:
            yield _cause(
                f"season/{name}",
                (told, f"as on {season}, but not in between"),
                ("Do nothing if the train handles it; write the month down.",),
                "advice",
                day,
                key,
            )
            continue
        reaches = _left(look, name, day)
        limit = health_limit(look, name)
        told_of = ("Have a laboratory sample again.", "Calculate the same job with the new water, and compare it with the old design.")
        if limit is not None and reaches is not None and value > limit and reaches > limit:
            left = f"this train leaves {show(reaches, row.shown_unit, system)} of it; the health limit is {show(limit, row.shown_unit, system)}"
            yield _cause(f"source-changed/{name}", (told, left), (DRINK, *told_of), "danger", day, key)
        else:
            needed = above and any(need.goal == name for need in look.variant.audit.needs)
            yield _cause(f"source-changed/{name}", (told,), told_of, "fault" if needed else "caution", day, key)


def beyond_health(look: DataQuality) -> Iterator[Cause]:
    """Treated water beyond a health limit, and worse than the design says of it."""
    last = look.ids[-1:]
    system = look.variant.audit.facts.job.units
    for name, row in analytes().items():
        limit = health_limit(look, name)
        if row.is_microbe or limit is None:
            continue
        for key in (f"{TAP}.{name}", *(f"{id}.{name}_out" for id in last)):
            point, band = look.readings.last(key), look.bands.band(key)
            if (
                point is None
                or not look.readings.speaks(key, point[0], look.as_of, grave=True)
                or point[1] <= limit
                or (band is not None and band.holds(point[1]))
            ):
                continue
            place = "at a tap" if key.startswith(TAP) else "after the train"
            told = f"{row.said} {show(point[1], row.shown_unit, system)} {place} on {point[0]}, the health limit is {show(limit, row.shown_unit, system)}"
            why = table("verdicts").get(name, {}).get("over", "")
            do = (DRINK, "Have a laboratory sample raw and treated water on one day.", "Check the unit that should remove it.")
            apart = f"{log_key(key, look.ids).words} again, and before the train on the same day. High in both: the source. High in the treated sample only: a unit or a pipe."
            yield _cause(f"health-limit/{name}", (told, *([why] if why else [])), do, "danger", point[0], key, apart)
            break


def health_limit(look: DataQuality, name: str) -> float | None:
    """The health limit of an analyte by the job's own standard, canonical; None where it has none."""
    return next((limit.high for limit in limits_of(look.variant.audit.facts) if limit.analyte == name and limit.health), None)


def _left(look: DataQuality, name: str, day: dt.date) -> float | None:
    """What the train leaves of it at the tap that is drunk from, run on the raw water of the day; None where that is not known."""
    walk = look.bands.walk(day)
    return None if walk is None else walk.tap.known().get(name)


def _cause(
    id: str,
    evidence: tuple[str, ...],
    do: tuple[str, ...],
    severity: str,
    day: dt.date,
    key: str,
    apart: str = "Take a second sample in another month. Back to normal: a season. Still high: the source changed.",
) -> Cause:
    return Cause(id, None, ALONE, 0.0, tuple(map(sentence, evidence)), (), apart, do, severity, ((day, key),))


def _in_years_before(points: list[Point], end: float, above: bool) -> dt.date | None:
    """A day of an earlier year, at this time of the year, beyond the same end, where it was within between; None where there is none."""
    day = points[-1][0]
    beyond = {on: (value > end) == above for on, value in points}
    years = [on for on, so in beyond.items() if so and (day - on).days > 300 and _near_in_year(on, day)]
    calm = [on for on, so in beyond.items() if not so and 90 < (day - on).days < 290]
    return years[-1] if years and calm else None


def _before_too(points: list[Point], band: Band, above: bool) -> bool:
    """Whether the reading before says the same."""
    before = points[-2][1]
    return before > (band.high or 0.0) if above else before < (band.low or 0.0)


def _near_in_year(one: dt.date, other: dt.date) -> bool:
    """Whether two days lie within six weeks of each other in the year."""
    apart = abs((one.timetuple().tm_yday - other.timetuple().tm_yday) % 365)
    return min(apart, 365 - apart) <= int(mark("log", "near"))
