"""Signs of filters and beds: pressure drop, what passes, the medium, its pH."""

from __future__ import annotations

import datetime as dt
import itertools
import statistics
from dataclasses import replace

from ....train.marks import mark
from ...monitoring.trend import Point
from .indicator import Indicator, Indicators, sign


@sign
def _iron_high(s: Indicators) -> Indicator | None:
    assert s.stage is not None
    point = s.fresh(s.key("iron_in"))
    value = point[1] if point is not None else s.stage.water_in.value("iron")
    return Indicator(value > mark("bed", "iron_arrives"), f"iron {s.reads('iron', value)} arrives")


@sign
def _coated(s: Indicators) -> Indicator | None:
    """Whether iron may lie on the stone: it arrives by a reading, or by the design while the stone is seen to be there."""
    there, iron = s.of("medium_there"), s.of("iron_high")
    read = s.fresh(s.key("iron_in")) is not None
    return iron if iron is not None and (read or (there is not None and there.holds)) else None


@sign
def _hardness_high(s: Indicators) -> Indicator | None:
    assert s.stage is not None
    return Indicator(
        s.stage.water_in.hardness > mark("bed", "hardness_arrives"), f"hardness {s.reads('hardness', s.stage.water_in.hardness)} arrives"
    )


@sign
def _drop_high(s: Indicators) -> Indicator | None:
    return s.beyond(s.key("pressure_drop"), True, "pressure drop")


@sign
def _drop_climbs(s: Indicators) -> Indicator | None:
    return s.moves(
        s.key("pressure_drop"),
        mark("bed", "drop_climbs") * s.bands.tells("x.pressure_drop"),
        "the pressure drop climbs",
        int(mark("bed", "drop_within")),
    )


@sign
def _drop_climbs_or_high(s: Indicators) -> Indicator | None:
    high, climbs = s.of("drop_high"), s.of("drop_climbs")
    if high is not None and high.holds:
        return high
    if climbs is not None and climbs.holds and (line := s.readings.trend(s.key("pressure_drop"))) is not None:
        band = s.bands.band(s.key("pressure_drop"))
        soon = band is not None and band.high is not None and line.at(line.on + dt.timedelta(days=mark("bed", "drop_soon"))) > band.high
        return Indicator(soon, f"{climbs.words}; {'it reaches' if soon else 'it does not reach'} its alert level within a month", climbs.stands_on)
    return high


@sign
def _drop_fell(s: Indicators) -> Indicator | None:
    """Whether the drop fell far between two readings of late, without a change between, and stayed down: one that climbs again was changed."""
    points, key = s.readings.lately(s.key("pressure_drop")), s.key("pressure_drop")
    if len(points) < 2 or not s.today(points[-1][0]):
        return None
    worst = max(itertools.pairwise(points), key=lambda pair: pair[0][1] - pair[1][1])
    (day, before), (then, after) = worst
    far = (
        before - after > 2 * s.bands.tells("x.pressure_drop")
        and after < mark("bed", "drop_fell") * before
        and points[-1][1] < mark("bed", "drop_fell") * before
    )
    return Indicator(
        far,
        f"the pressure drop fell from {s.said(key, before)} on {day} to {s.said(key, after)} on {then}, and no cartridge change was recorded",
        ((day, key), (then, key)),
    )


@sign
def _particles_pass(s: Indicators) -> Indicator | None:
    return s.beyond(s.key("turbidity_out"), True, "turbidity after it")


@sign
def _drop_fell_or_particles(s: Indicators) -> Indicator | None:
    fell, pass_ = s.of("drop_fell"), s.of("particles_pass")
    return fell if fell is not None and fell.holds else pass_ or fell


def _lives(s: Indicators) -> list[int]:
    days = [entry.on for entry in s.look.log.services.get(f"{s.id}/cartridge", [])]
    return [(then - first).days for first, then in itertools.pairwise(days) if then > first]


