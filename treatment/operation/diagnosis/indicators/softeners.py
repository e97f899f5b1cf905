"""Signs of softeners and exchangers: hardness, salt, brine, the count of regenerations."""

from __future__ import annotations

import itertools

from ....language.analytes import analytes
from ....train.marks import mark
from ...monitoring.trend import Point
from .indicator import Indicator, Indicators, no, sign, stands, yes


@sign
def _held_passes(s: Indicators) -> Indicator | None:
    """Whether what an exchanger is there to hold passes: hardness, or the target of an anion exchanger."""
    assert s.stage is not None
    held = str(s.stage.sizing.params.get("target") or "hardness")
    return s.beyond(s.key(f"{held}_out"), True, f"{analytes()[held].said} after it")


@sign
def _raw_harder(s: Indicators) -> Indicator | None:
    for key in (s.key("hardness_in"), "source.hardness"):
        if (sign := s.beyond(key, True, "hardness before it")) is not None:
            return sign
    return None


@sign
def _salt_gone(s: Indicators) -> Indicator | None:
    key = s.key("salt_level")
    points = [point for point in s.readings.points(key) if s.today(point[0])]
    point = points[-1] if points else None
    fills = [entry.on for entry in s.look.log.services.get(f"{s.id}/salt", [])]
    if point is not None and not any(day >= point[0] for day in fills):
        return Indicator(point[1] <= mark("softener", "level_gone"), f"salt {s.said(key, point[1])} high on {point[0]}", ((point[0], key),))
    found = s.look.due.get(f"{s.id}/salt")
    if found is None or not fills:
        return None
    passed, most = (s.look.as_of - found.last).days, (found.high - found.last).days
    if passed > mark("softener", "salt_long") * most:
        return yes(f"salt was last filled on {found.last}, and lasts at most {most} days")
    return no(f"salt was filled on {found.last}") if passed < (found.low - found.last).days else None


@sign
def _salt_there(s: Indicators) -> Indicator | None:
    return s.denied("salt_gone")


@sign
def _salt_stands(s: Indicators) -> Indicator | None:
    return stands(s, "salt_level", "the salt")


@sign
def _salt_falls(s: Indicators) -> Indicator | None:
    return s.denied("salt_stands")


@sign
def _brine_high(s: Indicators) -> Indicator | None:
    points = s.current(s.key("brine_level"))
    if len(points) < 2:
        return None
    first, last, key = points[0], points[-1], s.key("brine_level")
    told = f"the brine was at {s.said(key, first[1])} on {first[0]} and at {s.said(key, last[1])} on {last[0]}"
    return Indicator(last[1] - first[1] > s.bands.tells(key), told, ((first[0], key), (last[0], key)))


@sign
def _brine_as_usual(s: Indicators) -> Indicator | None:
    return s.denied("brine_high")


@sign
def _salt_stands_or_brine_high(s: Indicators) -> Indicator | None:
    stands, brine = s.of("salt_stands"), s.of("brine_high")
    return brine if brine is not None and brine.holds else stands


def _counts(s: Indicators) -> list[Point]:
    return s.current(s.key("regenerations"))


@sign
def _count_stands(s: Indicators) -> Indicator | None:
    """Whether the count of regenerations stands over more than twice the longest interval."""
    points, key = _counts(s), s.key("regenerations")
    assert s.stage is not None
    figure = s.stage.figures.get("regeneration_interval") or s.stage.figures.get("days_between_regenerations")
    longest = max(figure.value if figure else 7.0, 3.0)
    if len(points) < 2:
        since = s.fresh(s.key("days_since_regeneration"))
        if since is None:
            return None
        told = f"{since[1]:.0f} days since the last regeneration on {since[0]}, one is due each {longest:.0f} days"
        return Indicator(since[1] > 2 * longest, told, ((since[0], s.key("days_since_regeneration")),))
    same = [point for point in points if point[1] == points[-1][1]]
    days = (points[-1][0] - same[0][0]).days
    told = f"{points[-1][1]:.0f} regenerations on {same[0][0]} and on {points[-1][0]}, one is due each {longest:.0f} days"
    return Indicator(days > 2 * longest, told, ((same[0][0], key), (points[-1][0], key)))


