"""What can be seen in a log: each sign says yes, no, or nothing, with a sentence that names the readings it stands on."""

from __future__ import annotations

import datetime as dt
import itertools
import statistics
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from ..language.display import show
from ..language.log_keys import log_key
from ..train.room import StageRun
from .log import Entry
from .look import MICROBES, Look, unit_of
from .trend import Point, trend

#: readings that lie back farther than this say nothing of today [days]
STALE = 400
#: litres an hour at night from which something runs
NIGHT = 3.0
#: days within which readings are taken together
NEAR = 45


@dataclass(frozen=True, slots=True)
class Sign:
    """Whether something is so, why, and the readings (day and key) that say it."""

    holds: bool
    words: str
    stands_on: tuple[tuple[dt.date, str], ...] = field(default=())


#: the signs by their names in ``data/causes.toml``
ALL: dict[str, Callable[[Signs], Sign | None]] = {}


def sign(work: Callable[[Signs], Sign | None]) -> Callable[[Signs], Sign | None]:
    """Registers a sign by its name."""
    ALL[work.__name__.removeprefix("_")] = work
    return work


def yes(words: str, *on: tuple[dt.date, str]) -> Sign:
    return Sign(True, words, on)


def no(words: str, *on: tuple[dt.date, str]) -> Sign:
    return Sign(False, words, on)


class Signs:
    """The signs of one stage, or of the place where stage is None; each is worked out once."""

    def __init__(self, look: Look, stage: StageRun[Any] | None):
        self.look, self.stage = look, stage
        self.id = stage.id if stage is not None else ""
        self.known: dict[str, Sign | None] = {}
        self.system = look.variant.audit.facts.job.units

    def of(self, name: str) -> Sign | None:
        """A sign by its name; None where the log does not tell."""
        if name not in self.known:
            self.known[name] = ALL[name](self)
        return self.known[name]

    # --- helpers ------------------------------------------------------------------------------------------------------
    def key(self, what: str) -> str:
        return f"{self.id}.{what}"

    def fresh(self, key: str) -> Point | None:
        """The newest reading that still says something."""
        point = self.look.last(key)
        return point if point is not None and (self.look.as_of - point[0]).days <= STALE else None

    def said(self, key: str, value: float) -> str:
        shown = {"kPa": "kPa", "m": "m small"}.get(unit_of(key, self.look.ids), unit_of(key, self.look.ids))
        if "." in key and key.rpartition(".")[2] not in ("pressure_drop", "normal_flow", "passage"):
            shown = log_key(key, self.look.ids).shown
        return show(value, shown, self.system)

    def beyond(self, key: str, above: bool, words: str) -> Sign | None:
        """Whether the newest reading lies beyond its band on one side; inside it says no."""
        point, band = self.fresh(key), self.look.band(key)
        if point is None or band is None:
            return None
        end = band.high if above else band.low
        if end is None:
            return None
        out = point[1] > end if above else point[1] < end
        told = f"{words} {self.said(key, point[1])} on {point[0]}, expected {'at most' if above else 'at least'} {self.said(key, end)}"
        return Sign(out, told, ((point[0], key),))

    def moves(self, key: str, least: float, words: str, days: int = 60) -> Sign | None:
        """Whether a series moved by so much (signed) along its trend since the last service, over so many days at the least."""
        points = self.look.lately(key)
        line = trend(points)
        if line is None or len(points) < 3:
            return None
        span = (points[-1][0] - points[0][0]).days
        moved = line.slope * span
        if span < days:
            return None
        so = moved >= least if least > 0 else moved <= least
        told = f"{words}: {self.said(key, points[0][1])} on {points[0][0]}, {self.said(key, points[-1][1])} on {points[-1][0]}"
        return Sign(so, told, tuple((day, key) for day, _ in points))

    def overdue(self, task: str, times: float = 1.0) -> Sign | None:
        """Whether a task is past its day by so many times its interval."""
        found = self.look.due.get(f"{self.id}/{task}")
        if found is None:
            return None
        passed, interval = (self.look.as_of - found.last).days, max((found.due_on - found.last).days, 1)
        return Sign(passed > times * interval, f"{found.task.row.task.lower()} was due on {found.due_on}, last done on {found.last}")


@sign
def _microbes_found(s: Signs) -> Sign | None:
    guards = [stage.id for stage in s.look.stages if stage.disinfects or stage.index == len(s.look.stages) - 1]
    keys = [*MICROBES, *(f"{id}.{name.partition('.')[2]}_out" for id in guards for name in MICROBES)]
    held = [(key, point) for key in keys if (point := s.look.last(key)) is not None]
    if not held:
        return None
    found = [(key, point) for key, point in held if point[1] > 0]
    if not found:
        return no("no microbes in the last sample", *((point[0], key) for key, point in held))
    key, point = found[0]
    place = "at a tap" if key in MICROBES else "in the treated water"
    return yes(f"{log_key(key, s.look.ids).words} found {place} on {point[0]}", (point[0], key))


