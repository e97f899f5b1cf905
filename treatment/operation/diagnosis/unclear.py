"""Causes that nobody wrote for a treatment: it no longer takes out what it should; something is beyond its mark and nothing explains it."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import Any

from ...language.analytes import analytes
from ...language.display import show
from ...language.log_keys import TAP
from ...language.prose import sentence
from ...language.series_key import SeriesKey
from ...train.treatment import StageRun
from ..monitoring.elsewhere import OF_THE_HOUSE, answers_for
from ..monitoring.trend import Point
from .cause import BOIL, Cause
from .data_quality import COUNTED, DataQuality
from .waters import ALONE, DRINK, health_limit

#: what is said where no cause explains a reading
UNSAID = "Nothing else in this log says why."


def no_longer(look: DataQuality, told: Iterable[Cause]) -> Iterator[Cause]:
    """Each stage behind which something that it takes out is beyond its band, as long as no cause of its own stands on that reading.

    Beyond a health limit it is told beside the cause: a danger, whatever is behind it.
    """
    causes = list(told)
    explained = {own for cause in causes for _, key in cause.stands_on for own in (key, _own(look, key))}
    bypassed = {SeriesKey.of(key).place for cause in causes if cause.id == "bypass-open" for _, key in cause.stands_on}
    limits = {key for cause in causes if cause.id.startswith("health-limit/") for _, key in cause.stands_on}
    for stage in look.stages:
        for name in sorted({*stage.room.puts_right, *stage.water_in.known()} & {*stage.water_out.known()} & {*analytes()}):
            cause = _no_longer(look, stage, name, f"{stage.id}.{name}_out")
            key = f"{stage.id}.{name}_out"
            if cause is None or not {key, *(look.readings.told_by(key, day) for day, _ in cause.stands_on)}.isdisjoint(
                limits if cause.severity == "danger" else explained
            ):
                continue
            if stage.id in bypassed and cause.severity != "danger":
                continue
            yield cause


def _own(look: DataQuality, key: str) -> str:
    """The key of the log that a series is told by; of what was only seen its own word."""
    return look.readings.series(key).own if "." in key else key


def _no_longer(look: DataQuality, stage: StageRun[Any], name: str, key: str) -> Cause | None:
    row, point = analytes()[name], look.readings.last(key)
    limit = health_limit(look, name)
    if gone_again := look.comes_and_goes(key):
        point = gone_again[-1]
    if point is None or row.adverse == "low" or not look.readings.speaks(key, point[0], look.as_of, grave=limit is not None and point[1] > limit):
        return None
    came, left = stage.water_in.value(name), stage.water_out.value(name)
    band = look.bands.band(key)
    if came - left <= look.bands.tells(key, came) or band is None or band.high is None or point[1] <= band.high:
        return None
    over = limit is not None and point[1] > limit
    if key in look.barely and not over:
        return None
    system = look.variant.audit.facts.job.units
    read, most = show(point[1], row.shown_unit, system), show(band.high, row.shown_unit, system)
    where = look.place_of(key, point[0]) or f"after the {stage.said}"
    evidence = [f"{row.said} {read} {where} on {point[0]}, expected at most {most}"]
    if gone_again:
        evidence.append(f"seen in {len(gone_again)} readings since {gone_again[0][0]}, and as expected in others between them")
    if over and limit is not None:
        evidence.append(f"the health limit is {show(limit, row.shown_unit, system)}")
    severity = "danger" if over or (row.is_microbe and stage.disinfects) else "fault"
    first = (BOIL,) if row.is_microbe else (DRINK,) if over else ()
    do = (
        *first,
        f"Test {row.said} before and after the {stage.said} on one day.",
        "Check its bypass, what it is due for, and how fast water runs through it.",
    )
    if gone_again:
        do = (*do, "Write down the flow, the time of day and the days since its last wash with each reading.")
    apart = "As it arrives: its bypass, or what is in it is used up. Less than arrives: it is overloaded, or runs too fast."
    return Cause(f"no-longer/{name}", stage.id, ALONE, 0.0, tuple(map(sentence, evidence)), (), apart, do, severity, ((point[0], key),))


def at_taps(look: DataQuality, told: Iterable[Cause]) -> Iterator[Cause]:
    """What the train should put right and a tap shows worse than that, clearly or twice, as long as no cause stands on it: no unit answers for it alone."""
    run = look.variant.run
    explained = {look.readings.told_by(key, day) if "." in key else key for cause in told for day, key in cause.stands_on}
    for key in look.keys:
        name = SeriesKey.of(key).name
        if SeriesKey.of(key).place != TAP or name not in analytes() or name in OF_THE_HOUSE or key in explained or key in look.barely:
            continue
        row, point, band = analytes()[name], look.readings.last(key), look.bands.band(key)
        if point is None or band is None or not look.readings.speaks(key, point[0], look.as_of):
            continue
        end, tells = band.passed(point[1]), look.bands.tells(key)
        put_right = (run.raw.value(name) - run.finished.value(name)) * (1 if row.adverse == "high" else -1) > tells
        if end is None or (point[1] > end) != (row.adverse == "high") or not put_right:
            continue
        stage = answers_for(run, name, look.bands.tells)
        own = look.readings.last(str(SeriesKey(stage.id, name, "out"))) if stage is not None else None
        if own is not None and own[0] > point[0]:
            continue  # it was read behind its unit since
        before = look.readings.lately(key)[-2:-1]
        if abs(point[1] - end) <= tells and not (before and band.passed(before[0][1]) == end):
            continue
        system = look.variant.audit.facts.job.units
        read, bound = show(point[1], row.shown_unit, system), show(end, row.shown_unit, system)
        evidence = (f"{row.said} {read} at a tap on {point[0]}, expected {'at most' if point[1] > end else 'at least'} {bound}",)
        do = (f"Test {row.said} after each unit on one day.", "Check the bypass of each unit, and what each is due for.")
        apart = "As it should be after the last unit: the pipe, or the heater. Not so there: the first unit after which it is wrong."
        id = f"{'no-longer' if row.adverse == 'high' else 'unexplained'}/{name}"  # nothing takes a pH out
        yield Cause(id, None, ALONE, 0.0, tuple(map(sentence, evidence)), (), apart, do, "fault", ((point[0], key),))


def unexplained(look: DataQuality, told: Iterable[Cause]) -> Iterator[Cause]:
    """A series of a unit that is beyond its mark today, or water that is far worse than expected, twice running, where no cause says why."""
    causes = list(told)
    explained = {key for cause in causes for _, key in cause.stands_on}
    units = {cause.stage for cause in causes if cause.stage} | {SeriesKey.of(key).place for key in explained}
    worse = list(_worse(look, causes))
    yield from worse
    explained |= {key for cause in worse for _, key in cause.stands_on}
    for key in look.keys:
        series, mark, points = look.readings.series(key), look.bands.mark(key), look.readings.lately(key)
        if mark is None or series.what in COUNTED or len(points) < 2 or series.place not in look.ids or series.place in units or key in explained:
            continue
        if not look.readings.speaks(key, points[-1][0], look.as_of):
            continue
        if all((value > mark.value) == mark.above and value != mark.value for _, value in points[-2:]):
            yield _not_explained(look, key, points[-1], mark.value)


def _worse(look: DataQuality, told: list[Cause]) -> Iterator[Cause]:
    """An analyte at a tap, or at a unit that is not the first to see it, beyond its band twice running, and by more than it moves by itself."""
    known = {SeriesKey.of(key).what for cause in told for _, key in cause.stands_on}
    raw = {key for name in look.bands.raw for key in look.bands.raw_keys(name)}
    for key in look.keys:
        name, points, band = SeriesKey.of(key).what, look.readings.lately(key), look.bands.band(key)
        if name not in analytes() or name in OF_THE_HOUSE or name in known or key in raw or band is None or len(points) < 2:
            continue
        value, end, row = points[-1][1], band.passed(points[-1][1]), analytes()[name]
        if end is None or (name != "ph" and (value > end) != (row.adverse == "high")) or band.passed(points[-2][1]) != end:
            continue
        moves = 0.0 if name == "ph" else look.bands.moves * abs(end)
        if abs(value - end) > max(look.bands.tells(key), moves) and look.readings.speaks(key, points[-1][0], look.as_of):
            known.add(name)
            yield _not_explained(look, key, points[-1], end)


def _not_explained(look: DataQuality, key: str, point: Point, end: float) -> Cause:
    series, system, taken = look.readings.series(key), look.variant.audit.facts.job.units, SeriesKey.of(key)
    place = taken.place if taken.place in look.ids else None
    where = "" if place else " at a tap"
    words = f"{series.words}{where} {show(point[1], series.shown, system)} on {point[0]}, beyond {show(end, series.shown, system)}"
    evidence = (sentence(words), UNSAID)
    do = (
        "Read it again with the same flow and the same instrument.",
        "Enter what else is read at this unit on that day: pressure, flow, the level of its tank."
        if place
        else "Test it in the raw water and after each unit on one day.",
    )
    apart = "Read it once more, and what is before it. The same before it: not this unit."
    return Cause(f"unexplained/{taken.name}", place, ALONE, 0.0, evidence, (), apart, do, "caution", ((point[0], key),))