@sign
def _count_runs(s: Indicators) -> Indicator | None:
    points, key = _counts(s), s.key("regenerations")
    if len(points) < 2:
        return None
    return Indicator(
        points[-1][1] > points[-2][1],
        f"{points[-2][1]:.0f} regenerations on {points[-2][0]}, {points[-1][1]:.0f} on {points[-1][0]}",
        ((points[-1][0], key),),
    )


@sign
def _meter_runs(s: Indicators) -> Indicator | None:
    last = s.stretches[-1:]
    return (
        None
        if not last
        else Indicator(
            last[0].daily > mark("meter", "meter_runs"), f"{s.shown(last[0].daily, 'L/day')} ran until {last[0].end}", ((last[0].end, "meter"),)
        )
    )


@sign
def _only_late(s: Indicators) -> Indicator | None:
    """Whether hardness passes only long after a regeneration: readings with the days since, soft early and hard late."""
    pairs, key = s.paired("hardness_out", "days_since_regeneration"), s.key("hardness_out")
    band = s.bands.band(key)
    if band is None or band.high is None or len(pairs) < 2:
        return None
    hard = [days for days, value, _ in pairs if value > band.high]
    soft = [days for days, value, _ in pairs if value <= band.high]
    if not hard or not soft:
        return no("hardness does not follow the days since a regeneration") if hard and len(pairs) > 2 else None
    lately = [day for _, value, day in pairs if value > band.high and (s.look.as_of - day).days <= 3 * mark("log", "near")]
    if not lately:
        return None
    told = f"soft up to day {max(soft):.0f} after a regeneration, hard from day {min(hard):.0f}"
    return Indicator(min(hard) > max(soft), told, tuple((day, key) for _, _, day in pairs))


@sign
def _setting_seen(s: Indicators) -> Indicator | None:
    """Whether the setting is too low: hardness only late after a regeneration, or from the first day on, with salt and regenerations as they should be."""
    late, key = s.of("only_late"), s.key("hardness_out")
    if late is not None and late.holds:
        return late
    points, band = s.current(key), s.bands.band(key)
    if band is None or band.high is None or len(points) < 2:
        return late
    works = [sign for sign in (s.of("count_runs"), s.of("salt_falls")) if sign is not None]
    if not works or not all(sign.holds for sign in works):
        return late
    never = min(value for _, value in points) > band.high
    said = s.worded(key, points[-1][0], "hardness after it")
    told = f"{said} was never as designed, from {s.said(key, points[0][1])} on {points[0][0]} on, while it regenerates"
    return Indicator(never, told, tuple((day, key) for day, _ in points))


@sign
def _meter_stands(s: Indicators) -> Indicator | None:
    """Whether nobody uses water: the meter stood over the last stretches."""
    last = s.stretches[-2:]
    return (
        None
        if not last
        else Indicator(
            all(each.daily <= mark("meter", "meter_runs") for each in last), f"{s.shown(last[-1].daily, 'L/day')} ran until {last[-1].end}"
        )
    )


@sign
def _hardness_climbs(s: Indicators) -> Indicator | None:
    """Whether it climbs over months, without a step."""
    key = s.key("hardness_out")
    sign = s.moves(key, s.bands.tells(key), "hardness after it climbs", 60)
    points = s.readings.lately(key)
    if sign is None or len(points) < 4:
        return None
    steps = [b - a for (_, a), (_, b) in itertools.pairwise(points)]
    rise = points[-1][1] - points[0][1]
    stepped = rise > 0 and max(steps) > mark("softener", "step_share") * rise
    return Indicator(sign.holds and not stepped, sign.words, sign.stands_on)


