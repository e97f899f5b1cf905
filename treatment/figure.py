"""Figures that explain themselves: a value, its unit and the working an engineer can redo by hand."""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from typing import Any

from .tables import table

_SYMBOL = re.compile(r"[A-Za-zηµρΔ][A-Za-z0-9_₀-₉ηµρΔ]*")


def source(key: str) -> str:
    """The citation kept under ``key`` in ``data/sources.toml``. Raises KeyError for an unknown key."""
    section, name = key.split(".")
    return str(table("sources")[section][name])


def plain(value: float) -> str:
    """A number with four significant digits, without exponent where that reads well."""
    if value == 0:
        return "0"
    if 1e-4 <= abs(value) < 1e7:
        text = f"{value:.4g}"
        return f"{float(text):.10f}".rstrip("0").rstrip(".") if "e" in text else text
    return f"{value:.3e}"


@dataclass(frozen=True, slots=True)
class Line:
    """One line of working.

    symbol: what is found; expression: in symbols, with × ÷ − + ^ min max sqrt ln; values: number and unit of
    each symbol; value and unit: the result; source: key into ``data/sources.toml``.
    """

    symbol: str
    expression: str
    values: dict[str, tuple[float, str]] = field(hash=False)
    value: float
    unit: str
    source: str = ""

    def with_numbers(self) -> str:
        """The expression with every symbol replaced by its number."""

        def put_in(match: re.Match[str]) -> str:
            name = match.group(0)
            return plain(self.values[name][0]) if name in self.values else name

        return _SYMBOL.sub(put_in, self.expression)

    @property
    def where(self) -> dict[str, str]:
        """What each symbol stands for, with its unit."""
        return {name: f"{plain(value)} {unit}".strip() for name, (value, unit) in self.values.items()}

    @property
    def result(self) -> str:
        """The result with its unit."""
        return f"{plain(self.value)} {self.unit}".strip()

    @property
    def cited(self) -> str:
        """The source in full."""
        return source(self.source) if self.source else ""

    def as_json(self) -> dict[str, Any]:
        """The line as the design document prints it."""
        return {
            "symbol": self.symbol,
            "expression": self.expression,
            "with_numbers": self.with_numbers(),
            "where": self.where,
            "result": self.result,
            "source": self.cited,
        }


@dataclass(frozen=True, slots=True)
class Figure:
    """A value in its canonical unit and the lines that lead to it."""

    value: float
    unit: str
    working: tuple[Line, ...] = ()

    def as_json(self) -> dict[str, Any]:
        return {"value": rounded(self.value), "unit": self.unit, "working": [line.as_json() for line in self.working]}


def rounded(value: float) -> float:
    """Six significant digits: what a design document prints."""
    return float(f"{value:.6g}")


def work(symbol: str, expression: str, value: float, unit: str, source_key: str = "", **values: tuple[float, str]) -> Line:
    """A line of working; each keyword is a symbol of the expression with its number and unit."""
    return Line(symbol, expression, values, value, unit, source_key)


def figure(*lines: Line) -> Figure:
    """The figure whose value is the result of the last line."""
    last = lines[-1]
    return Figure(last.value, last.unit, lines)
