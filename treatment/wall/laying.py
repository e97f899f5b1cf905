"""A wall laid out: units placed, pipe drawn from the source to the house. What it lacks yet are its measures and what is said of it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from ..house.pipes import joined_by, usually_joined
from ..job.facts import Facts
from ..language.tables import table
from ..train.piping import Piping
from ..train.treatment import StageRun
from .measured import piping_of
from .parts import Wall
from .piping import aside, pipe
from .placing import obstacles_of, place


def ceiling_of(facts: Facts) -> float:
    """Height of the room [mm]: the usual one where the job gives none."""
    return float((facts.site.ceiling or table("wall")["place"]["ceiling"] / 1000) * 1000)


def laid(facts: Facts, stages: Sequence[StageRun[Any]], states: dict[str, str] | None = None, house: bool = False) -> Wall:
    """Units and pipe of a train on a job's wall.

    states: stage id -> service, bypass or shut; what is not named is in service. house: only the pipe that the house's water runs through.
    """
    site, rows = facts.site, table("wall")["place"]
    ceiling, obstacles = ceiling_of(facts), obstacles_of(facts)
    units = place(stages, obstacles, ceiling)
    can = {unit.id: unit.states for unit in units}
    states = {name: state for name, state in (states or {}).items() if state in can.get(name, ())}
    ports = [z for unit in units for z in (unit.arrives, unit.outlet[1])]
    header = min(
        max([rows["header_least"], *(z + rows["header_above"] for z in ports)]),
        max(ceiling - rows["header_below_ceiling"], float(rows["header_lowest"])),
    )
    washed = sum(unit.drains for unit in units)
    right = (
        max([unit.outline.right for unit in units] + [zone.rect.right for unit in units for zone in unit.zones] + [rows["left"]])
        + 2 * rows["between"]
        + rows["ends_after"]
        + rows["receptor"] * max(washed, 1)
    )
    width = (
        max((site.wall_width or 0.0) * 1000, right, *(o.rect.right + rows["end_beside"] for o in obstacles))
        if obstacles
        else max((site.wall_width or 0.0) * 1000, right)
    )
    panels = [turn for each in obstacles if each.key == "electrical_panel" and (turn := each.keep.x - rows["panel_beside"]) >= right]
    leaves = min([width, *panels])
    runs, fittings = pipe(units, header, leaves, max(ceiling, header), states, leaves < width, facts.wishes.spare_outdoor_taps and bool(stages))
    if not house:
        more, others = aside(units, header, leaves, max(ceiling, header))
        runs, fittings = runs + more, fittings + others
    return Wall(
        width, max(ceiling, max([unit.top for unit in units] + [0.0])), site.wall_depth * 1000 if site.wall_depth else None, site.wall_width is not None,
        units, obstacles, runs, fittings, (), (), header, leaves,
        site.wall_width * 1000 if site.wall_width is not None and site.wall_width * 1000 < width - 1 else None, states,
    )  # fmt: skip


def piping(facts: Facts, stages: Sequence[StageRun[Any]], material: str) -> Piping:
    """What the pipe of a train on a job's wall is, as water feels it. material: of the pipe, where the job does not say how it is joined."""
    return piping_of(laid(facts, stages, house=True), (joined_by(facts) or usually_joined(material)) == "crimp")