@sign
def _alarm(s: Signs) -> Sign | None:
    alarms = [entry for entry in s.look.log.entries if entry.alarm == s.id]
    lamps = [entry.on for entry in s.look.log.services.get(f"{s.id}/lamp", [])]
    after = [entry for entry in alarms if not any(entry.on <= day for day in lamps)]
    if not after:
        return None
    later = [point for point in s.look.points(s.key("intensity")) if point[0] > after[-1].on and point[1] > s.look.marks["intensity"]]
    if later:
        return no(f"the sensor saw light again on {later[-1][0]}", (later[-1][0], s.key("intensity")))
    return yes(f"its alarm sounded on {after[-1].on}, and no new lamp was entered since")


@sign
def _intensity_gone(s: Signs) -> Sign | None:
    point = s.fresh(s.key("intensity"))
    return None if point is None else Sign(point[1] < 10, f"light {point[1]:.0f} % on {point[0]}", ((point[0], s.key("intensity")),))


@sign
def _intensity_low(s: Signs) -> Sign | None:
    return s.beyond(s.key("intensity"), False, "light")


@sign
def _young(s: Signs) -> Sign | None:
    assert s.stage is not None
    hours = s.look.lamp_age(s.stage)
    return Sign(hours < 8500, f"the lamp burns {hours:.0f} h, too few to explain it")


@sign
def _lamp_past(s: Signs) -> Sign | None:
    point = s.look.last(s.key("lamp_hours"))
    band = s.look.band(s.key("lamp_hours"))
    if point is not None and band is not None and band.high is not None:
        return Sign(
            point[1] > band.high, f"{point[1]:.0f} h on its counter on {point[0]}, {band.high:.0f} h at the most", ((point[0], s.key("lamp_hours")),)
        )
    found = s.look.due.get(f"{s.id}/lamp")
    told_of = any(key.startswith(f"{s.id}.") for key in s.look.log.points) or any(task.startswith(f"{s.id}/") for task in s.look.log.services)
    if found is None or not told_of:
        return None  # who writes nothing down of a lamp may still change it; the due date speaks of that
    return Sign((s.look.as_of - found.due_on).days > 30, f"a new lamp was due on {found.due_on}, last one on {found.last}")


@sign
def _dark(s: Signs) -> Sign | None:
    for key in (s.key("uvt_in"), "source.uvt"):
        if (sign := s.beyond(key, False, "UV transmittance")) is not None:
            return sign
    return None


@sign
def _spring(s: Signs) -> Sign | None:
    rain = s.look.log.seen.get("cloudy_after_rain", [])
    return yes(f"cloudy after rain on {rain[-1]}") if rain else None


def _residual(s: Signs) -> tuple[str, Point] | None:
    tanks = [stage.id for stage in s.look.stages if s.stage is not None and stage.index > s.stage.index and stage.room.cushions]
    for key in (s.key("free_chlorine_out"), *(f"{id}.free_chlorine_out" for id in tanks), "tap.free_chlorine"):
        if (point := s.fresh(key)) is not None:
            return key, point
    return None


@sign
def _residual_gone(s: Signs) -> Sign | None:
    found = _residual(s)
    if found is None:
        return None
    key, point = found
    return Sign(point[1] < 0.1, f"residual {s.said(key, point[1])} on {point[0]}", ((point[0], key),))


@sign
def _residual_low(s: Signs) -> Sign | None:
    found = _residual(s)
    return None if found is None else s.beyond(found[0], False, "residual")


def _level(s: Signs, what: str) -> list[Point]:
    return s.look.since(s.key(what))


@sign
def _solution_stands(s: Signs) -> Sign | None:
    return _stands(s, "solution_level", "the solution")


@sign
def _solution_falls(s: Signs) -> Sign | None:
    sign = _stands(s, "solution_level", "the solution")
    return None if sign is None else Sign(not sign.holds, sign.words, sign.stands_on)


@sign
def _solution_gone(s: Signs) -> Sign | None:
    point = s.fresh(s.key("solution_level"))
    return (
        None
        if point is None
        else Sign(point[1] < 0.05, f"solution {s.said(s.key('solution_level'), point[1])} high on {point[0]}", ((point[0], s.key("solution_level")),))
    )


@sign
def _solution_old(s: Signs) -> Sign | None:
    return s.overdue("solution", 1.2)


def _stands(s: Signs, what: str, words: str) -> Sign | None:
    """Whether a level that should fall stands: three readings, and less than what tells apart over a fortnight or more."""
    points = _level(s, what)
    near = [point for point in points if (points[-1][0] - point[0]).days <= 120] if points else []
    if len(near) < 3 or (near[-1][0] - near[0][0]).days < 14:
        return None
    fell = max(value for _, value in near) - near[-1][1]
    key = s.key(what)
    told = f"{words} stood at {s.said(key, near[0][1])} on {near[0][0]} and at {s.said(key, near[-1][1])} on {near[-1][0]}"
    return Sign(fell <= s.look.tells(key), told, tuple((day, key) for day, _ in near))


@sign
def _hardness_passes(s: Signs) -> Sign | None:
    return s.beyond(s.key("hardness_out"), True, "hardness behind it")


