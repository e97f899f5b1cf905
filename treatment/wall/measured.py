"""The pipe of a wall as water feels it: measured off the drawing, unit by unit, with every valve as in service."""

from __future__ import annotations

from ..language.tables import table
from ..train.piping import PipeStretch, Piping
from .parts import Fitting, PipeOnWall, Wall, WallUnit

#: roles of the pipe that all of the house's water runs through
FLOWN = ("main", "leg", "metal")


def piping_of(wall: Wall, crimped: bool) -> Piping:
    """Pipe and fittings before and behind each unit. crimped: whether every joint narrows the bore.

    Of several vessels each takes its share of the flow; a bypass lies idle; a drinking tap takes none of the house's water.
    """
    rows = table("wall")["fitting"]
    insert = float(rows["crimp"]) if crimped else 0.0
    weights = {name: float(rows[key]) + insert for name, key in (("elbow", "elbow"), ("union", "union"), ("tee", "tee_branch"), ("valve", "valve"))}
    units = {unit.id: unit for unit in wall.units}
    manifolds = {unit.id for unit in wall.units if unit.several}
    middles = {unit.id: (unit.inlet[0] + unit.outlet[0]) / 2 for unit in wall.units if len(unit.ports) == 1 and not unit.at_tap}
    before, behind = ({id: [0.0, 0.0] for id in ("", *units)} for _ in range(2))
    for run in wall.runs:
        if run.role in FLOWN:
            unit = units.get(run.unit)
            share = _share(unit, _of_port(unit, run)) if unit is not None and unit.id in manifolds else 1.0
            (before if unit is not None and _leads_to(unit, run) else behind)[run.unit][0] += run.length / 1000 * share
    straight = float(rows["tee_run"]) + insert
    for fitting in wall.fittings:
        weight, owner = weights.get(fitting.kind), fitting.unit
        if weight is None or fitting.part == "bypass":
            continue
        middle = middles.get(owner)
        if middle is not None:  # one vessel, or housing, by itself
            (before if fitting.x < middle else behind)[owner][1] += weight
            continue
        unit = units.get(owner)
        if unit is not None and unit.at_tap:
            before[owner][1] += straight if fitting.kind == "tee" else 0.0
        elif fitting.part == "outdoor":
            behind[""][1] += straight if fitting.kind == "tee" else 0.0
        elif unit is None:
            behind[owner][1] += weight
        else:
            share = _share(unit, _between(unit, fitting)) if owner in manifolds else 1.0
            (before if _lies_before(unit, fitting) else behind)[owner][1] += weight * share
    first, second = (tuple(PipeStretch(*way[id]) for id in units) for way in (before, behind))
    return Piping(first, second, PipeStretch(*behind[""]), wall.taken)


def _share(unit: WallUnit, of_one: bool) -> float:
    """One of so many ways, each with its share of the flow: what it takes goes by the square of that, and they are so many."""
    return 1.0 / len(unit.ports) ** 3 if of_one else 1.0


def _of_port(unit: WallUnit, run: PipeOnWall) -> bool:
    """Whether a pipe leads to or from one vessel of several."""
    return any(run.points[-1] == inlet or run.points[0] == outlet for inlet, outlet in unit.ports)


def _leads_to(unit: WallUnit, run: PipeOnWall) -> bool:
    """Whether a pipe lies on the way to a unit's vessels, not on the way from them."""
    if run.role == "main":
        return True
    if not unit.several:
        return run.points[-1] == unit.inlet or run.points[-1][0] <= unit.inlet[0]
    return run.points[0][0] < unit.outline.x or any(run.points[-1] == inlet for inlet, _ in unit.ports)


def _between(unit: WallUnit, fitting: Fitting) -> bool:
    """Whether a fitting belongs to one vessel of several: from the manifold before it to that behind it."""
    inside = unit.inlet[0] - unit.joins.drop - 1 < fitting.x < unit.outlet[0] + unit.joins.drop + 1
    return inside and min(unit.departs, unit.outlet[1]) - 1 <= fitting.z <= unit.arrives + 1


def _lies_before(unit: WallUnit, fitting: Fitting) -> bool:
    """Whether a fitting lies before the vessel that it is next to."""
    inlet, outlet = unit.ports[0]
    if len(unit.ports) > 1:
        inlet, outlet = min(unit.ports, key=lambda pair: abs((pair[0][0] + pair[1][0]) / 2 - fitting.x))
    return fitting.x < (inlet[0] + outlet[0]) / 2
