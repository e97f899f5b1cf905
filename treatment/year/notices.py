"""What a house notices in a year, when, and what would have prevented it."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator, Mapping
from typing import Any, NamedTuple

import numpy as np

from ..language.analytes import MICROBES, analytes
from ..language.display import show, show_minutes
from ..language.tables import table
from .figures import Came
from .household import Array

LITTLE = 1.0  # min in a year that nobody notices
MORE = 0.03  # share by which a total has to rise before it is told


class Notice(NamedTuple):
    """Something noticed: minutes after the start, what, and what would have prevented it."""

    at: float
    what: str
    prevented_by: str


def moment(start: dt.date, minutes: float) -> str:
    """A time of the year as the format writes it."""
    return (dt.datetime.combine(start, dt.time()) + dt.timedelta(minutes=round(minutes))).isoformat(timespec="minutes")


def notices(came: Came, alone: Mapping[str, Came], plain: Came | None) -> list[Notice]:
    """What is noticed, in the order of time. plain: the same year without its scenarios, where it has any; alone: with each by itself."""
    found = (*_beyond(came, plain), *_lacking(came, plain), *_ran_out(came), *_more(came, alone, plain))
    return [
        one if one.what.startswith("pH") else one._replace(what=one.what[0].upper() + one.what[1:])
        for one in sorted(found, key=lambda notice: notice.at)
    ]


def _by_day(came: Came, minutes: Array) -> Array:
    """Minutes of each day."""
    if len(minutes) == came.year.days and len(minutes) != len(came.year.draws.at):
        return minutes
    return came.day_sums(minutes)


def _beyond(came: Came, plain: Came | None) -> Iterator[Notice]:
    """Water beyond a limit at the taps: how long, first on which day, and how far at the worst."""
    for name in came.limits:
        minutes = _by_day(came, came.beyond(name))
        before = _by_day(plain, plain.beyond(name)) if plain is not None else np.zeros(came.year.days)
        more = float(minutes.sum() - before.sum())
        late = np.flatnonzero(minutes > before + LITTLE)
        if more <= LITTLE or not len(late):
            continue
        first = int(late[0])
        values, units = came.where_drunk(name)[0], came.year.variant.audit.facts.job.units
        sinks = came.limits[name][0] is not None and values.min() < (came.limits[name][0] or 0)
        worst, kind = float(values.min() if sinks else values.max()), analytes()[name]
        end = f"{'down' if sinks else 'up'} to {show(worst, kind.shown_unit, units)}"
        what = f"{kind.name}: beyond its limit at the taps for {lasting(more)}{'' if plain is None else ' more'}, {end}"
        yield Notice(first * 1440.0 + 420, what, _prevents(came, first, "microbes" if name in MICROBES else name))


def _lacking(came: Came, plain: Came | None) -> Iterator[Notice]:
    """No water, and too little pressure."""
    for words, subject, minutes in (("no water at the taps", "water", _dry), ("little pressure at the highest tap", "pressure", _weak)):
        now, before = minutes(came), np.zeros(came.year.days) if plain is None else minutes(plain)
        late, more = np.flatnonzero(now > before + LITTLE), float(now.sum() - before.sum())
        if len(late) and more > LITTLE:
            yield Notice(
                int(late[0]) * 1440.0 + 420, f"{words} for {lasting(more)}{'' if plain is None else ' more'}", _prevents(came, int(late[0]), subject)
            )


def _dry(came: Came) -> Array:
    return came.year.no_water


def _weak(came: Came) -> Array:
    return came.day_sums(came.minutes * (came.pressures.tap < came.least_pressure))


def _ran_out(came: Came) -> Iterator[Notice]:
    """The first time that something was not there."""
    for place in came.year.places:
        event = next((each for each in place.events if each.kind == "no_salt"), None)
        if event is not None:
            yield Notice(event.at, f"the {place.stage.said} regenerates without salt", _prevents(came, int(event.at // 1440), "salt"))


def _more(came: Came, alone: Mapping[str, Came], plain: Came | None) -> Iterator[Notice]:
    """What meter, salt tank and drain show of each scenario by itself, beside the same year without any; told at its end."""
    if plain is None:
        return
    units = came.year.variant.audit.facts.job.units
    for one in came.year.scenarios:
        own, told = alone[one.told], []
        for total, words in (("water_used", "drawn"), ("salt", "salt"), ("energy", "energy"), ("water_to_drain", "to the drain")):
            usual, found = plain.totals[total], own.totals[total]
            apart = found.value - usual.value
            if abs(apart) > MORE * max(usual.value, 1e-9) * min((one.end - one.begin) / came.year.days, 1.0):
                told.append(f"{show(abs(apart), usual.unit, units)} {'more' if apart > 0 else 'less'} {words}")
        at = min(max(one.end, 0.0), came.year.days - 0.01) * 1440
        yield Notice(at, f"{one.words}: {', '.join(told) if told else 'meter, salt and drain show nothing of it'}", one.prevented)


def _prevents(came: Came, day: int, subject: str) -> str:
    """What would have prevented it: what the scenarios that harm this and ran by then say, else what its kind says."""
    ran = [one.prevented for one in came.year.scenarios if one.begin <= day + 1 and one.harms(subject)]
    words: dict[str, Any] = table("year")["prevents"]
    return " ".join(dict.fromkeys(ran)) if ran else str(words.get(subject, words["other"]))


def lasting(minutes: float) -> str:
    """A length of time in words."""
    return show_minutes(minutes) if minutes < 2880 else f"{minutes / 1440:.0f} days of running water"