@sign
def _raw_harder(s: Signs) -> Sign | None:
    for key in (s.key("hardness_in"), "source.hardness"):
        if (sign := s.beyond(key, True, "hardness that arrives")) is not None:
            return sign
    return None


@sign
def _salt_gone(s: Signs) -> Sign | None:
    key = s.key("salt_level")
    points = s.look.points(key)
    point = points[-1] if points else None
    fills = [entry.on for entry in s.look.log.services.get(f"{s.id}/salt", [])]
    if point is not None and not any(day >= point[0] for day in fills):
        return Sign(point[1] <= 0.05, f"salt {s.said(key, point[1])} high on {point[0]}", ((point[0], key),))
    found = s.look.due.get(f"{s.id}/salt")
    if found is None or not fills:
        return None
    passed, most = (s.look.as_of - found.last).days, (found.high - found.last).days
    if passed > 1.5 * most:
        return yes(f"salt was last filled on {found.last}, and lasts {most} days at the most")
    return no(f"salt was filled on {found.last}") if passed < (found.low - found.last).days else None


@sign
def _salt_there(s: Signs) -> Sign | None:
    sign = s.of("salt_gone")
    return None if sign is None else Sign(not sign.holds, sign.words, sign.stands_on)


@sign
def _salt_stands(s: Signs) -> Sign | None:
    return _stands(s, "salt_level", "the salt")


@sign
def _salt_falls(s: Signs) -> Sign | None:
    sign = _salt_stands(s)
    return None if sign is None else Sign(not sign.holds, sign.words, sign.stands_on)


@sign
def _brine_high(s: Signs) -> Sign | None:
    points = s.look.points(s.key("brine_level"))
    if len(points) < 2:
        return None
    first, last, key = points[0], points[-1], s.key("brine_level")
    told = f"the brine stood at {s.said(key, first[1])} on {first[0]} and at {s.said(key, last[1])} on {last[0]}"
    return Sign(last[1] - first[1] > s.look.tells(key), told, ((first[0], key), (last[0], key)))


@sign
def _brine_as_usual(s: Signs) -> Sign | None:
    sign = _brine_high(s)
    return None if sign is None else Sign(not sign.holds, sign.words, sign.stands_on)


@sign
def _salt_stands_or_brine_high(s: Signs) -> Sign | None:
    stands, brine = s.of("salt_stands"), s.of("brine_high")
    return brine if brine is not None and brine.holds else stands


def _counts(s: Signs) -> list[Point]:
    return s.look.points(s.key("regenerations"))


@sign
def _count_stands(s: Signs) -> Sign | None:
    """Whether the count of regenerations stands over more than twice the longest interval."""
    points, key = _counts(s), s.key("regenerations")
    assert s.stage is not None
    if len(points) < 2:
        return None
    figure = s.stage.figures.get("regeneration_interval") or s.stage.figures.get("days_between_regenerations")
    longest = max(figure.value if figure else 7.0, 3.0)
    same = [point for point in points if point[1] == points[-1][1]]
    days = (points[-1][0] - same[0][0]).days
    told = f"{points[-1][1]:.0f} regenerations on {same[0][0]} and on {points[-1][0]}, one is due each {longest:.0f} days"
    return Sign(days > 2 * longest, told, ((same[0][0], key), (points[-1][0], key)))


@sign
def _count_runs(s: Signs) -> Sign | None:
    points, key = _counts(s), s.key("regenerations")
    if len(points) < 2:
        return None
    return Sign(
        points[-1][1] > points[-2][1],
        f"{points[-2][1]:.0f} regenerations on {points[-2][0]}, {points[-1][1]:.0f} on {points[-1][0]}",
        ((points[-1][0], key),),
    )


@sign
def _meter_runs(s: Signs) -> Sign | None:
    last = s.look.use.stretches[-1:] if s.look.use.stretches else []
    return None if not last else Sign(last[0].daily > 20, f"{last[0].daily:.0f} L a day ran until {last[0].end}", ((last[0].end, "meter"),))


@sign
def _only_late(s: Signs) -> Sign | None:
    """Whether hardness passes only long after a regeneration: readings with the days since, soft early and hard late."""
    since, key = dict(s.look.points(s.key("days_since_regeneration"))), s.key("hardness_out")
    band = s.look.band(key)
    pairs = [(since[day], value, day) for day, value in s.look.points(key) if day in since]
    if band is None or band.high is None or len(pairs) < 2:
        return None
    hard = [days for days, value, _ in pairs if value > band.high]
    soft = [days for days, value, _ in pairs if value <= band.high]
    if not hard or not soft:
        return no("hardness does not follow the days since a regeneration") if hard and len(pairs) > 2 else None
    lately = [day for _, value, day in pairs if value > band.high and (s.look.as_of - day).days <= 3 * NEAR]
    if not lately:
        return None
    told = f"soft up to {max(soft):.0f} days after a regeneration, hard from {min(hard):.0f} days"
    return Sign(min(hard) > max(soft), told, tuple((day, key) for _, _, day in pairs))


