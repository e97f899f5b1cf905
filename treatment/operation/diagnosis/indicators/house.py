"""Signs of the place: source, pump, taps, use, and several units at once."""

from __future__ import annotations

import datetime as dt
import itertools
import statistics
from collections.abc import Callable, Iterator
from typing import Any

from ....language.log_keys import log_key
from ....language.tables import table
from ....train.marks import mark
from ....train.treatment import StageRun
from ...maintenance.log import Entry
from ...monitoring.trend import trend
from .indicator import Indicator, Indicators, no, sign, yes


@sign
def _source_weak(s: Indicators) -> Indicator | None:
    """Whether pressure or flow of the source sank below what was given, or by the trend of its readings."""
    for key in ("source.flow", "source.pressure_low", "source.pressure_high", "source.pressure"):
        points = s.current(key)
        sign = s.beyond(key, False, "flow of the source" if key.endswith("flow") else "pressure of the source")
        if sign is not None and sign.holds and (len(points) < 2 or points[-1][1] < points[0][1] or len(points) > 2):
            return sign
        if (
            len(points) >= 3
            and points[-1][1] < mark("pump", "pressure_lost") * points[0][1]
            and (line := trend(points)) is not None
            and line.slope < 0
        ):
            return yes(f"{s.said(key, points[0][1])} on {points[0][0]}, {s.said(key, points[-1][1])} on {points[-1][0]}", (points[-1][0], key))
    told = [point for key in ("source.flow", "source.pressure_low", "source.pressure_high", "source.pressure") if (point := s.fresh(key)) is not None]
    return no("the source delivers as before") if told else None


@sign
def _town(s: Indicators) -> Indicator | None:
    return Indicator(s.look.variant.audit.facts.source.kind == "town", "the water comes from a public supply")


@sign
def _starts_up(s: Indicators) -> Indicator | None:
    """Whether the pump starts more often for the water it brings than before."""
    for key in ("source.starts", *(f"{id}.starts" for id in s.look.ids)):
        points = s.current(key)
        spans = [(a, b, (y - x) / (b - a).days) for (a, x), (b, y) in itertools.pairwise(points) if b > a and y >= x]
        if len(spans) >= 2:
            (begun, first_day, first), (since, day, last) = spans[0], spans[-1]
            told = f"{first:.0f} starts a day at first, {last:.0f} until {day}"
            before, now = s.look.use.over(begun, first_day), s.look.use.over(since, day)
            if before and now:  # more water is more starts
                told += f", with {s.shown(before, 'L/day')} and {s.shown(now, 'L/day')} used"
                first, last = first / before, last / now
            elif (used := s.of("more_used")) is not None and used.holds:
                return no(told, (day, key))
            return Indicator(first > 0 and last > mark("pump", "starts") * first, told, ((day, key),))
    return None


@sign
def _swings(s: Indicators) -> Indicator | None:
    return s.seen("pressure_fading", "fading pressure was reported")


@sign
def _tap_weak(s: Indicators) -> Indicator | None:
    points = s.current("tap.pressure")
    if len(points) < 2:
        return None
    first, last = points[0], points[-1]
    weak = last[1] < mark("pump", "pressure_lost") * first[1]
    return Indicator(
        weak,
        f"pressure at a tap {s.said('tap.pressure', first[1])} on {first[0]}, {s.said('tap.pressure', last[1])} on {last[0]}",
        ((last[0], "tap.pressure"),),
    )


