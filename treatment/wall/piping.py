"""Pipe on the wall: along one header, square, with the fittings of each unit, metal at a lamp, drains to air gaps."""

from __future__ import annotations

from itertools import pairwise

from ..language.tables import table
from .parts import BESIDE, Fitting, PipeOnWall, Point, WallUnit


def pipe(
    units: tuple[WallUnit, ...], header: float, width: float, ceiling: float, states: dict[str, str], upwards: bool, outdoor: bool
) -> tuple[tuple[PipeOnWall, ...], tuple[Fitting, ...]]:
    """Pipe and fittings that the house's water runs through, from the source at the left to the house at the right, along one header.

    outdoor: whether outdoor taps get raw water.
    """
    rows = table("wall")["place"]
    runs: list[PipeOnWall] = []
    fittings: list[Fitting] = []
    here: Point = (0.0, header)
    _head(header, ceiling, outdoor, runs, fittings)
    first: tuple[WallUnit, float] | None = None  # of a bypass that is not closed yet: its first unit, and where its leg leaves the header
    for unit in units:
        right_of_vessels = max(rect.right for name, rect in unit.parts if name not in BESIDE)
        enter, leave = unit.outline.x - unit.leg, right_of_vessels + unit.leg
        if unit.lies:  # its ports are on top: the pipe comes straight down
            enter, leave = unit.inlet[0], unit.outlet[0]
        if unit.at_tap:
            _tap(unit, enter, here[1], here, states.get(unit.id) != "shut", runs, fittings)
            here = (max(enter, here[0]), here[1])
            continue
        opens, closes = (not unit.group or unit.id == unit.group[at] for at in (0, -1))
        before, behind = (header if outer else header - rows["within"] for outer in (opens, closes))
        first = (unit, enter) if opens or first is None else first
        runs.append(PipeOnWall(_square(here, (enter, before)), "main", unit.id))
        if unit.several:
            _manifold(unit, (enter, before), (leave, behind), runs, fittings)
        else:
            down: PipeOnWall = PipeOnWall(((enter, before), (enter, unit.inlet[1]), unit.inlet), "leg", unit.id)
            up: PipeOnWall = PipeOnWall((unit.outlet, (leave, unit.outlet[1]), (leave, behind)), "leg", unit.id)
            runs += _metalled(down, up, unit)
            if unit.shape == "feeder":
                runs.append(PipeOnWall((unit.inlet, (unit.outlet[0], unit.inlet[1])), "leg", unit.id))
            fittings += _joined(unit, enter, leave)
            if unit.series:
                _in_line(unit, runs, fittings)
        if unit.bypassed:
            _taps(unit, enter, leave, before, behind, fittings)
        else:
            _isolated(unit, enter, leave, before, behind, states.get(unit.id) != "shut", fittings)
        if unit.bypassed and closes:
            _bypass(first, (unit, leave), header, next((states[id] for id in unit.group or (unit.id,) if id in states), "service"), runs, fittings)
        fittings += [
            Fitting("elbow", x, level, "h", unit.id)
            for x, level, outer in ((enter, before, opens), (leave, behind, closes))
            if not (unit.bypassed and outer)
        ]
        if unit.restrictor:
            down_to = max(unit.arrives, unit.inlet[1])
            fittings.append(Fitting("restrictor", enter, down_to + (before - down_to) * 0.25, "v", unit.id, f"{unit.name}, {unit.restrictor}"))
        here = (leave, behind)
    runs.append(PipeOnWall((*_square(here, (width, header)), *([(width, ceiling)] if upwards else [])), "main", ""))
    if upwards:
        fittings.append(Fitting("elbow", width, header, "h", ""))
    return tuple(runs), tuple(fittings)


def aside(units: tuple[WallUnit, ...], header: float, width: float, ceiling: float) -> tuple[tuple[PipeOnWall, ...], tuple[Fitting, ...]]:
    """What the house's water does not run through: drains to their air gaps, brine lines, electrical outlets."""
    runs: list[PipeOnWall] = []
    fittings: list[Fitting] = []
    _drains(units, width, runs, fittings)
    _brine(units, width, runs)
    _outlets(units, header, ceiling, fittings)
    return tuple(runs), tuple(fittings)