@sign
def _lives_shorten(s: Indicators) -> Indicator | None:
    """Whether cartridges last less and less, or have come to last far less than at first."""
    lives = _lives(s)
    if len(lives) < 2:
        return None
    last, usual = lives[-3:], statistics.median(lives[: min(max(len(lives) // 3, 1), 3)])
    falling = all(b < a for a, b in itertools.pairwise(last)) and last[-1] < mark("bed", "cartridge_short") * usual
    short = len(lives) > 3 and max(last) < mark("bed", "cartridge_short") * usual and last[-1] <= last[0]
    return Indicator(falling or short, f"at first {usual:.0f} days, lately cartridges lasted {', '.join(map(str, last))} days")


@sign
def _turbidity_up(s: Indicators) -> Indicator | None:
    for key in (s.key("turbidity_in"), "source.turbidity"):
        if (sign := s.beyond(key, True, "turbidity before it")) is not None:
            return sign
    return None


def _ph(s: Indicators) -> Point | None:
    return s.fresh(s.key("ph_out"))


@sign
def _ph_low(s: Indicators) -> Indicator | None:
    return s.beyond(s.key("ph_out"), False, "pH after it")


@sign
def _ph_falls(s: Indicators) -> Indicator | None:
    return s.moves(s.key("ph_out"), -s.bands.tells("x.ph_out"), "pH after it falls", 30)


@sign
def _ph_low_or_sinks(s: Indicators) -> Indicator | None:
    """Whether pH is below its band, or on its way there: it fell by more than a test tells, and the stone is due or seen to be low."""
    low, falls = s.of("ph_low"), s.of("ph_falls")
    if low is not None and low.holds:
        return low
    used = [found for name in ("medium_low", "medium_overdue") if (found := s.of(name)) is not None and found.holds]
    return falls if falls is not None and used else low


@sign
def _ph_as_raw(s: Indicators) -> Indicator | None:
    point, low = _ph(s), s.of("ph_low")
    assert s.stage is not None
    if point is None or low is None:
        return None
    raw = s.fresh(s.key("ph_in")) or s.fresh("source.ph")
    arrives = raw[1] if raw is not None else s.stage.water_in.ph
    return Indicator(
        low.holds and point[1] <= arrives + mark("neutralizer", "ph_as_arrives"),
        f"{s.worded(s.key('ph_out'), point[0], 'pH after it')} {point[1]:.1f} on {point[0]}, {arrives:.1f} before the unit",
        ((point[0], s.key("ph_out")),),
    )


@sign
def _only_at_flow(s: Indicators) -> Indicator | None:
    """Whether a neutralizer's pH falls below its band only where much runs: readings of both on one day, the newest of today."""
    pairs, band = s.paired("ph_out", "flow"), s.bands.band(s.key("ph_out"))
    if band is None or band.low is None or len(pairs) < 2 or not s.today(pairs[-1][2]):
        return None
    low = [flow for flow, value, _ in pairs if value < band.low]
    fine = [flow for flow, value, _ in pairs if value >= band.low]
    if not low or not fine:
        return None
    return Indicator(
        min(low) > max(fine),
        f"pH falls below its band only from {s.said(s.key('flow'), min(low))} of flow",
        tuple((day, s.key("ph_out")) for _, _, day in pairs),
    )


@sign
def _medium_low(s: Indicators) -> Indicator | None:
    point, key = s.fresh(s.key("medium_level")), s.key("medium_level")
    assert s.stage is not None
    if point is None or s.stage.sizing.bed is None:
        return None
    full = s.stage.sizing.bed.depth
    return Indicator(
        point[1] < mark("bed", "medium_low") * full,
        f"media {s.said(key, point[1])} high on {point[0]}, {s.said(key, full)} when full",
        ((point[0], key),),
    )


@sign
def _bed_sank(s: Indicators) -> Indicator | None:
    """Whether media are gone: the bed of a unit that dissolves none is lower than it was, by more than it settles."""
    points, key = s.readings.since(s.key("medium_level")), s.key("medium_level")
    if len(points) < 2 or s.fresh(key) is None:
        return None
    (day, first), (on, last) = points[0], points[-1]
    told = f"the bed was {s.said(key, first)} high on {day} and is {s.said(key, last)} high on {on}"
    return Indicator(first - last > max(s.bands.tells(key), mark("bed", "settles") * first), told, ((on, key),))


@sign
def _medium_there(s: Indicators) -> Indicator | None:
    return s.denied("medium_low")


@sign
def _medium_overdue(s: Indicators) -> Indicator | None:
    return s.overdue("medium")


@sign
def _iron_passes(s: Indicators) -> Indicator | None:
    return s.beyond(s.key("iron_out"), True, "iron after it")


@sign
def _sulfide_passes(s: Indicators) -> Indicator | None:
    sign = s.beyond(s.key("hydrogen_sulfide_out"), True, "sulfide after it")
    return sign if sign is not None else s.lately("rotten_egg_cold", "a smell of sulfide in cold water")


@sign
def _drop_as_designed(s: Indicators) -> Indicator | None:
    """Whether the drop is known, and neither climbs to its mark nor is past it: the bed is not blinded."""
    drop = s.denied("drop_climbs_or_high")
    return None if drop is None else replace(drop, words=f"the pressure drop is as designed ({drop.words})")


@sign
def _backwash_below(s: Indicators) -> Indicator | None:
    return s.beyond(s.key("backwash_flow"), False, "backwash to drain")


@sign
def _chlorine_passes(s: Indicators) -> Indicator | None:
    for what in ("free_chlorine_out", "total_chlorine_out"):
        if (sign := s.beyond(s.key(what), True, "chlorine after it")) is not None:
            return sign
    return s.lately("bleach_smell", "a smell of bleach")


@sign
def _carbon_old(s: Indicators) -> Indicator | None:
    return s.overdue("medium") or s.overdue("cartridge")


@sign
def _bleach_seen(s: Indicators) -> Indicator | None:
    return s.seen("bleach_smell", "a smell of bleach")
