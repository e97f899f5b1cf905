"""The field as a picture: trains by two of the axes, what nothing beats on them joined by a line, the proposal and the options marked."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import ceil, floor, log10

from ..language.display import number, show, unit_text
from ..papers.costs import MEASURED, ChosenBy
from .field import Field, Point

WIDTH, HEIGHT, LEFT, RIGHT, TOP, FOOT = 760.0, 370.0, 76.0, 24.0, 18.0, 46.0
TICKS = 5
AIR = 0.06  # share of the span that is left free at each end
#: words of an axis
TITLES = {
    "first": "Cost to begin with", "total": "Cost over {years} years", "salt": "Salt a year", "drain_water": "Water to the drain a year",
    "wall": "Wall", "upkeep_hours": "Upkeep by hand a year",
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Scaled:
    """An axis: the value at its low and high end, and its ticks with their places."""

    name: str
    low: float
    high: float
    ticks: tuple[tuple[float, str], ...]
    title: str = ""


@dataclass(frozen=True, slots=True)
class ChoiceDot:
    """A train in the picture."""

    id: str
    x: float
    y: float
    unbeaten: bool
    words: str


@dataclass(frozen=True, slots=True)
class NamedTrain:
    """A train that has a name: the proposal, an option. end: whether its name is written at its left."""

    label: str
    x: float
    y: float
    end: bool

    @property
    def label_x(self) -> float:
        return self.x + (-10 if self.end else 10)

    @property
    def anchor(self) -> str:
        """Which end of the name is there."""
        return "end" if self.end else "start"


@dataclass(frozen=True, slots=True)
class Plot:
    """The picture; places in px of its own width. line: through what nothing beats on these two axes."""

    across: Scaled
    up: Scaled
    dots: tuple[ChoiceDot, ...]
    flags: tuple[NamedTrain, ...]
    line: str
    chosen: ChoiceDot | None
    width: float = WIDTH
    height: float = HEIGHT
    left: float = LEFT
    right: float = WIDTH - RIGHT
    top: float = TOP
    foot: float = HEIGHT - FOOT

    @property
    def middle(self) -> float:
        """Where the title of the axis across is written."""
        return (self.left + self.right) / 2

    @property
    def said(self) -> str:
        """The picture in words."""
        best = sum(dot.unbeaten for dot in self.dots)
        return (
            f"{len(self.dots)} trains by {self.across.title.lower()} and {self.up.title.lower()}; {best} that no other beats. The table lists them."
        )


def of(figures: ChosenBy, name: str) -> float:
    """What a train is on an axis."""
    return float(getattr(figures, name))


def shown(figures: ChosenBy, name: str, system: str) -> str:
    """What a train is on an axis, as a person reads it; money without its currency."""
    unit = MEASURED.get(name, "")
    value = of(figures, name)
    return show(value, unit, system) if unit else f"{value:,.0f}"


def title_of(name: str, years: int) -> str:
    """What an axis is. years: over which costs are counted."""
    return TITLES[name].format(years=years)


def axis_title(name: str, system: str, currency: str, years: int) -> str:
    """An axis with its unit. years: over which costs are counted."""
    words, unit = title_of(name, years), MEASURED.get(name, "")
    said = unit_text(unit, system) if unit else currency
    return f"{words} ({said})" if said else words


def plot(field: Field, across: str, up: str, system: str, named: Sequence[tuple[str, ChosenBy]] = (), chosen: str = "", years: int = 10) -> Plot:
    """Draw the field. across, up: two of the axes; named: more trains with their letters; chosen: the id of the point that is open;
    years: over which costs are counted.

    Raises KeyError for an axis that is none.
    """
    everyone = [*(point.choice for point in field.points), *(figures for _, figures in named)]
    scales = {name: _scaled(name, [of(figures, name) for figures in everyone], title_of(name, years)) for name in dict.fromkeys((across, up))}

    def place(figures: ChosenBy) -> tuple[float, float]:
        return (
            round(LEFT + _share(scales[across], of(figures, across)) * (WIDTH - LEFT - RIGHT), 1),
            round(HEIGHT - FOOT - _share(scales[up], of(figures, up)) * (HEIGHT - TOP - FOOT), 1),
        )

    dots = tuple(
        ChoiceDot(
            point.id,
            *place(point.choice),
            point.id in field.unbeaten,
            f"{scales[across].title} {shown(point.choice, across, system)}, {scales[up].title.lower()} {shown(point.choice, up, system)}",
        )
        for point in sorted(field.points, key=lambda point: point.id in field.unbeaten)
    )
    ticked = {name: _placed(scale, name == across, system) for name, scale in scales.items()}
    proposal = next(point for point in field.points if point.id == field.proposal)
    marks = [("Proposal", proposal.choice), *named]
    together: dict[tuple[float, float], list[str]] = {}
    for label, figures in marks:
        together.setdefault(place(figures), []).append(label)
    flags = tuple(NamedTrain(", ".join(labels), x, y, x > WIDTH * 0.8) for (x, y), labels in together.items())
    line = " ".join(f"{x},{y}" for x, y in (place(point.choice) for point in front(field.points, across, up)))
    return Plot(ticked[across], ticked[up], dots, flags, line, next((dot for dot in dots if dot.id == chosen), None))


def front(points: Sequence[Point], across: str, up: str) -> list[Point]:
    """Points that no other beats on two axes, from the least to the most across; of equal ones the first."""
    found: list[Point] = []
    for point in sorted(points, key=lambda each: (of(each.choice, across), of(each.choice, up))):
        if not found or of(point.choice, up) < of(found[-1].choice, up):
            found.append(point)
    return found


def _share(scale: Scaled, value: float) -> float:
    return (value - scale.low) / (scale.high - scale.low)


def _scaled(name: str, values: Sequence[float], title: str) -> Scaled:
    """The span of an axis with air at its ends, never below nothing; one value alone stands in the middle."""
    low, high = min(values), max(values)
    air = (high - low) * AIR or abs(high) * AIR or 1.0
    return Scaled(name, max(low - air, 0.0), high + air, (), title)


def _placed(scale: Scaled, across: bool, system: str) -> Scaled:
    """Its ticks at round numbers of the unit that is shown."""
    unit = MEASURED.get(scale.name, "")
    low, high = (number(end, unit, system) if unit else end for end in (scale.low, scale.high))
    step = _round_step((high - low) / TICKS)
    places = []
    for times in range(ceil(low / step - 1e-9), floor(high / step + 1e-9) + 1):
        share = (times * step - low) / (high - low)
        at = LEFT + share * (WIDTH - LEFT - RIGHT) if across else HEIGHT - FOOT - share * (HEIGHT - TOP - FOOT)
        places.append((round(at, 1), f"{times * step:,.{_decimals(step)}f}"))
    return Scaled(scale.name, scale.low, scale.high, tuple(places), scale.title)


def _round_step(least: float) -> float:
    """One, two or five times a power of ten, at least so much."""
    power = 10.0 ** floor(log10(least))
    return next(times * power for times in (1.0, 2.0, 5.0, 10.0) if times * power >= least * (1 - 1e-9))


def _decimals(step: float) -> int:
    return max(-floor(log10(step) + 1e-9), 0)