def _outlets(units: tuple[WallUnit, ...], header: float, ceiling: float, fittings: list[Fitting]) -> None:
    """An electrical outlet above the pipe, where nothing drips on it, for each unit that needs power."""
    rows = table("wall")["place"]
    level = min(header + rows["outlet_above"], ceiling - rows["outlet_below_ceiling"])
    fittings += [
        Fitting("outlet", unit.outline.right + rows["outlet_beside"], level, "h", unit.id, f"{unit.name}, protected outlet")
        for unit in units
        if unit.powered
    ]


def _in_line(unit: WallUnit, runs: list[PipeOnWall], fittings: list[Fitting]) -> None:
    """Pipe from each vessel to the next, with a union at both and a sample tap between: what the first lets through is seen there."""
    for (_, outlet), (inlet, _) in pairwise(unit.ports):
        runs.append(PipeOnWall((outlet, inlet), "leg", unit.id))
        middle = (outlet[0] + inlet[0]) / 2
        fittings += [
            Fitting("union", outlet[0] + unit.joins.drop, outlet[1], "h", unit.id), Fitting("union", inlet[0] - unit.joins.drop, inlet[1], "h", unit.id),
            Fitting("sample_tap", middle, outlet[1], "v", unit.id, f"{unit.name}, between the beds"),
        ]  # fmt: skip


def _joined(unit: WallUnit, enter: float, leave: float) -> list[Fitting]:
    """An elbow and a union at each port; at ports on top of a unit that lies a union alone, in the upright pipe."""
    if unit.lies:
        above = table("wall")["place"]["lying_union"]
        return [Fitting("union", x, z + above, "v", unit.id) for x, z in (unit.inlet, unit.outlet)]
    return [
        Fitting("elbow", enter, unit.inlet[1], "v", unit.id), Fitting("elbow", leave, unit.outlet[1], "v", unit.id),
        Fitting("union", (enter + unit.inlet[0]) / 2, unit.inlet[1], "h", unit.id), Fitting("union", (leave + unit.outlet[0]) / 2, unit.outlet[1], "h", unit.id),
    ]  # fmt: skip


def _manifold(unit: WallUnit, enter: Point, leave: Point, runs: list[PipeOnWall], fittings: list[Fitting]) -> None:
    """Pipe to and from each of several vessels: a tee, a valve and a union before it and behind it, so that one can be taken out of line.

    What comes in runs above the inlets, what goes out below the outlets, or little above them where they are near the floor: the two
    never cross.
    """
    rows, last, drop_by = table("wall")["joins"], len(unit.ports) - 1, unit.joins.drop
    drops, rises = [inlet[0] - drop_by for inlet, _ in unit.ports], [outlet[0] + drop_by for _, outlet in unit.ports]
    above, below = unit.arrives, unit.departs
    runs += [
        PipeOnWall((enter, (enter[0], above), (drops[-1], above)), "leg", unit.id),
        PipeOnWall(((rises[0], below), (leave[0], below), leave), "leg", unit.id),
    ]
    fittings += [Fitting("elbow", enter[0], above, "v", unit.id), Fitting("elbow", leave[0], below, "v", unit.id)]
    for number, (inlet, outlet) in enumerate(unit.ports):
        drop, rise = drops[number], rises[number]
        runs += [
            PipeOnWall(((drop, above), (drop, inlet[1]), inlet), "leg", unit.id),
            PipeOnWall((outlet, (rise, outlet[1]), (rise, below)), "leg", unit.id),
        ]
        fittings += [
            Fitting("tee" if number < last else "elbow", drop, above, "h", unit.id), Fitting("tee" if number > 0 else "elbow", rise, below, "h", unit.id),
            Fitting("elbow", drop, inlet[1], "v", unit.id), Fitting("elbow", rise, outlet[1], "v", unit.id),
        ]  # fmt: skip
        for x, port, level, side in ((drop, inlet[1], above, "inlet"), (rise, outlet[1], below, "outlet")):
            name, way = f"{unit.name}, vessel {number + 1}, {side}", level - port
            fittings.append(Fitting("valve", x, port + way * rows["valve_at"], "v", unit.id, name, "vessel", True))
            fittings.append(Fitting("union", x, port + way * rows["union_at"], "v", unit.id))