@sign
def _setting_seen(s: Signs) -> Sign | None:
    """Whether the setting is too low: hardness only late after a regeneration, or from the first day on, with salt and regenerations as they should be."""
    late, key = s.of("only_late"), s.key("hardness_out")
    if late is not None and late.holds:
        return late
    points, band = s.look.points(key), s.look.band(key)
    if band is None or band.high is None or len(points) < 2:
        return late
    works = [sign for sign in (s.of("count_runs"), s.of("salt_falls")) if sign is not None]
    if not works or not all(sign.holds for sign in works):
        return late
    never = min(value for _, value in points) > band.high
    told = f"hardness behind it was never as designed, from {s.said(key, points[0][1])} on {points[0][0]} on, while it regenerates"
    return Sign(never, told, tuple((day, key) for day, _ in points))


@sign
def _meter_stands(s: Signs) -> Sign | None:
    """Whether nobody uses water: the meter stood over the last stretches."""
    last = s.look.use.stretches[-2:]
    return None if not last else Sign(all(each.daily <= 20 for each in last), f"{last[-1].daily:.0f} L a day ran until {last[-1].end}")


@sign
def _hardness_climbs(s: Signs) -> Sign | None:
    """Whether it climbs over months, without a step."""
    key = s.key("hardness_out")
    sign = s.moves(key, s.look.tells(key), "hardness behind it climbs", 60)
    points = s.look.lately(key)
    if sign is None or len(points) < 4:
        return None
    steps = [b - a for (_, a), (_, b) in itertools.pairwise(points)]
    rise = points[-1][1] - points[0][1]
    stepped = rise > 0 and max(steps) > 0.7 * rise
    return Sign(sign.holds and not stepped, sign.words, sign.stands_on)


@sign
def _hardness_stepped(s: Signs) -> Sign | None:
    """Whether it rose at once and stayed up: as designed before, two readings beyond it after."""
    key = s.key("hardness_out")
    points, band = s.look.since(key), s.look.band(key)
    if band is None or band.high is None or len(points) < 4:
        return None
    up = [i for i, (_, value) in enumerate(points) if value > band.high]
    if len(up) < 2 or up != list(range(up[0], len(points))) or up[0] < 2:
        return None
    before, after = points[: up[0]], points[up[0] :]
    flat = max(value for _, value in before) - min(value for _, value in before) <= 2 * s.look.tells(key)
    told = f"as designed until {before[-1][0]}, {s.said(key, after[0][1])} on {after[0][0]} and {s.said(key, after[-1][1])} on {after[-1][0]}"
    return Sign(flat and min(value for _, value in after) > band.high + s.look.tells(key), told, tuple((day, key) for day, _ in points))


@sign
def _iron_arrives(s: Signs) -> Sign | None:
    assert s.stage is not None
    limit = float(s.stage.duty.rows["softener"]["iron_counts"])
    for key in (s.key("iron_in"), s.key("ferrous_iron_in")):
        if (point := s.fresh(key)) is not None:
            return Sign(
                point[1] > limit, f"iron {s.said(key, point[1])} arrives on {point[0]}, it stays clean below {limit:g} mg/L", ((point[0], key),)
            )
    for other in reversed(s.look.stages[: s.stage.index]):
        key = f"{other.id}.iron_out"
        if (point := s.fresh(key)) is not None:
            return Sign(point[1] > limit, f"iron {s.said(key, point[1])} leaves the unit before it on {point[0]}", ((point[0], key),))
    arrives = s.stage.water_in.value("iron")
    return Sign(arrives > limit, f"by the design iron arrives with {arrives:.2g} mg/L")


@sign
def _iron_high(s: Signs) -> Sign | None:
    assert s.stage is not None
    point = s.fresh(s.key("iron_in"))
    value = point[1] if point is not None else s.stage.water_in.value("iron")
    return Sign(value > 0.3, f"iron {value:.2g} mg/L arrives")


@sign
def _coated(s: Signs) -> Sign | None:
    """Whether iron may lie on the stone: it arrives by a reading, or by the design while the stone is seen to be there."""
    there, iron = s.of("medium_there"), s.of("iron_high")
    read = s.fresh(s.key("iron_in")) is not None
    return iron if iron is not None and (read or (there is not None and there.holds)) else None


@sign
def _hardness_high(s: Signs) -> Sign | None:
    assert s.stage is not None
    return Sign(s.stage.water_in.hardness > 120, f"hardness {s.stage.water_in.hardness:.0f} mg/L arrives")


@sign
def _salty(s: Signs) -> Sign | None:
    seen = [day for day in s.look.log.seen.get("salty_taste", []) if (s.look.as_of - day).days <= NEAR * 2]
    if seen:
        return yes(f"salty taste told on {seen[-1]}")
    return s.of("chloride_up")


@sign
def _chloride_up(s: Signs) -> Sign | None:
    return s.beyond("tap.chloride", True, "chloride at the tap")


