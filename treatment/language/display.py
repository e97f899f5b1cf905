"""Canonical values -> what people read, in their own units. The only place where a figure is rounded for the eye."""

from __future__ import annotations

from functools import cache
from math import floor, log10

from .tables import table


@cache
def _row(unit: str, system: str) -> tuple[str, float, float, int]:
    tables = table("display")
    row = tables[system].get(unit) or tables["both"].get(unit) or (unit, 1.0, 0.0, 1)
    return row[0], float(row[1]), float(row[2]), int(row[3])


@cache
def units() -> frozenset[str]:
    """Every unit that people read."""
    shown = table("display")
    return frozenset(str(row[0]) for part in ("us", "metric", "both") for row in shown[part].values())


def unit_text(unit: str, system: str) -> str:
    """The name of the unit a person reads."""
    return _row(unit, system)[0]


def number(value: float, unit: str, system: str) -> float:
    """The value in the unit a person reads, unrounded."""
    _, factor, offset, _ = _row(unit, system)
    return value * factor + offset


def per_shown(value: float, unit: str, system: str) -> float:
    """An amount per unit, e.g. a price per kg, for the unit a person reads instead, e.g. per lb."""
    return value / number(1.0, unit, system)


def digits(value: float, unit: str, system: str) -> str:
    """The rounded number alone: the unit's decimals, more for small values so that two digits remain."""
    decimals = _row(unit, system)[3]
    shown = number(value, unit, system)
    if shown and unit not in ("pH", "degC"):
        leading = floor(log10(abs(shown))) if abs(shown) > 1e-12 else 0
        decimals = min(max(decimals, 1 - leading), 3 if abs(shown) >= 0.001 else 6) if leading < 0 else decimals
    small = unit in table("display")["plain"]["tenths"] and 0 < abs(shown) < 10
    if small:
        decimals = max(decimals, 1)
    if abs(shown) >= 100:
        decimals = 0
    text = f"{shown:.{decimals}f}"
    whole, _, fraction = text.partition(".")
    if len(whole.lstrip("-")) > 4:
        whole = f"{int(whole):,}"
    if small or decimals > _row(unit, system)[3] or unit in table("display")["plain"]["units"]:
        fraction = fraction.rstrip("0")
    text = f"{whole}.{fraction}" if fraction else whole
    return text.replace("-", "−")


def amount(value: float, unit: str, system: str) -> str:
    """The rounded number of a concentration; below what a test tells, so much is said: ``< 0.01``.

    >>> amount(0.003, "mg/L", "metric"), amount(0.02, "mg/L", "metric"), amount(0.0, "mg/L", "metric")
    ('< 0.01', '0.02', '0')
    """
    least = table("display")["detect"].get(unit)
    return f"< {least:g}" if least is not None and 0 < value < least else digits(value, unit, system)


def show_amount(value: float | None, unit: str, system: str) -> str:
    """A concentration with its unit; below what a test tells, so much is said."""
    least = "" if value is None else amount(value, unit, system)
    return f"{least} {unit_text(unit, system)}" if least.startswith("<") else show(value, unit, system)


def show(value: float | None, unit: str, system: str) -> str:
    """Number and unit as a person reads them, e.g. ``14.0 gpg``.

    >>> show(26.5, "L/min", "us")
    '7.0 gpm'
    """
    if value is None:
        return "not known"
    name = unit_text(unit, system)
    joint = "" if name in ("%", "°F", "°C") and name == "%" else " "
    return f"{digits(value, unit, system)}{joint}{name}".strip()


def show_minutes(minutes: float) -> str:
    """So many minutes; from two hours on as hours.

    >>> show_minutes(90.0), show_minutes(4500.0)
    ('90 min', '75 h')
    """
    return f"{minutes / 60:,.0f} h" if minutes >= 120 else f"{minutes:,.0f} min"


def measure(mm: float, system: str) -> str:
    """A measure on a drawing: to the eighth of an inch, with feet from two of them on; else as any length.

    >>> measure(1844, "us"), measure(260, "us"), measure(609.6, "us")
    ('6′-0 5/8″', '10 1/4″', '2′-0″')
    """
    if system != "us":
        return show(mm, "mm", system)
    eighths = round(mm / 25.4 * 8)
    feet, left = divmod(eighths, 96) if eighths >= 192 else (0, eighths)
    whole, part = divmod(left, 8)
    fraction = ("", "1/8", "1/4", "3/8", "1/2", "5/8", "3/4", "7/8")[part]
    inches = f"{whole} {fraction}" if fraction and (whole or feet) else fraction or str(whole)
    return f"{feet}′-{inches}″" if feet else f"{inches}″"


def show_spread(adverse: float, mild: float, unit: str, system: str) -> tuple[str, str]:
    """The adverse value with its unit, and the mild one alone; the second is empty where they read the same."""
    one, other = digits(adverse, unit, system), digits(mild, unit, system)
    return show(adverse, unit, system), "" if one == other else other


def media_hint(figure_name: str, unit: str) -> str:
    """``L media`` for the litres of a bed, the unit itself otherwise."""
    return "L media" if unit == "L" and figure_name in table("display")["hint"]["media"] else unit


def show_span(low: float, high: float | None, unit: str, system: str) -> str:
    """A reading as a span: exact, below, above, or from one end to the other.

    >>> show_span(0.0, 0.01, "mg/L", "us"), show_span(120.0, None, "mg/L", "us"), show_span(1.0, 2.0, "NTU", "us")
    ('< 0.01 mg/L', '> 120 mg/L', '1 to 2 NTU')
    """
    if high is None:
        return f"> {show(low, unit, system)}"
    ends = digits(low, unit, system), digits(high, unit, system)
    if ends[0] == ends[1]:
        return show(high, unit, system)
    return f"< {show(high, unit, system)}" if low == 0 else f"{ends[0]} to {show(high, unit, system)}"


def show_within(low: float | None, high: float | None, unit: str, system: str) -> str:
    """What a value should be, None where an end is open.

    >>> show_within(6.8, 7.8, "pH", "us"), show_within(None, 0.3, "mg/L", "us"), show_within(0.0, 0.3, "mg/L", "us"), show_within(None, 0.0, "mg/L", "us")
    ('6.8 to 7.8', 'at most 0.3 mg/L', 'at most 0.3 mg/L', 'none')
    """
    if high is not None and not low:
        return f"at most {show(high, unit, system)}" if high > 0 else "none"
    if low is None:
        return "as it is"
    return f"at least {show(low, unit, system)}" if high is None else f"{digits(low, unit, system)} to {show(high, unit, system)}"
