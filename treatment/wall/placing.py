"""Where the units stand: where the job puts them, else side by side in the order of the water, clear of what is there."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from ..house.pipes import PipeSize
from ..job.facts import OBSTRUCTIONS, Facts
from ..language.tables import table
from ..train.treatment import StageRun, beside, table_mm, tank_body
from ..train.ways import Way, ways_round
from .parts import BESIDE, Joins, Obstacle, Point, Rect, Wall, WallUnit, Zone


def snapped(value: float) -> float:
    """A place on the wall [mm] rounded to the grid that moves keep to.

    >>> snapped(1234.6)
    1230.0
    """
    step = float(table("wall")["place"]["snap"])
    return round(value / step) * step


def drawn_to(wall: Wall, unit: WallUnit, x: float, foot: float | None) -> tuple[float, float | None]:
    """Where a unit dropped at x with its foot at ``foot`` [mm] comes to stand: against a neighbour's usual distance, the edge of a
    kept-free space, or the height of another's foot, top or port, where one is near; else on the grid.
    """
    rows, leg = table("wall")["place"], unit.leg
    gap, edge, reach = float(rows["between"] + 2 * leg), float(leg + rows["clear"] + 1), float(rows["reach"])
    others = [other for other in wall.units if other.id != unit.id]
    width, height = unit.outline.width, unit.outline.height
    lefts = [place for other in others for place in (other.outline.right + gap, other.outline.x - gap - width)]
    lefts += [place for thing in wall.obstacles for place in (thing.keep.right + edge, thing.keep.x - edge - width)]
    across = _nearest(x, lefts, reach)
    if foot is None:
        return across, None
    feet = [0.0]
    for other in others:
        feet += [other.outline.z, other.outline.top - height, other.outlet[1] - (unit.inlet[1] - unit.outline.z)]
    return across, _nearest(foot, feet, reach)


def _nearest(value: float, places: list[float], reach: float) -> float:
    near = min(places, key=lambda place: abs(place - value), default=value + reach + 1)
    return near if abs(near - value) <= reach and near >= 0 else max(snapped(value), 0.0)


def usual_size(name: str) -> tuple[float, float, float]:
    """Width, foot above the floor and height [mm] of a thing on the wall that was not measured."""
    width, height, foot = (float(each) for each in table("wall")["obstructions"][name])
    return width, foot, height


def obstacles_of(facts: Facts) -> tuple[Obstacle, ...]:
    places, zones = facts.site.places, table("wall")["zones"]
    kept_free, tall = zones["obstruction"], zones["obstruction_height"]
    found = []
    for name in OBSTRUCTIONS:
        spot = getattr(places, name) if places else None
        if spot is None or spot.x is None:
            continue
        width, foot, height = usual_size(name)
        rect = Rect(
            spot.x * 1000,
            spot.foot * 1000 if spot.foot is not None else foot,
            (spot.width or width / 1000) * 1000,
            (spot.height or height / 1000) * 1000,
        )
        keep_width = max(float(kept_free[name]), rect.width)
        middle = rect.x + rect.width / 2
        top, below = tall[name]
        foot_kept = 0.0 if below is True else max(rect.z - below, 0.0)
        keep = Rect(middle - keep_width / 2, foot_kept, keep_width, max(float(top) or rect.height + zones["above_thing"], rect.top))
        found.append(Obstacle(name, rect, keep))
    return tuple(found)


def joins_of(size: PipeSize) -> Joins:
    """Room that the fittings of a pipe of that size take at the ports."""
    rows = table("wall")["joins"]["by_bore"]
    row = next((row for row in rows if size.bore * 1000 <= row["to"]), rows[-1])
    return Joins(float(row["leg"]), float(row["drop"]), float(row["manifold"]))


def place(stages: Sequence[StageRun[Any]], obstacles: tuple[Obstacle, ...], ceiling: float) -> tuple[WallUnit, ...]:
    """Every unit with its place: the job's, else the next free one along the wall."""
    rows = table("wall")["place"]
    cursor = float(rows["left"])
    fixed: list[Rect] = []
    units: list[WallUnit] = []
    ways = ways_round(stages)
    wanted = [_fixed(stage) for stage in stages]
    joins = joins_of(stages[0].duty.supply.pipe.size) if stages else Joins(0.0, 0.0, 0.0)
    for stage, place in zip(stages, wanted, strict=True):
        store, way = beside(stages, stage), ways.get(stage.id)
        if place[0] is not None:
            unit = _unit(stage, place[0], place[1], ceiling, joins, store, way, placed=True)
        else:
            x = cursor
            for _ in range(60):
                tried = _unit(stage, x, place[1], ceiling, joins, store, way)
                beside_it = joins.leg + rows["clear"]
                around = Rect(x - beside_it, tried.outline.z, tried.outline.width + 2 * beside_it, tried.outline.height)
                in_the_way = [other for other in (*(o.keep for o in obstacles), *fixed) if around.overlaps(other)]
                if not in_the_way:
                    break
                x = max(other.right for other in in_the_way) + beside_it + 1
            unit = tried
            pulled = max([zone.rect.right for zone in unit.zones if zone.what == "lamp" and unit.lies], default=0.0)
            cursor = max(unit.outline.right, pulled) + rows["between"] + 2 * joins.leg
        fixed += [rect for _, rect in unit.parts]
        units.append(unit)
    return tuple(units)