def _head(header: float, ceiling: float, outdoor: bool, runs: list[PipeOnWall], fittings: list[Fitting]) -> None:
    """What stands before the first unit: the main shut-off, and the branch of raw water to the outdoor taps."""
    rows = table("wall")["place"]
    fittings.append(Fitting("valve", rows["shut_off_at"], header, "h", "", "main shut-off", "main", True))
    if outdoor:
        at, top = rows["outdoor_at"], max(ceiling, header + rows["outdoor_above"])
        runs.append(PipeOnWall(((at, header), (at, top)), "raw", ""))
        fittings.append(Fitting("tee", at, header, "h", "", part="outdoor"))
        fittings.append(Fitting("valve", at, header + rows["outdoor_above"] / 2, "v", "", "raw water to the outdoor taps", "outdoor", True))


def _brine(units: tuple[WallUnit, ...], width: float, runs: list[PipeOnWall]) -> None:
    """The line from a valve head to its brine tank, and the tank's overflow, which runs to a drain by its own fall."""
    rows = table("wall")["place"]
    for unit in units:
        tank = next((rect for name, rect in unit.parts if name == "brine"), None)
        if tank is None:
            continue
        start = (unit.ports[-1][1][0], unit.ports[-1][1][1] - rows["brine_below"])
        middle = tank.x + tank.width / 2
        runs.append(PipeOnWall((start, (middle, start[1]), (middle, tank.top)), "brine", unit.id))
        spill, beside = tank.top - rows["overflow_below"], tank.right + rows["overflow_beside"]
        runs.append(
            PipeOnWall(
                (
                    (tank.right, spill),
                    (beside, spill),
                    (beside, rows["overflow_floor"]),
                    (max(width - rows["receptor_end"], beside), rows["overflow_floor"]),
                ),
                "overflow",
                unit.id,
            )
        )


def _square(start: Point, end: Point) -> tuple[Point, ...]:
    """Through square corners; a move back along the header goes over it, so that it is seen."""
    if start[0] <= end[0] + 1e-6:
        return (start, end)
    over = start[1] + table("wall")["place"]["over"]
    return (start, (start[0], over), (end[0], over), end)


def _bypass(
    first: tuple[WallUnit, float], last: tuple[WallUnit, float], header: float, state: str, runs: list[PipeOnWall], fittings: list[Fitting]
) -> None:
    """Three valves and two tees round one unit, or round all from the first to the last."""
    (unit, enter), (end, leave) = first, last
    name = unit.name if unit is end else f"{unit.name} to {end.name[:1].lower()}{end.name[1:]}"
    runs.append(PipeOnWall(((enter, header), (leave, header)), "bypass", unit.id))
    opened = {"service": (True, True, False), "bypass": (False, False, True), "shut": (False, False, False)}[state]
    places = (
        (enter, (header + unit.arrives) / 2, "v", "inlet"),
        (leave, (header + max(end.departs, end.outlet[1])) / 2, "v", "outlet"),
        ((enter + leave) / 2, header, "h", "bypass"),
    )
    for (x, z, along, part), is_open in zip(places, opened, strict=True):
        fittings.append(Fitting("valve", x, z, along, end.id if part == "outlet" else unit.id, f"{name}, {part}", part, is_open))
    fittings += [Fitting("tee", enter, header, "h", unit.id), Fitting("tee", leave, header, "h", end.id)]


def _isolated(unit: WallUnit, enter: float, leave: float, before: float, behind: float, is_open: bool, fittings: list[Fitting]) -> None:
    """A valve before and behind a unit that nothing goes round: to open it, the house is without water."""
    for x, level, port, part in ((enter, before, unit.arrives, "inlet"), (leave, behind, max(unit.departs, unit.outlet[1]), "outlet")):
        fittings.append(Fitting("valve", x, (level + port) / 2, "v", unit.id, f"{unit.name}, {part}", part, is_open))


