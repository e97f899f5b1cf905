"""What a wall is made of: units, pipe, fittings, zones kept free, what is there already. In mm, x to the right, z up from the floor."""

from __future__ import annotations

from dataclasses import dataclass, field
from itertools import pairwise
from typing import NamedTuple

from ..audit.rules import Finding, tally
from ..language.tables import table

STATES = ("service", "bypass", "shut")
#: parts of a unit that stand beside its vessels
BESIDE = ("brine", "store")
#: above the floor: no manifold runs lower
Point = tuple[float, float]


class Joins(NamedTuple):
    """Room that the fittings of a pipe take [mm], by its bore.

    leg: from a port to the upright pipe of its leg; drop: the same for one of several vessels; manifold: from a port of those to the pipe
    that joins them.
    """

    leg: float
    drop: float
    manifold: float


class Rect(NamedTuple):
    """An upright rectangle: x and z of its lower left corner [mm]."""

    x: float
    z: float
    width: float
    height: float

    @property
    def right(self) -> float:
        return self.x + self.width

    @property
    def top(self) -> float:
        return self.z + self.height

    def overlaps(self, other: Rect) -> bool:
        return self.x < other.right - 1e-6 and other.x < self.right - 1e-6 and self.z < other.top - 1e-6 and other.z < self.top - 1e-6


class Zone(NamedTuple):
    """Room kept free: lamp, sump, lid, head, front, keep."""

    rect: Rect
    what: str
    words: str


@dataclass(frozen=True, slots=True)
class WallUnit:
    """A unit on the wall: its outline, its solid parts (vessels, brine tank), its ports, what it keeps free, its depth.

    bypassed: it has a bypass, its own, or one shared with the units of ``group`` (their ids, in the order of the water); lit: into
    its inlet, into its outlet. ports: inlet and outlet of each of its vessels, in a row: between ``inlet`` and ``outlet`` of the unit
    runs a manifold where there are several. restrictor: what is told on the flow restrictor before it, empty where it has none.
    series: whether its vessels stand one after the other. joins: room for the fittings at its ports.
    """

    id: str
    kind: str
    name: str
    shape: str
    outline: Rect
    parts: tuple[tuple[str, Rect], ...]
    inlet: Point
    outlet: Point
    zones: tuple[Zone, ...]
    depth: float
    bypassed: bool
    at_tap: bool
    drained: bool
    placed: bool
    lit: tuple[bool, bool]
    powered: bool
    turns: bool = False
    lies: bool = False
    group: tuple[str, ...] = ()
    ports: tuple[tuple[Point, Point], ...] = ()
    restrictor: str = ""
    series: bool = False
    joins: Joins = Joins(0.0, 0.0, 0.0)

    @property
    def leg(self) -> float:
        """How far from its ports the upright pipe stands [mm]."""
        return self.joins.leg

    @property
    def top(self) -> float:
        """How high the highest of its parts reaches [mm]."""
        return max(rect.top for _, rect in self.parts)

    @property
    def states(self) -> tuple[str, ...]:
        """How its valves can stand: bypassed only where water can go round it; shut, the way through it is."""
        return STATES if self.bypassed else ("service", "shut")

    @property
    def several(self) -> bool:
        """Whether it stands as several vessels or housings with a manifold."""
        return len(self.ports) > 1 and not self.series

    @property
    def arrives(self) -> float:
        """How high the pipe to it ends [mm]: at its port, or at its manifold above the ports."""
        return self.inlet[1] + self.joins.manifold if self.several else self.inlet[1]

    @property
    def departs(self) -> float:
        """How high the pipe from it begins [mm]: at its port, or at its manifold below the ports; above them where they are low."""
        if not self.several:
            return self.outlet[1]
        below = self.outlet[1] - self.joins.manifold
        return below if below >= table("wall")["place"]["manifold_lowest"] else self.outlet[1] + self.joins.manifold

    @property
    def drains(self) -> int:
        """How many drain lines leave it: one from each valve head."""
        return (len(self.ports) if self.shape == "vessel" else 1) if self.drained else 0

    def way(self, number: int) -> tuple[Point, ...]:
        """The way from the manifold through one of its vessels and back to the manifold."""
        inlet, outlet = self.ports[number]
        down, up, middle = inlet[0] - self.joins.drop, outlet[0] + self.joins.drop, (inlet[0] + outlet[0]) / 2
        return (
            (down, self.arrives), (down, inlet[1]), inlet, (middle, inlet[1]), (middle, outlet[1]), outlet, (up, outlet[1]), (up, self.departs),
        )  # fmt: skip


