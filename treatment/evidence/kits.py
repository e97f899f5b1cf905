"""Test kits and the tests that need none: what to do, how long to wait, and what an answer is as a reading."""

from __future__ import annotations

import json
import re
from collections.abc import Mapping
from dataclasses import dataclass
from functools import cache
from itertools import pairwise
from typing import Any

from ..language.analytes import analytes
from ..language.errors import NotUnderstood
from ..language.figure import source
from ..language.quantity import parse_number
from ..language.reading import Reading, parse_reading
from ..language.tables import table

MOST_STEPS = 20
_STEP = re.compile(r"^(?P<value>\d+(?:[.,]\d+)?)\s*[,;:]?\s*(?P<colour>#[0-9a-fA-F]{6})?\s*[,;:]?\s*(?P<words>[^#]*)$")


@dataclass(frozen=True, slots=True)
class Pad:
    """A step of a colour chart: its value in the unit of the test, the colour printed there, and that colour in words where a firm wrote it."""

    value: float
    colour: str
    words: str = ""


@dataclass(frozen=True, slots=True)
class KitStep:
    """A step of a chart with its place, counted from 0, and its value as printed."""

    at: int
    colour: str
    text: str
    words: str = ""


@dataclass(frozen=True, slots=True)
class Gap:
    """Between two steps side by side: ``value`` names both places, low and high are printed values."""

    value: str
    low: str
    high: str


@dataclass(frozen=True, slots=True)
class Outcome:
    """Something that may be seen: what it means, the readings it makes, the observations it speaks for and against."""

    key: str
    says: str
    means: str
    readings: dict[str, str]
    observations: tuple[str, ...]
    against: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class KitTest:
    """One test of a kit. Times in seconds; the answer counts from ``wait`` until ``wait + window`` after the start.

    pads: steps of a colour chart, outcomes: things to choose from, measure: analytes typed off a meter; each test has one of the three.
    """

    key: str
    title: str
    analyte: str
    unit: str
    how: str
    dip: float
    wait: float
    window: float
    pads: tuple[Pad, ...]
    outcomes: tuple[Outcome, ...]
    measure: tuple[str, ...]
    labels: dict[str, str]
    several: bool
    blind: str

    @property
    def timed(self) -> bool:
        return self.wait > 0

    @property
    def overnight(self) -> bool:
        """Whether one has to come back another day."""
        return self.wait >= 12 * 3600

    @property
    def steps(self) -> tuple[KitStep, ...]:
        """The steps of the chart from the top, as it prints them."""
        return tuple(KitStep(at, pad.colour, f"{pad.value:g}", pad.words) for at, pad in enumerate(self.pads))

    @property
    def gaps(self) -> tuple[Gap, ...]:
        """What lies between two steps that stand side by side."""
        steps = self.steps
        return tuple(Gap(f"{one.at}-{other.at}", one.text, other.text) for one, other in pairwise(steps))


@dataclass(frozen=True, slots=True)
class Kit:
    """A kit: its tests in the order in which they are best done, and what it cannot see."""

    key: str
    name: str
    meant_for: str
    method: str
    before: tuple[str, ...]
    blind: str
    tests: tuple[KitTest, ...]
    source: str

    def test(self, key: str) -> KitTest | None:
        return next((test for test in self.tests if test.key == key), None)


@cache
def kits() -> dict[str, Kit]:
    """Every kit by its key."""
    return {key: kit_from(key, row, source(f"kits.{key}")) for key, row in table("kits").items()}


def kit_from(key: str, row: Mapping[str, Any], told_by: str) -> Kit:
    """A kit from its row, as the table holds it, or as a firm copied and changed it. told_by: the source of its chart."""
    tests = tuple(_test(each) for each in row["test"])
    return Kit(key, row["name"], row["for"], row["method"], tuple(row["before"]), row["blind"], tests, told_by)


def row_of(key: str) -> dict[str, Any]:
    """A kit's row as lists and texts of its own, to be copied and changed. Raises KeyError."""
    found: dict[str, Any] = json.loads(json.dumps(table("kits")[key]))
    return found


def chart_text(test: KitTest) -> str:
    """A chart as it is written to be changed: a line for each step, its value, its colour, and that colour in words."""
    return "\n".join(f"{pad.value:g} {pad.colour} {pad.words}".strip() for pad in test.pads)


