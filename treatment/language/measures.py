"""Measures as people write them on a job: a bare number takes the job's unit, feet and inches stand together, two switch points share a line."""

from __future__ import annotations

import re
from functools import lru_cache

from .errors import NotUnderstood
from .quantity import NUMBER, as_said, find_unit, parse_quantity, split_number, unit_named
from .tables import table

_BARE = re.compile(rf"^\s*{NUMBER}\s*$")
_FRACTION = re.compile(r"^\s*(?:\d+\s+)?\d+/\d+\s*$")
_FEET_INCHES = re.compile(r"^\s*(?P<feet>\d{1,3})\s*-\s*(?P<inches>\d{1,2}(?:\.\d+)?(?:\s+\d+/\d+)?)\s*$")
_TWO = re.compile(r"^\s*(?P<low>\d+(?:[.,]\d+)?)\s*(?P<one>[A-Za-z]*)\s*(?:/|-|–|\bto\b)\s*(?P<high>\d+(?:[.,]\d+)?)\s*(?P<unit>[A-Za-z]*)\s*$")


@lru_cache(512)
def unit_for(example: str, dimension: str, system: str) -> str:
    """The unit that a bare number is in: the example's own, or its partner where the job is metric. Table: ``data/display.toml``.

    >>> unit_for("7 gpm", "flow", "us"), unit_for("7 gpm", "flow", "metric")
    ('gpm', 'L/min')
    """
    unit = split_number(example)[1]
    found = find_unit(dimension, unit)
    own = found.name if found else unit
    unit = str(table("display")["typed"].get(own, own)) if system == "metric" else own
    return {"degF": "°F", "degC": "°C"}.get(unit, unit)


@lru_cache(512)
def example_for(example: str, dimension: str, system: str) -> str:
    """An example in the job's own units, to two digits.

    >>> example_for("40 psi", "pressure", "metric"), example_for("3/4 in", "length", "us")
    ('2.8 bar', '3/4 in')
    """
    try:
        unit = unit_for(example, dimension, system)
        if find_unit(dimension, split_number(example)[1]) == find_unit(dimension, unit):
            return example
        value = unit_named(unit, dimension).from_canonical(parse_quantity(example, dimension).value)
    except NotUnderstood:
        return example
    return f"{float(f'{value:.2g}'):g} {unit}"


def completed(text: str, example: str, dimension: str, system: str) -> str:
    """What a person typed, with the unit that a bare number has on this job; whatever says its unit stays as it is.

    >>> completed("7", "5 gpm", "flow", "us"), completed("6-8", "7 ft", "length", "us"), completed("3/4", "12 ft", "length", "metric")
    ('7 gpm', '6 ft 8 in', '3/4 in')
    """
    unit, said = unit_for(example, dimension, system), as_said(text)
    if dimension == "length" and unit == "ft" and (match := _FEET_INCHES.match(said)):
        return f"{match['feet']} ft {match['inches']} in"
    if dimension == "length" and _FRACTION.match(said):
        return f"{text.strip()} in"
    if _BARE.match(said) and unit:
        return f"{text.strip()} {unit}"
    return text


def switch_points(text: str) -> tuple[str, str] | None:
    """The two ends of ``40/60`` or ``2.8-4.1 bar``, each with the unit that was said; None where the text holds one value."""
    match = _TWO.match(as_said(text))
    if not match:
        return None
    unit = match["unit"] or match["one"]
    return f"{match['low']} {unit}".strip(), f"{match['high']} {unit}".strip()


def counted(text: str) -> str:
    """A count without the word for what is counted: ``4 people`` is 4. Table: ``data/display.toml`` ``[counted]``.

    >>> counted("4 people"), counted("about 2 baths"), counted("4 apples")
    ('4', 'about 2', '4 apples')
    """
    number, _, word = text.strip().rpartition(" ")
    return number if number and word.lower().strip(".") in table("display")["counted"]["words"] else text
