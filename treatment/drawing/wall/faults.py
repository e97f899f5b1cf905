"""What does not fit on a wall, collides, or cannot be reached."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from itertools import combinations, pairwise

from ...audit.rules import SEVERITIES, Finding
from ...job.facts import OBSTRUCTION_WORDS, Facts
from ...language.display import show
from ...language.figure import source
from ...language.prose import listed, sentence
from ...language.tables import table
from ...train.weights import Load, mains_volts, mass_of_all
from ...wall.parts import PipeOnWall, Rect, Wall, WallUnit, Zone

PLACE = frozenset({"place"})


Say = Callable[[str, str, str, str, str], None]


def findings_on(wall: Wall, facts: Facts, ceiling: float, held: Sequence[Load] = ()) -> list[Finding]:
    """What does not fit, collides, or cannot be reached, and where a floor or a circuit must be looked at; at the unit it concerns."""
    found: list[Finding] = []

    def say(rule: str, severity: str, unit: str, message: str, remedy: str) -> None:
        found.append(Finding(rule, severity, unit, message, remedy, source("wall.clear"), PLACE))

    _collisions(wall, say)
    for unit in wall.units:
        _beyond(wall, unit, facts, ceiling, say)
        for zone in unit.zones:
            _zone(wall, unit, zone, ceiling if facts.site.ceiling is not None else None, facts.job.units, say)
        _obstacles(wall, unit, say)
    _room_before(wall, facts.job.units, say)
    _pipe_at_the_panel(wall, say)
    _pipe_in_the_way(wall, facts, say)
    _floor_and_circuit(held, facts, say)
    order = [unit.id for unit in wall.units] + [""]
    return sorted(found, key=lambda each: (SEVERITIES.index(each.severity), order.index(each.stage)))


def _floor_and_circuit(held: Sequence[Load], facts: Facts, say: Say) -> None:
    """Heavy units, and what draws much: when to ask who knows the floor, and who is licensed for the mains."""
    row, system = table("wall")["loads"], facts.job.units
    heavy = [each for each in held if each.mass.value >= row["floor_kg"] or each.foot >= row["floor_kpa"]]
    if heavy:
        most = max(heavy, key=lambda each: each.mass.value)
        whole = mass_of_all(held)
        say(
            "floor-load", "advice", most.id,
            f"When full it weighs {show(most.mass.value, 'kg', system)}, and all units {show(whole, 'kg', system)}; "
            f"up to {show(max(each.foot for each in heavy), 'kPa floor', system)} under it.",
            "Have the floor checked first unless it is a slab on the ground; spread the load on a board or plinth.",
        )  # fmt: skip
    volts = mains_volts(system)
    for each in held:
        if each.own:
            say(
                "circuit", "advice", each.id, f"It draws {each.watts.value:.0f} W, {each.amps(volts):.1f} A at {volts:.0f} V, and more when it starts.",
                "Have a licensed electrician give it a circuit of its own with GFCI/RCD protection.",
            )  # fmt: skip
    shared = [each for each in held if not each.own and each.watts.value > 0]
    amps = sum(each.amps(volts) for each in shared)
    if shared and amps > row["circuit_a"] * row["circuit_share"]:
        say(
            "circuit", "advice", shared[0].id, f"Together the units draw {amps:.1f} A at {volts:.0f} V.",
            "Divide them between two circuits.",
        )  # fmt: skip


def _collisions(wall: Wall, say: Say) -> None:
    solids = [(unit, rect) for unit in wall.units for _, rect in unit.parts]
    for (unit, rect), (other, its) in combinations(solids, 2):
        if other.id != unit.id and rect.overlaps(its):
            say("does-not-fit", "fault", other.id, f"{other.name} and {unit.name} are in the same place.", "Move one of them.")


def _beyond(wall: Wall, unit: WallUnit, facts: Facts, ceiling: float, say: Say) -> None:
    """Whether a unit reaches beyond the wall, the ceiling, the floor or the room before it."""
    site = facts.site

    def length(value: float) -> str:
        return show(value, "mm", facts.job.units)

    if site.wall_width is not None and unit.outline.right > site.wall_width * 1000 + 1:
        message = f"It ends at {length(unit.outline.right)} on a wall of {length(site.wall_width * 1000)}."
        say("does-not-fit", "fault", unit.id, message, "Move the units closer together, use two walls, or use fewer units.")
    if site.ceiling is not None and unit.top > ceiling + 1:
        message = f"It is {length(unit.top)} high under a ceiling of {length(ceiling)}."
        say("does-not-fit", "fault", unit.id, message, "Use a shorter vessel, or another room.")
    elif site.ceiling is not None and unit.several and unit.arrives + unit.joins.drop > ceiling:
        message = f"The pipe that joins its vessels is {length(unit.arrives)} high under a ceiling of {length(ceiling)}."
        say("does-not-fit", "fault", unit.id, message, "Use shorter vessels, or one larger vessel in place of several, or another room.")
    if unit.outline.x < -1 or unit.outline.z < -1:
        say("does-not-fit", "fault", unit.id, "It is beyond the end of the wall, or below the floor.", "Move it back.")


def _obstacles(wall: Wall, unit: WallUnit, say: Say) -> None:
    for obstacle in wall.obstacles:
        if any(rect.overlaps(obstacle.keep) for _, rect in unit.parts):
            severity = "danger" if obstacle.key == "electrical_panel" else "fault"
            message = f"{unit.name} is in the clear space needed in front of the {OBSTRUCTION_WORDS[obstacle.key]}."
            say("blocks/" + obstacle.key, severity, unit.id, message, "Move it: panel, heater, meter and shut-off must stay accessible.")


def _pipe_at_the_panel(wall: Wall, say: Say) -> None:
    last = wall.units[-1].id if wall.units else ""
    for panel in (obstacle for obstacle in wall.obstacles if obstacle.key == "electrical_panel"):
        for unit_id in dict.fromkeys(run.unit or last for run in wall.runs if _crosses(run, panel.keep)):
            say(
                "blocks/electrical_panel", "fault", unit_id, "Water pipe runs above or in front of the electrical panel.",
                "Move the units so that neither pipe nor drain passes the panel: nothing that can drip must be above it.",
            )  # fmt: skip


def _room_before(wall: Wall, system: str, say: Say) -> None:
    """Whether somebody can work before the unit that stands out farthest: said once."""
    if wall.depth is None or not wall.units:
        return
    front, unit = float(table("wall")["zones"]["front"]), max(wall.units, key=lambda each: each.depth)
    if unit.depth + front > wall.depth + 1:
        left = wall.depth - unit.depth
        free = f"{show(left, 'mm', system)} of clear space is in front of it" if left > 0 else "no clear space is in front of it"
        out, there = show(unit.depth, "mm", system), show(wall.depth, "mm", system)
        say(
            f"clearance/{unit.kind}", "caution", unit.id, f"It reaches {out} from the wall, and the clear depth is {there}: {free}; "
                                                          f"{show(front, 'mm', system)} is needed to work on it.",
            "Use narrower vessels, move the brine tank to the side, or use another wall.",
        )  # fmt: skip


def _pipe_in_the_way(wall: Wall, facts: Facts, say: Say) -> None:
    """Pipe through a vessel or a heater, and pipe or drains beyond the end of the wall: each said once, at the unit it concerns."""
    system, last = facts.job.units, wall.units[-1].id if wall.units else ""
    for unit in wall.units:
        bodies = [rect for _, rect in unit.parts]
        if any(run.role in ("main", "bypass") and any(_through(run, rect) for rect in bodies) for run in wall.runs):
            say(
                "does-not-fit", "fault", unit.id, f"The main pipe runs {show(wall.header, 'mm', system)} high, through it: below this ceiling no pipe passes above it.",
                "Use shorter vessels, or another room.",
            )  # fmt: skip
    for heater in (obstacle for obstacle in wall.obstacles if obstacle.key == "water_heater"):
        for id in dict.fromkeys(run.unit or last for run in wall.runs if _through(run, heater.rect)):
            say(
                "blocks/water_heater",
                "fault",
                id,
                "Its pipe or drain runs through the water heater.",
                "Move the units so that pipe and drains pass it.",
            )
    if wall.end is not None:
        beyond = [run for run in wall.runs if run.role in ("drain", "overflow", "leg") and any(x > wall.end + 1 for x, _ in run.points)]
        inside = {unit.id for unit in wall.units if unit.outline.right <= wall.end + 1}
        for id in dict.fromkeys(run.unit for run in beyond if run.unit in inside):
            say(
                "does-not-fit",
                "caution",
                id,
                "Its pipe or drain runs past the end of the wall.",
                "Lead it to a drain on this wall, or around the corner.",
            )


def _through(run: PipeOnWall, rect: Rect) -> bool:
    """Whether a pipe passes through the inside of a rectangle."""
    inner = Rect(rect.x + 5, rect.z + 5, rect.width - 10, rect.height - 10)
    return any(
        min(a[0], b[0]) < inner.right and max(a[0], b[0]) > inner.x and min(a[1], b[1]) < inner.top and max(a[1], b[1]) > inner.z
        for a, b in pairwise(run.points)
    )


def _crosses(run: PipeOnWall, keep: Rect) -> bool:
    """Whether a pipe passes through the room of a panel, which reaches from the floor to the ceiling."""
    return any(min(a[0], b[0]) < keep.right and max(a[0], b[0]) > keep.x and max(a[1], b[1]) > keep.z for a, b in pairwise(run.points))


def _zone(wall: Wall, unit: WallUnit, zone: Zone, ceiling: float | None, system: str, say: Say) -> None:
    rule = "uv-clearance" if zone.what == "lamp" else f"clearance/{unit.kind}"
    severity = "fault" if zone.what == "lamp" else "caution"
    if ceiling is not None and zone.rect.top > ceiling + 1:
        free = ceiling - zone.rect.z
        say(
            rule,
            severity,
            unit.id,
            f"{show(max(free, 0.0), 'mm', system)} of clear space above it; {show(zone.rect.height, 'mm', system)} is needed {zone.words}.",
            "Lower it, turn it, or use a shorter one.",
        )
    if zone.rect.z < -1:
        say(rule, severity, unit.id, f"It is mounted too low {zone.words}.", "Mount it higher.")
    in_the_way = [other.name for other in wall.units if other.id != unit.id and any(zone.rect.overlaps(rect) for _, rect in other.parts)]
    in_the_way += [OBSTRUCTION_WORDS[obstacle.key] for obstacle in wall.obstacles if zone.rect.overlaps(obstacle.rect)]
    if in_the_way:
        say(
            rule,
            severity,
            unit.id,
            f"{sentence(listed(in_the_way))} {'are' if len(in_the_way) > 1 else 'is'} in the clear space needed {zone.words}.",
            "Move one of them.",
        )
