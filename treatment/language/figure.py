"""Figures that explain themselves: a value, its unit and the working an engineer can redo by hand.

A formula stands once: the expression that is shown is compiled, and what it gives is the value. Its constants stand by
name in ``data/constants.toml``. The words of a line (numbers put in, units, source) are written when somebody looks.
"""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from functools import cache
from typing import Any, NamedTuple

from .quantity import unit_named
from .tables import table

_SYMBOL = re.compile(r"[A-Za-zηµρΔ][A-Za-z0-9_₀-₉ηµρΔ]*")
_SIGNS = str.maketrans({"×": "*", "÷": "/", "−": "-", "^": "\x00"})
_FUNCTIONS: dict[str, Callable[..., float]] = {"min": min, "max": max, "sqrt": math.sqrt, "ln": math.log, "exp": math.exp, "ceil": math.ceil}
Value = tuple[float, str]


@cache
def source(key: str) -> str:
    """The citation kept under ``key`` in ``data/sources.toml``. Raises KeyError for an unknown key."""
    section, name = key.split(".")
    return str(table("sources")[section][name])


@cache
def constants() -> dict[str, Value]:
    """The constants that expressions name: value and unit, from ``data/constants.toml``; units of trade from ``data/units.toml``."""
    found = {name: (float(row[0]), str(row[1])) for name, row in table("constants")["values"].items()}
    for name, (dimension, unit, words) in table("constants")["units"].items():
        found[name] = (unit_named(unit, dimension).factor, words)
    return found


def constant(name: str) -> float:
    """The number of a constant; for code that needs it outside an expression."""
    return constants()[name][0]


class Compiled(NamedTuple):
    """An expression made callable: the symbols it takes, in order, and the function of them."""

    takes: tuple[str, ...]
    compute: Callable[..., float]


@cache
def compiled(expression: str) -> Compiled:
    """What an expression computes. Raises SyntaxError where it is none.

    >>> compiled("a × (b − 1) ÷ 2^2").compute(3.0, 5.0)
    3.0
    """
    known = constants()
    names = tuple(name for name in dict.fromkeys(_SYMBOL.findall(expression)) if name not in _FUNCTIONS and name not in known)
    python = expression.translate(_SIGNS).replace("\x00", "**")
    scope: dict[str, Any] = {"__builtins__": {}, **_FUNCTIONS, **{name: value for name, (value, _) in known.items()}}
    compute: Callable[..., float] = eval(f"lambda {', '.join(names)}: float({python})", scope | {"float": float})
    return Compiled(names, compute)


def plain(value: float) -> str:
    """A number with four significant digits, without exponent where that reads well."""
    if value == 0:
        return "0"
    if 1e-4 <= abs(value) < 1e7:
        text = f"{value:.4g}"
        return f"{float(text):.10f}".rstrip("0").rstrip(".") if "e" in text else text
    return f"{value:.3e}"


class Line(NamedTuple):
    """One line of working.

    symbol: what is found; expression: in symbols, with × ÷ − + ^ min max sqrt ln exp ceil, or solve(…) of what it is found
    from; given: number and unit of each symbol; value and unit: the result; cites: key into ``data/sources.toml``.
    """

    symbol: str
    expression: str
    given: Mapping[str, Value]
    value: float
    unit: str
    cites: str = ""

    @property
    def solved(self) -> bool:
        """Whether it is found by solving (equilibria, rate laws, records), not by arithmetic."""
        return self.expression.startswith("solve(")

    @property
    def values(self) -> dict[str, Value]:
        """Number and unit of each symbol, the constants that the expression names included."""
        known = constants()
        return dict(self.given) | {name: known[name] for name in _SYMBOL.findall(self.expression) if name in known and name not in self.given}

    def with_numbers(self) -> str:
        """The expression with every symbol replaced by its number."""
        values = self.values

        def put_in(match: re.Match[str]) -> str:
            name = match.group(0)
            return plain(values[name][0]) if name in values else name

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
        return source(self.cites) if self.cites else ""

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


def work(symbol: str, expression: str, unit: str, cites: str = "", **given: Value) -> Line:
    """A line of working whose value is what its expression gives; each keyword is a symbol with its number and unit.

    Raises ValueError where the symbols given are not those of the expression.
    >>> work("area", "pi × d^2 ÷ 4", "m2", d=(2.0, "m")).result
    '3.142 m2'
    """
    takes, compute = compiled(expression)
    if len(given) != len(takes):
        raise ValueError(f"“{expression}” takes {', '.join(takes)}; given were {', '.join(given)} (a symbol must not have the name of a constant)")
    return Line(symbol, expression, given, compute(*[given[name][0] for name in takes]), unit, cites)


def solved(symbol: str, of: str, value: float, unit: str, cites: str = "", **given: Value) -> Line:
    """A line whose value was found by solving; of: what it was found from, as a list of symbols."""
    return Line(symbol, f"solve({of})", given, value, unit, cites)


def stated(symbol: str, name: str, value: float, unit: str, cites: str = "") -> Line:
    """A line that only states a value of the table or one that was given; name: what it is called there."""
    return Line(symbol, name, {name: (value, unit)}, value, unit, cites)


def figure(*lines: Line) -> Figure:
    """The figure whose value is the result of the last line."""
    last = lines[-1]
    return Figure(last.value, last.unit, lines)


@dataclass(slots=True)
class Figures(Mapping[str, Figure]):
    """Figures by name, worked out when somebody asks for the first of them."""

    make: Callable[[], dict[str, Figure]]
    made: dict[str, Figure] | None = field(default=None, compare=False)

    def _all(self) -> dict[str, Figure]:
        if self.made is None:
            self.made = self.make()
        return self.made

    def __getitem__(self, name: str) -> Figure:
        return self._all()[name]

    def __iter__(self) -> Iterator[str]:
        return iter(self._all())

    def __len__(self) -> int:
        return len(self._all())

    def __contains__(self, name: object) -> bool:
        return name in self._all()
