"""What can be read at a stage besides its water, and what it should show by its own state: the shared laws of its monitoring points."""

from __future__ import annotations

import datetime as dt
from typing import Any, NamedTuple, Protocol

from ..language.figure import Line, stated, work
from ..language.tables import table
from .marks import marked


class Shown(NamedTuple):
    """What a reading should be: from, to (None where that end is open), and lines of working before them."""

    low: Line | None
    high: Line | None
    before: tuple[Line, ...] = ()


class LogOfStage(Protocol):
    """What a log says of one stage on a day, as its monitoring points ask for it."""

    @property
    def on(self) -> dt.date:
        """The day."""
        ...

    @property
    def lamp_age(self) -> float:
        """Hours that its lamp had burnt [h]."""
        ...

    @property
    def lamp_life(self) -> float:
        """Hours after which its lamp is old [h]."""
        ...

    def first(self, what: str) -> tuple[dt.date, float] | None:
        """The first reading since that series last began anew."""
        ...

    def begun(self, what: str) -> dt.date:
        """The day on which a series last began anew, or the log did."""
        ...

    def tells(self, what: str) -> float:
        """What a reading of it tells apart."""
        ...

    def warmth(self) -> float | None:
        """Temperature of the water read shortly before [degC]."""
        ...


def drop(clean: float) -> Shown:
    """A pressure drop: nothing to so much over the clean one. clean: kPa."""
    low = stated("least", "nothing", 0.0, "kPa", "upkeep.log")
    return Shown(low, work("most", "clean + more", "kPa", "upkeep.log", clean=(clean, "kPa"), more=marked("bed", "drop")))


def backwash(need: float) -> Shown:
    """Flow to the drain: at least what a bed needs, as a bucket tells it. need: L/min."""
    return Shown(work("least", "need × share", "L/min", "upkeep.beds", need=(need, "L/min"), share=marked("bed", "backwash")), None)


def lamp_hours(life: float) -> Shown:
    """Hours of a lamp: up to its life [h]."""
    return Shown(None, stated("most", "hours of a lamp", life, "hour", "upkeep.lamps"))


def light(log: LogOfStage) -> Shown:
    """What a lamp of this age gives with a clean sleeve, less what a sensor tells apart, a few times over."""
    given = {
        "new": marked("uv", "intensity_new"), "old": marked("uv", "intensity_old"), "age": (log.lamp_age, "hour"), "life": (log.lamp_life, "hour"),
        "past": marked("uv", "lamp_past"), "times": marked("uv", "light_tells"), "tells": (log.tells("intensity"), "%"),
    }  # fmt: skip
    low = work("least", "new − (new − old) × min(age ÷ life, past) − times × tells", "%", "upkeep.lamps", **given)
    return Shown(low, work("most", "new + more", "%", "upkeep.lamps", new=given["new"], more=marked("uv", "intensity_more")))


def passage(log: LogOfStage) -> Shown | None:
    """Salt that passes a membrane: up to so many times its first."""
    first = log.first("passage")
    if first is None:
        return None
    return Shown(None, work("most", "first × times", "1", "upkeep.membranes", first=(first[1], ""), times=marked("reverse_osmosis", "passage")))


def normal_flow(log: LogOfStage) -> Shown | None:
    """Permeate put right for temperature: at least so much of its first."""
    first = log.first("normal_flow")
    if first is None:
        return None
    return Shown(
        work("least", "first × fading", "L/min", "upkeep.membranes", first=(first[1], "L/min"), fading=marked("reverse_osmosis", "fading")), None
    )


def permeate(rated: float, warm: Line) -> Shown:
    """Permeate at a temperature: at least what the membrane is rated for, less what it may fade. rated: L/day; warm: its share at that temperature."""
    given = {"rated": (rated, "L/day"), "warm": (warm.value, ""), "fading": marked("reverse_osmosis", "fading")}
    return Shown(work("least", "rated × warm ÷ 1440 × fading", "L/min", "upkeep.membranes", **given), None, (warm,))


def salt_height(falls: Line, log: LogOfStage) -> Shown | None:
    """Where salt should be: where it was read first since it was filled, less what the house uses up."""
    first = log.first("salt_level")
    return None if first is None else used(falls, first, log, "salt_level")


def used(falls: Line, first: tuple[dt.date, float], log: LogOfStage, what: str) -> Shown:
    """A height that falls from a first one, in a busy and in a careful year, give or take what a stick tells."""
    spread, tells = table("upkeep")["spread"], (log.tells(what), "m")
    given: dict[str, Any] = {
        "first": (first[1], "m"), "falls": (falls.value, "m/day"), "days": (max((log.on - first[0]).days, 0), "day"), "tells": tells,
    }  # fmt: skip
    busy, calm = (spread["use_high"], "of the design's use"), (spread["use_low"], "of the design's use")
    low = work("least", "max(0, first − falls × days × busy − tells)", "m", "upkeep.use", **given, busy=busy)
    return Shown(low, work("most", "max(0, first − falls × days × calm) + tells", "m", "upkeep.use", **given, calm=calm), (falls,))