def _fixed(stage: StageRun[Any]) -> tuple[float | None, float | None]:
    at = stage.keys.install.at if stage.keys.install else None
    if at is None:
        return None, None
    return (at.x * 1000 if at.x is not None else None), (at.foot * 1000 if at.foot is not None else None)


def _unit(
    stage: StageRun[Any], x: float, foot: float | None, ceiling: float, joins: Joins, store: float, way: Way | None, placed: bool = False
) -> WallUnit:
    """A unit with its left edge at x [mm].

    foot: above the floor, its usual one where None; ceiling [mm]; joins: room at its ports; store: litres of its own tank beside it; way: round it, None where there is none.
    """
    rows, zones = table("wall"), table("wall")["zones"]
    width, height, usual = stage.body
    pulled, lifted = stage.room.pulled(stage.sizing), stage.room.lifted(stage.keys, stage.sizing)
    lies = pulled > 0 and _lies(stage, height, pulled, ceiling)
    if lies:
        width, height, usual = height, width, rows["place"]["ports"] - width / 2
    elif pulled or (lifted and usual):  # low enough that what is pulled out of it comes out below the ceiling
        usual = min(usual, max(ceiling - height - (pulled or lifted) - zones["pull_slack"], zones["pulled_foot"]))
    z = usual if foot is None else foot
    bed = stage.sizing.bed
    shape = "vessel" if bed is not None else "cartridge" if stage.room.silhouette == "vessel" else stage.room.silhouette
    parts: list[tuple[str, Rect]] = []
    apart = rows["between_vessels"]
    if stage.bodies > 1:
        rim = rows["ports"]["head_rim"] * width if shape == "vessel" else 0.0
        apart = max(float(apart), rows["place"]["pipes_apart"] + 2 * joins.drop - 2 * rim)
    for i in range(stage.bodies):
        parts.append((shape, Rect(x + i * (width + apart), z, width, height)))
    right = parts[-1][1].right
    kept: list[Zone] = []
    if stage.room.uses_salt and stage.sizing.params.get("form") != "cabinet":
        brine = table("vessels")["brine_tank_mm"]
        rect = Rect(right + rows["place"]["brine_beside"], z, float(brine["width"]), float(brine["height"]))
        parts.append(("brine", rect))
        kept.append(Zone(Rect(rect.x, rect.top, rect.width, zones["salt_lid"]), "lid", "to lift the salt lid"))
    if store:
        wide, tall, _ = tank_body(store)
        parts.append(("store", Rect(right + rows["place"]["brine_beside"] + joins.leg, 0.0, wide, tall)))
    if shape == "vessel":
        kept.append(Zone(Rect(x, z + height, right - x, table_mm("headroom_in")), "head", "to lift the valve head"))
    if shape == "cartridge" and "housing" in stage.sizing.params:
        kept.append(Zone(Rect(x, z - zones["sump"], right - x, zones["sump"]), "sump", "to lower the sump"))
    if pulled:
        free = Rect(right, z, pulled, height) if lies else Rect(x, z + height, width, pulled)
        kept.append(Zone(free, "lamp", "to pull the lamp"))
    if lifted:
        kept.append(Zone(Rect(x, z + height, right - x, lifted), "head", "to lift its elements out"))
    outline = Rect(x, z, max(rect.right for _, rect in parts) - x, height)
    ports = tuple(_ports(shape, rect, z, height) for name, rect in parts if name not in BESIDE)
    inlet, outlet = ports[0][0], ports[-1][1]
    group = way.units if way is not None and way.shared else ()
    restrictor, series = stage.room.restrictor(stage.keys, stage.duty.facts.job.units), stage.room.in_series(stage.keys, stage.sizing)
    depth = float(rows["depth"].get(shape, rows["depth"]["other"])) + (width if shape in ("vessel", "tank") else 0.0)
    return WallUnit(
        stage.id, stage.kind, stage.name, shape, outline, tuple(parts), inlet, outlet, tuple(kept), max(depth, rows["depth"]["brine"] if stage.room.uses_salt else 0.0),
        way is not None, stage.at_tap, stage.drains, placed, stage.room.lit_ends(stage.keys), stage.powered, pulled > 0, lies, group, ports,
        restrictor, series, joins,
    )  # fmt: skip


def _lies(stage: StageRun[Any], height: float, pulled: float, ceiling: float) -> bool:
    """Whether a lamp lies on its side: where the job says so, or where upright it could not be pulled under this ceiling [mm]."""
    install, zones = stage.keys.install, table("wall")["zones"]
    if install is not None and install.orientation is not None:
        return bool(install.orientation == "horizontal")
    return bool(height + pulled + zones["pull_slack"] + zones["pulled_foot"] > ceiling)


def _ports(shape: str, body: Rect, z: float, height: float) -> tuple[Point, Point]:
    """Inlet and outlet of one body."""
    rows = table("wall")["ports"]
    off = float(rows.get(shape, rows["housing"]))
    if shape == "lamp" and body.width > height:  # on its side: both ports on top, so that what is pulled out of its end meets no pipe
        return (body.x + off, z + height), (body.right - off, z + height)
    if shape == "lamp":
        return (body.x, z + off), (body.right, z + height - off)
    if shape == "tank":
        return (body.x, z + height - off), (body.right, z + off)
    if shape == "feeder":
        return (body.x, z + height + off), (body.right, z + height + off)
    rim = float(rows["head_rim"]) if shape == "vessel" else 0.0
    return (body.x + rim * body.width, z + height - off), (body.right - rim * body.width, z + height - off)
