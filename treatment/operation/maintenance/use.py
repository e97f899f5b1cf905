"""What the house really uses, from its meter; and days on which nobody was there."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise

from ...language.display import show
from ...planning.evaluated import EvaluatedTrain
from ...train.marks import mark
from .log import Log


@dataclass(frozen=True, slots=True)
class Stretch:
    """What ran between two readings of the meter [L a day]."""

    begin: dt.date
    end: dt.date
    daily: float

    @property
    def days(self) -> int:
        return (self.end - self.begin).days


class Use:
    """The meter of a log beside the design's daily use; microbes_found: whether the design's own samples found some."""

    def __init__(self, variant: EvaluatedTrain, log: Log):
        self.microbes_found = variant.audit.microbes_found
        self.design, self.log, self.system = variant.audit.duty.daily, log, variant.audit.facts.job.units

    def said(self, daily: float) -> str:
        """What runs a day, in the job's units."""
        return show(daily, "L/day", self.system)

    @cached_property
    def readings(self) -> list[tuple[dt.date, float]]:
        """The running total, in order."""
        return [(on, value.middle) for on, value in self.log.points.get("meter", [])]

    @cached_property
    def backwards(self) -> list[tuple[dt.date, float]]:
        """Where the meter stood lower than before: replaced, or misread."""
        return [then for first, then in pairwise(self.readings) if then[1] < first[1]]

    @cached_property
    def stretches(self) -> list[Stretch]:
        """Between readings; none over a meter that ran backwards."""
        pairs = pairwise(self.readings)
        return [Stretch(a, b, (y - x) / (b - a).days) for (a, x), (b, y) in pairs if b > a and y >= x]

    @cached_property
    def daily(self) -> float | None:
        """What the house uses a day lately, over the last year at the most; None before it was metered long enough."""
        if not self.stretches:
            return None
        last = self.stretches[-1].end
        near = [each for each in self.stretches if (last - each.begin).days <= 366]
        return _mean(near) if sum(each.days for each in near) >= mark("meter", "metered") else None

    def between(self, begin: dt.date, end: dt.date | None) -> float | None:
        """What the house used a day between two days, by the stretches that lie within; None where they are too short to tell [L/day]."""
        inside = [each for each in self.stretches if each.begin >= begin and (end is None or each.end <= end)]
        return _mean(inside) if sum(each.days for each in inside) >= mark("meter", "metered") else None

    def over(self, begin: dt.date, end: dt.date) -> float | None:
        """What the house used a day between two days on which, or near which, the meter was read; None where it was not [L/day]."""
        slack = dt.timedelta(days=mark("meter", "read_near"))
        inside = [each for each in self.stretches if each.begin >= begin - slack and each.end <= end + slack]
        return _mean(inside) if inside and sum(each.days for each in inside) >= (end - begin).days - 2 * slack.days else None

    def ratio_since(self, begin: dt.date) -> float | None:
        """What is used of what the design has since a day, where that was metered long enough; else of the last year."""
        found = self.between(begin, None)
        if found is None or self.design <= 0 or not 0.05 < found / self.design < 10:
            return self.ratio
        return found / self.design

    @property
    def ratio(self) -> float | None:
        """What is used of what the design has; None where the meter does not tell, or tells nothing that can be."""
        if self.daily is None or self.design <= 0:
            return None
        found = self.daily / self.design
        return found if 0.05 < found < 10 else None


def _mean(stretches: list[Stretch]) -> float:
    """What was used a day over some stretches [L/day]."""
    return sum(each.daily * each.days for each in stretches) / sum(each.days for each in stretches)


def question(variant: EvaluatedTrain, before: tuple[dt.date, float], now: tuple[dt.date, float]) -> str:
    """What is asked of a meter reading [L] before it is kept, beside the one before; empty where it can be.

    No house uses more a day than many times its design, nor than its supply gives in a day and a night.
    """
    (then, stood), (on, stands), duty = before, now, variant.audit.duty
    system = variant.audit.facts.job.units
    if stands < stood:
        return f"{show(stands, 'L', system)} is less than the {show(stood, 'L', system)} of {then}. Is a digit wrong, or was the meter replaced?"
    daily = (stands - stood) / max((on - then).days, 1)
    most = min(mark("meter", "meter_most") * duty.daily, duty.supply.flow * 1440) if duty.supply.flow else mark("meter", "meter_most") * duty.daily
    if duty.daily <= 0 or daily <= most:
        return ""
    return (
        f"{show(stands, 'L', system)} is {show(daily, 'L/day', system)} since {then}, where this house is expected to use {show(duty.daily, 'L/day', system)}. "
        "Is a digit wrong?"
    )