@dataclass(frozen=True, slots=True)
class Obstacle:
    """Something that is there already, and the width before it that stays free."""

    key: str
    rect: Rect
    keep: Rect


class PipeOnWall(NamedTuple):
    """A piece of pipe through square corners.

    role: main, leg, bypass, metal, tap (to a drinking tap), raw (to the outdoor taps), drain, brine or overflow; unit: whose it is.
    """

    points: tuple[Point, ...]
    role: str
    unit: str

    @property
    def length(self) -> float:
        """Length along the pipe [mm]."""
        return sum(abs(a[0] - b[0]) + abs(a[1] - b[1]) for a, b in pairwise(self.points))


class Fitting(NamedTuple):
    """A fitting in the pipe.

    kind: elbow, tee, valve, union, gauge, sample_tap, restrictor, air_gap, outlet (electrical, above the pipe, where nothing drips on it);
    along: h or v, the way of its pipe; name: what a tag says; part: inlet, outlet, bypass, vessel (of one of several), main or outdoor for
    a valve; open: its state as drawn.
    """

    kind: str
    x: float
    z: float
    along: str
    unit: str
    name: str = ""
    part: str = ""
    open: bool = True


@dataclass(frozen=True, slots=True)
class Dimension:
    """A measure between two points on one line, with its words."""

    start: Point
    end: Point
    words: str


@dataclass(frozen=True, slots=True)
class Wall:
    """The whole wall. width and height are those of the drawing; given says whether the job gave the wall's own.

    end: where the job's own wall ends, where the units reach beyond it. header: height of the main pipe; leaves: where it
    leaves for the house, up to the ceiling where an electrical panel follows.
    """

    width: float
    height: float
    depth: float | None
    given_width: bool
    units: tuple[WallUnit, ...]
    obstacles: tuple[Obstacle, ...]
    runs: tuple[PipeOnWall, ...]
    fittings: tuple[Fitting, ...]
    dimensions: tuple[Dimension, ...]
    findings: tuple[Finding, ...]
    header: float
    leaves: float
    end: float | None
    states: dict[str, str] = field(hash=False)

    def pipe_length(self, *roles: str) -> float:
        """Length of pipe of some roles [m]."""
        return sum(run.length for run in self.runs if run.role in roles) / 1000

    @property
    def taken(self) -> float:
        """How far along the wall the units reach [mm]."""
        return max((unit.outline.right for unit in self.units), default=0.0)

    def count(self, kind: str) -> int:
        return sum(fitting.kind == kind for fitting in self.fittings)

    def state_of(self, unit: WallUnit) -> str:
        """How its valves stand: those of a shared bypass stand as any of its units is said to."""
        return next((self.states[id] for id in unit.group or (unit.id,) if self.states.get(id) in unit.states), "service")

    @property
    def water_path(self) -> tuple[Point, ...]:
        """The way the water takes with the valves as they stand: through a unit, round it in bypass; it ends where one is shut."""
        mains = [run for run in self.runs if run.role == "main"]
        units = {unit.id: unit for unit in self.units if not unit.at_tap}
        path: list[Point] = []
        for run, after in zip(mains, [*mains[1:], None], strict=True):
            unit = units.get(run.unit)
            if unit is None or self.state_of(unit) != "bypass" or unit.id == (unit.group or (unit.id,))[0]:
                path += run.points
            if unit is None or after is None:
                continue
            state, leave = self.state_of(unit), after.points[0]
            if state == "shut":
                return tuple(path)
            if state != "bypass" or not unit.bypassed:
                through = unit.way(0) if unit.several else tuple(point for pair in unit.ports for point in _through(*pair))
                path += [(path[-1][0], unit.arrives), *through, (leave[0], unit.departs)]
        return tuple(path)

    @property
    def side_paths(self) -> tuple[tuple[Point, ...], ...]:
        """The ways through the vessels beside the first of each manifold that water runs through."""
        found: list[tuple[Point, ...]] = []
        path = set(self.water_path)
        for unit in self.units:
            if unit.several and unit.ports[0][0] in path:
                first = unit.way(0)
                for number in range(1, len(unit.ports)):
                    way = unit.way(number)
                    found.append(((first[0][0], unit.arrives), *way))
        return tuple(found)

    @property
    def tally(self) -> dict[str, int]:
        """How many findings of each severity, gravest first."""
        return tally(self.findings)

    def findings_at(self, unit: str) -> list[Finding]:
        return [finding for finding in self.findings if finding.stage == unit]


def _through(inlet: Point, outlet: Point) -> tuple[Point, ...]:
    """The way through one vessel, from port to port."""
    middle = (inlet[0] + outlet[0]) / 2
    return inlet, (middle, inlet[1]), (middle, outlet[1]), outlet
