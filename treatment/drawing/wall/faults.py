"""What does not fit on a wall, collides, or cannot be reached."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from itertools import combinations, pairwise

from ...audit.rules import SEVERITIES, Finding
from ...job.facts import Facts
from ...language.display import show
from ...language.figure import source
from ...language.tables import table
from ...train.weights import Load, mains_volts, mass_of_all
from ...wall.parts import Rect, Run, Unit, Wall, Zone

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
            f"Full it weighs {show(most.mass.value, 'kg', system)}, all units {show(whole, 'kg', system)}; "
            f"up to {show(max(each.foot for each in heavy), 'kPa floor', system)} under a foot.",
            "On anything but a slab on the ground, have the floor judged first; spread the load on a board or a plinth.",
        )  # fmt: skip
    volts = mains_volts(system)
    for each in held:
        if each.own:
            say(
                "circuit", "advice", each.id, f"It draws {each.watts.value:.0f} W, {each.amps(volts):.1f} A at {volts:.0f} V, and more as it starts.",
                "Give it a circuit of its own, protected against earth faults, by a licensed electrician.",
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
            say("does-not-fit", "fault", other.id, f"{other.name} and {unit.name.lower()} stand in the same place.", "Move one of them.")


def _beyond(wall: Wall, unit: Unit, facts: Facts, ceiling: float, say: Say) -> None:
    """Whether a unit reaches beyond the wall, the ceiling, the floor or the room before it."""
    site = facts.site

    def length(value: float) -> str:
        return show(value, "mm", facts.job.units)

    if site.wall_width is not None and unit.outline.right > site.wall_width * 1000 + 1:
        message = f"It ends {length(unit.outline.right)} along a wall of {length(site.wall_width * 1000)}."
        say("does-not-fit", "fault", unit.id, message, "Move the units closer, use two walls, or fewer units.")
    if site.ceiling is not None and unit.top > ceiling + 1:
        message = f"It stands {length(unit.top)} high under a ceiling of {length(ceiling)}."
        say("does-not-fit", "fault", unit.id, message, "Choose a shorter vessel, or another room.")
    if unit.outline.x < -1 or unit.outline.z < -1:
        say("does-not-fit", "fault", unit.id, "It stands beyond the end of the wall, or below the floor.", "Move it back.")


def _obstacles(wall: Wall, unit: Unit, say: Say) -> None:
    for obstacle in wall.obstacles:
        if any(rect.overlaps(obstacle.keep) for _, rect in unit.parts):
            severity = "danger" if obstacle.key == "electrical_panel" else "fault"
            message = f"It stands in the room kept free before the {obstacle.key.replace('_', ' ')}."
            say("blocks/" + obstacle.key, severity, unit.id, message, "Move it: panel, heater, meter and shut-off stay free.")


def _pipe_at_the_panel(wall: Wall, say: Say) -> None:
    last = wall.units[-1].id if wall.units else ""
    for panel in (obstacle for obstacle in wall.obstacles if obstacle.key == "electrical_panel"):
        for unit_id in dict.fromkeys(run.unit or last for run in wall.runs if _crosses(run, panel.keep)):
            say(
                "blocks/electrical_panel", "fault", unit_id, "Water pipe runs above or before the electrical panel.",
                "Place the units so that neither pipe nor drain passes the panel; nothing that can drip belongs above it.",
            )  # fmt: skip


def _room_before(wall: Wall, system: str, say: Say) -> None:
    """Whether somebody can work before the unit that stands out farthest: said once."""
    if wall.depth is None or not wall.units:
        return
    front, unit = float(table("wall")["zones"]["front"]), max(wall.units, key=lambda each: each.depth)
    if unit.depth + front > wall.depth + 1:
        left = wall.depth - unit.depth
        free = f"{show(left, 'mm', system)} are free before it" if left > 0 else "nothing is free before it"
        out, there = show(unit.depth, "mm", system), show(wall.depth, "mm", system)
        say(
            f"clearance/{unit.kind}", "caution", unit.id, f"It stands {out} out from the wall, of {there} that are there: {free}; {show(front, 'mm', system)} are wanted to work.",
            "Choose narrower vessels, stand the brine tank aside, or take another wall.",
        )  # fmt: skip


def _pipe_in_the_way(wall: Wall, facts: Facts, say: Say) -> None:
    """Pipe through a vessel or a heater, and pipe or drains beyond the end of the wall: each said once, at the unit it concerns."""
    system, last = facts.job.units, wall.units[-1].id if wall.units else ""
    for unit in wall.units:
        bodies = [rect for _, rect in unit.parts]
        if any(run.role in ("main", "bypass") and any(_through(run, rect) for rect in bodies) for run in wall.runs):
            say(
                "does-not-fit", "fault", unit.id, f"The main pipe runs {show(wall.header, 'mm', system)} high, through it: below this ceiling no pipe passes above it.",
                "Choose shorter vessels, or another room.",
            )  # fmt: skip
    for heater in (obstacle for obstacle in wall.obstacles if obstacle.key == "water_heater"):
        for id in dict.fromkeys(run.unit or last for run in wall.runs if _through(run, heater.rect)):
            say(
                "blocks/water_heater",
                "fault",
                id,
                "Its pipe or drain runs through the water heater.",
                "Place the units so that pipe and drains pass it by.",
            )
    if wall.end is not None:
        beyond = [run for run in wall.runs if run.role in ("drain", "overflow", "leg") and any(x > wall.end + 1 for x, _ in run.points)]
        inside = {unit.id for unit in wall.units if unit.outline.right <= wall.end + 1}
        for id in dict.fromkeys(run.unit for run in beyond if run.unit in inside):
            say(
                "does-not-fit",
                "caution",
                id,
                "Its pipe or drain runs on past the end of the wall.",
                "Lead it to a drain on this wall, or round the corner.",
            )


def _through(run: Run, rect: Rect) -> bool:
    """Whether a pipe passes through the inside of a rectangle."""
    inner = Rect(rect.x + 5, rect.z + 5, rect.width - 10, rect.height - 10)
    return any(
        min(a[0], b[0]) < inner.right and max(a[0], b[0]) > inner.x and min(a[1], b[1]) < inner.top and max(a[1], b[1]) > inner.z
        for a, b in pairwise(run.points)
    )


def _crosses(run: Run, keep: Rect) -> bool:
    """Whether a pipe passes through the room of a panel, which reaches from the floor to the ceiling."""
    return any(min(a[0], b[0]) < keep.right and max(a[0], b[0]) > keep.x and max(a[1], b[1]) > keep.z for a, b in pairwise(run.points))


def _zone(wall: Wall, unit: Unit, zone: Zone, ceiling: float | None, system: str, say: Say) -> None:
    rule = "uv-clearance" if zone.what == "lamp" else f"clearance/{unit.kind}"
    severity = "fault" if zone.what == "lamp" else "caution"
    if ceiling is not None and zone.rect.top > ceiling + 1:
        free = ceiling - zone.rect.z
        say(
            rule,
            severity,
            unit.id,
            f"{show(max(free, 0.0), 'mm', system)} are free above it {zone.words}; {show(zone.rect.height, 'mm', system)} are needed.",
            "Lower it, turn it, or choose a shorter one.",
        )
    if zone.rect.z < -1:
        say(rule, severity, unit.id, f"It hangs too low {zone.words}.", "Mount it higher.")
    in_the_way = [other.name for other in wall.units if other.id != unit.id and any(zone.rect.overlaps(rect) for _, rect in other.parts)]
    in_the_way += [obstacle.key.replace("_", " ") for obstacle in wall.obstacles if zone.rect.overlaps(obstacle.rect)]
    if in_the_way:
        say(rule, severity, unit.id, f"{', '.join(in_the_way)} stands in the room kept free {zone.words}.", "Move one of them.")