@sign
def _grit_seen(s: Signs) -> Sign | None:
    seen = s.look.log.seen.get("grit", [])
    return yes(f"grit seen on {seen[-1]}") if seen else None


@sign
def _drop_high(s: Signs) -> Sign | None:
    return s.beyond(s.key("pressure_drop"), True, "pressure drop")


@sign
def _drop_climbs(s: Signs) -> Sign | None:
    return s.moves(s.key("pressure_drop"), 2.5 * s.look.tells("x.pressure_drop"), "the pressure drop climbs", 20)


@sign
def _drop_climbs_or_high(s: Signs) -> Sign | None:
    high, climbs = s.of("drop_high"), s.of("drop_climbs")
    if high is not None and high.holds:
        return high
    if climbs is not None and climbs.holds and (line := s.look.trend(s.key("pressure_drop"))) is not None:
        band = s.look.band(s.key("pressure_drop"))
        soon = band is not None and band.high is not None and line.at(line.on + dt.timedelta(days=30)) > band.high
        return Sign(soon, f"{climbs.words}; {'it crosses' if soon else 'it does not cross'} its mark within a month", climbs.stands_on)
    return high


@sign
def _drop_fell(s: Signs) -> Sign | None:
    """Whether the drop fell by half or more between two readings, without a change between."""
    points, key = s.look.since(s.key("pressure_drop")), s.key("pressure_drop")
    if len(points) < 2:
        return None
    worst = max(itertools.pairwise(points), key=lambda pair: pair[0][1] - pair[1][1])
    (day, before), (then, after) = worst
    far = before - after > 2 * s.look.tells("x.pressure_drop") and after < 0.6 * before
    return Sign(
        far,
        f"the drop fell from {s.said(key, before)} on {day} to {s.said(key, after)} on {then}, and no change was entered",
        ((day, key), (then, key)),
    )


@sign
def _particles_pass(s: Signs) -> Sign | None:
    return s.beyond(s.key("turbidity_out"), True, "turbidity behind it")


@sign
def _drop_fell_or_particles(s: Signs) -> Sign | None:
    fell, pass_ = s.of("drop_fell"), s.of("particles_pass")
    return fell if fell is not None and fell.holds else pass_ or fell


def _lives(s: Signs) -> list[int]:
    days = [entry.on for entry in s.look.log.services.get(f"{s.id}/cartridge", [])]
    return [(then - first).days for first, then in itertools.pairwise(days) if then > first]


