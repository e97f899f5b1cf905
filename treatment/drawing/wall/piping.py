"""Pipe on the wall: along one header, square, with the fittings of each unit, metal at a lamp, drains to air gaps."""

from __future__ import annotations

from itertools import pairwise

from ...language.tables import table
from .parts import Fitting, Point, Run, Unit


def pipe(
    units: tuple[Unit, ...], header: float, width: float, ceiling: float, states: dict[str, str], upwards: bool
) -> tuple[tuple[Run, ...], tuple[Fitting, ...]]:
    """Pipe and fittings from the source at the left to the house at the right, along one header."""
    rows = table("wall")["place"]
    runs: list[Run] = []
    fittings: list[Fitting] = []
    here: Point = (0.0, header)
    for unit in units:
        right_of_vessels = max(rect.right for name, rect in unit.parts if name != "brine")
        enter, leave = unit.outline.x - rows["leg"], right_of_vessels + rows["leg"]
        if unit.at_tap:
            _tap(unit, enter, header, here, runs, fittings)
            here = (max(enter, here[0]), header)
            continue
        runs.append(Run(_square(here, (enter, header)), "main", unit.id))
        state = states.get(unit.id, "service")
        down: Run = Run(((enter, header), (enter, unit.inlet[1]), unit.inlet), "leg", unit.id)
        up: Run = Run((unit.outlet, (leave, unit.outlet[1]), (leave, header)), "leg", unit.id)
        runs += _metalled(down, up, unit)
        if unit.shape == "feeder" or len([name for name, _ in unit.parts if name != "brine"]) > 1:
            runs.append(Run((unit.inlet, (unit.outlet[0], unit.inlet[1])), "leg", unit.id))
        fittings += [
            Fitting("elbow", enter, unit.inlet[1], "v", unit.id), Fitting("elbow", leave, unit.outlet[1], "v", unit.id),
            Fitting("union", (enter + unit.inlet[0]) / 2, unit.inlet[1], "h", unit.id), Fitting("union", (leave + unit.outlet[0]) / 2, unit.outlet[1], "h", unit.id),
        ]  # fmt: skip
        if unit.bypassed:
            _bypass(unit, enter, leave, header, state, runs, fittings)
        else:
            fittings += [Fitting("elbow", enter, header, "h", unit.id), Fitting("elbow", leave, header, "h", unit.id)]
        here = (leave, header)
    runs.append(Run((*_square(here, (width, header)), *([(width, ceiling)] if upwards else [])), "main", ""))
    if upwards:
        fittings.append(Fitting("elbow", width, header, "h", ""))
    _drains(units, width, runs, fittings)
    fittings += [
        Fitting(
            "outlet",
            unit.outline.right + rows["outlet_beside"],
            min(header + rows["outlet_above"], ceiling - rows["outlet_below_ceiling"]),
            "h",
            unit.id,
            f"{unit.name}, protected outlet",
        )
        for unit in units
        if unit.powered
    ]
    return tuple(runs), tuple(fittings)


def _square(start: Point, end: Point) -> tuple[Point, ...]:
    """Through square corners; a move back along the header goes over it, so that it is seen."""
    if start[0] <= end[0] + 1e-6:
        return (start, end)
    over = start[1] + table("wall")["place"]["over"]
    return (start, (start[0], over), (end[0], over), end)


def _bypass(unit: Unit, enter: float, leave: float, header: float, state: str, runs: list[Run], fittings: list[Fitting]) -> None:
    runs.append(Run(((enter, header), (leave, header)), "bypass", unit.id))
    opened = {"service": (True, True, False), "bypass": (False, False, True), "shut": (False, False, False)}[state]
    places = (
        (enter, (header + unit.inlet[1]) / 2, "v", "inlet"),
        (leave, (header + unit.outlet[1]) / 2, "v", "outlet"),
        ((enter + leave) / 2, header, "h", "bypass"),
    )
    for (x, z, along, part), is_open in zip(places, opened, strict=True):
        fittings.append(Fitting("valve", x, z, along, unit.id, f"{unit.name}, {part}", part, is_open))
    fittings += [Fitting("tee", enter, header, "h", unit.id), Fitting("tee", leave, header, "h", unit.id)]
    for x, port in ((enter, unit.inlet), (leave, unit.outlet)):
        fittings.append(Fitting("sample_tap", x, port[1] + (header - port[1]) * 0.22, "v", unit.id))
        if unit.shape == "cartridge":
            fittings.append(Fitting("gauge", x, port[1] + (header - port[1]) * 0.78, "v", unit.id))


def _tap(unit: Unit, enter: float, header: float, here: Point, runs: list[Run], fittings: list[Fitting]) -> None:
    """A branch to the drinking tap: off the header, through the unit, to its own tap."""
    rows = table("wall")["place"]
    runs.append(Run(_square(here, (max(enter, here[0]), header)), "main", unit.id))
    at = max(enter, here[0])
    runs.append(Run(((at, header), (at, unit.inlet[1]), unit.inlet), "tap", unit.id))
    end = (unit.outline.right + rows["leg"], float(rows["tap_height"]))
    runs.append(Run((unit.outlet, (end[0], unit.outlet[1]), end), "tap", unit.id))
    fittings += [
        Fitting("tee", at, header, "h", unit.id), Fitting("elbow", at, unit.inlet[1], "v", unit.id),
        Fitting("valve", at, (header + unit.inlet[1]) / 2, "v", unit.id, f"{unit.name}, inlet", "inlet", True), Fitting("elbow", end[0], unit.outlet[1], "v", unit.id),
    ]  # fmt: skip


def _metalled(down: Run, up: Run, unit: Unit) -> list[Run]:
    """The legs of a lamp, the part next to its ports in metal; other legs as they are."""
    if not unit.lit:
        return [down, up]
    needed = table("stages")["install"]["uv_metal_m"] * 1000
    metal_up, rest_up = _split(up.points, needed)
    metal_down, rest_down = _split(tuple(reversed(down.points)), needed)
    found = [Run(metal_up, "metal", unit.id), Run(tuple(reversed(metal_down)), "metal", unit.id)]
    return found + [Run(points, "leg", unit.id) for points in (rest_up, tuple(reversed(rest_down))) if len(points) > 1]


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


def _drains(units: tuple[Unit, ...], width: float, runs: list[Run], fittings: list[Fitting]) -> None:
    """Drain lines of the units that wash themselves, each to its own air gap at the right end."""
    rows = table("wall")["place"]
    washed = [unit for unit in units if unit.drained]
    beside, below = rows["drain_out"]
    for i, unit in enumerate(washed):
        level = rows["drain_low"] + rows["drain_step"] * (len(washed) - 1 - i)
        x = max(rect.right for name, rect in unit.parts if name != "brine") + beside
        start = (x - beside, unit.outlet[1] - below)
        end = width - rows["receptor_end"] - rows["receptor"] * (len(washed) - 1 - i)
        runs.append(Run((start, (x, start[1]), (x, level), (end, level), (end, level - rows["gap_drop"])), "drain", unit.id))
        fittings.append(Fitting("air_gap", end, level - rows["gap_drop"], "v", unit.id))