@sign
def _hardness_stepped(s: Indicators) -> Indicator | None:
    """Whether it rose at once and stayed up: as designed before, two readings beyond it after."""
    key = s.key("hardness_out")
    points, band = s.current(key), s.bands.band(key)
    if band is None or band.high is None or len(points) < 4:
        return None
    up = [i for i, (_, value) in enumerate(points) if value > band.high]
    if len(up) < 2 or up != list(range(up[0], len(points))) or up[0] < 2:
        return None
    before, after = points[: up[0]], points[up[0] :]
    flat = max(value for _, value in before) - min(value for _, value in before) <= 2 * s.bands.tells(key)
    told = f"as designed until {before[-1][0]}, {s.said(key, after[0][1])} on {after[0][0]} and {s.said(key, after[-1][1])} on {after[-1][0]}"
    return Indicator(flat and min(value for _, value in after) > band.high + s.bands.tells(key), told, tuple((day, key) for day, _ in points))


@sign
def _hardness_at_times(s: Indicators) -> Indicator | None:
    """Whether it now passes in some readings and not in others, after it was as designed: what is held between two regenerations has become less."""
    key = s.key("hardness_out")
    found = s.look.comes_and_goes(key)
    if not found:
        return None
    (day, value), count = found[-1], len([point for point in s.readings.since(key) if point[0] >= found[0][0]])
    said, times = s.worded(key, day, "hardness after it"), f"{len(found)} of {count} readings since {found[0][0]}"
    told = f"{said} above what is expected in {times}, {s.said(key, value)} on {day}, and as designed before"
    return yes(told, *((day, key) for day, _ in found))


@sign
def _capacity_fell(s: Indicators) -> Indicator | None:
    """Whether it rose at once and stayed up, or comes and goes since; or the bed itself sank."""
    stepped, sank = s.of("hardness_stepped"), s.of("bed_sank")
    if stepped is not None and stepped.holds:
        return stepped
    return sank if sank is not None and sank.holds else s.of("hardness_at_times") or stepped


@sign
def _capacity_sinks(s: Indicators) -> Indicator | None:
    """Whether it climbs over months, or comes and goes since a day."""
    climbs = s.of("hardness_climbs")
    return climbs if climbs is not None and climbs.holds else s.of("hardness_at_times") or climbs


@sign
def _iron_arrives(s: Indicators) -> Indicator | None:
    assert s.stage is not None
    limit = float(s.stage.duty.rows["softener"]["iron_counts"])
    for key in (s.key("iron_in"), s.key("ferrous_iron_in")):
        if (point := s.fresh(key)) is not None:
            return Indicator(
                point[1] > limit,
                f"iron {s.said(key, point[1])} arrives on {point[0]}, it stays clean below {s.reads('iron', limit)}",
                ((point[0], key),),
            )
    for other in reversed(s.look.stages[: s.stage.index]):
        key = f"{other.id}.iron_out"
        if (point := s.fresh(key)) is not None:
            return Indicator(point[1] > limit, f"iron {s.said(key, point[1])} leaves the unit before it on {point[0]}", ((point[0], key),))
    arrives = s.stage.water_in.value("iron")
    return Indicator(arrives > limit, f"by the design iron arrives with {s.reads('iron', arrives)}")


@sign
def _salty(s: Indicators) -> Indicator | None:
    return s.lately("salty_taste", "a salty taste was reported") or s.of("chloride_up")


@sign
def _chloride_up(s: Indicators) -> Indicator | None:
    """Whether salt reaches the taps: chloride, or more sodium than the exchange gives."""
    for key, words in (
        ("tap.chloride", "chloride at the tap"),
        (s.key("chloride_out"), "chloride after it"),
        ("tap.sodium", "sodium at the tap"),
        (s.key("sodium_out"), "sodium after it"),
    ):
        found = s.beyond(key, True, words)
        if found is not None and found.holds:
            return found
    return s.beyond("tap.chloride", True, "chloride at the tap")


@sign
def _grit_seen(s: Indicators) -> Indicator | None:
    return s.seen("grit", "grit seen")
