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
    cleaned = text.strip()
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


def split_number(text: str) -> tuple[str, str]:
    """The number and the unit of ``"7 gpm"`` as two strings. Raises NotUnderstood."""
    match = _SPLIT.match(text)
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
    """
    if dimension == "length" and (both := _FEET_AND_INCHES.match(text)):
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