@sign
def _lives_shorten(s: Signs) -> Sign | None:
    lives = _lives(s)
    if len(lives) < 2:
        return None
    last, usual = lives[-3:], statistics.median(lives[: max(len(lives) // 3, 1)])
    falling = all(b < a for a, b in itertools.pairwise(last))
    return Sign(falling and last[-1] < 0.75 * usual, f"at first {usual:.0f} days, lately cartridges lasted {', '.join(map(str, last))} days")


@sign
def _turbidity_up(s: Signs) -> Sign | None:
    for key in (s.key("turbidity_in"), "source.turbidity"):
        if (sign := s.beyond(key, True, "turbidity that arrives")) is not None:
            return sign
    return None


def _ph(s: Signs) -> Point | None:
    return s.fresh(s.key("ph_out"))


@sign
def _ph_low(s: Signs) -> Sign | None:
    return s.beyond(s.key("ph_out"), False, "pH behind it")


@sign
def _ph_falls(s: Signs) -> Sign | None:
    return s.moves(s.key("ph_out"), -s.look.tells("x.ph_out"), "pH behind it falls", 30)


@sign
def _ph_as_raw(s: Signs) -> Sign | None:
    point, low = _ph(s), s.of("ph_low")
    assert s.stage is not None
    if point is None or low is None:
        return None
    raw = s.fresh(s.key("ph_in")) or s.fresh("source.ph")
    arrives = raw[1] if raw is not None else s.stage.water_in.ph
    return Sign(
        low.holds and point[1] <= arrives + 0.3, f"pH {point[1]:.1f} behind it on {point[0]}, {arrives:.1f} arrives", ((point[0], s.key("ph_out")),)
    )


@sign
def _only_at_flow(s: Signs) -> Sign | None:
    flows, key = dict(s.look.points(s.key("flow"))), s.key("ph_out")
    band = s.look.band(key)
    pairs = [(flows[day], value, day) for day, value in s.look.points(key) if day in flows]
    if band is None or band.low is None or len(pairs) < 2:
        return None
    low = [flow for flow, value, _ in pairs if value < band.low]
    fine = [flow for flow, value, _ in pairs if value >= band.low]
    if not low or not fine:
        return None
    return Sign(
        min(low) > max(fine), f"pH falls below its band only from {s.said(s.key('flow'), min(low))} of flow", tuple((day, key) for _, _, day in pairs)
    )


@sign
def _medium_low(s: Signs) -> Sign | None:
    point, key = s.fresh(s.key("medium_level")), s.key("medium_level")
    assert s.stage is not None
    if point is None or s.stage.sizing.bed is None:
        return None
    full = s.stage.sizing.bed.depth
    return Sign(point[1] < 0.75 * full, f"medium {s.said(key, point[1])} high on {point[0]}, {s.said(key, full)} when full", ((point[0], key),))


@sign
def _medium_there(s: Signs) -> Sign | None:
    sign = _medium_low(s)
    return None if sign is None else Sign(not sign.holds, sign.words, sign.stands_on)


@sign
def _medium_overdue(s: Signs) -> Sign | None:
    return s.overdue("medium")


@sign
def _iron_passes(s: Signs) -> Sign | None:
    return s.beyond(s.key("iron_out"), True, "iron behind it")


@sign
def _sulfide_passes(s: Signs) -> Sign | None:
    sign = s.beyond(s.key("hydrogen_sulfide_out"), True, "sulfide behind it")
    seen = [day for day in s.look.log.seen.get("rotten_egg_cold", []) if (s.look.as_of - day).days <= NEAR * 2]
    return sign if sign is not None else yes(f"a smell of sulfide in cold water on {seen[-1]}") if seen else None


@sign
def _drop_as_designed(s: Signs) -> Sign | None:
    """Whether the drop is known, and neither climbs to its mark nor is past it: the bed is not blinded."""
    drop = s.of("drop_climbs_or_high")
    return None if drop is None else Sign(not drop.holds, f"the pressure drop is as designed ({drop.words})", drop.stands_on)


@sign
def _backwash_below(s: Signs) -> Sign | None:
    return s.beyond(s.key("backwash_flow"), False, "backwash to drain")


@sign
def _solution_overdue(s: Signs) -> Sign | None:
    return s.overdue("solution")


@sign
def _chlorine_passes(s: Signs) -> Sign | None:
    for what in ("free_chlorine_out", "total_chlorine_out"):
        if (sign := s.beyond(s.key(what), True, "chlorine behind it")) is not None:
            return sign
    seen = [day for day in s.look.log.seen.get("bleach_smell", []) if (s.look.as_of - day).days <= NEAR * 2]
    return yes(f"a smell of bleach on {seen[-1]}") if seen else None


@sign
def _carbon_old(s: Signs) -> Sign | None:
    return s.overdue("medium") or s.overdue("cartridge")


@sign
def _bleach_seen(s: Signs) -> Sign | None:
    seen = s.look.log.seen.get("bleach_smell", [])
    return yes(f"a smell of bleach on {seen[-1]}") if seen else None


@sign
def _flow_fades(s: Signs) -> Sign | None:
    return s.beyond(s.key("normal_flow"), False, "permeate, put right for temperature,")


@sign
def _flow_low(s: Signs) -> Sign | None:
    points, key = s.look.since(s.key("permeate_flow")), s.key("permeate_flow")
    if len(points) < 2:
        return s.beyond(key, False, "permeate")
    first, last = points[0], points[-1]
    return Sign(
        last[1] < s.look.marks["fading"] * first[1],
        f"permeate {s.said(key, first[1])} on {first[0]}, {s.said(key, last[1])} on {last[0]}",
        ((first[0], key), (last[0], key)),
    )


@sign
def _flow_up(s: Signs) -> Sign | None:
    points = s.look.since(s.key("normal_flow"))
    return None if len(points) < 2 else Sign(points[-1][1] > 1.1 * points[0][1], "its flow rose")


@sign
def _passage_up(s: Signs) -> Sign | None:
    return s.beyond(s.key("passage"), True, "salt that passes")


@sign
def _passage_stays(s: Signs) -> Sign | None:
    sign = _passage_up(s)
    return None if sign is None else Sign(not sign.holds, sign.words, sign.stands_on)


@sign
def _feed_hard(s: Signs) -> Sign | None:
    assert s.stage is not None
    for key in (s.key("hardness_in"), *(f"{other.id}.hardness_out" for other in reversed(s.look.stages[: s.stage.index]))):
        if (point := s.fresh(key)) is not None:
            return Sign(point[1] > 120, f"hardness {s.said(key, point[1])} feeds it on {point[0]}", ((point[0], key),))
    return Sign(s.stage.water_in.hardness > 120, f"by the design hardness {s.stage.water_in.hardness:.0f} mg/L feeds it")


@sign
def _cold(s: Signs) -> Sign | None:
    temperatures = s.look.points("source.temperature") or s.look.points(s.key("temperature_in"))
    flows = s.look.since(s.key("permeate_flow"))
    if not temperatures or not flows:
        return None
    day = flows[-1][0]
    now = min(temperatures, key=lambda point: abs((point[0] - day).days))
    warmest = max(temperatures, key=lambda point: point[1])
    return Sign(
        warmest[1] - now[1] > 3, f"water of {now[1]:.0f} °C on {now[0]}, {warmest[1]:.0f} °C on {warmest[0]}", ((now[0], "source.temperature"),)
    )


@sign
def _pressure_before_low(s: Signs) -> Sign | None:
    points, key = s.look.points(s.key("pressure_in")), s.key("pressure_in")
    if len(points) < 2:
        return s.beyond(key, False, "pressure before it")
    first, last = points[0], points[-1]
    low = last[1] < s.look.marks["pressure_lost"] * first[1] and first[1] - last[1] > s.look.tells("x.pressure_in")
    return Sign(
        low, f"pressure before it {s.said(key, first[1])} on {first[0]}, {s.said(key, last[1])} on {last[0]}", ((first[0], key), (last[0], key))
    )


@sign
def _source_weak(s: Signs) -> Sign | None:
    """Whether pressure or flow of the source sank below what was given, or by the trend of its readings."""
    for key in ("source.flow", "source.pressure_low", "source.pressure_high", "source.pressure"):
        points = s.look.points(key)
        sign = s.beyond(key, False, "flow of the source" if key.endswith("flow") else "pressure of the source")
        if sign is not None and sign.holds and (len(points) < 2 or points[-1][1] < points[0][1] or len(points) > 2):
            return sign
        if (
            len(points) >= 3
            and points[-1][1] < s.look.marks["pressure_lost"] * points[0][1]
            and (line := trend(points)) is not None
            and line.slope < 0
        ):
            return yes(f"{s.said(key, points[0][1])} on {points[0][0]}, {s.said(key, points[-1][1])} on {points[-1][0]}", (points[-1][0], key))
    told = [point for key in ("source.flow", "source.pressure_low", "source.pressure_high", "source.pressure") if (point := s.fresh(key)) is not None]
    return no("the source gives what it gave") if told else None


@sign
def _town(s: Signs) -> Sign | None:
    return Sign(s.look.variant.audit.facts.source.kind == "town", "the water comes from a town's main")


@sign
def _starts_up(s: Signs) -> Sign | None:
    """Whether the pump starts more often for the water it brings than before."""
    for key in ("source.starts", *(f"{id}.starts" for id in s.look.ids)):
        points = s.look.points(key)
        rates = [((b - a).days and (y - x) / (b - a).days, b) for (a, x), (b, y) in itertools.pairwise(points) if b > a and y >= x]
        if len(rates) >= 2:
            (first, _), (last, day) = rates[0], rates[-1]
            return Sign(
                first > 0 and last > s.look.marks["starts"] * first, f"{first:.0f} starts a day at first, {last:.0f} until {day}", ((day, key),)
            )
    return None


@sign
def _swings(s: Signs) -> Sign | None:
    seen = s.look.log.seen.get("pressure_fading", [])
    return yes(f"pressure that fades told on {seen[-1]}") if seen else None


@sign
def _tap_weak(s: Signs) -> Sign | None:
    points = s.look.points("tap.pressure")
    if len(points) < 2:
        return None
    first, last = points[0], points[-1]
    weak = last[1] < s.look.marks["pressure_lost"] * first[1]
    return Sign(
        weak,
        f"pressure at a tap {s.said('tap.pressure', first[1])} on {first[0]}, {s.said('tap.pressure', last[1])} on {last[0]}",
        ((last[0], "tap.pressure"),),
    )


@sign
def _train_strong(s: Signs) -> Sign | None:
    """Whether what leaves the train has the pressure it had."""
    for key in (*(f"{id}.pressure_out" for id in reversed(s.look.ids)), "source.pressure_low", "source.pressure"):
        points = s.look.points(key)
        if len(points) >= 2:
            first, last = points[0], points[-1]
            strong = last[1] >= first[1] - max(2 * s.look.tells("x.pressure"), 0.1 * first[1])
            return Sign(
                strong,
                f"{log_key(key, s.look.ids).words} {s.said(key, last[1])} on {last[0]}, {s.said(key, first[1])} on {first[0]}",
                ((last[0], key),),
            )
    return None


@sign
def _smell_hot(s: Signs) -> Sign | None:
    seen = s.look.log.seen.get("rotten_egg_hot_only", [])
    return yes(f"a smell in hot water only on {seen[-1]}") if seen else None


@sign
def _smell_cold(s: Signs) -> Sign | None:
    seen = s.look.log.seen.get("rotten_egg_cold", [])
    return yes(f"a smell in cold water, too, on {seen[-1]}") if seen else None


@sign
def _dirtier_after_rain(s: Signs) -> Sign | None:
    seen = [day for day in s.look.log.seen.get("cloudy_after_rain", []) if (s.look.as_of - day).days <= STALE]
    if seen:
        return yes(f"cloudy after rain on {seen[-1]}")
    return s.beyond(s.key("turbidity_out"), True, "turbidity behind it")


@sign
def _screen_overdue(s: Signs) -> Sign | None:
    return s.overdue("screen", 1.5)


@sign
def _more_used(s: Signs) -> Sign | None:
    use = s.look.use
    if use.ratio is None or use.daily is None:
        return None
    last = list(use.stretches[-3:])
    lately = sum(each.daily * each.days for each in last) / max(sum(each.days for each in last), 1)
    most = s.look.marks["more_use"]
    told = f"{lately:.0f} L a day lately, {use.design:.0f} L by the design"
    return Sign(lately > most * use.design and use.ratio > 0.5 * (1 + most), told, tuple((each.end, "meter") for each in last))


@sign
def _salt_falls_faster(s: Signs) -> Sign | None:
    return None


@sign
def _used_when_away(s: Signs) -> Sign | None:
    """Whether water ran while nobody was there, or at night between two readings of one night."""
    aways = [entry.away for entry in s.look.log.entries if entry.away is not None]
    readings = s.look.use.readings
    for begin, end in aways:
        inside = [(on, total) for on, total in readings if begin <= on <= end]
        if len(inside) >= 2 and inside[-1][0] > inside[0][0]:
            daily = (inside[-1][1] - inside[0][1]) / (inside[-1][0] - inside[0][0]).days
            told = f"{daily:.0f} L a day ran from {inside[0][0]} to {inside[-1][0]}, while nobody was there"
            return Sign(daily > s.look.marks["night_use"], told, ((inside[-1][0], "meter"),))
    nights = [(moment, total) for entry in s.look.log.entries if (moment := _night(entry)) and (total := _total(entry)) is not None]
    for (begin, first), (end, then) in itertools.pairwise(nights):
        hours = (end - begin).total_seconds() / 3600
        if 0.5 <= hours <= 10 and then >= first:
            told = f"{then - first:.0f} L ran in {hours:.0f} hours of the night of {begin.date()}"
            return Sign(then - first > NIGHT * hours, told, ((end.date(), "meter"),))
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
def _used_when_away_or_beyond(s: Signs) -> Sign | None:
    """Water where nobody uses it, or much more through the meter than the regenerations account for."""
    away = s.of("used_when_away")
    if away is not None:
        return away
    for stage in s.look.stages:
        points = s.look.points(f"{stage.id}.regenerations")
        figure = stage.figures.get("days_between_regenerations")
        if figure is None or len(points) < 2 or s.look.use.daily is None or points[-1][0] == points[0][0]:
            continue
        made = (points[-1][1] - points[0][1]) / (points[-1][0] - points[0][0]).days
        wanted = s.look.use.daily / max(s.look.use.design, 1.0) / max(figure.value, 0.25)
        if wanted > 0 and (s.look.use.ratio or 1.0) > 1.5 and made < 0.6 * wanted:
            return yes(
                f"the meter says {s.look.use.daily:.0f} L a day, the regenerations of the {stage.said} only {made / wanted:.0%} of that",
                (points[-1][0], "meter"),
            )
    return None


@sign
def _several_raw(s: Signs) -> Sign | None:
    """Whether two stages or more show raw water at once: what each should change is as it arrives."""
    raw, on = [], []
    for stage in s.look.stages:
        for name in stage.room.answers:
            key = f"{stage.id}.{name}_out"
            point, band = s.fresh(key), s.look.band(key)
            if point is None or band is None:
                continue
            arrives, leaves = stage.water_in.known().get(name), stage.water_out.known().get(name)
            if arrives is None or leaves is None or abs(arrives - leaves) <= 2 * s.look.tells(key):
                continue
            same = abs(point[1] - arrives) <= max(s.look.marks["same"] * abs(arrives), s.look.tells(key)) and abs(point[1] - arrives) < abs(
                point[1] - leaves
            )
            if same:
                raw.append(f"{log_key(key, s.look.ids).words} {s.said(key, point[1])}")
                on.append((point[0], key))
                break
    near = len({key.rpartition(".")[0] for _, key in on}) >= 2 and max(day for day, _ in on) - min(day for day, _ in on) <= dt.timedelta(days=NEAR)
    if len(raw) < 2:
        return no("units change their water") if raw else None
    return Sign(near, f"several units show raw water at once: {'; '.join(raw)}", tuple(on))


@sign
def _cannot_be(s: Signs) -> Sign | None:
    """Whether readings of one day contradict each other, or half of a series was doubted."""
    for doubt in s.look.doubted:
        if "outside what water holds" in doubt.why or "more light than" in doubt.why:
            return yes(f"{doubt.key} on {doubt.on}: {doubt.why}", (doubt.on, doubt.key))
    for stage in s.look.stages:
        before, after = dict(s.look.points(f"{stage.id}.pressure_in")), dict(s.look.points(f"{stage.id}.pressure_out"))
        for day in sorted(before.keys() & after.keys(), reverse=True):
            if not stage.room.pumps and after[day] > before[day] + 2 * s.look.tells("x.pressure_in"):
                return yes(f"more pressure behind the {stage.said} than before it on {day}", (day, f"{stage.id}.pressure_out"))
    for stage in s.look.stages:
        flows, cold = s.look.points(f"{stage.id}.permeate_flow"), s.look.points(f"{stage.id}.normal_flow")
        if len(flows) >= 4 and not cold:
            low, high = min(value for _, value in flows), max(value for _, value in flows)
            if high > 0 and low < 0.7 * high:
                return yes(
                    f"permeate of the {stage.said} from {low:.2g} to {high:.2g} L/min without a temperature beside it: it cannot be put right",
                    (flows[-1][0], f"{stage.id}.permeate_flow"),
                )
    return None