@sign
def _train_strong(s: Indicators) -> Indicator | None:
    """Whether what leaves the train has the pressure it had."""
    for key in (*(f"{id}.pressure_out" for id in reversed(s.look.ids)), "source.pressure_low", "source.pressure"):
        points = s.current(key)
        if len(points) >= 2:
            few = min(max(len(points) // 3, 1), 5)  # a gauge is read anywhere between cut-in and cut-out
            first, last = ((part[-1][0], statistics.median(value for _, value in part)) for part in (points[:few], points[-few:]))
            strong = last[1] >= first[1] - max(2 * s.bands.tells("x.pressure"), mark("pump", "strong_lost") * first[1])
            return Indicator(
                strong,
                f"{log_key(key, s.look.ids).words} {s.said(key, last[1])} until {last[0]}, {s.said(key, first[1])} until {first[0]}",
                ((last[0], key),),
            )
    return None


@sign
def _crust_seen(s: Indicators) -> Indicator | None:
    return s.seen("white_crust", "white crust was reported")


@sign
def _stone_hardens(s: Indicators) -> Indicator | None:
    """Whether a neutralizer's own hardness, with no softener behind it, leaves a crust where the source alone would not."""
    assert s.stage is not None
    run, crust = s.look.variant.run, float(table("assumed")["doubts"]["crust"])
    if any(other.kind == "softener" for other in run.stages[s.stage.index :]):
        return no("a softener is installed after it")
    came, adds = s.stage.water_in.hardness, s.stage.water_out.hardness - s.stage.water_in.hardness
    return Indicator(adds > crust, f"of {s.reads('hardness', came + adds)} of hardness after it, {s.reads('hardness', adds)} comes from its calcite")


@sign
def _smell_hot(s: Indicators) -> Indicator | None:
    return s.seen("rotten_egg_hot_only", "a smell in hot water only")


@sign
def _smell_cold(s: Indicators) -> Indicator | None:
    return s.seen("rotten_egg_cold", "a smell in cold water, too,")


@sign
def _dirtier_after_rain(s: Indicators) -> Indicator | None:
    return s.seen("cloudy_after_rain", "cloudy after rain") or s.beyond(s.key("turbidity_out"), True, "turbidity after it")


@sign
def _screen_overdue(s: Indicators) -> Indicator | None:
    return s.overdue("screen", mark("pump", "screen_long"))


@sign
def _more_used(s: Indicators) -> Indicator | None:
    use, last = s.look.use, s.stretches[-3:]
    if use.ratio is None or use.daily is None or not last:
        return None
    lately = sum(each.daily * each.days for each in last) / max(sum(each.days for each in last), 1)
    most = mark("house", "more_use")
    told = f"{s.shown(lately, 'L/day')} lately, {s.shown(use.design, 'L/day')} by the design"
    return Indicator(lately > most * use.design and use.ratio > 0.5 * (1 + most), told, tuple((each.end, "meter") for each in last))


@sign
def _used_when_away(s: Indicators) -> Indicator | None:
    """Whether water ran while nobody was there, or at night between two readings of one night."""
    aways = [entry.away for entry in s.look.log.entries if entry.away is not None and s.today(entry.away[1])]
    readings = s.look.use.readings
    for begin, end in sorted(aways, key=lambda away: away[1], reverse=True):  # the newest decides: what was mended is over
        inside = [(on, total) for on, total in readings if begin <= on <= end]
        if len(inside) >= 2 and inside[-1][0] > inside[0][0]:
            daily = (inside[-1][1] - inside[0][1]) / (inside[-1][0] - inside[0][0]).days
            told = f"{s.shown(daily, 'L/day')} was used from {inside[0][0]} to {inside[-1][0]}, while the house was empty"
            return Indicator(daily > mark("house", "night_use"), told, ((inside[-1][0], "meter"),))
    nights = [(moment, total) for entry in s.look.log.entries if (moment := _night(entry)) and (total := _total(entry)) is not None]
    for (begin, first), (end, then) in reversed(list(itertools.pairwise(nights))):
        if not s.today(end.date()):
            return None
        hours = (end - begin).total_seconds() / 3600
        if mark("house", "night_least") <= hours <= mark("house", "night_most") and then >= first:
            told = f"{s.shown(then - first, 'L')} ran in {hours:.0f} hours of the night of {begin.date()}"
            return Indicator(then - first > mark("house", "night_hour") * hours, told, ((end.date(), "meter"),))
    return None


def _night(entry: Entry) -> dt.datetime | None:
    """When an entry was made, if that was at night."""
    if entry.at is None or 7 <= entry.at.hour < 22:
        return None
    return dt.datetime.combine(entry.on, entry.at)


def _total(entry: Entry) -> float | None:
    """What the meter of an entry says."""
    return next((value.middle for value in entry.readings if value.key.key == "meter"), None)


@sign
def _used_when_away_or_beyond(s: Indicators) -> Indicator | None:
    """Water where nobody uses it, or much more through the meter than the regenerations account for."""
    away = s.of("used_when_away")
    if away is not None:
        return away
    for stage in s.look.stages:
        points = s.current(f"{stage.id}.regenerations")
        figure = stage.figures.get("days_between_regenerations")
        if figure is None or len(points) < 2 or s.look.use.daily is None or points[-1][0] == points[0][0]:
            continue
        made = (points[-1][1] - points[0][1]) / (points[-1][0] - points[0][0]).days
        wanted = s.look.use.daily / max(s.look.use.design, 1.0) / max(figure.value, 0.25)
        if wanted > 0 and (s.look.use.ratio or 1.0) > mark("house", "use_beyond") and made < mark("house", "few_regenerations") * wanted:
            return yes(
                f"the meter says {s.shown(s.look.use.daily, 'L/day')}, the regenerations of the {stage.said} only {made / wanted:.0%} of that",
                (points[-1][0], "meter"),
            )
    return None


@sign
def _several_raw(s: Indicators) -> Indicator | None:
    """Whether two stages or more show raw water at once: what each should change is as it arrives."""
    raw: list[str] = []
    on: list[tuple[dt.date, str]] = []
    for stage in s.look.stages:
        shown = list(_as_it_arrived(s, stage))
        on += [(day, key) for day, key, _ in shown]
        raw += [f"{s.worded(key, day, log_key(key, s.look.ids).words)} {s.said(key, value)}" for day, key, value in shown[:1]]
    if len(raw) < 2:
        return no("units still change their water") if raw else None
    near = max(day for day, _ in on) - min(day for day, _ in on) <= dt.timedelta(days=mark("log", "near"))
    return Indicator(near, f"several units show raw water at once: {'; '.join(raw)}", tuple(on))


def _as_it_arrived(s: Indicators, stage: StageRun[Any]) -> Iterator[tuple[dt.date, str, float]]:
    """What a stage should change and leaves as it came, past it alone or past those before it, too: what it is there for first."""
    came, left, raw = stage.water_in.known(), stage.water_out.known(), s.look.variant.run.raw.known()
    for name in dict.fromkeys((*stage.room.answers, *left)):
        key = f"{stage.id}.{name}_out"
        if key not in s.readings.by_key or name not in came or name not in left:
            continue
        point = s.fresh(key)
        if point is None or abs(came[name] - left[name]) <= 2 * s.bands.tells(key):
            continue
        day, value = point
        if any(
            abs(value - each) <= max(mark("log", "same") * abs(each), s.bands.tells(key)) and abs(value - each) < abs(value - left[name])
            for each in (came[name], raw.get(name, came[name]))
        ):
            yield day, key, value


@sign
def _cannot_be(s: Indicators) -> Indicator | None:
    """Whether a reading is one that no water gives, or readings contradict each other."""
    for doubt in reversed(s.look.doubted):
        if doubt.impossible and s.today(doubt.on):
            return yes(f"{log_key(doubt.key, s.look.ids).words} on {doubt.on}: {doubt.why}", (doubt.on, doubt.key))
    return next((found for stage in s.look.stages for told in CONTRADICTIONS if (found := told(s, stage)) is not None), None)


def _more_pressure_behind(s: Indicators, stage: StageRun[Any]) -> Indicator | None:
    before, after = dict(s.readings.points(f"{stage.id}.pressure_in")), dict(s.readings.points(f"{stage.id}.pressure_out"))
    for day in sorted(before.keys() & after.keys(), reverse=True):
        if s.today(day) and not stage.room.pumps and after[day] > before[day] + 2 * s.bands.tells("x.pressure_in"):
            return yes(f"more pressure after the {stage.said} than before it on {day}", (day, f"{stage.id}.pressure_out"))
    return None


def _more_salt_behind(s: Indicators, stage: StageRun[Any]) -> Indicator | None:
    """A membrane does not make salt: a slip of the point, or the meter's range."""
    key = f"{stage.id}.passage"
    point = s.fresh(key)
    if point is None or point[1] <= 1 or point[0] not in dict(s.readings.points(f"{stage.id}.tds_in")):
        return None
    return yes(f"more dissolved solids after the {stage.said} than before it on {point[0]}", (point[0], s.readings.series(key).own))


def _no_temperature(s: Indicators, stage: StageRun[Any]) -> Indicator | None:
    key = f"{stage.id}.permeate_flow"
    flows = s.current(key)
    if len(flows) < 4 or s.readings.points(f"{stage.id}.normal_flow"):
        return None
    low, high = min(value for _, value in flows), max(value for _, value in flows)
    if high <= 0 or low >= mark("reverse_osmosis", "permeate_swing") * high:
        return None
    words = f"permeate of the {stage.said} from {s.said(key, low)} to {s.said(key, high)} without a temperature: it cannot be corrected"
    return yes(words, (flows[-1][0], key))


def _counts_too_fast(s: Indicators, stage: StageRun[Any]) -> Indicator | None:
    """A counter of hours runs no faster than the clock."""
    key = f"{stage.id}.lamp_hours"
    for (a, x), (b, y) in itertools.pairwise(s.readings.points(key)):
        if s.today(b) and b > a and y - x > 24.0 * ((b - a).days + 1):
            return yes(f"the counter of the {stage.said} ran {y - x:.0f} h in {(b - a).days} days", (b, key))
    return None


#: what contradicts itself at a stage, the plainest first
CONTRADICTIONS: tuple[Callable[[Indicators, StageRun[Any]], Indicator | None], ...] = (
    _more_pressure_behind,
    _more_salt_behind,
    _no_temperature,
    _counts_too_fast,
)