def _taps(unit: WallUnit, enter: float, leave: float, before: float, behind: float, fittings: list[Fitting]) -> None:
    """Sample taps on both legs of a unit, and gauges at a cartridge."""
    for x, port, level in ((enter, unit.arrives, before), (leave, max(unit.departs, unit.outlet[1]), behind)):
        fittings.append(Fitting("sample_tap", x, port + (level - port) * 0.22, "v", unit.id))
        if unit.shape == "cartridge":
            fittings.append(Fitting("gauge", x, port + (level - port) * 0.78, "v", unit.id))


def _tap(unit: WallUnit, enter: float, header: float, here: Point, is_open: bool, runs: list[PipeOnWall], fittings: list[Fitting]) -> None:
    """A branch to the drinking tap: off the header, through the unit, to its own tap."""
    rows = table("wall")["place"]
    runs.append(PipeOnWall(_square(here, (max(enter, here[0]), header)), "main", unit.id))
    at = max(enter, here[0])
    runs.append(PipeOnWall(((at, header), (at, unit.inlet[1]), unit.inlet), "tap", unit.id))
    end = (unit.outline.right + unit.leg, float(rows["tap_height"]))
    runs.append(PipeOnWall((unit.outlet, (end[0], unit.outlet[1]), end), "tap", unit.id))
    fittings += [
        Fitting("tee", at, header, "h", unit.id), Fitting("elbow", at, unit.inlet[1], "v", unit.id),
        Fitting("valve", at, (header + unit.inlet[1]) / 2, "v", unit.id, f"{unit.name}, inlet", "inlet", is_open), Fitting("elbow", end[0], unit.outlet[1], "v", unit.id),
    ]  # fmt: skip


def _metalled(down: PipeOnWall, up: PipeOnWall, unit: WallUnit) -> list[PipeOnWall]:
    """The legs of a lamp, the part next to a lit port in metal; other legs as they are."""
    needed = table("stages")["install"]["uv_metal_m"] * 1000
    found: list[PipeOnWall] = []
    for leg, lit, from_port in ((down, unit.lit[0], -1), (up, unit.lit[1], 1)):
        metal, rest = _split(leg.points[::from_port], needed) if lit else ((), leg.points[::from_port])
        found += [PipeOnWall(points[::from_port], role, unit.id) for points, role in ((metal, "metal"), (rest, "leg")) if len(points) > 1]
    return found


def _split(points: tuple[Point, ...], length: float) -> tuple[tuple[Point, ...], tuple[Point, ...]]:
    """A path cut after a length from its start."""
    first: list[Point] = [points[0]]
    left = length
    for i, (a, b) in enumerate(pairwise(points)):
        span = abs(a[0] - b[0]) + abs(a[1] - b[1])
        if span >= left:
            share = left / span if span else 0.0
            cut = (a[0] + (b[0] - a[0]) * share, a[1] + (b[1] - a[1]) * share)
            return (*first, cut), (cut, *points[i + 1 :])
        left -= span
        first.append(b)
    return tuple(first), ()


def _drains(units: tuple[WallUnit, ...], width: float, runs: list[PipeOnWall], fittings: list[Fitting]) -> None:
    """Drain lines of the units that wash themselves, each to its own air gap at the right end."""
    rows = table("wall")["place"]
    washed = [(unit, number) for unit in units for number in range(unit.drains)]
    beside, below = rows["drain_out"]
    for i, (unit, number) in enumerate(washed):
        level = rows["drain_low"] + rows["drain_step"] * (len(washed) - 1 - i)
        edge, (_, outlet) = [rect.right for name, rect in unit.parts if name not in BESIDE][number], unit.ports[number]
        x = max(edge + beside, outlet[0] + unit.joins.drop + rows["pipes_apart"] / 2) if unit.several else edge + beside
        start = (edge, outlet[1] - below)
        end = width - rows["receptor_end"] - rows["receptor"] * (len(washed) - 1 - i)
        runs.append(PipeOnWall((start, (x, start[1]), (x, level), (end, level), (end, level - rows["gap_drop"])), "drain", unit.id))
        fittings.append(Fitting("air_gap", end, level - rows["gap_drop"], "v", unit.id))