def chart_read(text: str) -> list[list[Any]]:
    """The steps of a chart as they are written: value, colour as ``#aabbcc`` or none, words. Raises NotUnderstood, with the line.

    >>> chart_read("0 white\\n0.5 #e6d6cc pale pink")
    [[0.0, '#ffffff', 'white'], [0.5, '#e6d6cc', 'pale pink']]
    """
    steps: list[list[Any]] = []
    for line in filter(None, (each.strip() for each in text.splitlines())):
        met = _STEP.match(line)
        if met is None:
            raise NotUnderstood(line, f"“{line[:40]}” is not a step: write its value, then its color as #e6d6cc or in words")
        value = parse_number(met["value"])
        if steps and value <= steps[-1][0]:
            raise NotUnderstood(line, f"“{line[:40]}” is not above the step before it: write the steps from the lowest up")
        steps.append([value, (met["colour"] or "#ffffff").lower(), met["words"].strip()[:60]])
    if len(steps) < 2:
        raise NotUnderstood(text, "a chart has at least two steps")
    if len(steps) > MOST_STEPS:
        raise NotUnderstood(text, f"a chart has at most {MOST_STEPS} steps")
    return steps


def _test(row: dict[str, Any]) -> KitTest:
    outcomes = tuple(
        Outcome(each["key"], each["says"], each["means"], each.get("readings", {}), tuple(each.get("observations", ())), tuple(each.get("not", ())))
        for each in row.get("outcomes", ())
    )
    pads = tuple(Pad(float(value), colour, *words) for value, colour, *words in row.get("pads", ()))
    measure = tuple(row.get("measure", ()))
    times = (float(row["dip"]), float(row["wait"]), float(row["window"]))
    labels, several = row.get("labels", {}), row.get("several", False)
    return KitTest(
        row["key"],
        row["title"],
        row["analyte"],
        row.get("unit", ""),
        row["how"],
        *times,
        pads,
        outcomes,
        measure,
        labels,
        several,
        row.get("blind", ""),
    )


def pad_reading(test: KitTest, low: int, high: int) -> Reading:
    """What a pad says that looks like step ``low``, or lies between ``low`` and ``high`` (the next one).

    A colour between two steps lies between their values. One that matches a step is nearer to it than to its neighbours:
    from half-way below to half-way above; on the last step, anything above. Raises NotUnderstood for steps not side by side.

    >>> hardness = kits()["well"].test("hardness")
    >>> pad_reading(hardness, 3, 4).low, pad_reading(hardness, 3, 4).high
    (120.0, 250.0)
    >>> pad_reading(hardness, 3, 3).typed
    '85..185 mg/L as CaCO3'
    """
    values = [pad.value for pad in test.pads]
    last = len(values) - 1
    if not 0 <= low <= high <= last or high - low > 1:
        raise NotUnderstood(f"{low}..{high}", "choose one step of the chart, or two side by side")
    if high > low:
        text = f"{values[low]:g}..{values[high]:g}"
    elif low == last:
        text = f">{(values[low] + values[low - 1]) / 2:g}"
    else:
        above = (values[low] + values[low + 1]) / 2
        below = (values[low] + values[low - 1]) / 2 if low else 2 * values[0] - above
        text = f"<{above:g}" if below <= 0 else f"{below:g}..{above:g}"
    return parse_reading(analytes()[test.analyte], f"{text} {test.unit}".strip())


def outcome_readings(outcome: Outcome) -> list[Reading]:
    """The readings that something seen amounts to."""
    return [parse_reading(analytes()[name], text) for name, text in outcome.readings.items()]


def observed(before: list[str], chosen: list[Outcome]) -> list[str]:
    """The observations of a job after a test: what was seen is added, what it speaks against goes."""
    against = {name for outcome in chosen for name in outcome.against} - {name for outcome in chosen for name in outcome.observations}
    kept = [name for name in before if name not in against]
    return kept + [name for outcome in chosen for name in outcome.observations if name not in kept]


def in_time(seconds: float) -> str:
    """A length of time as a timer shows it.

    >>> in_time(75), in_time(9), in_time(93600)
    ('1:15', '0:09', '26 h 0 min')
    """
    whole = max(int(seconds + 0.5), 0)
    if whole >= 3600:
        return f"{whole // 3600} h {whole % 3600 // 60} min"
    return f"{whole // 60}:{whole % 60:02d}"


def times(test: KitTest) -> str:
    """What the clock asks of a test, in words."""
    dip = f"Dip {_long(test.dip)}; read " if test.dip else "Read "
    return f"{dip}from {_long(test.wait)} to {_long(test.wait + test.window)} after the start."


def _long(seconds: float) -> str:
    minutes, rest = divmod(int(seconds), 60)
    if minutes >= 60:
        return in_time(seconds).removesuffix(" 0 min")
    return " ".join(part for part in (f"{minutes} min" if minutes else "", f"{rest} s" if rest or not minutes else "") if part)


def phase(test: KitTest, seconds: float) -> tuple[str, float]:
    """Where a test stands so many seconds after its start, and how long that lasts [s]: dip, wait, ready or late."""
    if seconds < test.dip:
        return "dip", test.dip - seconds
    if seconds < test.wait:
        return "wait", test.wait - seconds
    if seconds <= test.wait + test.window:
        return "ready", test.wait + test.window - seconds
    return "late", 0.0
