"""Strings a person would write <-> canonical numbers.

The canonical units are those of the core (L/min, kPa, m, L, kg, min, day, mg/L, degC); the table of
what people write is ``data/units.toml``. Nothing is converted anywhere else.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import cache

from .errors import NotUnderstood
from .tables import table

NUMBER = r"[+-]?(?:\d+\s+\d+/\d+|\d+/\d+|\d*[.,]?\d+(?:[eE][+-]?\d+)?|\d+[.,])"
_SPLIT = re.compile(rf"^\s*({NUMBER})\s*(.*?)\s*$", re.DOTALL)
_THOUSANDS = re.compile(r"^[+-]?[1-9]\d{0,2}(?:,\d{3})+(?:\.\d+)?$")
_FEET_AND_INCHES = re.compile(
    r"^\s*(?P<feet>\d{1,4})\s*(?:ft|feet|foot|'|′|’)\s*(?P<inches>\d{1,2}(?:[.,]\d+)?(?:\s+\d+/\d+)?|\d+/\d+)\s*(?:in|inch|inches|\"|″|”|'')?\s*$"
)
#: words before a number that is not exact
ABOUT = re.compile(
    r"^\s*(?:about|approx(?:imately|\.)?|around|roughly|circa|ca\.?|c\.|some|nearly|almost|say|~|≈|etwa|rund|environ|aprox\.?|ongeveer)\s*(?=[\d.,½¼¾⅓⅔⅛⅜⅝⅞])",
    re.IGNORECASE,
)
_PARTS = {"½": "1/2", "¼": "1/4", "¾": "3/4", "⅓": "1/3", "⅔": "2/3", "⅛": "1/8", "⅜": "3/8", "⅝": "5/8", "⅞": "7/8"}
_IN_A_TIME = re.compile(r"^(?P<volume>.+?)\s*(?:\bin\b|\bper\b|\bevery\b|\beach\b|/|\ba\b)\s*(?P<time>(?:\d|half|one|a\b).*)$", re.IGNORECASE)
_CLOCK = re.compile(r"^\s*(?:(?P<h>\d{1,2}):)?(?P<min>\d{1,3}):(?P<s>[0-5]\d)\s*(?:min(?:utes?)?|m)?\s*$")
_HOURS_AND = re.compile(r"^\s*(?P<h>\d{1,3})\s*h\s*(?P<min>[0-5]?\d)\s*$", re.IGNORECASE)
_SPELT_TIME = re.compile(
    r"^\s*(?:(?P<h>\d+(?:[.,]\d+)?)\s*(?:h|hr|hrs|hours?)(?![a-z]))?[\s,]*(?:and\s+)?(?:(?P<min>\d+(?:[.,]\d+)?)\s*(?:m|min|mins|minutes?|')(?![a-z]))?[\s,]*(?:and\s+)?"
    r"(?:(?P<s>\d+(?:[.,]\d+)?)\s*(?:s|sec|secs|seconds?|\"|'')?)?\s*$",
    re.IGNORECASE,
)
LARGEST = 1e12
#: signs of the longest fraction that is read
LONGEST_FRACTION = 24


@dataclass(frozen=True, slots=True)
class Unit:
    """A unit people write: ``canonical value = value * factor + offset``."""

    name: str
    dimension: str
    factor: float
    offset: float = 0.0

    @property
    def of_an_amount(self) -> bool:
        """Whether it counts particles or charges: it says as what by itself."""
        return self.name.lower().startswith(("mmol", "meq", "mval", "umol", "µmol"))

    def to_canonical(self, value: float) -> float:
        return value * self.factor + self.offset

    def from_canonical(self, value: float) -> float:
        return (value - self.offset) / self.factor


@dataclass(frozen=True, slots=True)
class Quantity:
    """A value in the canonical unit of its dimension, and what was typed for it."""

    value: float
    unit: str
    typed: str


def _fold(name: str) -> str:
    return re.sub(r"\s+", " ", name.strip()).replace("μ", "µ")


@cache
def units_of(dimension: str) -> dict[str, Unit]:
    """Every accepted spelling of every unit of a dimension."""
    found: dict[str, Unit] = {}
    for name, row in table("units")[dimension]["units"].items():
        unit = Unit(name, dimension, row["factor"], row.get("offset", 0.0))
        for spelling in (name, *row["names"]):
            found[_fold(spelling)] = unit
            found.setdefault(_fold(spelling).lower(), unit)
    return found


@cache
def canonical_unit(dimension: str) -> str:
    """The unit in which the core holds this dimension."""
    return str(table("units")[dimension]["canonical"])


@cache
def _dimension_of_unit(name: str) -> str | None:
    for dimension in table("units"):
        if name in table("units")[dimension]["units"]:
            return dimension
    return None


def find_unit(dimension: str, text: str) -> Unit | None:
    """The unit called ``text`` in ``dimension``, or None."""
    spellings = units_of(dimension)
    name = _fold(text)
    return spellings.get(name) or spellings.get(name.lower())


def unit_named(name: str, dimension: str | None = None) -> Unit:
    """A unit by its own name, for display. Raises KeyError where there is none."""
    where = dimension or _dimension_of_unit(name)
    if where is None:
        raise KeyError(name)
    return units_of(where)[_fold(name)]


def parse_number(text: str) -> float:
    """A number as people write it: ``1.5``, ``0,3``, ``3/4``, ``1 1/2``.

    Raises NotUnderstood for anything else, and for ``1,500``, which could be 1500 or 1.5.
    >>> parse_number("1 1/2")
    1.5
    """
    cleaned = as_said(text).strip()
    if not re.fullmatch(NUMBER, cleaned):
        raise NotUnderstood(text, f"“{cleaned}” is not a number")
    if _THOUSANDS.match(cleaned):
        plain, point = cleaned.replace(",", ""), cleaned.replace(",", ".", 1)
        raise NotUnderstood(text, f"“{cleaned}” could mean {plain} or {point}: write it without the comma")
    if "/" in cleaned:
        if len(cleaned) > LONGEST_FRACTION:
            raise NotUnderstood(text, f"“{cleaned[:20]} …” is too long for a fraction")
        *whole, fraction = cleaned.split()
        top, bottom = fraction.split("/")
        if int(bottom) == 0:
            raise NotUnderstood(text, f"“{cleaned}” divides by zero")
        part = abs(int(top)) / int(bottom) + (abs(int(whole[0])) if whole else 0)
        return -part if cleaned.startswith("-") else part
    value = float(cleaned.replace(",", "."))
    if not abs(value) < LARGEST:
        raise NotUnderstood(text, f"“{cleaned}” is too large")
    return value


def as_said(text: str) -> str:
    """A measure without what people say around its number: ``about 8 gpm``, ``2½ in``.

    >>> as_said("about 8 gpm"), as_said("2½ in")
    ('8 gpm', '2 1/2 in')
    """
    bare = ABOUT.sub("", text)
    if not any(part in bare for part in _PARTS):
        return bare
    return re.sub(r"(\d?)\s*([½¼¾⅓⅔⅛⅜⅝⅞])", lambda met: f"{met[1]} {_PARTS[met[2]]}".strip(), bare)


def spoken_time(text: str) -> float | None:
    """Minutes of ``1:05`` (minutes and seconds), ``1:10:00``, ``1 min 5 s`` or ``1 h 20 min``; None for anything else."""
    if clock := _CLOCK.match(text):
        return float(clock["h"] or 0) * 60 + float(clock["min"]) + float(clock["s"]) / 60
    if bare := _HOURS_AND.match(text):
        return float(bare["h"]) * 60 + float(bare["min"])
    spelt = _SPELT_TIME.match(text)
    if spelt is None or sum(spelt[part] is not None for part in ("h", "min", "s")) < 2:
        return None
    hours, minutes, seconds = (float((spelt[part] or "0").replace(",", ".")) for part in ("h", "min", "s"))
    return hours * 60 + minutes + seconds / 60


def _volume_in_a_time(text: str) -> float | None:
    """L/min of ``8 gal in 55 s``, ``5 L / 20 s`` or ``20 litres in 1:05``; None where it says no volume and time."""
    met = _IN_A_TIME.match(text)
    if met is None:
        return None
    try:
        volume, time = parse_quantity(met["volume"], "volume").value, parse_quantity(met["time"], "time").value
    except NotUnderstood:
        return None
    if time <= 0:
        raise NotUnderstood(text, "the time must be more than zero")
    return volume / time


def split_number(text: str) -> tuple[str, str]:
    """The number and the unit of ``"7 gpm"`` as two strings. Raises NotUnderstood."""
    match = _SPLIT.match(as_said(text))
    if not match:
        raise NotUnderstood(text, f"“{text.strip()[:40]}” does not start with a number")
    return match.group(1), match.group(2)


def parse_quantity(text: str, dimension: str) -> Quantity:
    """A quantity with its unit, in canonical units.

    dimension: a key of ``data/units.toml``. Raises NotUnderstood with what was expected.
    >>> round(parse_quantity("7 gpm", "flow").value, 3)
    26.498
    >>> round(parse_quantity("3/4 in", "length").value, 5), round(parse_quantity("6 ft 8 in", "length").value, 3)
    (0.01905, 2.032)
    >>> round(parse_quantity("8 gal in 55 s", "flow").value, 2), round(parse_quantity("1:05", "time").value, 3)
    (33.04, 1.083)
    """
    if dimension == "time" and (minutes := spoken_time(as_said(text))) is not None:
        return Quantity(minutes, canonical_unit(dimension), text.strip())
    if dimension in ("flow", "permeate_flow") and (flow := _volume_in_a_time(as_said(text))) is not None:
        return Quantity(flow, canonical_unit(dimension), text.strip())
    if dimension == "length" and (both := _FEET_AND_INCHES.match(as_said(text))):
        inches = parse_number(both["inches"])
        if inches >= 12:
            raise NotUnderstood(text, f"{inches:g} inches are more than a foot: write feet, then less than 12 inches")
        return Quantity(parse_number(both["feet"]) * 0.3048 + inches * 0.0254, canonical_unit(dimension), text.strip())
    number_text, unit_text = split_number(text)
    number = parse_number(number_text)
    unit = find_unit(dimension, unit_text)
    if unit is None:
        known = ", ".join(table("units")[dimension]["units"])
        said = f"the unit “{unit_text[:20]}” is not a {dimension.replace('_', ' ')}" if unit_text else "add a unit"
        raise NotUnderstood(text, f"{said} (use one of: {known})")
    return Quantity(unit.to_canonical(number), canonical_unit(dimension), text.strip())
